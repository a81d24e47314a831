"""A true recursion translated once into Python on plain floats: one case is bound by the number of calls otherwise.

What is run is made of the operations below and numbered cells alone; no name or text of a deal gets into it. Every
operation does what its array counterpart does, to the last bit.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from math import copysign, isinf, nan
from typing import Any, TypeAlias

import numpy as np

from pennyweight.deals.language.arithmetic import WHOLE

__all__ = ["OPERATORS", "ROWS", "Walk", "source_of", "translated"]

Walk: TypeAlias = Callable[[int, Sequence[Any], Sequence[list[float]]], None]
"""(rows, what comes from outside, a list a member to be filled)."""

OPERATORS = {
    "+": "{0} + {1}",
    "-": "{0} - {1}",
    "*": "{0} * {1}",
    "/": "divide({0}, {1})",
    "**": "power({0}, {1})",
    "<": "less({0}, {1})",
    "<=": "at_most({0}, {1})",
    ">": "less({1}, {0})",
    ">=": "at_most({1}, {0})",
    "==": "equal({0}, {1})",
    "!=": "1.0 - equal({0}, {1})",
    "and": "both({0}, {1})",
    "or": "1.0 - both(1.0 - {0}, 1.0 - {1})",
    "not": "1.0 - {0}",
    "negate": "-{0}",
    "choose": "choose({0}, {1}, {2})",
}
"""How each operation of the language is written; its parts are cells."""
ROWS = {
    "mask": "masked({0}, {1})",
    "start": "{1} if t == 0 else {0}",
    "set": "settled({0}, {1}, {2})",
    "at": "looked_at({0}, {1}, t)",
    "min": "smaller({0}, {1})",
    "max": "larger({0}, {1})",
    "abs": "absolute({0})",
}
"""How what runs, starts and sets is written, and the commonest functions."""


def translated(text: str, functions: Mapping[str, Callable[..., Any]]) -> Walk:
    """The function that `source_of` wrote, its helpers and `functions` within reach, and nothing else."""
    reach: dict[str, Any] = {"__builtins__": {"range": range}, **_HELPERS, **functions}
    exec(compile(text, "<recursion>", "exec"), reach)
    walk: Walk = reach["walk"]
    return walk


def source_of(
    outside: Sequence[tuple[int, bool]],
    priors: Sequence[tuple[int, int]],
    pasts: Sequence[tuple[int, int]],
    members: Sequence[tuple[int, Sequence[tuple[int, str]], int, int]],
) -> str:
    """The text of one walk through the periods.

    `outside` are cells and whether they run over time, `priors` and `pasts` cells and the member they look at,
    `members` (number, steps as (cell, expression), the cell of its result, the member's own cell) in their order.
    """
    lines = ["def walk(rows, outside, results):"]
    lines += [f"  {'m' if moves else 'c'}{cell} = outside[{place}]" for place, (cell, moves) in enumerate(outside)]
    lines += [f"  r{number} = results[{number}]" for number, *_ in members]
    lines += [f"  c{cell} = results[{member}]" for cell, member in pasts]
    lines += [f"  c{cell} = None" for _, steps, _, own in members for cell in (*(one for one, _ in steps), own)]
    lines.append("  for t in range(rows):")
    lines += [f"    c{cell} = m{cell}[t]" for cell, moves in outside if moves]
    lines += [f"    c{cell} = results[{member}][t - 1] if t else 0.0" for cell, member in priors]
    for number, steps, result, own in members:
        lines += [f"    c{cell} = {expression}" for cell, expression in steps]
        lines += [f"    c{own} = c{result}", f"    r{number}.append(c{own})"]
    return "\n".join(lines) + "\n"


def _divide(a: float, b: float) -> float:
    return a / b if b != 0 else nan


def _power(a: float, b: float) -> float:
    if b == 2:
        return a * a
    with np.errstate(all="ignore"):
        result = float(np.power(np.float64(a), np.float64(b)))
    return nan if isinf(result) else result


def _less(a: float, b: float) -> float:
    return (1.0 if a < b else 0.0) if a == a and b == b else nan


def _at_most(a: float, b: float) -> float:
    return (1.0 if a <= b else 0.0) if a == a and b == b else nan


def _equal(a: float, b: float) -> float:
    return (1.0 if a == b else 0.0) if a == a and b == b else nan


def _both(a: float, b: float) -> float:
    return 0.0 if a == 0 or b == 0 else a * b


def _choose(condition: float, yes: float, no: float) -> float:
    return yes if condition == 1 else nan if condition != condition else no


def _smaller(a: float, b: float) -> float:
    return nan if a != a or b != b else a if a <= b else b


def _larger(a: float, b: float) -> float:
    return nan if a != a or b != b else a if a >= b else b


def _absolute(a: float) -> float:
    return nan if isinf(a) else copysign(a, 1.0)


def _masked(x: float, mask: float) -> float:
    return x if mask == 1 else nan if mask != mask else 0.0


def _settled(x: float, mask: float, value: float) -> float:
    return value if mask == 1 else nan if mask != mask else x


def _looked_at(past: list[float], asked: float, t: int) -> float:
    if not abs(asked - round(asked) if abs(asked) < 1e15 else nan) <= WHOLE or not -WHOLE <= asked <= t + WHOLE:
        return nan
    place = round(asked)
    return past[place] if place < len(past) else nan


_HELPERS = {
    "divide": _divide,
    "power": _power,
    "less": _less,
    "at_most": _at_most,
    "equal": _equal,
    "both": _both,
    "choose": _choose,
    "smaller": _smaller,
    "larger": _larger,
    "absolute": _absolute,
    "masked": _masked,
    "settled": _settled,
    "looked_at": _looked_at,
}

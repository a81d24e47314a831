"""What a chart of lines shows, in one clause: which line passes which, and where; else where it ends."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import NamedTuple, TypeAlias

import numpy as np

from pennyweight.array_kinds import Floats

__all__ = ["finding", "lowest"]

Lines: TypeAlias = Sequence[tuple[str, Floats]]


def finding(
    x: Floats,
    lines: Lines,
    target: tuple[str, float] | None,
    where: Callable[[float], str],
    much: Callable[[float], str],
    *,
    standing: bool = True,
) -> str:
    """One clause on the lines over x; `where` and `much` write a place and a value.

    Of amounts that do not stand (`standing` is false) nothing is said where nothing turns.

    >>> x = np.array([0.0, 1.0, 2.0])
    >>> cost, gain = ("Cost", np.array([5.0, 5.0, 5.0])), ("Gain", np.array([0.0, 4.0, 8.0]))
    >>> finding(x, [gain, cost], None, lambda place: f"after {place:g} years", str)
    'Gain passes Cost after 1.25 years'
    >>> finding(x, [gain], ("Cost", 9.0), str, str), finding(x, [gain], None, lambda place: f"after {place:g}", str)
    ('Gain stays below Cost', 'Gain is 8.0 after 2')
    """
    known = [(label, values) for label, values in lines if np.isfinite(values).any()]
    if not known:
        return ""
    first, values = known[0]
    if target is not None and len(known) == 1:
        return _passes(x, first, values, target[0], np.full(x.size, target[1]), where).said
    over_zero = _passes(x, first, values, "zero", np.zeros(x.size), where)
    if over_zero.turns:
        return over_zero.said
    if len(known) == 2:
        told = _passes(x, first, values, *known[1], where)
        return told.said if told.turns or standing else ""
    place = int(np.flatnonzero(np.isfinite(values))[-1])
    if len(known) == 1:
        return f"{first} is {much(float(values[place]))} {where(float(x[place]))}"
    if not standing:
        return ""
    ends = [f"{label} {much(float(line[place]))}" for label, line in known[:_MOST] if np.isfinite(line[place])]
    when = where(float(x[place]))
    return f"{when[:1].upper()}{when[1:]}: {'; '.join(ends)}"


_MOST = 3
"""So many lines are told by where they end."""


def lowest(x: Floats, lines: Lines, where: Callable[[float], str]) -> str:
    """Which of several lines lies lowest, when that changes once; nothing when it does not.

    >>> x = np.array([0.0, 1.0, 2.0])
    >>> lowest(x, [("Cash", 0 * x + 3), ("Lease", 2 * x), ("Loan", 0 * x + 9)], lambda place: f"at {place:g}")
    'Lease is the lowest; at 1.5 and beyond it is Cash'
    """
    table = np.array([values for _, values in lines])
    if not np.isfinite(table).all():
        return ""
    at = table.argmin(axis=0)
    turns = np.flatnonzero(at[1:] != at[:-1])
    if turns.size != 1:
        return ""
    k = int(turns[0])
    before, after = int(at[k]), int(at[k + 1])
    apart = table[before] - table[after]
    place = float(x[k] + apart[k] / (apart[k] - apart[k + 1]) * (x[k + 1] - x[k]))
    return f"{lines[before][0]} is the lowest; {where(place)} and beyond it is {lines[after][0]}"


class _Course(NamedTuple):
    """How one line lies to another, and whether they change places."""

    said: str
    turns: bool = False


def _passes(x: Floats, label: str, a: Floats, other: str, b: Floats, where: Callable[[float], str]) -> _Course:
    apart = a - b
    there = np.flatnonzero(np.isfinite(apart) & (np.abs(apart) > 1e-9 * np.maximum(np.abs(a), np.abs(b))))
    if not there.size:
        return _Course(f"{label} and {other} are the same")
    sign = np.sign(apart[there])
    turns = np.flatnonzero(sign[1:] != sign[:-1])
    if not turns.size:
        return _Course(f"{label} stays {'above' if sign[0] > 0 else 'below'} {other}")
    low, high = there[turns[-1]], there[turns[-1] + 1]
    part = apart[low] / (apart[low] - apart[high])
    above, below = (label, other) if sign[-1] > 0 else (other, label)
    return _Course(f"{above} passes {below} {where(float(x[low] + part * (x[high] - x[low])))}", turns=True)

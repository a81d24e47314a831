"""Functions over the things of a set: their arithmetic on an axis of things, and their rows of the registry.

A set's values lie side by side, thing after thing, the cases of a thing together: (things × cases,) or
(periods + 1, things × cases). An undefined thing makes the figure over all of them undefined.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from typing import Any

import numpy as np

from pennyweight.array_kinds import Floats
from pennyweight.deals.language.function import Function, _takes
from pennyweight.deals.language.nodes import Call, Name, Node, children, show, with_parts
from pennyweight.errors import InputError

__all__ = ["BLOCK", "OF_SETS", "SET_FUNCTIONS", "for_thing", "over_things", "put_together", "set_of"]


def for_thing(node: Node, sets: Mapping[str, str], own: str, thing: str) -> Node:
    """A formula as it stands for one thing of the set `own`: its names become "tenants.Bakery.rent"."""
    if isinstance(node, Name):
        return Name(f"{own}.{thing}.{node.name.removeprefix(f'{own}.')}") if sets.get(node.name) == own else node
    if isinstance(node, Call) and node.function in OF_SETS:
        return node
    return with_parts(node, lambda part: for_thing(part, sets, own, thing))


def set_of(node: Node, sets: Mapping[str, str], where: str) -> str:
    """The set for whose things a formula is worked out, by the sets of its names; empty where it is for none.

    InputError where it mixes the things of two sets, or takes together what is no set's.
    """
    if isinstance(node, Name):
        return sets.get(node.name, "")
    if isinstance(node, Call) and node.function in OF_SETS and node.arguments:
        asked = node.arguments[0][1]
        if not set_of(asked, sets, where):
            raise InputError(
                f"{where}: {node.function} takes the things of a set together, but '{show(asked)}' is the same for all "
                "of them; name a column of a set, or what is worked out with 'each'.",
                at=where,
            )
        return ""
    parts = {own: part for part in children(node) if (own := set_of(part, sets, where))}
    if len(parts) > 1:
        (one, first), (other, second) = list(parts.items())[:2]
        raise InputError(
            f"{where}: '{show(first)}' is worked out for each of {one}, '{show(second)}' for each of {other}; a "
            f"formula goes by one set. Take one of them together, as in sum_of({show(second)}).",
            at=where,
        )
    return next(iter(parts), "")


def over_things(function: str, things: int, x: Floats, *asked: Floats, part: bool = False) -> Floats:
    """One figure a case of a set's values: (…, things × cases) becomes (…, cases).

    The order in which things are added hangs on their number alone, so that a case comes to the same in any block.
    A `part` is that of one block of things, for `put_together`.
    """
    wide = x.reshape(*x.shape[:-1], things, x.shape[-1] // things)
    if part:
        return _PARTS[function](wide, *asked)
    blocks = range(0, things, BLOCK)
    parts = [
        _PARTS[function](wide[..., first : first + BLOCK, :], *(place - first for place in asked)) for first in blocks
    ]
    return put_together(function, things, parts)


def put_together(function: str, things: int, parts: Sequence[Floats]) -> Floats:
    """One figure of those of all blocks, in their order."""
    found = parts[0]
    join = {"lowest_of": np.minimum, "highest_of": np.maximum}.get(function, np.add)
    for other in parts[1:]:
        found = join(found, other)
    return found / things if function == "average_of" else found


BLOCK = 4_096
"""So many things are worked out together."""


def _added(x: Floats) -> Floats:
    """The sum over the things, each case's laid side by side so that they are added in the same order in any block."""
    return np.asarray(np.add.reduce(np.ascontiguousarray(np.moveaxis(x, -2, -1)), axis=-1))


def _counted(x: Floats) -> Floats:
    """How many conditions hold; undefined where one is."""
    known = _added(np.where(np.isnan(x), 1.0, 0.0)) == 0
    return np.where(known, _added((x == 1.0).astype(np.float64)), np.nan)


def _one(x: Floats, place: Floats) -> Floats:
    """The thing at a place; nothing where it is in another block."""
    k = int(place.reshape(-1)[0])
    return x[..., k, :] if 0 <= k < x.shape[-2] else np.zeros(x[..., 0, :].shape)


_PARTS: dict[str, Callable[..., Floats]] = {
    "sum_of": _added,
    "average_of": _added,
    "lowest_of": lambda x: x.min(axis=-2),
    "highest_of": lambda x: x.max(axis=-2),
    "count_of": _counted,
    "one_of": _one,
}


def _all_of_one_case(function: str) -> Callable[..., Floats]:
    """The same for one case, whose values are as many as there are things."""

    def compute(_: Any, x: Floats, *asked: Floats) -> Floats:
        return over_things(function, x.shape[-1], x, *asked)

    return compute


def _by_age(_: Any, new: Floats, curve: Floats) -> Floats:
    """What was begun in each period, times the curve at its age: sum over s <= t of new[s] curve[t - s].

    The curve's first value that is defined is that of age 0; past its end its last value goes on.
    """
    rows = new.shape[0]
    width = max(new.shape[1], curve.shape[1])
    found = np.zeros((rows, width))
    known = ~np.isnan(curve)
    begins = np.where(known.any(axis=0), known.argmax(axis=0), rows - 1)
    for begin in np.unique(begins).tolist():
        mine = slice(None) if (begins == begin).all() else np.flatnonzero(begins == begin)
        ages = curve[np.minimum(np.arange(begin, begin + rows), rows - 1)]
        here = ages if ages.shape[1] == 1 else ages[:, mine]
        started = new if new.shape[1] == 1 else new[:, mine]
        part = np.zeros((rows, np.broadcast_shapes(here.shape[1:], started.shape[1:])[0]))
        for s in range(rows):
            given = started[s]
            # What was begun in no case adds nothing, whatever the curve says.
            if given.any():
                part[s:] += np.where(given == 0, 0.0, given * here[: rows - s])
        found[:, mine] = part
    return found


def _row(name: str, takes: str, unit: str, summary: str, example: str) -> Function:
    return Function(name, _takes(takes), "same", unit, summary, _all_of_one_case(name), example=example)


SET_FUNCTIONS = (
    _row("sum_of", "x:things", "=", "sum over the things of a set", "sum_of(stalls.rent * stalls.area)"),
    _row("average_of", "x:things", "=", "mean over the things of a set", "average_of(stalls.rent)"),
    _row("lowest_of", "x:things", "=", "smallest over the things of a set", "lowest_of(stalls.rent)"),
    _row("highest_of", "x:things", "=", "largest over the things of a set", "highest_of(stalls.rent)"),
    _row(
        "count_of", "x:things", "number", "for how many things of a set a condition holds", "count_of(stalls.area > 20)"
    ),
    _row("one_of", "x:things name:thing", "=", "the value of one thing, by its name", "one_of(stalls.rent, 'Tea')"),
    Function(
        "by_age",
        _takes("new:line curve:line"),
        "line",
        "=",
        "what was begun in each period, times the curve at its age; age 0 reads the curve's first given value",
        _by_age,
        example="by_age(sales, 0.9 ** t)",
    ),
)
OF_SETS = frozenset(function.name for function in SET_FUNCTIONS) - {"by_age"}
"""The functions that make one value of all things of a set."""

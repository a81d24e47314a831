"""Brackets: values by the slice or the step in which an amount lies, or straight between points."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from functools import partial
from typing import Any

import numpy as np

from pennyweight.array_kinds import Floats
from pennyweight.deals.assumptions import Input
from pennyweight.deals.language.function import Function, _takes
from pennyweight.deals.language.nodes import Call, Name
from pennyweight.deals.timeline import Timeline

__all__ = ["BRACKET_FUNCTIONS", "bracket_compute", "bracket_input", "slices"]


def bracket_input(call: Call, inputs: Mapping[str, Input]) -> Input | None:
    """The brackets that a call goes by; None of a call that goes by none."""
    if call.function not in _COMPUTED:
        return None
    named = next((node for key, node in call.arguments[1:] if key in (None, "brackets")), None)
    item = inputs.get(named.name) if isinstance(named, Name) else None
    return item if item is not None and item.keys else None


def bracket_compute(function: str, item: Input, time: Timeline) -> Callable[[Floats, Floats], Floats]:
    """What works out a call: of amounts and the brackets' values, (brackets, 1) or (brackets, cases)."""
    keys = np.array(item.keys)
    if function == "graduated" and item.by_year and time.per_year > 1:
        return partial(_yearly, keys, time)
    return partial(_COMPUTED[function], keys)


def slices(item: Input, values: Floats, x: float) -> list[tuple[float, float]]:
    """The slices of an amount, each with its value: what graduated adds up."""
    ends = [*item.keys[1:], np.inf]
    cut = [(min(x, end) - start, float(value)) for start, end, value in zip(item.keys, ends, values, strict=True)]
    return [(size, value) for size, value in cut if size > 0]


def _graduated(keys: Floats, x: Floats, values: Floats) -> Floats:
    """Every slice times its value, from the lowest on; nothing below the first."""
    found = x * 0.0
    for k in range(keys.size):
        above = np.maximum(x - keys[k], 0.0)
        size = above if k + 1 == keys.size else np.minimum(above, keys[k + 1] - keys[k])
        found = found + size * values[k]
    return found


def _yearly(keys: Floats, time: Timeline, x: Floats, values: Floats) -> Floats:
    """The same of the sum of each year, in its last period; of one figure by itself."""
    if x.ndim == 1:
        return _graduated(keys, x, values)
    year = time.year[:, 0].astype(np.intp)
    last = np.flatnonzero(np.append(np.diff(year), 1))
    sums = np.add.reduceat(x, np.append(0, last[:-1] + 1), axis=0)
    charged = _graduated(keys, sums, values)
    found = np.zeros((x.shape[0], charged.shape[1]))
    found[last] = charged
    return found


def _looked_up(keys: Floats, x: Floats, values: Floats) -> Floats:
    """The value of the step an amount lies in; a step begins at its key."""
    place = np.searchsorted(keys, np.nan_to_num(x), side="right") - 1
    found = _taken(values, np.maximum(place, 0))
    return np.where(np.isnan(x) | (place < 0), np.nan, found)


def _interpolated(keys: Floats, x: Floats, values: Floats) -> Floats:
    """Straight between the points; undefined beyond them."""
    known = np.nan_to_num(x)
    place = np.clip(np.searchsorted(keys, known, side="right") - 1, 0, max(keys.size - 2, 0))
    after = np.minimum(place + 1, keys.size - 1)
    low, high = _taken(values, place), _taken(values, after)
    width = np.where(after > place, keys[after] - keys[place], 1.0)
    found = low + (high - low) * ((known - keys[place]) / width)
    return np.where(np.isnan(x) | (known < keys[0]) | (known > keys[-1]), np.nan, found)


def _taken(values: Floats, place: Any) -> Floats:
    """The values at places, case by case."""
    width = np.broadcast_shapes((values.shape[1],), place.shape[-1:])[0]
    wide = np.broadcast_to(values, (values.shape[0], width))
    where = np.broadcast_to(place, (*place.shape[:-1], width))
    flat = np.take_along_axis(wide, where.reshape(-1, width), axis=0)
    return flat.reshape(where.shape)


_COMPUTED: dict[str, Callable[[Floats, Floats, Floats], Floats]] = {
    "graduated": _graduated,
    "looked_up": _looked_up,
    "interpolated": _interpolated,
}


def _unbound(*_: Any) -> Floats:
    """A call is worked out with the keys of its brackets, which `bracket_compute` binds."""
    return np.full(1, np.nan)


def _row(name: str, unit: str, summary: str, example: str) -> Function:
    return Function(name, _takes("x:any brackets:brackets"), "same", unit, summary, _unbound, example=example)


BRACKET_FUNCTIONS = (
    _row(
        "graduated",
        "=",
        "every slice of x times the value of its bracket, added up; below the first it is 0",
        "graduated(price, levy)",
    ),
    _row("looked_up", "brackets", "the value of the bracket in which x lies", "looked_up(price, levy)"),
    _row("interpolated", "brackets", "the value at x, straight between points", "interpolated(2_500, levy)"),
)

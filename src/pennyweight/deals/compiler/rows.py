"""What happens to one period's row in a recursion: lines that do not run, starts, exceptions, looks at the past."""

from __future__ import annotations

import numpy as np

from pennyweight.array_kinds import Floats
from pennyweight.deals.language.arithmetic import WHOLE

__all__ = ["plain_at_or", "row_at", "row_at_or", "row_mask", "row_set", "row_start"]


def row_mask(x: Floats, mask: Floats) -> Floats:
    """0 where the line does not run, undefined where that is."""
    if mask.size == 1:
        return x if mask[0] == 1 else x * 0.0 + mask if np.isnan(mask[0]) else np.zeros(x.shape)
    return np.where(mask == 1, x, np.where(np.isnan(mask), np.nan, 0.0))


def row_start(x: Floats, start: Floats, period: Floats) -> Floats:
    """The start in period 0."""
    return start if period[0] == 0 else x


def row_set(x: Floats, mask: Floats, value: Floats) -> Floats:
    """Another value where an exception holds."""
    return np.where(mask == 1, value, np.where(np.isnan(mask), np.nan, x))


def row_at_or(end: int, past: Floats, asked: Floats, period: Floats, otherwise: Floats) -> Floats:
    """The same, with what is said otherwise outside the timeline."""
    known = np.abs(asked - np.round(asked)) <= WHOLE
    outside = known & ((asked < -WHOLE) | (asked > end + WHOLE))
    return np.where(outside, otherwise, row_at(past, asked, period))


def plain_at_or(end: int, past: list[float], asked: float, t: float, otherwise: float) -> float:
    """The same in plain floats."""
    if not abs(asked) < _FARTHEST or abs(asked - round(asked)) > WHOLE:
        return float("nan")
    place = round(asked)
    if not 0 <= place <= end:
        return otherwise
    return past[place] if place < len(past) else float("nan")


_FARTHEST = 1e15


def row_at(past: Floats, asked: Floats, period: Floats) -> Floats:
    """The value of a member in an earlier period, or in this one once it is there; later ones are undefined."""
    inside = (np.abs(asked - np.round(asked)) <= WHOLE) & (asked >= -WHOLE) & (asked <= period[0] + WHOLE)
    width = max(asked.size, past.shape[1])  # each thing of a set may ask for a period of its own
    index = np.broadcast_to(np.where(inside, np.round(asked), 0).astype(np.intp), (width,))
    return np.where(inside, past[index, np.arange(width) % past.shape[1]], np.nan)

"""Functions of one line over some of its periods: which of them count, one window for all or one that runs with time.

A window that runs (`first` or `last` over time) is cut to where the function begins without one, and undefined where it
ends beyond the timeline. `where` leaves periods out; a period whose condition is undefined makes the figure undefined.
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from pennyweight.array_kinds import Floats
from pennyweight.deals.language.arithmetic import WHOLE, whole
from pennyweight.deals.language.operations import column_total
from pennyweight.deals.timeline import Timeline

__all__ = ["average", "extreme", "first_period", "kept_flows", "total", "why_window"]


def total(
    time: Timeline, x: Floats, first: Floats | None = None, last: Floats | None = None, where: Floats | None = None
) -> Floats:
    """The sum, both ends in; 0 of no period at all."""
    x = kept_flows(x, where)
    if _runs(first, last):
        return _of_windows(time, x, first, last, 0)[0]
    if first is None and last is None:
        return column_total(x)
    rows = _rows_alike(time, first, last, 0)
    if rows is not None:  # the same periods in all cases: only these rows are looked at
        return column_total(x[rows]) if x[rows].shape[0] else np.zeros(x.shape[1])
    inside = _within(time, first, last, 0)
    return column_total(np.where(inside == 1, x, np.where(np.isnan(inside), np.nan, 0.0)))


def average(
    time: Timeline, x: Floats, first: Floats | None = None, last: Floats | None = None, where: Floats | None = None
) -> Floats:
    """The mean of the periods from 1 to the end, of those that count; undefined of none."""
    kept = kept_flows(x, where)
    count = None if where is None else np.where(where == 1, 1.0, np.where(np.isnan(where), np.nan, 0.0))
    if _runs(first, last):
        sums, many = _of_windows(time, kept, first, last, 1)
        if count is not None:
            many = _of_windows(time, np.broadcast_to(count, kept.shape), first, last, 1)[0]
        return _divided(sums, many)
    rows = _rows_alike(time, first, last, 1)
    if count is None and rows is not None and kept[rows].shape[0]:
        return np.asarray(column_total(kept[rows]) / kept[rows].shape[0])
    inside = _within(time, first, last, 1)
    sums = column_total(np.where(inside == 1, kept, np.where(np.isnan(inside), np.nan, 0.0)))
    many = column_total(
        inside if count is None else np.where(inside == 1, count, np.where(np.isnan(inside), np.nan, 0.0))
    )
    return _divided(sums, many)


def _divided(sums: Floats, many: Floats) -> Floats:
    with np.errstate(invalid="ignore", divide="ignore"):
        return np.where(many > 0, sums / many, np.nan)


def extreme(pick: np.ufunc, worst: float) -> Callable[..., Floats]:
    """The smallest or largest of the periods from 1 to the end, of those that count; undefined of none."""

    def compute(
        time: Timeline, x: Floats, first: Floats | None = None, last: Floats | None = None, where: Floats | None = None
    ) -> Floats:
        if where is not None:
            x = np.where(where == 1, x, np.where(np.isnan(where), np.nan, worst))
        if _runs(first, last):
            chosen = _chosen_of_windows(time, x, first, last, pick)
            return np.where(np.isinf(chosen), np.nan, chosen)
        rows = _rows_alike(time, first, last, 1)
        if rows is not None and x[rows].shape[0]:
            chosen = pick.reduce(x[rows], axis=0)
            return np.where(np.isinf(chosen), np.nan, chosen)
        inside = _within(time, first, last, 1)
        chosen = pick.reduce(np.where(inside == 1, x, np.where(np.isnan(inside), np.nan, worst)), axis=0)
        return np.where(np.isinf(chosen), np.nan, chosen)

    return compute


def why_window(
    time: Timeline, x: Floats, first: Floats | None = None, last: Floats | None = None, where: Floats | None = None
) -> str:
    """No period is left, or a window runs beyond the end."""
    if _runs(first, last):
        return f"its window ends after period {time.periods}, the last one, or has no period that counts"
    return "no period lies in its window" if where is None else "no period in its window fulfils 'where'"


def first_period(
    time: Timeline, x: Floats, first: Floats | None = None, last: Floats | None = None, where: Floats | None = None
) -> Floats:
    """The first period in which a condition holds, of all or of those asked for."""
    holds = x == 1
    if where is not None:
        holds = holds & (where == 1)
    if first is not None or last is not None:
        holds = holds & (_within(time, first, last, 0) == 1)
    found = np.argmax(holds, axis=0).astype(np.float64)
    return np.where(holds.any(axis=0), found, np.nan)


def kept_flows(x: Floats, where: Floats | None) -> Floats:
    """Amounts with 0 in the periods that do not count, undefined where nobody knows whether one does."""
    return x if where is None else np.where(where == 1, x, np.where(np.isnan(where), np.nan, 0.0))


# One window for all periods.


def _within(time: Timeline, first: Floats | None, last: Floats | None, default: int) -> Floats:
    """1 from first to last, both in, 0 outside; NaN when either is no whole period."""
    low = np.full(1, float(default)) if first is None else first
    high = np.full(1, float(time.periods)) if last is None else last
    inside = (time.t >= low - WHOLE) & (time.t <= high + WHOLE)
    undefined = ~whole(low) | ~whole(high)
    return np.where(undefined, np.nan, inside.astype(np.float64))


def _rows_alike(time: Timeline, first: Floats | None, last: Floats | None, default: int) -> slice | None:
    """The rows from first to last where these are one whole period each for all cases; else None."""
    ends = []
    for given, otherwise in ((first, default), (last, time.periods)):
        if given is None:
            ends.append(otherwise)
            continue
        if given.size != 1 or not np.isfinite(given.reshape(-1)[0]) or not whole(given).all():
            return None
        ends.append(round(float(given.reshape(-1)[0])))
    return slice(max(ends[0], 0), max(ends[1] + 1, 0))


# A window of each period.


def _runs(first: Floats | None, last: Floats | None) -> bool:
    return any(end is not None and end.ndim == 2 for end in (first, last))


def _ends(
    time: Timeline, first: Floats | None, last: Floats | None, default: int
) -> tuple[NDArray[np.intp], NDArray[np.intp], NDArray[np.bool_]]:
    """(the first row of each window, the row after its last, whether it is defined), (periods + 1, width) each.

    The width is that of the ends alone: windows that are the same in all cases stay one wide.
    """
    low = np.full((1, 1), float(default)) if first is None else np.atleast_2d(first)
    high = np.full((1, 1), float(time.periods)) if last is None else np.atleast_2d(last)
    shape = (time.rows, max(low.shape[1], high.shape[1]))
    low, high = np.broadcast_to(low, shape), np.broadcast_to(high, shape)
    known = whole(low) & whole(high) & (high <= time.periods + WHOLE)
    start = np.maximum(np.round(np.where(known, low, 0)), default).astype(np.intp)
    stop = np.maximum(np.round(np.where(known, high, 0)) + 1, 0).astype(np.intp)
    start = np.minimum(start, time.rows)
    return start, np.maximum(stop, start), known


def _rows_at(x: Floats, places: NDArray[np.intp]) -> Floats:
    """The rows at these places: whole rows where all cases ask for the same, else each case its own."""
    if places.shape[1] == 1:
        return x[places[:, 0]]
    wide = (x.shape[0], max(x.shape[1], places.shape[1]))
    return np.take_along_axis(np.broadcast_to(x, wide), np.broadcast_to(places, (places.shape[0], wide[1])), axis=0)


def _of_windows(
    time: Timeline, x: Floats, first: Floats | None, last: Floats | None, default: int
) -> tuple[Floats, Floats]:
    """(the sum of each window, how many periods it has): differences of running sums, in one pass."""
    start, stop, known = _ends(time, first, last, default)
    missing = np.isnan(x)
    gaps = bool(missing.any())
    until = np.zeros((x.shape[0] + 1, x.shape[1]))
    np.cumsum(np.where(missing, 0.0, x) if gaps else x, axis=0, out=until[1:])
    sums = _rows_at(until, stop) - _rows_at(until, start)
    if gaps:
        holes = np.zeros(until.shape)
        np.cumsum(missing, axis=0, out=holes[1:])
        sums = np.where(_rows_at(holes, stop) - _rows_at(holes, start) == 0, sums, np.nan)
    return np.where(known, sums, np.nan), np.where(known, (stop - start).astype(np.float64), np.nan)


def _chosen_of_windows(time: Timeline, x: Floats, first: Floats | None, last: Floats | None, pick: np.ufunc) -> Floats:
    """The extreme of each window, from those of stretches of 1, 2, 4… periods, of which two cover any window."""
    start, stop, known = _ends(time, first, last, 1)
    size = stop - start
    power = np.floor(np.log2(np.maximum(size, 1))).astype(np.intp)
    found, stretch = np.full((x.shape[0], max(x.shape[1], size.shape[1])), np.nan), x
    for level in range(int(power.max(initial=0)) + 1):
        long = 1 << level
        if level:
            half = long >> 1
            stretch = pick(stretch[:-half], stretch[half:])
        here = (power == level) & (size > 0)
        if not here.any():
            continue
        last_row = stretch.shape[0] - 1
        begins, ends = (np.clip(place, 0, last_row) for place in (start, stop - long))
        if size.shape[1] == 1:
            rows = here[:, 0]
            found[rows] = pick(stretch[begins[rows, 0]], stretch[ends[rows, 0]])
        else:
            found = np.where(here, pick(_rows_at(stretch, begins), _rows_at(stretch, ends)), found)
    return np.where(known, found, np.nan)

"""Day counts: which part of a year lies between two days, as the written definitions have it.

Sources: 2006 ISDA Definitions, section 4.16, (b) actual/actual, (d) actual/365 (fixed), (e) actual/360, (f) 30/360,
(g) 30E/360, (h) 30E/360 (ISDA); ICMA Rule Book, rule 251 (actual/actual by coupon periods).
"""

from __future__ import annotations

from collections.abc import Callable
from typing import TypeAlias

import numpy as np
from numpy.typing import ArrayLike, NDArray

from pennyweight.core.dates import Days, add_months, days_in_month, parts
from pennyweight.errors import InputError, nearest

__all__ = ["DAY_COUNTS", "actual_actual_icma", "year_fraction"]

Floats: TypeAlias = NDArray[np.float64]


def year_fraction(
    start: ArrayLike, end: ArrayLike, day_count: str = "actual/365", *, termination: ArrayLike | None = None
) -> Floats:
    """Return the part of a year from `start` to `end`, arrays of days that broadcast; below zero when end is earlier.

    Args:
        day_count: a key of DAY_COUNTS.
        termination: the last day of the whole contract, which only 30E/360 (ISDA) asks for.

    >>> float(year_fraction(np.datetime64("2026-01-31"), np.datetime64("2026-07-31"), "30/360"))
    0.5
    """
    first, last = np.asarray(start, dtype="datetime64[D]"), np.asarray(end, dtype="datetime64[D]")
    until = None if termination is None else np.asarray(termination, dtype="datetime64[D]")
    if day_count not in DAY_COUNTS:
        known = ", ".join(DAY_COUNTS)
        raise InputError(
            f"The day count '{day_count}' is not known{nearest(day_count, DAY_COUNTS) or '.'} Known are {known}."
        )
    return np.asarray(DAY_COUNTS[day_count](first, last, until))[()]


def actual_actual_icma(
    start: ArrayLike, end: ArrayLike, *, regular: tuple[ArrayLike, ArrayLike], per_year: int
) -> Floats:
    """Return the part of a year from start to end by coupon periods (ICMA rule 251).

    Args:
        start, end: arrays of days; the span may be shorter or longer than a coupon period.
        regular: a regular coupon period (from, to) on the same schedule; other periods are counted on from it,
            forwards and backwards, so a short or long first or last period is measured by the notional ones it covers.
        per_year: coupon periods a year.

    Each notional period covered counts days in it over (days of that period * per_year).
    """
    first, last = np.asarray(start, dtype="datetime64[D]"), np.asarray(end, dtype="datetime64[D]")
    anchor = np.asarray(regular[1], dtype="datetime64[D]")
    months = 12 // per_year
    longest = int(np.max(np.abs((last - first).astype(np.int64)), initial=0)) // (28 * months) + 2
    away = np.max(np.abs(np.stack(np.broadcast_arrays(first - anchor, last - anchor)).astype(np.int64)), initial=0)
    reach = int(away) // (28 * months) + longest
    total = np.zeros(np.broadcast_shapes(first.shape, last.shape))
    for k in range(-reach, reach + 1):
        low, high = add_months(anchor, (k - 1) * months), add_months(anchor, k * months)
        inside = np.minimum(last, high) - np.maximum(first, low)
        days = np.maximum(inside.astype(np.int64), 0)
        total += days / ((high - low).astype(np.int64) * per_year)
    return total


def _actual(days_a_year: float) -> Callable[[Days, Days, Days | None], Floats]:
    def fraction(start: Days, end: Days, _: Days | None) -> Floats:
        return np.asarray((end - start).astype(np.float64) / days_a_year)

    return fraction


def _actual_actual(start: Days, end: Days, _: Days | None) -> Floats:
    """Days in leap years over 366, all others over 365."""

    def since_zero(day: Days) -> Floats:
        year = parts(day)[0]
        begin = (year - 1970).astype("datetime64[Y]").astype("datetime64[D]")
        length = (year - 1969).astype("datetime64[Y]").astype("datetime64[D]") - begin
        return np.asarray(year + (day - begin).astype(np.float64) / length.astype(np.float64))

    return since_zero(end) - since_zero(start)


def _thirty(start: Days, end: Days, d1: NDArray[np.int64], d2: NDArray[np.int64]) -> Floats:
    (y1, m1, _), (y2, m2, _) = parts(start), parts(end)
    return np.asarray((360 * (y2 - y1) + 30 * (m2 - m1) + (d2 - d1)) / 360.0)


def _bond_basis(start: Days, end: Days, _: Days | None) -> Floats:
    d1, d2 = parts(start)[2], parts(end)[2]
    d1 = np.minimum(d1, 30)
    return _thirty(start, end, d1, np.where((d2 == 31) & (d1 == 30), 30, d2))


def _eurobond(start: Days, end: Days, _: Days | None) -> Floats:
    return _thirty(start, end, np.minimum(parts(start)[2], 30), np.minimum(parts(end)[2], 30))


def _eurobond_isda(start: Days, end: Days, termination: Days | None) -> Floats:
    """Ends of February count as the 30th, but for the termination date."""

    def day(days: Days) -> tuple[NDArray[np.int64], NDArray[np.bool_]]:
        _, month, number = parts(days)
        return number, np.asarray((month == 2) & (number == days_in_month(days)))

    (d1, end1), (d2, end2) = day(start), day(end)
    if termination is not None:
        end2 = end2 & (end != termination)
    return _thirty(start, end, np.where(end1 | (d1 == 31), 30, d1), np.where(end2 | (d2 == 31), 30, d2))


DAY_COUNTS: dict[str, Callable[[Days, Days, Days | None], Floats]] = {
    "actual/360": _actual(360.0),
    "actual/365": _actual(365.0),
    "actual/actual": _actual_actual,
    "30/360": _bond_basis,
    "30E/360": _eurobond,
    "30E/360 ISDA": _eurobond_isda,
}
"""Day counts by their name; actual/actual by coupon periods stands apart, because it needs the periods."""

"""Day counts: which part of a year lies between two days, as the written definitions have it.

Sources: 2006 ISDA Definitions, section 4.16, (b) actual/actual, (d) actual/365 (fixed), (e) actual/360, (f) 30/360,
(g) 30E/360, (h) 30E/360 (ISDA); ICMA Rule Book, rule 251 (actual/actual by coupon periods).
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike, NDArray

from pennyweight.array_kinds import Floats
from pennyweight.core.dates import Days, days_in_month, parts, same_day
from pennyweight.errors import InputError, choice

__all__ = ["DAY_COUNTS", "DayCount", "actual_actual_icma", "days_between", "icma_by_periods", "year_fraction"]


def year_fraction(
    start: ArrayLike, end: ArrayLike, day_count: str = "actual/365", *, termination: ArrayLike | None = None
) -> Floats:
    """Return the part of a year from `start` to `end`, arrays of days that broadcast; below zero when end is earlier.

    Parameters
    ----------
    start, end : array_like
        Days, single or arrays.
    day_count : str, default 'actual/365'
        One of DAY_COUNTS.
    termination : array_like | None, optional
        The last day of the whole contract, which only 30E/360 (ISDA) asks for.

    Returns
    -------
    array of float
        The part of a year from `start` to `end`, arrays of days that broadcast; below zero when end is earlier.

    Raises
    ------
    InputError
        Something given cannot be right; the message names it and says what would be.

    Examples
    --------
    >>> float(year_fraction(np.datetime64("2026-01-31"), np.datetime64("2026-07-31"), "30/360"))
    0.5
    """
    name = choice(day_count, DAY_COUNTS, "day_count")
    basis = DAY_COUNTS[name].basis
    if basis is None:
        return np.asarray(_actual_actual(_as_days(start), _as_days(end)))[()]
    return np.asarray(days_between(start, end, name, termination=termination) / basis)[()]


def days_between(
    start: ArrayLike, end: ArrayLike, day_count: str = "actual/365", *, termination: ArrayLike | None = None
) -> Floats:
    """Return the days from `start` to `end` as a day count counts them: by the calendar, or by months of thirty days.

    Parameters
    ----------
    start, end, day_count, termination
        As in `year_fraction`.

    Returns
    -------
    array of float
        The days from `start` to `end` as a day count counts them: by the calendar, or by months of thirty days.

    Raises
    ------
    InputError
        Something given cannot be right; the message names it and says what would be.

    Examples
    --------
    >>> [float(days_between("2027-01-31", "2027-02-28", name)) for name in ("actual/365", "30/360", "30E/360 ISDA")]
    [28.0, 28.0, 30.0]
    """
    name = choice(day_count, DAY_COUNTS, "day_count")
    first, last = _as_days(start), _as_days(end)
    until = None if termination is None else _as_days(termination)
    return np.asarray(DAY_COUNTS[name].days(first, last, until).astype(np.float64))[()]


def actual_actual_icma(
    start: ArrayLike, end: ArrayLike, *, regular: tuple[ArrayLike, ArrayLike], per_year: int
) -> Floats:
    """Return the part of a year from start to end by coupon periods (ICMA rule 251).

    Parameters
    ----------
    start, end : array_like
        Arrays of days; the span may be shorter or longer than a coupon period.
    regular : tuple[array_like, array_like]
        A regular coupon period (from, to) on the same schedule; other periods are counted on from it, forwards and
        backwards, so a short or long first or last period is measured by the notional ones it covers. The later day of
        the month of the two is the schedule's: 31 August and 28 February fall on the 31st.
    per_year : int
        Coupon periods a year, 1, 2, 3, 4, 6 or 12.

    Returns
    -------
    array of float
        The part of a year from start to end by coupon periods (ICMA rule 251).

    Raises
    ------
    InputError
        Something given cannot be right; the message names it and says what would be.

    Notes
    -----
    Each notional period covered counts days in it over (days of that period * per_year).

    Examples
    --------
    >>> regular = (np.datetime64("2026-08-31"), np.datetime64("2027-02-28"))
    >>> float(actual_actual_icma("2027-08-31", "2028-02-29", regular=regular, per_year=2))
    0.5
    """
    if type(per_year) is not int or per_year not in (1, 2, 3, 4, 6, 12):
        raise InputError(f"per_year is {per_year!r}; coupons come 1, 2, 3, 4, 6 or 12 times a year.", at="per_year")
    low, high = (_as_days(day) for day in regular)
    if low.ndim or high.ndim:
        raise InputError("regular must be two days, the first and the last of one coupon period.", at="regular")
    first, last = _as_days(start), _as_days(end)
    months = 12 // per_year
    day = max(int(parts(low)[2]), int(parts(high)[2]))
    spans = [(days - high).astype("timedelta64[D]").astype(np.int64) for days in (first, last)]
    reach = [min(int(s.min(initial=0)) for s in spans), max(int(s.max(initial=0)) for s in spans)]
    numbers = np.arange(reach[0] // (28 * months) - 1, reach[1] // (28 * months) + 2)
    return icma_by_periods(first, last, same_day(high, numbers * months, day), per_year)


def icma_by_periods(start: ArrayLike, end: ArrayLike, boundaries: Days, per_year: int) -> Floats:
    """Return the part of a year from start to end, days in each of the periods between `boundaries`, (n,), over its
    own.

    >>> days = np.array(["2026-08-31", "2027-02-28", "2027-08-31"], dtype="datetime64[D]")
    >>> float(icma_by_periods("2027-02-28", "2027-05-31", days, 2)) == 92 / 184 / 2
    True
    """
    given = _as_days(start), _as_days(end)
    first, last = np.minimum(*given), np.maximum(*given)
    low, high = boundaries[:-1], boundaries[1:]
    inside = np.minimum(last[..., None], high) - np.maximum(first[..., None], low)
    days = np.maximum(inside.astype(np.int64), 0)
    part = (days / ((high - low).astype(np.int64) * per_year)).sum(axis=-1)
    return np.asarray(np.where(given[1] < given[0], -part, part))[()]


def _as_days(given: ArrayLike) -> Days:
    return np.asarray(given, dtype="datetime64[D]")


def _by_calendar(start: Days, end: Days, _: Days | None) -> NDArray[np.int64]:
    return np.asarray((end - start).astype(np.int64))


def _actual_actual(start: Days, end: Days) -> Floats:
    """Days in leap years over 366, all others over 365; whole years counted apart, so that no digit is lost."""

    def within(days: Days) -> tuple[NDArray[np.int64], NDArray[np.int64], NDArray[np.int64]]:
        year = days.astype("datetime64[Y]")
        begin, following = year.astype("datetime64[D]"), (year + 1).astype("datetime64[D]")
        return year.astype(np.int64), (days - begin).astype(np.int64), (following - begin).astype(np.int64)

    (y1, d1, n1), (y2, d2, n2) = within(start), within(end)
    apart = (n1 - d1) / n1 + (y2 - y1 - 1) + d2 / n2
    return np.asarray(np.where(y1 == y2, (d2 - d1) / n1, apart))


def _thirty(start: Days, end: Days, d1: NDArray[np.int64], d2: NDArray[np.int64]) -> NDArray[np.int64]:
    (y1, m1, _), (y2, m2, _) = parts(start), parts(end)
    return np.asarray(360 * (y2 - y1) + 30 * (m2 - m1) + (d2 - d1))


def _bond_basis(start: Days, end: Days, _: Days | None) -> NDArray[np.int64]:
    d1, d2 = parts(start)[2], parts(end)[2]
    d1 = np.minimum(d1, 30)
    return _thirty(start, end, d1, np.where((d2 == 31) & (d1 == 30), 30, d2))


def _eurobond(start: Days, end: Days, _: Days | None) -> NDArray[np.int64]:
    return _thirty(start, end, np.minimum(parts(start)[2], 30), np.minimum(parts(end)[2], 30))


def _eurobond_isda(start: Days, end: Days, termination: Days | None) -> NDArray[np.int64]:
    """Ends of February count as the 30th, but for the termination date."""

    def day(days: Days) -> tuple[NDArray[np.int64], NDArray[np.bool_]]:
        _, month, number = parts(days)
        return number, np.asarray((month == 2) & (number == days_in_month(days)))

    (d1, end1), (d2, end2) = day(start), day(end)
    if termination is not None:
        end2 = end2 & (end != termination)
    return _thirty(start, end, np.where(end1 | (d1 == 31), 30, d1), np.where(end2 | (d2 == 31), 30, d2))


@dataclass(frozen=True, slots=True)
class DayCount:
    """A day count: how it counts days, and over how many a year; without a basis it knows years of their own length."""

    basis: float | None
    days: Callable[[Days, Days, Days | None], NDArray[np.int64]] = _by_calendar
    for_loans: bool = False
    """Whether lenders charge interest by it."""


DAY_COUNTS: dict[str, DayCount] = {
    "actual/360": DayCount(360.0, for_loans=True),
    "actual/365": DayCount(365.0, for_loans=True),
    "actual/actual": DayCount(None),
    "30/360": DayCount(360.0, _bond_basis, for_loans=True),
    "30E/360": DayCount(360.0, _eurobond, for_loans=True),
    "30E/360 ISDA": DayCount(360.0, _eurobond_isda),
}
"""Day counts by their name; actual/actual by coupon periods stands apart, because it needs the periods."""

"""Calendar steps: the same day of later months, and business days. Arrays of NumPy days in, arrays out."""

from __future__ import annotations

from typing import Literal, TypeAlias, get_args

import numpy as np
from numpy.typing import ArrayLike, NDArray

from pennyweight.errors import choice

__all__ = [
    "DATED",
    "Days",
    "Roll",
    "add_months",
    "adjusted",
    "days_in_month",
    "due_days",
    "months_between",
    "parts",
    "same_day",
]

DATED = (1, 2, 3, 4, 6, 12, 13, 24, 26, 52)
"""How often a year due days can be counted out."""

Days: TypeAlias = NDArray[np.datetime64]
Roll = Literal["none", "following", "modified following", "preceding", "modified preceding"]

_RULES = {name: name.replace("modified ", "modified") for name in get_args(Roll)}


def add_months(start: ArrayLike, months: ArrayLike) -> Days:
    """Return the same day of the month that many months on; a day past a month's end is that month's last.

    The day returns: 31 January, 28 February, 31 March. Shapes broadcast.

    >>> add_months(np.datetime64("2027-01-31"), np.array([1, 2])).astype(str).tolist()
    ['2027-02-28', '2027-03-31']
    """
    day = np.asarray(start, dtype="datetime64[D]")
    return same_day(day, months, (day - day.astype("datetime64[M]").astype("datetime64[D]")).astype(np.int64) + 1)


def months_between(start: ArrayLike, end: ArrayLike) -> NDArray[np.float64]:
    """Return the months from one day to another: whole ones, then the days left over the days of the month begun.

    Below zero when `end` comes first. Shapes broadcast.

    >>> months_between(np.datetime64("2027-01-31"), np.datetime64("2027-03-15")).round(3).tolist()
    1.484
    """
    first, last = np.broadcast_arrays(np.asarray(start, "datetime64[D]"), np.asarray(end, "datetime64[D]"))
    first, last, sign = np.minimum(first, last), np.maximum(first, last), np.where(last < first, -1.0, 1.0)
    whole = (last.astype("datetime64[M]") - first.astype("datetime64[M]")).astype(np.int64)
    whole = whole - (add_months(first, whole) > last)
    reached, following = add_months(first, whole), add_months(first, whole + 1)
    left = (last - reached).astype(np.float64) / (following - reached).astype(np.float64)
    return np.asarray(sign * (whole + left))


def same_day(start: ArrayLike, months: ArrayLike, day: ArrayLike) -> Days:
    """Return a day of the month (1 to 31) that many months on from the month of `start`; past its end, its last.

    >>> same_day(np.datetime64("2027-02-28"), np.array([-6, 6]), 31).astype(str).tolist()
    ['2026-08-31', '2027-08-31']
    """
    month = np.asarray(start, dtype="datetime64[M]") + np.asarray(months, dtype=np.int64).astype("timedelta64[M]")
    last = days_in_month(month.astype("datetime64[D]"))
    moved: Days = month.astype("datetime64[D]") + (np.minimum(day, last) - 1).astype("timedelta64[D]")
    return moved


def due_days(first: np.datetime64, per_year: int, steps: ArrayLike) -> Days:
    """Return the due day so many `steps` after the first (below zero: before it), `per_year` (one of DATED) a year.

    By the month where a year divides so; every 1, 2 or 4 weeks for 52, 26 and 13; for 24 the day and the one 15 days
    off it, twice each month.

    >>> due_days(np.datetime64("2027-01-31"), 12, np.array([0, 1, 2])).astype(str).tolist()
    ['2027-01-31', '2027-02-28', '2027-03-31']
    """
    k = np.asarray(steps, dtype=np.int64)
    if 364 % per_year == 0 and 12 % per_year:
        return np.asarray(first + k * (364 // per_year))
    if per_year != 24:
        return add_months(first, k * (12 // per_year))
    late = int(parts(first)[2]) > 15
    own = add_months(first, k // 2)
    # The other day lies 15 days off in the same month: the 1st and the 16th, the 15th and the 30th.
    month = own.astype("datetime64[M]") + (1 if late else 0)
    day = int(parts(first)[2]) + (-15 if late else 15)
    other = month.astype("datetime64[D]") + (np.minimum(day, days_in_month(month.astype("datetime64[D]"))) - 1)
    return np.where(k % 2 == 0, own, other)


def days_in_month(days: ArrayLike) -> NDArray[np.int64]:
    """Return how many days the month of each day has.

    >>> days_in_month(np.array(["2028-02-10"], dtype="datetime64[D]")).tolist()
    [29]
    """
    month = np.asarray(days, dtype="datetime64[D]").astype("datetime64[M]")
    length = (month + 1).astype("datetime64[D]") - month.astype("datetime64[D]")
    return np.asarray(length.astype(np.int64))


def parts(days: ArrayLike) -> tuple[NDArray[np.int64], NDArray[np.int64], NDArray[np.int64]]:
    """Return (year, month, day) of each day.

    >>> [int(part) for part in parts(np.datetime64("2027-03-09"))]
    [2027, 3, 9]
    """
    day = np.asarray(days, dtype="datetime64[D]")
    month = day.astype("datetime64[M]")
    number = month.astype(np.int64)
    return number // 12 + 1970, number % 12 + 1, (day - month.astype("datetime64[D]")).astype(np.int64) + 1


def adjusted(days: ArrayLike, roll: Roll, holidays: ArrayLike = ()) -> Days:
    """Return the days moved to business days (Monday to Friday but for `holidays`) by a rule.

    "modified" turns round where the move would leave the month.

    >>> str(adjusted(np.datetime64("2027-01-31"), "modified following"))
    '2027-01-29'
    """
    given = np.asarray(days, dtype="datetime64[D]")
    if choice(roll, get_args(Roll), "roll") == "none":
        return given
    free = np.asarray(holidays, dtype="datetime64[D]")
    moved = np.busday_offset(given, 0, roll=_RULES[roll], holidays=free)
    return np.asarray(moved)

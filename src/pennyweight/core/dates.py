"""Calendar steps: the same day of later months, and business days. Arrays of NumPy days in, arrays out."""

from __future__ import annotations

from typing import Literal, TypeAlias, get_args

import numpy as np
from numpy.typing import ArrayLike, NDArray

__all__ = ["Days", "Roll", "add_months", "adjusted", "days_in_month", "parts"]

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
    first = day.astype("datetime64[M]")
    offset = (day - first.astype("datetime64[D]")).astype(np.int64)
    month = first + np.asarray(months, dtype=np.int64).astype("timedelta64[M]")
    last = days_in_month(month.astype("datetime64[D]")) - 1
    moved: Days = month.astype("datetime64[D]") + np.minimum(offset, last).astype("timedelta64[D]")
    return moved


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
    if roll == "none":
        return given
    free = np.asarray(holidays, dtype="datetime64[D]")
    moved = np.busday_offset(given, 0, roll=_RULES[roll], holidays=free)
    return np.asarray(moved)

"""Dates as they are written, and the calendar steps of a timeline. All dates are NumPy days."""

from __future__ import annotations

import datetime as dt
import re

import numpy as np
from numpy.typing import NDArray

from pennyweight.errors import InputError

__all__ = ["Days", "add_months", "read_date"]

Days = NDArray[np.datetime64]

_ISO = re.compile(r"(\d{4})-(\d{2})-(\d{2})")


def read_date(given: str | dt.date | np.datetime64, *, what: str = "the date") -> np.datetime64:
    """Read a date written 2027-02-01; other orders are refused, because 03/04 may be two days.

    >>> str(read_date("2027-02-01"))
    '2027-02-01'
    """
    if isinstance(given, np.datetime64):
        given = given.astype("datetime64[D]").astype(dt.date)
    if isinstance(given, dt.datetime):
        given = given.date()
    text = given.isoformat() if isinstance(given, dt.date) else str(given).strip()
    match = _ISO.fullmatch(text)
    if not match:
        raise InputError(f"{what} is '{text}'; write dates as 2027-02-01 (year, month, day).")
    try:
        day = dt.date(int(match[1]), int(match[2]), int(match[3]))
    except ValueError:
        raise InputError(f"{what} is '{text}', a day that does not exist.") from None
    return np.datetime64(day, "D")


def add_months(start: np.datetime64, months: NDArray[np.int64]) -> Days:
    """Return the same day of the month that many months on; a day past a month's end is its last day.

    >>> add_months(np.datetime64("2027-01-31"), np.array([1, 2])).astype(str).tolist()
    ['2027-02-28', '2027-03-31']
    """
    first = start.astype("datetime64[M]")
    offset = (start - first.astype("datetime64[D]")).astype(np.int64)
    month = first + months.astype("timedelta64[M]")
    last = (month + 1).astype("datetime64[D]") - month.astype("datetime64[D]") - np.timedelta64(1, "D")
    days: Days = month.astype("datetime64[D]") + np.minimum(offset, last.astype(np.int64)).astype("timedelta64[D]")
    return days

"""Dates as they are written, and the calendar steps of a timeline. All dates are NumPy days."""

from __future__ import annotations

import datetime as dt
import re
from collections.abc import Sequence
from typing import get_args

import numpy as np

from pennyweight.core.dates import Days, Roll, add_months, adjusted
from pennyweight.core.daycount import DAY_COUNTS
from pennyweight.errors import InputError, nearest

__all__ = ["Days", "add_months", "payment_dates", "read_date", "read_day_count"]

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


def read_day_count(name: str) -> str:
    """Return the name of a day count as it is kept, however it was written; InputError when nobody knows it.

    >>> read_day_count("Act/365"), read_day_count("30e/360")
    ('actual/365', '30E/360')
    """
    plain = name.strip().lower().replace("act/", "actual/").replace("/act", "/actual").replace("actualual", "actual")
    known = {key.lower(): key for key in DAY_COUNTS}
    if plain not in known:
        raise InputError(
            f"The day count '{name}' is not known{nearest(plain, known) or '.'} Known are {', '.join(DAY_COUNTS)}."
        )
    return known[plain]


def payment_dates(
    start: str | dt.date | np.datetime64,
    *,
    count: int,
    per_year: int = 12,
    roll: Roll = "none",
    holidays: Sequence[str | dt.date | np.datetime64] = (),
) -> Days:
    """Return `count` dates, `per_year` a year (a divisor of 12), the first on `start`.

    A day past a month's end is that month's last, and returns after it: 31 January, 29 February, 31 March. `roll` moves
    them to business days: Monday to Friday but for the holidays.

    >>> payment_dates("2028-01-31", count=3).astype(str).tolist()
    ['2028-01-31', '2028-02-29', '2028-03-31']
    """
    if per_year not in (1, 2, 3, 4, 6, 12):
        raise InputError(f"per_year is {per_year}; dates by the month come 1, 2, 3, 4, 6 or 12 times a year.")
    if not 0 <= count <= 100_000:
        raise InputError(f"count is {count}; it runs from 0 to 100,000.")
    if roll not in get_args(Roll):
        raise InputError(
            f"roll is '{roll}'{nearest(str(roll), get_args(Roll)) or '.'} Known are {', '.join(get_args(Roll))}."
        )
    free = np.array([read_date(day, what="a holiday") for day in holidays], dtype="datetime64[D]")
    dates = add_months(read_date(start, what="start"), np.arange(count) * (12 // per_year))
    return adjusted(dates, roll, free)

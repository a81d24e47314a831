"""Dates as they are written, and the calendar steps of a timeline. All dates are NumPy days."""

from __future__ import annotations

import datetime as dt
import re
from collections.abc import Sequence
from typing import Any, get_args

import numpy as np

from pennyweight.core.dates import Days, Roll, add_months, adjusted
from pennyweight.core.daycount import DAY_COUNTS
from pennyweight.errors import InputError, choice, nearest, within
from pennyweight.quantities.argument_checks import a_list
from pennyweight.quantities.numbers import whole

__all__ = ["Days", "add_months", "is_date", "payment_dates", "read_date", "read_dates", "read_day_count"]

_ISO = re.compile(r"([0-9]{4})-([0-9]{2})-([0-9]{2})")
_FIRST, _LAST = np.datetime64("0001-01-01", "D"), np.datetime64("9999-12-31", "D")


def read_date(given: object, *, what: str = "the date") -> np.datetime64:
    """Read a date written 2027-02-01; other orders are refused, because 03/04 may be two days.

    A date, a time or a NumPy day of a program is taken as its day.

    >>> str(read_date("2027-02-01"))
    '2027-02-01'
    """
    if isinstance(given, np.ndarray) and given.ndim == 0:
        given = given[()]
    if isinstance(given, np.datetime64):
        day: np.datetime64 = given.astype("datetime64[D]")
        if not _FIRST <= day <= _LAST:  # a day that is missing is neither
            raise InputError(
                f"{what} is {'missing' if np.isnat(day) else day}; dates run from year 1 to 9999.", at=what
            )
        return day
    if given is None or type(given).__name__ == "NaTType":
        raise InputError(f"{what} is missing; write dates as 2027-02-01 (year, month, day).", at=what)
    if isinstance(given, dt.datetime):
        given = given.date()
    if isinstance(given, dt.date):
        return np.datetime64(given, "D")
    text = given.strip() if isinstance(given, str) else ""
    match = _ISO.fullmatch(text)
    if not match:
        shown = f"'{given}'" if isinstance(given, str) else repr(given)
        raise InputError(f"{what} is {shown}; write dates as 2027-02-01 (year, month, day).", at=what)
    try:
        return np.datetime64(dt.date(int(match[1]), int(match[2]), int(match[3])), "D")
    except ValueError:
        raise InputError(f"{what} is '{text}', a day that does not exist.", at=what) from None


def is_date(text: str) -> bool:
    """Whether a text is written as a date, whether or not there is such a day.

    >>> is_date("2027-02-01"), is_date("3")
    (True, False)
    """
    return _ISO.fullmatch(text.strip()) is not None


def read_dates(given: Any, *, what: str = "date") -> Days:
    """Read many dates, (n,); a million of them in a second. `what` names one, with its number, in an error.

    >>> read_dates(["2027-02-01", "2027-03-01"]).astype(str).tolist()
    ['2027-02-01', '2027-03-01']
    """
    if not (isinstance(given, np.ndarray) and given.ndim == 1):
        listed = a_list(given, what="The list of dates", of="days, such as ['2027-02-01', '2027-03-01']")
        given = given.to_numpy() if hasattr(given, "to_numpy") else listed
    quick = _quick(given)
    if quick is not None:
        return quick
    return np.array(
        [read_date(day, what=within(what, f" {place}")) for place, day in enumerate(given, 1)], dtype="datetime64[D]"
    )


def _quick(given: Any) -> Days | None:
    """All at once, where nothing is wrong with any of them."""
    if not isinstance(given, np.ndarray):
        kinds = set(map(type, given))
        if kinds != {str} and not kinds <= {dt.date, np.datetime64}:
            return None
        try:
            given = np.array(given) if kinds == {str} else np.array(given, dtype="datetime64[D]")
        except (TypeError, ValueError, OverflowError):
            return None
    if given.ndim != 1 or not given.size:
        return None
    if given.dtype.kind == "U":
        if given.dtype.itemsize != 40:
            return None
        marks = given.view(np.uint32).reshape(-1, 10) if given.flags.c_contiguous else None
        if marks is None or not (marks[:, [4, 7]] == ord("-")).all():
            return None
        digits = marks[:, [0, 1, 2, 3, 5, 6, 8, 9]]
        if not ((digits >= ord("0")) & (digits <= ord("9"))).all():
            return None
    elif given.dtype.kind != "M":
        return None
    try:
        days: Days = given.astype("datetime64[D]")
    except (ValueError, OverflowError):
        return None
    return days if bool(((days >= _FIRST) & (days <= _LAST)).all()) else None


def read_day_count(name: object) -> str:
    """Return the name of a day count as it is kept, however it was written; InputError when nobody knows it.

    >>> read_day_count("Act/365"), read_day_count("30e/360")
    ('actual/365', '30E/360')
    """
    if not isinstance(name, str):
        raise InputError(f"The day count is {name!r}; it must be one of {', '.join(DAY_COUNTS)}.")
    plain = name.strip().lower().replace("act/", "actual/").replace("/act", "/actual").replace("actualual", "actual")
    known = {key.lower(): key for key in DAY_COUNTS}
    if plain not in known:
        raise InputError(
            f"The day count '{name}' is not known{nearest(plain, known) or '.'} It must be one of "
            f"{', '.join(DAY_COUNTS)}."
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

    Parameters
    ----------
    start : str | dt.date | day
        The first day.
    count : int
        How many days.
    per_year : int, default 12
        How often a year.
    roll : Roll, default 'none'
        What becomes of a day that is no business day.
    holidays : Sequence[str | dt.date | day], optional
        Days on which nothing is paid.

    Returns
    -------
    Days
        `count` dates, `per_year` a year (a divisor of 12), the first on `start`.

    Raises
    ------
    InputError
        Something given cannot be right; the message names it and says what would be.

    Notes
    -----
    A day past a month's end is that month's last, and returns after it: 31 January, 29 February, 31 March. `roll`
    moves them to business days: Monday to Friday but for the holidays.

    Examples
    --------
    >>> payment_dates("2028-01-31", count=3).astype(str).tolist()
    ['2028-01-31', '2028-02-29', '2028-03-31']
    """
    often = whole(per_year, what="per_year", least=1, most=12)
    if often not in (1, 2, 3, 4, 6, 12):
        raise InputError(
            f"per_year is {per_year}; dates by the month come 1, 2, 3, 4, 6 or 12 times a year.", at="per_year"
        )
    number = whole(count, what="count", least=0, most=100_000)
    choice(roll, get_args(Roll), "roll")
    listed = a_list(holidays, what="holidays", of="days")
    free = read_dates(listed, what="holiday") if listed else np.empty(0, "datetime64[D]")
    first = read_date(start, what="start")
    if int(first.astype("datetime64[Y]").astype(np.int64)) + 1970 + number // often > 9_990:
        raise InputError(f"{number:,} dates from {first} on run beyond the year 9999.")
    dates = add_months(first, np.arange(number) * (12 // often))
    return adjusted(dates, roll, free)

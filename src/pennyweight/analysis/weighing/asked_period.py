"""A period of a deal as an asker gives it."""

from __future__ import annotations

import datetime as dt
from math import isfinite

import numpy as np

from pennyweight.deals.definition import Definition
from pennyweight.errors import InputError
from pennyweight.quantities.dates import is_date, read_date
from pennyweight.quantities.numbers import as_float, is_whole_text

__all__ = ["read_period"]


def read_period(deal: Definition, given: object, what: str, *, first_of_year: bool) -> int:
    """A period as an asker gives it: a number, a day, or "year 3" (its first period, or its last)."""
    time = deal.timeline
    if (isinstance(given, str) and is_date(given)) or isinstance(given, dt.date):
        day = read_date(given, what=what)
        if time.dates is None:
            raise InputError(f"{what} is the day {day}, and the periods have no dates; write a period.", at=what)
        if not time.dates[0] <= day <= time.dates[-1]:
            raise InputError(f"{what} is {day}; the timeline runs from {time.dates[0]} to {time.dates[-1]}.", at=what)
        return int(np.searchsorted(time.dates, day))
    text = given.strip() if isinstance(given, str) else given
    year = text[5:] if isinstance(text, str) and text.startswith("year ") else None
    number = as_float(text if year is None else year) if not isinstance(text, bool) else None
    if isinstance(text, str) and number is None:
        digits = (year if year is not None else text).strip()
        number = float(digits) if is_whole_text(digits) and len(digits) < 8 else None
    if number is not None and year is not None:
        number = max((number - 1) * time.per_year + 1, 0.0) if first_of_year and number else number * time.per_year
    if number is None or not isfinite(number) or number != round(number) or not 0 <= number <= time.periods:
        raise InputError(
            f"{what} is {given!r}; it must be a period from 0 to {time.periods}, a day, or one such as 'year 3'.",
            at=what,
        )
    return int(number)

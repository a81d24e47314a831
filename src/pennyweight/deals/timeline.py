"""The timeline of a deal: period 0 is its day, 1…periods are the ends of the periods."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from pennyweight.quantities.dates import Days, add_months
from pennyweight.quantities.periods import PER_YEAR

__all__ = ["LONGEST", "Timeline"]

_MONTHS = (
    *("January", "February", "March", "April", "May", "June"),
    *("July", "August", "September", "October", "November", "December"),
)
_DECEMBER = 11
LONGEST = 12_000
"""The most periods a timeline may have: a thousand years of months."""


@dataclass(frozen=True)
class Timeline:
    """How long the deal runs, in which steps, and from which day."""

    period: str = "year"
    periods: int = 10
    start: np.datetime64 | None = None

    @property
    def per_year(self) -> int:
        """Periods in a year."""
        return PER_YEAR[self.period]

    @property
    def rows(self) -> int:
        """Periods 0…end, counted."""
        return self.periods + 1

    @cached_property
    def t(self) -> NDArray[np.float64]:
        """The periods, (rows, 1)."""
        return np.arange(self.rows, dtype=np.float64)[:, None]

    @cached_property
    def year(self) -> NDArray[np.float64]:
        """The year each period lies in: 0, then 1…, (rows, 1)."""
        return np.ceil(self.t / self.per_year)

    @cached_property
    def years(self) -> NDArray[np.float64]:
        """The time of each period in years, (rows,)."""
        return self.t[:, 0] / self.per_year

    def named(self, t: int) -> str:
        """A period in words, with the month it ends in where the periods are those of a calendar.

        >>> Timeline("month", 24, np.datetime64("2026-12-31")).named(13), Timeline("year", 9).named(3)
        ('month 13, January 2028', 'year 3')
        >>> Timeline("year", 9, np.datetime64("2027-01-01")).named(3)
        'year 3, 2029'
        """
        if not t:
            return "the start"
        counted = f"{self.period} {t}"
        if self.start is None or self.dates is None:
            return counted
        begins, ends = (
            day == day.astype("datetime64[M]").astype("datetime64[D]") for day in (self.start, self.start + 1)
        )
        if not (begins or ends):  # a month from the 15th on is no month of the calendar
            return counted
        month = (self.dates[t] - np.timedelta64(int(begins), "D")).astype("datetime64[M]")
        number, year = int(month.astype(np.int64)) % 12, month.astype("datetime64[Y]")
        if self.period == "year" and number == _DECEMBER:
            return f"{counted}, {year}"
        return f"{counted}, {'' if self.period == 'month' else 'to '}{_MONTHS[number]} {year}"

    def within(self, t: int) -> str:
        """The same after what happens in it.

        >>> Timeline("year", 9).within(0), Timeline("year", 9).within(2)
        ('at the start', 'in year 2')
        """
        return f"{'in' if t else 'at'} {self.named(t)}"

    @cached_property
    def dates(self) -> Days | None:
        """The day each period ends on, when the deal has a start."""
        if self.start is None:
            return None
        months = np.arange(self.rows, dtype=np.int64) * (12 // self.per_year)
        return add_months(self.start, months)

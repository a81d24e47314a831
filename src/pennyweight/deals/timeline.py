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
        """A period in words: with the month it is, where its days are those of one, else with its last day.

        >>> Timeline("month", 24, np.datetime64("2026-12-31")).named(13), Timeline("year", 9).named(3)
        ('month 13, January 2028', 'year 3')
        """
        counted = f"{self.period} {t}" if t else "the start"
        if self.dates is None:
            return counted
        day, before = self.dates[t], self.dates[max(t - 1, 0)]
        ends = all(one + 1 == (one + 1).astype("datetime64[M]").astype("datetime64[D]") for one in (day, before))
        if not t or not ends or self.period != "month":
            return f"{counted}, {day if not t else f'to {day}'}"
        return f"{counted}, {_MONTHS[day.astype('datetime64[M]').astype(int) % 12]} {day.astype('datetime64[Y]')}"

    @cached_property
    def dates(self) -> Days | None:
        """The day each period ends on, when the deal has a start."""
        if self.start is None:
            return None
        months = np.arange(self.rows, dtype=np.int64) * (12 // self.per_year)
        return add_months(self.start, months)

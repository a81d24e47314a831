"""The due days of a loan."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from pennyweight.core.dates import Days, due_days

__all__ = ["Calendar"]

_TABLE = 1_200


@dataclass(frozen=True, slots=True)
class Calendar:
    """The due days: the day of drawdown, then one a payment, counted from `anchor`, the due day of payment `base`."""

    start: np.datetime64
    anchor: np.datetime64
    base: int
    per_year: int

    def due(self, number: int) -> np.datetime64:
        """The due day of a payment; 0 is the drawdown."""
        if number < 1:
            return self.start
        if number > _TABLE:
            return self.regular(number)
        day: np.datetime64 = _first_days(self)[number - 1]
        return day

    def regular(self, number: int) -> np.datetime64:
        """The due day of a payment, those before the first counted back."""
        return np.datetime64(np.asarray(due_days(self.anchor, self.per_year, number - self.base)).item(), "D")

    @property
    def first(self) -> np.datetime64:
        """The first due day."""
        return self.due(1)

    def days(self, count: int) -> Days:
        """The due days of the first `count` payments."""
        return due_days(self.anchor, self.per_year, np.arange(1, count + 1) - self.base)

    def number(self, day: np.datetime64) -> int:
        """The payment whose due day is the first on or after a day."""
        if day <= self.first:
            return 1
        if day <= self.due(_TABLE):
            return int(np.searchsorted(_first_days(self), day)) + 1
        days = int((day - self.first).astype(np.int64))
        number = max(_TABLE, int(days * self.per_year / 366) - 1)
        while self.due(number) < day:
            number += 1
        return number

    def numbers(self, days: Days, most: int) -> tuple[NDArray[np.int64], NDArray[np.bool_]]:
        """(for each of many days the payment due on it or next, whether it is that due day); up to payment `most`."""
        table = self.days(most + 1)
        found = np.minimum(np.searchsorted(table, days), most)
        return found + 1, table[found] == days

    def made_by(self, day: np.datetime64) -> int:
        """How many due days lie on or before a day."""
        number = self.number(day)
        return number if self.due(number) == day else number - 1


@lru_cache(maxsize=64)
def _first_days(calendar: Calendar) -> Days:
    """The first due days, looked up again and again when events are placed."""
    return calendar.days(_TABLE)

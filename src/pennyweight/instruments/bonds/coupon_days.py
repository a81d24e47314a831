"""The days of a bond's coupons, regular and irregular, and which part of a period has gone by on a day."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from pennyweight.array_kinds import Floats
from pennyweight.core.dates import Days, parts, same_day
from pennyweight.core.daycount import icma_by_periods, year_fraction
from pennyweight.described import Described
from pennyweight.errors import InputError

__all__ = ["ICMA", "CouponDays", "Coupons"]


ICMA = "actual/actual ICMA"


@dataclass(frozen=True, slots=True)
class CouponDays:
    """Coupon days counted back from maturity, or from the last regular coupon when the last period is irregular."""

    maturity: np.datetime64 | None
    """None of a perpetual bond."""
    per_year: int
    day_count: str
    issued: np.datetime64 | None
    first_coupon: np.datetime64 | None
    last_coupon: np.datetime64 | None
    end_of_month: bool

    def check(self) -> None:
        """Refuse coupon days that do not fit together."""
        if self.end_of_month and (parts(self.anchor + 1)[2] != 1 or not self.per_year):
            raise InputError(
                f"end_of_month needs coupon days on the last day of a month, but {self.anchor} is not one.",
                at="end_of_month",
            )
        first = self.first_coupon
        if first is None or first == self.maturity:
            return
        number = self.next_regular(first - np.timedelta64(1, "D"))
        if self.regular(number) != first:
            around = f"{self.regular(number - 1)} and {self.regular(number)}"
            raise InputError(
                f"first_coupon is {first}, but coupon days counted from {self.anchor} fall on {around}; "
                "choose one of them, or give last_coupon when the last period is irregular.",
                at="first_coupon",
            )

    @property
    def anchor(self) -> np.datetime64:
        """A day of the regular schedule."""
        anchor = self.last_coupon or self.maturity or self.first_coupon or self.issued
        assert anchor is not None
        return anchor

    def regular_days(self, numbers: NDArray[np.int64]) -> Days:
        """The regular coupon days so many periods from the anchor."""
        anchor = self.anchor
        day = 31 if self.end_of_month else int(parts(anchor)[2])
        return same_day(anchor, numbers * (12 // self.per_year), day)

    def regular(self, number: int) -> np.datetime64:
        """The regular coupon day so many periods from the anchor."""
        return np.datetime64(self.regular_days(np.array([number]))[0], "D")

    def next_regular(self, day: np.datetime64) -> int:
        """The number of the first regular coupon day after a day."""
        gap = int((day - self.anchor).astype(np.int64))
        number = int(np.floor(gap / (365.2425 / self.per_year))) - 1
        while self.regular(number) <= day:
            number += 1
        return number

    def first_date(self) -> np.datetime64 | None:
        """The end of the first period; None when nobody said when interest begins."""
        if self.issued is None:
            return None
        if self.first_coupon is not None:
            return self.first_coupon
        if self.last_coupon is not None and self.issued >= self.last_coupon:
            return self.maturity
        return self.regular(self.next_regular(self.issued))

    def dates_after(self, day: np.datetime64) -> Days:
        """The coupon days after a day, maturity the last; of a perpetual bond ten."""
        first = self.first_date()
        number = self.next_regular(day if first is None or day >= first else first - np.timedelta64(1, "D"))
        days = self.regular_days(number + np.arange(10 if self.maturity is None else max(-number + 1, 0)))
        if self.last_coupon is not None or not days.size:
            days = np.append(days, np.array([self.maturity], dtype="datetime64[D]"))
        return days

    def period_around(self, day: np.datetime64) -> tuple[np.datetime64, np.datetime64]:
        """The coupon period a day lies in, the irregular first and last ones included."""
        first = self.first_date()
        if first is not None and day < first and self.issued is not None:
            return self.issued, first
        if self.last_coupon is not None and day >= self.last_coupon and self.maturity is not None:
            return self.last_coupon, self.maturity
        number = self.next_regular(day)
        return self.regular(number - 1), self.regular(number)

    def _is_regular(self, start: np.datetime64, end: np.datetime64) -> bool:
        number = self.next_regular(start)
        return bool(self.regular(number - 1) == start and self.regular(number) == end)

    @property
    def _by_thirty(self) -> bool:
        return self.day_count.startswith("30")

    def _icma(self, start: np.datetime64, end: np.datetime64) -> float:
        """The part of a year by coupon periods, those of the regular schedule or notional ones on it."""
        low, high = self.next_regular(start) - 1, self.next_regular(end)
        return float(icma_by_periods(start, end, self.regular_days(np.arange(low, high + 1)), self.per_year))

    def share(self, start: np.datetime64, end: np.datetime64) -> float:
        """The part of a year a coupon is paid for."""
        if self._is_regular(start, end):
            return 1 / self.per_year
        if self.day_count == ICMA:
            return self._icma(start, end)
        return float(year_fraction(start, end, self.day_count, termination=self.maturity))

    def elapsed(self, start: np.datetime64, day: np.datetime64, end: np.datetime64) -> float:
        """The part of a year from the period's start to a day in it."""
        if self.day_count == ICMA:
            return self._icma(start, day)
        part = float(year_fraction(start, day, self.day_count, termination=self.maturity))
        return min(part, self.share(start, end)) if self._by_thirty else part

    def wait(self, start: np.datetime64, day: np.datetime64, end: np.datetime64) -> float:
        """Coupon periods from a day to the end of its period: by months of thirty days, else by actual days."""
        if self._by_thirty:
            return (self.share(start, end) - self.elapsed(start, day, end)) * self.per_year
        return (self._icma(start, end) - self._icma(start, day)) * self.per_year


@dataclass(frozen=True, eq=False, repr=False)
class Coupons(Described):
    """What is still to come after a settlement day, per 100 of face.

    Examples
    --------
    >>> from pennyweight import Bond
    >>> Bond("4%", "2028-06-15").coupons("2027-01-10").dates.astype(str).tolist()
    ['2027-06-15', '2027-12-15', '2028-06-15']
    """

    dates: Days
    coupons: Floats
    redemption: Floats
    times: Floats
    """Periods from settlement to each payment."""

    @property
    def wait(self) -> float:
        """Periods from settlement to the next payment."""
        return float(self.times[0])

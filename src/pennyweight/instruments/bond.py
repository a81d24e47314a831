"""A bond: price from yield and yield from price on any day, accrued interest, duration, convexity."""

from __future__ import annotations

import datetime as dt
from dataclasses import dataclass
from functools import cached_property
from itertools import pairwise
from typing import Literal, NamedTuple

import numpy as np

from pennyweight.core import bonds
from pennyweight.core.dates import Days, add_months
from pennyweight.core.daycount import actual_actual_icma, year_fraction
from pennyweight.errors import InputError, NoAnswer
from pennyweight.instruments.bond_report import BondReport
from pennyweight.quantities.amounts import read_amount
from pennyweight.quantities.dates import read_date, read_day_count
from pennyweight.quantities.rates import read_rate

__all__ = ["Bond", "Coupons"]

Date = str | dt.date | np.datetime64
First = Literal["compound", "simple"]

ICMA = "actual/actual ICMA"
_FREQUENCIES = (0, 1, 2, 4, 12)


class Coupons(NamedTuple):
    """What is still to come after a settlement day, per 100 of face."""

    dates: Days
    coupons: np.ndarray[tuple[int], np.dtype[np.float64]]
    redemption: np.ndarray[tuple[int], np.dtype[np.float64]]
    wait: float
    """Periods from settlement to the next payment."""


@dataclass(frozen=True)
class Bond:
    """A bond with level coupons; all prices are per 100 of face.

    Args:
        coupon: the yearly coupon as a rate of face ("4%"); 0 for a bill or a zero bond.
        maturity: the day the face is paid, or "perpetual".
        per_year: coupons a year: 0, 1, 2, 4 or 12; left out: 2, or 0 without a coupon. The yield is quoted to
            compound as often; once a year without coupons.
        day_count: of the accrued interest; actual/actual by coupon periods (ICMA) unless said otherwise.
        issued: the day interest begins; needed for a short or long first period, and for a perpetual bond.
        first_coupon: the first coupon's day, when it is not the first regular one after `issued`.
        redemption: what is paid back at maturity.

    Raises InputError for dates in the wrong order and terms that cannot be.

    >>> bond = Bond("5%", "2030-01-15", per_year=1)
    >>> round(bond.price("5%", "2026-01-15"), 9)
    100.0
    """

    coupon: str | float
    maturity: Date
    per_year: int = -1
    day_count: str = ICMA
    issued: Date | None = None
    first_coupon: Date | None = None
    redemption: float = 100.0

    def __post_init__(self) -> None:
        if self.per_year == -1:
            object.__setattr__(self, "per_year", 2 if self._rate else 0)
        if self.per_year not in _FREQUENCIES:
            raise InputError(f"per_year is {self.per_year}; coupons come 0, 1, 2, 4 or 12 times a year.")
        if self._rate < 0:
            raise InputError(f"The coupon is {self.coupon}; it is 0 or more.")
        if bool(self._rate) != bool(self.per_year):
            raise InputError(
                f"A coupon of {self.coupon} paid {self.per_year} times a year cannot be; say both or neither."
            )
        if not read_amount(self.redemption, what="redemption") > 0:
            raise InputError(f"redemption is {self.redemption}; it is above zero.")
        if self.day_count != ICMA:
            read_day_count(self.day_count)
        if self.perpetual and (self._issued is None or not self._rate):
            raise InputError("A perpetual bond needs a coupon, and 'issued' for its coupon days.")
        if self.first_coupon is not None and self._issued is None:
            raise InputError("'first_coupon' needs 'issued', the day from which its interest runs.")
        ordered = [day for day in (self._issued, self._first, self._maturity) if day is not None]
        if any(a > b or (a == b and a is not self._first) for a, b in pairwise(ordered)):
            raise InputError(
                "The dates are out of order: issued comes before the first coupon, and that before maturity."
            )

    @property
    def perpetual(self) -> bool:
        """Whether the face is never paid back."""
        return self.maturity == "perpetual"

    @cached_property
    def _rate(self) -> float:
        return read_rate(self.coupon, what="the coupon").value

    @cached_property
    def _maturity(self) -> np.datetime64 | None:
        return None if self.perpetual else read_date(self.maturity, what="maturity")

    @cached_property
    def _issued(self) -> np.datetime64 | None:
        return None if self.issued is None else read_date(self.issued, what="issued")

    @cached_property
    def _first(self) -> np.datetime64 | None:
        return None if self.first_coupon is None else read_date(self.first_coupon, what="first_coupon")

    @property
    def compounding(self) -> int:
        """How often a year the yield compounds."""
        return self.per_year or 1

    def price(self, at_yield: str | float, settlement: Date, *, first: First = "compound") -> float:
        """The clean price per 100 at a yearly yield, quoted to compound as often as coupons are paid.

        `first="simple"` discounts the broken period by simple interest.
        """
        return self.dirty(at_yield, settlement, first=first) - self.accrued(settlement)

    def dirty(self, at_yield: str | float, settlement: Date, *, first: First = "compound") -> float:
        """The price with accrued interest, which is what is paid."""
        return self._worth(self._yield(at_yield), settlement, first).value

    def yield_at(self, price: float, settlement: Date, *, first: First = "compound") -> float:
        """The yearly yield at a clean price per 100. NoAnswer when no yield gives it."""
        clean = read_amount(price, what="price")
        if not clean > 0:
            raise InputError(f"price is {price}; a price per 100 is above zero.")
        target = clean + self.accrued(settlement)
        m = self.compounding
        if self.perpetual:
            found = self._perpetual_yield(target, settlement)
        else:
            left = self.coupons(settlement)
            found = bonds.yield_for(
                left.coupons + left.redemption, left.wait, target, m, simple_first=first == "simple"
            )
        if not np.isfinite(found):
            raise NoAnswer(f"No yield gives a price of {price}.")
        return found

    def accrued(self, settlement: Date) -> float:
        """Interest per 100 that has run since the last coupon."""
        if not self._rate:
            return 0.0
        day = self._day(settlement)
        start, end = self._period_around(day)
        return 100.0 * self._rate * self._fraction(start, day, end)

    def macaulay_duration(self, at_yield: str | float, settlement: Date, *, first: First = "compound") -> float:
        """The mean time to the payments in years, weighted by their worth."""
        rate = self._yield(at_yield)
        return self.modified_duration(at_yield, settlement, first=first) * (1 + rate / self.compounding)

    def modified_duration(self, at_yield: str | float, settlement: Date, *, first: First = "compound") -> float:
        """By which part the dirty price falls when the yield rises, per unit of yield: -P' / P, in years."""
        worth = self._worth(self._yield(at_yield), settlement, first)
        return -worth.slope / worth.value

    def convexity(self, at_yield: str | float, settlement: Date, *, first: First = "compound") -> float:
        """P'' / P, in years squared."""
        worth = self._worth(self._yield(at_yield), settlement, first)
        return worth.bend / worth.value

    def current_yield(self, price: float) -> float:
        """A year's coupons over the clean price."""
        return 100.0 * self._rate / read_amount(price, what="price")

    def discount_rate(self, price: float, settlement: Date, *, day_count: str = "actual/360") -> float:
        """What is taken off the redemption, a year: (redemption - price) / redemption / time; for bills."""
        return (self.redemption - price) / self.redemption / self._bill_time(settlement, day_count)

    def simple_yield(self, price: float, settlement: Date, *, day_count: str = "actual/365") -> float:
        """What is gained on the price, a year, without compounding; for bills."""
        return (self.redemption - price) / price / self._bill_time(settlement, day_count)

    def report(
        self,
        settlement: Date,
        *,
        at_yield: str | float | None = None,
        price: float | None = None,
        first: First = "compound",
        currency: str = "",
    ) -> BondReport:
        """All figures on a day, from a yield or from a clean price, with the payments to come."""
        if (at_yield is None) == (price is None):
            raise InputError("Give either a yield or a price; the other is worked out.")
        if first not in ("compound", "simple"):
            raise InputError(f"first is '{first}'; the broken period is discounted 'compound' or 'simple'.")
        rate = self.yield_at(price, settlement, first=first) if price is not None else self._yield(at_yield or 0.0)
        return BondReport.of(self, self._day(settlement), rate, first, currency)

    def coupons(self, settlement: Date) -> Coupons:
        """The payments after a settlement day; of a perpetual bond the next ten."""
        day = self._day(settlement)
        dates = self._dates_after(day)
        m = self.per_year
        coupons = np.full(dates.size, 100.0 * self._rate / m if m else 0.0)
        if m and self._issued is not None and dates[0] == self._first_date():
            coupons[0] = 100.0 * self._rate * self._icma(self._issued, dates[0], dates[0])
        redemption = np.zeros(dates.size)
        if not self.perpetual:
            redemption[-1] = self.redemption
        return Coupons(dates, coupons, redemption, self._wait(day, dates[0]))

    # The calendar of the bond.

    def _day(self, settlement: Date) -> np.datetime64:
        day = read_date(settlement, what="settlement")
        if self._maturity is not None and day >= self._maturity:
            raise InputError(f"Settlement on {day} is not before maturity on {self._maturity}.")
        if self._issued is not None and day < self._issued:
            raise InputError(f"Settlement on {day} is before interest begins on {self._issued}.")
        return day

    def _anchor(self) -> np.datetime64:
        """A day of the regular schedule."""
        anchor = self._maturity if self._maturity is not None else self._first or self._issued
        assert anchor is not None
        return anchor

    def _regular(self, number: int) -> np.datetime64:
        """The regular coupon day `number` periods from the anchor."""
        return np.datetime64(add_months(self._anchor(), number * (12 // self.per_year)).item(), "D")

    def _next_regular(self, day: np.datetime64) -> int:
        """The number of the first regular coupon day after a day."""
        gap = int((day - self._anchor()).astype(np.int64))
        number = int(np.floor(gap / (365.2425 / self.per_year))) - 1
        while self._regular(number) <= day:
            number += 1
        return number

    def _first_date(self) -> np.datetime64 | None:
        if self._issued is None:
            return None
        return self._first if self._first is not None else self._regular(self._next_regular(self._issued))

    def _dates_after(self, day: np.datetime64) -> Days:
        if not self.per_year:
            return np.array([self._maturity], dtype="datetime64[D]")
        first = self._first_date()
        number = self._next_regular(day if first is None or day >= first else first - np.timedelta64(1, "D"))
        count = 10 if self.perpetual else -number + 1
        return add_months(self._anchor(), (number + np.arange(count)) * (12 // self.per_year))

    def _period_around(self, day: np.datetime64) -> tuple[np.datetime64, np.datetime64]:
        """The coupon period a day lies in, the irregular first one included."""
        first = self._first_date()
        if first is not None and day < first and self._issued is not None:
            return self._issued, first
        number = self._next_regular(day)
        return self._regular(number - 1), self._regular(number)

    def _icma(self, start: np.datetime64, day: np.datetime64, end: np.datetime64) -> float:
        """The part of a year from start to a day of the period that ends on `end`, by coupon periods."""
        number = self._next_regular(end - np.timedelta64(1, "D"))
        regular = (self._regular(number - 1), self._regular(number))
        return float(actual_actual_icma(start, day, regular=regular, per_year=self.per_year))

    def _fraction(self, start: np.datetime64, day: np.datetime64, end: np.datetime64) -> float:
        """The part of a year from the period's start to a day in it."""
        if self.day_count == ICMA:
            return self._icma(start, day, end)
        return float(year_fraction(start, day, read_day_count(self.day_count), termination=self._maturity))

    def _wait(self, day: np.datetime64, following: np.datetime64) -> float:
        """Periods until the next payment: by 30-day months where the day count has them, else by actual days."""
        if not self.per_year:
            return float(
                year_fraction(
                    day, following, "actual/365" if self.day_count == ICMA else read_day_count(self.day_count)
                )
            )
        if self.day_count.startswith("30"):
            name = read_day_count(self.day_count)
            return float(year_fraction(day, following, name, termination=self._maturity)) * self.per_year
        start, _ = self._period_around(day)
        return (self._icma(start, following, following) - self._icma(start, day, following)) * self.per_year

    # Worth.

    def _yield(self, given: str | float) -> float:
        rate = read_rate(given, what="the yield")
        if rate.compounding not in (None, float(self.compounding)):
            raise InputError(
                f"The yield '{given}' must compound {self.compounding} times a year, as the coupons are paid."
            )
        return rate.value

    def _worth(self, rate: float, settlement: Date, first: First) -> bonds.Worth:
        day = self._day(settlement)
        if self.perpetual:
            if rate <= 0:
                raise NoAnswer(f"At a yield of {rate:.2%} a perpetual bond has no finite price.")
            wait = self._wait(day, self._dates_after(day)[0])
            return bonds.perpetual_worth(100.0 * self._rate / self.per_year, wait, rate, self.per_year)
        left = self.coupons(day)
        simple = first == "simple"
        return bonds.worth(left.coupons + left.redemption, left.wait, rate, self.compounding, simple_first=simple)

    def _perpetual_yield(self, target: float, settlement: Date) -> float:
        low, high = 1e-9, 1e6
        for _ in range(300):
            middle = (low * high) ** 0.5
            low, high = (middle, high) if self._worth(middle, settlement, "compound").value > target else (low, middle)
        return high

    def _bill_time(self, settlement: Date, day_count: str) -> float:
        if self._rate or self.perpetual:
            raise InputError("Discount rate and simple yield are for bills, which pay no coupon.")
        return float(year_fraction(self._day(settlement), self._anchor(), read_day_count(day_count)))

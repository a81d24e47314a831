"""What a bond pays and is worth: price from yield and yield from price on any day, accrued interest, duration."""

from __future__ import annotations

import datetime as dt
from dataclasses import KW_ONLY, dataclass
from functools import cached_property
from itertools import pairwise
from typing import Literal

import numpy as np

from pennyweight.core import bonds
from pennyweight.core.brackets import turn_between
from pennyweight.core.daycount import year_fraction
from pennyweight.described import Described
from pennyweight.errors import InputError, NoAnswer, choice
from pennyweight.instruments.bonds.coupon_days import ICMA, CouponDays, Coupons
from pennyweight.quantities.amounts import read_amount
from pennyweight.quantities.dates import read_date, read_day_count
from pennyweight.quantities.numbers import LARGEST, as_float
from pennyweight.quantities.rates import KnownRate, read_rate

__all__ = ["FIRSTS", "First", "PricedBond"]

Date = str | dt.date | np.datetime64
First = Literal["compound", "simple"]
FIRSTS: tuple[First, ...] = ("compound", "simple")

_FREQUENCIES = (0, 1, 2, 4, 12)


def _is_icma(day_count: object) -> bool:
    return isinstance(day_count, str) and day_count == ICMA


@dataclass(frozen=True, repr=False)
class PricedBond(Described):
    """A bond with its payments and prices; see `Bond`, which adds its report."""

    coupon: str | float
    maturity: Date
    _: KW_ONLY
    per_year: int | None = None
    day_count: str = ICMA
    issued: Date | None = None
    first_coupon: Date | None = None
    redemption: float = 100.0
    last_coupon: Date | None = None
    end_of_month: bool = False

    def __post_init__(self) -> None:
        often = as_float(self.per_year) if self.per_year is not None else 2 if self._rate else 0
        if often not in _FREQUENCIES:
            raise InputError(
                f"per_year is {self.per_year!r}; coupons come 0, 1, 2, 4 or 12 times a year.", at="per_year"
            )
        object.__setattr__(self, "per_year", int(often))
        if self._rate < 0:
            raise InputError(f"coupon is {self.coupon}; it must be 0 or more.")
        if self._rate and not self.per_year:
            raise InputError(
                f"A coupon of {self.coupon} paid 0 times a year is not possible; say how often it is paid, or "
                "leave out the coupon."
            )
        object.__setattr__(self, "redemption", read_amount(self.redemption, what="redemption"))
        if not self.redemption > 0:
            raise InputError(f"redemption is {self.redemption:g}; it must be above zero.", at="redemption")
        if not _is_icma(self.day_count):
            object.__setattr__(self, "day_count", read_day_count(self.day_count))
        if not isinstance(self.end_of_month, bool):
            raise InputError(f"end_of_month is {self.end_of_month!r}; it must be True or False.", at="end_of_month")
        if self.perpetual and (self._issued is None or not self._rate):
            raise InputError("A perpetual bond needs a coupon, and 'issued' for its coupon days.")
        if self.first_coupon is not None and self._issued is None:
            raise InputError("'first_coupon' needs 'issued', the day from which its interest runs.")
        if not self.per_year and (self.first_coupon is not None or self.last_coupon is not None):
            raise InputError("A bond without coupon days has no first_coupon and no last_coupon; leave them out.")
        if self.last_coupon is not None and self.perpetual:
            raise InputError("A perpetual bond has no last_coupon; leave it out.")
        ordered = [day for day in (self._issued, self._first, self._last, self._maturity) if day is not None]
        if any(a > b or (a == b and a is not self._first) for a, b in pairwise(ordered)):
            raise InputError(
                "The dates are out of order: issued, first_coupon, last_coupon and maturity come one after another."
            )
        self._days.check()

    @property
    def perpetual(self) -> bool:
        """Whether the face is never paid back."""
        return isinstance(self.maturity, str) and self.maturity == "perpetual"

    @cached_property
    def _rate(self) -> float:
        return read_rate(self.coupon, what="coupon").value

    @cached_property
    def _maturity(self) -> np.datetime64 | None:
        return None if self.perpetual else read_date(self.maturity, what="maturity")

    @cached_property
    def _issued(self) -> np.datetime64 | None:
        return None if self.issued is None else read_date(self.issued, what="issued")

    @cached_property
    def _first(self) -> np.datetime64 | None:
        return None if self.first_coupon is None else read_date(self.first_coupon, what="first_coupon")

    @cached_property
    def _last(self) -> np.datetime64 | None:
        return None if self.last_coupon is None else read_date(self.last_coupon, what="last_coupon")

    @cached_property
    def _days(self) -> CouponDays:
        return CouponDays(
            self._maturity, self.often, self.day_count, self._issued, self._first, self._last, self.end_of_month
        )

    @property
    def often(self) -> int:
        """How many coupons there are a year."""
        return self.per_year or 0

    @property
    def compounding(self) -> int:
        """How often a year the yield compounds."""
        return self.often or 1

    @property
    def yearly_coupon(self) -> float:
        """The coupons of a year, per 100 of face."""
        return 100.0 * self._rate

    def price(self, at_yield: str | float, settlement: Date, *, first: First = "compound") -> float:
        """The clean price per 100 at a yearly yield, quoted to compound as often as coupons are paid.

        `first="simple"` discounts the broken period by simple interest.

        >>> from pennyweight import Bond
        >>> bond = Bond("4%", "2031-06-15")
        >>> round(bond.price("4.6%", "2026-12-15"), 4)
        97.586
        """
        return self.dirty(at_yield, settlement, first=first) - self.accrued(settlement)

    def dirty(self, at_yield: str | float, settlement: Date, *, first: First = "compound") -> float:
        """The price with accrued interest, which is what is paid.

        >>> from pennyweight import Bond
        >>> bond = Bond("4%", "2031-06-15")
        >>> round(bond.dirty("4.6%", "2026-11-23") - bond.price("4.6%", "2026-11-23"), 6)
        1.759563
        """
        return self._worth(self._yield(at_yield), settlement, first).value

    def yield_at(self, price: float, settlement: Date, *, first: First = "compound") -> float:
        """The yearly yield at a clean price per 100. NoAnswer when no yield gives it.

        >>> from pennyweight import Bond
        >>> bond = Bond("4%", "2031-06-15")
        >>> round(bond.yield_at(97.25, "2026-11-23"), 6)
        0.04676
        """
        clean = self._price(price)
        target = clean + self.accrued(settlement)
        m = self.compounding
        if self.perpetual:
            found = self._perpetual_yield(target, settlement)
        else:
            left = self.coupons(settlement)
            simple = choice(first, FIRSTS, "first") == "simple"
            found = bonds.yield_for(left.coupons + left.redemption, left.times, target, m, simple_first=simple)
        if not np.isfinite(found):
            raise NoAnswer(f"No yield gives a price of {price}.")
        return KnownRate(found)

    def accrued(self, settlement: Date) -> float:
        """Interest per 100 that has run since the last coupon.

        >>> from pennyweight import Bond
        >>> bond = Bond("4%", "2031-06-15")
        >>> round(bond.accrued("2027-03-15"), 6)
        0.989011
        """
        day = self._day(settlement)
        if not self._rate:
            return 0.0
        start, end = self._days.period_around(day)
        return 100.0 * self._rate * self._days.elapsed(start, day, end)

    def macaulay_duration(self, at_yield: str | float, settlement: Date, *, first: First = "compound") -> float:
        """The mean time to the payments in years, weighted by their worth.

        >>> from pennyweight import Bond
        >>> bond = Bond("4%", "2031-06-15")
        >>> round(bond.macaulay_duration("4.6%", "2026-12-15"), 4)
        4.1577
        """
        rate = self._yield(at_yield)
        return self.modified_duration(at_yield, settlement, first=first) * (1 + rate / self.compounding)

    def modified_duration(self, at_yield: str | float, settlement: Date, *, first: First = "compound") -> float:
        """By which part the dirty price falls when the yield rises, per unit of yield: -P' / P, in years.

        >>> from pennyweight import Bond
        >>> bond = Bond("4%", "2031-06-15")
        >>> round(bond.modified_duration("4.6%", "2026-12-15"), 4)
        4.0642
        """
        worth = self._worth(self._yield(at_yield), settlement, first)
        return -worth.slope / worth.value

    def convexity(self, at_yield: str | float, settlement: Date, *, first: First = "compound") -> float:
        """P'' / P, in years squared.

        >>> from pennyweight import Bond
        >>> bond = Bond("4%", "2031-06-15")
        >>> round(bond.convexity("4.6%", "2026-12-15"), 4)
        19.3333
        """
        worth = self._worth(self._yield(at_yield), settlement, first)
        return worth.bend / worth.value

    def current_yield(self, price: float) -> float:
        """A year's coupons over the clean price.

        >>> from pennyweight import Bond
        >>> bond = Bond("4%", "2031-06-15")
        >>> round(bond.current_yield(97.25), 6)
        0.041131
        """
        found = 100.0 * self._rate / self._price(price)
        if not np.isfinite(found):
            raise NoAnswer(f"At a price of {price} the yield is more than a number can hold.")
        return KnownRate(found)

    def discount_rate(self, price: float, settlement: Date, *, day_count: str = "actual/360") -> float:
        """What is taken off the redemption, a year: (redemption - price) / redemption / time; for bills.

        InputError for a bond that pays coupons.

        >>> from pennyweight import Bond
        >>> round(Bond(0, "2027-03-01").discount_rate(99.0, "2026-12-01"), 9)
        0.04
        """
        clean = self._price(price)
        return KnownRate((self.redemption - clean) / self.redemption / self._bill_time(settlement, day_count))

    def price_at_discount(self, rate: str | float, settlement: Date, *, day_count: str = "actual/360") -> float:
        """The price of a bill from its discount rate: redemption * (1 - rate * time), the inverse of `discount_rate`.

        >>> from pennyweight import Bond
        >>> round(Bond(0, "2027-03-01").price_at_discount("4%", "2026-12-01"), 9)
        99.0
        """
        discount = read_rate(rate, what="the discount rate").value
        price = self.redemption * (1 - discount * self._bill_time(settlement, day_count))
        if not price > 0:
            raise NoAnswer(f"At a discount rate of {discount:.2%} the bill is worth nothing.")
        return price

    def simple_yield(self, price: float, settlement: Date, *, day_count: str = "actual/365") -> float:
        """What is gained on the price, a year, without compounding; for bills.

        InputError for a bond that pays coupons.

        >>> from pennyweight import Bond
        >>> round(Bond(0, "2027-03-01").simple_yield(99.0, "2026-12-01"), 6)
        0.040965
        """
        clean = self._price(price)
        return KnownRate((self.redemption - clean) / clean / self._bill_time(settlement, day_count))

    def coupons(self, settlement: Date) -> Coupons:
        """The payments after a settlement day; of a perpetual bond the next ten.

        >>> from pennyweight import Bond
        >>> bond = Bond("4%", "2031-06-15")
        >>> bond.coupons("2030-07-01").coupons.tolist()
        [2.0, 2.0]
        """
        day = self._day(settlement)
        m = self.often
        if not m:
            assert self._maturity is not None
            name = "actual/365" if self.day_count == ICMA else self.day_count
            time = float(year_fraction(day, self._maturity, name))
            due = np.array([self._maturity], dtype="datetime64[D]")
            return Coupons(due, np.zeros(1), np.full(1, self.redemption), np.full(1, time))
        dates = self._days.dates_after(day)
        coupons, times = np.full(dates.size, 100.0 * self._rate / m), np.arange(dates.size, dtype=np.float64)
        start, end = self._days.period_around(day)
        coupons[0] = 100.0 * self._rate * self._days.share(start, end)
        times += self._days.wait(start, day, end)
        if self._last is not None and dates.size > 1 and self._maturity is not None:
            coupons[-1] = 100.0 * self._rate * self._days.share(self._last, self._maturity)
            times[-1] += self._days.wait(self._last, self._last, self._maturity) - 1
        redemption = np.zeros(dates.size)
        if not self.perpetual:
            redemption[-1] = self.redemption
        kept = slice(None) if self._rate else slice(-1, None)  # a zero bond pays once
        return Coupons(dates[kept], coupons[kept], redemption[kept], times[kept])

    def _day(self, settlement: Date) -> np.datetime64:
        day = read_date(settlement, what="settlement")
        if self._maturity is not None and day >= self._maturity:
            raise InputError(f"Settlement on {day} is not before maturity on {self._maturity}.")
        if self._issued is not None and day < self._issued:
            raise InputError(f"Settlement on {day} is before interest begins on {self._issued}.")
        return day

    # Worth.

    def _yield(self, given: object) -> float:
        rate = read_rate(given, what="yield")
        if rate.compounding is None and rate.value <= -self.compounding:
            raise InputError(f"The yield '{given}' loses everything within one period.")
        if rate.compounding not in (None, float(self.compounding)):
            raise InputError(
                f"The yield '{given}' must compound {self.compounding} times a year, as the coupons are paid."
            )
        return rate.value

    def _worth(self, rate: float, settlement: Date, first: First) -> bonds.Worth:
        simple = choice(first, FIRSTS, "first") == "simple"
        if simple and self.perpetual:
            raise InputError("A perpetual bond is discounted compound in every period; leave out first='simple'.")
        day = self._day(settlement)
        left = self.coupons(day)
        if self.perpetual:
            if rate <= 0:
                raise NoAnswer(f"At a yield of {rate:.2%} a perpetual bond has no finite price.")
            level = 100.0 * self._rate / self.often
            forever = bonds.perpetual_worth(level, left.wait, rate, self.often)
            odd = bonds.worth(left.coupons[:1] - level, left.times[:1], rate, self.often)  # a first coupon unlike them
            return bonds.Worth(*(a + b for a, b in zip(forever, odd, strict=True)))
        worth = bonds.worth(left.coupons + left.redemption, left.times, rate, self.compounding, simple_first=simple)
        if not np.isfinite(worth.value):
            raise NoAnswer(f"At a yield of {rate:.2%} the price is more than a number can hold.")
        return worth

    def _price(self, price: object) -> float:
        clean = read_amount(price, what="price")
        if not 0 < clean <= LARGEST:
            raise InputError(f"price is {price}; it must be above zero.", at="price")
        return clean

    def _perpetual_yield(self, target: float, settlement: Date) -> float:
        return turn_between(lambda rate: self._worth(rate, settlement, "compound").value <= target, 1e-9, 1e6)[1]

    def _bill_time(self, settlement: Date, day_count: str) -> float:
        if self._rate or self.perpetual:
            raise InputError("Discount rate and simple yield are for bills, which pay no coupon.")
        return float(year_fraction(self._day(settlement), self._days.anchor, read_day_count(day_count)))

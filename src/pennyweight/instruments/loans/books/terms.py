"""A loan's terms as its books need them: whole units, exact rates, due days."""

from __future__ import annotations

from dataclasses import dataclass
from decimal import Decimal
from fractions import Fraction

import numpy as np

from pennyweight.core.daycount import DAY_COUNTS, days_between
from pennyweight.core.loans.agreement import Agreement
from pennyweight.errors import InputError
from pennyweight.instruments.loans.books.due_days import Calendar
from pennyweight.quantities.rates import Rate
from pennyweight.quantities.units import Style

__all__ = ["BASIS", "LoanTerms", "share_between", "units_of"]

BASIS = {name: int(one.basis) for name, one in DAY_COUNTS.items() if one.for_loans and one.basis is not None}
"""The day counts of loans, each with the days of its year."""
_LARGEST = 9e15  # units, so that every sum of them is a whole number in float64 too


@dataclass(frozen=True, slots=True)
class LoanTerms:
    """What was agreed, with everything that is needed to date, show and price it."""

    agreement: Agreement
    style: Style
    per_year: int
    scale: int
    calendar: Calendar | None
    day_count: str | None
    rate: Rate
    said_compounding: float | None
    """How the rate compounds, where that was said with it or for it."""
    lent: float
    fee_up_front: float
    fee_added: float
    fee_each: float

    def money(self, units: float) -> float:
        """An amount of units in the currency."""
        if self.agreement.rounding is None:
            return float(units)
        return float(Decimal(int(units)).scaleb(-self.scale))


def units_of(value: float, style: Style, rounding: str | None, what: str) -> int | float:
    """An amount in smallest units; refused when it has more decimals than the currency."""
    if abs(value) * 10**style.places > _LARGEST:
        raise InputError(f"{what} is {value:g}; a loan's amounts go up to {_LARGEST / 10**style.places:g}.", at=what)
    if rounding is None:
        return value
    units = Decimal(repr(value)).scaleb(style.places)
    whole = units.to_integral_value()
    if abs(units - whole) > Decimal("1e-6"):  # 0.1 + 0.2 is thirty cents
        raise InputError(f"{what} is {value}; amounts of this currency have {style.places} decimals at most.", at=what)
    return int(whole)


def share_between(start: np.datetime64, end: np.datetime64, day_count: str) -> Fraction:
    """The part of a year between two days, exactly: days over the basis.

    >>> share_between(np.datetime64("2027-01-01"), np.datetime64("2027-02-01"), "actual/360")
    Fraction(31, 360)
    """
    return Fraction(int(days_between(start, end, day_count)), BASIS[day_count])

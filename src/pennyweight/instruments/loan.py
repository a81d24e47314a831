"""A loan to the cent: its schedule as the lender's books have it, its key facts and its checks."""

from __future__ import annotations

import datetime as dt
from dataclasses import dataclass
from decimal import Decimal
from fractions import Fraction
from functools import cached_property
from typing import TYPE_CHECKING, Any

import numpy as np

from pennyweight.core import irr
from pennyweight.core.amortization import BookRow, book_schedule, level_payment_units
from pennyweight.documents import Cell, Checks, Column, Document, Figures, Line, Table
from pennyweight.documents.shown import Shown
from pennyweight.errors import InputError, NoAnswer
from pennyweight.quantities.amounts import read_amount
from pennyweight.quantities.dates import Days, add_months, read_date
from pennyweight.quantities.rates import read_per_year, read_rate
from pennyweight.quantities.units import Style

if TYPE_CHECKING:
    import pandas as pd

__all__ = ["Loan"]

_MOST = 5_200


@dataclass(frozen=True)
class Loan(Shown):
    """A loan with level payments at the end of each period, rounded to the currency's smallest unit.

    Args:
        amount: what is lent.
        rate: yearly, quoted, compounding as often as is paid.
        years: the term; or leave it out and give the payment.
        payment: the level payment; the last one is smaller.
        per_year: payments a year, a number or a word.
        first_payment: the day of the first payment, for dates by the month (1, 2, 4 or 12 payments a year).
        currency: sets the smallest unit: cents, none for JPY, three places for KWD.

    >>> Loan(100_000, "6%", years=30).payment
    599.55
    """

    amount: str | float
    rate: str | float
    years: str | float | None = None
    payment_given: str | float | None = None
    per_year: str | int = 12
    first_payment: str | dt.date | None = None
    currency: str = ""

    def __init__(
        self,
        amount: str | float,
        rate: str | float,
        *,
        years: str | float | None = None,
        payment: str | float | None = None,
        per_year: str | int = 12,
        first_payment: str | dt.date | None = None,
        currency: str = "",
    ) -> None:
        fields = {"amount": amount, "rate": rate, "years": years, "payment_given": payment, "per_year": per_year}
        for name, value in {**fields, "first_payment": first_payment, "currency": currency}.items():
            object.__setattr__(self, name, value)
        if (years is None) == (payment is None):
            raise InputError("Give either the years or the payment; the other is worked out.")
        if self._balance <= 0:
            raise InputError(f"amount is {amount}; a loan is above zero.")
        if self._often not in (1, 2, 4, 12) and first_payment is not None:
            raise InputError("Dates are worked out for 1, 2, 4 or 12 payments a year; leave out first_payment.")
        if payment is not None and self.rows[-1].payment > self._terms[0]:
            raise NoAnswer(f"After {_MOST:,} payments the loan is still not paid off; pay more.")

    @cached_property
    def style(self) -> Style:
        """How amounts are shown, and their places."""
        return Style(self.currency)

    @cached_property
    def _often(self) -> int:
        return read_per_year(self.per_year)

    @cached_property
    def _balance(self) -> int:
        return self._units(read_amount(self.amount, what="amount"), "amount")

    @cached_property
    def _rate(self) -> Fraction:
        """The rate of one period, exact: the quoted rate as it is written, over the payments a year."""
        read = read_rate(self.rate)
        if read.compounding not in (None, float(self._often)):
            raise InputError(f"The rate '{self.rate}' must compound {self._often} times a year, as is paid.")
        if read.value < 0:
            raise InputError(f"The rate is {self.rate}; a loan's is 0 or more.")
        return Fraction(Decimal(repr(read.value))) / self._often

    @cached_property
    def _terms(self) -> tuple[int, int]:
        """(level payment in units, most payments)."""
        if self.payment_given is not None:
            paid = self._units(read_amount(self.payment_given, what="payment"), "payment")
            first = self._balance * self._rate
            if paid <= first:
                shown = [self.style.show(value / 10**self.style.places, "money") for value in (paid, round(first))]
                raise NoAnswer(f"The payment of {shown[0]} never covers the first interest of {shown[1]}.")
            return paid, _MOST
        years = read_amount(self.years or 0.0, what="years")
        count = years * self._often
        if not years > 0 or abs(count - round(count)) > 1e-9 or count > _MOST:
            raise InputError(
                f"years is {self.years}; a term is above zero and makes whole payments, {_MOST:,} at most."
            )
        return level_payment_units(self._balance, self._rate, round(count)), round(count)

    @cached_property
    def rows(self) -> list[BookRow]:
        """The schedule in smallest units."""
        payment, count = self._terms
        return book_schedule(self._balance, self._rate, payment, count)

    @property
    def payment(self) -> float:
        """The level payment."""
        return self._money(self._terms[0])

    @property
    def last_payment(self) -> float:
        """The payment that clears the loan."""
        return self._money(self.rows[-1].payment)

    @property
    def total_interest(self) -> float:
        """All interest."""
        return self._money(sum(row.interest for row in self.rows))

    @property
    def total_paid(self) -> float:
        """All payments."""
        return self._money(sum(row.payment for row in self.rows))

    @cached_property
    def dates(self) -> Days | None:
        """The day of each payment, when the first is known; a day past a month's end is its last and returns."""
        if self.first_payment is None:
            return None
        start = read_date(self.first_payment, what="first_payment")
        return add_months(start, np.arange(len(self.rows)) * (12 // self._often))

    @cached_property
    def apr(self) -> float | None:
        """The yearly percentage rate of what is really paid: the rate per period at which it is worth the amount,
        times the payments a year (the actuarial method; there are no fees). None when no single rate does."""
        rate, _ = irr.single_row([-float(self._balance), *(float(row.payment) for row in self.rows)])
        return rate * self._often if np.isfinite(rate) else None

    @cached_property
    def frame(self) -> pd.DataFrame:
        """One row a payment; the index is its number, or its date."""
        import pandas as pd

        table = [[self._money(value) for value in row] for row in self.rows]
        index: Any = range(1, len(table) + 1) if self.dates is None else self.dates
        frame = pd.DataFrame(table, columns=list(BookRow._fields), index=index)
        frame.index.name = "number" if self.dates is None else "date"
        return frame

    @cached_property
    def checks(self) -> tuple[tuple[bool, str], ...]:
        """What the schedule checks of itself."""
        principal = sum(row.principal for row in self.rows)
        split = all(row.payment == row.interest + row.principal for row in self.rows)
        return (
            (self.rows[-1].balance == 0, "The balance ends at zero."),
            (principal == self._balance, "Principal adds up to the amount."),
            (split, "Every payment is interest plus principal."),
        )

    def as_dict(self) -> dict[str, Any]:
        """Plain values for JSON."""
        dates = self.dates
        schedule = [
            {
                "number": k,
                "date": None if dates is None else str(dates[k - 1]),
                **{name: self._money(value) for name, value in row._asdict().items()},
            }
            for k, row in enumerate(self.rows, 1)
        ]
        return {
            "format": 1,
            "amount": self._money(self._balance),
            "payment": self.payment,
            "payments": len(self.rows),
            "last_payment": self.last_payment,
            "total_interest": self.total_interest,
            "total_paid": self.total_paid,
            "paid_off_on": None if dates is None else str(dates[-1]),
            "apr": self.apr,
            "schedule": schedule,
            "checks": [{"passed": passed, "check": sentence} for passed, sentence in self.checks],
        }

    def document(self) -> Document:
        """Key facts, the schedule, and its checks."""
        style = self.style
        effective = (1 + float(self._rate)) ** self._often - 1
        dates = self.dates
        lines = [
            Line("Payment", Cell(style.with_unit(self.payment, "money"), "question"), f"{len(self.rows)} payments"),
            Line(
                "Last payment",
                Cell(style.with_unit(self.last_payment, "money")),
                "" if dates is None else f"on {dates[-1]}",
            ),
            Line("Interest in all", Cell(style.with_unit(self.total_interest, "money"))),
            Line("Paid in all", Cell(style.with_unit(self.total_paid, "money"))),
            Line("Rate", Cell(style.rate_in_both_forms(effective, self._often))),
        ]
        rows = [
            (
                Cell(str(k) if dates is None else str(dates[k - 1])),
                *(Cell(style.show(self._money(value), "money")) for value in row),
            )
            for k, row in enumerate(self.rows, 1)
        ]
        note = ""
        if len(rows) > 30:
            note = f"{len(rows) - 24} payments left out in the middle; CSV and JSON have all."
            rows = [*rows[:12], (Cell("…", "comparison"),) * 5, *rows[-12:]]
        names = (Column("Number" if dates is None else "Date", words=True), Column("Payment"), Column("Interest"))
        table = Table("Schedule", (*names, Column("Principal"), Column("Balance")), tuple(rows), note)
        title = f"A loan of {style.with_unit(self._money(self._balance), 'money')}"
        return Document(
            title, (Figures("Key facts", tuple(lines)), table, Checks(self.checks)), "To the smallest unit, halves up."
        )

    def _units(self, value: float, what: str) -> int:
        units = Decimal(repr(value)).scaleb(self.style.places)
        if units != units.to_integral_value():
            raise InputError(f"{what} is {value}; amounts of this currency have {self.style.places} decimals at most.")
        return int(units)

    def _money(self, units: int) -> float:
        return float(Decimal(units).scaleb(-self.style.places))

"""A loan's schedule: the rows of its books with their days, what they add up to, and their checks."""

from __future__ import annotations

import datetime as dt
from dataclasses import dataclass
from functools import cached_property
from typing import TYPE_CHECKING, Any, ClassVar

import numpy as np

from pennyweight.core.dates import Days
from pennyweight.core.loans.agreement import Booked, Books
from pennyweight.documents.shown import Shown
from pennyweight.instruments.loans.books.terms import LoanTerms
from pennyweight.instruments.loans.books.timetable import Statement, Timetable

if TYPE_CHECKING:
    import pandas as pd

__all__ = ["Schedule"]


@dataclass(frozen=True, eq=False, repr=False)
class Schedule(Shown):
    """Every payment of a loan until nothing is owed. Amounts are in the currency.

    Examples
    --------
    >>> from pennyweight import Loan
    >>> Loan(100_000, "6%", years=30).schedule
    Schedule(360 payments, total_interest=115838.45)
    """

    INTERNAL: ClassVar[tuple[str, ...]] = ("books", "timetable", "terms")

    terms: LoanTerms
    books: Books
    timetable: Timetable | None = None

    def __repr__(self) -> str:
        ended = f", paid_off_on='{self.paid_off_on}'" if self.dates is not None else ""
        return f"Schedule({len(self.rows)} payments, total_interest={self.total_interest}{ended})"

    @cached_property
    def rows(self) -> tuple[Booked, ...]:
        """Each payment as it is booked: payment, interest, extra, correction and balance, in smallest units."""
        return tuple(map(Booked._make, self.books.rows))

    @property
    def payment(self) -> float:
        """The level payment; without one, the first payment."""
        is_level = self.terms.agreement.shape == "level" and self.books.settings
        return self.terms.money(self.books.settings[0].payment if is_level else self.rows[0].payment)

    @property
    def last_payment(self) -> float:
        """The payment that clears the loan."""
        return self.terms.money(self.rows[-1].payment)

    @cached_property
    def total_interest(self) -> float:
        """All interest."""
        return self.terms.money(sum(row.interest for row in self.rows))

    @cached_property
    def total_fees(self) -> float:
        """All fees: up front, added, and with each payment."""
        terms = self.terms
        return round(terms.fee_up_front + terms.fee_added + terms.fee_each * len(self.rows), terms.scale)

    @cached_property
    def total_paid(self) -> float:
        """Everything that is paid: payments, extras, and fees (one that was added is inside the payments)."""
        terms = self.terms
        paid = terms.money(sum(row.payment + row.extra for row in self.rows))
        return round(paid + terms.fee_up_front + terms.fee_each * len(self.rows), 9)

    @cached_property
    def dates(self) -> Days | None:
        """The due day of each payment, when the loan has days."""
        return None if self.terms.calendar is None else self.terms.calendar.days(len(self.rows))

    @property
    def paid_off_on(self) -> dt.date | None:
        """The day of the last payment; None without dates."""
        return None if self.dates is None else self.dates[-1].item()

    @property
    def history(self) -> int:
        """How many rows a statement has confirmed or replaced."""
        return 0 if self.timetable is None else min(self.timetable.last_statement, len(self.rows))

    @cached_property
    def statements(self) -> tuple[Statement, ...]:
        """Each stated balance beside the schedule's."""
        return () if self.timetable is None else self.timetable.statements(self.books)

    @cached_property
    def remarks(self) -> tuple[str, ...]:
        """What could not be booked, and what is to be known of the events."""
        if self.timetable is None:
            return ()
        ended = f"on {self.paid_off_on}" if self.dates is not None else f"with payment {len(self.rows)}"
        return self.timetable.told(self.books, ended)

    def named(self, number: int) -> str:
        """A payment by its day, or by its number.

        Parameters
        ----------
        number : int
            That of the payment, from 1.

        Returns
        -------
        str
            A payment by its day, or by its number.

        Examples
        --------
        >>> from pennyweight import Loan
        >>> Loan(1_000, "6%", years=1, start="2027-01-31").schedule.named(1)
        '2027-02-28'
        """
        return str(number) if self.dates is None else str(self.dates[number - 1])

    def balance_after(self, number: int) -> float:
        """What is owed after a payment; after none, what was drawn.

        Parameters
        ----------
        number : int
            That of the payment, from 1; amounts are in the currency.

        Returns
        -------
        float
            What is owed after a payment; after none, what was drawn.

        Examples
        --------
        >>> from pennyweight import Loan
        >>> Loan(100_000, "6%", years=30).schedule.balance_after(120)
        83685.79
        """
        if number < 1:
            return self.terms.money(self.terms.agreement.amount)
        return self.terms.money(self.rows[min(number, len(self.rows)) - 1].balance)

    @property
    def frame(self) -> pd.DataFrame:
        """One row a payment, indexed by date (by number without dates).

        payment, interest, principal, extra, fee, correction (what a statement's balance adds) and balance, in the
        currency; `history` marks rows that a statement covers. principal = payment + extra - interest.
        """
        import pandas as pd

        table = pd.DataFrame(self.plain_rows())
        if self.dates is None:
            return table.drop(columns="date").set_index("number")
        table["date"] = self.dates.astype("datetime64[s]")
        return table.set_index("date")

    def plain_rows(self) -> list[dict[str, Any]]:
        """The rows as plain values.

        Returns
        -------
        list[dict[str, Any]]
            The rows as plain values.

        Examples
        --------
        >>> from pennyweight import Loan
        >>> Loan(1_200, "0%", years=1).schedule.plain_rows()[0]["payment"]
        100.0
        """
        money, dates, each = self.terms.money, self.dates, self.terms.fee_each
        return [
            {
                "number": k,
                "date": None if dates is None else str(dates[k - 1]),
                "payment": money(row.payment),
                "interest": money(row.interest),
                "principal": money(row.principal),
                "balance": money(row.balance),
                "extra": money(row.extra),
                "fee": each,
                "correction": money(row.correction),
                "history": k <= self.history,
            }
            for k, row in enumerate(self.rows, 1)
        ]

    @property
    def yearly(self) -> pd.DataFrame:
        """One row a calendar year (a year of the loan without dates), with the same columns."""
        import pandas as pd

        return pd.DataFrame(self.yearly_rows()).set_index("year")

    def yearly_rows(self) -> list[dict[str, Any]]:
        """The years as plain values.

        Returns
        -------
        list[dict[str, Any]]
            The years as plain values.

        Examples
        --------
        >>> from pennyweight import Loan
        >>> Loan(1_200, "0%", years=1).schedule.yearly_rows()[0]["payments"]
        1200.0
        """
        money = self.terms.money
        found: dict[int, list[Booked]] = {}
        for year, row in zip(self.years, self.rows, strict=True):
            found.setdefault(year, []).append(row)
        return [
            {
                "year": year,
                "payments": money(sum(row.payment for row in rows)),
                "interest": money(sum(row.interest for row in rows)),
                "principal": money(sum(row.principal for row in rows)),
                "extra": money(sum(row.extra for row in rows)),
                "fee": round(self.terms.fee_each * len(rows), 9),
                "balance": money(rows[-1].balance),
            }
            for year, rows in found.items()
        ]

    @cached_property
    def years(self) -> tuple[int, ...]:
        """The calendar year of each payment; without dates the year of the loan."""
        if self.dates is None:
            return tuple(k // self.terms.per_year + 1 for k in range(len(self.rows)))
        return tuple((self.dates.astype("datetime64[Y]").astype(np.int64) + 1970).tolist())

    @cached_property
    def principal_leads(self) -> int | None:
        """The first payment of which more goes to principal than to interest; None when there is none."""
        return next((k for k, row in enumerate(self.rows, 1) if row.payment - row.interest > row.interest), None)

    @cached_property
    def checks(self) -> tuple[tuple[bool, str], ...]:
        """What the schedule checks of itself."""
        exact = self.terms.agreement.rounding is not None
        near = 0.0 if exact else 1e-6 * max(1.0, float(self.terms.agreement.amount))
        principal = sum(row.principal for row in self.rows)
        corrected = sum(row.correction for row in self.rows)
        owed = self.terms.agreement.amount + corrected
        opening = [self.terms.agreement.amount, *(row.balance for row in self.rows[:-1])]
        each = all(
            abs(before + row.interest + row.correction - row.payment - row.extra - row.balance) <= near
            for before, row in zip(opening, self.rows, strict=True)
        )
        adds = "Principal adds up to the amount" + (" with the statements' corrections." if corrected else ".")
        repaid = self.terms.money(owed - self.rows[-1].balance)
        all_paid = abs(self.total_paid - self.total_interest - repaid - self.total_fees + self.terms.fee_added)
        return (
            (abs(self.rows[-1].balance) <= near, "The balance ends at zero."),
            (abs(principal - owed) <= near, adds),
            (each, "Every balance is the one before plus interest less what is paid."),
            (all_paid <= max(near, 1e-6), "All that is paid is interest plus principal plus fees."),
        )

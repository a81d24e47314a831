"""Where each figure of a schedule comes from, with numbers that anyone can put into a calculator."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import groupby

from pennyweight.core.loans.agreement import Booked
from pennyweight.documents.derivation import Derivation
from pennyweight.instruments.loans.books.percentage_rate import worth_of_payments
from pennyweight.pages.loans.explained.payment_derivations import PaymentDerivations

__all__ = ["STEP", "ScheduleDerivations"]

_MOST_TERMS = 40
"""A sum of more parts is not written out."""
_RUNS = 6
"""Equal payments after one another are told as so many times one; with more changes than these, year by year."""
STEP = 0.0001
"""How far beside a rate that was searched for its equation is looked at again: a hundredth of a percent."""


_EQUATIONS = {
    "us": "sum of payment / ((1 + f i) (1 + i)^q), q unit-periods and a part f of one from the start",
    "eu": "sum of payment × (1 + X)^-t, t years from the start, X the rate",
}


class ScheduleDerivations(PaymentDerivations):
    """The derivations of a schedule's figures when `made` payments have been made.

    >>> from pennyweight import Loan
    >>> ScheduleDerivations(Loan(1_000, "6%", years=1).schedule, 0).total_interest.numbers
    '1,032.80 - 1,000.00'
    """

    @property
    def paid_so_far(self) -> Derivation:
        """All payments made, with extra payments and fees."""
        fees = self.terms.fee_up_front + self.terms.fee_each * self.made
        return self._sum(self.facts.paid_so_far, self.rows[: self.made], fees, "nothing is paid yet")

    @property
    def total_paid(self) -> Derivation:
        """Everything that is paid."""
        fees = self.terms.fee_up_front + self.terms.fee_each * len(self.rows)
        return self._sum(self.schedule.total_paid, self.rows, fees, "nothing is paid")

    @property
    def still_to_pay(self) -> Derivation:
        """What is paid from now on."""
        now = self.facts
        return Derivation(
            self.money(now.still_to_pay),
            "total paid - paid so far",
            f"{self.money(now.total_paid)} - {self.money(now.paid_so_far)}",
            {"Total paid": self.total_paid},
        )

    @property
    def average_payment(self) -> Derivation:
        """Total paid over the number of payments."""
        numbers = f"{self.money(self.facts.total_paid)} / {len(self.rows)}"
        return Derivation(self.money(self.facts.average_payment), "total paid / payments", numbers)

    @property
    def total_fees(self) -> Derivation:
        """The fees of the whole loan."""
        terms = self.terms
        numbers = f"{self.money(terms.fee_up_front)} + {self.money(terms.fee_added)} + "
        numbers += f"{self.money(terms.fee_each)} × {len(self.rows)}"
        formula = "paid up front + added to the loan + with each payment × payments"
        return Derivation(self.money(self.schedule.total_fees), formula, numbers)

    @property
    def total_interest(self) -> Derivation:
        """What is paid beyond the amount and the fees."""
        return self._interest_of(self.schedule.total_interest, len(self.rows), self.total_paid)

    @property
    def interest_to_date(self) -> Derivation:
        """The interest in the payments made."""
        if not self.made:
            return Derivation(self.money(0.0), "nothing is paid yet")
        return self._interest_of(self.facts.interest_to_date, self.made, self.paid_so_far)

    @property
    def interest_to_come(self) -> Derivation:
        """The interest in the payments to come."""
        now = self.facts
        return Derivation(
            self.money(now.interest_to_come),
            "total interest - interest to date",
            f"{self.money(now.total_interest)} - {self.money(now.interest_to_date)}",
            {"Total interest": self.total_interest},
        )

    def _interest_of(self, value: float, count: int, paid: Derivation) -> Derivation:
        """Whatever was paid and did not bring the debt down is interest or a fee."""
        terms = self.terms
        start, left = terms.agreement.amount, self.owed(count)
        corrected = sum(row.correction for row in self.rows[:count])
        fees = terms.fee_up_front + terms.fee_each * count
        formula, numbers = "paid", paid.value
        if fees:
            formula, numbers = f"{formula} - fees", f"{numbers} - {self.money(fees)}"
        parts = {"Paid": paid, "Amount": Derivation(self.units(start), "what is owed at the start")}
        if left:
            formula, numbers = (
                f"{formula} - (amount - owed now)",
                f"{numbers} - ({self.units(start)} - {self.units(left)})",
            )
        else:
            formula, numbers = f"{formula} - amount", f"{numbers} - {self.units(start)}"
        if corrected:
            formula, numbers = f"{formula} - what statements added", f"{numbers} - {self.signed(corrected)}"
        return Derivation(self.money(value), formula, numbers, parts)

    @property
    def balance_now(self) -> Derivation:
        """What is owed after the last payment made."""
        return self.balance(self.made)

    # How long

    @property
    def payments(self) -> Derivation:
        """How many payments there are."""
        n = len(self.rows)
        parts = {"Owed after the last": Derivation(self.units(self.owed(n)), "the last payment clears it")}
        if n > 1:
            parts = {f"Owed after payment {n - 1}": self.balance(n - 1), **parts}
        return Derivation(str(n), "payments until nothing is owed", "", parts)

    @property
    def paid_off(self) -> Derivation:
        """When the last payment is."""
        n = len(self.rows)
        named = self.schedule.dates is not None
        return Derivation(
            self.schedule.named(n),
            f"the due day of payment {n}, the last" if named else "the last payment",
            "",
            {"Payments": self.payments},
        )

    @property
    def principal_leads(self) -> Derivation | None:
        """From when on more of a payment is principal."""
        number = self.schedule.principal_leads
        if number is None:
            return None
        parts = {
            f"Principal of payment {k}, against its interest": self._principal(k) for k in (number - 1, number) if k
        }
        return Derivation(
            self.schedule.named(number), "the first payment of which more is principal than interest", "", parts
        )

    def _principal(self, number: int) -> Derivation:
        row = self.rows[number - 1]
        principal, interest = self.units(row.payment - row.interest), self.units(row.interest)
        word = "more than" if row.payment - row.interest > row.interest else "not more than"
        return Derivation(principal, f"{word} the interest of {interest}")

    # Rates

    def percentage_rate(self, method: str, rate: float | None) -> Derivation:
        """The yearly rate with fees, of the schedule as agreed: its equation at the rate and just beside it."""
        terms, style = self.terms, self.terms.style
        if rate is None:
            return Derivation("undefined", "no single yearly rate makes the payments worth what is received")
        received = terms.lent - terms.fee_up_front
        parts = {
            "Received": Derivation(
                self.money(received),
                "lent - fee up front",
                f"{self.money(terms.lent)} - {self.money(terms.fee_up_front)}",
            )
        }
        for beside in (rate - STEP, rate, rate + STEP):
            if beside > -1:
                worth = worth_of_payments(self.schedule, "eu" if method == "eu" else "us", beside)
                parts[f"Worth of the payments at {style.show(beside, 'rate', places=4)}"] = Derivation(
                    self.money(worth), _EQUATIONS[method]
                )
        formula = "the yearly rate at which all payments as agreed, fees included, are worth what is received"
        return Derivation(style.show(rate, "rate"), formula, "", parts)

    # Sums

    def _sum(self, value: float, rows: Sequence[Booked], fees: float, nothing: str) -> Derivation:
        shown = self.money(value)
        if not rows and not fees:
            return Derivation(shown, nothing)
        told = self.added(rows)
        formula = "payments, extra payments among them" if any(row.extra for row in rows) else "payments"
        parts = {}
        if fees:
            formula = f"{formula} + fees"
            parts["Fees"] = Derivation(self.money(fees), "up front, and with each payment")
            told = f"{told} + {self.money(fees)}" if told and rows else told if rows else self.money(fees)
        return Derivation(shown, formula, told, parts)

    def added(self, rows: Sequence[Booked]) -> str:
        """The payments as a sum: equal ones together, or year by year; empty when that is too long to read."""
        paid = [row.payment + row.extra for row in rows]
        runs = [(len(list(group)), units) for units, group in groupby(paid)]
        if len(runs) > _RUNS:
            by_year: dict[int, float] = {}
            for year, units in zip(self.schedule.years, paid, strict=False):
                by_year[year] = by_year.get(year, 0) + units
            runs = [(1, units) for units in by_year.values()]
        if len(runs) > _MOST_TERMS:
            return ""
        return " + ".join(
            self.units(units) if count == 1 else f"{count} × {self.units(units)}" for count, units in runs
        )

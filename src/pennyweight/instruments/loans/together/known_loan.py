"""What is known of a loan taken over in the middle, and the loans it makes: what is left of it, and what it was."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import cached_property
from typing import Any

from pennyweight.core.loans.agreement import LONGEST
from pennyweight.described import frozen
from pennyweight.documents.shown import Shown
from pennyweight.errors import InputError, NoAnswer
from pennyweight.instruments.loans.asked.bill import Bill
from pennyweight.instruments.loans.books.due_days import Calendar
from pennyweight.instruments.loans.loan import Loan
from pennyweight.quantities.amounts import read_amount
from pennyweight.quantities.argument_checks import a_text, an_instance
from pennyweight.quantities.dates import read_date
from pennyweight.quantities.numbers import whole
from pennyweight.quantities.periods import read_per_year
from pennyweight.quantities.rates import known_rate
from pennyweight.quantities.units import Style, read_value

__all__ = ["KnownLoan"]


@dataclass(frozen=True, kw_only=True, repr=False)
class KnownLoan(Shown):
    """What is known of a loan in the middle; see `Takeover` for what each fact means."""

    on: Any
    balance: Any = None
    rate: Any = None
    payment: Any = None
    maturity: Any = None
    payments_left: int | None = None
    years_left: Any = None
    next_payment: Any = None
    original_amount: Any = None
    original_years: Any = None
    first_payment: Any = None
    payments_made: int | None = None
    missed_payments: int | None = None
    arrears: Any = None
    per_year: Any = 12
    bill: Bill | None = None
    currency: str = ""
    locale: str = "en"
    title: str = ""
    note: str = ""

    def __post_init__(self) -> None:
        super().__post_init__()
        a_text(self.title, what="title")
        a_text(self.note, what="note")
        if self.bill is not None:
            an_instance(self.bill, Bill, what="bill")
        self._read()
        if self.missed_payments is not None:
            frozen(self, missed_payments=whole(self.missed_payments, what="missed_payments", least=0, most=120))
        if self.payments_made is not None and self.first_payment is not None:
            raise InputError(
                "Give first_payment or payments_made, not both; each of them says how many payments were due before."
            )
        if self.missed_payments is not None and self.arrears is not None:
            raise InputError("Give missed_payments or arrears, not both.")
        if (self.missed_payments is not None or self.arrears is not None) and self.balance is None:
            raise InputError("Arrears are part of a balance; give the balance.")
        self._fill_in()
        said = [self.maturity is not None, self.payments_left is not None, self.years_left is not None]
        if sum(said) > 1:
            raise InputError("Give one of maturity, payments_left and years_left.")
        known = [self.balance is not None, self.rate is not None, self.payment is not None, any(said)]
        if sum(known) < 3:
            raise InputError(
                "A takeover needs three of balance, rate, payment and what is left (maturity or payments_left)."
            )
        _ = self.remaining, self.made  # so that what cannot be is refused at once

    def _read(self) -> None:
        """The fields as they were written become numbers and days."""
        for name in ("balance", "payment", "original_amount", "arrears"):
            self._set(name, read_amount)
        frozen(self, on=read_date(self.on, what="on"))
        for name in ("maturity", "next_payment", "first_payment"):
            self._set(name, read_date)
        for name in ("years_left", "original_years"):
            self._set(name, lambda given, what: read_value(given, "years", what=what))
        self._set("rate", known_rate)
        self._set("per_year", read_per_year)
        for name in ("payments_left", "payments_made"):
            least = 1 if name == "payments_left" else 0
            self._set(name, lambda given, what, least=least: whole(given, what=what, least=least, most=LONGEST))
        if self.arrears is not None and self.arrears < 0:
            raise InputError(f"arrears are {self.arrears:,.2f}; write an amount of zero or more.", at="arrears")

    def _set(self, name: str, read: Callable[..., Any]) -> None:
        if getattr(self, name) is not None:
            frozen(self, **{name: read(getattr(self, name), what=name)})

    def _fill_in(self) -> None:
        """What follows from the loan as it was made: its payment, and the balance by its schedule."""
        if self.original_amount is None or self.rate is None or (self.original_years is None and self.payment is None):
            return
        term = {"years": self.original_years} if self.payment is None else {"payment": self.payment}
        agreed = Loan(self.original_amount, self.rate, per_year=self.per_year, currency=self.currency, **term)
        if self.payment is None:
            frozen(self, payment=float(agreed.payment))
        counted = self.first_payment is not None or self.payments_made is not None
        if self.balance is None and counted and self.made is not None:
            left = agreed.agreed.balance_after(self.made)
            if left <= 0:
                raise InputError(f"The loan of {self.original_amount:,.2f} was paid off before {self.on}.")
            frozen(self, balance=left)
            if self.maturity is None and self.payments_left is None and self.years_left is None:
                frozen(self, payments_left=len(agreed.agreed.rows) - self.made)

    @cached_property
    def calendar(self) -> Calendar:
        """The due days from the takeover on."""
        often = self.per_year
        if self.next_payment is None and self.run is not None and self.run.first <= self.on:
            # The due days run on from the first one; the next lies after the day of takeover.
            return Calendar(self.on, self.run.anchor, self.run.base - self.run.made_by(self.on), often)
        # A loan of its own checks how often, and finds the first due day.
        sample = Loan(1, 0.0, years=1, per_year=often, start=self.on, first_payment=self.next_payment)
        assert sample.terms.calendar is not None
        return sample.terms.calendar

    @cached_property
    def run(self) -> Calendar | None:
        """The due days of the loan from its first one on, when that is known."""
        if self.first_payment is None:
            return None
        return Loan(1, 0.0, years=1, per_year=self.per_year, first_payment=self.first_payment).terms.calendar

    @cached_property
    def left(self) -> int | None:
        """The payments left, when that is given."""
        if self.payments_left is not None:
            return self.payments_left
        if self.years_left is not None:
            count: float = self.years_left * self.calendar.per_year
            if not 1 <= count <= LONGEST or abs(count - round(count)) > 1e-9:
                raise InputError(
                    f"years_left is {self.years_left:g}; it must make a whole number of payments, at least one.",
                    at="years_left",
                )
            return round(count)
        if self.maturity is None:
            return None
        day = self.maturity
        number = self.calendar.number(day)
        if day < self.calendar.first or self.calendar.due(number) != day:
            raise InputError(
                f"maturity is {day}, which is not a due day; the nearest are {self._around(number)}.", at="maturity"
            )
        return number

    @cached_property
    def overdue(self) -> float:
        """What is to be paid at takeover to bring the loan to its schedule: missed payments with their interest."""
        if self.arrears is not None:
            return float(self.arrears)
        if not self.missed_payments:
            return 0.0
        if self.payment is None or self.rate is None:
            raise InputError("Missed payments need the payment and the rate; give both.")
        payment, i = self.payment, float(_loan_rate(self))
        worth = sum(payment * (1 + i) ** k for k in range(self.missed_payments))
        return float(round(worth, Style(self.currency).places))

    @cached_property
    def remaining(self) -> Loan:
        """The loan from the takeover on, arrears paid."""
        common = self._common()
        balance = None
        if self.balance is not None:
            balance = round(self.balance - self.overdue, 9)
            if balance <= 0:
                raise InputError(
                    f"The arrears of {self.overdue:,.2f} must be less than the balance of {self.balance:,.2f}.",
                    at="arrears" if self.arrears is not None else "missed_payments",
                )
        months = None if self.left is None else self.left * 12 / self.calendar.per_year
        if balance is not None and self.rate is not None and self.payment is not None:
            if months is not None:
                try:
                    before = self._before()
                    return Loan(
                        balance, self.rate, payment=self.payment, months=months, payments_before=before, **common
                    )
                except InputError:  # they contradict each other; told below
                    pass
            return Loan(balance, self.rate, payment=self.payment, **common)
        return Loan(balance, self.rate, payment=self.payment, months=months, **common)

    @cached_property
    def made(self) -> int | None:
        """How many payments were due before the takeover, when it can be told."""
        if self.payments_made is not None:
            return self.payments_made
        if self.first_payment is not None:
            first = self.first_payment
            if first >= self.calendar.first:
                raise InputError(
                    f"first_payment is {first}, not before the next payment on {self.calendar.first}.",
                    at="first_payment",
                )
            assert self.run is not None
            number = self.run.number(self.calendar.first)
            # Back from the next due day, too: a 31st was the 29th once.
            if self.run.due(number) == self.calendar.first or self.calendar.regular(2 - number) == first:
                return number - 1
            raise InputError(f"From {first} on, {self.calendar.first} is not a due day.")
        if self.original_years is not None:
            count: float = self.original_years * self.calendar.per_year
            if not 0 < count <= LONGEST:
                raise InputError(
                    f"original_years is {self.original_years:g}; a term makes 1 to {LONGEST:,} payments.",
                    at="original_years",
                )
            left = len(self.remaining.agreed.rows)
            made = round(count) - left
            if abs(count - round(count)) > 1e-9 or made < 0:
                raise InputError(
                    f"original_years is {self.original_years:g}, which makes {count:g} payments; "
                    f"{left} are still to come.",
                    at="original_years",
                )
            return made
        if self.original_amount is not None:
            amount = self.original_amount
            if amount < self.remaining.amount:
                raise InputError(
                    f"original_amount is {amount:,.2f}, less than the {self.remaining.amount:,.2f} that is still owed.",
                    at="original_amount",
                )
            then = Loan(
                amount,
                self.remaining.rate,
                payment=float(self.remaining.payment),
                per_year=self.per_year,
                currency=self.currency,
            )
            balances = [amount, *(then.terms.money(row.balance) for row in then.agreed.rows)]
            return min(range(len(balances)), key=lambda k: abs(balances[k] - self.remaining.amount))
        return None

    @cached_property
    def original(self) -> Loan | None:
        """The loan as it must have been made; None when nothing of it is known."""
        if self.made is None:
            return None
        rest, count = self.remaining, self.made + len(self.remaining.agreed.rows)
        terms = rest.terms
        common: dict[str, Any] = {"per_year": self.per_year, "currency": self.currency, "locale": self.locale}
        common["start"] = self.calendar.regular(-self.made)
        common["first_payment"] = self.calendar.regular(1 - self.made)
        if self.first_payment is not None:  # the due day of a short month is not the loan's own
            common["first_payment"] = self.first_payment
        if self.original_amount is not None:
            # With the agreed number of payments, the last of which clears, where these terms fit together.
            months = count * 12 / self.calendar.per_year
            try:
                return Loan(self.original_amount, rest.rate, payment=float(rest.payment), months=months, **common)
            except InputError:
                return Loan(self.original_amount, rest.rate, payment=float(rest.payment), **common)
        # Back from the balance: each payment added, the interest of its period taken off.
        i = float(terms.agreement.periodic(terms.agreement.rate))
        owed = rest.amount
        for _ in range(self.made):
            owed = (owed + rest.payment) / (1 + i)
        # The round amount it was, when the same payment belongs to one nearby.
        for places in (-4, -3, -2, -1, 0, 2):
            near = round(owed, places)
            if near > 0 and abs(near - owed) <= max(1.0, 2e-5 * owed):
                try:
                    found = Loan(near, rest.rate, months=count * 12 / self.calendar.per_year, **common)
                except (InputError, NoAnswer):
                    continue
                if abs(found.payment - rest.payment) < 10.0**-terms.scale / 2:
                    return found
        return Loan(round(owed, terms.scale), rest.rate, payment=float(rest.payment), **common)

    def _before(self) -> int:
        """The payments made before, where that is said and need not be worked out."""
        counted = self.payments_made is not None or self.first_payment is not None
        return (self.made or 0) if counted else 0

    def _common(self) -> dict[str, Any]:
        return {
            "per_year": self.per_year,
            "currency": self.currency,
            "locale": self.locale,
            "start": self.calendar.regular(0),
            "first_payment": self.calendar.first,
        }

    def _around(self, number: int) -> str:
        return f"{self.calendar.due(max(number - 1, 1))} and {self.calendar.due(number)}"


def _loan_rate(takeover: KnownLoan) -> Any:
    agreement = Loan(1_000_000, takeover.rate, years=1, per_year=takeover.per_year).terms.agreement
    return agreement.periodic(agreement.rate)

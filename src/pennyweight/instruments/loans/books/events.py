"""What happens to a loan, as it is written: events, extra payments that come again, payment holidays."""

from __future__ import annotations

import datetime as dt
from dataclasses import KW_ONLY, dataclass, field
from typing import Literal, TypeAlias

import numpy as np

from pennyweight.core.loans.agreement import LONGEST
from pennyweight.described import Described, frozen
from pennyweight.errors import InputError, choice, within
from pennyweight.quantities.amounts import read_amount
from pennyweight.quantities.dates import read_date
from pennyweight.quantities.numbers import as_float, is_whole_text, whole
from pennyweight.quantities.periods import read_per_year
from pennyweight.quantities.rates import Rate, read_rate

__all__ = ["EVENTS", "Event", "EventKind", "Moment", "PaymentHoliday", "Recurring", "When", "payment_number"]

Date: TypeAlias = str | dt.date | np.datetime64
When: TypeAlias = Date | int


@dataclass(frozen=True, slots=True)
class EventKind:
    """A kind of event: its words, and the rules of its day."""

    noun: str
    """What one is called: "The rate step of 2027-06-30 …"."""
    plural: str
    """What two on one day are called, where one is the most."""
    reads: Literal["rate", "amount"] = "amount"
    happened: bool = True
    """Whether it tells what really happened up to its day."""
    on_due_days: bool = False
    """Whether it belongs to a due day."""
    states: bool = False
    """Whether it states what is owed, whatever the schedule says."""
    repeats: bool = False
    """Whether one day may hold several."""


EVENTS: dict[str, EventKind] = {
    "rate": EventKind("rate step", "rates", reads="rate", happened=False),
    "extra": EventKind("extra payment", "extra payments", happened=False, repeats=True),
    "paid": EventKind("payment", "payments made", on_due_days=True),
    "balance": EventKind("statement", "balances", states=True),
}
"""Every kind of event by its word in files and calls; what it does to the books is `core/loans/exact`'s."""


@dataclass(frozen=True, slots=True)
class Moment:
    """When something happens: on a day, or with a payment of this number."""

    number: int | None
    day: np.datetime64 | None

    @classmethod
    def read(cls, when: When, what: str) -> Moment:
        """Read a day, or the number of a payment; `what` names it in an error."""
        number = payment_number(when)
        return cls(number, None) if number is not None else cls(None, read_date(when, what=what))

    def __str__(self) -> str:
        return str(self.day) if self.number is None else f"payment {self.number}"


@dataclass(frozen=True, slots=True, repr=False)
class Event(Described):
    """Something that happened or will: `when` is a day, or the number of a payment.

    Parameters
    ----------
    what : str
        "rate" (a new yearly rate from then on), "extra" (paid on top), "paid" (what was paid instead of what was due
        that day, also 0) or "balance" (what the lender states is owed, after all that is paid that day).
    amount : str | float
        In the currency, or the yearly rate.
    where : str
        Names its place in messages.

    Examples
    --------
    >>> from pennyweight import Loan
    >>> Loan(1_000, "0%", years=1, events=[Event(3, "extra", 250)]).schedule.balance_after(3)
    500.01
    """

    when: When
    what: str
    amount: str | float
    _: KW_ONLY
    where: str = field(default="", compare=False)
    moment: Moment = field(init=False, repr=False, compare=False)
    """`when` as it was read."""
    value: float = field(init=False, repr=False, compare=False)
    """The amount as it was read; of a rate, the yearly fraction."""
    compounding: float | None = field(init=False, repr=False, compare=False)

    def __post_init__(self) -> None:
        choice(self.what, EVENTS, within(self.where or "An event", ": what"))
        moment = Moment.read(self.when, within(self.where or "An event", ": the date"))
        where = self.where or f"The event '{self.what}' of {moment}"
        rate = Rate(0.0)
        is_rate = self.kind.reads == "rate"
        if is_rate:
            rate = read_rate(self.amount, what=within(where, ": the rate"))
            if rate.value < 0:
                raise InputError(f"{where}: the rate is {self.amount}; it must be 0 or more.", at=where)
        value = rate.value if is_rate else read_amount(self.amount, what=within(where, ": the amount"))
        if value < 0:
            raise InputError(
                f"{where}: the amount is {self.amount}; write it above zero, the word says which way it goes.", at=where
            )
        frozen(self, moment=moment, value=value, compounding=rate.compounding)

    @property
    def kind(self) -> EventKind:
        """Its kind."""
        return EVENTS[self.what]


@dataclass(frozen=True, slots=True, repr=False)
class Recurring(Described):
    """An extra payment that comes again, from `first` to `last` (days, or numbers of payments), `per_year` times.

    Parameters
    ----------
    amount : str | float
        In the currency.
    first, last : str | int | day
        Days, or numbers of payments; without a last one until the loan is paid off.
    per_year : str | int, default "month"
        How often a year: a number, or a word such as "quarter".
    rising : str | float, default 0.0
        Makes it grow by a yearly rate, at each anniversary of the first.
    where : str
        Names its place in messages.

    Examples
    --------
    >>> from pennyweight import Loan
    >>> each = Recurring(100, 1, per_year="year", rising="10%")
    >>> Loan(9_000, "0%", years=5, extras=[each]).frame["extra"].iloc[[0, 12]].tolist()
    [100.0, 110.0]
    """

    amount: str | float
    first: When
    last: When | None = None
    _: KW_ONLY
    per_year: str | int = "month"
    rising: str | float = 0.0
    where: str = field(default="", compare=False)
    begin: Moment = field(init=False, repr=False, compare=False)
    """`first` as it was read."""
    end: Moment | None = field(init=False, repr=False, compare=False)
    value: float = field(init=False, repr=False, compare=False)
    growth: float = field(init=False, repr=False, compare=False)
    often: int = field(init=False, repr=False, compare=False)

    def __post_init__(self) -> None:
        where = self.where or "The recurring extra payment"
        value = read_amount(self.amount, what=within(where, ": the amount"))
        if value <= 0:
            raise InputError(f"{where}: the amount is {self.amount}; write one above zero.", at=where)
        date = within(where, ": the date")
        frozen(
            self,
            begin=Moment.read(self.first, date),
            end=None if self.last is None else Moment.read(self.last, date),
            value=value,
            growth=read_rate(self.rising, what=within(where, ": rising")).effective(),
            often=read_per_year(self.per_year, what=within(where, ": per_year")),
        )


@dataclass(frozen=True, slots=True, repr=False)
class PaymentHoliday(Described):
    """`payments` payments left out from `first` on; their interest is "added" to the balance, or "paid".

    Parameters
    ----------
    first : str | int | day
        The first payment that is left out, by its day or its number.
    payments : int
        How many are left out.
    interest : "added" | "paid", default "added"
        What becomes of their interest.
    where : str
        Names its place in messages.

    Examples
    --------
    >>> from pennyweight import Loan
    >>> Loan(1_200, "0%", years=1, holidays=[PaymentHoliday(3, 2)]).frame["payment"].iloc[2:5].tolist()
    [0.0, 0.0, 125.0]
    """

    first: When
    payments: int
    _: KW_ONLY
    interest: Literal["added", "paid"] = "added"
    where: str = field(default="", compare=False)
    begin: Moment = field(init=False, repr=False, compare=False)
    """`first` as it was read."""
    long: int = field(init=False, repr=False, compare=False)

    def __post_init__(self) -> None:
        where = self.where or "The payment holiday"
        choice(self.interest, ("added", "paid"), within(where, ": the interest"))
        begin = Moment.read(self.first, within(where, ": the date"))
        long = whole(self.payments, what=within(where, ": payments"), least=1, most=1_200)
        frozen(self, begin=begin, long=long)


def payment_number(when: object) -> int | None:
    """The number of a payment, when that is what is given: a whole number, or its digits; else None.

    >>> payment_number(" 12"), payment_number("2027-01-31")
    (12, None)
    """
    if isinstance(when, str):
        return int(when) if is_whole_text(when.strip()) and len(when) < 20 else None
    number = as_float(when)
    return None if number is None else whole(when, what="The number of a payment", least=-10 * LONGEST, most=10**12)

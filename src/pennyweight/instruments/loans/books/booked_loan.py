"""A loan with its books: terms, what happens to it, and its schedules as agreed and as it is."""

from __future__ import annotations

from dataclasses import fields
from functools import cached_property
from typing import TYPE_CHECKING, Any, ClassVar, Self

from pennyweight.core.loans.agreement import Books
from pennyweight.core.loans.exact import keep_books
from pennyweight.described import frozen
from pennyweight.documents.shown import Shown
from pennyweight.errors import InputError, NoAnswer, nearest
from pennyweight.instruments.loans.books.events import Event, PaymentHoliday, Recurring
from pennyweight.instruments.loans.books.loan_request import LoanRequest
from pennyweight.instruments.loans.books.percentage_rate import loan_apr
from pennyweight.instruments.loans.books.schedule import Schedule
from pennyweight.instruments.loans.books.settling import settle
from pennyweight.instruments.loans.books.terms import LoanTerms
from pennyweight.instruments.loans.books.timetable import Timetable
from pennyweight.quantities.argument_checks import a_list, a_text
from pennyweight.quantities.dates import read_date
from pennyweight.quantities.rates import KnownRate

if TYPE_CHECKING:
    import pandas as pd

__all__ = ["BookedLoan"]


class BookedLoan(LoanRequest, Shown):
    """A loan with its books; see `Loan`, which adds what can be asked of it."""

    INTERNAL: ClassVar[tuple[str, ...]] = ("refuse_stuck", "timetable", "terms", "given")

    terms: LoanTerms
    """The terms in smallest units."""
    given: dict[str, Any]
    """The terms as they were given."""

    def __post_init__(self) -> None:
        super().__post_init__()
        a_text(self.title, what="title")
        events = [_event(one) for one in a_list(self.events, what="events", of="events")]
        frozen(self, events=events)
        for name, kind in (("extras", Recurring), ("holidays", PaymentHoliday)):
            listed = a_list(getattr(self, name), what=name, of=kind.__name__)
            if wrong := [one for one in listed if not isinstance(one, kind)]:
                raise InputError(f"{name} hold {wrong[0]!r}; each must be a {kind.__name__}.", at=name)
            frozen(self, **{name: listed})
        given = {one.name: getattr(self, one.name) for one in fields(self)}
        _leave_out_worked_out(given)
        object.__setattr__(self, "given", given)
        terms = settle(LoanRequest(**given))
        object.__setattr__(self, "terms", terms)
        filled = {"amount": terms.lent, "payment": self.agreed.payment}
        for name, value in filled.items():
            object.__setattr__(self, name, value if given[name] is not None else WorkedOut(value))
        rate = terms.rate.value
        kept = KnownRate(rate, terms.said_compounding) if given["rate"] is not None else WorkedOutRate(rate)
        object.__setattr__(self, "rate", kept)

    def but(self, **changes: Any) -> Self:
        """The same loan with other terms; one that was worked out is worked out again. `changes` are terms by name.

        >>> from pennyweight import Loan
        >>> Loan(100_000, "6%", years=30).but(years=15).payment
        843.86
        """
        for name in changes:
            if name not in self.given:
                raise InputError(f"A loan has no '{name}'{nearest(name, self.given) or '.'}")
        return type(self)(**{**self.given, **changes})

    @cached_property
    def agreed(self) -> Schedule:
        """The schedule as agreed, before anything happened."""
        books = keep_books(self.terms.agreement)
        self.refuse_stuck(books)
        return Schedule(self.terms, books)

    @cached_property
    def schedule(self) -> Schedule:
        """The schedule as it is, with everything that happens."""
        if not (self.events or self.extras or self.holidays):
            return self.agreed
        table = self.timetable
        books = keep_books(table.agreement(), table.entries)
        self.refuse_stuck(books)
        return Schedule(self.terms, books, timetable=table)

    @cached_property
    def timetable(self) -> Timetable:
        """The events placed among the payments."""
        events = [_event(event) for event in self.events]
        rows = 2 * len(self.agreed.rows) + 24
        return Timetable(self.terms, events, self.extras, self.holidays, rows)

    @cached_property
    def made(self) -> int:
        """How many payments lie on or before the day the key facts are told for."""
        calendar = self.terms.calendar
        if self.as_of is not None:
            if calendar is None:
                raise InputError(
                    "as_of is a date, and the loan has none; give the start or the first payment.", at="as_of"
                )
            day = read_date(self.as_of, what="as_of")
            if day < calendar.start:
                raise InputError(f"as_of is {day}, before the start of the loan on {calendar.start}.", at="as_of")
            return min(calendar.made_by(day), len(self.schedule.rows))
        known = self.timetable.last_known if self.events else None
        if known is not None and calendar is not None:
            return min(calendar.made_by(known), len(self.schedule.rows))
        return 0

    @cached_property
    def apr(self) -> float | None:
        """The yearly percentage rate of the loan as agreed, fees included, by unit-periods (Regulation Z, app. J).

        None when no single rate fits.
        """
        return loan_apr(self.agreed, "us")

    @cached_property
    def apr_eu(self) -> float | None:
        """The annual percentage rate of charge of the loan as agreed, fees included, by the EU directives' equation."""
        return loan_apr(self.agreed, "eu")

    @property
    def frame(self) -> pd.DataFrame:
        """The schedule as it is, a row a payment (see `Schedule.frame`)."""
        return self.schedule.frame

    @property
    def frames(self) -> dict[str, pd.DataFrame]:
        """`payments` and `years` as it is, `agreed_payments` and `agreed_years` before anything happened."""
        return {
            "payments": self.schedule.frame,
            "years": self.schedule.yearly,
            "agreed_payments": self.agreed.frame,
            "agreed_years": self.agreed.yearly,
        }

    @property
    def checks(self) -> tuple[tuple[bool, str], ...]:
        """What the schedule checks of itself."""
        return self.schedule.checks

    def refuse_stuck(self, books: Books) -> None:
        """NoAnswer when books of this loan never come to an end.

        `books` are those of this loan.

        >>> from pennyweight import Loan
        >>> loan = Loan(1_000, "6%", years=1)
        >>> loan.refuse_stuck(loan.schedule.books)
        """
        if books.stuck is None:
            return
        number, payment, interest = books.stuck
        style, money = self.terms.style, self.terms.money
        shown = [style.show(money(value), "money") for value in (payment, interest)]
        if number > 1_000 or payment > interest:
            raise NoAnswer(f"After {number:,} payments of {shown[0]} the loan is still not paid off; pay more.")
        what = "first interest of" if number == 1 else f"interest of payment {number},"
        raise NoAnswer(f"The payment of {shown[0]} never covers the {what} {shown[1]}.")


class WorkedOut(float):
    """An amount that a loan worked out: a float that is worked out anew when the loan is made with other terms."""


class WorkedOutRate(KnownRate):
    """A rate that a loan worked out."""


def _leave_out_worked_out(given: dict[str, Any]) -> None:
    """Of amount, rate, term and payment one follows from the others: the one that did before, where all are given."""
    level = isinstance(given["repaid"], str) and given["repaid"] == "level payment"
    has_term = given["years"] is not None or given["months"] is not None
    if level and not (has_term and all(given[name] is not None for name in ("amount", "rate", "payment"))):
        return
    for name in ("payment", "amount", "rate") if level else ("payment",):
        if isinstance(given[name], WorkedOut | WorkedOutRate):
            given[name] = None
            return


def _event(given: Any) -> Event:
    if isinstance(given, Event):
        return given
    if not isinstance(given, tuple | list) or len(given) != 3:
        raise InputError(f"events hold {given!r}; each must be an Event, or (when, what, amount).")
    return Event(*given)

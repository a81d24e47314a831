"""What happens to a loan: events as they are written, and the same as entries of its books."""

from __future__ import annotations

import datetime as dt
from collections.abc import Sequence
from dataclasses import dataclass, replace
from decimal import ROUND_HALF_UP, Decimal
from fractions import Fraction
from typing import Any, Literal, TypeAlias

import numpy as np

from pennyweight.core.dates import DATED, Days, due_days
from pennyweight.core.loans.exact import LONGEST, Agreement, Books, Entry
from pennyweight.errors import InputError, choice
from pennyweight.instruments.loans.terms import EVENT_WORDS, LoanTerms, exact_rate, share_between, units_of
from pennyweight.quantities.amounts import read_amount
from pennyweight.quantities.dates import read_date
from pennyweight.quantities.numbers import as_float, is_whole_text, whole
from pennyweight.quantities.periods import read_per_year
from pennyweight.quantities.rates import read_rate

__all__ = ["Event", "Holiday", "Recurring", "Statement", "Timetable", "payment_number"]

Date: TypeAlias = str | dt.date | np.datetime64
When: TypeAlias = Date | int


@dataclass(frozen=True, slots=True)
class Event:
    """Something that happened or will: `when` is a day, or the number of a payment.

    `what` is "rate" (a new yearly rate from then on), "extra" (paid on top), "paid" (what was paid instead of what was
    due that day, also 0) or "balance" (what the lender states is owed, after that day's payment).

    >>> from pennyweight import Loan
    >>> Loan(1_000, "0%", years=1, events=[Event(3, "extra", 250)]).schedule.balance_after(3)
    500.01
    """

    when: When
    what: str
    amount: str | float
    where: str = ""


@dataclass(frozen=True, slots=True)
class Recurring:
    """An extra payment that comes again, from `first` to `last` (days, or numbers of payments), `per_year` times.

    `rising` makes it grow by a yearly rate, at each anniversary of the first.

    >>> from pennyweight import Loan
    >>> each = Recurring(100, 1, per_year="year", rising="10%")
    >>> Loan(9_000, "0%", years=5, extras=[each]).frame["extra"].iloc[[0, 12]].tolist()
    [100.0, 110.0]
    """

    amount: str | float
    first: When
    last: When | None = None
    per_year: str | int = "month"
    rising: str | float = 0.0
    where: str = ""


@dataclass(frozen=True, slots=True)
class Holiday:
    """`payments` payments left out from `first` on; their interest is "added" to the balance, or "paid".

    >>> from pennyweight import Loan
    >>> Loan(1_200, "0%", years=1, holidays=[Holiday(3, 2)]).frame["payment"].iloc[2:5].tolist()
    [0.0, 0.0, 125.0]
    """

    first: When
    payments: int
    interest: Literal["added", "paid"] = "added"
    where: str = ""


@dataclass(frozen=True, slots=True)
class Statement:
    """A lender's statement beside the schedule, in the currency."""

    when: str
    by_schedule: float
    stated: float

    @property
    def difference(self) -> float:
        """Stated less schedule."""
        return self.stated - self.by_schedule


class Timetable:
    """The events of a loan, placed among its payments."""

    def __init__(
        self,
        terms: LoanTerms,
        events: Sequence[Event],
        extras: Sequence[Recurring],
        holidays: Sequence[Holiday],
        rows: int,
    ) -> None:
        self.terms, self.calendar, self.events = terms, terms.calendar, events
        self.remarks: list[str] = []
        self.entries: list[Entry] = []
        self.last_statement = 0
        """The payment up to which the rows are history."""
        self.last_known: np.datetime64 | None = None
        """The last day on which what really happened is known."""
        self._check_order()
        self.stated_inside = self._stated_inside()
        for key, event in enumerate(events):
            self.entries.append(self._entry(event, key))
        for extra in extras:
            self.entries += self._recurring(extra, rows)
        self.holidays = self._holidays(holidays)

    def agreement(self) -> Agreement:
        """The agreement with its payment holidays."""
        return replace(self.terms.agreement, holidays=self.holidays)

    def statements(self, books: Books) -> tuple[Statement, ...]:
        """Each stated balance beside the schedule's."""
        money = self.terms.money
        return tuple(
            Statement(self._named(self.events[key]), money(mine), money(stated))
            for key, (mine, stated) in sorted(books.corrections.items())
        )

    def told(self, books: Books, ended: str) -> tuple[str, ...]:
        """What could not be booked, in words."""
        style, money = self.terms.style, self.terms.money
        found = list(self.remarks)
        for entry, left in books.unused:
            if entry.key < 0:
                continue
            event = self.events[entry.key]
            what = {"rate": "rate step", "paid": "payment", "balance": "statement", "extra": "extra payment"}[
                entry.what
            ]
            named = f"The {what} {self._named(event, 'of')}"
            if entry.what == "rate":
                found.append(f"{named} comes after the loan is paid off, {ended}; it changes nothing.")
                continue
            given = read_amount(event.amount)
            shown = style.with_unit(given, "money")
            if entry.what == "balance" or money(left) == given:
                found.append(f"{named} of {shown} comes after the loan is paid off, {ended}; it is not counted.")
            else:
                over = style.with_unit(money(left), "money")
                found.append(f"{named} of {shown} is {over} more than was owed; that part is not counted.")
        return tuple(found)

    # Where things stand.

    def _check_order(self) -> None:
        seen: dict[tuple[str, str], Event] = {}
        before: Event | None = None
        for event in self.events:
            choice(event.what, EVENT_WORDS, f"{event.where or 'An event'}: what")
            if before is not None and _same_kind(before, event) and _order(event) < _order(before):
                raise InputError(
                    f"{event.where or 'An event'} is {self._named(event, 'of')}, after one "
                    f"{self._named(before, 'of')}; put the events in order."
                )
            key = (self._named(event), event.what)
            if event.what != "extra" and key in seen:
                words = {"balance": "balances", "paid": "payments made", "rate": "rates"}[event.what]
                raise InputError(
                    f"{event.where or 'events'}: there are two {words} {self._named(event, 'on')}; keep one."
                )
            seen[key] = event
            before = event

    def _entry(self, event: Event, key: int) -> Entry:
        where = event.where or f"The event '{event.what}' {self._named(event, 'of')}"
        if event.what == "rate":
            return self._rate(event, key, where)
        value = read_amount(event.amount, what=f"{where}: the amount")
        if value < 0:
            raise InputError(
                f"{where}: the amount is {event.amount}; write it above zero, the word says which way it goes."
            )
        units = units_of(value, self.terms.style, self.terms.agreement.rounding, f"{where}: the amount")
        number, day = self._place(event.when, where)
        if day is None or self.calendar is None or day == self.calendar.due(number):
            if event.what != "extra":
                self._known(number, day)
            if event.what == "balance":
                self.last_statement = max(self.last_statement, number)
            return Entry(number, event.what, units, None, key)
        if event.what == "paid":
            around = f"{self.calendar.due(number - 1)} and {self.calendar.due(number)}"
            raise InputError(
                f"{where}: {day} is no due day (those around it are {around}); write what was paid on its due day."
            )
        if event.what == "balance":
            self._known(number - 1, day)
            self.last_statement = max(self.last_statement, number - 1)
        if self.terms.day_count is not None:
            share = share_between(self.calendar.due(number - 1), day, self.terms.day_count)
            return Entry(number, event.what, units, share, key)
        # Equal periods know no days: a balance stands for the whole period it lies in, an extra counts from the
        # next due day, unless such a balance holds it already.
        back = event.what == "balance" or self._is_stated(number, day)
        return Entry(number - 1 if back else number, event.what, units, None, key)

    def _rate(self, event: Event, key: int, where: str) -> Entry:
        read = read_rate(event.amount, what=f"{where}: the rate")
        if read.compounding not in (None, self.terms.rate.compounding):
            raise InputError(f"{where}: '{event.amount}' must compound as the loan's rate does.")
        if read.value < 0:
            raise InputError(f"{where}: the rate is {event.amount}; a loan's is 0 or more.")
        rate = exact_rate(read.value)
        number, day = self._place(event.when, where, from_start=True)
        if day is None or self.calendar is None:
            return Entry(number, "rate", rate, _AT_ONCE, key)
        if day == self.calendar.due(number):
            return Entry(number + 1, "rate", rate, _AT_ONCE, key)
        if day == self.calendar.start:
            return Entry(number, "rate", rate, _AT_ONCE, key)
        if self.terms.day_count is not None:
            share = share_between(self.calendar.due(number - 1), day, self.terms.day_count)
            return Entry(number, "rate", rate, share, key)
        self.remarks.append(
            f"The rate of {event.amount} of {day} counts from the due day {self.calendar.due(number)} on."
        )
        return Entry(number + 1, "rate", rate, _AT_ONCE, key)

    def _place(self, when: When, where: str, *, from_start: bool = False) -> tuple[int, np.datetime64 | None]:
        """(the payment due on or next after it, its day; None when payments are numbered)."""
        number, date = _split(when)
        if number is not None:
            if number < 1:
                raise InputError(f"{where}: payment {number} comes before the first, which is 1.")
            return number, None
        day = read_date(date, what=f"{where}: the date")
        if self.calendar is None:
            raise InputError(f"{where}: {day} is a date, and the loan has none; give the start or the first payment.")
        if day < self.calendar.start or (
            day == self.calendar.start and not (from_start or self.terms.agreement.at_start)
        ):
            raise InputError(f"{where}: {day} is not after the start of the loan, {self.calendar.start}.")
        return self.calendar.number(day), day

    def _known(self, number: int, day: np.datetime64 | None) -> None:
        if day is None and self.calendar is not None:
            day = self.calendar.due(number)
        if day is not None and (self.last_known is None or day > self.last_known):
            self.last_known = day

    def _stated_inside(self) -> dict[int, np.datetime64]:
        """By equal periods: the last day on which a balance is stated inside a period, by the payment that ends it."""
        found: dict[int, np.datetime64] = {}
        for event in self.events:
            number, date = _split(event.when)
            if event.what != "balance" or number is not None or self.calendar is None or self.terms.day_count:
                continue
            day = read_date(date, what=f"{event.where or 'An event'}: the date")
            number = self.calendar.number(day)
            if day != self.calendar.due(number):
                found[number] = max(day, found.get(number, day))
        return found

    def _is_stated(self, number: int, day: np.datetime64) -> bool:
        """Whether what is paid extra on a day is part of a balance stated later in the same period."""
        return number in self.stated_inside and bool(day <= self.stated_inside[number])

    def _recurring(self, extra: Recurring, rows: int) -> list[Entry]:
        terms, what = self.terms, extra.where or "The recurring extra payment"
        amount = read_amount(extra.amount, what=f"{what}: the amount")
        if amount <= 0:
            raise InputError(f"{what}: the amount is {extra.amount}; write one above zero.")
        rising = read_rate(extra.rising, what=f"{what}: rising").effective()
        often = read_per_year(extra.per_year, what=f"{what}: per_year")
        first, day = self._place(extra.first, what)
        last, last_day = (rows, None) if extra.last is None else self._place(extra.last, what)
        if last < first or (day is not None and last_day is not None and last_day < day):
            raise InputError(f"{what} ends on {extra.last}, before it begins on {extra.first}; write the first first.")
        found = []
        if day is None or self.calendar is None:
            if terms.per_year % often:
                raise InputError(
                    f"{what} comes {often} times a year; that does not fit {terms.per_year} payments a year."
                )
            numbers = range(first, min(last, max(rows, first)) + 1, terms.per_year // often)
            placed: list[tuple[int, Fraction | None]] = [(number, None) for number in numbers]
        else:
            if often not in DATED:
                raise InputError(f"{what}: dates come {', '.join(map(str, DATED))} times a year, not {often}.")
            until = last_day or self.calendar.due(rows)
            count = int((until - day).astype(np.int64) * often / 364) + 2
            days = due_days(day, often, np.arange(count))
            placed = self._placed(days[days <= until], max(rows, last))
        for k, (number, share) in enumerate(placed):
            grown = Decimal(repr(amount)) * Decimal(repr(1 + rising)) ** (k // often)
            if grown > Decimal("1e14"):
                raise InputError(f"{what} rises to {grown:.3g}; make it rise more slowly, or end it with 'to'.")
            places = Decimal(1).scaleb(-terms.style.places)
            value = float(grown if terms.agreement.rounding is None else grown.quantize(places, rounding=ROUND_HALF_UP))
            found.append(Entry(number, "extra", units_of(value, terms.style, terms.agreement.rounding, what), share))
        return found

    def _placed(self, days: Days, most: int) -> list[tuple[int, Fraction | None]]:
        """Each day's payment, and how far into its period, where that counts."""
        assert self.calendar is not None
        numbers, on_due = self.calendar.numbers(days, most)
        if self.terms.day_count is None:
            pairs = zip(numbers.tolist(), days, strict=True)
            return [(number - 1 if self._is_stated(number, day) else number, None) for number, day in pairs]
        return [
            (number, None if due else share_between(self.calendar.due(number - 1), day, self.terms.day_count))
            for number, due, day in zip(numbers.tolist(), on_due.tolist(), days, strict=True)
        ]

    def _holidays(self, holidays: Sequence[Holiday]) -> dict[int, Literal["added", "paid"]]:
        found: dict[int, Literal["added", "paid"]] = {}
        for holiday in holidays:
            named = holiday.where or "The payment holiday"
            choice(holiday.interest, ("added", "paid"), f"{named}: the interest")
            number, day = self._place(holiday.first, named)
            if day is not None and self.calendar is not None and day != self.calendar.due(number):
                raise InputError(
                    f"{named} begins on {day}, which is not a due day; the next is {self.calendar.due(number)}."
                )
            long = whole(holiday.payments, what=f"{named}: payments", least=1, most=1_200)
            count = self.terms.agreement.count
            if count is not None and number + long > count:
                raise InputError(f"{named} runs to the agreed end of the loan or past it; make it shorter.")
            found.update(dict.fromkeys(range(number, number + long), holiday.interest))
        return found

    def _named(self, event: Event, before: str = "") -> str:
        number = payment_number(event.when)
        text = f"payment {number}" if number is not None else str(event.when)
        return f"{before} {text}".strip()


_AT_ONCE = Fraction(0)


def payment_number(when: object) -> int | None:
    """The number of a payment, when that is what is given: a whole number, or its digits; else None.

    >>> payment_number(" 12"), payment_number("2027-01-31")
    (12, None)
    """
    if isinstance(when, str):
        return int(when) if is_whole_text(when.strip()) and len(when) < 20 else None
    number = as_float(when)
    return None if number is None else whole(when, what="The number of a payment", least=-10 * LONGEST, most=10**12)


def _split(when: When) -> tuple[int | None, Any]:
    """(the number of a payment, when it is one, else None; what may be a day)."""
    number = payment_number(when)
    return number, "" if number is not None else when


def _order(event: Event) -> tuple[int, str]:
    return payment_number(event.when) or 0, str(event.when)


def _same_kind(one: Event, other: Event) -> bool:
    return (payment_number(one.when) is None) == (payment_number(other.when) is None)

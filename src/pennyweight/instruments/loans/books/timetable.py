"""The events of a loan placed among its payments: entries of its books."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from decimal import ROUND_HALF_UP, Decimal
from fractions import Fraction
from typing import Literal

import numpy as np

from pennyweight.core.dates import DATED, Days, due_days
from pennyweight.core.loans.agreement import LONGEST, Agreement, Books, Entry
from pennyweight.described import Described
from pennyweight.errors import InputError, within
from pennyweight.instruments.loans.books.events import Event, Moment, PaymentHoliday, Recurring
from pennyweight.instruments.loans.books.terms import LoanTerms, share_between, units_of
from pennyweight.instruments.loans.books.unknown import exact_rate

__all__ = ["Statement", "Timetable"]

_AT_ONCE = Fraction(0)


@dataclass(frozen=True, slots=True, repr=False)
class Statement(Described):
    """A lender's statement beside the schedule, in the currency.

    Examples
    --------
    >>> from pennyweight import Loan
    >>> loan = Loan(1_000, "0%", years=1, events=[(3, "balance", 760)])
    >>> [(one.when, one.difference) for one in loan.schedule.statements]
    [('payment 3', 9.990000000000009)]
    """

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
        holidays: Sequence[PaymentHoliday],
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
            Statement(str(self.events[key].moment), money(mine), money(stated))
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
            what = event.kind.noun
            named = f"The {what} of {event.moment}"
            if event.kind.reads == "rate":
                found.append(f"{named} comes after the loan is paid off, {ended}; it changes nothing.")
                continue
            shown = style.with_unit(event.value, "money")
            if event.kind.states or money(left) == event.value:
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
            if before is not None and _comes_before(event.moment, before.moment):
                where = event.where or "An event"
                raise InputError(
                    f"{where} is of {event.moment}, after one of {before.moment}; sort the events by date.", at=where
                )
            key = (str(event.moment), event.what)
            if not event.kind.repeats and key in seen:
                where = event.where or "events"
                raise InputError(f"{where}: there are two {event.kind.plural} on {event.moment}; keep one.", at=where)
            seen[key] = event
            before = event

    def _entry(self, event: Event, key: int) -> Entry:
        where = event.where or f"The event '{event.what}' of {event.moment}"
        if event.kind.reads == "rate":
            return self._rate(event, key, where)
        what = within(where, ": the amount")
        units = units_of(event.value, self.terms.style, self.terms.agreement.rounding, what)
        number, day = self._place(event.moment, where)
        if day is None or self.calendar is None or day == self.calendar.due(number):
            if event.kind.happened:
                self._known(number, day)
            if event.kind.states:
                self.last_statement = max(self.last_statement, number)
            return Entry(number, event.what, units, None, key)
        if event.kind.on_due_days:
            around = f"{self.calendar.due(number - 1)} and {self.calendar.due(number)}"
            raise InputError(
                f"{where}: {day} is not a due day; the nearest are {around}. Give the payment with its due day.",
                at=where,
            )
        if event.kind.states:
            self._known(number - 1, day)
            self.last_statement = max(self.last_statement, number - 1)
        if self.terms.day_count is not None:
            share = share_between(self.calendar.due(number - 1), day, self.terms.day_count)
            return Entry(number, event.what, units, share, key)
        # Equal periods know no days: a balance stands for the whole period it lies in, an extra counts from the
        # next due day, unless such a balance holds it already.
        back = event.kind.states or self._is_stated(number, day)
        return Entry(number - 1 if back else number, event.what, units, None, key)

    def _rate(self, event: Event, key: int, where: str) -> Entry:
        if event.compounding not in (None, self.terms.rate.compounding):
            raise InputError(f"{where}: '{event.amount}' must compound as the loan's rate does.", at=where)
        rate = exact_rate(event.value)
        number, day = self._place(event.moment, where, from_start=True)
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

    def _place(self, moment: Moment, where: str, *, from_start: bool = False) -> tuple[int, np.datetime64 | None]:
        """(the payment due on or next after it, its day; None when payments are numbered)."""
        if moment.number is not None:
            if moment.number < 1:
                raise InputError(f"{where}: payment {moment.number} comes before the first, which is 1.", at=where)
            if moment.number > LONGEST:
                raise InputError(
                    f"{where}: payment {moment.number} lies beyond {LONGEST:,}, the most payments that a loan has.",
                    at=where,
                )
            return moment.number, None
        assert moment.day is not None
        day = moment.day
        if self.calendar is None:
            raise InputError(
                f"{where}: {day} is a date, and the loan has none; give the start or the first payment.", at=where
            )
        if day < self.calendar.start or (
            day == self.calendar.start and not (from_start or self.terms.agreement.at_start)
        ):
            raise InputError(f"{where}: {day} is not after the start of the loan, {self.calendar.start}.", at=where)
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
            day = event.moment.day
            if not event.kind.states or day is None or self.calendar is None or self.terms.day_count:
                continue
            number = self.calendar.number(day)
            if day != self.calendar.due(number):
                found[number] = max(day, found.get(number, day))
        return found

    def _is_stated(self, number: int, day: np.datetime64) -> bool:
        """Whether what is paid extra on a day is part of a balance stated later in the same period."""
        return number in self.stated_inside and bool(day <= self.stated_inside[number])

    def _recurring(self, extra: Recurring, rows: int) -> list[Entry]:
        terms, what = self.terms, extra.where or "The recurring extra payment"
        often = extra.often
        first, day = self._place(extra.begin, what)
        last, last_day = (rows, None) if extra.end is None else self._place(extra.end, what)
        if last < first or (day is not None and last_day is not None and last_day < day):
            raise InputError(
                f"{what} ends on {extra.last}, before it begins on {extra.first}; write the earlier one first.", at=what
            )
        found = []
        if day is None or self.calendar is None:
            if terms.per_year % often:
                raise InputError(
                    f"{what} comes {often} times a year; that does not fit {terms.per_year} payments a year.", at=what
                )
            numbers = range(first, min(last, max(rows, first)) + 1, terms.per_year // often)
            placed: list[tuple[int, Fraction | None]] = [(number, None) for number in numbers]
        else:
            if often not in DATED:
                raise InputError(
                    f"{what}: an extra payment with dates comes {', '.join(map(str, DATED))} times a year, not "
                    f"{often}.",
                    at=what,
                )
            until = self.calendar.due(max(min(last, rows), first))
            until = until if last_day is None else min(last_day, max(until, self.calendar.due(rows)))
            count = int((until - day).astype(np.int64) * often / 364) + 2
            days = due_days(day, often, np.arange(count))
            placed = self._placed(days[days <= until], max(rows, first))
        for k, (number, share) in enumerate(placed):
            grown = Decimal(repr(extra.value)) * Decimal(repr(1 + extra.growth)) ** (k // often)
            if grown > Decimal("1e14"):
                raise InputError(
                    f"{what} rises to {grown:.3g}; make it rise more slowly, or end it with 'to'.", at=what
                )
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

    def _holidays(self, holidays: Sequence[PaymentHoliday]) -> dict[int, Literal["added", "paid"]]:
        found: dict[int, Literal["added", "paid"]] = {}
        for holiday in holidays:
            named = holiday.where or "The payment holiday"
            number, day = self._place(holiday.begin, named)
            if day is not None and self.calendar is not None and day != self.calendar.due(number):
                raise InputError(
                    f"{named} begins on {day}, which is not a due day; the next is {self.calendar.due(number)}.",
                    at=named,
                )
            count = self.terms.agreement.count
            if count is not None and number + holiday.long > count:
                raise InputError(f"{named} runs to the agreed end of the loan or past it; make it shorter.", at=named)
            found.update(dict.fromkeys(range(number, number + holiday.long), holiday.interest))
        return found


def _comes_before(one: Moment, other: Moment) -> bool:
    """Whether it does; a day and a number cannot be told apart, so neither comes before the other."""
    if one.day is not None and other.day is not None:
        return bool(one.day < other.day)
    return one.number is not None and other.number is not None and one.number < other.number

"""One run through a book of loans: its sums so far, how far it has come, and the loans kept exactly beside."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from fractions import Fraction

import numpy as np

from pennyweight.array_kinds import Ints
from pennyweight.core.loans.agreement import Agreement, Entry
from pennyweight.core.loans.batch import amortize
from pennyweight.core.loans.batch_events import LoanEvents
from pennyweight.core.loans.batch_kernel import Lent
from pennyweight.core.loans.exact import keep_books
from pennyweight.core.loans.month_sums import MonthSums, add_month_sums, add_rows
from pennyweight.errors import InputError, Place
from pennyweight.instruments.loans.many.arrow_columns import Reject
from pennyweight.instruments.loans.many.loan_columns import LoanPart, OpenLoans
from pennyweight.instruments.loans.many.loan_events import BookEvents
from pennyweight.instruments.loans.many.schedules import ScheduleWriter

__all__ = ["MOST_TOLD", "BookRun", "no_rejects"]

MOST_TOLD = 10
"""So many rows that make no loan are told, and kept with the sums."""
_SAMPLED = 200
"""So many loans are kept exactly beside, and must agree to the smallest unit."""

Sampled = tuple[list[float], list[tuple[int, str, float]]]
"""A loan of the sample: amount, rate, months, residual, interest_only; and its events."""


def no_rejects(rejects: tuple[Reject, ...]) -> None:
    """Rows that make no loan, where nobody writes them down."""


@dataclass
class BookRun:
    """The sums so far, and how far the file is read."""

    opened: OpenLoans
    strict: bool
    events: BookEvents | None = None
    schedules: ScheduleWriter | None = None
    sums: MonthSums = field(default_factory=lambda: MonthSums.empty(0, 1, 1))
    parts: int = 0
    rows: int = 0
    loans: int = 0
    rejected: int = 0
    rejects: list[Reject] = field(default_factory=list)
    places_of: dict[str, int] = field(default_factory=dict)
    sample: list[Sampled] = field(default_factory=list)
    write: Callable[[tuple[Reject, ...]], None] = no_rejects

    def add(self, part: LoanPart) -> None:
        """One more part of the file."""
        happens = None if self.events is None or not part.amount.size else self.events.of(part, self.opened.places)
        rejects = part.rejects
        keep = np.ones(part.amount.size, dtype=np.bool_)
        if happens is not None and happens.twice:
            name = self.opened.names["id"]
            twice = happens.twice.items()
            rejects = tuple(
                sorted(
                    (*rejects, *(Reject(int(part.row[k]), name, part.id[k], said) for k, said in twice)),
                    key=lambda one: one.row,
                )
            )
            keep[list(happens.twice)] = False
        if self.strict and self.events is not None and self.events.rejects:
            raise self._refused(self.events.path.name, self.events.rejects[0])
        if rejects and self.strict:
            raise self._refused(self.opened.path.name, rejects[0])
        if keep.any():
            self._add_loans(part, keep, happens.touched if happens else None, happens.events if happens else None)
        self.write(rejects)
        self.rejects += rejects[: max(MOST_TOLD - len(self.rejects), 0)]
        self.rejected += len(rejects)
        self.loans += int(keep.sum())
        self.rows += part.rows
        self.parts += 1

    def _refused(self, name: str, first: Reject) -> InputError:
        return InputError(f"{name}, row {first.row}: {first.reason}.", at=Place.of_file(name))

    def _add_loans(self, part: LoanPart, keep: object, touched: Ints | None, events: LoanEvents | None) -> None:
        places = self.opened.places
        for name in part.groups:
            self.places_of.setdefault(name, len(self.places_of))
        places_of = np.array([self.places_of[name] for name in part.groups], np.int64)
        group = places_of[part.group] if part.groups else part.group
        if not self.loans:
            self.sums = MonthSums.empty(int(part.start.min()), 1, 1)
        units = 10.0**places
        lent = Lent(
            np.round(part.amount * units), part.rate, part.months, np.round(part.residual * units), part.interest_only
        )
        quiet = np.array(keep, dtype=np.bool_)
        if touched is not None:
            quiet[touched] = False
        at = np.flatnonzero(quiet)
        self.sums = add_month_sums(
            self.sums, part.amount[at], part.rate[at], part.months[at], part.start[at], group[at],
            residual=part.residual[at], interest_only=part.interest_only[at], places=places,
        )  # fmt: skip
        if touched is not None and self.events is not None:
            try:
                self.sums, late, beyond = add_rows(
                    self.sums, lent.of(touched), part.start[touched], group[touched], events, places=places
                )
            except InputError as error:
                name = self.events.path.name
                raise InputError(
                    f"{name}: events of loans from row {part.first} on cannot be booked: {error}",
                    at=Place.of_file(name),
                ) from None
            self.events.late += late
            self.events.left_over += beyond
        if self.schedules is not None:
            order = np.sort(at if touched is None else np.r_[at, touched])
            moved = None
            if touched is not None and events is not None:
                moved = events._replace(loan=np.searchsorted(order, touched)[np.asarray(events.loan)])
            self.schedules.write(part, order, lent.of(order), moved)
        self._draw(part, at, touched, events)

    def _draw(self, part: LoanPart, quiet: Ints, touched: Ints | None, events: LoanEvents | None) -> None:
        """Some loans of a part for the sample, half of them of those to which something happens."""
        draw = np.random.default_rng(part.first)
        size = _SAMPLED if part.first == 1 else _SAMPLED // 4
        for at, most in ((quiet, size), (touched, size // 2)):
            if at is None or not at.size:
                continue
            for place in draw.choice(at.size, min(most, at.size), replace=False).tolist():
                k = int(at[place])
                terms = [
                    float(one[k]) for one in (part.amount, part.rate, part.months, part.residual, part.interest_only)
                ]
                happens: list[tuple[int, str, float]] = []
                if at is touched and events is not None:
                    mine = np.flatnonzero(np.asarray(events.loan) == place)
                    parts = (np.asarray(one)[mine].tolist() for one in (events.number, events.what, events.value))
                    happens = list(zip(*parts, strict=True))
                self.sample.append((terms, happens))

    def checked(self) -> int:
        """Keep the books of a sample exactly, beside those that were summed up; InputError where they differ."""
        draw = np.random.default_rng(0)
        chosen = draw.choice(len(self.sample), min(_SAMPLED, len(self.sample)), replace=False).tolist()
        some = [self.sample[k] for k in chosen]
        amount, rate, months, residual, resting = (np.array(one) for one in zip(*(one[0] for one in some), strict=True))
        told = [(k, *one) for k, (_, happens) in enumerate(some) for one in happens]
        events = LoanEvents(*zip(*told, strict=True)) if told else None
        places = self.opened.places
        quick = amortize(amount, rate, months, places=places, residual=residual, interest_only=resting, events=events)
        units = 10**places
        for k, ((lent, yearly, count, left, rests), happens) in enumerate(some):
            exact = keep_books(
                Agreement(
                    amount=round(lent * units), rate=Fraction(str(yearly)), periodic=lambda r: r / 12, count=int(count),
                    residual=round(left * units), interest_only=int(rests),
                ),
                [_entry(number, what, value, units) for number, what, value in happens],
            )  # fmt: skip
            if round(quick.total_interest[k] * units) != sum(row[1] for row in exact.rows):
                raise InputError(
                    f"A loan of {lent:.{places}f} at {yearly * 100:.6g}% over {count:.0f} months comes to "
                    "other interest in exact books; its rate has more decimals than can be told apart here.",
                    at=Place.of_file(self.opened.path.name),
                )
        return len(some)

    def join(self, later: BookRun) -> None:
        """The sums of a run through the rows that follow, too."""
        for name in later.places_of:
            self.places_of.setdefault(name, len(self.places_of))
        if later.loans:
            low, count = later.sums.first, later.sums.table.shape[2]
            sums = self.sums if self.loans else MonthSums.empty(low, 1, 1)
            self.sums = sums.grown(low, low + count - 1, max(len(self.places_of), 1))
            at = low - self.sums.first
            for place, name in enumerate(later.places_of or {"": 0}):
                self.sums.table[:, self.places_of.get(name, 0), at : at + count] += later.sums.table[:, place]
        self.parts, self.rows = self.parts + later.parts, self.rows + later.rows
        self.loans, self.rejected = self.loans + later.loans, self.rejected + later.rejected
        self.rejects += later.rejects[: max(MOST_TOLD - len(self.rejects), 0)]
        self.sample += later.sample


def _entry(number: int, what: str, value: float, units: int) -> Entry:
    if what == "rate":
        return Entry(number, what, Fraction(str(value)), Fraction(0))
    return Entry(number, what, round(value * units))

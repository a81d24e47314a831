"""Several loans together: the layers of a purchase, their totals, and the order in which spare money goes on them."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import KW_ONLY, dataclass
from functools import cached_property
from typing import Any

import numpy as np

from pennyweight.core.loans.agreement import Entry
from pennyweight.core.loans.exact import keep_books
from pennyweight.described import Described, frozen
from pennyweight.documents.shown import Shown
from pennyweight.errors import InputError, choice
from pennyweight.instruments.loans.books.schedule import Schedule
from pennyweight.instruments.loans.books.terms import units_of
from pennyweight.instruments.loans.loan import Loan
from pennyweight.quantities.amounts import read_amount, read_number
from pennyweight.quantities.argument_checks import a_mapping, a_text
from pennyweight.quantities.units import Style, one_currency

__all__ = ["ORDERS", "LoanSet", "SparePlan"]

ORDERS = ("highest rate first", "smallest balance first", "as listed")


@dataclass(frozen=True, repr=False)
class SparePlan(Described):
    """What spare money does in one order: each loan's schedule, all interest, and the last payment's number.

    Examples
    --------
    >>> plans = LoanSet({"bank": Loan(6_000, "4%", years=2)}, spare=200).plans
    >>> plans["as listed"].payments
    14
    """

    order: tuple[str, ...]
    schedules: Mapping[str, Schedule]

    @property
    def total_interest(self) -> float:
        """All interest of all loans."""
        return round(float(sum(one.total_interest for one in self.schedules.values())), 9)

    @property
    def payments(self) -> int:
        """The number of the last payment of all."""
        return max(len(one.rows) for one in self.schedules.values())


@dataclass(frozen=True, repr=False)
class LoanSet(Shown):
    """Loans paid on the same rhythm, by name, as they stand.

    Parameters
    ----------
    loans : Mapping[str, Loan]
        By name; the same payments a year and, with dates, the same due days.
    needs : optional
        What is to be paid for with them; own money makes up the rest.
    own : optional
        What that must be, when it is known.
    spare : default 0.0
        Money put on the loans with every payment beyond what is due; a loan paid off hands its payment on.
    currency, locale, title, note : str
        How amounts are shown, what the page is called and remarks.
    order : str, optional
        One of "highest rate first", "smallest balance first", "as listed".

    Examples
    --------
    >>> both = LoanSet({"bank": Loan(60_000, "4%", years=10), "agency": Loan(20_000, "6%", years=10)}, spare=200)
    >>> [plan.total_interest for plan in both.plans.values()]
    [13966.78, 13966.78, 15203.4]
    """

    loans: Mapping[str, Loan]
    _: KW_ONLY
    needs: Any = None
    own: Any = None
    spare: Any = 0.0
    order: str = "highest rate first"
    currency: str = ""
    locale: str = "en"
    title: str = ""
    note: str = ""

    def __post_init__(self) -> None:
        super().__post_init__()
        if not a_mapping(self.loans, what="loans", of="loans by name"):
            raise InputError("There are no loans; give at least one.")
        for name, loan in self.loans.items():
            if not isinstance(loan, Loan):
                raise InputError(f"'{name}' is {loan!r}; write a Loan.")
        one_currency(
            {"the file": self.currency, **{f"'{name}'": loan.currency for name, loan in self.loans.items()}}, at="loans"
        )
        a_text(self.title, what="title")
        a_text(self.note, what="note")
        choice(self.order, ORDERS, "order")
        if len({loan.terms.per_year for loan in self.loans.values()}) > 1:
            raise InputError(
                "All loans in one file must have the same number of payments a year; put others in a file of their own."
            )
        for name in ("needs", "own", "spare"):
            if getattr(self, name) is not None or name == "spare":
                frozen(self, **{name: self._amount(name)})
        if self.spare < 0:
            raise InputError(f"spare is {self.spare:,.2f}; write an amount of zero or more.", at="spare")
        if self.extra:
            firsts = {str(loan.terms.calendar.first) if loan.terms.calendar else "" for loan in self.loans.values()}
            if len(firsts) > 1:
                raise InputError(
                    "Spare money goes on loans with the same first payment; theirs are " + ", ".join(sorted(firsts))
                )
        _ = self.own_money

    def _amount(self, name: str) -> float:
        """An amount as it was written; of own money also a share of what is needed."""
        given = getattr(self, name)
        if name == "own" and isinstance(given, str) and given.strip().endswith("%"):
            if self.needs is None:
                raise InputError(f"own is {given}, a share of what is needed; give needs, too.", at="own")
            share = read_number(given, what="own")
            return round(share * float(self.needs), self.style.places)
        return read_amount(given, what=name)

    @property
    def style(self) -> Style:
        """How amounts are shown."""
        return Style(self.currency, self.locale)

    @property
    def extra(self) -> float:
        """The spare money with every payment."""
        return float(self.spare)

    @property
    def lent(self) -> float:
        """All loans together."""
        return round(sum(float(loan.amount) for loan in self.loans.values()), 9)

    @cached_property
    def own_money(self) -> float | None:
        """What the loans leave to be paid; None without `needs`."""
        if self.needs is None:
            return None
        needs = float(self.needs)
        rest = round(needs - self.lent, 9)
        shown = [self.style.with_unit(value, "money") for value in (self.lent, needs, abs(rest))]
        if rest < 0:
            raise InputError(f"The loans add up to {shown[0]}, {shown[2]} more than the {shown[1]} that is needed.")
        if self.own is not None:
            own = self.own
            if abs(own - rest) > 0.005:
                raise InputError(
                    f"The loans and own money of {own:,.2f} add up to {own + self.lent:,.2f}, not the {shown[1]} that "
                    f"is needed: {self.style.show(abs(own - rest), 'money')} {'too much' if own > rest else 'missing'}."
                )
        return rest

    @cached_property
    def plans(self) -> dict[str, SparePlan]:
        """What the spare money does in each order."""
        return {order: self._plan(order) for order in ORDERS}

    @property
    def frame(self) -> Any:
        """All payments of all loans, a row a loan and payment."""
        import pandas as pd

        names = list(self.loans)
        return pd.concat([self.chosen[name].frame.assign(loan=name) for name in names]).reset_index().set_index("loan")

    def as_dict(self) -> dict[str, Any]:
        """Plain values for JSON.

        Returns
        -------
        dict[str, Any]
            Plain values for JSON.
        """
        chosen = self.chosen
        plain: dict[str, Any] = {
            "format": 1,
            "title": self.title,
            "needs": self.needs,
            "lent": self.lent,
            "own_money": self.own_money,
            "payment": round(sum(loan.payment for loan in self.loans.values()), 9),
            "total_interest": round(sum(one.total_interest for one in chosen.values()), 9),
            "total_paid": round(sum(one.total_paid for one in chosen.values()), 9),
            "loans": {name: {**loan.as_dict(), "share": self.share_of(loan)} for name, loan in self.loans.items()},
            "spare": self.extra,
            "orders": [],
        }
        if self.extra:
            before = sum(loan.schedule.total_interest for loan in self.loans.values())
            plain["orders"] = [
                {
                    "order": order,
                    "loans": list(plan.order),
                    "payments": plan.payments,
                    "total_interest": plan.total_interest,
                    "interest_saved": round(before - plan.total_interest, 9),
                }
                for order, plan in self.plans.items()
            ]
        return plain

    def share_of(self, loan: Loan) -> float | None:
        """Which part of what is needed a loan brings; None without `needs`.

        Parameters
        ----------
        loan : Loan
            One of them.

        Returns
        -------
        float | None
            Which part of what is needed a loan brings; None without `needs`.

        Examples
        --------
        >>> bank = Loan(6_000, "4%", years=2)
        >>> LoanSet({"bank": bank}, needs=8_000).share_of(bank)
        0.75
        """
        return None if self.needs is None else loan.amount / self.needs

    @property
    def chosen(self) -> Mapping[str, Schedule]:
        """The schedule of each loan as it is paid: with the spare money, when there is some."""
        if self.extra:
            return self.plans[self.order].schedules
        return {name: loan.schedule for name, loan in self.loans.items()}

    def _plan(self, order: str) -> SparePlan:
        names = list(self.loans)
        if order == "highest rate first":
            names.sort(key=lambda name: -self.loans[name].terms.rate.value)
        elif order == "smallest balance first":
            names.sort(key=lambda name: self.loans[name].amount)
        horizon = max(len(loan.schedule.rows) for loan in self.loans.values())
        terms = next(iter(self.loans.values())).terms
        spare = float(units_of(self.extra, terms.style, terms.agreement.rounding, "spare"))
        extras = {name: self._own_extras(name) for name in names}
        schedules: dict[str, Schedule] = {}
        given: dict[str, bytes] = {}
        # A loan that ends hands its payment on, which may end others sooner, but only later ones: each round settles
        # one more end, so there are as many rounds as loans, and one that changes nothing.
        while True:
            before = {name: one.rows for name, one in schedules.items()}
            free = np.full(horizon + 1, spare)
            for one in schedules.values():
                last, level = len(one.rows), float(one.books.settings[-1].payment if one.books.settings else 0)
                free[last + 1 :] += level
                free[last] += max(level - float(one.rows[-1].payment), 0.0)
            for name in names:
                if given.get(name) != free.tobytes():  # what is free for it has changed
                    schedules[name] = self._paid_with(name, free)
                    given[name] = free.tobytes()
                own = extras[name]
                for k, row in enumerate(schedules[name].rows, 1):
                    free[k] -= max(float(row.extra) - own.get(k, 0.0), 0.0)  # its own extra payments come first
            if {name: one.rows for name, one in schedules.items()} == before:
                break
        return SparePlan(tuple(names), schedules)

    def _own_extras(self, name: str) -> dict[int, float]:
        """The extra payments of a loan's own events, by payment, in smallest units."""
        found: dict[int, float] = {}
        loan = self.loans[name]
        for entry in loan.timetable.entries if loan.events or loan.extras else ():
            if entry.what == "extra":
                found[entry.number] = found.get(entry.number, 0.0) + float(entry.value)
        return found

    def _paid_with(self, name: str, free: np.ndarray[Any, np.dtype[np.float64]]) -> Schedule:
        """One loan with what is free for it, on top of its own events."""
        loan = self.loans[name]
        whole = loan.terms.agreement.rounding is not None
        entries = [
            Entry(k, "extra", int(free[k]) if whole else float(free[k])) for k in range(1, free.size) if free[k] > 0
        ]
        if not (loan.events or loan.extras or loan.holidays):
            books, table = keep_books(loan.terms.agreement, entries), None
        else:
            table = loan.timetable
            books = keep_books(table.agreement(), [*table.entries, *entries])
        loan.refuse_stuck(books)
        return Schedule(loan.terms, books, table)

"""The table of offers side by side, and where each of its figures comes from."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import NamedTuple

from pennyweight.documents import Cell, Column, Row, Table
from pennyweight.documents.derivation import Derivation, Why
from pennyweight.instruments.loans.asked.loan_study import LoanStudy
from pennyweight.instruments.loans.asked.what_if import Offer
from pennyweight.instruments.loans.books.booked_loan import BookedLoan
from pennyweight.pages.loans.explained.derivations import ScheduleDerivations
from pennyweight.pages.loans.explained.loan_derivations import rate_derivation
from pennyweight.quantities.units import Style

__all__ = ["offers_table"]


class _Offered(NamedTuple):
    """One offer with its loan, and the cheapest of all."""

    row: Offer
    loan: BookedLoan
    of: ScheduleDerivations
    cheapest: Offer

    @property
    def dearer(self) -> float:
        return self.row.total_paid - self.row.amount - (self.cheapest.total_paid - self.cheapest.amount)


def offers_table(study: LoanStudy) -> Table:
    """A column an offer; a row tells its figure of each."""
    style, offered = study.loan.terms.style, _offered(study)
    rows = tuple(
        Row(
            (Cell(label), *(Cell(show(style, one)) for one in offered)),
            Why(label, partial(_told, study, label)),
        )
        for label, (show, _) in _LINES.items()
    )
    titles = [one.loan.title for one in offered]
    told_apart = all(titles) and len(set(titles)) == len(titles)  # a copy with other terms keeps the title
    columns = (Column("Offer", words=True), *map(Column, titles if told_apart else [one.row.name for one in offered]))
    return Table("Offers side by side", columns, rows, "As agreed. Rates with fees let unequal terms be compared.")


def _offered(study: LoanStudy) -> list[_Offered]:
    cheapest = min(study.side_by_side, key=lambda row: row.total_paid - row.amount)
    loans = (study.loan, *study.offers.values())
    return [
        _Offered(row, loan, ScheduleDerivations(loan.agreed, 0), cheapest)
        for row, loan in zip(study.side_by_side, loans, strict=True)
    ]


def _told(study: LoanStudy, label: str) -> dict[str, Derivation]:
    _, derive = _LINES[label]
    return {f"{label}, {one.row.name}": derive(one) for one in _offered(study)}


def _rate(style: Style, value: float | None) -> str:
    return "undefined" if value is None else style.show(value, "rate")


def _dearer(one: _Offered) -> Derivation:
    money, row, least = one.of.money, one.row, one.cheapest
    numbers = f"{money(row.total_paid)} - {money(row.amount)} - {money(least.total_paid - least.amount)}"
    formula = f"total paid - amount - what {least.name} costs so, the cheapest"
    return Derivation(money(one.dearer), formula, numbers)


def _money(name: str) -> Callable[[Style, _Offered], str]:
    return lambda style, one: style.show(getattr(one.row, name), "money")


_LINES: dict[str, tuple[Callable[[Style, _Offered], str], Callable[[_Offered], Derivation]]] = {
    "Amount": (_money("amount"), lambda one: Derivation(one.of.money(one.row.amount), "what is lent")),
    "Rate": (lambda style, one: _rate(style, one.row.rate), lambda one: rate_derivation(one.loan)),
    "Payment": (_money("payment"), lambda one: one.of.payment),
    "Payments": (lambda style, one: str(one.row.payments), lambda one: one.of.payments),
    "Total interest": (_money("total_interest"), lambda one: one.of.total_interest),
    "Total fees": (_money("total_fees"), lambda one: one.of.total_fees),
    "Total paid": (_money("total_paid"), lambda one: one.of.total_paid),
    "Rate with fees (US)": (
        lambda style, one: _rate(style, one.row.apr),
        lambda one: one.of.percentage_rate("us", one.row.apr),
    ),
    "Rate with fees (EU)": (
        lambda style, one: _rate(style, one.row.apr_eu),
        lambda one: one.of.percentage_rate("eu", one.row.apr_eu),
    ),
    "Costs more than the cheapest": (lambda style, one: style.show(one.dearer, "money"), _dearer),
}
"""What stands in each row: how it is shown, and where it comes from."""

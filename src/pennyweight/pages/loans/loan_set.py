"""The page of several loans together: the layers and their totals, the years, and what each order of paying brings."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
from functools import partial
from typing import Any

import numpy as np

from pennyweight.documents import Block, Cell, Column, Document, FigureLine, Row, SplitChart, Table
from pennyweight.documents.derivation import Derivation, Why
from pennyweight.documents.handout import Handout, PageOne, sheets_of
from pennyweight.instruments.loans.books.schedule import Schedule
from pennyweight.instruments.loans.loan import Loan
from pennyweight.instruments.loans.together.loan_set import LoanSet, SparePlan
from pennyweight.pages.loans.explained.derivations import ScheduleDerivations
from pennyweight.pages.loans.explained.loan_derivations import amount_derivation, rate_derivation
from pennyweight.pages.loans.page_one import rate_told
from pennyweight.pages.loans.schedule import whole_schedule

__all__ = ["document", "handout"]


def document(loans: LoanSet) -> Document:
    """The layers and their totals, the years of all together, and what the orders do."""
    style, chosen = loans.style, loans.chosen

    def money(value: float) -> Cell:
        return Cell(style.show(value, "money"))

    of = {name: ScheduleDerivations(chosen[name], 0) for name in loans.loans}
    rows: list[tuple[Cell, ...]] = []
    for name, loan in loans.loans.items():
        schedule = chosen[name]
        share = loans.share_of(loan)
        rows.append(
            Row(
                (
                    Cell(loan.title or name),
                    money(loan.amount),
                    Cell("–" if share is None else style.show(share, "share")),
                    Cell(style.show(loan.terms.rate.value, "rate")),
                    money(loan.payment),
                    Cell(str(len(schedule.rows))),
                    Cell(schedule.named(len(schedule.rows))),
                    money(schedule.total_interest),
                ),
                Why(loan.title or name, partial(_layer, loans, loan, of[name])),
            )
        )
    none = Cell("")
    total = sum(loan.payment for loan in loans.loans.values())
    interest = sum(one.total_interest for one in chosen.values())
    if loans.own_money is not None:
        share = loans.own_money / (loans.needs or 0.0)
        cells = (Cell("Own money"), money(loans.own_money), Cell(style.show(share, "share")), *[none] * 5)
        rows.append(Row(cells, Why("Own money", partial(_own, loans))))
    whole = loans.lent + (loans.own_money or 0.0)
    all_of_it = Cell("100.00%" if loans.needs is not None else "–")
    cells = (Cell("Together", "question"), money(whole), all_of_it, none, money(total), none, none, money(interest))
    rows.append(Row(cells, Why("Together", partial(_together, loans, of))))
    columns = tuple(
        Column(title, words=title in ("Layer",))
        for title in ("Layer", "Amount", "Share", "Rate", "Payment", "Payments", "Paid off", "Interest")
    )
    note = f"With {style.with_unit(loans.extra, 'money')} of spare money, {loans.order}." if loans.extra else ""
    blocks: list[Block] = [Table("Layers", columns, tuple(rows), note)]
    if loans.extra:
        blocks += _order_blocks(loans)
    years = _yearly(loans, chosen)
    blocks.append(_years(loans, years))
    chart = SplitChart(
        "split",
        f"{style.with_unit(interest, 'money')} of interest on all loans together",
        np.array(list(years), dtype=np.float64),
        np.array([row[1] for row in years.values()]),
        np.array([row[2] for row in years.values()]),
        "Year",
        style.headed("Paid in the year", "money"),
    )
    how = "As agreed" if not loans.extra else f"With {style.with_unit(loans.extra, 'money')} more a payment"
    said = " ".join(filter(None, [loans.note, f"{how}, to the smallest unit."]))
    return Document(loans.title or "Loans together", tuple(blocks), said, (chart,), _headline(loans))


def handout(loans: LoanSet, page: Document) -> Handout:
    """The loans with what they come to on page one, and each schedule in full."""

    def whole() -> tuple[Table, ...]:
        titles = {name: f"All payments: {loan.title or name}" for name, loan in loans.loans.items()}
        return tuple(table for name in loans.loans for table in whole_schedule(loans.chosen[name], titles[name]))

    layers = page.blocks[0]
    first = PageOne((layers,), tuple(_key_figures(loans)), _given(loans))
    return Handout(
        page, lambda: sheets_of({"payments": loans.frame}), first=first, whole=whole, places=loans.style.places
    )


def _headline(loans: LoanSet) -> str:
    """What all loans cost together, and what spare money saves."""
    money, chosen = partial(loans.style.with_unit, unit="money"), loans.chosen
    interest = sum(one.total_interest for one in chosen.values())
    last = max(chosen.values(), key=lambda one: len(one.rows))
    payment = money(sum(loan.payment for loan in loans.loans.values()))
    said = f"{len(loans.loans)} loans of {money(loans.lent)} together take {payment} a payment at first and "
    said += f"{money(interest)} of interest in all; the last ends {_ending(last)}."
    if loans.extra:
        before = sum(loan.schedule.total_interest for loan in loans.loans.values())
        said += f" {money(loans.extra)} more a payment, {loans.order}, saves {money(before - interest)}."
    return said


def _ending(schedule: Schedule) -> str:
    return f"after {len(schedule.rows)} payments" if schedule.dates is None else f"on {schedule.paid_off_on}"


def _key_figures(loans: LoanSet) -> Iterator[FigureLine]:
    money, chosen = partial(loans.style.with_unit, unit="money"), loans.chosen
    together = partial(_together, loans, {name: ScheduleDerivations(one, 0) for name, one in chosen.items()})
    sums = {
        "Amount": ("Lent in all", loans.lent),
        "Payment": ("Payment together", sum(loan.payment for loan in loans.loans.values())),
        "Interest": ("Interest in all", sum(one.total_interest for one in chosen.values())),
    }
    for label, value in sums.values():
        yield FigureLine(label, Cell(money(value)), why=Why(label, together))
    if loans.own_money is not None:
        yield FigureLine("Own money", Cell(money(loans.own_money)), why=Why("Own money", partial(_own, loans)))


def _given(loans: LoanSet) -> Table:
    """What was given of all loans together; each loan's own terms stand in its layer."""
    money = partial(loans.style.with_unit, unit="money")
    told = {"What is needed": loans.needs, "Own money": loans.own, "Spare money a payment": loans.extra or None}
    rows = [(Cell(label), Cell(money(float(value)))) for label, value in told.items() if value is not None]
    rows += [
        (
            Cell(loan.title or name),
            Cell(f"{money(loan.amount)} at {' '.join(rate_told(loan))}, {len(loan.agreed.rows)} payments"),
        )
        for name, loan in loans.loans.items()
    ]
    return Table("What was agreed", (Column("Term", words=True), Column("As given", words=True)), tuple(rows))


def _order_blocks(loans: LoanSet) -> list[Block]:
    style = loans.style
    before = sum(loan.schedule.total_interest for loan in loans.loans.values())
    longest = max(len(loan.schedule.rows) for loan in loans.loans.values())
    lines = [
        Row(
            (
                Cell(order, "question" if order == loans.order else "plain"),
                Cell(", ".join(plan.order)),
                Cell(str(plan.payments)),
                Cell(style.show(plan.total_interest, "money")),
                Cell(style.show(before - plan.total_interest, "money")),
            ),
            Why(order.capitalize(), partial(_order, loans, plan, before)),
        )
        for order, plan in loans.plans.items()
    ]
    columns = (
        Column("Order", words=True),
        Column("Loans", words=True),
        Column("Payments"),
        Column("Interest"),
        Column("Saved"),
    )
    note = f"Without it: {longest} payments and {style.with_unit(before, 'money')} of interest."
    return [Table("What each order of paying brings", columns, tuple(lines), note)]


def _yearly(loans: LoanSet, chosen: Mapping[str, Schedule]) -> dict[int, np.ndarray[Any, np.dtype[np.float64]]]:
    """By year: payments, interest, principal and balance of all loans together."""
    found: dict[int, np.ndarray[Any, np.dtype[np.float64]]] = {}
    for one in chosen.values():
        for row in one.yearly_rows():
            sums = found.setdefault(row["year"], np.zeros(4))
            sums += [row["payments"] + row["extra"], row["interest"], row["principal"], row["balance"]]
    return dict(sorted(found.items()))


def _years(loans: LoanSet, years: Mapping[int, Any]) -> Table:
    dated = all(loan.terms.calendar is not None for loan in loans.loans.values())
    rows = [
        Row(
            (Cell(str(year)), *(Cell(loans.style.show(float(value), "money")) for value in sums)),
            Why(f"The year {year}", partial(_year, loans, year)),
        )
        for year, sums in years.items()
    ]
    names = [Column(name) for name in ("Payments", "Interest", "Principal", "Balance")]
    return Table(
        f"All loans by {'calendar year' if dated else 'year of the loan'}",
        (Column("Year", words=True), *names),
        tuple(rows),
    )


def _layer(loans: LoanSet, loan: Loan, of: ScheduleDerivations) -> dict[str, Derivation]:
    amount = Derivation(of.money(loan.amount)) if loan.given["amount"] is not None else amount_derivation(loan)
    figures = {"Amount": amount}
    if loans.needs:
        figures["Share"] = _share(loans, loan.amount)
    return figures | {
        "Rate": rate_derivation(loan),
        "Payment": ScheduleDerivations(loan.agreed, 0).payment,
        "Payments": of.payments,
        "Paid off": of.paid_off,
        "Interest": of.total_interest,
    }


def _share(loans: LoanSet, amount: float) -> Derivation:
    show, needs = loans.style.show, float(loans.needs)
    return Derivation(
        show(amount / needs, "share"), "amount / what is needed", f"{show(amount, 'money')} / {show(needs, 'money')}"
    )


def _own(loans: LoanSet) -> dict[str, Derivation]:
    if loans.own_money is None:
        return {}
    show = loans.style.show
    told = f"{show(float(loans.needs), 'money')} - {show(loans.lent, 'money')}"
    amount = Derivation(show(loans.own_money, "money"), "what is needed - all loans together", told)
    return {"Amount": amount, "Share": _share(loans, loans.own_money)}


def _together(loans: LoanSet, of: Mapping[str, ScheduleDerivations]) -> dict[str, Derivation]:
    show = loans.style.show
    amounts = [loan.amount for loan in loans.loans.values()] + (
        [loans.own_money] if loans.own_money is not None else []
    )
    columns = {
        "Amount": amounts,
        "Payment": [loan.payment for loan in loans.loans.values()],
        "Interest": [one.schedule.total_interest for one in of.values()],
    }
    return {
        label: Derivation(show(sum(values), "money"), "of all layers, added up", _sum(loans, values))
        for label, values in columns.items()
    }


def _order(loans: LoanSet, plan: SparePlan, before: float) -> dict[str, Derivation]:
    """What an order of paying brings; `before` is all interest without spare money."""
    show, without = loans.style.show, "interest without spare money - interest with it"
    last = max(plan.schedules, key=lambda name: len(plan.schedules[name].rows))
    of = {name: ScheduleDerivations(schedule, 0) for name, schedule in plan.schedules.items()}
    interest = show(plan.total_interest, "money")
    return {
        "Payments": Derivation(
            str(plan.payments),
            f"until the last of them, {last}, is paid off",
            "",
            {f"Payments of {last}": of[last].payments},
        ),
        "Interest": Derivation(
            interest,
            "of all loans, added up",
            " + ".join(one.total_interest.value for one in of.values()),
            {f"Interest of {name}": one.total_interest for name, one in of.items()},
        ),
        "Saved": Derivation(
            show(before - plan.total_interest, "money"), without, f"{show(before, 'money')} - {interest}"
        ),
    }


def _year(loans: LoanSet, year: int) -> dict[str, Derivation]:
    """One year of all loans, as the sum of theirs."""
    show = loans.style.show
    by_loan = [{row["year"]: row for row in one.yearly_rows()} for one in loans.chosen.values()]
    rows = [rows[year] for rows in by_loan if year in rows]
    columns = {
        "Payments": [row["payments"] + row["extra"] for row in rows],
        **{name.capitalize(): [row[name] for row in rows] for name in ("interest", "principal", "balance")},
    }
    return {
        label: Derivation(show(sum(values), "money"), "of each loan, added up", _sum(loans, values))
        for label, values in columns.items()
    }


def _sum(loans: LoanSet, values: Iterable[float]) -> str:
    return " + ".join(loans.style.show(value, "money") for value in values)

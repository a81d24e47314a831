"""The page of a bond on one day: its figures, the payments to come, and the check that they add up."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from functools import partial

import numpy as np

from pennyweight.documents import (
    Block,
    Cell,
    Checks,
    Column,
    Document,
    FigureLine,
    Figures,
    LinesChart,
    Row,
    Table,
    Text,
)
from pennyweight.documents.derivation import Derivation, Why
from pennyweight.documents.handout import Handout, PageOne, sheets_of
from pennyweight.instruments.bonds.bond_report import BondReport
from pennyweight.pages.bonds.bond_derivations import BondDerivations
from pennyweight.quantities.periods import word_for

__all__ = ["document", "handout"]

_SHOWN = 7
"""So many payments stand on the page at each end of a long table."""


def document(report: BondReport) -> Document:
    """Figures, payments with their worth, and the check that they add up."""
    bond, left = report.bond, report.payments
    blocks: list[Block] = [
        Figures(f"On {report.settlement}", _lines(report)),
        Text(f"Formula: {report.formula}."),
        Text(f"Numbers in: {report.numbers}, which gives {_money(report, report.dirty)}."),
        _table(report),
    ]
    if not bond.perpetual:
        worth = float(((left.coupons + left.redemption) * report.factors).sum())
        adds_up = bool(abs(worth - report.dirty) <= 1e-9 * report.dirty)
        blocks.append(Checks(((adds_up, "The payments' present values add up to the dirty price."),)))
    how = "compound in every period, the broken one included"
    if report.first == "simple":
        how = "simple interest in the broken period"
    until = "perpetual" if bond.perpetual else f"due {bond.maturity}"
    title, subtitle = f"A bond of {bond.coupon}, {until}", f"Discounting: {how}."
    return Document(title, tuple(blocks), subtitle, (_chart(report),), _headline(report))


def handout(report: BondReport, page: Document) -> Handout:
    """The bond's figures on page one, with what was put in, and every payment to come."""
    figures = next(block for block in page.blocks if isinstance(block, Figures))
    table = _table(report, whole=True)
    cut = len(table.rows) > _CUT
    return Handout(
        page,
        lambda: sheets_of({"payments": report.frame}),
        first=PageOne((), figures.lines, _given(report), (figures,)),
        whole=lambda: (replace(table, title="All payments to come, per 100 of face"),) if cut else (),
        places=4,
    )


def _headline(report: BondReport) -> str:
    """What is paid, what that earns, and what a higher yield takes off."""
    money, rate = partial(report.style.show, unit="money", places=2), report.style.show(report.rate, "rate")
    said = (
        f"At a clean price of {money(report.clean)} the bond yields {rate} a year; {money(report.dirty)} is paid per "
    )
    said += f"100 of face, of it {money(report.accrued)} accrued interest"
    return f"{said}; if the yield rises by 1%, the price falls by about {report.modified_duration:.2f}%."


def _chart(report: BondReport) -> LinesChart:
    """The clean price over the yield, the bond's own marked."""
    bond, rate = report.bond, report.rate
    low = max(rate - _AROUND, rate / 2) if rate > 0 else rate - _AROUND
    yields = np.linspace(low, rate + _AROUND, 61)
    prices = np.array([bond.price(float(one), report.settlement, first=report.first) for one in yields])
    shown = report.style.show
    title = f"Clean price {shown(report.clean, 'money', places=2)} at a yield of {shown(rate, 'rate')}"
    return LinesChart(
        "price",
        title,
        yields,
        (("Clean price", prices),),
        "Yield a year",
        "Price per 100 of face",
        targets=(("Face", 100.0),),
        marks=((shown(rate, "rate"), rate),),
        x_kind="percent",
    )


_AROUND = 0.03
"""So far to either side of its yield a bond's price is drawn."""


def _given(report: BondReport) -> Table:
    """What was put in."""
    bond = report.bond
    rows = [
        ("Coupon", f"{bond.coupon} of face, {word_for(bond.often)}" if bond.often else "none"),
        ("Maturity", "none" if bond.perpetual else str(bond.maturity)),
        ("Settlement", str(report.settlement)),
        ("Day count", str(bond.day_count)),
        ("Yield compounds", word_for(bond.compounding)),
    ]
    cells = tuple((Cell(label), Cell(text)) for label, text in rows)
    return Table("What was put in", (Column("What", words=True), Column("As given", words=True)), cells)


def _money(report: BondReport, value: float) -> str:
    return report.style.show(value, "money", places=4)


def _lines(report: BondReport) -> tuple[FigureLine, ...]:
    bond, style, left, of = report.bond, report.style, report.payments, BondDerivations(report)

    def line(label: str, shown: str, note: str, make: Callable[[], Derivation], *, asked: bool = False) -> FigureLine:
        return FigureLine(label, Cell(shown, "question" if asked else "plain"), note, Why(label, make))

    def money(value: float) -> str:
        return _money(report, value)

    def rate(value: float) -> str:
        return style.show(value, "rate", places=4)

    def years(value: float) -> str:
        return style.show(value, "years", places=4)

    effective = (1 + report.rate / bond.compounding) ** bond.compounding - 1
    quoted = f"a year, {word_for(bond.compounding)} ({style.show(effective, 'rate')} effective)"
    falls = "if the yield rises by 1%, the price falls by about this many percent"
    convexity = style.show(report.convexity, "number", places=4)
    lines = [
        line("Yield", rate(report.rate), quoted, of.yielded, asked=True),
        line("Clean price", money(report.clean), "per 100 of face", of.clean, asked=True),
        line("Accrued interest", money(report.accrued), f"by {bond.day_count}" if report.accrued else "", of.accrued),
        line("Dirty price", money(report.dirty), "what is paid", of.dirty),
        line("Macaulay duration", years(report.macaulay_duration), "years", of.macaulay),
        line("Modified duration", years(report.modified_duration), falls, of.modified),
        line("Convexity", convexity, "years squared", of.convexity),
    ]
    if current := bond.current_yield(report.clean):
        lines.append(line("Current yield", rate(current), "coupons of a year over the clean price", of.current_yield))
        if not bond.perpetual:
            for what, part in (("coupons", left.coupons), ("face", left.redemption)):
                worth = money(float((part * report.factors).sum()))
                lines.append(line(f"Worth of the {what}", worth, "in the dirty price", partial(of.worth_of, what)))
    else:
        discount = bond.discount_rate(report.clean, report.settlement)
        simple = bond.simple_yield(report.clean, report.settlement)
        lines += [
            line("Discount rate", rate(discount), "a year, by actual/360", of.discount_rate),
            line("Simple yield", rate(simple), "a year, by actual/365", of.simple_yield),
        ]
    return tuple(lines)


_CUT = 2 * _SHOWN + 2


def _table(report: BondReport, *, whole: bool = False) -> Table:
    columns = (
        Column("Date", words=True),
        Column("Coupon"),
        Column("Face"),
        Column("Factor"),
        Column("Present value"),
    )
    left, style, of = report.payments, report.style, BondDerivations(report)
    rows: list[tuple[Cell, ...]] = [
        Row(
            (
                Cell(str(day)),
                Cell(style.show(float(coupon), "money", places=4), "in"),
                Cell(style.show(float(face), "money", places=2), "in") if face else Cell("-", "comparison"),
                Cell(f"{factor:.8f}", "comparison"),
                Cell(style.show(float((coupon + face) * factor), "money", places=4), "in"),
            ),
            Why(f"The payment of {day}", partial(of.payment, k)),
        )
        for k, (day, coupon, face, factor) in enumerate(
            zip(left.dates, left.coupons, left.redemption, report.factors, strict=True)
        )
    ]
    if len(rows) > _CUT and not whole:
        rows = [*rows[:_SHOWN], (Cell("…", "comparison"),) * 5, *rows[-_SHOWN:]]
    note = "The next ten of payments without end." if report.bond.perpetual else ""
    return Table("Payments to come, per 100 of face", columns, tuple(rows), note)

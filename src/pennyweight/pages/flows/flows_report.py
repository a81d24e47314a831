"""The page of cash flows: money in and out, every measure, the flows with their factors, checks and charts."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace
from functools import partial
from typing import Literal

import numpy as np

from pennyweight.core.irr.outcome import ALL_LOST
from pennyweight.core.rate_forms import nominal_rate
from pennyweight.documents import Cell, Checks, Column, Document, FigureLine, Figures, Row, Table
from pennyweight.documents.charts import flows_chart, rate_chart
from pennyweight.documents.derivation import Derivation, Why
from pennyweight.documents.handout import Handout, PageOne, sheets_of
from pennyweight.instruments.flows.flows_report import FlowsReport
from pennyweight.instruments.flows.flows_working import FlowsWorking
from pennyweight.instruments.flows.measured_flows import MeasuredFlows
from pennyweight.pages.flows import flows_working
from pennyweight.pages.flows.flow_derivations import FlowDerivations, row_derivations
from pennyweight.quantities.units import Style

__all__ = ["document", "handout"]

_LABELS = {
    "npv": ("Net present value", "money"),
    "irr": ("Internal rate of return", "rate"),
    "over_span": ("Return over the span", "share"),
    "modified_irr": ("Modified IRR", "rate"),
    "payback": ("Payback", "years"),
    "discounted_payback": ("Discounted payback", "years"),
    "roi": ("Return on investment", "share"),
    "profitability_index": ("Profitability index", "number"),
    "equivalent_annual": ("Equivalent annual amount", "money"),
}


def document(report: FlowsReport) -> Document:
    """Measures, discount factors, checks and charts."""
    flows, style = report.flows, Style(report.flows.currency)
    blocks = (
        Figures("Money in and out", _plain_lines(report, style)),
        Figures("Measures", _measure_lines(report, style)),
        _table(report, style),
        Checks(_checks(report)),
    )
    subtitle = f"{flows.amounts.size} flows, {_when(report)}."
    charts = (
        flows_chart(flows.amounts, flows.times, style, spread=flows.dates is None),
        rate_chart(flows.amounts, flows.times, style, asked=report.rate),
    )
    return Document("Cash flows", blocks, subtitle, charts, _headline(report, style))


def handout(report: FlowsReport, page: Document) -> Handout:
    """The flows with their present values worked out, when a rate is given."""
    blocks = page.blocks
    if report.rate is not None:
        blocks = (*blocks, *flows_working.document(FlowsWorking(report.flows, report.rate, None)).blocks)
    money, measures = (block for block in page.blocks if isinstance(block, Figures))
    first = PageOne((), (*measures.lines, *money.lines), _given(report), (money, measures))
    return Handout(
        replace(page, blocks=blocks),
        lambda: sheets_of({"flows": report.frame}),
        first=first,
        whole=lambda: whole_flows(report),
    )


def _headline(report: FlowsReport, style: Style) -> str:
    """What the flows are worth, what they earn, and when the money is back."""
    npv, irr, payback = (report.measures.get(name) for name in ("npv", "irr", "payback"))
    told = []
    if npv is not None and report.rate is not None:
        worth = style.with_unit(abs(npv), "money")
        told.append(
            f"at {report.rate:.2%} a year the flows are worth {worth} {'more' if npv >= 0 else 'less'} than nothing"
        )
    gain = report.flows.money_in - report.flows.money_out
    one_sided = not report.flows.money_out or not report.flows.money_in
    if one_sided:
        sides = ("comes in", "goes out") if report.flows.money_in else ("goes out", "comes in")
        told.append(f"{style.with_unit(abs(gain), 'money')} {sides[0]} altogether, and nothing {sides[1]}")
    elif irr is not None:
        told.append(f"they earn {irr:.2%} a year")
    elif len(report.irrs) > 1:
        told.append(f"their rates of return are {' and '.join(f'{rate:.2%}' for rate in report.irrs)}")
    else:
        told.append(f"they {'gain' if gain >= 0 else 'lose'} {style.with_unit(abs(gain), 'money')} in all")
    if one_sided:
        pass
    elif payback is not None:
        told.append(f"the money is back after {style.with_unit(payback, 'years')}")
    elif "payback" in report.measures:
        told.append("the money never comes back")
    said = f"{', '.join(told[:-1])} and {told[-1]}" if len(told) > 1 else told[0]
    return f"{said[0].upper()}{said[1:]}."


def _given(report: FlowsReport) -> Table:
    """What was put in."""
    flows, rows = report.flows, []

    def add(label: str, text: str) -> None:
        rows.append((Cell(label), Cell(text)))

    add("Flows", f"{flows.amounts.size}, {_when(report)}")
    if report.rate is not None:
        add("Rate", f"{report.rate:.2%} a year, effective")
    if report.modified_at is not None:
        add("Reinvested at", f"{report.modified_at[0]:.2%} a year")
        add("Borrowed at", f"{report.modified_at[1]:.2%} a year")
    if report.account is not None:
        add("Bank account", f"{report.account.rate:.2%} a year")
    if "roi" in report.measures:
        add("Return and index", f"on {'all money out' if report.on == 'all' else 'the first outlay'}")
    return Table("What was put in", (Column("What", words=True), Column("As given", words=True)), tuple(rows))


def _when(report: FlowsReport) -> str:
    flows = report.flows
    how = f"one a {flows.period}, the first at once" if flows.dates is None else f"dated, time by {flows.day_count}"
    return how + ("" if flows.valued_on is None else f", valued on {flows.valued_on}")


def _plain_lines(report: FlowsReport, style: Style) -> tuple[FigureLine, ...]:
    flows, of = report.flows, FlowDerivations(report)

    def line(label: str, shown: Cell, note: str, make: Callable[[], Derivation]) -> FigureLine:
        return FigureLine(label, shown, note, Why(label, make))

    gain = flows.money_in - flows.money_out
    lines = [
        line("Money in", Cell(style.with_unit(flows.money_in, "money"), "in"), "", partial(of.money, 1)),
        line("Money out", Cell(style.with_unit(flows.money_out, "money"), "out"), "", partial(of.money, -1)),
        line(
            "Gain" if gain >= 0 else "Loss", Cell(style.with_unit(gain, "money")), "in less out, undiscounted", of.gain
        ),
        line("Span", Cell(style.with_unit(float(flows.times[-1]), "years")), _span(report), of.span),
    ]
    if report.account is not None:
        at, beside = f"{report.account.rate:.2%}", report.account
        word = "ahead of" if beside.ahead >= 0 else "behind"
        gap = style.show(abs(beside.ahead), "money")
        lines += [
            line(
                "In a bank account",
                Cell(style.with_unit(beside.deposits, "money"), "comparison"),
                f"what the money out would have become, at {at}",
                partial(of.in_account, -1),
            ),
            line(
                "What came in",
                Cell(style.with_unit(beside.returns, "money")),
                f"what the money in has become in that account; {gap} {word} it",
                partial(of.in_account, 1),
            ),
        ]
    return tuple(lines)


def _span(report: FlowsReport) -> str:
    dates = report.flows.dates
    return "" if dates is None else f"{dates[0]} to {dates[-1]}"


def _measure_lines(report: FlowsReport, style: Style) -> tuple[FigureLine, ...]:
    lines, of = [], FlowDerivations(report)
    for name, (label, unit) in _LABELS.items():
        if name not in report.measures:
            continue
        value, several = report.measures[name], name == "irr" and len(report.irrs) > 1
        shown, note = Cell(style.with_unit(value, unit)), _note(report, name) if value is not None else ""
        if value is None and several:
            shown = Cell(" and ".join(f"{rate:.2%}" for rate in report.irrs), "question")
            note = "several rates bring the present value to zero"
        elif value is None:
            shown, note = Cell(shown.text, "out"), report.undefined[name]
        make = (
            partial(of.measure, name)
            if value is not None or (name == "irr" and report.irrs)
            else partial(Derivation, "undefined", report.undefined[name])
        )
        lines.append(FigureLine(label, shown, note, Why(label, make), known=shown.tone != "out"))
    return tuple(lines)


def _note(report: FlowsReport, name: str) -> str:
    if name in ("roi", "profitability_index"):
        outlay = "all money out" if report.on == "all" else "the first outlay"
        return f"gain over {outlay}" if name == "roi" else f"present value in over present value of {outlay}"
    if name in ("npv", "discounted_payback", "equivalent_annual"):
        return f"at {report.rate:.2%} a year, effective"
    if name == "modified_irr" and report.modified_at is not None:
        return f"effective; reinvested at {report.modified_at[0]:.2%}, borrowed at {report.modified_at[1]:.2%}"
    if name == "irr":
        short = float(report.flows.times[-1]) < 1
        quoted = float(nominal_rate(report.measures["irr"] or 0.0, 12))
        others = [f"{rate:.2%}" for rate in report.irrs if abs(rate - (report.measures["irr"] or 0.0)) > 1e-9]
        above = "zero" if (report.measures["irr"] or 0.0) > 0 and max(report.irrs) == report.measures["irr"] else "-99%"
        also = f"; the only one above {above}, the present value is zero at {' and '.join(others)}, too"
        return (
            f"effective ({quoted:.2%} monthly)"
            + (also if others else "")
            + ("; the span is under a year, so it is an extrapolation" if short else "")
        )
    if name == "over_span":
        return f"not a year's: over {report.flows.times[-1]:.2f} years"
    first, value = report.payback_first, report.measures[name]
    if name == "payback" and first is not None and value is not None and abs(first - value) > 1e-9:
        return f"first reached after {first:.2f} years and lost again"
    return "spread over each period" if report.flows.dates is None else "each flow on its day"


def whole_flows(report: FlowsReport) -> tuple[Table, ...]:
    """Every flow, where the page of a screen leaves some out."""
    count = report.flows.amounts.size
    if len(_shown(count)) >= count:
        return ()
    return (_table(report, Style(report.flows.currency), "All flows", list(range(count))),)


def _table(report: FlowsReport, style: Style, title: str = "Flows", shown: Sequence[int | None] = ()) -> Table:
    flows = report.flows
    columns = [
        Column(
            "Date" if flows.dates is not None else flows.period.capitalize(),
            words=flows.dates is not None,
        )
    ]
    columns += [Column("Flow"), Column("Running total")]
    if report.factors is not None:
        columns += [Column("Factor"), Column("Present value")]
    rows: list[tuple[Cell, ...]] = []
    running = np.cumsum(flows.amounts)
    shown = shown or _shown(flows.amounts.size)
    for k in shown:
        if k is None:
            gap = Cell(f"… {flows.amounts.size - len(shown) + 1} more …", "comparison")
            rows.append((gap, *(Cell("…", "comparison") for _ in columns[1:])))
            continue
        amount = float(flows.amounts[k])
        tone: Literal["in", "out"] = "in" if amount >= 0 else "out"
        cells = [Cell(str(k) if flows.dates is None else str(flows.dates[k]))]
        cells += [Cell(style.show(amount, "money"), tone), Cell(style.show(float(running[k]), "money"))]
        factor = None
        if report.factors is not None:
            factor = float(report.factors[k]), f"{report.factors[k]:.6f}"
            cells.append(Cell(factor[1], "comparison"))
            cells.append(Cell(style.show(float(report.factors[k] * amount), "money"), tone))
        when = cells[0].text
        before = float(running[k - 1]) if k else 0.0
        make = partial(row_derivations, flows, k, before, report.rate, factor, None)
        rows.append(Row(cells, Why(f"The row of {when}", make)))
    return Table(title, tuple(columns), tuple(rows))


def _checks(report: FlowsReport) -> tuple[tuple[bool, str], ...]:
    checks, style = [], Style(report.flows.currency)
    amounts, times = np.abs(report.flows.amounts), report.flows.times
    size = float(amounts.sum())
    for rate in report.irrs:
        if rate < ALL_LOST:  # of some periods less than a year, so near -100 % that a yearly rate cannot tell
            continue
        left = abs(_npv_at(report.flows, rate))
        with np.errstate(over="ignore"):
            bound = 1e-9 * float((amounts * (1.0 + rate) ** -times).sum())
        checks.append((bool(left <= bound), f"The present value at {rate:.2%} is zero to within {style.within(left)}."))
    if report.factors is not None:
        worth = float((report.factors * report.flows.amounts).sum())
        npv = report.measures["npv"] or 0.0
        checks.append((bool(abs(worth - npv) <= 1e-9 * size), "The present values in the table add up to the NPV."))
    return tuple(checks)


def _npv_at(flows: MeasuredFlows, rate: float) -> float:
    with np.errstate(over="ignore"):
        return float((flows.amounts * (1.0 + rate) ** -flows.times).sum())


def _shown(count: int) -> list[int | None]:
    """The rows a page shows; None where the middle of a long table is left out. CSV, JSON and .xlsx have all."""
    return list(range(count)) if count <= 40 else [*range(15), None, *range(count - 15, count)]

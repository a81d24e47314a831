"""The page of returns: four ways, each period, calendar years, beside a benchmark, remarks, and the chart."""

from __future__ import annotations

from collections.abc import Callable, Iterator
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
    GrowthChart,
    Row,
    Table,
    Text,
)
from pennyweight.documents.derivation import Derivation, Why
from pennyweight.documents.handout import Handout, PageOne, sheets_of
from pennyweight.instruments.portfolios.measured_portfolio import MeasuredPortfolio
from pennyweight.instruments.portfolios.periods import Return
from pennyweight.instruments.portfolios.returns_report import ReturnsReport
from pennyweight.pages.portfolios.return_derivations import ReturnDerivations
from pennyweight.quantities.units import Style

__all__ = ["document", "handout"]

_WAYS = {
    "modified_dietz": ("Modified Dietz, linked", "gain over average capital in each period, linked"),
    "time_weighted": ("Time-weighted", "growth between flows, linked: what the choices earned"),
    "money_weighted": ("Money-weighted", "the rate the money itself earned, its timing included"),
    "simple": ("Simple", "gain over opening value and deposits"),
}


def document(report: ReturnsReport) -> Document:
    """Returns, periods, years, checks and remarks, and the chart."""
    p, style = report.portfolio, Style(report.currency)
    blocks: list[Block] = [Figures(_title(report), _lines(report, style)), _periods(report, style)]
    if table := _years_table(report, style):
        blocks.append(table)
    day = "at the end of its day" if report.timing == "end" else "at the start of its day"
    blocks.append(
        Text(
            f"Calendar days; a flow counts {day}. Values stand at the end of their day, its flows included.",
            "comparison",
        )
    )
    blocks += [Text(report.note, "question")] if report.note else []
    blocks += [Text(line) for line in _working(report, style)]
    blocks.append(Checks(report.checks))
    blocks += [Text(remark, "question") for remark in p.remarks(benchmark=report.benchmark, timing=report.timing)]
    accounts = ", ".join(p.accounts)
    chart = _chart(report)
    return Document(
        "Returns",
        tuple(blocks),
        f"{accounts}: {p.dates[0]} to {p.dates[-1]}, {p.span:.2f} years.",
        (chart,) if chart else (),
        _headline(report),
    )


def handout(report: ReturnsReport, page: Document) -> Handout:
    """The returns on page one, with what was put in, and every period."""
    style = Style(report.currency)
    ways = next(block for block in page.blocks if isinstance(block, Figures))
    given = Table(
        "What was put in",
        (Column("What", words=True), Column("", words=True)),
        tuple((Cell(label), Cell(text)) for label, text in _given(report, style)),
    )
    periods = _periods(report, style, whole=True)
    cut = len(periods.rows) > _MOST
    return Handout(
        page,
        lambda: sheets_of({"periods": report.frame}),
        first=PageOne((), ways.lines, given, (ways,)),
        whole=lambda: (replace(periods, title="All periods"),) if cut else (),
    )


def _headline(report: ReturnsReport) -> str:
    """What the account earned, by its choices and by its money, and what the benchmark did."""
    p = report.portfolio
    own, money = (report.returns[name][0] for name in ("time_weighted", "money_weighted"))
    own = own or report.returns["modified_dietz"][0]
    if own is None:
        return f"From {p.dates[0]} to {p.dates[-1]} no return can be told: {report.returns['modified_dietz'][1]}."
    said = f"From {p.dates[0]} to {p.dates[-1]} it earned {_told_return(own)}"
    if money is not None:
        said += f"; the money in it, its timing included, earned {_told_return(money)}"
    if report.benchmark_return is not None:
        said += f"; the benchmark {_told_return(report.benchmark_return)}"
    return f"{said}."


def _told_return(value: Return) -> str:
    over = f"{value.over_span:.2%}"
    return over if value.annualized is None else f"{over} ({value.annualized:.2%} a year)"


def _given(report: ReturnsReport, style: Style) -> Iterator[tuple[str, str]]:
    p = report.portfolio
    put_in = sum(period.put_in for period in p.periods)
    yield "Accounts", ", ".join(p.accounts)
    yield "Statements", f"{len(p.dates)}, {p.dates[0]} to {p.dates[-1]}"
    yield "Opening value", style.with_unit(float(p.values[0]), "money")
    yield "Put in, less taken out", style.with_unit(put_in, "money")
    yield "Closing value", style.with_unit(float(p.values[-1]), "money")
    yield "A flow counts", f"at the {report.timing} of its day"


def _working(report: ReturnsReport, style: Style) -> list[str]:
    """The formula of a period's return, and the last period with flows put in."""
    late = "" if report.timing == "end" else " + 1"
    lines = [f"Formula: (closing - opening - put in) / (opening + sum of flow × (D - d{late}) / D), for d of D days."]
    with_flows = [period for period in report.portfolio.periods if period.flows]
    if with_flows:
        period = with_flows[-1]
        shift = 0 if report.timing == "end" else 1
        terms = " ".join(
            f"{'+' if flow >= 0 else '-'} {style.show(abs(flow), 'money')} × {of - day + shift}/{of}"
            for of, (day, flow) in ((period.days, flow) for flow in period.flows)
        )
        gain, capital = style.show(period.gain, "money"), style.show(period.capital(report.timing), "money")
        opening = style.show(period.opening, "money")
        lines.append(f"Numbers in, to {period.end}: {gain} / ({opening} {terms}) = {gain} / {capital}.")
    return lines


def _title(report: ReturnsReport) -> str:
    """What stands over the four returns."""
    ending = ", and a year" if report.portfolio.span > 1 else "; not a year's, the span is no longer than one"
    return f"Returns over the span{ending}"


def _lines(report: ReturnsReport, style: Style) -> tuple[FigureLine, ...]:
    of, lines = ReturnDerivations(report), []
    for name, (label, note) in _WAYS.items():
        value, reason = report.returns[name]
        lines.append(_line(style, label, value, reason or note, partial(of.way, name, label)))
    if report.benchmark_return is not None:
        lines.append(_line(style, "Benchmark", report.benchmark_return, "over the same days", of.beside))
    return tuple(lines)


def _line(
    style: Style, label: str, value: Return | None, note: str, make: Callable[[], dict[str, Derivation]]
) -> FigureLine:
    why = Why(label, make)
    if value is None:
        return FigureLine(label, Cell("undefined", "out"), note, why, known=False)
    shown = style.show(value.over_span, "share")
    if value.annualized is not None:
        note = f"{style.show(value.annualized, 'rate')} a year; {note}"
    return FigureLine(label, Cell(shown), note, why)


_MOST = 40
"""So many periods stand on the page of a screen."""


def _periods(report: ReturnsReport, style: Style, *, whole: bool = False) -> Table:
    columns = [
        Column("To", words=True),
        Column("Opening"),
        Column("Put in"),
        Column("Gain"),
        Column("Closing"),
        Column("Return"),
    ]
    levels = None if report.benchmark is None else report.benchmark.at(report.portfolio.dates)
    if levels is not None:
        columns.append(Column("Benchmark"))
    rows: list[tuple[Cell, ...]] = []
    of = ReturnDerivations(report)
    for k, p in enumerate(report.portfolio.periods):
        back = report.of_period(k)
        cells = [Cell(str(p.end)), Cell(style.show(p.opening, "money"))]
        cells.append(
            Cell(
                style.show(p.put_in, "money", sign=True) if p.put_in else "-",
                "question" if p.put_in else "comparison",
            )
        )
        cells.append(Cell(style.show(p.gain, "money", sign=True), "in" if p.gain >= 0 else "out"))
        cells += [Cell(style.show(p.closing, "money")), Cell(style.show(back, "share", sign=True))]
        if levels is not None:
            cells.append(Cell(style.show(float(levels[k + 1] / levels[k] - 1), "share", sign=True), "comparison"))
        rows.append(Row(cells, Why(f"From {p.start} to {p.end}", partial(of.period, k, p))))
    if len(rows) > _MOST and not whole:
        rows = [*rows[:18], (Cell("…", "comparison"),) * len(columns), *rows[-18:]]
    return Table("Period by period, modified Dietz", tuple(columns), tuple(rows))


def _years_table(report: ReturnsReport, style: Style) -> Table | None:
    years = report.years()
    if not years:
        return None
    of = ReturnDerivations(report)

    def row(label: str, value: float | None, part: MeasuredPortfolio) -> Row:
        cells = (Cell(label), Cell(style.show(value, "share", sign=True)))
        return Row(cells, Why(label, partial(of.year, part.periods)))

    parts = report.portfolio.calendar_years()
    rows = [row(str(year), value, parts[year]) for year, value in years.items()]
    if report.to_date is not None:
        label, part = report.to_date
        rows.append(row(label, part.modified_dietz(timing=report.timing).over_span, part))
    return Table("Calendar years, modified Dietz", (Column("Year", words=True), Column("Return")), tuple(rows))


def _chart(report: ReturnsReport) -> GrowthChart | None:
    p = report.portfolio
    returns = [report.of_period(k) for k in range(len(p.periods))]
    if any(value is None for value in returns):
        return None
    steps = [1.0, *(1.0 + (value or 0.0) for value in returns)]
    growth = np.asarray(100.0 * np.cumprod(steps), dtype=np.float64)
    beside = None
    if report.benchmark is not None:
        levels = report.benchmark.at(p.dates)
        beside = 100.0 * levels / levels[0]
    inside = (p.flow_dates > p.dates[0]) & (p.flow_dates <= p.dates[-1])
    over = growth[-1] / 100 - 1
    title = f"100 became {growth[-1]:.1f} ({over:+.1%})"
    if beside is not None:
        title += f"; the benchmark {beside[-1]:.1f}"
    return GrowthChart("growth", title, p.dates, growth, beside, p.flow_dates[inside], p.flows[inside])

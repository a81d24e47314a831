"""The returns of a portfolio on one page: four ways, each period, calendar years, beside a benchmark."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import cached_property
from typing import TYPE_CHECKING, Any, ClassVar

import numpy as np

from pennyweight.documents import Block, Cell, Checks, Column, Document, FigureLine, GrowthChart, Table, Text
from pennyweight.documents import Figures as FiguresBlock
from pennyweight.documents.derivation import Whys
from pennyweight.documents.shown import Shown
from pennyweight.errors import NoAnswer
from pennyweight.quantities.units import Style

if TYPE_CHECKING:
    import pandas as pd

    from pennyweight.instruments.portfolios.benchmark import Benchmark
    from pennyweight.instruments.portfolios.periods import Return, Timing
    from pennyweight.instruments.portfolios.portfolio import Portfolio

__all__ = ["ReturnsReport"]

_WAYS = {
    "modified_dietz": ("Modified Dietz, linked", "gain over average capital in each period, linked"),
    "time_weighted": ("Time-weighted", "growth between flows, linked: what the choices earned"),
    "money_weighted": ("Money-weighted", "the rate the money itself earned, its timing included"),
    "simple": ("Simple", "gain over opening value and deposits"),
}


@dataclass(frozen=True, eq=False, repr=False)
class ReturnsReport(Shown):
    """Every return of a portfolio; one that cannot be worked out carries its reason.

    >>> from pennyweight import Portfolio
    >>> rows = [("2026-01-01", "a", "value", 100.0), ("2026-03-01", "a", "value", 105.0)]
    >>> found, reason = Portfolio.from_rows(rows).report().returns["time_weighted"]
    >>> round(found.over_span, 9), reason
    (0.05, '')
    """

    portfolio: Portfolio
    timing: Timing
    benchmark: Benchmark | None
    currency: str

    PERIODS: ClassVar[str] = "Period by period, modified Dietz"
    YEARS: ClassVar[str] = "Calendar years, modified Dietz"

    @property
    def title(self) -> str:
        """What stands over the four returns."""
        ending = ", and a year" if self.portfolio.span > 1 else "; not a year's, the span is no longer than one"
        return f"Returns over the span{ending}"

    @cached_property
    def to_date(self) -> tuple[str, Portfolio] | None:
        """The part of the last year that has gone by, and its name; None where the year is whole."""
        p = self.portfolio
        last = p.dates[-1]
        if str(last)[5:] == "12-31" or p.dates[0] >= last.astype("datetime64[Y]"):
            return None
        return f"{str(last)[:4]} to date", p.year_to_date()

    @cached_property
    def returns(self) -> dict[str, tuple[Return | None, str]]:
        """Each way with its return, or None and the reason."""
        p = self.portfolio
        ways: dict[str, Callable[[], Return]] = {
            "modified_dietz": lambda: p.modified_dietz(timing=self.timing),
            "time_weighted": lambda: p.time_weighted(timing=self.timing),
            "money_weighted": p.money_weighted,
            "simple": p.simple,
        }
        found: dict[str, tuple[Return | None, str]] = {}
        for name, compute in ways.items():
            try:
                found[name] = compute(), ""
            except NoAnswer as error:
                found[name] = None, str(error)
        return found

    @cached_property
    def benchmark_return(self) -> Return | None:
        """The benchmark over the same span."""
        if self.benchmark is None:
            return None
        first, last = self.benchmark.at(self.portfolio.dates[[0, -1]])
        return self.portfolio._return(float(last / first - 1.0))

    @property
    def frame(self) -> pd.DataFrame:
        """One row a period: start, opening, put in, gain, closing, return, the benchmark's; its end is the index."""
        import pandas as pd

        rows = [
            (p.start, p.opening, p.put_in, p.gain, p.closing, self._of_period(k))
            for k, p in enumerate(self.portfolio.periods)
        ]
        names = ["start", "opening", "put_in", "gain", "closing", "return"]
        ends = pd.Index([p.end for p in self.portfolio.periods], name="end")
        table = pd.DataFrame(rows, columns=names, index=ends)
        return table if self._beside is None else table.assign(benchmark=self._beside)

    @property
    def _beside(self) -> Any:
        """The benchmark's return of each period."""
        if self.benchmark is None:
            return None
        levels = self.benchmark.at(self.portfolio.dates)
        return levels[1:] / levels[:-1] - 1

    def _of_period(self, k: int) -> float | None:
        try:
            return self.portfolio.periods[k].modified_dietz(self.timing)
        except NoAnswer:
            return None

    def as_dict(self) -> dict[str, Any]:
        """Plain values for JSON."""
        found: dict[str, Any] = {"format": 1, "span": self.portfolio.span, "timing": self.timing}
        for name, (value, reason) in self.returns.items():
            found[name] = (
                {"over_span": None, "annualized": None, "reason": reason} if value is None else value._asdict()
            )
        found["benchmark"] = None if self.benchmark_return is None else self.benchmark_return._asdict()
        found["periods"] = [
            {
                "start": str(p.start),
                "end": str(p.end),
                "opening": p.opening,
                "put_in": p.put_in,
                "gain": p.gain,
                "closing": p.closing,
                "flows": [{"day": day, "of": p.days, "amount": amount} for day, amount in p.flows],
                "average_capital": p.capital(self.timing),
                "return": self._of_period(k),
                **({} if self._beside is None else {"benchmark": float(self._beside[k])}),
            }
            for k, p in enumerate(self.portfolio.periods)
        ]
        found["calendar_years"] = {str(year): value for year, value in self._years().items()}
        found["remarks"] = self.portfolio.remarks(benchmark=self.benchmark, timing=self.timing)
        return found

    def _years(self) -> dict[int, float | None]:
        found: dict[int, float | None] = {}
        for year, part in self.portfolio.calendar_years().items():
            try:
                found[year] = part.modified_dietz(timing=self.timing).over_span
            except NoAnswer:
                found[year] = None
        return found

    def _whys(self) -> Whys:
        from pennyweight.pages.portfolios.return_whys import return_whys

        return return_whys(self)

    def document(self) -> Document:
        """Returns, periods, years, checks and remarks, and the chart."""
        p, style = self.portfolio, Style(self.currency)
        lines = []
        for name, (label, note) in _WAYS.items():
            value, reason = self.returns[name]
            lines.append(self._line(style, label, value, reason or note))
        if self.benchmark_return is not None:
            lines.append(self._line(style, "Benchmark", self.benchmark_return, "over the same days"))
        blocks: list[Block] = [FiguresBlock(self.title, tuple(lines)), self._periods(style)]
        if table := self._years_table(style):
            blocks.append(table)
        day = "at the end of its day" if self.timing == "end" else "at the start of its day"
        blocks.append(
            Text(
                f"Calendar days; a flow counts {day}. Values stand at the end of their day, its flows included.",
                "comparison",
            )
        )
        blocks += [Text(line) for line in self._working(style)]
        blocks.append(Checks(self._checks()))
        blocks += [Text(remark, "question") for remark in p.remarks(benchmark=self.benchmark, timing=self.timing)]
        accounts = ", ".join(p.accounts)
        chart = self._chart()
        return Document(
            "Returns",
            tuple(blocks),
            f"{accounts}: {p.dates[0]} to {p.dates[-1]}, {p.span:.2f} years.",
            (chart,) if chart else (),
        )

    def _working(self, style: Style) -> list[str]:
        """The formula of a period's return, and the last period with flows put in."""
        late = "" if self.timing == "end" else " + 1"
        lines = [
            f"Formula: (closing - opening - put in) / (opening + sum of flow × (D - d{late}) / D), for d of D days."
        ]
        with_flows = [period for period in self.portfolio.periods if period.flows]
        if with_flows:
            period = with_flows[-1]
            shift = 0 if self.timing == "end" else 1
            terms = " ".join(
                f"{'+' if flow >= 0 else '-'} {style.show(abs(flow), 'money')} × {of - day + shift}/{of}"
                for of, (day, flow) in ((period.days, flow) for flow in period.flows)
            )
            gain, capital = style.show(period.gain, "money"), style.show(period.capital(self.timing), "money")
            opening = style.show(period.opening, "money")
            lines.append(f"Numbers in, to {period.end}: {gain} / ({opening} {terms}) = {gain} / {capital}.")
        return lines

    def _line(self, style: Style, label: str, value: Return | None, note: str) -> FigureLine:
        if value is None:
            return FigureLine(label, Cell("undefined", "out"), note)
        shown = style.show(value.over_span, "share")
        if value.annualized is not None:
            note = f"{style.show(value.annualized, 'rate')} a year; {note}"
        return FigureLine(label, Cell(shown), note)

    def _periods(self, style: Style) -> Table:
        columns = [
            Column("To", words=True),
            Column("Opening"),
            Column("Put in"),
            Column("Gain"),
            Column("Closing"),
            Column("Return"),
        ]
        levels = None if self.benchmark is None else self.benchmark.at(self.portfolio.dates)
        if levels is not None:
            columns.append(Column("Benchmark"))
        rows = []
        for k, p in enumerate(self.portfolio.periods):
            back = self._of_period(k)
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
            rows.append(tuple(cells))
        if len(rows) > 40:
            rows = [*rows[:18], (Cell("…", "comparison"),) * len(columns), *rows[-18:]]
        return Table(self.PERIODS, tuple(columns), tuple(rows))

    def _years_table(self, style: Style) -> Table | None:
        years = self._years()
        if not years:
            return None
        rows = [(Cell(str(year)), Cell(style.show(value, "share", sign=True))) for year, value in years.items()]
        if self.to_date is not None:
            label, part = self.to_date
            value = part.modified_dietz(timing=self.timing).over_span
            rows.append((Cell(label), Cell(style.show(value, "share", sign=True))))
        return Table(self.YEARS, (Column("Year", words=True), Column("Return")), tuple(rows))

    def _checks(self) -> tuple[tuple[bool, str], ...]:
        p = self.portfolio
        put_in, gain = (sum(getattr(period, name) for period in p.periods) for name in ("put_in", "gain"))
        gap = abs(float(p.values[0]) + put_in + gain - float(p.values[-1]))
        size = float(np.abs(p.values).max()) or 1.0
        return (
            (
                bool(gap <= 1e-9 * size),
                "Opening value, what was put in and what was gained add up to the closing value.",
            ),
        )

    def _chart(self) -> GrowthChart | None:
        p = self.portfolio
        returns = [self._of_period(k) for k in range(len(p.periods))]
        if any(value is None for value in returns):
            return None
        steps = [1.0, *(1.0 + (value or 0.0) for value in returns)]
        growth = np.asarray(100.0 * np.cumprod(steps), dtype=np.float64)
        beside = None
        if self.benchmark is not None:
            levels = self.benchmark.at(p.dates)
            beside = 100.0 * levels / levels[0]
        inside = (p.flow_dates > p.dates[0]) & (p.flow_dates <= p.dates[-1])
        over = growth[-1] / 100 - 1
        title = f"100 became {growth[-1]:.1f} ({over:+.1%})"
        if beside is not None:
            title += f"; the benchmark {beside[-1]:.1f}"
        return GrowthChart("growth", title, p.dates, growth, beside, p.flow_dates[inside], p.flows[inside])

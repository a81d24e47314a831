"""All measures of cash flows on one page, each undefined one with its reason."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any, Literal, TypeAlias

import numpy as np
from numpy.typing import NDArray

from pennyweight.core.rate_forms import nominal_rate
from pennyweight.documents import Block, Cell, Checks, Column, Document, FigureLine, Figures, Table
from pennyweight.documents.charts import flows_chart, rate_chart
from pennyweight.documents.derivation import Whys
from pennyweight.documents.shown import Shown
from pennyweight.errors import NoAnswer
from pennyweight.quantities.rates import read_rate
from pennyweight.quantities.units import Style

if TYPE_CHECKING:
    import pandas as pd

    from pennyweight.instruments.flows.account import Account
    from pennyweight.instruments.flows.cash_flows import CashFlows

__all__ = ["FlowsReport", "report"]

Floats: TypeAlias = NDArray[np.float64]
Outlay = Literal["all", "first"]


@dataclass(frozen=True, eq=False, repr=False)
class FlowsReport(Shown):
    """The measures of some flows at a rate. A measure that is None has its reason in `undefined`.

    >>> from pennyweight import CashFlows
    >>> report = CashFlows([-1_000, 500, 700]).report("7%")
    >>> round(report.measures["npv"], 2), report.undefined
    (78.7, {})
    """

    flows: CashFlows
    rate: float | None
    measures: dict[str, float | None]
    undefined: dict[str, str]
    irrs: tuple[float, ...]
    payback_first: float | None
    factors: Floats | None
    modified_at: tuple[float, float] | None
    account: Account | None
    on: Outlay

    @property
    def shown_rows(self) -> list[int]:
        """The rows of the table of flows that a page shows, from 0."""
        return [k for k in _shown(self.flows.amounts.size) if k is not None]

    @property
    def frame(self) -> pd.DataFrame:
        """One row a flow, with factor and present value when a rate was given."""
        frame = self.flows.frame.copy()
        if self.factors is not None:
            frame["factor"] = self.factors
            frame["present_value"] = self.factors * self.flows.amounts
        return frame

    def as_dict(self) -> dict[str, Any]:
        """Plain values for JSON."""
        dates = self.flows.dates
        rows = [
            {
                "date" if dates is not None else "period": str(dates[k]) if dates is not None else k,
                "years": float(self.flows.times[k]),
                "amount": float(amount),
                **({} if self.factors is None else {"factor": float(self.factors[k])}),
            }
            for k, amount in enumerate(self.flows.amounts)
        ]
        return {
            "format": 1,
            "rate": self.rate,
            **self.measures,
            "irrs": list(self.irrs),
            "payback_first_crossing": self.payback_first,
            "outlays": self.on,
            "gain": self.flows.money_in - self.flows.money_out,
            "span": float(self.flows.times[-1]),
            "account": None if self.account is None else {**self.account._asdict(), "ahead": self.account.ahead},
            "undefined": self.undefined,
            "flows": rows,
        }

    def _whys(self) -> Whys:
        from pennyweight.pages.flows.flow_whys import flow_whys

        return flow_whys(self)

    def _working_blocks(self) -> tuple[Block, ...]:
        return () if self.rate is None else self.flows.working(self.rate).document().blocks

    def document(self) -> Document:
        """Measures, discount factors, checks and charts."""
        flows, style = self.flows, Style(self.flows.currency)
        blocks: list[Block] = [
            Figures("Money in and out", self._plain_lines(style)),
            Figures("Measures", self._measure_lines(style)),
            self._table(style),
            Checks(self._checks()),
        ]
        dated = flows.dates is not None
        how = f"dated, time by {flows.day_count}" if dated else f"one a {flows.period}, the first at once"
        valued = "" if flows.valued_on is None else f", valued on {flows.valued_on}"
        subtitle = f"{flows.amounts.size} flows, {how}{valued}."
        charts = (
            flows_chart(flows.amounts, flows.times, style, spread=not dated),
            rate_chart(flows.amounts, flows.times, style, asked=self.rate),
        )
        return Document("Cash flows", tuple(blocks), subtitle, charts)

    def _plain_lines(self, style: Style) -> tuple[FigureLine, ...]:
        flows = self.flows
        gain = flows.money_in - flows.money_out
        span = float(flows.times[-1])
        lines = [
            FigureLine("Money in", Cell(style.with_unit(flows.money_in, "money"), "in")),
            FigureLine("Money out", Cell(style.with_unit(flows.money_out, "money"), "out")),
            FigureLine(
                "Gain" if gain >= 0 else "Loss",
                Cell(style.with_unit(gain, "money")),
                "in less out, undiscounted",
            ),
            FigureLine("Span", Cell(style.with_unit(span, "years")), self._span()),
        ]
        if self.account is not None:
            at, beside = f"{self.account.rate:.2%}", self.account
            word = "ahead of" if beside.ahead >= 0 else "behind"
            gap = style.show(abs(beside.ahead), "money")
            lines += [
                FigureLine(
                    "In a bank account",
                    Cell(style.with_unit(beside.deposits, "money"), "comparison"),
                    f"what the money out would have become, at {at}",
                ),
                FigureLine(
                    "What came in",
                    Cell(style.with_unit(beside.returns, "money")),
                    f"what the money in has become in that account; {gap} {word} it",
                ),
            ]
        return tuple(lines)

    def _span(self) -> str:
        dates = self.flows.dates
        return "" if dates is None else f"{dates[0]} to {dates[-1]}"

    def _measure_lines(self, style: Style) -> tuple[FigureLine, ...]:
        lines = []
        for name, (label, unit) in _LABELS.items():
            if name not in self.measures:
                continue
            value = self.measures[name]
            note = self._note(name) if value is not None else self.undefined[name]
            if name == "irr" and value is None and len(self.irrs) > 1:
                shown = " and ".join(f"{rate:.2%}" for rate in self.irrs)
                lines.append(
                    FigureLine(label, Cell(shown, "question"), "several rates bring the present value to zero")
                )
                continue
            lines.append(
                FigureLine(label, Cell(style.with_unit(value, unit), "plain" if value is not None else "out"), note)
            )
        return tuple(lines)

    def _note(self, name: str) -> str:
        if name in ("roi", "profitability_index"):
            outlay = "all money out" if self.on == "all" else "the first outlay"
            return f"gain over {outlay}" if name == "roi" else f"present value in over present value of {outlay}"
        if name in ("npv", "discounted_payback", "equivalent_annual"):
            return f"at {self.rate:.2%} a year, effective"
        if name == "modified_irr" and self.modified_at is not None:
            return f"effective; reinvested at {self.modified_at[0]:.2%}, borrowed at {self.modified_at[1]:.2%}"
        if name == "irr":
            short = float(self.flows.times[-1]) < 1
            quoted = float(nominal_rate(self.measures["irr"] or 0.0, 12))
            others = [f"{rate:.2%}" for rate in self.irrs if abs(rate - (self.measures["irr"] or 0.0)) > 1e-9]
            also = f"; the only one above zero, the present value is zero at {' and '.join(others)}, too"
            return (
                f"effective ({quoted:.2%} monthly)"
                + (also if others else "")
                + ("; the span is under a year, so it is an extrapolation" if short else "")
            )
        if name == "over_span":
            return f"not a year's: over {self.flows.times[-1]:.2f} years"
        first, value = self.payback_first, self.measures[name]
        if name == "payback" and first is not None and value is not None and abs(first - value) > 1e-9:
            return f"first reached after {first:.2f} years and lost again"
        return "spread over each period" if self.flows.dates is None else "each flow on its day"

    def _table(self, style: Style) -> Table:
        flows = self.flows
        columns = [
            Column(
                "Date" if flows.dates is not None else flows.period.capitalize(),
                words=flows.dates is not None,
            )
        ]
        columns += [Column("Flow"), Column("Running total")]
        if self.factors is not None:
            columns += [Column("Factor"), Column("Present value")]
        rows = []
        running = np.cumsum(flows.amounts)
        shown = _shown(flows.amounts.size)
        for k in shown:
            if k is None:
                gap = Cell(f"… {flows.amounts.size - len(shown) + 1} more …", "comparison")
                rows.append((gap, *(Cell("…", "comparison") for _ in columns[1:])))
                continue
            amount = float(flows.amounts[k])
            tone: Literal["in", "out"] = "in" if amount >= 0 else "out"
            cells = [Cell(str(k) if flows.dates is None else str(flows.dates[k]))]
            cells += [Cell(style.show(amount, "money"), tone), Cell(style.show(float(running[k]), "money"))]
            if self.factors is not None:
                cells.append(Cell(f"{self.factors[k]:.6f}", "comparison"))
                cells.append(Cell(style.show(float(self.factors[k] * amount), "money"), tone))
            rows.append(tuple(cells))
        return Table("Flows", tuple(columns), tuple(rows))

    def _checks(self) -> tuple[tuple[bool, str], ...]:
        checks, style = [], Style(self.flows.currency)
        size = float(np.abs(self.flows.amounts).sum())
        for rate in self.irrs:
            if rate <= -1:  # of some periods less than a year, so near -100 % that a yearly rate cannot tell
                continue
            left = abs(_npv_at(self.flows, rate))
            bound = 1e-9 * size * max(1.0, _largest_factor(self.flows, rate))
            checks.append(
                (bool(left <= bound), f"The present value at {rate:.2%} is zero to within {style.within(left)}.")
            )
        if self.factors is not None:
            worth = float((self.factors * self.flows.amounts).sum())
            npv = self.measures["npv"] or 0.0
            checks.append((bool(abs(worth - npv) <= 1e-9 * size), "The present values in the table add up to the NPV."))
        return tuple(checks)


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


def report(
    flows: CashFlows,
    rate: str | float | None,
    *,
    reinvested_at: str | float | None,
    borrowed_at: str | float | None,
    account: Account | None,
    on: Outlay,
) -> FlowsReport:
    """Work out every measure; see `CashFlows.report`."""
    at = None if rate is None else read_rate(rate).effective()
    reinvested = at if reinvested_at is None else read_rate(reinvested_at, what="reinvested_at").effective()
    borrowed = at if borrowed_at is None else read_rate(borrowed_at, what="borrowed_at").effective()
    asked: dict[str, Callable[[], float]] = {
        "irr": flows.irr,
        "payback": flows.payback,
        "roi": lambda: flows.roi(on=on),
    }
    modified_at = None
    if reinvested is not None and borrowed is not None:
        modified_at = (reinvested, borrowed)
        asked["modified_irr"] = lambda: flows.modified_irr(reinvested_at=reinvested, borrowed_at=borrowed)
    if at is not None:
        asked["npv"] = lambda: flows.npv(at)
        asked["discounted_payback"] = lambda: flows.payback(at)
        asked["profitability_index"] = lambda: flows.profitability_index(at, on=on)
        asked["equivalent_annual"] = lambda: flows.equivalent_annual(at)
    span = float(flows.times[-1])
    if 0 < span < 1:
        asked["over_span"] = lambda: (1 + flows.irr()) ** span - 1
    measures: dict[str, float | None] = {"money_in": flows.money_in, "money_out": flows.money_out}
    undefined: dict[str, str] = {}
    for name, compute in asked.items():
        measures[name], reason = _try(compute)
        if reason:
            undefined[name] = reason
    return FlowsReport(
        flows,
        at,
        measures,
        undefined,
        tuple(flows.irrs()),
        _try(lambda: flows.payback(first=True))[0],
        None if at is None else flows.discount_factors(at),
        modified_at,
        account,
        on,
    )


def _try(compute: Callable[[], float]) -> tuple[float | None, str]:
    try:
        return compute(), ""
    except NoAnswer as error:
        return None, str(error)


def _npv_at(flows: CashFlows, rate: float) -> float:
    with np.errstate(over="ignore"):
        return float((flows.amounts * (1.0 + rate) ** -flows.times).sum())


def _largest_factor(flows: CashFlows, rate: float) -> float:
    """Near -100 % the discount factors are huge, and the last digit of the rate times them is what is left."""
    with np.errstate(over="ignore"):
        return float(max((1.0 + rate) ** -flows.times))


def _shown(count: int) -> list[int | None]:
    """The rows a page shows; None where the middle of a long table is left out. CSV, JSON and .xlsx have all."""
    return list(range(count)) if count <= 40 else [*range(15), None, *range(count - 15, count)]

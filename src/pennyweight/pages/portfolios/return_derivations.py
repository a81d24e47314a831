"""Where each return of a portfolio comes from."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence

import numpy as np

from pennyweight.documents.derivation import Derivation, added, bracketed, digits, in_full
from pennyweight.errors import NoAnswer
from pennyweight.instruments.portfolios.periods import Period, Return
from pennyweight.instruments.portfolios.returns_report import ReturnsReport
from pennyweight.quantities.units import Style

__all__ = ["ReturnDerivations"]

_MOST_FACTORS = 16
"""A product of more factors is told by calendar years."""
_STEP = 0.0001


class ReturnDerivations:
    """The derivations of the returns of a portfolio."""

    def __init__(self, report: ReturnsReport) -> None:
        self.report, self.portfolio, self.style = report, report.portfolio, Style(report.currency)
        self.late = 0 if report.timing == "end" else 1
        self.levels = None if report.benchmark is None else report.benchmark.at(report.portfolio.dates)

    def put(self, value: float) -> str:
        return in_full(value, self.style.places)

    def share(self, value: float, *, sign: bool = False) -> str:
        return self.style.show(value, "share", sign=sign)

    def over_and_a_year(self, label: str, one: Derivation, value: Return | None) -> dict[str, Derivation]:
        """The return over the span, and a year's where the span is longer than one."""
        if value is None or value.annualized is None:
            return {label: one}
        span = self.portfolio.span
        yearly = Derivation(
            self.style.show(value.annualized, "rate"),
            "(1 + return over the span)^(1 / years) - 1",
            f"(1 + {bracketed(digits(value.over_span))})^(1 / {digits(span)}) - 1",
        )
        return {f"{label}, over the span": one, "A year": yearly}

    # The four ways

    def way(self, name: str, label: str) -> dict[str, Derivation]:
        """One of the four by its name, over the span and a year."""
        value, reason = self.report.returns[name]
        one = Derivation("undefined", reason) if value is None else getattr(self, name)(value)
        return self.over_and_a_year(label, one, value)

    def modified_dietz(self, value: Return) -> Derivation:
        timing = self.report.timing
        return self.linked(
            value,
            self.portfolio.periods,
            lambda period: 1 + period.modified_dietz(timing),
            "each period's gain over its average capital, linked: (1 + return) × … - 1",
        )

    def time_weighted(self, value: Return) -> Derivation:
        def growth(period: Period) -> float:
            if self.late:
                return period.closing / (period.opening + period.put_in)
            return (period.closing - period.put_in) / period.opening

        how = "(closing - put in) / opening" if not self.late else "closing / (opening + put in)"
        return self.linked(value, self.portfolio.periods, growth, f"growth of each period, linked: {how} × … - 1")

    def linked(
        self, value: Return, periods: Sequence[Period], growth: Callable[[Period], float], how: str
    ) -> Derivation:
        """A product of growths, by period, or by calendar year where there are many."""
        factors: dict[str, list[float]] = {}
        for period in periods:
            named = f"To {period.end}" if len(periods) <= _MOST_FACTORS else f"In {str(period.end)[:4]}"
            factors.setdefault(named, []).append(growth(period))
        told = " × ".join(f"{digits(float(np.prod(own)))}" for own in factors.values())
        parts: Mapping[str, Derivation] = {}
        if len(periods) > _MOST_FACTORS:
            parts = {
                named: Derivation(
                    self.share(float(np.prod(own)) - 1),
                    f"of its {len(own)} periods, linked",
                    f"{' × '.join(map(digits, own))} - 1" if len(own) <= 3 * _MOST_FACTORS else "",
                )
                for named, own in factors.items()
            }
        numbers = f"{told} - 1" if len(factors) <= 3 * _MOST_FACTORS else ""
        return Derivation(self.share(value.over_span), how, numbers, parts)

    def money_weighted(self, value: Return) -> Derivation:
        p = self.portfolio
        yearly = (1 + value.over_span) ** (1 / p.span) - 1 if value.over_span > -1 else -1.0
        inside = (p.flow_dates > p.dates[0]) & (p.flow_dates <= p.dates[-1])
        left = (p.dates[-1] - p.flow_dates[inside]).astype(np.int64) / 365
        parts = {"Closing value": Derivation(self.style.show(float(p.values[-1]), "money"), "as stated")}
        for beside in (yearly - _STEP, yearly, yearly + _STEP):
            if beside > -1:
                grown = float(p.values[0]) * (1 + beside) ** p.span
                grown += float((p.flows[inside] * (1 + beside) ** left).sum())
                parts[f"Opening value and flows grown at {beside:.4%} a year"] = Derivation(
                    self.style.show(grown, "money"), "value or flow × (1 + r)^years left, added up"
                )
        how = "(1 + r)^years - 1, r the yearly rate at which opening value and flows grow to the closing value"
        told = f"(1 + {bracketed(digits(yearly))})^{digits(p.span)} - 1"
        return Derivation(self.share(value.over_span), how, told, parts)

    def simple(self, value: Return) -> Derivation:
        p = self.portfolio
        deposits = sum(amount for period in p.periods for _, amount in period.flows if amount > 0)
        put_in, opening, closing = sum(period.put_in for period in p.periods), float(p.values[0]), float(p.values[-1])
        gain = sum(period.gain for period in p.periods)
        parts = {
            "Gain": Derivation(
                self.style.show(gain, "money"),
                "closing - opening - put in",
                f"{self.put(closing)} - {self.put(opening)} - {bracketed(self.put(put_in))}",
            )
        }
        told = f"{bracketed(self.put(gain))} / ({self.put(opening)} + {self.put(deposits)})"
        return Derivation(self.share(value.over_span), "gain / (opening value + deposits)", told, parts)

    def beside(self) -> dict[str, Derivation]:
        """The benchmark over the same days, and a year."""
        return self.over_and_a_year("Benchmark", self.benchmark(), self.report.benchmark_return)

    def benchmark(self) -> Derivation:
        assert self.levels is not None
        assert self.report.benchmark_return is not None
        first, last = float(self.levels[0]), float(self.levels[-1])
        how = "level on the last day / level on the first day - 1"
        return Derivation(
            self.share(self.report.benchmark_return.over_span), how, f"{digits(last)} / {digits(first)} - 1"
        )

    # One period, one year

    def period(self, k: int, period: Period) -> dict[str, Derivation]:
        """The columns of a period."""
        money = self.style.show
        flows = [amount for _, amount in period.flows]
        told = {"Opening": Derivation(money(period.opening, "money"), f"as stated on {period.start}")}
        if flows:
            told["Put in"] = Derivation(
                money(period.put_in, "money", sign=True),
                "deposits - withdrawals",
                added(flows, self.put) if len(flows) <= 16 else "",
            )
        told["Gain"] = Derivation(
            money(period.gain, "money", sign=True),
            "closing - opening - put in",
            f"{self.put(period.closing)} - {self.put(period.opening)} - {bracketed(self.put(period.put_in))}",
        )
        told["Closing"] = Derivation(money(period.closing, "money"), f"as stated on {period.end}")
        told["Return"] = self.dietz(period)
        if self.levels is not None:
            before, after = float(self.levels[k]), float(self.levels[k + 1])
            told["Benchmark"] = Derivation(
                self.share(after / before - 1, sign=True),
                "level at the end / level at the start - 1",
                f"{digits(after)} / {digits(before)} - 1",
            )
        return told

    def dietz(self, period: Period) -> Derivation:
        """Gain over average capital."""
        try:
            value = period.modified_dietz(self.report.timing)
        except NoAnswer as error:
            return Derivation("undefined", str(error))
        days, capital = period.days, period.capital(self.report.timing)
        weighted = "".join(
            f" {'+' if flow >= 0 else '-'} {self.put(abs(flow))} × {days - day + self.late}/{days}"
            for day, flow in period.flows
        )
        late = " + 1" if self.late else ""
        parts = {
            "Average capital": Derivation(
                self.style.show(capital, "money"),
                f"opening + sum of flow × (D - d{late}) / D, on day d of D",
                f"{self.put(period.opening)}{weighted}" if len(period.flows) <= 16 else "",
            )
        }
        told = f"{bracketed(self.put(period.gain))} / {self.put(capital)}"
        return Derivation(self.share(value, sign=True), "gain / average capital", told, parts)

    def year(self, periods: Sequence[Period]) -> dict[str, Derivation]:
        """The return of a calendar year."""
        timing = self.report.timing
        growths = [1 + period.modified_dietz(timing) for period in periods]
        told = f"{' × '.join(map(digits, growths))} - 1" if len(growths) <= 3 * _MOST_FACTORS else ""
        value = self.share(float(np.prod(growths)) - 1, sign=True)
        how = f"the returns of its {len(periods)} periods, linked: (1 + return) × … - 1"
        return {"Return": Derivation(value, how, told)}

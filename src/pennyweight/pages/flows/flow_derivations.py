"""Where each measure of cash flows comes from, and each row of their table."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TypeAlias

import numpy as np
from numpy.typing import NDArray

from pennyweight.array_kinds import Floats
from pennyweight.documents.derivation import Derivation, added, bracketed, digits, in_full
from pennyweight.instruments.flows.flows_report import FlowsReport
from pennyweight.instruments.flows.measured_flows import MeasuredFlows
from pennyweight.quantities.units import Style

__all__ = ["FlowDerivations", "row_derivations"]

Places: TypeAlias = NDArray[np.intp]

_MOST_TERMS = 16
"""A sum of more parts is told by its halves, not written out."""
_STEP = 0.01
"""How far beside a rate of return the worth is told: a point."""


def row_derivations(
    flows: MeasuredFlows,
    k: int,
    before: float,
    rate: float | None,
    factor: tuple[float, str] | None,
    places: int | None,
) -> dict[str, Derivation]:
    """One row of a table of flows, from 0; `before` is the running total of those before it.

    `factor` is its factor and how that is shown, None where the table has none, and `places` those to which it was
    rounded; None: it is exact.
    """
    style, amount = Style(flows.currency), float(flows.amounts[k])
    own = {
        "Flow": Derivation(style.show(amount, "money")),
        "Running total": Derivation(
            style.show(before + amount, "money"),
            "the total before + the flow",
            f"{_put(style, before)} + {bracketed(_put(style, amount))}",
        ),
    }
    if factor is not None and rate is not None:
        how = "(1 + r)^-t, t years from the first flow, or from the day of valuation"
        if places is not None:
            how = f"{how}, rounded to {places} places"
        value, shown = factor
        power = digits(0.0 - float(flows.times[k] - flows.valued_after))
        own["Factor"] = Derivation(shown, how, f"(1 + {digits(rate)})^{power}")
        told = f"{_put(style, amount)} × {digits(value)}"
        own["Present value"] = Derivation(style.show(value * amount, "money"), "flow × factor", told)
    return own


class FlowDerivations:
    """The derivations of the measures of some flows."""

    def __init__(self, report: FlowsReport) -> None:
        self.report, self.flows, self.style = report, report.flows, Style(report.flows.currency)
        self.amounts, self.times = report.flows.amounts, report.flows.times
        self.end = float(self.times[-1])

    def measure(self, name: str) -> Derivation:
        """One of the measures by its name."""
        made: Derivation = getattr(self, name)()
        return made

    def shown(self, name: str, unit: str) -> str:
        return self.style.with_unit(self.report.measures[name], unit)

    def amount(self, value: float) -> str:
        return self.style.with_unit(value, "money")

    def put(self, value: float) -> str:
        return _put(self.style, value)

    def summed(self, values: Sequence[float]) -> str:
        """Amounts as a sum, those below zero taken off; nothing when there are too many to read."""
        if len(values) > _MOST_TERMS:
            return ""
        return added(values, self.put)

    def money(self, side: int) -> Derivation:
        values = [abs(one) for one in self.amounts.tolist() if one * side > 0]
        way = "in" if side > 0 else "out"
        return Derivation(self.amount(sum(values)), f"all {len(values)} flows {way}, added up", self.summed(values))

    def gain(self) -> Derivation:
        coming, going = self.flows.money_in, self.flows.money_out
        parts = {"Money in": self.money(1), "Money out": self.money(-1)}
        told = f"{self.put(coming)} - {self.put(going)}"
        return Derivation(self.amount(coming - going), "money in - money out", told, parts)

    def span(self) -> Derivation:
        shown, flows = self.style.with_unit(self.end, "years"), self.flows
        if flows.dates is None:
            often = round((self.amounts.size - 1) / self.end) if self.end else 1
            return Derivation(
                shown,
                f"{flows.period}s from the first flow to the last / {flows.period}s a year",
                f"{self.amounts.size - 1} / {often}",
            )
        days = int((flows.dates[-1] - flows.dates[0]).astype(int))
        how = f"from {flows.dates[0]} to {flows.dates[-1]} by {flows.day_count}"
        plain = abs(days / 365 - self.end) < 1e-12
        return Derivation(shown, f"{how}: days / 365" if plain else how, f"{days} / 365" if plain else "")

    def in_account(self, side: int) -> Derivation:
        account = self.report.account
        assert account is not None
        value = account.returns if side > 0 else account.deposits
        places, way = np.flatnonzero(self.amounts * side > 0), "in" if side > 0 else "out"
        how = f"each of the {places.size} flows {way} × (1 + r)^years until the last flow, added up"
        parts = {}
        if places.size > _MOST_TERMS:
            for word, k in (("first", places[:1]), ("last", places[-1:])):
                left = self.end - self.times[k]
                worth = float((np.abs(self.amounts[k]) * (1 + account.rate) ** left)[0])
                told = self.grown(k, account.rate, left)
                parts[f"The {word} of them"] = Derivation(self.amount(worth), "flow × (1 + r)^years left", told)
        return Derivation(
            self.amount(value), how, self.grown(places, account.rate, self.end - self.times[places]), parts
        )

    # Present values

    def worth(self, side: int, rate: float, *, at: float = 0.0) -> Derivation:
        """The present value of one side, `at` years after the first flow."""
        places = np.flatnonzero(self.amounts * side > 0)
        way = "in" if side > 0 else "out"
        how = f"each of the {places.size} flows {way} × (1 + r)^-t, added up"
        value = self.value(side, rate, at=at)
        return Derivation(self.amount(value), how, self.grown(places, rate, at - self.times[places]))

    def grown(self, places: Places, rate: float, years: Floats) -> str:
        """The sum of some flows, each grown at a rate over its years; nothing when there are too many to read."""
        if places.size > _MOST_TERMS:
            return ""
        sizes = np.abs(self.amounts[places]).tolist()
        return " + ".join(
            f"{self.put(size)} × (1 + {digits(rate)})^{digits(t + 0.0)}"
            for size, t in zip(sizes, years.tolist(), strict=True)
        )

    def value(self, side: int, rate: float, *, at: float = 0.0) -> float:
        chosen = self.amounts * side > 0
        return float((np.abs(self.amounts[chosen]) * (1 + rate) ** -(self.times[chosen] - at)).sum())

    def at(self, rate: float, *, at: float = 0.0) -> Derivation:
        """The present value of all flows at a rate."""
        coming, going = self.value(1, rate, at=at), self.value(-1, rate, at=at)
        parts = {
            "Worth of what comes in": self.worth(1, rate, at=at),
            "Worth of what goes out": self.worth(-1, rate, at=at),
            **self.by_time(rate, at=at),
        }
        told = f"{self.put(coming)} - {self.put(going)}"
        return Derivation(self.amount(coming - going), "worth of what comes in - worth of what goes out", told, parts)

    def by_time(self, rate: float, *, at: float = 0.0) -> dict[str, Derivation]:
        """What each flow, or of many each year, adds to the present value, and the sum until then."""
        with np.errstate(over="ignore"):
            factors = (1 + rate) ** -(self.times - at)
        worth, found, so_far = self.amounts * factors, dict[str, Derivation](), 0.0
        single = self.amounts.size <= _MOST_TERMS
        keys = np.arange(self.amounts.size) if single else np.ceil(self.times - 1e-9).astype(int)
        for key in np.unique(keys).tolist():
            here = keys == key
            so_far += float(worth[here].sum())
            until = f"so far {self.put(so_far)}"
            if not single:
                flows = self.put(float(self.amounts[here].sum()))
                how = f"{int(here.sum())} flows of {flows} in all, each × its factor; {until}"
                found[f"Year {key}"] = Derivation(self.amount(float(worth[here].sum())), how)
                continue
            told = f"{self.put(float(self.amounts[key]))} × {digits(float(factors[key]))}"
            found[self.named(key)] = Derivation(self.amount(float(worth[key])), f"flow × factor; {until}", told)
        return found

    def named(self, k: int) -> str:
        """A flow by its day, or its place in time; two on a day by their number, too."""
        days = self.flows.dates
        if days is None:
            return f"{self.flows.period.capitalize()} {k}"
        alone = int((days == days[k]).sum()) == 1
        return f"{days[k]}" if alone else f"{days[k]}, flow {k + 1}"

    def npv(self) -> Derivation:
        return self.at(self.rate, at=self.flows.valued_after)

    @property
    def rate(self) -> float:
        rate = self.report.rate
        assert rate is not None
        return rate

    def irr(self) -> Derivation:
        parts = {}
        for rate in self.report.irrs:
            for beside in (rate - _STEP, rate, rate + _STEP):
                if beside > -1:
                    coming, going = self.value(1, beside), self.value(-1, beside)
                    parts[f"Present value at {beside:.4%}"] = Derivation(
                        self.amount(coming - going),
                        "worth of what comes in - worth of what goes out",
                        f"{self.put(coming)} - {self.put(going)}",
                        self.by_time(rate) if beside == rate else {},
                    )
        value = self.shown("irr", "rate")
        if self.report.measures["irr"] is None:
            value = " and ".join(f"{rate:.2%}" for rate in self.report.irrs)
        return Derivation(value, "the rate at which the present values of all flows add up to zero", "", parts)

    def over_span(self) -> Derivation:
        irr = self.report.measures["irr"] or 0.0
        told = f"{digits(1 + irr)}^{digits(self.end)} - 1"
        return Derivation(self.shown("over_span", "share"), "(1 + internal rate of return)^span - 1", told)

    def modified_irr(self) -> Derivation:
        assert self.report.modified_at is not None
        reinvested, borrowed = self.report.modified_at
        coming, going = self.value(1, reinvested, at=self.end), self.value(-1, borrowed)
        parts = {
            f"What comes in, at the end, at {reinvested:.2%}": self.worth(1, reinvested, at=self.end),
            f"What goes out, at the start, at {borrowed:.2%}": self.worth(-1, borrowed),
        }
        told = f"({self.put(coming)} / {self.put(going)})^(1 / {digits(self.end)}) - 1"
        how = "(what comes in, at the end / what goes out, at the start)^(1 / span) - 1"
        return Derivation(self.shown("modified_irr", "rate"), how, told, parts)

    # Payback and ratios

    def payback(self) -> Derivation:
        return self._paid_back("payback", self.amounts, "")

    def discounted_payback(self) -> Derivation:
        with np.errstate(all="ignore"):
            worth = self.amounts * (1 + self.rate) ** -self.times
        return self._paid_back("discounted_payback", worth, " of present values")

    def _paid_back(self, name: str, flows: Floats, of: str) -> Derivation:
        when = self.report.measures[name]
        assert when is not None
        shown, total = self.shown(name, "years"), np.cumsum(flows)
        k = int(np.searchsorted(self.times, when - 1e-12))
        if k == 0:
            return Derivation(shown, f"the running total{of} is never below zero")
        before, flow, missing = float(self.times[k - 1]), float(flows[k]), -float(total[k - 1])
        days = self.flows.dates
        first, second = (f"after {digits(before)} years", f"after {digits(float(self.times[k]))} years")
        if days is not None:
            first, second = f"on {days[k - 1]}", f"on {days[k]}"
        parts = {
            f"Running total{of} {first}": Derivation(self.amount(-missing), "flows until then, added up"),
            f"Running total{of} {second}": Derivation(
                self.amount(float(total[k])),
                "the total before + the flow",
                f"{self.put(-missing)} + {bracketed(_put(self.style, flow))}",
            ),
        }
        if self.flows.dates is None and flow > 0 and 0 < missing / flow < 1:
            length = float(self.times[k]) - before
            how = f"years before + missing / flow × length of a {self.flows.period}, as it comes evenly"
            told = f"{digits(before)} + {self.put(missing)} / {self.put(flow)} × {digits(length)}"
            if abs(before + missing / flow * length - when) < 1e-9 * max(1.0, when):
                return Derivation(shown, how, told, parts)
        return Derivation(shown, f"from there on the running total{of} stays at or above zero", "", parts)

    @property
    def outlay(self) -> tuple[float, str]:
        if self.report.on == "all":
            return self.flows.money_out, "money out"
        return abs(float(self.amounts[0])), "the first outlay"

    def roi(self) -> Derivation:
        gain, (outlay, named) = self.flows.money_in - self.flows.money_out, self.outlay
        told = f"{self.put(gain)} / {self.put(outlay)}"
        return Derivation(self.shown("roi", "share"), f"gain / {named}", told, {"Gain": self.gain()})

    def profitability_index(self) -> Derivation:
        shown, coming, going = (
            self.shown("profitability_index", "number"),
            self.value(1, self.rate),
            self.value(-1, self.rate),
        )
        if self.report.on == "all":
            parts = {
                "Worth of what comes in": self.worth(1, self.rate),
                "Worth of what goes out": self.worth(-1, self.rate),
            }
            how = "worth of what comes in / worth of what goes out"
            return Derivation(shown, how, f"{self.put(coming)} / {self.put(going)}", parts)
        first = self.outlay[0]
        how = "1 + net present value, on the day of the first flow / the first outlay"
        return Derivation(shown, how, f"1 + {bracketed(_put(self.style, coming - going))} / {self.put(first)}")

    def equivalent_annual(self) -> Derivation:
        shown, worth, rate = self.shown("equivalent_annual", "money"), self.at(self.rate), self.rate
        value = self.put(self.value(1, rate) - self.value(-1, rate))
        parts = {"Net present value on the day of the first flow": worth}
        if not rate:
            return Derivation(shown, "net present value / span", f"{value} / {digits(self.end)}", parts)
        told = f"{value} × {digits(rate)} / (1 - (1 + {digits(rate)})^-{digits(self.end)})"
        return Derivation(shown, "net present value × r / (1 - (1 + r)^-span)", told, parts)


def _put(style: Style, value: float) -> str:
    return in_full(value, style.places)

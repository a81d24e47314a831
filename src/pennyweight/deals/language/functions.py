"""The functions of the deal language: one registry that dispatches, checks, explains and documents them.

A function is a Python function on arrays plus a line of description. Lines are (periods + 1, width), single values
(width,); widths broadcast. NaN is undefined. `why` tells, for one case, why a result is undefined.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Literal, TypeAlias, cast

import numpy as np
from numpy.typing import NDArray

from pennyweight.core import annuity, flows, rates
from pennyweight.core.irr import rates as irr
from pennyweight.core.irr.one_row import one_row
from pennyweight.core.irr.outcome import IrrOutcome
from pennyweight.deals.language.operations import column_total
from pennyweight.deals.timeline import Timeline

__all__ = ["FUNCTIONS", "Function", "Parameter"]

Floats: TypeAlias = NDArray[np.float64]
Takes = Literal["line", "name", "single", "rate", "years", "period", "any", "anyrate"]
"""What a parameter takes. `line`: something over time; `name`: the name of one; `any`: either shape."""

WHOLE = 1e-6


@dataclass(frozen=True, slots=True)
class Parameter:
    """A parameter of a function; one with a `default` text may be left out."""

    name: str
    kind: Takes
    optional: bool = False


@dataclass(frozen=True, slots=True)
class Function:
    """A function of the language."""

    name: str
    parameters: tuple[Parameter, ...]
    result: Literal["single", "line", "same"]
    unit: str
    """The unit of the result; `=` for that of the first argument."""
    summary: str
    compute: Callable[..., Floats]
    why: Callable[..., str] | None = None
    many: bool = False
    """Whether the last parameter may be repeated."""

    @property
    def signature(self) -> str:
        """name(a, b, [c])"""
        parts = [f"[{p.name}]" if p.optional else p.name for p in self.parameters]
        return f"{self.name}({', '.join(parts)}{', …' if self.many else ''})"

    @property
    def over_time(self) -> bool:
        """Whether it looks at other periods than the one at hand."""
        return any(p.kind in ("line", "name") for p in self.parameters)


# Growth.


def _per_period(time: Timeline, rate: Floats) -> Floats:
    return rates.per_period(rate, time.per_year)


def _grown(time: Timeline, rate: Floats) -> Floats:
    return np.exp(time.years[:, None] * np.log1p(np.where(rate > -1, rate, np.nan)))


def _grown_yearly(time: Timeline, rate: Floats) -> Floats:
    since = np.maximum(time.year - 1, 0)
    whole = np.arange(since[-1, 0] + 1)[:, None]
    by_year = np.exp(whole * np.log1p(np.where(rate > -1, rate, np.nan)))
    return np.take(by_year, since[:, 0].astype(np.intp), axis=0)


def _end_of_year(time: Timeline, years: Floats) -> Floats:
    return years * time.per_year


# One line over time.


def _within(time: Timeline, x: Floats, first: Floats | None, last: Floats | None, default: int) -> Floats:
    """1 from first to last, both in, 0 outside; NaN when either is no whole period."""
    low = np.full(1, float(default)) if first is None else first
    high = np.full(1, float(time.periods)) if last is None else last
    inside = (time.t >= low - WHOLE) & (time.t <= high + WHOLE)
    undefined = ~_whole(low) | ~_whole(high)
    return np.where(undefined, np.nan, inside.astype(np.float64))


def _whole(x: Floats) -> NDArray[np.bool_]:
    return np.asarray(np.abs(x - np.round(x)) <= WHOLE)


def _total(time: Timeline, x: Floats, first: Floats | None = None, last: Floats | None = None) -> Floats:
    if first is None and last is None:
        return column_total(x)
    inside = _within(time, x, first, last, 0)
    return column_total(np.where(inside == 1, x, np.where(np.isnan(inside), np.nan, 0.0)))


def _average(time: Timeline, x: Floats, first: Floats | None = None, last: Floats | None = None) -> Floats:
    inside = _within(time, x, first, last, 1)
    total = column_total(np.where(inside == 1, x, np.where(np.isnan(inside), np.nan, 0.0)))
    count = column_total(inside)
    with np.errstate(invalid="ignore", divide="ignore"):
        return np.where(count > 0, total / count, np.nan)


def _extreme(pick: np.ufunc, worst: float) -> Callable[..., Floats]:
    def compute(time: Timeline, x: Floats, first: Floats | None = None, last: Floats | None = None) -> Floats:
        inside = _within(time, x, first, last, 1)
        chosen = pick.reduce(np.where(inside == 1, x, np.where(np.isnan(inside), np.nan, worst)), axis=0)
        return np.where(np.isinf(chosen), np.nan, chosen)

    return compute


def _at(time: Timeline, x: Floats, k: Floats) -> Floats:
    width = max(x.shape[1], k.shape[-1])
    inside = _whole(k) & (k >= -WHOLE) & (k <= time.periods + WHOLE)
    index = np.where(inside, np.round(np.where(inside, k, 0)), 0).astype(np.intp)
    columns = np.broadcast_to(x, (x.shape[0], width))
    index = np.broadcast_to(index, (*k.shape[:-1], width))
    taken = np.take_along_axis(columns, np.atleast_2d(index), axis=0).reshape(index.shape)
    return np.where(inside, taken, np.nan)


def _why_at(time: Timeline, x: Floats, k: Floats) -> str:
    asked = float(k.reshape(-1)[0])
    if not _whole(k).all():
        return f"period {asked:g} is not a whole one"
    return f"there is no period {asked:g}; they run from 0 to {time.periods}"


def _first_period(time: Timeline, x: Floats) -> Floats:
    holds = x == 1
    found = np.argmax(holds, axis=0).astype(np.float64)
    return np.where(holds.any(axis=0), found, np.nan)


def _prior(time: Timeline, x: Floats) -> Floats:
    result = np.empty_like(x)
    result[0] = 0.0
    result[1:] = x[:-1]
    return result


def _running(time: Timeline, x: Floats) -> Floats:
    return np.cumsum(x, axis=0)


# Flows.


def _cut(time: Timeline, x: Floats, years: Floats | None, plus: Floats | None) -> tuple[Floats, Floats]:
    """(flows until `years`, with `plus` added there; the last period)."""
    if years is None:
        last = np.full(1, float(time.periods))
    else:
        last = years * time.per_year
        last = np.where(_whole(last) & (last >= 0) & (last <= time.periods), np.round(last), np.nan)
        x = np.where(time.t <= last, x, np.where(np.isnan(last), np.nan, 0.0))
    if plus is not None:
        x = x + np.where(time.t == last, plus, 0.0)
    return x, last


def _npv(time: Timeline, x: Floats, rate: Floats, years: Floats | None = None, plus: Floats | None = None) -> Floats:
    x, _ = _cut(time, x, years, plus)
    period_rate = rates.per_period(rate, time.per_year)
    if x.shape[1] == 1 and period_rate.size == 1:
        if np.isnan(period_rate[0]):
            return np.full(1, np.nan)
        # The same steps in plain floats: a row of one is all call overhead otherwise.
        factor, total = 1.0 / (1.0 + float(period_rate[0])), 0.0
        for flow in reversed(x[:, 0].tolist()):
            total = total * factor + flow
        return np.array([total])
    return flows.npv(x.T, period_rate)


def _irr(time: Timeline, x: Floats, years: Floats | None = None, plus: Floats | None = None) -> Floats:
    x, _ = _cut(time, x, years, plus)
    found = np.array([one_row(x[:, 0].tolist())[0]]) if x.shape[1] == 1 else irr.irr(x.T)
    return found if time.per_year == 1 else rates.effective_rate(found * time.per_year, time.per_year)


def _why_irr(time: Timeline, x: Floats, years: Floats | None = None, plus: Floats | None = None) -> str:
    row = _cut(time, x, years, plus)[0][:, 0]
    outcome = irr.irr_outcomes(row).outcome
    crossing, touching = irr.all_rates(row)
    several = [
        f"{float(rates.effective_rate(rate * time.per_year, time.per_year)):.2%}"
        for rate in sorted([*crossing, *touching])
    ]
    if not (row < 0).any():
        return "no money goes out, so there is nothing to earn a return on"
    if not (row > 0).any():
        return "no money comes in"
    return {
        IrrOutcome.SEVERAL: f"several rates bring the present value to zero: {', '.join(several)}",
        IrrOutcome.TOUCHES: f"the present value touches zero at {', '.join(several)} without crossing it",
        IrrOutcome.EDGE: "the return lies at -100% or beyond every number",
    }.get(IrrOutcome(int(outcome)), "no rate brings the present value to zero")


def _payback(time: Timeline, x: Floats, rate: Floats | None = None) -> Floats:
    if rate is not None:
        period_rate = rates.per_period(rate, time.per_year)
        x = x * flows.discount_factors(period_rate, time.t[:, 0]).T
    return flows.payback(x.T) / time.per_year


def _why_payback(time: Timeline, x: Floats, rate: Floats | None = None) -> str:
    table = x[:, 0]
    if rate is not None:
        table = flows.discounted(table, rates.per_period(rate[0], time.per_year))
    first = float(flows.payback(table, first=True)) / time.per_year
    left = f"the running total ends at {table.sum():,.2f}"
    if np.isfinite(first):
        return f"paid back after {first:.2f} years but lost again; {left}"
    return f"never paid back; {left}"


def _profitability_index(time: Timeline, x: Floats, rate: Floats) -> Floats:
    return flows.profitability_index(x.T, rates.per_period(rate, time.per_year))


def _equivalent_annual(time: Timeline, x: Floats, rate: Floats) -> Floats:
    return flows.equivalent_annual(x.T, rate, times=time.years)


# Annuities, per period of the timeline.


def _present_value(time: Timeline, payment: Floats, rate: Floats, years: Floats) -> Floats:
    i = rates.per_period(rate, time.per_year)
    return annuity.present_value(payment=payment, rate=i, periods=years * time.per_year)


def _future_value(time: Timeline, payment: Floats, rate: Floats, years: Floats) -> Floats:
    i = rates.per_period(rate, time.per_year)
    return annuity.future_value(payment=payment, rate=i, periods=years * time.per_year)


def _loan_payment(time: Timeline, owed: Floats, rate: Floats, years: Floats) -> Floats:
    return annuity.level_payment(owed=owed, rate=rate / time.per_year, periods=years * time.per_year)


# Depreciation.


def _straight_line(time: Timeline, cost: Floats, residual: Floats, years: Floats) -> Floats:
    runs = (time.t >= 1) & (time.t <= years * time.per_year + WHOLE)
    with np.errstate(divide="ignore", invalid="ignore"):
        share = np.where(years > 0, (cost - residual) / (years * time.per_year), np.nan)
    return np.where(runs, share, np.where(np.isnan(share), np.nan, 0.0))


def _declining_balance(time: Timeline, cost: Floats, rate: Floats) -> Floats:
    left = cost * (1.0 - rate) ** np.maximum(time.year - 1, 0)
    return np.where(time.t >= 1, left * rate / time.per_year, 0.0)


# Plain arithmetic, element by element.


def _fold(ufunc: np.ufunc) -> Callable[..., Floats]:
    def compute(time: Timeline, *arguments: Floats) -> Floats:
        result = arguments[0]
        for argument in arguments[1:]:
            result = ufunc(result, argument)
        return result

    return compute


def _plain(ufunc: np.ufunc) -> Callable[..., Floats]:
    def compute(time: Timeline, x: Floats) -> Floats:
        with np.errstate(all="ignore"):
            result: Floats = ufunc(x)
        return np.where(np.isinf(result), np.nan, result)

    return compute


def _clamp(time: Timeline, x: Floats, low: Floats, high: Floats) -> Floats:
    return np.where(low <= high, np.minimum(np.maximum(x, low), high), np.nan)


def _round(time: Timeline, x: Floats, places: Floats | None = None) -> Floats:
    scale = 1.0 if places is None else 10.0 ** np.round(places)
    # Half away from zero, as written arithmetic rounds; a hair lets 1.005 written in binary round up.
    scaled = np.abs(x) * scale
    return np.sign(x) * np.floor(scaled * (1 + 4e-16) + 0.5) / scale


def _read_parameters(text: str) -> tuple[Parameter, ...]:
    """Read "x:line rate:rate years:years?" as parameters, `?` for one that may be left out."""
    found = []
    for part in text.split():
        name, _, kind = part.partition(":")
        found.append(Parameter(name, cast(Takes, kind.rstrip("?")), kind.endswith("?")))
    return tuple(found)


_ROWS: list[tuple[str, str, Literal["single", "line", "same"], str, str, Callable[..., Floats]]] = [
    ("total", "x:line first:period? last:period?", "single", "=", "sum, both ends in", _total),
    ("average", "x:line first:period? last:period?", "single", "=", "mean of periods 1 to end", _average),
    ("lowest", "x:line first:period? last:period?", "single", "=", "smallest of periods 1 to end",
     _extreme(np.minimum, np.inf)),
    ("highest", "x:line first:period? last:period?", "single", "=", "largest of periods 1 to end",
     _extreme(np.maximum, -np.inf)),
    ("first_period", "condition:line", "single", "period", "first period in which it holds", _first_period),
    ("prior", "x:name", "line", "=", "the value one period earlier, 0 in period 0", _prior),
    ("running", "x:line", "line", "=", "the running total", _running),
    ("at", "x:line period:any", "same", "=", "the value in one period", _at),
    ("npv", "flows:line rate:rate years:years? plus:single?", "single", "money",
     "present value at a yearly rate, period 0 not discounted", _npv),
    ("irr", "flows:line years:years? plus:single?", "single", "rate",
     "the yearly rate at which the present value is zero", _irr),
    ("payback", "flows:line rate:rate?", "single", "years",
     "time from which the running total stays at or above zero (with a rate: discounted)", _payback),
    ("profitability_index", "flows:line rate:rate", "single", "number",
     "present value of all money in over that of all money out", _profitability_index),
    ("equivalent_annual", "flows:line rate:rate", "single", "money",
     "the level yearly amount worth the same", _equivalent_annual),
    ("present_value", "payment:single rate:rate years:years", "single", "money",
     "worth today of a payment each period", _present_value),
    ("future_value", "payment:single rate:rate years:years", "single", "money",
     "what a payment each period has become at the end", _future_value),
    ("loan_payment", "owed:single rate:rate years:years", "single", "money",
     "the level payment each period that clears a debt, rate quoted", _loan_payment),
    ("per_period", "rate:anyrate", "same", "share", "a yearly rate turned into one of a period", _per_period),
    ("grown", "rate:rate", "line", "number", "(1 + rate) to the power of the years gone by", _grown),
    ("grown_yearly", "rate:rate", "line", "number", "the same in yearly steps, 1 all through year 1",
     _grown_yearly),
    ("end_of_year", "n:years", "single", "period", "the last period of year n", _end_of_year),
    ("straight_line", "cost:single residual:single years:years", "line", "money",
     "depreciation in equal parts", _straight_line),
    ("declining_balance", "cost:single rate:single", "line", "money",
     "depreciation by a share of what is left each year", _declining_balance),
    ("min", "x:any y:any", "same", "=", "the smallest", _fold(np.minimum)),
    ("max", "x:any y:any", "same", "=", "the largest", _fold(np.maximum)),
    ("clamp", "x:any low:any high:any", "same", "=", "x kept between low and high", _clamp),
    ("abs", "x:any", "same", "=", "without its sign", _plain(np.absolute)),
    ("round", "x:any places:single?", "same", "=", "rounded, halves away from zero", _round),
    ("floor", "x:any", "same", "=", "the whole number below", _plain(np.floor)),
    ("ceil", "x:any", "same", "=", "the whole number above", _plain(np.ceil)),
    ("exp", "x:any", "same", "number", "e to the power of x", _plain(np.exp)),
    ("log", "x:any", "same", "number", "natural logarithm", _plain(np.log)),
    ("sqrt", "x:any", "same", "number", "square root", _plain(np.sqrt)),
]  # fmt: skip

_WHY: dict[str, Callable[..., str]] = {
    "at": _why_at,
    "irr": _why_irr,
    "payback": _why_payback,
    "first_period": lambda time, x: "it holds in no period",
    "profitability_index": lambda time, x, rate: "no money goes out",
}

FUNCTIONS: dict[str, Function] = {
    name: Function(
        name, _read_parameters(parameters), result, unit, summary, compute, _WHY.get(name), name in ("min", "max")
    )
    for name, parameters, result, unit, summary, compute in _ROWS
}
"""Every function of the deal language by its name."""

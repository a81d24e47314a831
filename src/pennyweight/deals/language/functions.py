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

from pennyweight.deals.language import arithmetic, finance_functions

__all__ = ["FUNCTIONS", "Function", "Parameter"]

Floats: TypeAlias = NDArray[np.float64]
Takes = Literal["line", "name", "single", "rate", "years", "period", "any", "anyrate"]
"""What a parameter takes. `line`: something over time; `name`: the name of one; `any`: either shape."""


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
    beside: Callable[..., str] | None = None
    """What is to be said beside a value, for one case; empty where there is nothing."""
    many: bool = False
    """Whether the last parameter may be repeated."""
    example: str = ""
    """A formula in which it can be seen at work, in the small deal of the reference."""

    @property
    def signature(self) -> str:
        """name(a, b, [c])"""
        parts = [f"[{p.name}]" if p.optional else p.name for p in self.parameters]
        return f"{self.name}({', '.join(parts)}{', …' if self.many else ''})"

    @property
    def over_time(self) -> bool:
        """Whether it looks at other periods than the one at hand."""
        return any(p.kind in ("line", "name") for p in self.parameters)


def _read_parameters(text: str) -> tuple[Parameter, ...]:
    """Read "x:line rate:rate years:years?" as parameters, `?` for one that may be left out."""
    found = []
    for part in text.split():
        name, _, kind = part.partition(":")
        found.append(Parameter(name, cast(Takes, kind.rstrip("?")), kind.endswith("?")))
    return tuple(found)


_ROWS: list[tuple[str, str, Literal["single", "line", "same"], str, str, Callable[..., Floats]]] = [
    ("total", "x:line first:period? last:period?", "single", "=", "sum, both ends in", arithmetic.total),
    ("average", "x:line first:period? last:period?", "single", "=", "mean of periods 1 to end", arithmetic.average),
    ("lowest", "x:line first:period? last:period?", "single", "=", "smallest of periods 1 to end",
     arithmetic.extreme(np.minimum, np.inf)),
    ("highest", "x:line first:period? last:period?", "single", "=", "largest of periods 1 to end",
     arithmetic.extreme(np.maximum, -np.inf)),
    ("first_period", "condition:line first:period? last:period?", "single", "period", "first period in which it holds",
     arithmetic.first_period),
    ("prior", "x:name", "line", "=", "the value one period earlier, 0 in period 0", arithmetic.prior),
    ("running", "x:line", "line", "=", "the running total", arithmetic.running),
    ("at", "x:line period:any", "same", "=", "the value in one period", arithmetic.at_period),
    ("npv", "flows:line rate:rate years:years? plus:any?", "single", "money",
     "present value at a yearly rate, period 0 not discounted", finance_functions.npv),
    ("irr", "flows:line years:years? plus:any? above:rate? below:rate?", "single", "rate",
     "the yearly rate at which the present value is zero; of several the only one above zero, or between two limits",
     finance_functions.irr),
    ("payback", "flows:line rate:rate?", "single", "years",
     "time from which the running total stays at or above zero (with a rate: discounted)", finance_functions.payback),
    ("profitability_index", "flows:line rate:rate", "single", "number",
     "present value of all money in over that of all money out", finance_functions.profitability_index),
    ("equivalent_annual", "flows:line rate:rate years:years? plus:any?", "single", "money",
     "the level yearly amount worth the same", finance_functions.equivalent_annual),
    ("present_value", "payment:single rate:rate years:years", "single", "money",
     "worth today of a payment each period", finance_functions.present_value),
    ("future_value", "payment:single rate:rate years:years", "single", "money",
     "what a payment each period has become at the end", finance_functions.future_value),
    ("loan_payment", "owed:single rate:rate years:years per_year:single?", "single", "money",
     "the level payment each month that clears a debt, rate quoted",
     finance_functions.loan_payment),
    ("per_period", "rate:anyrate", "same", "share", "a yearly rate turned into one of a period", arithmetic.per_period),
    ("grown", "rate:rate", "line", "number", "(1 + rate) to the power of the years gone by", arithmetic.grown),
    ("grown_yearly", "rate:rate", "line", "number", "the same in yearly steps, 1 all through year 1",
     arithmetic.grown_yearly),
    ("end_of_year", "n:years", "single", "period", "the last period of year n", arithmetic.end_of_year),
    ("straight_line", "cost:single residual:single years:years", "line", "money",
     "depreciation in equal parts", finance_functions.straight_line),
    ("declining_balance", "cost:single rate:single", "line", "money",
     "depreciation by a share of what is left each year", finance_functions.declining_balance),
    ("date", "period:any", "same", "date", "the day a period ends on", arithmetic.date),
    ("period_of", "day:any", "same", "period", "the period that holds a day", arithmetic.period_of),
    ("months_between", "start:any end:any", "same", "number", "months from one day to another",
     arithmetic.months_between),
    ("years_between", "start:any end:any", "same", "years", "years from one day to another", arithmetic.years_between),
    ("min", "x:any y:any", "same", "=", "the smallest", arithmetic.fold(np.minimum)),
    ("max", "x:any y:any", "same", "=", "the largest", arithmetic.fold(np.maximum)),
    ("clamp", "x:any low:any high:any", "same", "=", "x kept between low and high", arithmetic.clamp),
    ("abs", "x:any", "same", "=", "without its sign", arithmetic.plain(np.absolute)),
    ("round", "x:any places:single?", "same", "=", "rounded, halves away from zero", arithmetic.rounded),
    ("floor", "x:any", "same", "=", "the whole number below", arithmetic.plain(np.floor)),
    ("ceil", "x:any", "same", "=", "the whole number above", arithmetic.plain(np.ceil)),
    ("exp", "x:any", "same", "number", "e to the power of x", arithmetic.plain(np.exp)),
    ("log", "x:any", "same", "number", "natural logarithm", arithmetic.plain(np.log)),
    ("sqrt", "x:any", "same", "number", "square root", arithmetic.plain(np.sqrt)),
]  # fmt: skip

_WHY: dict[str, Callable[..., str]] = {
    "at": arithmetic.why_at,
    "irr": finance_functions.why_irr,
    "payback": finance_functions.why_payback,
    "date": lambda time, k: f"the periods run from 0 to {time.periods}",
    "first_period": lambda time, x, first=None, last=None: "it holds in no period",
    "profitability_index": lambda time, x, rate: "no money goes out",
}

_BESIDE: dict[str, Callable[..., str]] = {"irr": finance_functions.beside_irr}

_EXAMPLES = {
    "total": "total(sales, 1, 4)", "average": "average(sales)", "lowest": "lowest(stock, 2, 5)",
    "highest": "highest(sales)", "first_period": "first_period(sales > 1_700)", "prior": "prior(sales)",
    "running": "running(sales)", "at": "at(stock, end)", "npv": "npv(net, hurdle)",
    "irr": "irr(net, years=2, plus=500)",
    "payback": "payback(net)", "profitability_index": "profitability_index(net, hurdle)",
    "equivalent_annual": "equivalent_annual(net, hurdle, years=1)", "present_value": "present_value(100, 8%, 2)",
    "future_value": "future_value(100, 8%, 2)", "loan_payment": "loan_payment(100_000, 6%, 30)",
    "per_period": "per_period(8%)", "grown": "grown(8%)", "grown_yearly": "grown_yearly(8%)",
    "end_of_year": "end_of_year(1)",
    "straight_line": "straight_line(9_000, 1_000, 2)", "declining_balance": "declining_balance(9_000, 30%)",
    "date": "date(end)", "period_of": "period_of('2027-05-15')",
    "months_between": "months_between('2027-01-31', '2027-03-15')",
    "years_between": "years_between('2019-05-01', date(end))", "min": "min(price, 5_000, 7_000)",
    "max": "max(0, total(net))", "clamp": "clamp(price, 0, 5_000)", "abs": "abs(total(net) - price)",
    "round": "round(2.675, 2)",
    "floor": "floor(2.7)", "ceil": "ceil(2.1)", "exp": "exp(1)", "log": "log(10)", "sqrt": "sqrt(2)",
}  # fmt: skip

FUNCTIONS: dict[str, Function] = {
    name: Function(
        name,
        _read_parameters(parameters),
        result,
        unit,
        summary,
        compute,
        _WHY.get(name),
        _BESIDE.get(name),
        name in ("min", "max"),
        _EXAMPLES[name],
    )
    for name, parameters, result, unit, summary, compute in _ROWS
}
"""Every function of the deal language by its name."""

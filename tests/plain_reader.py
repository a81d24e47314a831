"""What the names of a formula mean in one period of a deal, looked up by Python itself."""

from __future__ import annotations

import datetime as dt
from collections.abc import Callable
from functools import partial
from typing import Any

from tests.plain_functions import (
    UndefinedError,
    carried,
    cut_flows,
    declining,
    gain,
    mean,
    modified,
    months,
    rate_of_return,
    rates_of_return,
    some,
    window,
    worth,
)
from tests.plain_sets import Column, by_age, over_things
from tests.plain_words import graduated, interpolated, looked_up

__all__ = ["Reader"]


class Reader(dict[str, Any]):
    """What a formula's names mean in one period."""

    def __init__(self, deal: Any, t: int) -> None:
        super().__init__()
        self.deal, self.t = deal, t

    def __missing__(self, name: str) -> Any:
        deal, t = self.deal, self.t
        year = -(-t // deal.per_year)
        plain: dict[str, Any] = {
            "t": t, "end": deal.end, "per_year": deal.per_year, "year": year, "min": min, "max": max, "abs": abs,
            "per_period": lambda rate: (1 + rate) ** (1 / deal.per_year) - 1,
            "grown": lambda rate: (1 + rate) ** (t / deal.per_year),
            "grown_yearly": lambda rate: (1 + rate) ** max(year - 1, 0),
            "prior": lambda line: line.value(t - 1) if t else 0.0,
            "total": lambda line, a=0, b=None, where="1": sum(window(deal, line, a, b, 0, where)),
            "average": lambda line, a=1, b=None, where="1": mean(window(deal, line, a, b, 1, where)),
            "lowest": lambda line, a=1, b=None, where="1": some(min, window(deal, line, a, b, 1, where)),
            "at": lambda line, k, otherwise=None: line.value(round(k)) if otherwise is None or 0 <= round(k) <= deal.end else otherwise,
            "end_of_year": lambda years: years * deal.per_year,
            "date": lambda k: deal.day(round(float(k))).toordinal(),
            "period_of": lambda day: float(day) if float(day) == float("inf") else deal._stretch(str(dt.date.fromordinal(round(float(day)))))[0],
            "by_age": lambda new, curve: by_age(new, curve, t, deal.end),
            **{how: partial(over_things, deal, t, how) for how in ("sum_of", "average_of", "lowest_of", "highest_of", "count_of", "one_of")},
            "years_between": lambda a, b: months(round(float(a)), round(float(b))) / 12,
            "npv": lambda line, rate, years=None, plus=0, paid="", counted="": worth(deal, line, rate, years, plus, paid, counted),
            "graduated": lambda x, bracket: graduated(deal, t, x, bracket), "looked_up": looked_up, "interpolated": interpolated,
            "irr": partial(rate_of_return, deal),
            "irrs": lambda line, n, **more: some(max, [rate for k, rate in enumerate(rates_of_return(deal, line, **more), 1) if k == n]),
            "equivalent_annual": lambda line, rate, years: worth(deal, line, rate, years, 0) * rate / (1 - (1 + rate) ** -years),
            "roi": lambda line, years=None, plus=0: gain(cut_flows(deal, line, years, plus)),
            "modified_irr": lambda line, rate, other=None, years=None, plus=0: modified(deal, cut_flows(deal, line, years, plus), rate, rate if other is None else other),
            "growing_perpetuity": lambda first, rate, growth: first / ((1 + rate) ** (1 / deal.per_year) - (1 + growth) ** (1 / deal.per_year)),
            "after_losses": lambda line, share=1.0: carried(line, t, share)[0], "losses_left": lambda line, share=1.0: carried(line, t, share)[1],
            "written_off": lambda line, years: sum(line.value(k) for k in range(max(0, t - round(years * deal.per_year)), t)) / round(years * deal.per_year),
            "declining_balance": lambda cost, rate, years: declining(float(cost), rate, years, year) / deal.per_year,
            "running": lambda line: sum(line.value(k) for k in range(t + 1)),
            "highest": lambda line, a=1, b=None, where="1": some(max, window(deal, line, a, b, 1, where)),
        }  # fmt: skip
        if name in plain:
            return plain[name]
        if name == "undefined":
            raise UndefinedError
        if name in deal.sets:
            return Column(deal, name, t)
        if name in deal.document.get("brackets", {}):
            return deal.document["brackets"][name]
        given = deal.inputs.get(name)
        if isinstance(given, str) or (isinstance(given, dict) and "choices" in given):
            return given if isinstance(given, str) else given["value"]
        if name in deal.loans or name == "loans" or name in deal.document.get("splits", {}):
            return _Parts(deal, name, t)
        return _Named(deal, name, t)


class _Parts:
    """A loan in a formula: its parts are names."""

    def __init__(self, deal: Any, name: str, t: int) -> None:
        self.deal, self.name, self.t = deal, name, t

    def __getattr__(self, part: str) -> _Named:
        return _Named(self.deal, f"{self.name}.{part}", self.t)


class _Named:
    """A name in a formula, worked out only when arithmetic asks for its value in this period."""

    def __init__(self, deal: Any, name: str, t: int) -> None:
        self.deal, self.name, self.t = deal, name, t

    def value(self, t: int) -> float:
        found = self.deal.at(self.name, t)
        if found is None:
            raise UndefinedError
        return found

    def __float__(self) -> float:
        return self.value(self.t)


def _forward(operation: str) -> Callable[..., Any]:
    def compute(self: _Named, *others: Any) -> Any:
        return getattr(float(self), operation)(*(float(other) for other in others))

    return compute


_OPERATIONS = "add radd sub rsub mul rmul truediv rtruediv pow rpow lt le gt ge neg abs"
for _operation in _OPERATIONS.split():
    setattr(_Named, f"__{_operation}__", _forward(f"__{_operation}__"))

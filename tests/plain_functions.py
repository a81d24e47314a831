"""What the functions of the deal language come to, as plainly as it can be said: loops over the periods of one case."""

from __future__ import annotations

import datetime as dt
from collections.abc import Callable
from itertools import accumulate
from typing import Any

__all__ = [
    "UndefinedError",
    "carried",
    "cut_flows",
    "declining",
    "gain",
    "mean",
    "modified",
    "month_on",
    "months",
    "rate_of_return",
    "rates_of_return",
    "some",
    "when",
    "window",
    "worth",
]


class UndefinedError(Exception):
    """A part of the formula has no value."""


def month_on(day: dt.date, months: int) -> dt.date:
    year, month = divmod(day.year * 12 + day.month - 1 + months, 12)
    last = (dt.date(year + (month == 11), (month + 1) % 12 + 1, 1) - dt.timedelta(1)).day
    return dt.date(year, month + 1, min(day.day, last))


def months(first: int, last: int) -> float:
    """Whole months one after the other, then the part of the one begun."""
    if last < first:
        return -months(last, first)
    start, end, count = dt.date.fromordinal(first), dt.date.fromordinal(last), 0
    while month_on(start, count + 1) <= end:
        count += 1
    reached = month_on(start, count)
    return count + (end - reached).days / (month_on(start, count + 1) - reached).days


def cut_flows(deal: Any, line: Any, years: float | None, plus: Any) -> list[float]:
    last = deal.until if years is None else round(years * deal.per_year)
    flows = [line.value(k) for k in range(last + 1)]
    flows[-1] += plus.value(last) if hasattr(plus, "value") else plus
    return flows


def worth(
    deal: Any, line: Any, rate: float, years: float | None, plus: Any, paid: str = "", counted: str = ""
) -> float:
    flows = cut_flows(deal, line, years, plus)
    return sum(flow / (1 + rate) ** when(deal, k, paid, counted) for k, flow in enumerate(flows))


def when(deal: Any, k: int, paid: str, counted: str) -> float:
    """In how many years a period's amount comes."""
    earlier = 0.5 if paid == "middle" and k else 0.0
    if counted != "days":
        return float((k - earlier) / deal.per_year)
    day, start = deal.day(k).toordinal(), deal.day(0).toordinal()
    before = deal.day(k - 1).toordinal() if earlier else day
    return float(((day + before) / 2 - start) / 365)


def rate_of_return(
    deal: Any, line: Any, years: float | None = None, plus: Any = 0, paid: str = "", counted: str = ""
) -> float:
    """The one rate at which the flows are worth nothing; of several the one above zero, where
    the running total changes its sign once."""
    found = rates_of_return(deal, line, years, plus, paid, counted)
    totals = list(accumulate(cut_flows(deal, line, years, plus)))
    turns = [k for k in range(1, len(totals)) if totals[k] * totals[k - 1] < 0]
    above = [rate for rate in found if rate > 0]
    if len(found) > 1 and len(turns) == len(above) == 1:
        return above[0]
    if len(found) != 1:
        raise UndefinedError
    return found[0]


def rates_of_return(
    deal: Any, line: Any, years: float | None = None, plus: Any = 0, paid: str = "", counted: str = ""
) -> list[float]:
    """All of them from -99.99 % to 1,000 %, the lowest first: by halves wherever the worth changes its sign."""

    def of(rate: float) -> float:
        return worth(deal, line, rate, years, plus, paid, counted)

    ends = [1e-4 * 110_000 ** (k / 2_000) - 1 for k in range(2_001)]
    signs = [of(end) > 0 for end in ends]
    found = []
    for k in [k for k in range(2_000) if signs[k] != signs[k + 1]]:
        low, high = ends[k : k + 2]
        for _ in range(60):
            low, high = ((low + high) / 2, high) if (of((low + high) / 2) > 0) == signs[k] else (low, (low + high) / 2)
        found.append(low)
    return found


def window(deal: Any, line: Any, first: float, last: float | None, least: int, where: str) -> list[float]:
    """The values of the periods of a window that count."""
    last = deal.until if last is None else last
    if last > deal.end:
        raise UndefinedError
    return [
        line.value(k)
        for k in range(max(round(first), least), round(last) + 1)
        if where == "1" or deal.formula(where, k)
    ]


def mean(values: list[float]) -> float:
    return sum(values) / len(values)


def some(pick: Callable[[list[float]], float], values: list[float]) -> float:
    if not values:
        raise UndefinedError
    return pick(values)


def gain(flows: list[float]) -> float:
    out = sum(-flow for flow in flows if flow < 0)
    return sum(flows) / out


def modified(deal: Any, flows: list[float], rate: float, other: float) -> float:
    last, year = len(flows) - 1, deal.per_year
    ended = sum(flow * (1 + rate) ** ((last - k) / year) for k, flow in enumerate(flows) if flow > 0)
    begun = sum(-flow / (1 + other) ** (k / year) for k, flow in enumerate(flows) if flow < 0)
    return float((ended / begun) ** (year / last) - 1)


def carried(line: Any, t: int, share: float) -> tuple[float, float]:
    """What is taxed in a period, and what is left of the losses at its end."""
    pool = taxed = 0.0
    for k in range(t + 1):
        profit = line.value(k)
        used = min(pool, share * profit) if profit > 0 else 0.0
        taxed, pool = max(profit, 0.0) - used, pool - used + max(-profit, 0.0)
    return taxed, pool


def declining(left: float, rate: float, years: int, asked: int) -> float:
    """What is taken in one year: a share of what is left, or equal parts of it over the years to come."""
    taken = 0.0
    for year in range(1, asked + 1):
        taken = max(left * rate, left / (years - year + 1)) if year <= years else 0.0
        left -= taken
    return taken

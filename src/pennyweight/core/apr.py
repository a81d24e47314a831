"""The yearly percentage rate of a credit, as two regulations have it. Times and amounts in, a rate out.

*Unit-periods* (US Regulation Z, 12 CFR 1026, appendix J): the rate i per unit-period solves

    sum of advances / ((1 + f i) (1 + i) ** q)  =  sum of payments / ((1 + f i) (1 + i) ** q)

with q whole unit-periods and the part f of one from the first advance; the rate a year is i times the unit-periods a
year.

*Equation of the EU* (Directive 2008/48/EC, annex I; Directive 2014/17/EU, annex I): X solves

    sum of drawdowns (1 + X) ** -t  =  sum of payments (1 + X) ** -t

with t in years: whole years, months (a twelfth each) or weeks (1/52 each), counted back from the payment; days that are
left over count as parts of the year that ends with them (365 or 366 days).
"""

from __future__ import annotations

from collections.abc import Callable
from math import inf, isfinite
from typing import Literal, NamedTuple, TypeAlias

import numpy as np

from pennyweight.array_kinds import Floats
from pennyweight.core.brackets import turn_between
from pennyweight.core.dates import add_months

__all__ = [
    "Span",
    "Unit",
    "eu_rate",
    "eu_years",
    "unit_period_rate",
    "unit_periods",
    "unit_to_maturity",
    "units_a_year",
]

Day: TypeAlias = np.datetime64


class Unit(NamedTuple):
    """A unit-period: so many months, half months or days."""

    length: int
    of: Literal["months", "half months", "days"]


class Span(NamedTuple):
    """Whole unit-periods and a part of one."""

    whole: int
    part: float


_DAYS_IN = {"months": 30, "half months": 15, "days": 1}


def units_a_year(unit: Unit) -> float:
    """Return how many unit-periods a year has: 12 / months, 24 / half months, 52 / weeks, 365 / other days.

    >>> units_a_year(Unit(1, "months")), units_a_year(Unit(28, "days"))
    (12.0, 13.0)
    """
    if unit.of == "months":
        return 12 / unit.length
    if unit.of == "half months":
        return 24 / unit.length
    return 364 / unit.length if unit.length % 7 == 0 else 365 / unit.length


def unit_periods(start: Day, day: Day, unit: Unit) -> Span:
    """Return the unit-periods from the first advance to a day, counted back from the day; what is left, as a part.

    Months that are left count thirty days (appendix J, (b)(5)).

    >>> unit_periods(np.datetime64("1978-02-10"), np.datetime64("1978-04-01"), Unit(1, "months"))
    Span(whole=1, part=0.6333333333333333)
    """
    if unit.of == "days":
        whole, left = divmod(_days(start, day), unit.length)
        return Span(whole, left / unit.length)
    if unit.of == "half months":
        months = _months_back(start, day)
        left = _days(start, _months_before(day, months))
        # Half a month more, when fifteen days of it are there.
        return Span(2 * months + left // 15, left % 15 / 15)
    months = _months_back(start, day)
    whole, rest = divmod(months, unit.length)
    left = _days(start, _months_before(day, months))
    if unit == Unit(12, "months"):  # what is left counts as months when it is whole ones, else as days of 365
        return Span(whole, _days(start, _months_before(day, 12 * whole)) / 365 if left else rest / 12)
    return Span(whole, (30 * rest + left) / (30 * unit.length))


def unit_to_maturity(start: Day, day: Day) -> Unit:
    """Return the unit-period of a single payment: the term, up to a year; in whole months where it is.

    Source: appendix J, (b)(4).

    >>> unit_to_maturity(np.datetime64("1978-07-15"), np.datetime64("1979-01-15"))
    Unit(length=6, of='months')
    """
    months = _months_back(start, day)
    if months >= 12:
        return Unit(12, "months")
    if months and _months_before(day, months) == start:
        return Unit(months, "months")
    return Unit(_days(start, day), "days")


def unit_period_rate(
    advances: list[tuple[Span, float]], payments: list[tuple[Span, float]], per_year: float
) -> float | None:
    """Return the yearly rate by unit-periods (appendix J, (b)(8)); None when no single rate fits.

    >>> twelfths = [(Span(k, 0.0), 230.0) for k in range(1, 25)]
    >>> round(unit_period_rate([(Span(0, 0.0), 5000.0)], twelfths, 12), 4)
    0.0969
    """
    out, back = _columns(advances), _columns(payments)

    def gap(i: float) -> float:
        return _worth(out, i) - _worth(back, i)

    rate = _zero(gap, -0.99)
    return None if rate is None else rate * per_year


def eu_years(start: Day, day: Day, *, weeks: bool = False) -> float:
    """Return the time in years by the rules of the directives' annex.

    >>> eu_years(np.datetime64("2027-01-15"), np.datetime64("2027-03-01")) == 1 / 12 + 17 / 365
    True
    """
    if weeks:
        whole, left = divmod(_days(start, day), 7)
        return whole / 52 + _part_of_year(start, left)
    months = _months_back(start, day)
    point = _months_before(day, months)
    return months / 12 + _part_of_year(point, _days(start, point))


def eu_rate(drawdowns: list[tuple[float, float]], payments: list[tuple[float, float]]) -> float | None:
    """Return X of the directives' equation, given (years, amount) of both sides; None when no single rate fits.

    >>> round(eu_rate([(0.0, 1000.0)], [(1.0, 600.0), (2.0, 600.0)]), 3)
    0.131
    """
    flows = np.array([*(amount for _, amount in drawdowns), *(-amount for _, amount in payments)])
    times = np.array([time for time, _ in (*drawdowns, *payments)])

    def gap(x: float) -> float:
        with np.errstate(over="ignore"):
            return float(np.sum(flows * (1 + x) ** -times))

    return _zero(gap, -0.999)


def _columns(flows: list[tuple[Span, float]]) -> tuple[Floats, Floats, Floats]:
    whole, part, amount = (
        np.array(values, dtype=np.float64) for values in zip(*((*s, a) for s, a in flows), strict=True)
    )
    return whole, part, amount


def _worth(flows: tuple[Floats, Floats, Floats], i: float) -> float:
    whole, part, amount = flows
    with np.errstate(over="ignore"):  # at absurd rates later amounts are worth nothing
        return float(np.sum(amount / ((1 + part * i) * (1 + i) ** whole)))


def _zero(gap: Callable[[float], float], least: float) -> float | None:
    """The zero of a rising function: bracketed outwards from zero, then halved until it is as close as floats are."""
    low, high = 0.0, 0.01
    low_value, high_value = gap(low), gap(high)
    if low_value == 0:
        return 0.0
    while high_value < 0 and high < 1e6:
        low, low_value = high, high_value
        high *= 2
        high_value = gap(high)
    while low_value > 0 and low > least:
        high, high_value = low, low_value
        low = low * 2 - 0.01 if low > -0.4 else (low + least) / 2 - 1e-4
        low_value = gap(max(low, least))
    if not (low_value <= 0 <= high_value and isfinite(high_value) and low_value > -inf):
        return None
    return sum(turn_between(lambda i: gap(i) >= 0, low, high)) / 2


def _months_back(start: Day, day: Day) -> int:
    months = int((day.astype("datetime64[M]") - start.astype("datetime64[M]")).astype(np.int64))
    return months if months <= 0 or _months_before(day, months) >= start else months - 1


def _months_before(day: Day, months: int) -> Day:
    return np.datetime64(add_months(day, -months).astype("datetime64[D]").item(), "D")


def _days(start: Day, day: Day) -> int:
    return int((day - start).astype(np.int64))


def _part_of_year(end: Day, days: int) -> float:
    return days / _days(_months_before(end, 12), end)

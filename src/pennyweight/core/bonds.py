"""The value of coupons and face at a yield, with its first two derivatives.

With i = yield / per_year and t the periods from settlement to a payment, it is worth amount / (1 + i) ** t. By simple
interest in the broken period, as government auctions do, it is amount / ((1 + f i) (1 + i) ** (t - f)), with f the
broken part of the time to the next payment; a long first period has whole periods in it, which compound.

Source: F. Fabozzi, "Bond Markets, Analysis, and Strategies", chs. 2-4; 31 CFR 356, appendix B (simple interest).
"""

from __future__ import annotations

from math import exp, floor, log1p
from typing import NamedTuple

import numpy as np

from pennyweight.array_kinds import Floats

__all__ = ["Worth", "factors", "perpetual_worth", "worth", "yield_for"]


class Worth(NamedTuple):
    """A present value and its first and second derivative with respect to the yearly yield."""

    value: float
    slope: float
    bend: float


def worth(amounts: Floats, times: Floats, rate: float, per_year: int, *, simple_first: bool = False) -> Worth:
    """Return the value of payments `times` periods away, (n,) each, at a yearly yield.

    `rate` is quoted, compounding per_year times; above -per_year.

    >>> round(worth(np.array([105.0]), np.array([1.0]), 0.05, 1).value, 9)
    100.0
    """
    with np.errstate(over="ignore", invalid="ignore"):
        parts = factors(times, rate / per_year, simple_first)
        value, slope, bend = (float((amounts * part).sum()) for part in parts)
    return Worth(value, slope / per_year, bend / per_year**2)


def factors(times: Floats, i: float, simple_first: bool = False) -> tuple[Floats, Floats, Floats]:
    """Return the factor of each payment, with its first and second derivative with respect to i.

    >>> factors(np.array([0.5, 1.5]), 0.1, True)[0].round(6).tolist()
    [0.952381, 0.865801]
    """
    part = times[0] - floor(times[0] + 1e-12) if simple_first and times.size else 0.0
    whole = times - part
    d = np.exp(-whole * log1p(i))
    d1, d2 = -whole * d / (1.0 + i), whole * (whole + 1.0) * d / (1.0 + i) ** 2
    if part <= 0.0:
        return d, d1, d2
    a = 1.0 / (1.0 + part * i)
    a1, a2 = -part * a**2, 2.0 * part**2 * a**3
    return a * d, a1 * d + a * d1, a2 * d + 2.0 * a1 * d1 + a * d2


def perpetual_worth(amount: float, wait: float, rate: float, per_year: int) -> Worth:
    """Return the value of a payment that never ends, the next one `wait` periods away; the yield must be above zero.

    amount (1 + i) ** (1 - wait) / i

    >>> round(perpetual_worth(4.0, 1.0, 0.05, 1).value, 9)
    80.0
    """
    i = rate / per_year
    value = amount * exp((1.0 - wait) * log1p(i)) / i
    first = (1.0 - wait) / (1.0 + i) - 1.0 / i
    second = first**2 - (1.0 - wait) / (1.0 + i) ** 2 + 1.0 / i**2
    return Worth(value, value * first / per_year, value * second / per_year**2)


def yield_for(amounts: Floats, times: Floats, target: float, per_year: int, *, simple_first: bool = False) -> float:
    """Return the yearly yield at which the payments are worth `target`; NaN when no yield above -per_year does.

    Newton's steps on the value, which falls and bends upward, kept inside a bracket.

    >>> round(yield_for(np.array([5.0, 105.0]), np.array([1.0, 2.0]), 100.0, 1), 12)
    0.05
    """
    if not (target > 0 and amounts.sum() > 0):
        return float("nan")
    low, high = -0.5 * per_year, 1.0
    while worth(amounts, times, high, per_year, simple_first=simple_first).value > target:
        high *= 4.0
        if high > 1e12:
            return float("nan")
    while worth(amounts, times, low, per_year, simple_first=simple_first).value < target:
        low = (low - per_year) / 2.0
        if low < -0.999999 * per_year:
            return float("nan")
    rate = 0.05
    for _ in range(200):
        here = worth(amounts, times, rate, per_year, simple_first=simple_first)
        if here.value > target:
            low = rate
        else:
            high = rate
        following = rate - (here.value - target) / here.slope if here.slope else low
        following = following if low < following < high else (low + high) / 2
        if abs(following - rate) <= 1e-15 * max(1.0, abs(rate)):
            return following
        rate = following
    return rate

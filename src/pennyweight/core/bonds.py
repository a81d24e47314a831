"""The value of coupons and face at a yield, with its first two derivatives.

With i = yield / per_year, periods counted from settlement, and w the part of a period until the next payment, payment k
(0 for the next) is worth amount / (1 + i) ** (w + k). By simple interest in the broken period, as government auctions
do, it is amount / ((1 + w i) (1 + i) ** k).

Source: F. Fabozzi, "Bond Markets, Analysis, and Strategies", chs. 2-4.
"""

from __future__ import annotations

from math import exp, log1p
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

__all__ = ["Worth", "perpetual_worth", "worth", "yield_for"]

Floats = NDArray[np.float64]


class Worth(NamedTuple):
    """A present value and its first and second derivative with respect to the yearly yield."""

    value: float
    slope: float
    bend: float


def worth(amounts: Floats, wait: float, rate: float, per_year: int, *, simple_first: bool = False) -> Worth:
    """Return the value of payments `wait`, wait + 1, wait + 2… periods away at a yearly yield.

    `rate` is quoted, compounding per_year times; above -per_year.

    >>> round(worth(np.array([105.0]), 1.0, 0.05, 1).value, 9)
    100.0
    """
    i = rate / per_year
    k = np.arange(amounts.size, dtype=np.float64)
    with np.errstate(over="ignore", invalid="ignore"):
        parts = _parts(k, wait, i, simple_first)
        value, slope, bend = (float((amounts * part).sum()) for part in parts)
    return Worth(value, slope / per_year, bend / per_year**2)


def _parts(k: Floats, wait: float, i: float, simple_first: bool) -> tuple[Floats, Floats, Floats]:
    """The factor of each payment, with its first and second derivative with respect to i."""
    if simple_first:
        first = 1.0 / (1.0 + wait * i)
        a, a1, a2 = first, -wait * first**2, 2.0 * wait**2 * first**3
        d = np.exp(-k * log1p(i))
        d1, d2 = -k * d / (1.0 + i), k * (k + 1.0) * d / (1.0 + i) ** 2
        return a * d, a1 * d + a * d1, a2 * d + 2.0 * a1 * d1 + a * d2
    t = wait + k
    d = np.exp(-t * log1p(i))
    return d, -t * d / (1.0 + i), t * (t + 1.0) * d / (1.0 + i) ** 2


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


def yield_for(amounts: Floats, wait: float, target: float, per_year: int, *, simple_first: bool = False) -> float:
    """Return the yearly yield at which the payments are worth `target`; NaN when no yield above -per_year does.

    Newton's steps on the value, which falls and bends upward, kept inside a bracket.

    >>> round(yield_for(np.array([5.0, 105.0]), 1.0, 100.0, 1), 12)
    0.05
    """
    if not (target > 0 and amounts.sum() > 0):
        return float("nan")
    low, high = -0.5 * per_year, 1.0
    if simple_first and wait > 1:
        low = max(low, -0.5 * per_year / wait)
    while worth(amounts, wait, high, per_year, simple_first=simple_first).value > target:
        high *= 4.0
        if high > 1e12:
            return float("nan")
    while worth(amounts, wait, low, per_year, simple_first=simple_first).value < target:
        low = (low - per_year) / 2.0
        if low < -0.999999 * per_year or (simple_first and wait * low < -0.999999 * per_year):
            return float("nan")
    rate = 0.05
    for _ in range(200):
        here = worth(amounts, wait, rate, per_year, simple_first=simple_first)
        if here.value > target:
            low = rate
        else:
            high = rate
        following = rate - (here.value - target) / here.slope
        following = following if low < following < high else (low + high) / 2
        if abs(following - rate) <= 1e-15 * max(1.0, abs(rate)):
            return following
        rate = following
    return rate

"""Level payments: worth today, worth later, and the payment that clears a debt.

Array functions, everything per period: `rate` per period, `periods` how many of them, payments at the end of each.
Zero and tiny rates keep their digits (expm1, log1p).
"""

from __future__ import annotations

import numpy as np
from numpy.typing import ArrayLike, NDArray

__all__ = ["annuity_factor", "future_value", "level_payment", "present_value"]

Floats = NDArray[np.float64]


def annuity_factor(rate: ArrayLike, periods: ArrayLike) -> Floats:
    """Return the worth today of 1 at the end of each period: (1 - (1 + i) ** -n) / i, n when i is 0.

    Source: S. Kellison, "The Theory of Interest", 3rd ed., section 3.2.

    >>> round(float(annuity_factor(0.05, 10)), 6)
    7.721735
    """
    i = np.asarray(rate, dtype=np.float64)
    n = np.asarray(periods, dtype=np.float64)
    with np.errstate(divide="ignore", invalid="ignore", over="ignore"):
        factor = -np.expm1(-n * np.log1p(i)) / np.where(i == 0, 1.0, i)
        return np.where(i == 0, n, np.where(i > -1, factor, np.nan))


def present_value(*, payment: ArrayLike, rate: ArrayLike, periods: ArrayLike) -> Floats:
    """Return the worth today of `payment` at the end of each of `periods`.

    >>> round(float(present_value(payment=100.0, rate=0.05, periods=10)), 2)
    772.17
    """
    return np.asarray(payment, dtype=np.float64) * annuity_factor(rate, periods)


def future_value(*, payment: ArrayLike, rate: ArrayLike, periods: ArrayLike) -> Floats:
    """Return what `payment` at the end of each of `periods` has grown to at the last of them.

    >>> round(float(future_value(payment=100.0, rate=0.05, periods=10)), 2)
    1257.79
    """
    i = np.asarray(rate, dtype=np.float64)
    with np.errstate(divide="ignore", invalid="ignore", over="ignore"):
        growth = np.where(i > -1, np.exp(np.asarray(periods, dtype=np.float64) * np.log1p(i)), np.nan)
    return present_value(payment=payment, rate=i, periods=periods) * growth


def level_payment(*, owed: ArrayLike, rate: ArrayLike, periods: ArrayLike) -> Floats:
    """Return the payment at the end of each of `periods` that clears what is owed.

    >>> round(float(level_payment(owed=100_000.0, rate=0.06 / 12, periods=360)), 2)
    599.55
    """
    with np.errstate(divide="ignore", invalid="ignore"):
        payment = np.asarray(owed, dtype=np.float64) / annuity_factor(rate, periods)
    return np.where(np.isfinite(payment), payment, np.nan)

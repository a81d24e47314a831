"""Rates turned into one another. Rates are fractions a year; NaN where a rate is -100 % or less."""

from __future__ import annotations

import numpy as np
from numpy.typing import ArrayLike, NDArray

__all__ = ["effective_rate", "nominal_rate", "per_period"]

Floats = NDArray[np.float64]


def effective_rate(nominal: ArrayLike, per_year: float) -> Floats:
    """Return the effective rate of a quoted one that compounds `per_year` times (inf: continuously).

    (1 + j/m) ** m - 1, or exp(j) - 1. Source: S. Kellison, "The Theory of Interest", 3rd ed., section 1.8.

    >>> round(float(effective_rate(0.12, 12)), 8)
    0.12682503
    """
    j = np.asarray(nominal, dtype=np.float64)
    if per_year == float("inf"):
        return np.asarray(np.expm1(j))[()]
    with np.errstate(divide="ignore", invalid="ignore"):
        return np.where(j > -per_year, np.expm1(per_year * np.log1p(j / per_year)), np.nan)[()]


def nominal_rate(effective: ArrayLike, per_year: float) -> Floats:
    """Return the quoted rate, compounding `per_year` times (inf: continuously), of an effective one.

    >>> round(float(nominal_rate(0.12682503, 12)), 8)
    0.12
    """
    r = np.asarray(effective, dtype=np.float64)
    with np.errstate(divide="ignore", invalid="ignore"):
        if per_year == float("inf"):
            return np.where(r > -1, np.log1p(r), np.nan)[()]
        return np.where(r > -1, per_year * np.expm1(np.log1p(r) / per_year), np.nan)[()]


def per_period(effective: ArrayLike, per_year: float) -> Floats:
    """Return the rate of one of `per_year` equal periods that compounds to the effective yearly rate.

    >>> round(float(per_period(0.21, 2)), 12)
    0.1
    """
    if per_year == 1:
        r = np.asarray(effective, dtype=np.float64)
        return np.where(r > -1, r, np.nan)[()]
    return nominal_rate(effective, per_year) / per_year

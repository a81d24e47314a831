"""Rates turned into one another. Rates are fractions a year; NaN where a rate is -100 % or less."""

from __future__ import annotations

import numpy as np
from numpy.typing import ArrayLike

from pennyweight.array_kinds import Floats

__all__ = ["discount_from_effective", "effective_from_discount", "effective_rate", "nominal_rate", "per_period"]


def effective_rate(nominal: ArrayLike, per_year: float) -> Floats:
    """Return the effective rate of a `nominal` one that compounds `per_year` times (inf: continuously).

    Parameters
    ----------
    nominal : array_like
        The yearly rate as it is quoted, a fraction.
    per_year : float
        How often a year it compounds, above 0; math.inf: continuously.

    Returns
    -------
    array of float
        The effective rate of a `nominal` one that compounds `per_year` times (inf: continuously).

    Raises
    ------
    InputError
        Something given cannot be right; the message names it and says what would be.

    Notes
    -----
    (1 + j/m) ** m - 1, or exp(j) - 1. Source: S. Kellison, "The Theory of Interest", 3rd ed., section 1.8.

    Examples
    --------
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

    Parameters
    ----------
    effective : array_like
        The rate that a year comes to, a fraction.
    per_year : float
        How often a year it compounds, above 0; math.inf: continuously.

    Returns
    -------
    array of float
        The quoted rate, compounding `per_year` times (inf: continuously), of an effective one.

    Raises
    ------
    InputError
        Something given cannot be right; the message names it and says what would be.

    Examples
    --------
    >>> round(float(nominal_rate(0.12682503, 12)), 8)
    0.12
    """
    r = np.asarray(effective, dtype=np.float64)
    with np.errstate(divide="ignore", invalid="ignore"):
        if per_year == float("inf"):
            return np.where(r > -1, np.log1p(r), np.nan)[()]
        return np.where(r > -1, per_year * np.expm1(np.log1p(r) / per_year), np.nan)[()]


def discount_from_effective(effective: ArrayLike, per_year: float) -> Floats:
    """Return the rate of discount (interest in advance), convertible `per_year` times, that earns an effective rate.

    m (1 - (1 + r) ** (-1/m)), or log(1 + r) continuously. Source: S. Kellison, sections 1.6 and 1.8.

    >>> round(float(discount_from_effective(0.25, 1)), 12)
    0.2
    """
    r = np.asarray(effective, dtype=np.float64)
    with np.errstate(divide="ignore", invalid="ignore"):
        log = np.log1p(np.where(r > -1, r, np.nan))
        return np.asarray(log if per_year == float("inf") else -per_year * np.expm1(-log / per_year))[()]


def effective_from_discount(discount: ArrayLike, per_year: float) -> Floats:
    """Return the effective rate of a rate of discount, convertible `per_year` times: (1 - d/m) ** -m - 1.

    NaN where the discount is a whole period's worth or more.

    >>> round(float(effective_from_discount(0.2, 1)), 12)
    0.25
    """
    d = np.asarray(discount, dtype=np.float64)
    with np.errstate(divide="ignore", invalid="ignore", over="ignore"):
        if per_year == float("inf"):
            return np.asarray(np.expm1(d))[()]
        return np.where(d < per_year, np.expm1(-per_year * np.log1p(-d / per_year)), np.nan)[()]


def per_period(effective: ArrayLike, per_year: float) -> Floats:
    """Return the rate of one of `per_year` equal periods that compounds to the effective yearly rate.

    >>> round(float(per_period(0.21, 2)), 12)
    0.1
    """
    if per_year == 1:
        r = np.asarray(effective, dtype=np.float64)
        return np.where(r > -1, r, np.nan)[()]
    return nominal_rate(effective, per_year) / per_year

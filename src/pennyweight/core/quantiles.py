"""Quantiles: the value below which a share of all cases falls, for shapes that uncertain figures take.

Every function takes shares between 0 and 1 of any shape and gives values of the same shape.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import ArrayLike

from pennyweight.array_kinds import Floats

__all__ = [
    "lognormal",
    "normal",
    "normal_between",
    "one_of",
    "pert",
    "ranks_to_normals",
    "shares_of_normals",
    "triangular",
    "uniform",
]

_TABLE = 8_192
"""So many steps has the table of a pert shape."""


def uniform(shares: Floats, low: float, high: float) -> Floats:
    """Anywhere between two ends alike.

    >>> uniform(np.array([0.25]), 10, 20)
    array([12.5])
    """
    return low + shares * (high - low)


def triangular(shares: Floats, low: float, mode: float, high: float) -> Floats:
    """From low to high, likeliest at the mode, falling in straight lines to both ends.

    Source: the inverse of F(x) = (x - low)² / ((high - low)(mode - low)) below the mode, and its like above it.

    >>> triangular(np.array([0.0, 0.5, 1.0]), 0, 1, 2)
    array([0., 1., 2.])
    """
    width = high - low
    turn = (mode - low) / width
    left = low + np.sqrt(shares * (width * (mode - low)))
    right = high - np.sqrt((1.0 - shares) * (width * (high - mode)))
    return np.where(shares < turn, left, right)


def pert(shares: Floats, low: float, mode: float, high: float) -> Floats:
    """From low to high by a beta distribution whose mean is (low + 4 mode + high) / 6.

    Its parameters are 1 + 4 (mode - low) / (high - low) and 1 + 4 (high - mode) / (high - low). Source: D. G. Malcolm
    and others, "Application of a Technique for Research and Development Program Evaluation", Operations Research 7,
    1959, 646-669. Read off a table of the distribution, straight between 8,192 places that lie closer at the ends:
    right to 2e-7 of the range.

    >>> pert(np.array([0.5]), 0, 1, 2).round(9)
    array([1.])
    """
    from scipy.special import betainc

    first = 1.0 + 4.0 * (mode - low) / (high - low)
    second = 1.0 + 4.0 * (high - mode) / (high - low)
    places = 0.5 - 0.5 * np.cos(np.linspace(0.0, np.pi, _TABLE + 1))
    return low + (high - low) * np.interp(shares, betainc(first, second, places), places)


def normal(shares: Floats, mean: float, deviation: float) -> Floats:
    """The bell curve by its mean and standard deviation.

    >>> normal(np.array([0.5, 0.975]), 10, 1).round(4)
    array([10.  , 11.96])
    """
    return mean + deviation * ranks_to_normals(shares)


def normal_between(shares: Floats, mean: float, deviation: float, low: float, high: float) -> Floats:
    """The bell curve where it lies between two ends, drawn again elsewhere.

    >>> normal_between(np.array([0.0, 1.0]), 0.9, 0.2, 0.0, 1.0)
    array([0., 1.])
    """
    ends = shares_of_normals((np.array([low, high]) - mean) / deviation)
    found = mean + deviation * ranks_to_normals(ends[0] + shares * (ends[1] - ends[0]))
    return np.clip(found, low, high)


def lognormal(shares: Floats, mean: float, deviation: float) -> Floats:
    """A value above 0 whose logarithm falls by the bell curve, with this mean and standard deviation of itself.

    Source: s² = ln(1 + deviation² / mean²) and m = ln(mean) - s² / 2 are those of the logarithm.

    >>> lognormal(np.array([0.5]), 100, 0.001).round(2)
    array([100.])
    """
    variance = np.log1p((deviation / mean) ** 2)
    return np.asarray(np.exp(np.log(mean) - variance / 2 + np.sqrt(variance) * ranks_to_normals(shares)))


def one_of(shares: Floats, values: Sequence[float], weights: Sequence[float] | None = None) -> Floats:
    """One of several values, by their weights, which add up to 1; without weights each as often.

    >>> one_of(np.array([0.1, 0.5, 0.95]), [6, 7, 9], [0.2, 0.6, 0.2])
    array([6., 7., 9.])
    """
    kept = np.asarray(values, dtype=np.float64)
    if weights is None:
        return np.asarray(kept[np.minimum((shares * kept.size).astype(np.intp), kept.size - 1)])
    place = np.searchsorted(np.cumsum(weights), shares, side="right")
    return np.asarray(kept[np.minimum(place, kept.size - 1)])


def ranks_to_normals(shares: ArrayLike) -> Floats:
    """The standard normal value below which each share of cases falls.

    >>> ranks_to_normals([0.5])
    array([0.])
    """
    from scipy.special import ndtri

    return np.asarray(ndtri(np.asarray(shares, dtype=np.float64)))


def shares_of_normals(values: ArrayLike) -> Floats:
    """The share of cases that falls below each standard normal value.

    >>> shares_of_normals([0.0])
    array([0.5])
    """
    from scipy.special import ndtr

    return np.asarray(ndtr(np.asarray(values, dtype=np.float64)))

"""The one rate above zero of flows that have several: Norstrøm's criterion.

When the undiscounted running total of flows changes its sign exactly once and does not end at zero, exactly one rate
lies above zero: with s = log(1 + rate), the present value over s is the Laplace transform of the running total, which
has no more zeros for s > 0 than the running total has changes of sign, and as many but for a multiple of two.

Source: C. Norstrøm, "A Sufficient Condition for a Unique Nonnegative Internal Rate of Return", Journal of Financial and
Quantitative Analysis 7 (1972), 1835-1839.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from pennyweight.array_kinds import Floats

__all__ = ["has_one_above_zero", "rates_above_zero"]


_NOTHING = 1e-12
"""A running total within so much of all flows is zero; flows as they are typed leave less."""
_PASSES = 200
_HIGHEST = 700.0


def has_one_above_zero(rows: Floats) -> NDArray[np.bool_]:
    """Whether the criterion holds for each row of flows in the order of time, (rows, n).

    >>> has_one_above_zero(np.array([[-100.0, 130.0, -15.0], [-100.0, 230.0, -132.0]])).tolist()
    [True, False]
    """
    with np.errstate(invalid="ignore"):
        total = np.cumsum(rows, axis=1)
        sign = np.where(np.abs(total) <= _NOTHING * np.abs(rows).sum(axis=1, keepdims=True), 0.0, np.sign(total))
    # Where the total is zero the sign before it goes on, and counts as no change.
    place = np.maximum.accumulate(np.where(sign != 0, np.arange(rows.shape[1]), 0), axis=1)
    kept = np.take_along_axis(sign, place, axis=1)
    changes = ((kept[:, 1:] != kept[:, :-1]) & (kept[:, :-1] != 0)).sum(axis=1)
    return np.asarray((changes == 1) & (sign[:, -1] != 0) & np.isfinite(rows).all(axis=1))


def rates_above_zero(rows: Floats) -> Floats:
    """The rate above zero of rows of periodic flows for which the criterion holds, (rows, n): Newton inside a bracket.

    Each row stops by itself, so that what stands beside it changes none of its digits.

    >>> rates_above_zero(np.array([[-100.0, 130.0, -15.0]])).round(6).tolist()
    [0.172015]
    """
    scaled = rows / np.abs(rows).max(axis=1, keepdims=True)
    end = np.sign(scaled.sum(axis=1))
    low, high = np.zeros(rows.shape[0]), np.full(rows.shape[0], 0.5)
    with np.errstate(all="ignore"):
        while (open_ := (np.sign(_value(scaled, high)[0]) == end) & (high < _HIGHEST)).any():
            low, high = np.where(open_, high, low), np.where(open_, high * 2, high)
        x, moving = (low + high) / 2, np.ones(rows.shape[0], dtype=np.bool_)
        for _ in range(_PASSES):
            value, slope = _value(scaled, x)
            same = np.sign(value) == end
            low, high = np.where(moving & same, x, low), np.where(moving & ~same, x, high)
            step = value / slope
            moving &= (np.abs(step) > 4e-16 * x) & (high - low > 4e-16 * x)
            found = x - step
            inside = (found > low) & (found < high)
            x = np.where(moving, np.where(inside, found, (low + high) / 2), x)
            if not moving.any():
                break
    return np.asarray(np.expm1(x))


def _value(rows: Floats, x: Floats) -> tuple[Floats, Floats]:
    """The present values at exp(x) - 1, and their slope in x."""
    v = np.exp(-x)
    total, slope = rows[:, -1].copy(), np.zeros(rows.shape[0])
    for k in range(rows.shape[1] - 2, -1, -1):
        slope = slope * v + total
        total = total * v + rows[:, k]
    return total, -slope * v

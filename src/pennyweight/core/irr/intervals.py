"""Roots of one row with very many changes of sign, isolated by intervals.

The sum f(x) = sum c exp(t x) is taken in two halves, above and below zero, each scaled so that every weight falls as
y = |x| grows: f = p(y) - q(y) with p and q both falling. On a cell from a to b

    p(b) > q(a): f is above zero;   p(a) < q(b): f is below zero;
    otherwise the same is asked of the derivative of f exp(s y), with s in the middle of the times: where its sign
    holds, f has one root at most, and one just when its signs at a and b differ.

A cell that tells neither is halved. The work grows with the number of cells, not with that of changes of sign.

Source: R. E. Moore, "Interval Analysis", 1966, ch. 7.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from pennyweight.array_kinds import Floats

__all__ = ["Cells", "isolate_one"]


_AT_A_TIME = 2_000_000  # weights held at once
_HALVINGS = 48


class Cells(NamedTuple):
    """Brackets (low, high) in x of single roots; `unsettled`: cells too small to halve that still tell nothing."""

    low: Floats
    high: Floats
    unsettled: Floats


def isolate_one(flows: Floats, times: Floats, lowest: float, highest: float) -> Cells:
    """Bracket every root of sum(flows * exp(times * x)) between `lowest` (below 0) and `highest` (above 0).

    >>> found = isolate_one(np.array([-100.0, 230.0, -132.0]), np.array([0.0, 1.0, 2.0]), -5.0, 5.0)
    >>> [bool(low < -np.log(rate) < high) for low, high, rate in zip(found.low, found.high, (1.2, 1.1))]
    [True, True]
    """
    parts = []
    for ahead, bound in ((False, -lowest), (True, highest)):
        distance = times[-1] - times if ahead else times - times[0]
        low, high, left = _half(flows, distance, bound)
        parts.append((low, high, left) if ahead else (-high[::-1], -low[::-1], -left[::-1]))
    low, high, left = (np.concatenate(column) for column in zip(*parts, strict=True))
    return Cells(low, high, left)


def _half(flows: Floats, distance: Floats, bound: float) -> tuple[Floats, Floats, Floats]:
    """(low, high) of the single roots in y, and the middles of what cannot be told."""
    span = float(distance.max()) or 1.0
    count = max(int(np.ceil(np.log2(max(bound * span, 2.0)))), 1)
    edges = np.concatenate([[0.0], bound * 0.5 ** np.arange(count, -1, -1.0)])
    a, b = edges[:-1], edges[1:]
    lows: list[Floats] = []
    highs: list[Floats] = []
    unsettled: list[Floats] = []
    for _ in range(_HALVINGS):
        one, again = _told(flows, distance, a, b)
        lows.append(a[one])
        highs.append(b[one])
        small = again & (b - a <= 1e-13 * np.maximum(b, 1.0 / span))
        unsettled.append((a[small] + b[small]) / 2)
        again &= ~small
        if not again.any():
            break
        middle = (a[again] + b[again]) / 2
        a, b = np.concatenate([a[again], middle]), np.concatenate([middle, b[again]])
    else:
        unsettled.append((a + b) / 2)
    low, high = np.concatenate(lows), np.concatenate(highs)
    order = np.argsort(low)
    return low[order], high[order], np.sort(np.concatenate(unsettled))


def _told(flows: Floats, distance: Floats, a: Floats, b: Floats) -> tuple[NDArray[np.bool_], NDArray[np.bool_]]:
    """(which cells hold exactly one root, which tell nothing)."""
    one, again = np.zeros(a.size, np.bool_), np.zeros(a.size, np.bool_)
    inflow = np.maximum(flows, 0.0)
    outflow = inflow - flows
    width = max(_AT_A_TIME // flows.size, 1)
    for start in range(0, a.size, width):
        part = slice(start, start + width)
        at_a, at_b = (np.exp(-np.outer(y[part], distance)) for y in (a, b))
        pa, qa, pb, qb = at_a @ inflow, at_a @ outflow, at_b @ inflow, at_b @ outflow
        hair = 1e-13 * (pa + qa)
        open_ = ~((pb > qa + hair) | (pa + hair < qb))
        size = at_b @ (inflow + outflow)
        middle = (at_b @ ((inflow + outflow) * distance)) / np.maximum(size, 1e-300)
        bent = (middle[:, None] - distance) * flows
        up = np.maximum(bent, 0.0)
        down = up - bent
        ua, da, ub, db = ((w * s).sum(axis=1) for w in (at_a, at_b) for s in (up, down))
        slip = 1e-13 * (ua + da)
        monotone = (ub > da + slip) | (ua + slip < db)
        left, right = pa - qa, pb - qb
        sure = (np.abs(left) > hair) & (np.abs(right) > 1e-13 * (pb + qb))
        one[part] = open_ & monotone & sure & (left * right < 0)
        again[part] = open_ & ~(monotone & sure)
    return one, again

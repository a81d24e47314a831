"""Tell in which cells of the discount factor a polynomial of periodic flows has exactly one root.

Over a cell the polynomial is written in Bernstein's basis, whose coefficients bound it: no change of sign
among them means no root in the cell, one change exactly one root, more: halve the cell and ask again.
It settles nearly all rows of a batch with a few matrix products; what it cannot settle (coefficients
within rounding of zero, two roots too close) is left to the exact method of `roots`.

Source: Descartes' rule in Bernstein's basis, e.g. S. Basu, R. Pollack, M.-F. Roy, "Algorithms in Real
Algebraic Geometry", 2nd ed., section 10.2.
"""

from __future__ import annotations

from functools import lru_cache
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from pennyweight.array_kinds import Floats

__all__ = ["LARGEST", "Isolated", "isolate"]


LARGEST = 500
"""The most flows a row may have; beyond, the basis is too ill-conditioned to be worth it."""

_EDGES = (0.0, 0.5, 0.75, 0.875, 0.9375, 1.0)  # each halves what is left
_HALVINGS = 12


class Isolated(NamedTuple):
    """Brackets of single roots, x = log(discount factor), and the rows that could not be settled."""

    row: NDArray[np.intp]
    low: Floats
    high: Floats
    unsettled: NDArray[np.intp]


def isolate(flows: Floats) -> Isolated:
    """Bracket every root of each row of `flows`, (rows, n) with n <= LARGEST and nothing all zero."""
    rows, n = flows.shape
    doubt = 4 * n * np.finfo(np.float64).eps * np.abs(flows).sum(axis=1)
    lost = np.zeros(rows, dtype=np.bool_)
    parts: list[tuple[NDArray[np.intp], Floats, Floats]] = []
    start, left, right = _bases(n)
    for backwards in (False, True):
        # Discount factors up to 1 first; above 1 the reversed row is a polynomial in their reciprocal.
        coefficients = _without_leading_zeros(flows[:, ::-1] if backwards else flows) @ start
        cells = coefficients.reshape(rows * (len(_EDGES) - 1), n)
        row = np.repeat(np.arange(rows), len(_EDGES) - 1)
        low, high = np.tile(_EDGES[:-1], rows), np.tile(_EDGES[1:], rows)
        for halving in range(_HALVINGS):
            changes = np.count_nonzero((cells[:, 1:] > 0) != (cells[:, :-1] > 0), axis=1)
            unsure = np.abs(cells).min(axis=1) <= doubt[row]
            # A coefficient near zero matters only where it could hide a change of sign.
            same = (cells.min(axis=1) > -doubt[row]) | (cells.max(axis=1) < doubt[row])
            ends = np.minimum(np.abs(cells[:, 0]), np.abs(cells[:, -1])) <= doubt[row]
            lost[row[unsure & (~same | ends)]] = True
            one = (changes == 1) & ~unsure
            parts.append((row[one], *_as_logs(low[one], high[one], backwards)))
            again = np.flatnonzero((changes > 1) & ~unsure)
            if not again.size:
                break
            if halving == _HALVINGS - 1:
                lost[row[again]] = True
                break
            middle = (low[again] + high[again]) / 2
            cells = np.concatenate([cells[again] @ left, cells[again] @ right])
            low, high = np.concatenate([low[again], middle]), np.concatenate([middle, high[again]])
            row = np.concatenate([row[again], row[again]])
    row = np.concatenate([part[0] for part in parts])
    low = np.concatenate([part[1] for part in parts])
    high = np.concatenate([part[2] for part in parts])
    settled = ~lost[row]
    return Isolated(row[settled], low[settled], high[settled], np.flatnonzero(lost))


def _without_leading_zeros(flows: Floats) -> Floats:
    """Rows divided by the power of the discount factor that all their flows share; their roots stay."""
    lead = np.argmax(flows != 0, axis=1)
    if not lead.any():
        return flows
    place = np.arange(flows.shape[1]) + lead[:, None]
    inside = place < flows.shape[1]
    return np.where(inside, np.take_along_axis(flows, np.where(inside, place, 0), axis=1), 0.0)


def _as_logs(low: Floats, high: Floats, backwards: bool) -> tuple[Floats, Floats]:
    with np.errstate(divide="ignore"):
        log_low, log_high = np.log(low), np.log(high)
    log_low = np.maximum(log_low, -710.0)
    return (-log_high, -log_low) if backwards else (log_low, log_high)


@lru_cache(maxsize=16)
def _bases(n: int) -> tuple[Floats, Floats, Floats]:
    """(powers to Bernstein on every first cell, to the left half of a cell, to its right half).

    On (0, 1) the power v**i has the coefficients k (k-1)…(k-i+1) / n (n-1)…(n-i+1); halving again and again
    gives the cells. Every step adds and multiplies positive numbers, so each entry is exact to rounding.
    """
    degree = n - 1
    k = np.arange(n, dtype=np.float64)
    power = np.ones((n, n))
    for i in range(1, n):
        power[i] = power[i - 1] * np.maximum(k - (i - 1), 0.0) / (degree - (i - 1))
    left = np.zeros((n, n))
    left[0, 0] = 1.0
    for j in range(1, n):
        left[:, j] = left[:, j - 1] / 2
        left[1:, j] += left[:-1, j - 1] / 2
    right = left[::-1, ::-1].copy()
    cells, rest = [], power
    for _ in range(len(_EDGES) - 2):
        cells.append(rest @ left)
        rest = rest @ right
    return np.concatenate([*cells, rest], axis=1), left, right

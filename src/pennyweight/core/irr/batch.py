"""Many periodic rows with a single change of sign, outlays first (the common case), chunk by chunk.

Time first: one matrix product gives values and slopes at a few shared places; cubic Hermite interpolation of x over y
in the cell with the root gives the start; one pass with slope (Newton) and one without (quadratic through the three
known points) finish. What has not met the bound by then, and what is no such row, is left over.
"""

from __future__ import annotations

from functools import lru_cache
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from pennyweight.array_kinds import Floats
from pennyweight.core.irr.one_row import TINY

__all__ = ["in_chunks"]


_CHUNK = 4096
_CLOSE = 3e-7  # a last correction below this leaves an error some six digits smaller


class _Places(NamedTuple):
    """Shared places x, and the weights that give sums and slopes there: (2 * places, n)."""

    x: Floats
    weights: Floats


@lru_cache(maxsize=16)
def _places(n: int) -> _Places:
    x = np.array([-34.0, -18.0, -10.0, -6.0, -3.6, -2.0, -0.8, 0.3, 1.6, 3.5]) / (n - 1)
    t = np.arange(n)
    factors = np.exp(x[:, None] * t)
    return _Places(x, np.concatenate([factors, factors * t]))


def in_chunks(rows: Floats, rate: Floats) -> NDArray[np.intp]:
    """Fill in the rates of rows with one change of sign; return the rows left over."""
    left: list[NDArray[np.intp]] = []
    n = rows.shape[1]
    # Rows of a transposed table are already time first: then no copy is needed.
    time_first = rows.T if rows.strides[0] == rows.itemsize else None
    room = _Room(n)
    with np.errstate(all="ignore"):
        for start in range(0, rows.shape[0], _CHUNK):
            stop = min(start + _CHUNK, rows.shape[0])
            if time_first is None:
                flows = room.shaped(0, n, stop - start)
                np.copyto(flows, rows[start:stop].T)
            else:
                flows = time_first[:, start:stop]
            x, solved = _solve_chunk(flows, room)
            rate[start:stop] = np.where(solved, np.expm1(-x), np.nan)
            if not solved.all():
                left.append(start + np.flatnonzero(~solved))
    return np.concatenate(left) if left else np.empty(0, np.intp)


class _Room:
    """Memory used again and again: a fresh large array costs more than the arithmetic on it."""

    def __init__(self, n: int) -> None:
        size = _CHUNK * max(n, _places(n).weights.shape[0])
        self.parts = [np.empty(size) for _ in range(4)]

    def shaped(self, part: int, rows: int, width: int) -> Floats:
        """One of the parts as an array of this shape, whatever it held."""
        return self.parts[part][: rows * width].reshape(rows, width)


def _solve_chunk(flows: Floats, room: _Room) -> tuple[Floats, NDArray[np.bool_]]:
    """(x, solved) of flows, time first."""
    n, width = flows.shape
    outlays, suited = _outlays_first(flows)
    if not suited.any():
        return np.full(width, np.nan), suited
    paid = np.maximum(-flows[:outlays], 0.0)

    # The cell between two places in which inflows come to outweigh outflows.
    places = _places(n)
    count = places.x.size
    inflow = np.matmul(places.weights[:, outlays:], flows[outlays:], out=room.shaped(1, 2 * count, width))
    outflow = None
    if outlays > 1:
        early = np.maximum(flows[:outlays], 0.0)
        if early.any():
            inflow += np.matmul(places.weights[:, :outlays], early, out=room.shaped(2, 2 * count, width))
        outflow = np.matmul(places.weights[:, :outlays], paid, out=room.shaped(3, 2 * count, width))
    at_places = inflow[:count] < (paid[0] if outflow is None else outflow[:count])
    cell = np.add.reduce(at_places, axis=0, dtype=np.int8).astype(np.intp) - 1
    inside = (cell >= 0) & (cell < count - 1)
    cell = np.minimum(np.maximum(cell, 0), count - 2)
    index = cell * width + np.arange(width)
    flat_in = inflow.reshape(-1)
    flat_out = None if outflow is None else outflow.reshape(-1)

    def known(shift: int) -> tuple[Floats, Floats, Floats]:
        at = index + shift * width
        value = flat_in.take(at)
        slope = flat_in.take(at + count * width) / value
        if flat_out is None:
            return places.x[cell + shift], np.log(value / paid[0]), slope
        out = flat_out.take(at)
        return places.x[cell + shift], np.log(value / out), slope - flat_out.take(at + count * width) / out

    x = _hermite_at_zero(*known(0), *known(1))

    # One pass with slope, then one without.
    y, slope = _log_ratio_and_slope(flows, paid, x)
    following = x - y / slope
    y_next = _log_ratio(flows, paid, following)
    # x as a quadratic in y: through (y, x) with slope 1/slope there, and through (y_next, following).
    bend = ((following - x) / (y_next - y) - 1.0 / slope) / (y_next - y)
    correction = np.where(np.abs(y) > 1e-9, bend * y * y, 0.0)
    answer = following + correction
    solved = suited & inside & (np.abs(correction) * (n - 1) <= _CLOSE) & (np.abs(answer) > TINY)
    return answer, solved


def _outlays_first(flows: Floats) -> tuple[int, NDArray[np.bool_]]:
    """(number of leading periods that hold outflows, which rows change sign just once, outflows first)."""
    n, width = flows.shape
    if flows[1:].min() >= 0:
        return 1, flows[0] < 0
    negative = np.asarray(flows < 0)
    any_negative = np.asarray(negative.any(axis=1))
    outlays = n - int(np.argmax(any_negative[::-1]))
    if outlays > n // 2:
        # A few odd rows must not make the chunk pay: look for the length that suits most rows.
        share = negative.mean(axis=1)
        common = np.flatnonzero(share > 0.02)
        outlays = int(common[-1]) + 1 if common.size else 1
    suited = flows[0] < 0
    seen = np.zeros(width, dtype=np.bool_)
    for k in range(outlays):
        suited &= ~(seen & negative[k])
        seen |= flows[k] > 0
    if outlays < n:
        suited &= flows[outlays:].min(axis=0) >= 0
    return outlays, suited


def _hermite_at_zero(x0: Floats, y0: Floats, s0: Floats, x1: Floats, y1: Floats, s1: Floats) -> Floats:
    """x where y = 0, by the cubic in y with the given places and slopes dx/dy = 1/s."""
    height = y1 - y0
    u = -y0 / height
    rise = x1 - x0
    a = height / s0 - rise
    b = rise - height / s1
    return x0 + u * (rise + (1.0 - u) * (a * (1.0 - u) + b * u))


def _log_ratio_and_slope(flows: Floats, paid: Floats, x: Floats) -> tuple[Floats, Floats]:
    v = np.exp(x)
    n = flows.shape[0]
    total = flows[n - 1].copy()
    slope = np.zeros_like(total)
    for k in range(n - 2, -1, -1):
        slope *= v
        slope += total
        total *= v
        total += flows[k]
    outflow, out_slope = _outflow(paid, v)
    # d log(in) / dx, with in = total + outflow
    inner = v * (slope + out_slope) / (total + outflow)
    return np.log1p(total / outflow), inner - v * out_slope / outflow


def _log_ratio(flows: Floats, paid: Floats, x: Floats) -> Floats:
    v = np.exp(x)
    total = flows[-1].copy()
    for k in range(flows.shape[0] - 2, -1, -1):
        total *= v
        total += flows[k]
    return np.asarray(np.log1p(total / _outflow(paid, v)[0]))


def _outflow(paid: Floats, v: Floats) -> tuple[Floats, Floats]:
    value = paid[-1].copy()
    slope = np.zeros_like(value)
    for k in range(paid.shape[0] - 2, -1, -1):
        slope = slope * v + value
        value = value * v + paid[k]
    return value, slope

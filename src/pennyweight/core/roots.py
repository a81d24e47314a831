"""All real roots of sums of exponentials, which is what a present value is.

With x = log(discount factor), the present value of flows c at times t is f(x) = sum c exp(t x). It has
at most as many real roots as c has changes of sign (Descartes' rule for real exponents). The roots are
found exactly, none missed, by taking the changes away one at a time:

    g(x) = f(x) exp(-s x), with s between the times of one change of sign, has the roots of f, and
    g'(x) is again such a sum, with coefficients c (t - s): one change of sign fewer.

So between two neighbouring roots of g', g is monotone (Rolle) and has a root just when its signs there
differ. Starting from the sum without a change of sign, which has no root, each level brackets the next.

Source: E. Laguerre, "Sur la théorie des équations numériques", 1883 (the rule for real exponents).
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from pennyweight.core import cells

__all__ = ["RootTable", "sign_changes", "solve_rows"]

Floats = NDArray[np.float64]
Bools = NDArray[np.bool_]

_EPS = np.finfo(np.float64).eps
_TINY = np.finfo(np.float64).tiny


class RootTable(NamedTuple):
    """Roots of many rows: row number, place x = log(discount factor), whether f only touches zero there."""

    row: NDArray[np.intp]
    x: Floats
    touches: Bools


def sign_changes(flows: Floats) -> NDArray[np.intp]:
    """Count the changes of sign along the last axis, zeros passed over. Shape (..., n) to (...).

    >>> int(sign_changes(np.array([-1.0, 0.0, 2.0, -1.0])))
    2
    """
    last = np.zeros(flows.shape[:-1], dtype=np.int8)
    count = np.zeros(flows.shape[:-1], dtype=np.intp)
    for k in range(flows.shape[-1]):
        column = flows[..., k]
        sign = np.greater(column, 0).view(np.int8) - np.less(column, 0).view(np.int8)
        count += sign * last < 0
        last = np.where(sign == 0, last, sign)
    return count


def solve_rows(flows: Floats, times: Floats | None = None) -> RootTable:
    """Find every real root x of sum(flows * exp(times * x)), row by row.

    `flows` is (rows, n); `times` (n,) or (rows, n), increasing along the last axis, 0, 1, 2… when left
    out (evaluated by Horner's rule then). Roots come ordered by row, then from small to large x.
    Where the sum comes within rounding of zero without changing sign the root is marked as touching.
    """
    n = flows.shape[1]
    scale = np.abs(flows).max(axis=1, initial=0.0)
    keep = np.flatnonzero(scale > 0)
    if times is None and 2 < n <= cells.LARGEST and keep.size:
        return _solve_batch(flows[keep] / scale[keep, None], keep)
    return _solve_exactly(flows, times, scale, keep)


def _solve_batch(scaled: Floats, keep: NDArray[np.intp]) -> RootTable:
    """Many periodic rows: most are settled cell by cell, the rest one level after the other."""
    isolated = cells.isolate(scaled)
    times = np.broadcast_to(np.arange(scaled.shape[1], dtype=np.float64), scaled.shape)
    lowest, highest = _bounds(scaled, times)
    low = np.maximum(isolated.low, lowest[isolated.row])
    high = np.minimum(isolated.high, highest[isolated.row])
    sums = _Sums(scaled, times, True)
    inflow, outflow = sums.values(isolated.row, low)
    x = _close_in(sums, isolated.row, low, high, np.sign(inflow - outflow))
    hard = isolated.unsettled
    rest = _solve_exactly(scaled[hard], None, np.ones(hard.size), np.arange(hard.size))
    row = np.concatenate([isolated.row, hard[rest.row]])
    x = np.concatenate([x, rest.x])
    touches = np.concatenate([np.zeros(isolated.row.size, np.bool_), rest.touches])
    order = np.lexsort((x, row))
    return RootTable(keep[row[order]], x[order], touches[order])


def _solve_exactly(flows: Floats, times: Floats | None, scale: Floats, keep: NDArray[np.intp]) -> RootTable:
    rows, n = flows.shape
    level_flows = flows[keep] / scale[keep, None]
    level_times = np.arange(n, dtype=np.float64) if times is None else times
    level_times = np.broadcast_to(level_times, (rows, n))[keep]
    periodic = times is None
    changes = sign_changes(level_flows)
    most = int(changes.max(initial=0))
    shifts = _places_of_changes(level_flows, level_times, most)

    levels = [level_flows]
    for k in range(most - 1):
        with_shift = level_times - shifts[:, k, None]
        following = np.where(changes[:, None] > k + 1, levels[-1] * with_shift, levels[-1])
        following /= np.abs(following).max(axis=1, keepdims=True)
        levels.append(following)

    found = RootTable(np.empty(0, np.intp), np.empty(0), np.empty(0, np.bool_))
    for k in reversed(range(most)):
        active = changes > k
        here = active[found.row] if found.row.size else np.empty(0, np.bool_)
        cuts = RootTable(found.row[here], found.x[here], found.touches[here])
        found = _solve_level(levels[k], level_times, np.flatnonzero(active), cuts, periodic)
    return RootTable(keep[found.row], found.x, found.touches)


def _places_of_changes(flows: Floats, times: Floats, most: int) -> Floats:
    """The middle between the two times of each change of sign, (rows, most), NaN beyond a row's own."""
    places = np.full((flows.shape[0], most), np.nan)
    last_sign = np.zeros(flows.shape[0])
    last_time = np.zeros(flows.shape[0])
    count = np.zeros(flows.shape[0], dtype=np.intp)
    for k in range(flows.shape[1]):
        sign = np.sign(flows[:, k])
        change = np.flatnonzero(sign * last_sign < 0)
        places[change, count[change]] = (last_time[change] + times[change, k]) / 2
        count[change] += 1
        last_time = np.where(sign == 0, last_time, times[:, k])
        last_sign = np.where(sign == 0, last_sign, sign)
    return places


def _solve_level(flows: Floats, times: Floats, active: NDArray[np.intp], cuts: RootTable, periodic: bool) -> RootTable:
    """All roots of the active rows, the real line cut at `cuts`, between which each is monotone."""
    low, high = _bounds(flows[active], times[active])
    # Zero is a cut too, so that no bracket lies on both sides of it (see _Sums).
    row = np.concatenate([active, cuts.row, active, active])
    x = np.concatenate([low, cuts.x, np.zeros(active.size), high])
    rank = np.concatenate([np.zeros(active.size), np.ones(cuts.row.size + active.size), np.full(active.size, 2)])
    order = np.lexsort((x, rank, row))
    row, x, rank = row[order], x[order], rank[order]
    sums = _Sums(flows, times, periodic)
    inflow, outflow = sums.values(row, x)
    value = inflow - outflow
    noise = 2 * (flows.shape[1] + 8) * _EPS * (inflow + outflow)
    sign = np.where((np.abs(value) <= noise) & (rank == 1), 0.0, np.sign(value))
    # The two ends lie beyond every root: the sign there is that of the first and of the last flow.
    nonzero = flows != 0
    first = np.argmax(nonzero, axis=1)
    last = flows.shape[1] - 1 - np.argmax(nonzero[:, ::-1], axis=1)
    sign = np.where(rank == 0, np.sign(flows[row, first[row]]), sign)
    sign = np.where(rank == 2, np.sign(flows[row, last[row]]), sign)

    left = np.flatnonzero((row[1:] == row[:-1]) & (sign[1:] * sign[:-1] < 0))
    crossing = _close_in(sums, row[left], x[left], x[left + 1], sign[left])
    flat = np.flatnonzero((sign == 0) & (np.concatenate([[1.0], sign[:-1]]) != 0))
    before, after = _signs_around(sign, flat)
    roots = RootTable(
        np.concatenate([row[left], row[flat]]),
        np.concatenate([crossing, x[flat]]),
        np.concatenate([np.zeros(left.size, np.bool_), before == after]),
    )
    order = np.lexsort((roots.x, roots.row))
    return RootTable(roots.row[order], roots.x[order], roots.touches[order])


def _signs_around(sign: Floats, flat: NDArray[np.intp]) -> tuple[Floats, Floats]:
    before, after = np.empty(flat.size), np.empty(flat.size)
    for k, place in enumerate(flat):
        i, j = place - 1, place + 1
        while sign[i] == 0:
            i -= 1
        while sign[j] == 0:
            j += 1
        before[k], after[k] = sign[i], sign[j]
    return before, after


def _bounds(flows: Floats, times: Floats) -> tuple[Floats, Floats]:
    """Two places beyond which the first, or the last, flow outweighs all others together."""
    size = np.abs(flows)
    index = np.arange(flows.shape[0])
    nonzero = size > 0
    n = flows.shape[1]
    first = np.argmax(nonzero, axis=1)
    last = n - 1 - np.argmax(nonzero[:, ::-1], axis=1)
    gap = np.where(nonzero, times, np.inf)
    gap[index, first] = np.inf
    to_second = gap.min(axis=1) - times[index, first]
    gap = np.where(nonzero, times, -np.inf)
    gap[index, last] = -np.inf
    to_last = times[index, last] - gap.max(axis=1)
    total = size.sum(axis=1)
    head, tail = size[index, first], size[index, last]
    with np.errstate(divide="ignore"):
        low = np.log(head / np.maximum(total - head, _TINY)) / to_second
        high = -np.log(tail / np.maximum(total - tail, _TINY)) / to_last
    # Flows above 1e300 times the others are out of reach of a rate anyway: keep the places finite.
    return np.minimum(low, 0.0) - 1e-9, np.maximum(high, 0.0) + 1e-9


class _Sums:
    """Inflows and outflows of rows, and their slopes, each at one place of a given row.

    All are divided by the same factor, exp(t_last x) for x > 0 and exp(t_first x) below, so that nothing
    overflows and the sign of the difference stays that of f.
    """

    def __init__(self, flows: Floats, times: Floats, periodic: bool) -> None:
        inflow = np.maximum(flows, 0.0)
        self.table = np.stack([inflow, inflow - flows])
        self.times = times
        self.horner = periodic and flows.shape[1] > 1

    def values(self, row: NDArray[np.intp], x: Floats) -> tuple[Floats, Floats]:
        """(inflow, outflow) of row[k] at x[k], any signs of x."""
        inflow, outflow = np.empty(x.size), np.empty(x.size)
        for chosen in (np.flatnonzero(x > 0), np.flatnonzero(x <= 0)):
            if chosen.size:
                lane = self.lane(row[chosen], bool(x[chosen[0]] > 0))
                inflow[chosen], _, outflow[chosen], _ = lane.at(x[chosen])
        return inflow, outflow

    def lane(self, row: NDArray[np.intp], forward: bool) -> _Lane:
        """The given rows made ready for places that are all above zero (`forward`) or all below."""
        times = self.times[row]
        columns = np.moveaxis(self.table[:, row], 2, 0)
        return _Lane(np.ascontiguousarray(columns), np.ascontiguousarray(times.T), forward, self.horner)


class _Lane:
    def __init__(self, columns: Floats, times: Floats, forward: bool, horner: bool) -> None:
        self.columns, self.times, self.forward, self.horner = columns, times, forward, horner

    def only(self, kept: NDArray[np.bool_]) -> _Lane:
        return _Lane(self.columns[:, :, kept], self.times[:, kept], self.forward, self.horner)

    def at(self, x: Floats) -> tuple[Floats, Floats, Floats, Floats]:
        """(inflow, its slope, outflow, its slope)."""
        n = self.columns.shape[0]
        if not self.horner:
            reference = self.times[-1] if self.forward else self.times[0]
            weighted = self.columns * np.exp((self.times - reference) * x)[:, None, :]
            value = weighted.sum(axis=0)
            slope = (weighted * self.times[:, None, :]).sum(axis=0)
            return value[0], slope[0], value[1], slope[1]
        w = np.exp(-np.abs(x))
        columns = self.columns[::-1] if self.forward else self.columns
        value, slope = columns[n - 1].copy(), np.zeros((2, x.size))
        for i in range(n - 2, -1, -1):
            slope *= w
            slope += value
            value *= w
            value += columns[i]
        # d/dx of sum c w^j is w d/dw, with j counted from the last flow when forward.
        slope *= w
        if self.forward:
            slope = (n - 1) * value - slope
        return value[0], slope[0], value[1], slope[1]


def _close_in(sums: _Sums, row: NDArray[np.intp], low: Floats, high: Floats, sign_low: Floats) -> Floats:
    """The root in each bracket; no bracket may lie on both sides of zero."""
    x = np.empty(row.size)
    forward = low + high > 0
    for side in (False, True):
        chosen = np.flatnonzero(forward == side)
        if chosen.size:
            lane = sums.lane(row[chosen], side)
            x[chosen] = _close_in_lane(lane, low[chosen], high[chosen], sign_low[chosen])
    return x


def _close_in_lane(lane: _Lane, low: Floats, high: Floats, sign_low: Floats) -> Floats:
    """Newton on log(inflow / outflow), which is nearly linear, kept inside a shrinking bracket."""
    answer = np.empty(low.size)
    place = np.arange(low.size)
    x, width = (low + high) / 2, high - low
    for step in range(200):
        inflow, inflow_slope, outflow, outflow_slope = lane.at(x)
        exact = inflow == outflow
        same = np.sign(inflow - outflow) == sign_low
        low, high = np.where(same, x, low), np.where(same, high, x)
        with np.errstate(all="ignore"):
            away = np.log(inflow / outflow)
            target = x - away / (inflow_slope / inflow - outflow_slope / outflow)
        middle = (low + high) / 2
        # A step below the square root of the last digit lands within it: the next one would be noise.
        near = np.abs(away) < 1e-9
        target = np.where(near, np.clip(target, low, high), target)
        inside = near | ((target > low) & (target < high))
        if step % 3 == 2:  # a bracket that has not halved for three steps is cut in the middle
            inside &= near | (high - low <= width / 2)
            width = high - low
        target = np.where(exact, x, np.where(inside, target, middle))
        done = exact | near | (high - low <= 2 * _EPS * np.abs(middle))
        x = target
        if done.any():
            answer[place[done]] = x[done]
            left = ~done
            if not left.any():
                return answer
            place, x, low, high = place[left], x[left], low[left], high[left]
            width, sign_low = width[left], sign_low[left]
            lane = lane.only(left)
    answer[place] = x
    return answer

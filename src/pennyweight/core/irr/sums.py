"""Inflows and outflows of rows at any discount factor without overflow, and the roots closed in between two places."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from pennyweight.array_kinds import Floats
from pennyweight.core.irr import precise

__all__ = ["Sums", "close_in", "first_and_last"]


_EPS = np.finfo(np.float64).eps
_DOUBT = 1e-10
"""Roots that rounding may have moved by more than this part of themselves are worked out again in decimals."""


class Sums:
    """Inflows and outflows of rows, and their slopes, each at one place of a given row.

    All are divided by the same factor, exp(t_last x) for x > 0 and exp(t_first x) below, so that nothing
    overflows and the sign of the difference stays that of f.
    """

    def __init__(self, flows: Floats, times: Floats, periodic: bool) -> None:
        self.horner = periodic and flows.shape[1] > 1
        self.flows, self.times = flows, times
        # Powers are taken from the first flow that is not zero on, or from the last one back.
        self.tables = [_both_sides(_aligned(flows, last) if self.horner else flows) for last in (False, True)]

    def values(self, row: NDArray[np.intp], x: Floats) -> tuple[Floats, Floats]:
        """(inflow, outflow) of row[k] at x[k], any signs of x."""
        inflow, outflow = np.empty(x.size), np.empty(x.size)
        for chosen in (np.flatnonzero(x > 0), np.flatnonzero(x <= 0)):
            if chosen.size:
                lane = self.lane(row[chosen], bool(x[chosen[0]] > 0))
                inflow[chosen], _, outflow[chosen], _ = lane.at(x[chosen])
        return inflow, outflow

    def lane(self, row: NDArray[np.intp], forward: bool) -> Lane:
        """The given rows made ready for places that are all above zero (`forward`) or all below."""
        times = self.times[row]
        columns = np.moveaxis(self.tables[forward][:, row], 2, 0)
        return Lane(np.ascontiguousarray(columns), np.ascontiguousarray(times.T), forward, self.horner)


def _both_sides(flows: Floats) -> Floats:
    """Inflows and outflows, (2, rows, n)."""
    inflow = np.maximum(flows, 0.0)
    return np.stack([inflow, inflow - flows])


def _aligned(flows: Floats, to_the_last: bool) -> Floats:
    """Each row moved along so that it begins, or ends, with a flow that is not zero."""
    first, last = first_and_last(flows)
    n = flows.shape[1]
    shift = last - (n - 1) if to_the_last else first
    if not shift.any():
        return flows
    return np.asarray(np.take_along_axis(flows, (np.arange(n) + shift[:, None]) % n, axis=1))


class Lane:
    """Rows made ready for places that are all above zero, or all below; time first."""

    def __init__(self, columns: Floats, times: Floats, forward: bool, horner: bool) -> None:
        self.columns, self.times, self.forward, self.horner = columns, times, forward, horner

    def only(self, kept: NDArray[np.bool_]) -> Lane:
        """Some of the rows."""
        return Lane(self.columns[:, :, kept], self.times[:, kept], self.forward, self.horner)

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


def close_in(sums: Sums, row: NDArray[np.intp], low: Floats, high: Floats, sign_low: Floats) -> Floats:
    """The root in each bracket; no bracket may lie on both sides of zero."""
    x, doubt = np.empty(row.size), np.zeros(row.size)
    forward = low + high > 0
    for side in (False, True):
        chosen = np.flatnonzero(forward == side)
        if chosen.size:
            lane = sums.lane(row[chosen], side)
            x[chosen], doubt[chosen] = _close_in_lane(lane, low[chosen], high[chosen], sign_low[chosen])
    if sums.flows.shape[1] <= precise.MOST:
        for k in np.flatnonzero(doubt > _DOUBT * np.abs(x)):
            times = None if sums.horner else sums.times[row[k]].tolist()
            bracket = float(low[k]), float(high[k]), float(sign_low[k])
            x[k] = precise.refined_root(sums.flows[row[k]].tolist(), times, float(x[k]), *bracket)
    return x


def _close_in_lane(lane: Lane, low: Floats, high: Floats, sign_low: Floats) -> tuple[Floats, Floats]:
    """Newton on log(inflow / outflow), which is nearly linear, kept inside a shrinking bracket.

    Returns the roots, and how far rounding may have moved each.
    """
    answer, doubt = np.empty(low.size), np.empty(low.size)
    place = np.arange(low.size)
    x, width = (low + high) / 2, high - low
    before = np.full(low.size, np.inf)
    noise = (lane.columns.shape[0] + 8) * _EPS
    for step in range(200):
        inflow, inflow_slope, outflow, outflow_slope = lane.at(x)
        exact = inflow == outflow
        same = np.sign(inflow - outflow) == sign_low
        low, high = np.where(same, x, low), np.where(same, high, x)
        with np.errstate(all="ignore"):
            away = np.log(inflow / outflow)
            slope = inflow_slope / inflow - outflow_slope / outflow
            target = x - away / slope
        middle = (low + high) / 2
        near = np.abs(away) < 1e-9
        target = np.where(near, np.clip(target, low, high), target)
        inside = near | ((target > low) & (target < high))
        if step % 3 == 2:  # a bracket that has not halved for three steps is cut in the middle
            inside &= near | (high - low <= width / 2)
            width = high - low
        target = np.where(exact, x, np.where(inside, target, middle))
        moved = np.abs(target - x)
        # Steps shrink as their squares: the next one, by the last two, is below the last digits.
        with np.errstate(all="ignore"):
            coming = np.where(np.isinf(before), moved, moved * np.minimum(np.square(moved / before), 1.0))
        settled = near & ((coming <= 2 * _EPS * np.abs(target)) | (np.abs(away) <= noise))
        done = exact | settled | (high - low <= 2 * _EPS * np.abs(middle))
        x, before = target, moved
        if done.any():
            with np.errstate(all="ignore"):
                answer[place[done]], doubt[place[done]] = x[done], noise / np.abs(slope[done])
            left = ~done
            if not left.any():
                return answer, doubt
            place, x, low, high = place[left], x[left], low[left], high[left]
            width, sign_low, before = width[left], sign_low[left], before[left]
            lane = lane.only(left)
    answer[place], doubt[place] = x, np.inf
    return answer, doubt


def first_and_last(flows: Floats) -> tuple[NDArray[np.intp], NDArray[np.intp]]:
    """The places of the first and the last flow of each row that is not zero."""
    nonzero = flows != 0
    return np.argmax(nonzero, axis=1), flows.shape[1] - 1 - np.argmax(nonzero[:, ::-1], axis=1)

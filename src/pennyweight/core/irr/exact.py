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

from math import fsum
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from pennyweight.array_kinds import Floats
from pennyweight.core.irr import cells, precise
from pennyweight.core.irr.intervals import isolate_one
from pennyweight.core.irr.sums import Sums, close_in, first_and_last

__all__ = ["RootTable", "power_of_two", "sign_changes", "solve_rows"]

Bools = NDArray[np.bool_]

_EPS = np.finfo(np.float64).eps
_TINY = np.finfo(np.float64).tiny
_OFTEN = 24
"""Changes of sign beyond which a row is isolated by intervals."""


class RootTable(NamedTuple):
    """Roots of many rows: row number, place x = log(discount factor), whether f only touches zero there."""

    row: NDArray[np.intp]
    x: Floats
    touches: Bools


def sign_changes(flows: Floats) -> NDArray[np.intp]:
    """Count the changes of sign in each row, zeros passed over. Shape (rows, n) to (rows,).

    >>> sign_changes(np.array([[-1.0, 0.0, 2.0, -1.0], [0.0, 1.0, 2.0, 0.0]])).tolist()
    [2, 0]
    """
    return np.bincount(_changes(flows)[0], minlength=flows.shape[0])


def solve_rows(flows: Floats, times: Floats | None = None) -> RootTable:
    """Find every real root x of sum(flows * exp(times * x)), row by row.

    `flows` is (rows, n); `times` (n,) or (rows, n), increasing along the last axis, 0, 1, 2… when left
    out (evaluated by Horner's rule then). Roots come ordered by row, then from small to large x.
    Where the sum reaches zero without changing sign the root is marked as touching. Roots are right to 1e-9 of
    themselves: where float64 cannot tell (two roots side by side), decimals of sixty digits do (see `precise`).
    """
    n = flows.shape[1]
    scale = power_of_two(flows)
    keep = np.flatnonzero(flows.any(axis=1))
    if times is None and 2 < n <= cells.LARGEST and keep.size:
        return _solve_batch(flows[keep] / scale[keep, None], keep)
    often = sign_changes(flows[keep]) > _OFTEN
    if not often.any():
        return _solve_exactly(flows, times, scale, keep)
    when = np.broadcast_to(np.arange(n, dtype=np.float64) if times is None else times, flows.shape)
    tables = [_solve_exactly(flows, times, scale, keep[~often])]
    tables += [_solve_by_intervals(flows[k] / scale[k], when[k], int(k)) for k in keep[often]]
    return _in_order(*(np.concatenate(column) for column in zip(*tables, strict=True)))


def power_of_two(flows: Floats) -> Floats:
    """The power of two just below the largest flow of each row: divided by it the flows keep every digit."""
    return np.asarray(np.ldexp(1.0, np.frexp(np.abs(flows).max(axis=1, initial=0.0))[1] - 1))


def _in_order(row: NDArray[np.intp], x: Floats, touches: Bools) -> RootTable:
    order = np.lexsort((x, row))
    return RootTable(row[order], x[order], touches[order])


def _solve_by_intervals(flows: Floats, times: Floats, number: int) -> RootTable:
    """The roots of one row that changes its sign very often."""
    kept = flows != 0
    flows, times = flows[kept], times[kept]
    low, high = _bounds(flows[None], times[None])
    found = isolate_one(flows, times, float(low[0]), float(high[0]))
    sums = Sums(flows[None], times[None], False)
    row = np.zeros(found.low.size, np.intp)
    inflow, outflow = sums.values(row, found.low)
    roots = close_in(sums, row, found.low, found.high, np.sign(inflow - outflow))
    at, crosses = _clusters(sums, found.unsettled)
    x = np.concatenate([roots, at])
    touches = np.concatenate([np.zeros(roots.size, np.bool_), ~crosses])
    return _in_order(np.full(x.size, number), x, touches)


def _clusters(sums: Sums, places: Floats) -> tuple[Floats, Bools]:
    """Places where the sum lies within its rounding, joined where they touch, and whether it changes sign there."""
    if not places.size:
        return places, np.zeros(0, np.bool_)
    reach = 1e-9 * np.maximum(np.abs(places), 1e-3)
    starts = np.flatnonzero(np.concatenate([[True], np.diff(places) > reach[1:]]))
    ends = np.append(starts[1:], places.size) - 1
    row = np.zeros(starts.size, np.intp)
    (in0, out0), (in1, out1) = (
        sums.values(row, places[edge] + side * 1e3 * reach[edge]) for edge, side in ((starts, -1), (ends, 1))
    )
    return (places[starts] + places[ends]) / 2, np.sign(in0 - out0) != np.sign(in1 - out1)


def _solve_batch(scaled: Floats, keep: NDArray[np.intp]) -> RootTable:
    """Many periodic rows: most are settled cell by cell, the rest one level after the other."""
    isolated = cells.isolate(scaled)
    times = np.broadcast_to(np.arange(scaled.shape[1], dtype=np.float64), scaled.shape)
    lowest, highest = _bounds(scaled, times)
    low = np.maximum(isolated.low, lowest[isolated.row])
    high = np.minimum(isolated.high, highest[isolated.row])
    sums = Sums(scaled, times, True)
    inflow, outflow = sums.values(isolated.row, low)
    x = close_in(sums, isolated.row, low, high, np.sign(inflow - outflow))
    hard = isolated.unsettled
    rest = _solve_exactly(scaled[hard], None, np.ones(hard.size), np.arange(hard.size))
    row = np.concatenate([isolated.row, hard[rest.row]])
    x = np.concatenate([x, rest.x])
    touches = np.concatenate([np.zeros(isolated.row.size, np.bool_), rest.touches])
    return _in_order(keep[row], x, touches)


def _solve_exactly(flows: Floats, times: Floats | None, scale: Floats, keep: NDArray[np.intp]) -> RootTable:
    rows, n = flows.shape
    level_flows = flows[keep] / scale[keep, None]
    level_times = np.arange(n, dtype=np.float64) if times is None else times
    level_times = _without_idle_ends(level_flows, np.broadcast_to(level_times, (rows, n))[keep])
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
        turns = shifts[:, 0] if k == 0 else None
        found = _solve_level(levels[k], level_times, np.flatnonzero(active), cuts, periodic, turns)
    return RootTable(keep[found.row], found.x, found.touches)


def _without_idle_ends(flows: Floats, times: Floats) -> Floats:
    """Times of leading and trailing zero flows moved to the first and the last flow: zeros must not set the scale."""
    first, last = first_and_last(flows)
    index = np.arange(flows.shape[0])
    return np.asarray(np.clip(times, times[index, first][:, None], times[index, last][:, None]))


def _places_of_changes(flows: Floats, times: Floats, most: int) -> Floats:
    """The middle between the two times of each change of sign, (rows, most), NaN beyond a row's own."""
    row, before, after = _changes(flows)
    places = np.full((flows.shape[0], most), np.nan)
    number = np.arange(row.size) - np.searchsorted(row, row)
    places[row, number] = (times[row, before] + times[row, after]) / 2
    return places


def _changes(flows: Floats) -> tuple[NDArray[np.intp], NDArray[np.intp], NDArray[np.intp]]:
    """(row, place of the flow before, place of the flow after) of each change of sign, in order."""
    row, place = np.nonzero(flows)
    up = flows[row, place] > 0
    turned = np.flatnonzero((row[1:] == row[:-1]) & (up[1:] != up[:-1]))
    return row[turned], place[turned], place[turned + 1]


def _solve_level(
    flows: Floats,
    times: Floats,
    active: NDArray[np.intp],
    cuts: RootTable,
    periodic: bool,
    turns: Floats | None,
) -> RootTable:
    """All roots of the active rows, the real line cut at `cuts`, between which each is monotone.

    `turns`: for the last level, the shift under which each row turns at its cuts, so that those within rounding of
    zero can be looked at more closely.
    """
    low, high = _bounds(flows[active], times[active])
    # Zero is a cut too, so that no bracket lies on both sides of it (see Sums).
    row = np.concatenate([active, cuts.row, active, active])
    x = np.concatenate([low, cuts.x, np.zeros(active.size), high])
    rank = np.concatenate([np.zeros(active.size), np.ones(cuts.row.size + active.size), np.full(active.size, 2)])
    order = np.lexsort((x, rank, row))
    row, x, rank = row[order], x[order], rank[order]
    sums = Sums(flows, times, periodic)
    inflow, outflow = sums.values(row, x)
    value = inflow - outflow
    noise = 2 * (flows.shape[1] + 8) * _EPS * (inflow + outflow)
    sign = np.where((np.abs(value) <= noise) & (rank == 1), 0.0, np.sign(value))
    if turns is not None and flows.shape[1] <= precise.MOST:
        for k in np.flatnonzero(sign == 0):
            own = None if periodic else times[row[k]].tolist()
            if x[k] == 0:  # the plain sum of the flows, which can be had exactly
                sign[k] = np.sign(fsum(flows[row[k]].tolist()))
            if x[k] != 0 or (cuts.x[cuts.row == row[k]] == 0).any():
                x[k], sign[k] = precise.sign_at_turn(flows[row[k]].tolist(), own, float(turns[row[k]]), float(x[k]))
    # The two ends lie beyond every root: the sign there is that of the first and of the last flow.
    first, last = first_and_last(flows)
    sign = np.where(rank == 0, np.sign(flows[row, first[row]]), sign)
    sign = np.where(rank == 2, np.sign(flows[row, last[row]]), sign)

    left = np.flatnonzero((row[1:] == row[:-1]) & (sign[1:] * sign[:-1] < 0))
    crossing = close_in(sums, row[left], x[left], x[left + 1], sign[left])
    flat = np.flatnonzero((sign == 0) & (np.concatenate([[1.0], sign[:-1]]) != 0))
    before, after = _signs_around(sign, flat)
    return _in_order(
        np.concatenate([row[left], row[flat]]),
        np.concatenate([crossing, x[flat]]),
        np.concatenate([np.zeros(left.size, np.bool_), before == after]),
    )


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
    first, last = first_and_last(flows)
    gap = np.where(nonzero, times, np.inf)
    gap[index, first] = np.inf
    to_second = gap.min(axis=1) - times[index, first]
    gap = np.where(nonzero, times, -np.inf)
    gap[index, last] = -np.inf
    to_last = times[index, last] - gap.max(axis=1)
    total = size.sum(axis=1)
    head, tail = size[index, first], size[index, last]
    with np.errstate(divide="ignore"):
        low = (np.log(head) - np.log(np.maximum(total - head, _TINY))) / to_second
        high = (np.log(np.maximum(total - tail, _TINY)) - np.log(tail)) / to_last
    # Flows above 1e300 times the others are out of reach of a rate anyway: keep the places finite.
    return np.minimum(low, 0.0) - 1e-9, np.maximum(high, 0.0) + 1e-9

"""Rows whose account never turns: what is put in stays in until the end, so there is no rate but the one found.

With B(t) the flows up to t grown at the rate r, B(t) of one sign for all t before the last is enough: at a higher rate
every B(t) lies further out, so the last is past zero; at a lower one it lies short of it. Several changes of sign
(a balloon, a repair) do not matter then, and nothing needs to be isolated.

Source: C. S. Soper, "The marginal efficiency of capital: a further note", Economic Journal 69 (1959).
"""

from __future__ import annotations

from math import exp

import numpy as np
from numpy.typing import NDArray

from pennyweight.array_kinds import Floats
from pennyweight.core.irr import cells
from pennyweight.core.irr.above_zero import has_one_above_zero, rates_above_zero
from pennyweight.core.irr.any_rows import any_rows

__all__ = ["each_by_itself", "never_turns", "settled_rows"]


_MARGIN = 1e-9
"""A balance nearer to zero than this part of the largest may lie on either side."""
_PASSES = 12
_CLOSE = 1e-9
_TINY = 1e-5
_CHUNK = 4096
_REACH = 300.0


def never_turns(row: list[float], x: float) -> bool:
    """Whether the balance of one row keeps its sign at the rate exp(-x) - 1, until the last flow clears it.

    >>> never_turns([-100.0, 30.0, -10.0, 110.0], -0.1), never_turns([-100.0, 230.0, -132.0], -0.0953)
    (True, False)
    """
    growth = exp(-x)
    side = -1.0 if row[0] < 0 else 1.0
    balance = largest = 0.0
    least = float("inf")
    for flow in row[:-1]:
        balance = balance * growth + side * flow
        least = min(least, balance)
        largest = max(largest, balance)
    return least > _MARGIN * largest


def each_by_itself(rows: Floats) -> Floats:
    """The rate of each row (rows, n), NaN where it has none; the same whatever rows stand beside it.

    >>> each_by_itself(np.array([[-100.0, 30.0, -10.0, 110.0], [-100.0, 230.0, -132.0, 0.0]])).round(6).tolist()
    [0.107117, nan]
    """
    found = np.full(rows.shape[0], np.nan)
    rest = np.flatnonzero(~settled_rows(rows, found))
    may = _may_have_one(rows[rest]) if rest.size else np.empty(0, dtype=np.bool_)
    several = rest[~may]
    several = several[has_one_above_zero(rows[several])] if several.size else several
    if several.size:
        found[several] = rates_above_zero(rows[several])
    if may.any():
        found[rest[may]] = any_rows(rows[rest[may]], None)[0]
    return found


def _may_have_one(rows: Floats) -> NDArray[np.bool_]:
    """False for rows that have several rates for certain: two roots apart, so that none needs to be closed in on."""
    may = np.asarray(np.isfinite(rows).all(axis=1) & (rows > 0).any(axis=1) & (rows < 0).any(axis=1))
    if not 2 < rows.shape[1] <= cells.LARGEST or not may.any():
        return may
    asked = np.flatnonzero(may)
    scaled = rows[asked] / np.abs(rows[asked]).max(axis=1, keepdims=True)
    isolated = cells.isolate(scaled)
    within = (isolated.low > -_REACH) & (isolated.high < _REACH)  # beyond lie rates that no number holds
    roots = np.bincount(isolated.row[within], minlength=asked.size)
    may[asked[roots > 1]] = False
    return may


def settled_rows(rows: Floats, rate: Floats) -> NDArray[np.bool_]:
    """Fill in the rates of rows (rows, n) of which the balance never turns; returns which these are."""
    settled = np.zeros(rows.shape[0], dtype=np.bool_)
    with np.errstate(all="ignore"):
        for start in range(0, rows.shape[0], _CHUNK):
            part = slice(start, start + _CHUNK)
            x, found = _solve(np.ascontiguousarray(rows[part].T))
            rate[part] = np.where(found, np.expm1(-x), rate[part])
            settled[part] = found
    return settled


def _solve(flows: Floats) -> tuple[Floats, NDArray[np.bool_]]:
    """(x, settled) of flows, time first, by Newton on log(in / out)."""
    some = np.flatnonzero((flows != 0).any(axis=1))
    flows = flows[: some[-1] + 1] if some.size else flows[:1]  # idle ends would only stretch the scale
    n, _ = flows.shape
    last = n - 1 - np.argmax(flows[::-1] != 0, axis=0)
    inflow, outflow = np.maximum(flows, 0.0), np.maximum(-flows, 0.0)
    times = np.arange(n, dtype=np.float64)
    paying = np.flatnonzero(outflow.any(axis=1)).tolist()
    # Sums row upon row, and steps that stop for each row by itself: what stands beside it changes none of its digits.
    total_in, total_out = np.add.reduce(inflow, axis=0), np.add.reduce(outflow, axis=0)
    mean_in = np.add.reduce(inflow * times[:, None], axis=0) / total_in
    mean_out = np.add.reduce(outflow * times[:, None], axis=0) / total_out
    x = -np.log(total_in / total_out) / (mean_in - mean_out)
    step = np.full(x.size, np.inf)
    moving = np.ones(x.size, dtype=np.bool_)
    for _ in range(_PASSES):
        v = np.exp(x)
        total, slope = flows[-1].copy(), np.zeros(x.size)
        for k in range(n - 2, -1, -1):
            slope *= v
            slope += total
            total *= v
            total += flows[k]
        out, out_slope = np.zeros(x.size), np.zeros(x.size)
        for k in paying:  # money goes out in few periods, as a rule
            worth = outflow[k] * np.exp(k * x)
            out += worth
            out_slope += k * worth
        found = np.log1p(total / out) / ((v * slope + out_slope) / (total + out) - out_slope / out)
        step = np.where(moving, found, step)
        x = np.where(moving, x - found, x)
        moving &= np.abs(step) > _CLOSE * np.maximum(np.abs(x), 1e-3)
        if not moving.any():
            break
    growth, side = np.exp(-x), np.where(flows[0] < 0, -1.0, 1.0)
    balance = side * flows[0]
    least, largest = balance.copy(), balance.copy()
    shortest = int(last.min(initial=n))
    for k in range(1, n - 1):
        balance *= growth
        balance += side * flows[k]
        kept = balance if k < shortest else np.where(last > k, balance, largest)
        np.minimum(least, kept, out=least)
        np.maximum(largest, kept, out=largest)
    close = np.abs(step) <= _CLOSE * np.maximum(np.abs(x), 1e-3)
    inside = (np.abs(x) > _TINY) & (np.abs(x) < 3.0) & (n * np.abs(x) < 600)
    return x, close & inside & (least > _MARGIN * largest) & (flows[0] != 0)

"""Measures of cash flows: money in positive, money out negative, time along the last axis.

Shapes: flows are (..., n), rates broadcast against the leading shape (...), answers have that shape.
Times are in years, or whatever unit the rate is per; left out they are 0, 1, 2… An answer that is not defined
is NaN here; the floors above say why.
"""

from __future__ import annotations

from typing import Literal

import numpy as np
from numpy.typing import ArrayLike

from pennyweight.array_kinds import Floats
from pennyweight.errors import choice

__all__ = [
    "discount_factors",
    "discounted",
    "equivalent_annual",
    "modified_irr",
    "npv",
    "payback",
    "profitability_index",
    "roi",
]

Outlay = Literal["all", "first"]
OUTLAYS: tuple[Outlay, ...] = ("all", "first")

_EPS = np.finfo(np.float64).eps


def discount_factors(rate_per_period: ArrayLike, times: ArrayLike) -> Floats:
    """Return (1 + rate_per_period) ** -times, rates (...) against times (n,) or (..., n): shape (..., n).

    Parameters
    ----------
    rate_per_period : array_like
        The rate of one period, a fraction: 0.005 is 0.5 %.
    times : array_like
        Periods, or years, from today; (n,) or (..., n).

    Returns
    -------
    array of float
        (1 + rate_per_period) ** -times, rates (...) against times (n,) or (..., n): shape (..., n).

    Raises
    ------
    InputError
        Something given cannot be right; the message names it and says what would be.

    Examples
    --------
    >>> discount_factors(0.25, [0, 1, 2]).tolist()
    [1.0, 0.8, 0.64]
    """
    r = np.asarray(rate_per_period, dtype=np.float64)[..., None]
    with np.errstate(divide="ignore", invalid="ignore", over="ignore"):
        return np.where(r > -1, (1.0 + r) ** -np.asarray(times, dtype=np.float64), np.nan)


def discounted(flows: ArrayLike, rate: ArrayLike, *, times: ArrayLike | None = None) -> Floats:
    """Return each flow times its discount factor, (..., n)."""
    table = np.asarray(flows, dtype=np.float64)
    when = np.arange(table.shape[-1], dtype=np.float64) if times is None else times
    return table * discount_factors(rate, when)


def npv(flows: ArrayLike, rate_per_period: ArrayLike, *, times: ArrayLike | None = None) -> Floats:
    """Return the net present value at time 0: sum of flow / (1 + rate) ** time.

    Parameters
    ----------
    flows : array_like
        (..., n), in positive, out negative; the flow at time 0 is not discounted.
    rate_per_period : array_like
        Of one unit of the times, as a fraction above -1; NaN where it is not.
    times : array_like | None, optional
        (n,) or (..., n), in any order; left out: 0, 1, 2….

    Returns
    -------
    array of float
        The net present value at time 0: sum of flow / (1 + rate) ** time.

    Raises
    ------
    InputError
        Something given cannot be right; the message names it and says what would be.

    Notes
    -----
    Source: Brealey, Myers, Allen, "Principles of Corporate Finance", ch. 2.

    Examples
    --------
    >>> float(npv([-100.0, 60.0, 72.0], 0.2))
    0.0
    """
    table = np.asarray(flows, dtype=np.float64)
    if times is not None:
        return np.asarray(discounted(table, rate_per_period, times=times).sum(axis=-1))[()]
    r = np.asarray(rate_per_period, dtype=np.float64)
    with np.errstate(divide="ignore", invalid="ignore", over="ignore"):
        v = np.where(r > -1, 1.0 / (1.0 + r), np.nan)
        total = np.zeros(np.broadcast_shapes(table.shape[:-1], v.shape))
        for k in range(table.shape[-1] - 1, -1, -1):
            total *= v
            total += table[..., k]
    return total[()]


def payback(
    flows: ArrayLike,
    *,
    rate: ArrayLike | None = None,
    times: ArrayLike | None = None,
    spread: bool = True,
    first: bool = False,
) -> Floats:
    """Return the time from which the running total stays at or above zero; NaN when it never does.

    Parameters
    ----------
    flows : array_like
        (..., n), in positive, out negative.
    rate : array_like | None, optional
        Discount each flow at this rate first (discounted payback).
    times : array_like | None, optional
        (n,), increasing; left out: 0, 1, 2….
    spread : bool, default True
        Whether each flow comes evenly over the period that ends at its time (the flow at the first time at once), or
        all on the day.
    first : bool, default False
        Return the first time at which the total reaches zero from below, even when it is lost again.

    Notes
    -----
    A total within rounding of zero counts as zero, so that eight times 0.1 pays back 0.8.

    Examples
    --------
    >>> float(payback([-100.0, 40.0, 40.0, 40.0]))
    2.5
    """
    table = np.asarray(flows, dtype=np.float64)
    n = table.shape[-1]
    when = np.arange(n, dtype=np.float64) if times is None else np.asarray(times, dtype=np.float64)
    if rate is not None:
        table = discounted(table, rate, times=when)
    total = _running(table)
    rounding = _running(np.abs(table))
    rounding *= 4 * _EPS * n
    below = total < -rounding
    undefined = np.isnan(total[..., -1])
    if first:
        # Reached from below: a total that has not been below zero yet has nothing to pay back.
        reached = ~below & np.logical_or.accumulate(below, axis=-1)
        never = below.any(axis=-1) & ~reached.any(axis=-1)
        place = np.argmax(reached, axis=-1)
    else:
        never = below[..., -1]
        # The period after the last one that ends below zero; 0 when none does.
        place = np.where(below.any(axis=-1), n - np.argmax(below[..., ::-1], axis=-1), 0)
        place = np.minimum(place, n - 1)
    before = np.maximum(place - 1, 0)
    flow = np.take_along_axis(table, place[..., None], -1)[..., 0]
    missing = -np.take_along_axis(total, before[..., None], -1)[..., 0]
    with np.errstate(divide="ignore", invalid="ignore", over="ignore"):
        share = np.where(spread & (flow > 0), np.clip(missing / flow, 0.0, 1.0), 1.0)
    answer = np.where(share < 1.0, when[before] + share * (when[place] - when[before]), when[place])
    answer = np.where(place > 0, answer, when[0])
    return np.where(never | undefined, np.nan, answer)


def roi(flows: ArrayLike, *, on: Outlay = "all") -> Floats:
    """Return the gain over the outlay: sum of flows / all money out (or the first flow, `on="first"`).

    Undiscounted and over the whole span. NaN when nothing goes out (or the first flow is no outlay).

    >>> float(roi([-100.0, 30.0, 90.0]))
    0.2
    """
    table = np.asarray(flows, dtype=np.float64)
    with np.errstate(divide="ignore", invalid="ignore"):
        ratio = table.sum(axis=-1) / _outlay(table, on)
    return np.where(np.isfinite(ratio), ratio, np.nan)


def profitability_index(
    flows: ArrayLike, rate: ArrayLike, *, times: ArrayLike | None = None, on: Outlay = "all"
) -> Floats:
    """Return present value in over present value out.

    `on="all"`: all inflows over all outflows. `on="first"`: all later flows, net, over the first outlay,
    which is 1 + npv / first outlay. NaN when nothing goes out.

    >>> round(float(profitability_index([-100.0, 132.0], 0.1)), 9)
    1.2
    """
    worth = discounted(flows, rate, times=times)
    outlay = _outlay(worth, on)
    with np.errstate(divide="ignore", invalid="ignore"):
        ratio = worth.sum(axis=-1) / outlay + 1.0
    return np.where(np.isfinite(ratio), ratio, np.nan)


def modified_irr(
    flows: ArrayLike,
    *,
    reinvested_at: ArrayLike,
    borrowed_at: ArrayLike,
    times: ArrayLike | None = None,
    span: ArrayLike | None = None,
) -> Floats:
    """Return the rate that turns the outflows' present value into the inflows' value at the end.

    Inflows earn `reinvested_at` until the last time, or until `span` after the first, outflows are discounted at
    `borrowed_at`, both effective. NaN when nothing goes in, nothing goes out, or there is no span.

    >>> round(float(modified_irr([-1000.0, 600.0, 600.0], reinvested_at=0.1, borrowed_at=0.1)), 6)
    0.122497
    """
    table = np.asarray(flows, dtype=np.float64)
    when = np.arange(table.shape[-1], dtype=np.float64) if times is None else np.asarray(times, dtype=np.float64)
    since = when - when[..., :1]
    long = since[..., -1] if span is None else np.asarray(span, dtype=np.float64)
    inflow = discounted(np.maximum(table, 0.0), reinvested_at, times=since - long[..., None]).sum(axis=-1)
    outflow = -discounted(np.minimum(table, 0.0), borrowed_at, times=since).sum(axis=-1)
    with np.errstate(divide="ignore", invalid="ignore"):
        rate = np.expm1(np.log(inflow / outflow) / long)
    return np.where((inflow > 0) & (outflow > 0) & (long > 0), rate, np.nan)


def equivalent_annual(
    flows: ArrayLike, rate: ArrayLike, *, times: ArrayLike | None = None, span: ArrayLike | None = None
) -> Floats:
    """Return the level amount a unit of time, at each end of it, worth the same as the flows.

    npv / annuity factor over the span from time 0 to the last time, or over `span`. NaN for a span of zero.

    Source: Brealey, Myers, Allen, ch. 6 (equivalent annual cash flow).

    >>> round(float(equivalent_annual([0.0, 10.0, 10.0], 0.07)), 9)
    10.0
    """
    table = np.asarray(flows, dtype=np.float64)
    if span is None:
        span = float(table.shape[-1] - 1) if times is None else np.asarray(times, dtype=np.float64)[..., -1]
    span = np.asarray(span, dtype=np.float64)
    r = np.asarray(rate, dtype=np.float64)
    with np.errstate(divide="ignore", invalid="ignore"):
        factor = np.where(r == 0, span, -np.expm1(-span * np.log1p(r)) / np.where(r == 0, 1.0, r))
        level = npv(table, r, times=times) / factor
    return np.where(factor > 0, level, np.nan)


def _running(table: Floats) -> Floats:
    """Running totals along the last axis; of a table that lies in memory time first, row upon row."""
    if table.ndim == 2 and table.shape[0] > 1 and table.strides[0] < table.strides[1]:
        total = np.array(table.T)
        for k in range(1, total.shape[0]):
            total[k] += total[k - 1]
        return total.T
    return np.cumsum(table, axis=-1)


def _outlay(table: Floats, on: Outlay) -> Floats:
    out = -np.minimum(table, 0.0)
    return np.asarray(out[..., 0] if choice(on, OUTLAYS, "on") == "first" else out.sum(axis=-1))

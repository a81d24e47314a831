"""Internal rates of return: one row or a hundred thousand, each told exactly how it stands.

The equation is solved in x = log(discount factor) on y(x) = log(inflows' value / outflows' value), which is
nearly a straight line. A batch of periodic rows with a single change of sign (outlays first, the common
case) is done per chunk, time first: one matrix product gives values and slopes at a few shared places; cubic
Hermite interpolation of x over y in the cell with the root gives the start; one pass with slope (Newton)
and one without (quadratic through the three known points) finish. What has not met the bound by then
is finished by bracketed Newton in `roots`, as are rows with several changes of sign.
"""

from __future__ import annotations

from enum import IntEnum
from functools import lru_cache
from math import exp, expm1, isfinite, log, log1p
from typing import NamedTuple

import numpy as np
from numpy.typing import ArrayLike, NDArray

from pennyweight.core import roots

__all__ = ["IrrOutcome", "IrrOutcomes", "all_rates", "irr", "irr_outcomes", "single_row"]

Floats = NDArray[np.float64]

_CHUNK = 4096
_CLOSE = 3e-7  # a last correction below this leaves an error some six digits smaller
_TINY = 1e-5  # nearer to a rate of zero, the last digits need the more careful method
_FAST_FROM = 32  # rows from which the chunked method wins over the pooled one


class IrrOutcome(IntEnum):
    """How a row stands: only ONE has an internal rate of return."""

    ONE = 0
    """Just one rate: it is the internal rate of return."""
    NONE = 1
    """Flows of both signs, and the present value never reaches zero."""
    SEVERAL = 2
    """More than one rate brings the present value to zero."""
    TOUCHES = 3
    """The present value reaches zero without changing sign there."""
    EDGE = 4
    """The rate lies at -100 % or beyond every number: all is lost, or gained, at once."""
    ONE_SIGN = 5
    """Money only comes in, or only goes out, or there is none."""
    UNDEFINED = 6
    """A flow is not a number."""

    @property
    def reason(self) -> str:
        """Why there is no internal rate of return, in words; empty where there is one.

        >>> IrrOutcome.SEVERAL.reason
        'several rates bring the present value to zero'
        """
        return _REASONS[self]


_REASONS = {
    IrrOutcome.ONE: "",
    IrrOutcome.NONE: "no rate brings the present value to zero",
    IrrOutcome.SEVERAL: "several rates bring the present value to zero",
    IrrOutcome.TOUCHES: "the present value touches zero without crossing it",
    IrrOutcome.EDGE: "all is lost or gained at once: the rate lies at -100% or beyond every number",
    IrrOutcome.ONE_SIGN: "money only comes in, or only goes out",
    IrrOutcome.UNDEFINED: "a flow is not a number",
}


class IrrOutcomes(NamedTuple):
    """IrrOutcomes (NaN unless the outcome is ONE) and outcomes, both of the leading shape of the flows."""

    rate: Floats
    outcome: NDArray[np.int8]


def irr(flows: ArrayLike, *, times: ArrayLike | None = None) -> Floats:
    """Return the internal rate of return of each row of flows, NaN where there is not exactly one.

    Args:
        flows: money in positive, money out negative; shape (..., n).
        times: when each flow happens, shape (n,) or (..., n), increasing, in years; left out: 0, 1, 2…

    Returns:
        IrrOutcomes per unit of time as fractions, shape (...). |present value at the rate| is at most
        1e-9 of the sum of |flows|. IrrOutcomes are those above -100 %.

    Source: the definition, as in R. Brealey, S. Myers, F. Allen, "Principles of Corporate Finance", ch. 5.

    >>> round(float(irr([-1000.0, 600.0, 600.0])), 6)
    0.130662
    """
    return irr_outcomes(flows, times=times).rate[()]


def irr_outcomes(flows: ArrayLike, *, times: ArrayLike | None = None) -> IrrOutcomes:
    """Return the rate of each row, NaN where it has none, and beside it the `IrrOutcome` that says why.

    Arguments as in `irr`. `IrrOutcome(code).reason` puts a code in words.

    >>> rows = [[-100.0, 110.0, 0.0], [-100.0, 230.0, -132.0], [1.0, 1.0, 1.0]]
    >>> [IrrOutcome(code).name for code in irr_outcomes(rows).outcome]
    ['ONE', 'SEVERAL', 'ONE_SIGN']
    """
    table, when = _merged(np.asarray(flows, dtype=np.float64), times)
    lead, n = table.shape[:-1], table.shape[-1]
    if table.size == n:
        row = table.reshape(n).tolist()
        rate, outcome = single_row(row, None if when is None else when.reshape(-1).tolist())
        return IrrOutcomes(np.full(lead, rate), np.full(lead, outcome, dtype=np.int8))
    rows = table.reshape(-1, n)
    rate_rows = np.full(rows.shape[0], np.nan)
    outcomes = np.zeros(rows.shape[0], dtype=np.int8)
    if when is not None and when.ndim > 1:
        when = np.broadcast_to(when, table.shape).reshape(-1, n)
    if when is None and n > 1 and rows.shape[0] >= _FAST_FROM:
        rest = _in_chunks(rows, rate_rows)
    else:
        rest = np.arange(rows.shape[0])
    if rest.size:
        here = when if when is None or when.ndim == 1 else when[rest]
        rate_rows[rest], outcomes[rest] = _pooled(rows[rest], here)
    return IrrOutcomes(rate_rows.reshape(lead), outcomes.reshape(lead))


def all_rates(flows: ArrayLike, *, times: ArrayLike | None = None) -> tuple[list[float], list[float]]:
    """Every real rate above -100 % at which one row of flows is worth nothing: (crossing, touching).

    Args as in `irr`, one row. Crossing: the present value changes sign there; touching: it does not.

    >>> crossing, touching = all_rates([-100.0, 230.0, -132.0])
    >>> [round(rate, 9) for rate in crossing], touching
    ([0.1, 0.2], [])
    """
    row, when = _merged(np.asarray(flows, dtype=np.float64).reshape(1, -1), times)
    if not np.isfinite(row).all():
        return [], []
    found = roots.solve_rows(row, when)
    with np.errstate(over="ignore"):
        rates = np.expm1(-found.x) + 0.0
    inside = np.isfinite(rates) & (rates > -1)
    order = np.argsort(rates)
    return (
        [float(rates[k]) for k in order if inside[k] and not found.touches[k]],
        [float(rates[k]) for k in order if inside[k] and found.touches[k]],
    )


def _merged(table: Floats, times: ArrayLike | None) -> tuple[Floats, Floats | None]:
    """Flows of one time added up; times apart for each row are taken as they are."""
    if times is None:
        return table, None
    when = np.asarray(times, dtype=np.float64)
    if when.ndim > 1 or not (np.diff(when) == 0).any():
        return table, when
    once, place = np.unique(when, return_inverse=True)
    starts = np.flatnonzero(np.append([True], np.diff(place) > 0))
    return np.asarray(np.add.reduceat(table, starts, axis=-1)), once


def _pooled(rows: Floats, times: Floats | None) -> tuple[Floats, NDArray[np.int8]]:
    """Any rows: every root found, then the outcome read off."""
    rate = np.full(rows.shape[0], np.nan)
    outcome = np.full(rows.shape[0], IrrOutcome.NONE, dtype=np.int8)
    finite = np.isfinite(rows).all(axis=1)
    one_sign = finite & ~((rows > 0).any(axis=1) & (rows < 0).any(axis=1))
    work = np.flatnonzero(finite & ~one_sign)
    # Flows so far apart that no number holds their ratio: the smaller vanish beside the largest.
    scaled = rows[work] / roots.power_of_two(rows[work])[:, None]
    apart = work[~((scaled > 0).any(axis=1) & (scaled < 0).any(axis=1))]
    found = roots.solve_rows(rows[work], times if times is None or times.ndim == 1 else times[work])
    with np.errstate(over="ignore"):
        at = np.expm1(-found.x) + 0.0
    edge = ~np.isfinite(at) | (at <= -1)
    row = work[found.row]
    crossing = np.bincount(row[~found.touches & ~edge], minlength=rows.shape[0])
    touching = np.bincount(row[found.touches & ~edge], minlength=rows.shape[0])
    at_edge = np.bincount(row[edge], minlength=rows.shape[0])
    outcome[at_edge > 0] = IrrOutcome.EDGE
    outcome[apart] = IrrOutcome.EDGE
    outcome[touching > 0] = IrrOutcome.TOUCHES
    outcome[crossing == 1] = IrrOutcome.ONE
    outcome[crossing + touching > 1] = IrrOutcome.SEVERAL
    outcome[one_sign] = IrrOutcome.ONE_SIGN
    outcome[~finite] = IrrOutcome.UNDEFINED
    chosen = ~found.touches & ~edge & (outcome[row] == IrrOutcome.ONE)
    rate[row[chosen]] = at[chosen]
    return rate, outcome


# One row, in plain floats: an array call costs more than the arithmetic of a short row.


def single_row(row: list[float], times: list[float] | None = None) -> tuple[float, IrrOutcome]:
    """(rate, outcome) of one row given as plain floats; arguments and meaning as in `irr_outcomes`.

    >>> single_row([-100.0, 110.0])[1].name
    'ONE'
    """
    largest = max(map(abs, row), default=0.0)
    if not all(map(isfinite, row)):
        return float("nan"), IrrOutcome.UNDEFINED
    if row and not (row[0] and row[-1]):  # idle ends say nothing, and would only stretch the scale
        begin = next((k for k, flow in enumerate(row) if flow), 0)
        end = next((k for k in range(len(row), 0, -1) if row[k - 1]), 0)
        row, times = row[begin:end], None if times is None else times[begin:end]
    changes, last = 0, 0.0
    for flow in row:
        if flow:
            if last and (flow > 0) != (last > 0):
                changes += 1
            last = flow
    if changes == 0:
        return float("nan"), IrrOutcome.ONE_SIGN
    if changes == 1:
        x = _newton_periodic(row, largest) if times is None else None
        if x is not None:
            rate = expm1(-x) if x > -700 else float("inf")
            if isfinite(rate) and rate > -1:
                return rate, IrrOutcome.ONE
    rates, outcomes = _pooled(np.array([row]), None if times is None else np.array(times))
    return float(rates[0]), IrrOutcome(int(outcomes[0]))


def _newton_periodic(row: list[float], largest: float) -> float | None:
    """Newton on log(in / out) from a start at the mean times; None when it strays."""
    total_in = total_out = moment_in = moment_out = 0.0
    for k, flow in enumerate(row):
        if flow > 0:
            total_in += flow
            moment_in += k * flow
        else:
            total_out -= flow
            moment_out -= k * flow
    ratio = total_in / total_out
    if not 1e-300 < ratio < 1e300:
        return None
    x = -log(ratio) / (moment_in / total_in - moment_out / total_out)
    floor = 1e-300 * largest
    backward = row[::-1]
    for _ in range(12):
        if not -3.0 < x < 3.0 or len(row) * abs(x) > 600:
            return None
        v = exp(x)
        total = slope = outflow = outflow_slope = 0.0
        for flow in backward:
            slope = slope * v + total
            total = total * v + flow
            outflow_slope = outflow_slope * v + outflow
            outflow *= v
            if flow < 0:
                outflow -= flow
        inflow = total + outflow
        if inflow <= floor or outflow <= floor or not 1e-300 < inflow / outflow < 1e300:
            return None
        # log(inflow / outflow) without losing digits near the root.
        away = log1p(total / outflow) if total > -0.5 * outflow else log(inflow / outflow)
        step = away / (v * ((slope + outflow_slope) / inflow - outflow_slope / outflow))
        x -= step
        if abs(step) <= 1e-9 * max(abs(x), 1e-3):
            return x if abs(x) > _TINY else None
    return None


# Many periodic rows, chunk by chunk.


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


def _in_chunks(rows: Floats, rate: Floats) -> NDArray[np.intp]:
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
    solved = suited & inside & (np.abs(correction) * (n - 1) <= _CLOSE) & (np.abs(answer) > _TINY)
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

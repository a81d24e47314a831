"""One row in plain floats: an array call costs more than the arithmetic of a short row."""

from __future__ import annotations

from math import exp, expm1, isfinite, log, log1p

import numpy as np

from pennyweight.core.irr.any_rows import any_rows
from pennyweight.core.irr.balances import never_turns
from pennyweight.core.irr.outcome import IrrOutcome

__all__ = ["TINY", "one_row"]

TINY = 1e-5
"""Nearer to a rate of zero, log(1 + rate) needs the more careful method for its last digits."""


def one_row(row: list[float], times: list[float] | None = None) -> tuple[float, IrrOutcome]:
    """(rate, outcome) of one row given as plain floats; arguments and meaning as in `irr_outcomes`.

    >>> one_row([-100.0, 110.0])[1].name
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
    if times is None:
        x = _newton_periodic(row, largest)
        if x is not None and (changes == 1 or never_turns(row, x)):
            rate = expm1(-x) if x > -700 else float("inf")
            if isfinite(rate) and rate > -1:
                return rate, IrrOutcome.ONE
    rates, outcomes = any_rows(np.array([row]), None if times is None else np.array(times))
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
    apart = moment_in / total_in - moment_out / total_out
    if not apart:
        return None
    x = -log(ratio) / apart
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
            return x if abs(x) > TINY else None
    return None

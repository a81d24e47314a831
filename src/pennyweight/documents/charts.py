"""Charts of any cash flows, as data: their running total, and their worth against the rate."""

from __future__ import annotations

import numpy as np

from pennyweight.array_kinds import Floats
from pennyweight.core import flows as core
from pennyweight.core.irr import find_rates as irr
from pennyweight.documents.chart_kinds import FlowsChart, RateChart
from pennyweight.quantities.units import Style

__all__ = ["flows_chart", "rate_chart"]


def flows_chart(
    flows: Floats,
    times: Floats,
    style: Style,
    *,
    money: str = "flow",
    spread: bool = True,
    time_title: str = "Years from the start",
) -> FlowsChart:
    """Bars, running total and payback point; the title says when it is paid back."""
    payback = float(core.payback(flows, times=times, spread=spread))
    span = float(times[-1] - times[0])
    if np.isfinite(payback):
        title = f"Paid back after {payback:.2f} years"
    else:
        left = style.with_unit(float(flows.sum()), "money")
        title = f"Not paid back in {span:.2f} years: {left} at the end"
    return FlowsChart(
        "flows",
        title,
        times,
        flows,
        np.cumsum(flows),
        payback if np.isfinite(payback) else None,
        time_title,
        f"{style.currency}, {money}".strip(", "),
        spread,
    )


def rate_chart(flows: Floats, times: Floats, style: Style, *, asked: float | None = None) -> RateChart:
    """Present value over a span of rates that holds every zero within reach and the rate asked for."""
    if flows.size > 5_000:  # a rate each for every day, not for every flow
        times, place = np.unique(times, return_inverse=True)
        flows = np.bincount(place, weights=flows).astype(np.float64)
    crossing, touching = irr.all_rates(flows, times=times)
    zeros = sorted([*crossing, *touching])
    marks = [rate for rate in (*zeros, asked or 0.0) if -0.9 < rate < 5]
    low, high = min(0.0, *marks, 0.0), max(0.2, *marks, 0.0)
    margin = 0.25 * (high - low)
    rates = np.linspace(max(low - (margin if low < 0 else 0.0), -0.95), high + margin, 241)
    values = core.npv(flows, rates, times=times)
    worth = (
        ""
        if asked is None
        else f"Worth {style.with_unit(float(core.npv(flows, asked, times=times)), 'money')} at {asked:.2%}"
    )
    shown = ", ".join(f"{rate:.2%}" for rate in zeros)
    ends = f"zero at {shown}" if zeros else "never zero"
    title = f"{worth}; {ends}" if worth else f"Present value is {ends}"
    return RateChart("rates", title, rates, values, tuple(zeros), asked, style.headed("Net present value", "money"))

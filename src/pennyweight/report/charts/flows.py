"""Flows and their running total."""

from __future__ import annotations

from typing import TYPE_CHECKING, Literal

import numpy as np

from pennyweight.documents import FlowsChart
from pennyweight.documents.palette import BRASS, INK, OXIDE, PARCHMENT, VERDIGRIS
from pennyweight.report.charts.frame import frame, short

if TYPE_CHECKING:
    from matplotlib.axes import Axes

__all__ = ["draw_flows"]


def draw_flows(chart: FlowsChart, ax: Axes) -> Axes:
    """Flows as bars (money out hatched), the running total as a line, the payback point marked."""
    frame(ax, chart.title, chart.time_title, chart.money_title)
    span = float(chart.times[-1] - chart.times[0]) or 1.0
    gaps = np.diff(chart.times)
    usual = float(np.median(gaps)) if gaps.size else span
    width = 0.6 * usual if chart.spread else min(0.6 * usual, span / 25)
    inflow, outflow = np.maximum(chart.flows, 0), np.minimum(chart.flows, 0)
    ax.bar(chart.times, inflow, width, color=VERDIGRIS, label="in")
    ax.bar(chart.times, outflow, width, color=OXIDE, hatch="///", edgecolor=PARCHMENT, linewidth=0, label="out")
    steps: Literal["default", "steps-post"] = "default" if chart.spread else "steps-post"
    ax.plot(chart.times, chart.running, color=INK, linewidth=1.8, zorder=3, drawstyle=steps)
    ax.axhline(0, color=INK, linewidth=0.8)
    low, high = ax.get_ylim()
    ax.set_ylim(low - 0.04 * (high - low), high + 0.10 * (high - low))
    left, right = ax.get_xlim()
    ax.set_xlim(left, right + 0.02 * (right - left))
    box = {"facecolor": PARCHMENT, "edgecolor": "none", "alpha": 0.85, "pad": 1.5}
    end = float(chart.running[-1])
    ax.annotate(
        f"running total {short(end)}",
        (float(chart.times[-1]) - width / 2, end),
        xytext=(-4, 8),
        textcoords="offset points",
        ha="right",
        color=INK,
        bbox=box,
        zorder=5,
    )
    if chart.payback is not None:
        ax.plot([chart.payback], [0], marker="D", markersize=9, color=BRASS, zorder=4)
        # Where the total has just come up from below, the free side is to the right, unless the chart ends there.
        late = chart.payback > chart.times[0] + 0.85 * span
        ax.annotate(
            f"paid back: {chart.payback:.2f} years",
            (chart.payback, 0),
            xytext=(-12 if late else 10, -10),
            textcoords="offset points",
            ha="right" if late else "left",
            va="top",
            color=INK,
            bbox=box,
            zorder=5,
        )
    return ax

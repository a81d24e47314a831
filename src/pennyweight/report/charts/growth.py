"""What 100 has become."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from pennyweight.documents import GrowthChart
from pennyweight.documents.palette import BRASS, INK, OXIDE, PEWTER, VERDIGRIS
from pennyweight.report.charts.frame import frame

if TYPE_CHECKING:
    from matplotlib.axes import Axes

__all__ = ["draw_growth"]


def draw_growth(chart: GrowthChart, ax: Axes) -> Axes:
    """Growth of 100, the benchmark dashed beside it; triangles where money was put in (up) or taken out (down)."""
    frame(ax, chart.title, "Valuation date", "Growth of 100")
    days = chart.dates.astype(object)
    ax.plot(days, chart.growth, color=VERDIGRIS, linewidth=2.2, marker="o", markersize=4)
    ends = [("portfolio", chart.growth, VERDIGRIS)]
    if chart.benchmark is not None:
        ax.plot(days, chart.benchmark, color=PEWTER, linewidth=1.8, linestyle="--")
        ends.append(("benchmark", chart.benchmark, INK))
    top = max(float(row[-1]) for _, row, _ in ends)
    for name, row, color in ends:
        above = float(row[-1]) == top
        ax.annotate(
            f"{name} {row[-1]:.1f}",
            (days[-1], float(row[-1])),
            xytext=(8, 4 if above else -4),
            textcoords="offset points",
            va="bottom" if above else "top",
            color=color,
        )
    axis = chart.dates.astype(np.int64).astype(np.float64)
    for day, amount in zip(chart.flow_dates, chart.flows, strict=True):
        height = float(np.interp(float(day.astype(np.int64)), axis, chart.growth))
        mark, color = ("^", BRASS) if amount > 0 else ("v", OXIDE)
        ax.plot([day.astype(object)], [height], marker=mark, color=color, markersize=11, zorder=4)
    left, right = ax.get_xlim()
    ticks = [tick for tick in ax.get_xticks() if left <= tick <= right]
    ax.set_xlim(left, right + 0.16 * (right - left))
    ax.set_xticks(ticks)
    ax.set_xticklabels([np.datetime64(int(tick), "D").astype(object).strftime("%b %Y") for tick in ticks])
    if chart.flows.size:
        ax.set_xlabel("Valuation date\n▲ put in, ▼ taken out")
    return ax

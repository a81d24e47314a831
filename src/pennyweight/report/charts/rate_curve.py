"""The present value over the rate."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from pennyweight.documents import RateChart
from pennyweight.documents.palette import BRASS, INK, OXIDE, PEWTER, VERDIGRIS
from pennyweight.report.charts.frame import frame

if TYPE_CHECKING:
    from matplotlib.axes import Axes

__all__ = ["draw_rates"]


def draw_rates(chart: RateChart, ax: Axes) -> Axes:
    """Present value against the rate; zeros as diamonds, the rate asked for as a dashed line."""
    from matplotlib.ticker import PercentFormatter

    frame(ax, chart.title, "Yearly rate, effective", chart.money_title)
    ax.xaxis.set_major_formatter(PercentFormatter(1.0, decimals=0))
    positive = chart.values >= 0
    ax.plot(chart.rates, np.where(positive, chart.values, np.nan), color=VERDIGRIS, linewidth=2)
    ax.plot(chart.rates, np.where(~positive, chart.values, np.nan), color=OXIDE, linewidth=2, linestyle=(0, (4, 1)))
    ax.axhline(0, color=INK, linewidth=0.8)
    shown = [zero for zero in chart.zeros if chart.rates[0] <= zero <= chart.rates[-1]]
    for zero in shown:
        ax.plot([zero], [0], marker="D", markersize=9, color=BRASS, zorder=4)
        ax.annotate(f"{zero:.2%}", (zero, 0), xytext=(7, 9), textcoords="offset points", color=INK, fontweight="bold")
    if chart.asked is not None:
        ax.axvline(chart.asked, color=PEWTER, linestyle="--", linewidth=1.4)
        ax.annotate(
            f"asked {chart.asked:.2%}",
            (chart.asked, 0.96),
            xycoords=("data", "axes fraction"),
            xytext=(6, 0),
            textcoords="offset points",
            color=INK,
            va="top",
        )
    return ax

"""Interest and principal by year."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from pennyweight.documents import SplitChart
from pennyweight.documents.palette import INK, OXIDE, PARCHMENT, VERDIGRIS
from pennyweight.report.charts.frame import drawable, frame

if TYPE_CHECKING:
    from matplotlib.axes import Axes

__all__ = ["draw_split"]


def draw_split(chart: SplitChart, ax: Axes) -> Axes:
    """A bar a year: principal below, interest (hatched) on top."""
    from matplotlib.ticker import MaxNLocator

    frame(ax, chart.title, chart.time_title, chart.money_title)
    ax.xaxis.set_major_locator(MaxNLocator(integer=True))
    ax.bar(chart.years, chart.principal, 0.7, color=VERDIGRIS)
    ax.bar(
        chart.years,
        chart.interest,
        0.7,
        bottom=np.maximum(chart.principal, 0),
        color=OXIDE,
        hatch="///",
        edgecolor=PARCHMENT,
        linewidth=0,
    )
    ax.axhline(0, color=INK, linewidth=0.8)
    ax.set_xlabel(f"{drawable(chart.time_title)}\nplain: principal, extra payments too; hatched: interest")
    return ax

"""What each part adds to a total: a bar from where the parts before it end, the total below."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from pennyweight.documents import StepsChart
from pennyweight.documents.palette import BRASS, INK, PARCHMENT, PEWTER
from pennyweight.report.charts.frame import drawable, frame, plain_ticks, short, short_lines, side_style

if TYPE_CHECKING:
    from matplotlib.axes import Axes

__all__ = ["draw_steps"]


def draw_steps(chart: StepsChart, ax: Axes) -> Axes:
    """A bar a part, its amount beside it; what takes away is hatched, the total has a color of its own."""
    frame(ax, chart.title, chart.money_title, "Step by step" if chart.opens else "Line by line")
    ax.grid(visible=False, axis="y")
    ax.grid(axis="x", color=PEWTER, alpha=0.25, linewidth=0.6)
    values = [value for _, value in chart.parts]
    ends = np.cumsum(values)
    starts = np.concatenate([[0.0], ends[:-1]])
    places = np.arange(len(values) + 1)
    for place, start, value in zip(places, starts, values, strict=False):
        color, hatch = side_style(chart.good, value)
        if chart.opens and place == 0:
            color, hatch = BRASS, ""
        ax.barh(place, value, left=start, color=color, hatch=hatch, edgecolor=PARCHMENT, linewidth=0, height=0.72)
        ax.plot([start + value] * 2, [place - 0.36, place + 1.36], color=PEWTER, linewidth=0.8, zorder=1)
    ax.barh(places[-1], chart.total, color=BRASS, height=0.72)
    reach = [*starts, *ends, chart.total, 0.0]
    if chart.opens:  # the ends lie far from nothing, the steps between them are what is looked at
        reach = [*ends, *starts[1:], chart.total]
    low, high = min(reach), max(reach)
    if chart.opens:
        near = max(high, 0.0) - min(low, 0.0) <= 4 * (high - low)
        low, high = (min(low, 0.0), max(high, 0.0)) if near else (low - 0.6 * (high - low), high)
    room = 0.16 * (high - low or 1.0)
    ax.set_xlim(low - room, high + room)
    tops = [*zip(starts, values, strict=True), (0.0, chart.total)]
    for place, (start, value) in zip(places, tops, strict=True):
        gains = value >= 0
        plain = place == places[-1] or (chart.opens and place == 0)
        ax.annotate(
            f"{'+' if gains and not plain else ''}{f'{value * 100:,.2f}%' if chart.percent else short(value)}",
            (start + value, place),
            xytext=(4 if gains else -4, 0),
            textcoords="offset points",
            ha="left" if gains else "right",
            va="center",
            fontsize=9,
            color=INK,
            bbox={"facecolor": PARCHMENT, "edgecolor": "none", "alpha": 0.85, "pad": 1},
        )
    names = [short_lines(drawable(label), 30, 2) for label in (*(label for label, _ in chart.parts), chart.total_label)]
    ax.set_yticks(places, names, fontsize=9)
    ax.invert_yaxis()
    ax.axvline(0, color=INK, linewidth=0.8)
    if chart.percent:
        from matplotlib.ticker import PercentFormatter

        ax.xaxis.set_major_formatter(PercentFormatter(1.0))
    else:
        plain_ticks(ax.xaxis)
    return ax

"""How far a figure swings as inputs move one at a time: a bar an input, the largest on top."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from pennyweight.documents import SwingsChart
from pennyweight.documents.palette import BRASS, INK, PARCHMENT, PEWTER
from pennyweight.report.charts.frame import drawable, frame, plain_ticks, short_lines, side_style

if TYPE_CHECKING:
    from matplotlib.axes import Axes

__all__ = ["draw_swings"]


def draw_swings(chart: SwingsChart, ax: Axes) -> Axes:
    """From the figure as it stands to where each end of an input brings it; what is worse (or less) is hatched."""
    from matplotlib.ticker import PercentFormatter

    frame(ax, chart.title, chart.x_title, "")
    ax.grid(visible=False, axis="y")
    ax.grid(axis="x", color=PEWTER, alpha=0.25, linewidth=0.6)
    ends = np.array([[low, high] for _, low, high, _, _ in chart.swings], dtype=np.float64)
    known = ends[np.isfinite(ends)]
    reach = np.concatenate([known, [chart.base]])
    room = 0.2 * (float(np.ptp(reach)) or 1.0)
    ax.set_xlim(float(reach.min()) - room, float(reach.max()) + room)
    for place, (_, low, high, at_low, at_high) in enumerate(chart.swings):
        sides = [(low, at_low), (high, at_high)]
        alike = np.sign(low - chart.base) == np.sign(high - chart.base) != 0
        for number, (end, words) in enumerate(sides):
            if not np.isfinite(end):
                words, end = f"{words}: undefined", chart.base
            width = end - chart.base
            color, hatch = side_style(chart.good, width)
            # Where both ends lie on one side, each has half of the bar's height.
            height, at = (0.36, place + (number - 0.5) * 0.36) if alike else (0.72, place)
            ax.barh(
                at, width, left=chart.base, color=color, hatch=hatch, edgecolor=PARCHMENT, linewidth=0, height=height
            )
            left = width < 0 or (width == 0 and number == 0)
            ax.annotate(
                drawable(words),
                (end, at),
                xytext=(-4 if left else 4, 0),
                textcoords="offset points",
                ha="right" if left else "left",
                va="center",
                fontsize=8,
                color=INK,
                bbox={"facecolor": PARCHMENT, "edgecolor": "none", "alpha": 0.8, "pad": 1},
            )
    names = [short_lines(drawable(one[0]), 34, 2) for one in chart.swings]
    ax.set_yticks(range(len(names)), names, fontsize=9)
    ax.invert_yaxis()
    ax.axvline(chart.base, color=BRASS, linewidth=2)
    if chart.bound is not None:
        label, asked = chart.bound
        ax.axvline(asked, color=PEWTER, linestyle="--", linewidth=1.6)
        ax.annotate(
            short_lines(drawable(label), 40, 1),
            (asked, 0.0),
            xycoords=("data", "axes fraction"),
            xytext=(4, 4),
            textcoords="offset points",
            fontsize=9,
            color=INK,
            bbox={"facecolor": PARCHMENT, "edgecolor": "none", "alpha": 0.8, "pad": 1},
        )
    if chart.x_kind == "percent":
        ax.xaxis.set_major_formatter(PercentFormatter(1.0))
    else:
        plain_ticks(ax.xaxis)
    return ax

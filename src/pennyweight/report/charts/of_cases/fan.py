"""How a line spreads over time: bands of percentiles about the middle."""

from __future__ import annotations

from typing import TYPE_CHECKING

from pennyweight.documents import FanChart
from pennyweight.documents.palette import INK, PARCHMENT, VERDIGRIS
from pennyweight.report.charts.frame import drawable, frame, plain_ticks

if TYPE_CHECKING:
    from matplotlib.axes import Axes

__all__ = ["draw_fan"]

_SHADES = ((0.28, "///"), (0.6, ""))


def draw_fan(chart: FanChart, ax: Axes) -> Axes:
    """The bands, the widest palest and hatched, the line in the middle over them."""
    from matplotlib.lines import Line2D
    from matplotlib.patches import Patch
    from matplotlib.ticker import PercentFormatter

    frame(ax, chart.title, chart.x_title, chart.y_title)
    if chart.percent:
        ax.yaxis.set_major_formatter(PercentFormatter(1.0))
    handles: list[Patch | Line2D] = []
    for (label, low, high), (shade, hatch) in zip(chart.bands, _SHADES, strict=False):
        ax.fill_between(
            chart.x, low, high, facecolor=VERDIGRIS, alpha=shade, hatch=hatch, edgecolor=PARCHMENT, linewidth=0
        )
        handles.append(Patch(facecolor=VERDIGRIS, alpha=shade, hatch=hatch, edgecolor=PARCHMENT, label=drawable(label)))
    label, middle = chart.middle
    ax.plot(chart.x, middle, color=INK, linewidth=2.2, zorder=3)
    handles.append(Line2D([], [], color=INK, linewidth=2.2, label=drawable(label)))
    bottom, top = ax.get_ylim()
    if bottom < 0 < top:
        ax.axhline(0, color=INK, linewidth=0.8)
    plain_ticks(ax.xaxis)
    ax.legend(
        handles=handles,
        loc="upper left",
        bbox_to_anchor=(1.01, 1.0),
        frameon=False,
        labelcolor=INK,
        handleheight=1.4,
        fontsize=9,
    )
    return ax

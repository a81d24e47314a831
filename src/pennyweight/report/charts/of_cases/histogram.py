"""In which share of the cases a figure lies where, what is asked and the deal as it stands marked."""

from __future__ import annotations

from typing import TYPE_CHECKING

from pennyweight.documents import HistogramChart
from pennyweight.documents.palette import BRASS, INK, OXIDE, PARCHMENT, PEWTER, VERDIGRIS
from pennyweight.report.charts.frame import drawable, frame, plain_ticks, short_lines

if TYPE_CHECKING:
    from matplotlib.axes import Axes

__all__ = ["draw_histogram"]


def draw_histogram(chart: HistogramChart, ax: Axes) -> Axes:
    """A bar a class; what misses is hatched, what is asked a dashed upright, the deal as it stands a dotted one."""
    from matplotlib.patches import Patch
    from matplotlib.ticker import PercentFormatter

    frame(ax, chart.title, chart.x_title, "Of all cases")
    for here, color, hatch in ((~chart.missed, VERDIGRIS, ""), (chart.missed, OXIDE, "///")):
        if here.any():
            left, width = chart.edges[:-1][here], (chart.edges[1:] - chart.edges[:-1])[here]
            ax.bar(
                left,
                chart.shares[here],
                width,
                align="edge",
                color=color,
                hatch=hatch,
                edgecolor=PARCHMENT,
                linewidth=0.6,
            )
    ax.yaxis.set_major_formatter(PercentFormatter(1.0, decimals=0 if chart.shares.max(initial=0) > 0.05 else 1))
    if chart.x_kind == "percent":
        ax.xaxis.set_major_formatter(PercentFormatter(1.0))
    else:
        plain_ticks(ax.xaxis)
    ax.set_ylim(0, 1.18 * float(chart.shares.max(initial=0.01)))
    marks = [(*chart.bound, PEWTER, "--")] if chart.bound is not None else []
    marks += [("as it stands", chart.base, BRASS, ":")] if chart.base is not None else []
    for number, (label, at, color, dash) in enumerate(marks):
        ax.axvline(at, color=color, linestyle=dash, linewidth=2, zorder=4)
        ax.annotate(
            short_lines(drawable(label), 40, 2),
            (at, 0.985 - 0.055 * number),
            xycoords=("data", "axes fraction"),
            xytext=(5, 0),
            textcoords="offset points",
            va="top",
            color=INK,
            fontsize=9,
            zorder=5,
            bbox={"facecolor": PARCHMENT, "edgecolor": "none", "alpha": 0.8, "pad": 1},
        )
    if chart.missed.any() and not chart.missed.all():
        handles = [
            Patch(facecolor=VERDIGRIS, edgecolor=PARCHMENT, label="does what is asked"),
            Patch(facecolor=OXIDE, hatch="///", edgecolor=PARCHMENT, label="misses it"),
        ]
        ax.legend(
            handles=handles, loc="upper left", bbox_to_anchor=(1.01, 1.0), frameon=False, labelcolor=INK, fontsize=9
        )
    return ax

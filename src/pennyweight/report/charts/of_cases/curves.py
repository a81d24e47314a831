"""Lines through pairs of two inputs, and single cases marked beside them."""

from __future__ import annotations

from typing import TYPE_CHECKING

from pennyweight.documents import CurvesChart
from pennyweight.documents.palette import BRASS, INK, OXIDE, PARCHMENT, VERDIGRIS
from pennyweight.report.charts.frame import drawable, frame, plain_ticks, short_lines

if TYPE_CHECKING:
    from matplotlib.axes import Axes
    from matplotlib.axis import Axis

__all__ = ["draw_curves"]

_STYLES = ((VERDIGRIS, "-"), (OXIDE, "--"), (BRASS, "-."), (INK, ":"))


def draw_curves(chart: CurvesChart, ax: Axes) -> Axes:
    """Each line with a dash of its own; cases as marked points with their names."""
    frame(ax, chart.title, chart.x_title, chart.y_title)
    for number, (label, x, y) in enumerate(chart.lines):
        color, dash = _STYLES[number % len(_STYLES)]
        alone = "o" if x.size == 1 else ""
        ax.plot(x, y, color=color, linestyle=dash, marker=alone, linewidth=2.2, zorder=3, label=drawable(label))
    for label, at, up in chart.points:
        ax.plot([at], [up], marker="D", color=BRASS, markeredgecolor=INK, markersize=7, zorder=5, linestyle="none")
        ax.annotate(
            short_lines(drawable(label), 34, 2),
            (at, up),
            xytext=(8, 6),
            textcoords="offset points",
            fontsize=9,
            color=INK,
            zorder=6,
            bbox={"facecolor": PARCHMENT, "edgecolor": "none", "alpha": 0.8, "pad": 1},
        )
    _ticks(ax.xaxis, chart.x_kind)
    _ticks(ax.yaxis, chart.y_kind)
    if len(chart.lines) > 1:
        ax.legend(loc="upper left", bbox_to_anchor=(1.01, 1.0), frameon=False, labelcolor=INK, fontsize=9)
    ax.margins(x=0.08, y=0.12)
    return ax


def _ticks(axis: Axis, kind: str) -> None:
    from matplotlib.ticker import PercentFormatter

    if kind == "percent":
        axis.set_major_formatter(PercentFormatter(1.0))
    elif kind == "number":
        plain_ticks(axis)
    else:
        from matplotlib.dates import AutoDateLocator, DateFormatter

        axis.set_major_locator(AutoDateLocator(minticks=4, maxticks=9))  # type: ignore[no-untyped-call]
        axis.set_major_formatter(DateFormatter("%Y-%m"))  # type: ignore[no-untyped-call]

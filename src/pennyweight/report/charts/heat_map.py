"""A measure over two inputs."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from pennyweight.documents import HeatMap
from pennyweight.documents.palette import BRASS, INK, OXIDE, PARCHMENT, PEWTER, VERDIGRIS
from pennyweight.report.charts.frame import drawable, frame

if TYPE_CHECKING:
    from matplotlib.axes import Axes

__all__ = ["draw_heat_map"]


def draw_heat_map(chart: HeatMap, ax: Axes) -> Axes:
    """Values as a grid of colored cells with their figures, and the line where the verdict turns."""
    from matplotlib.colors import LinearSegmentedColormap, TwoSlopeNorm

    rows, columns = chart.values.shape
    known = chart.values[np.isfinite(chart.values)]
    low, high = (float(known.min()), float(known.max())) if known.size else (-1.0, 1.0)
    scale = {"high": [OXIDE, PARCHMENT, VERDIGRIS], "low": [VERDIGRIS, PARCHMENT, OXIDE], "": [PARCHMENT, PEWTER]}
    colors = LinearSegmentedColormap.from_list("house", scale[chart.good])
    if chart.good and chart.turn is not None and low < chart.turn < high:
        norm = TwoSlopeNorm(chart.turn, low, high)
    else:
        middle = (low + high) / 2
        norm = TwoSlopeNorm(middle, min(low, middle - 1e-12), max(high, middle + 1e-12))
    frame(ax, chart.title, chart.x_title, chart.y_title)
    ax.grid(False)
    ax.imshow(chart.values, cmap=colors, norm=norm, aspect="auto", alpha=0.75)
    ax.set_xticks(range(columns), [drawable(text) for text in chart.x])
    ax.set_yticks(range(rows), [drawable(text) for text in chart.y])
    ax.tick_params(length=0)
    if rows * columns <= 150:
        size = 10 if columns <= 8 else 8
        for i in range(rows):
            for j in range(columns):
                mark = "" if chart.passes is None else ("" if chart.passes[i, j] else "✗ ")
                ax.text(j, i, drawable(mark + chart.cells[i][j]), ha="center", va="center", fontsize=size, color=INK)
    if chart.passes is not None:
        _turning_line(chart.passes, ax)
    if chart.base is not None:
        from matplotlib.patches import Rectangle

        i, j = chart.base
        ax.add_patch(Rectangle((j - 0.46, i - 0.46), 0.92, 0.92, fill=False, edgecolor=BRASS, linewidth=2.2))
    parts = [] if chart.passes is None else ["heavy line: where the verdict turns; ✗ does not pay off"]
    parts += [] if chart.good else ["darker: more"]
    parts += ["framed: as it stands"] if chart.base is not None else []
    if parts:
        ax.set_xlabel(f"{drawable(chart.x_title)}\n{'; '.join(parts)}")
    return ax


def _turning_line(passes: NDArray[np.bool_], ax: Axes) -> None:
    rows, columns = passes.shape
    for i in range(rows):
        for j in range(columns):
            if j + 1 < columns and passes[i, j] != passes[i, j + 1]:
                ax.plot([j + 0.5, j + 0.5], [i - 0.5, i + 0.5], color=INK, linewidth=3, solid_capstyle="round")
            if i + 1 < rows and passes[i, j] != passes[i + 1, j]:
                ax.plot([j - 0.5, j + 0.5], [i + 0.5, i + 0.5], color=INK, linewidth=3, solid_capstyle="round")

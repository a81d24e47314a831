"""Any lines over time or over an input: as lines, areas on one another, or bars side by side."""

from __future__ import annotations

from textwrap import wrap
from typing import TYPE_CHECKING, Any

import numpy as np

from pennyweight.documents import LinesChart
from pennyweight.documents.palette import BRASS, INK, OXIDE, PARCHMENT, PEWTER, VERDIGRIS
from pennyweight.report.charts.frame import drawable, frame, plain_ticks, short_lines

if TYPE_CHECKING:
    from matplotlib.axes import Axes

__all__ = ["draw_lines"]

_STYLES: list[tuple[str, Any, str]] = [
    (VERDIGRIS, "-", ""),
    (BRASS, (0, (6, 2)), "///"),
    (INK, (0, (1, 1.4)), ".."),
    (OXIDE, (0, (6, 2, 1, 2)), "\\\\\\"),
    (PEWTER, (0, (3, 1)), "xx"),
    (VERDIGRIS, (0, (1, 3)), "--"),
    (BRASS, (0, (1, 2)), "++"),
    (INK, (0, (9, 3)), "oo"),
]
"""Color, dash and hatch of each line: never the color alone."""


def draw_lines(chart: LinesChart, ax: Axes) -> Axes:
    """Each line with its name at its end; a target dashed across, answers marked by uprights."""
    frame(ax, chart.title, chart.x_title, chart.y_title, chart.about)
    if chart.percent:
        from matplotlib.ticker import PercentFormatter

        ax.yaxis.set_major_formatter(PercentFormatter(1.0))
    if chart.x_words:
        room = max(8, 72 // len(chart.x_words))
        words = ["\n".join(wrap(drawable(word), room)) for word in chart.x_words]
        ax.set_xticks(range(len(words)), words, fontsize=9)
    elif chart.x_kind == "days":
        from matplotlib.dates import AutoDateLocator, DateFormatter

        said = "%Y-%m" if np.ptp(chart.x) > 200 else "%Y-%m-%d"
        ax.xaxis.set_major_locator(AutoDateLocator(minticks=4, maxticks=9))  # type: ignore[no-untyped-call]
        ax.xaxis.set_major_formatter(DateFormatter(said))  # type: ignore[no-untyped-call]
    elif chart.x_kind == "percent":
        from matplotlib.ticker import PercentFormatter

        ax.xaxis.set_major_formatter(PercentFormatter(1.0))
    elif chart.x.size and (chart.x == np.round(chart.x)).all() and np.ptp(chart.x) < 400:
        from matplotlib.ticker import MaxNLocator

        ax.xaxis.set_major_locator(MaxNLocator(integer=True))
    elif chart.x.size:
        plain_ticks(ax.xaxis)
    if chart.kind == "area":
        _areas(chart, ax)
    elif chart.kind == "bars" or chart.x_words:
        _bars(chart, ax)
    else:
        for number, (_, values) in enumerate(chart.lines):
            color, dash, _ = _STYLES[number % len(_STYLES)]
            alone = "o" if np.isfinite(values).sum() == 1 else ""  # a line of one point is no line
            ax.plot(chart.x, values, color=color, linestyle=dash, marker=alone, linewidth=2.2, zorder=3)
    if any((np.asarray(values)[np.isfinite(values)] < 0).any() for _, values in chart.lines):
        ax.axhline(0, color=INK, linewidth=0.8)
    for label, value in chart.targets:
        ax.axhline(value, color=PEWTER, linestyle="--", linewidth=1.6, zorder=4)
        beside = chart.kind == "bars" or bool(chart.x_words)  # bars would stand under it
        right = not beside and _farther_at_the_end(chart, value)
        across, up = (1.005, 0) if beside else (0.99 if right else 0.01, 4)
        ax.annotate(
            short_lines(drawable(label), 60, 2),
            (across, value),
            xycoords=("axes fraction", "data"),
            xytext=(0, up),
            color=INK,
            textcoords="offset points",
            va="center" if beside else "bottom",
            fontsize=9,
            zorder=5,
            ha="right" if right else "left",
            bbox={"facecolor": PARCHMENT, "edgecolor": "none", "alpha": 0.8, "pad": 1},
        )
    for number, (label, place) in enumerate(chart.marks):
        ax.axvline(place, color=BRASS, linestyle=":", linewidth=2)
        ax.annotate(
            short_lines(drawable(label), 40, 3),
            (place, 0.98 - 0.05 * (number % 16)),
            xycoords=("data", "axes fraction"),
            xytext=(5, 0),
            textcoords="offset points",
            va="top",
            color=INK,
            fontsize=9,
            zorder=5,
            bbox={"facecolor": PARCHMENT, "edgecolor": "none", "alpha": 0.8, "pad": 1},
        )
    if len(chart.lines) > 1:
        _legend(chart, ax)
    return ax


def _farther_at_the_end(chart: LinesChart, value: float) -> bool:
    """Whether the lines leave more room around a value at their end than at their beginning."""
    ends = []
    for part in (slice(None, max(len(chart.x) // 4, 1)), slice(-max(len(chart.x) // 4, 1), None)):
        near = np.concatenate([np.asarray(values)[part] for _, values in chart.lines])
        near = near[np.isfinite(near)]
        ends.append(float(np.abs(near - value).min()) if near.size else np.inf)
    return ends[1] > ends[0]


def _areas(chart: LinesChart, ax: Axes) -> None:
    """Areas on one another; below zero they would lie over each other, so then lines are drawn."""
    below = np.zeros(chart.x.size)
    for number, (_, values) in enumerate(chart.lines):
        color, _, hatch = _STYLES[number % len(_STYLES)]
        top = below + np.nan_to_num(values)
        ax.fill_between(chart.x, below, top, facecolor=color, alpha=0.75, hatch=hatch, edgecolor=PARCHMENT, linewidth=0)
        below = top


def _bars(chart: LinesChart, ax: Axes) -> None:
    count = len(chart.lines)
    places = np.arange(len(chart.x_words), dtype=np.float64) if chart.x_words else chart.x
    gap = float(np.diff(places).min()) if places.size > 1 else 1.0
    width = 0.8 * gap / count
    for number, (_, values) in enumerate(chart.lines):
        color, _, hatch = _STYLES[number % len(_STYLES)]
        at = places + (number - (count - 1) / 2) * width
        below = np.asarray(values) < 0 if count == 1 else np.zeros(at.size, dtype=np.bool_)
        for part, tone, marks in (
            (~below, color, hatch),
            (below, OXIDE, "///"),
        ):  # alone, what is below zero is told apart
            ax.bar(at[part], np.asarray(values)[part], width, color=tone, hatch=marks, edgecolor=PARCHMENT, linewidth=0)


def _legend(chart: LinesChart, ax: Axes) -> None:
    """The names of the lines beside their dash or hatch, in the order in which they lie at the right edge."""
    from matplotlib.lines import Line2D
    from matplotlib.patches import Patch

    entries: list[Any] = []
    for number, (label, _) in enumerate(chart.lines):
        color, dash, hatch = _STYLES[number % len(_STYLES)]
        filled = chart.kind in ("area", "bars") or chart.x_words
        if filled:
            entries.append(
                Patch(facecolor=color, hatch=hatch, edgecolor=PARCHMENT, label=short_lines(drawable(label), 26, 3))
            )
        else:
            entries.append(
                Line2D([], [], color=color, linestyle=dash, linewidth=2.2, label=short_lines(drawable(label), 26, 3))
            )
    legend = ax.legend(
        handles=entries[::-1] if chart.kind == "area" else entries,
        loc="upper left",
        bbox_to_anchor=(1.01, 1.0),
        frameon=False,
        labelcolor=INK,
        handlelength=2.6,
        handleheight=1.6 if chart.kind == "area" else 0.7,  # hatches are told apart in a patch high enough
        fontsize=9,
    )
    legend.set_in_layout(True)

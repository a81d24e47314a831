"""What all charts share: frame and axes, figures in few characters, letters the font has."""

from __future__ import annotations

from functools import lru_cache
from textwrap import wrap
from typing import TYPE_CHECKING

import numpy as np

from pennyweight.documents.chart_kinds import Good
from pennyweight.documents.palette import INK, OXIDE, PARCHMENT, PEWTER, TEXT, VERDIGRIS

if TYPE_CHECKING:
    from matplotlib.axes import Axes
    from matplotlib.axis import Axis

__all__ = ["drawable", "frame", "plain_ticks", "short", "short_lines", "side_style"]

_TITLE = 7.6
"""Characters of a title on an inch."""
_LARGE = ((1e13, 1e12, " tn"), (1e10, 1e9, " bn"), (1e7, 1e6, " mn"))
"""From where on amounts along an axis are written in millions, billions and trillions."""


def side_style(good: Good, difference: float) -> tuple[str, str]:
    """Color and hatch of a difference for better or for worse; of one that is neither, of more or less."""
    more = difference >= 0
    if not good:
        return PEWTER, "" if more else "///"
    return (VERDIGRIS, "") if more == (good == "high") else (OXIDE, "///")


def frame(ax: Axes, title: str, x_title: str, y_title: str, about: str = "") -> None:
    """Title and what it is about, axes, grid and spines, the same on every chart."""
    ax.set_facecolor(PARCHMENT)
    title, x_title, y_title = map(drawable, (title, x_title, y_title))
    made = ax.get_figure(root=True)
    lines = short_lines(title, round(_TITLE * (made.get_figwidth() if made is not None else 10.0)), 3)
    size = 14 if "\n" not in lines else 12
    ax.set_title(lines, loc="left", color=INK, fontsize=size, pad=28 if about else 14)
    if about:
        small = short_lines(drawable(about), 110, 1)
        ax.annotate(small, (0, 1), (0, 10), "axes fraction", "offset points", color=TEXT["comparison"], fontsize=10)
    ax.set_xlabel(x_title, color=INK)
    ax.set_ylabel(y_title, color=INK)
    ax.tick_params(colors=INK)
    for side in ("top", "right"):
        ax.spines[side].set_visible(False)
    for side in ("left", "bottom"):
        ax.spines[side].set_color(PEWTER)
    ax.grid(axis="y", color=PEWTER, alpha=0.25, linewidth=0.6)
    ax.set_axisbelow(True)
    plain_ticks(ax.yaxis)


def plain_ticks(axis: Axis) -> None:
    """Numbers along an axis, all with the same decimals: as many as the closest of them need."""
    from matplotlib.ticker import FuncFormatter

    def written(value: float, _: object) -> str:
        places = np.asarray(axis.get_majorticklocs(), dtype=np.float64)
        largest = float(np.abs(places).max(initial=0.0))
        unit, word = next(((size, said) for least, size, said in _LARGE if largest >= least), (1.0, ""))
        places, value = places / unit, value / unit
        step = float(np.diff(places).min()) if places.size > 1 else 1.0
        gaps = ((d, np.abs(places - np.round(places, d)).max()) for d in range(7))
        decimals = next((d for d, gap in gaps if gap <= 1e-4 * step), 2)
        return f"{round(value, decimals) + 0.0:,.{decimals}f}{word if value else ''}"

    axis.set_major_formatter(FuncFormatter(written))


def short_lines(text: str, width: int, most: int) -> str:
    """A text in lines of a width, no more than `most`; what is left out is marked.

    >>> short_lines("Income of the fund after tax", 12, 2)
    'Income of\\nthe fund…'
    """
    lines = wrap(text, max(width, 8)) or [""]
    if len(lines) > most:
        lines = [*lines[: most - 1], f"{lines[most - 1][: max(width, 8) - 1].rstrip()}…"]
    return "\n".join(lines)


def drawable(text: str) -> str:
    """The text as it can be drawn: dollar signs are no formulas, signs the font lacks become a square."""
    known = _letters()
    drawn = "".join(mark if ord(mark) in known or mark == "\n" else "□" for mark in text)
    return drawn.replace("$", r"\$")


def short(value: float) -> str:
    """An amount for the edge of a chart: no decimals from 10 on."""
    return f"{value + 0.0:,.0f}" if abs(value) >= 10 or value == 0 else f"{value:,.2f}"


@lru_cache(maxsize=1)
def _letters() -> frozenset[int]:
    """The signs the charts' font can draw."""
    from matplotlib.font_manager import FontProperties, findfont, get_font

    return frozenset(get_font(findfont(FontProperties())).get_charmap())

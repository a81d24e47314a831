"""The one seam through which a result reaches the floor that draws: found by its name, and only when asked for.

Nothing below that floor imports it, so that a result costs no Matplotlib before somebody wants to see it.
"""

from __future__ import annotations

from collections.abc import Mapping
from importlib import import_module
from typing import Any

from pennyweight.documents.chart_kinds import Chart
from pennyweight.documents.model import Document

__all__ = ["draw", "notebook_page"]


def draw(chart: Chart, ax: Any, style: Mapping[str, Any] | None = None) -> Any:
    """Draw a chart on an axes, or on one of a new figure, its lines and bars in another style."""
    drawn: Any = import_module("pennyweight.report.charts.figure")
    if ax is None:
        ax = drawn.figure(chart).axes[0]
        return drawn.styled(ax, (), style or {})
    there = drawn.artists(ax)
    return drawn.styled(drawn.draw(chart, ax), there, style or {})


def notebook_page(document: Document) -> str:
    """The document as one element that may stand in a notebook."""
    layout: Any = import_module("pennyweight.report.layouts.notebook")
    shown: str = layout.fragment(document)
    return shown

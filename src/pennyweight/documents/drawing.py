"""The one seam through which a result reaches the floor that draws: found by its name, and only when asked for.

Nothing below that floor imports it, so that a result costs no Matplotlib before somebody wants to see it.
"""

from __future__ import annotations

import datetime as dt
from collections.abc import Mapping
from importlib import import_module
from pathlib import Path
from typing import Any

from pennyweight.documents.chart_kinds import Chart
from pennyweight.documents.model import Document
from pennyweight.errors import InputError
from pennyweight.plain_text import listed
from pennyweight.reading.embedded_files import REPORT_ENDINGS

__all__ = ["draw", "notebook_page", "write_file"]


def draw(chart: Chart, ax: Any, style: Mapping[str, Any] | None = None) -> Any:
    """Draw a chart on an axes, or on one of a new figure, its lines and bars in another style."""
    drawn: Any = import_module("pennyweight.report.charts.figure")
    if ax is None:
        ax = drawn.figure(chart).axes[0]
        return drawn.styled(ax, (), style or {})
    there = drawn.artists(ax)
    return drawn.styled(drawn.draw(chart, ax), there, style or {})


def write_file(result: Any, path: Path, *, title: str, prepared_by: str, dated: dt.date | None, replace: bool) -> None:
    """Write a result to a file in the form of its ending."""
    files: Any = import_module("pennyweight.report.files")
    cover: Any = import_module("pennyweight.report.cover")
    words = {"title": title, "prepared_by": prepared_by, "dated": dated}
    ending = files.check_ending(path)
    given = next((name for name, value in words.items() if value), None)
    if given is not None and ending not in REPORT_ENDINGS:
        raise InputError(f"{given} stands on page one of a report ({listed(REPORT_ENDINGS)}); leave it out.", at=given)
    page = result.document()
    files.check_drawable(path, page)
    header = ""
    if path.suffix.lower() == ".csv":
        header = import_module("pennyweight.report.forms.csv_form").as_csv(result).partition("\n")[0]
    files.check_target(path, read=(), force=replace, header=header, allowed_by="say replace=True")
    files.write(result, path, document=page, cover=cover.Cover(title=title, prepared_by=prepared_by, dated=dated))


def notebook_page(document: Document) -> str:
    """The document as one element that may stand in a notebook."""
    layout: Any = import_module("pennyweight.report.layouts.notebook")
    shown: str = layout.fragment(document)
    return shown

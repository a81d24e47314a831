"""The main table of a result as CSV, for sheets."""

from __future__ import annotations

import math
from typing import Any

from pennyweight.report.forms.form import Form, Result, Written

__all__ = ["FORM", "as_csv"]


def as_csv(result: Result) -> str:
    """The result's main table as CSV; a text that a sheet would take for a formula is marked as a text."""
    frame = getattr(result, "table", None)
    frame = result.frame if frame is None else frame
    kept = frame.reset_index() if frame.index.name is not None else frame
    kept = kept.rename(columns=_as_text).map(_plain_cell)
    return str(kept.to_csv(index=False, lineterminator="\n"))


def _as_text(name: object) -> str:
    return str(_plain_cell(str(name)))


def _plain_cell(value: Any) -> Any:
    """A cell as a sheet will take it: no formula, no infinity, no -0.0."""
    if isinstance(value, str):
        formula = value[:1] in ("=", "+", "-", "@", "\t", "\r") and not _is_number(value)
        return f"'{value}" if formula else value
    if isinstance(value, float):
        return value + 0.0 if math.isfinite(value) else None
    return value


def _is_number(text: str) -> bool:
    try:
        float(text)
    except ValueError:
        return text == "-"
    return True


def _render(written: Written) -> bytes:
    return written.table.encode()


def _is_ours(lines: list[str], header: str) -> bool:
    return bool(header) and lines[0] == header


FORM = Form(".csv", _render, _is_ours, streams=True)

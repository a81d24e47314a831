"""The main table of a result as CSV, for sheets."""

from __future__ import annotations

import csv
import io
import math
from typing import TYPE_CHECKING, Any

import numpy as np

from pennyweight.plain_text import no_formula
from pennyweight.report.forms.form import Form, Written, shortened

__all__ = ["FORM", "as_csv", "frame_as_csv"]

if TYPE_CHECKING:
    import pandas as pd

_ROWS = 50_000
"""So many rows are made into text at a time."""


def as_csv(result: Any) -> str:
    """The result's main table as CSV; a text that a sheet would take for a formula is marked as a text."""
    return frame_as_csv(result._for_csv())


def frame_as_csv(frame: pd.DataFrame) -> str:
    """A frame as CSV, likewise."""
    kept = frame.reset_index() if frame.index.name is not None else frame
    if len({_as_text(name) for name in kept.columns}) < kept.shape[1]:  # two columns of one name
        kept = kept.rename(columns=_as_text).map(_plain_cell)
        return str(kept.to_csv(index=False, lineterminator="\n"))
    raw = io.BytesIO()
    written = io.TextIOWrapper(raw, encoding="utf-8", newline="")  # a quarter of what a text in the making takes
    to = csv.writer(written, lineterminator="\n")
    to.writerow([_as_text(name) for name in kept.columns])
    for start in range(0, len(kept), _ROWS):
        part = kept.iloc[start : start + _ROWS]
        to.writerows(zip(*(_plain_column(part.iloc[:, place]) for place in range(part.shape[1])), strict=True))
    written.flush()
    return raw.getvalue().decode()


def _plain_column(column: Any) -> list[Any]:
    """A column as a sheet will take it, all at once where it holds numbers."""
    if column.dtype.kind == "f":
        return list(_shown_floats(column.to_numpy()))
    if column.dtype.kind in "iub":
        if column.hasnans:  # whole numbers among which some are missing
            return [None if missing else value for value, missing in zip(column.tolist(), column.isna(), strict=True)]
        return list(column.to_numpy().tolist())
    if column.dtype.kind == "M":
        days = column.astype("datetime64[s]")
        whole = (days == days.dt.normalize()).all()
        return list(np.datetime_as_string(days.to_numpy(), unit="D" if whole else "s"))
    known: dict[Any, Any] = {}
    found = []
    for value in column.to_numpy(dtype=object).tolist():
        try:
            if value not in known:
                known[value] = _plain_cell(value)
            found.append(known[value])
        except TypeError:  # what cannot be a key
            found.append(_plain_cell(value))
    return found


def _shown_floats(values: Any) -> Any:
    """Floats as texts of twelve digits (six decimals of large ones); nothing for what is not finite."""
    once, place = np.unique(values, return_inverse=True)
    if once.size * 4 < values.size:
        return _shown_floats(once)[place.reshape(-1)]
    known = np.isfinite(values)
    kept = np.where(known, values, 0.0) + 0.0
    texts = np.char.mod("%.12g", kept).astype(object)
    for k in np.flatnonzero(np.abs(kept) >= 1e6):
        texts[k] = repr(shortened(float(kept[k])))
    whole = [text if any(mark in text for mark in ".e") else f"{text}.0" for text in texts]
    found = np.array(whole, dtype=object)
    found[~known] = None
    return found


def _as_text(name: object) -> str:
    return str(_plain_cell(str(name)))


def _plain_cell(value: Any) -> Any:
    """A cell as a sheet will take it: no formula, no infinity, no -0.0."""
    if isinstance(value, str):
        return no_formula(value)
    if isinstance(value, float):
        return shortened(value) if math.isfinite(value) else None
    return value


def _render(written: Written) -> bytes:
    return written.table.encode()


def _is_ours(lines: list[str], header: str) -> bool:
    return bool(header) and lines[0] == header


FORM = Form(".csv", _render, _is_ours, streams=True)

"""A result written to a file, whose ending picks the form; whole or not at all."""

from __future__ import annotations

import json
import os
import tempfile
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, Any, Protocol

from pennyweight.documents import Chart, Document
from pennyweight.errors import InputError

if TYPE_CHECKING:
    import pandas as pd

__all__ = ["ENDINGS", "Result", "as_csv", "as_json", "write"]

ENDINGS = (".csv", ".html", ".json", ".png", ".svg", ".txt")
"""The endings an output file can have."""


class Result(Protocol):
    """What every analysis returns."""

    @property
    def frame(self) -> pd.DataFrame: ...
    def as_dict(self) -> dict[str, Any]: ...
    def document(self) -> Document: ...


def as_json(result: Result) -> str:
    """The result as JSON with stable keys; never NaN."""
    return json.dumps(result.as_dict(), indent=2, ensure_ascii=False, allow_nan=False) + "\n"


def as_csv(result: Result) -> str:
    """The result's main table as CSV."""
    frame = result.frame
    named = frame.index.name is not None
    return str(frame.to_csv(index=named, lineterminator="\n"))


def write(result: Result, path: Path, *, document: Document | None = None) -> None:
    """Write a result; InputError when the ending is unknown, there is no chart, or the place cannot be written."""
    ending = check_ending(path)
    page = document or result.document()
    if ending == ".json":
        _replace(path, as_json(result).encode())
    elif ending == ".csv":
        _replace(path, as_csv(result).encode())
    elif ending == ".txt":
        from pennyweight.documents import text

        _replace(path, (text.render(page) + "\n").encode())
    elif ending == ".html":
        _replace(path, _page(page).encode())
    else:
        check_drawable(path, page)
        write_charts(page.charts, path)


def check_ending(path: Path) -> str:
    """The ending, in small letters; InputError when nothing can be written with it."""
    ending = path.suffix.lower()
    if ending not in ENDINGS:
        raise InputError(f"{path}: the ending says what to write; it can be {', '.join(ENDINGS)}.")
    if not path.parent.is_dir():
        raise InputError(f"{path}: there is no folder {path.parent}.")
    return ending


def check_drawable(path: Path, document: Document) -> None:
    """InputError when a picture is asked for and the result has no chart."""
    if path.suffix.lower() in (".png", ".svg") and not document.charts:
        raise InputError(f"{path}: there is nothing to draw here; choose .json, .csv, .html or .txt.")


def write_charts(charts: tuple[Chart, ...], path: Path) -> None:
    """Write all charts of a result as one picture, one below the other."""
    from pennyweight.report.charts import figure

    made = figure(*charts)
    form = path.suffix.lower().lstrip(".")

    def save(target: Path) -> None:
        # Without a date the same figures give the same file.
        made.savefig(target, format=form, metadata={"Date": None} if form == "svg" else None)

    _replace_with(path, save)


def _page(document: Document) -> str:
    from html import escape
    from io import StringIO

    from matplotlib import rc_context

    from pennyweight.documents import html
    from pennyweight.report.charts import figure

    pictures = []
    for chart in document.charts:
        buffer = StringIO()
        with rc_context({"svg.hashsalt": "pennyweight"}):
            figure(chart).savefig(buffer, format="svg", metadata={"Date": None})
        pictures.append(f"<figure>{buffer.getvalue()[buffer.getvalue().index('<svg') :]}</figure>")
    style = (
        "body{margin:2rem auto;max-width:72rem;background:#F6F1E7}svg{max-width:100%;height:auto}"
        "td,th{padding:.1rem .8rem .1rem 0}figure{margin:1rem 0}"
    )
    return (
        f'<!doctype html><html lang="en"><meta charset="utf-8"><title>{escape(document.title)}</title>'
        f"<style>{style}</style><body>{html.render(document)}{''.join(pictures)}</body></html>\n"
    )


def _replace(path: Path, content: bytes) -> None:
    def save(target: Path) -> None:
        target.write_bytes(content)

    _replace_with(path, save)


def _replace_with(path: Path, save: Callable[[Path], None]) -> None:
    """Write beside the place and move it there, so that nobody ever finds half a file."""
    try:
        handle, name = tempfile.mkstemp(dir=path.parent, prefix=".pennyweight-", suffix=path.suffix)
        os.close(handle)
        beside = Path(name)
        try:
            save(beside)
            beside.chmod(0o644)
            beside.replace(path)
        finally:
            beside.unlink(missing_ok=True)
    except OSError as error:
        raise InputError(f"{path} cannot be written: {error.strerror}.") from None

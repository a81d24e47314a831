"""A result written to a file, whose ending picks the form; whole or not at all, and never over somebody else's file."""

from __future__ import annotations

import json
import math
import os
import secrets
import stat
from collections.abc import Callable, Collection
from pathlib import Path
from typing import TYPE_CHECKING, Any, Protocol

from pennyweight.documents import Chart, Document
from pennyweight.documents.palette import PARCHMENT
from pennyweight.errors import InputError, Place

if TYPE_CHECKING:
    import pandas as pd

__all__ = ["ENDINGS", "Result", "as_csv", "as_json", "check_target", "plain_values", "write"]

ENDINGS = (".csv", ".html", ".json", ".png", ".svg", ".txt")
"""The endings an output file can have."""

_MAKER = "Pennyweight"


class Result(Protocol):
    """What every analysis returns."""

    @property
    def frame(self) -> pd.DataFrame: ...
    def as_dict(self) -> dict[str, Any]: ...
    def document(self) -> Document: ...


def as_json(result: Result) -> str:
    """The result as JSON with stable keys; a number that is not finite is null."""
    text = json.dumps(plain_values(result.as_dict()), indent=2, ensure_ascii=False, allow_nan=False) + "\n"
    if text.replace("\n", "").isprintable():
        return text
    # A label may turn the reading direction around or clear a screen; JSON has an escape for each such sign.
    return "".join(mark if mark in "\n" or mark.isprintable() else json.dumps(mark)[1:-1] for mark in text)


def plain_values(value: Any) -> Any:
    """Nested values as JSON can hold them: no NaN, no infinity, no -0.0.

    >>> plain_values({"a": [float("nan"), -0.0, 1.5]})
    {'a': [None, 0.0, 1.5]}
    """
    if isinstance(value, dict):
        return {key: plain_values(one) for key, one in value.items()}
    if isinstance(value, list | tuple):
        return [plain_values(one) for one in value]
    if isinstance(value, float):
        return float(value) + 0.0 if math.isfinite(value) else None
    return value


def as_csv(result: Result) -> str:
    """The result's main table as CSV; a text that a sheet would take for a formula is marked as a text."""
    frame = getattr(result, "table", None)
    frame = result.frame if frame is None else frame
    kept = frame.reset_index() if frame.index.name is not None else frame
    kept = kept.rename(columns=_as_text).map(_plain_cell)
    return str(kept.to_csv(index=False, lineterminator="\n"))


def write(result: Result, path: Path, *, document: Document | None = None, table: str | None = None) -> None:
    """Write a result; InputError when the ending is unknown, there is no chart, or the place cannot be written.

    Whether a file that is there already may be replaced is `check_target`'s to say.
    """
    ending = check_ending(path)
    page = document or result.document()
    if ending == ".json":
        _replace(path, as_json(result).encode())
    elif ending == ".csv":
        _replace(path, (as_csv(result) if table is None else table).encode())
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
        raise InputError(
            f"{path}: the ending says what to write; it can be {', '.join(ENDINGS)}.", at=Place.of_file(path)
        )
    try:
        if not path.parent.is_dir():
            raise InputError(f"{path}: there is no folder {path.parent}.", at=Place.of_file(path))
    except OSError as error:
        raise InputError(f"{path} cannot be written: {error.strerror}.", at=Place.of_file(path)) from None
    return ending


def check_target(path: Path, *, read: Collection[Path], force: bool, header: str = "") -> None:
    """Refuse to write over a file that was read in this run, or that is none of ours unless `force`.

    Ours is a file of the same kind that Pennyweight has written: JSON, HTML and pictures say so themselves, a text has
    our heading, a CSV the same first line (`header`). An empty file may always be filled.
    """
    try:
        found = path.stat()
    except FileNotFoundError:
        return
    except (OSError, ValueError) as error:
        raise InputError(
            f"{path} cannot be written: {getattr(error, 'strerror', None) or 'not a name'}.",
            at=Place.of_file(path),
        ) from None
    if not stat.S_ISREG(found.st_mode):
        raise InputError(f"{path} is not an ordinary file; choose another name.", at=Place.of_file(path))
    if path.resolve() in read:
        raise InputError(f"{path} is read in this run and would be lost; choose another name.", at=Place.of_file(path))
    if found.st_size and not force and not _is_ours(path, header):
        raise InputError(
            f"{path} is there already, and Pennyweight has not written it; choose another name, or add --force.",
            at=Place.of_file(path),
        )


def _is_ours(path: Path, header: str) -> bool:
    try:
        with path.open("rb") as handle:
            head = handle.read(4_096)
    except OSError as error:
        raise InputError(f"{path} cannot be read: {error.strerror}.", at=Place.of_file(path)) from None
    text = head.decode("utf-8", errors="replace")
    lines = [*text.split("\n"), ""]
    match path.suffix.lower():
        case ".json":
            return text.startswith('{\n  "format": 1')
        case ".csv":
            return bool(header) and lines[0] == header
        case ".txt":
            return len(lines) > 2 and set(lines[1]) == {"="} and len(lines[1]) == len(lines[0])
        case _:
            return _MAKER in text


def check_drawable(path: Path, document: Document) -> None:
    """InputError when a picture is asked for and the result has no chart."""
    if path.suffix.lower() in (".png", ".svg") and not document.charts:
        raise InputError(
            f"{path}: there is nothing to draw here; choose .json, .csv, .html or .txt.", at=Place.of_file(path)
        )


def write_charts(charts: tuple[Chart, ...], path: Path) -> None:
    """Write all charts of a result as one picture, one below the other; the same figures give the same file."""
    form = path.suffix.lower().lstrip(".")
    _replace_with(path, lambda target: _save(charts, target, form))


def _save(charts: tuple[Chart, ...], target: Any, form: str) -> None:
    from matplotlib import rc_context

    from pennyweight.report.charts import figure

    marks = {"Creator": _MAKER, "Date": None} if form == "svg" else {"Software": _MAKER}
    with rc_context({"svg.hashsalt": "pennyweight"}):
        figure(*charts).savefig(target, format=form, metadata=marks)


def _page(document: Document) -> str:
    from html import escape
    from io import StringIO

    from pennyweight.documents import html

    pictures = []
    for chart in document.charts:
        buffer = StringIO()
        _save((chart,), buffer, "svg")
        pictures.append(f"<figure>{buffer.getvalue()[buffer.getvalue().index('<svg') :]}</figure>")
    style = (
        f"body{{margin:2rem auto;max-width:72rem;background:{PARCHMENT}}}"
        "svg{max-width:100%;height:auto}"
        "td,th{padding:.1rem .8rem .1rem 0}figure{margin:1rem 0}"
    )
    return (
        f'<!doctype html><html lang="en"><meta charset="utf-8"><meta name="generator" content="{_MAKER}">'
        f"<title>{escape(document.title)}</title>"
        f"<style>{style}</style><body>{html.render(document)}{''.join(pictures)}</body></html>\n"
    )


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


def _replace(path: Path, content: bytes) -> None:
    _replace_with(path, lambda target: target.write_bytes(content))


def _replace_with(path: Path, save: Callable[[Path], object]) -> None:
    """Write beside the place and move it there, so that nobody ever finds half a file.

    A link is followed to what it points at; an existing file keeps its permissions, and its other names when it has
    any.
    """
    try:
        target = path.resolve()
        beside = target.with_name(f".pennyweight-{secrets.token_hex(6)}{target.suffix}")
        try:
            with beside.open("xb"):  # made here, so that its permissions follow the user's habits
                pass
            save(beside)
            found = target.stat() if target.exists() else None
            if found is not None and found.st_nlink > 1:
                target.write_bytes(beside.read_bytes())
                return
            if found is not None:
                beside.chmod(stat.S_IMODE(found.st_mode))
            os.replace(beside, target)
        finally:
            beside.unlink(missing_ok=True)
    except OSError as error:
        raise InputError(f"{path} cannot be written: {error.strerror}.", at=Place.of_file(path)) from None

"""A result written to a file, whose ending picks the form; whole or not at all, and never over somebody else's file."""

from __future__ import annotations

import stat
from collections.abc import Collection
from pathlib import Path

from pennyweight.documents import Document
from pennyweight.errors import InputError, Place
from pennyweight.reading.embedded_files import REPORT_ENDINGS, check_carried
from pennyweight.reading.whole_files import replace_with
from pennyweight.report.cover import Cover
from pennyweight.report.forms import csv_form
from pennyweight.report.forms.csv_form import as_csv
from pennyweight.report.forms.form import Result, Written
from pennyweight.report.forms.registry import FORMS

__all__ = ["check_drawable", "check_ending", "check_target", "replace_with", "write"]


def write(
    result: Result,
    path: Path,
    *,
    document: Document | None = None,
    table: str | None = None,
    cover: Cover | None = None,
) -> None:
    """Write a result; InputError when the ending is unknown, there is no chart, or the place cannot be written.

    Whether a file that is there already may be replaced is `check_target`'s to say.
    """
    form = FORMS[check_ending(path)]
    page = document or result.document()
    check_drawable(path, page)
    if table is None:
        table = as_csv(result) if form is csv_form.FORM else ""
    made = cover or Cover()
    content = form.render(Written(result, page, table, made))

    def save(target: Path) -> None:
        target.write_bytes(content)
        if made.carried.files and path.suffix.lower() in REPORT_ENDINGS:
            check_carried(target, made.carried, path)

    replace_with(path, save)


def check_ending(path: Path) -> str:
    """The ending, in small letters; InputError when nothing can be written with it."""
    ending = path.suffix.lower()
    if ending not in FORMS:
        raise InputError(f"{path}: unknown file extension; use one of {', '.join(FORMS)}.", at=Place.of_file(path))
    try:
        if not path.parent.is_dir():
            raise InputError(f"{path}: there is no folder {path.parent}.", at=Place.of_file(path))
        path.resolve()
    except RuntimeError:  # a link that leads to itself
        raise InputError(
            f"{path} is a link that leads to itself; choose another name.", at=Place.of_file(path)
        ) from None
    except OSError as error:
        raise InputError(f"{path} cannot be written: {error.strerror}.", at=Place.of_file(path)) from None
    return ending


def check_target(
    path: Path, *, read: Collection[Path], force: bool, header: str = "", allowed_by: str = "add --force"
) -> None:
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
            f"{path} is there already, and Pennyweight has not written it; choose another name, or {allowed_by}.",
            at=Place.of_file(path),
        )


def _is_ours(path: Path, header: str) -> bool:
    form = FORMS[path.suffix.lower()]
    try:
        if form.knows is not None:
            return form.knows(path)
        with path.open("rb") as handle:
            head = handle.read(4_096)
    except OSError as error:
        raise InputError(f"{path} cannot be read: {error.strerror}.", at=Place.of_file(path)) from None
    lines = head.decode("utf-8", errors="replace").split("\n")
    return form.is_ours(lines, header)


def check_drawable(path: Path, document: Document) -> None:
    """InputError when a picture is asked for and the result has no chart."""
    if FORMS[path.suffix.lower()].draws and not document.charts:
        others = [ending for ending, form in FORMS.items() if not form.draws]
        raise InputError(f"{path}: there is nothing to draw here; choose {', '.join(others)}.", at=Place.of_file(path))

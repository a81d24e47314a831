"""The files that a report carries: the deal with its series, put in and taken out again. They are data, nothing runs.

A page carries them as JSON in a script element of no program, a PDF as attachments, a workbook as sheets of lines.
"""

from __future__ import annotations

import json
import re
import tempfile
from base64 import b64decode
from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from dataclasses import dataclass, field
from pathlib import Path

from pennyweight.errors import InputError, Place
from pennyweight.reading.text_files import BINARY, LARGEST_TABLE, check_file, note_read, read_text
from pennyweight.reading.workbook_files import refuse_swelling

__all__ = ["CARRIED_ID", "FILE_SHEET", "REPORT_ENDINGS", "Carried", "as_script", "unpacked"]

CARRIED_ID = "pennyweight-carried"
"""The id of the element of a page, and the name of the list among the attachments of a PDF."""
FILE_SHEET = "File "
"""How the sheets begin that hold a file, a line a row."""
REPORT_ENDINGS = (".html", ".pdf", ".xlsx")
_MOST_FILES = 50
_NAME = re.compile(r"[^/\\:\x00-\x1f]{1,120}")


@dataclass(frozen=True, slots=True)
class Carried:
    """Files by their names, the main one first."""

    files: Mapping[str, str] = field(default_factory=dict)

    @property
    def main(self) -> str:
        """The name of the file that the others belong to."""
        return next(iter(self.files), "")


def as_script(carried: Carried) -> str:
    """The files as JSON that no page takes for markup."""
    text = json.dumps({"format": 1, "files": dict(carried.files)}, ensure_ascii=True)
    return text.replace("<", "\\u003c").replace(">", "\\u003e").replace("&", "\\u0026")


@contextmanager
def unpacked(path: Path) -> Iterator[Path]:
    """The file to read: `path` itself, or the main file of the report it is, put into a folder of its own for a while.

    InputError when a report carries no files, more or larger ones than are read, or names that lead elsewhere.
    """
    if path.suffix.lower() not in REPORT_ENDINGS:
        yield path
        return
    carried = _taken_out(path)
    with tempfile.TemporaryDirectory() as folder:
        for name, text in carried.files.items():
            if text.startswith(BINARY):
                Path(folder, name).write_bytes(_bytes_of(text, path))
            else:
                Path(folder, name).write_text(text, encoding="utf-8")
        yield Path(folder, carried.main)


def _bytes_of(text: str, path: Path) -> bytes:
    try:
        return b64decode(text.removeprefix(BINARY), validate=False)
    except ValueError:
        raise InputError(f"{path} carries a file that cannot be read.", at=Place.of_file(path)) from None


def _taken_out(path: Path) -> Carried:
    ending = path.suffix.lower()
    if ending == ".html":
        files = _of_page(read_text(path, largest=LARGEST_TABLE))
    else:
        check_file(path, str(path))
        try:
            files = _of_pdf(path) if ending == ".pdf" else _of_workbook(path)
        except InputError:
            raise
        except Exception as error:  # whatever a stranger's file makes of the library that opens it
            raise InputError(
                f"{path} cannot be opened as {ending[1:]} ({type(error).__name__}).", at=Place.of_file(path)
            ) from None
        note_read(path)
    if not files:
        raise InputError(
            f"{path} carries no deal; name the deal file, or a report that Pennyweight made of one.",
            at=Place.of_file(path),
        )
    bad = next((name for name in files if not _NAME.fullmatch(name) or name in (".", "..")), None)
    if bad is not None or len(files) > _MOST_FILES or sum(map(len, files.values())) > LARGEST_TABLE:
        raise InputError(
            f"{path} carries files that are not taken out: at most {_MOST_FILES}, plain names, 64 MB together.",
            at=Place.of_file(path),
        )
    return Carried(files)


_SCRIPT = re.compile(rf'<script type="application/json" id="{CARRIED_ID}">(.*?)</script>', re.DOTALL)


def _of_page(text: str) -> dict[str, str]:
    found = _SCRIPT.search(text)
    if not found:
        return {}
    try:
        files = json.loads(found[1]).get("files")
    except (ValueError, AttributeError, RecursionError):
        return {}
    return _texts(files)


def _texts(files: object) -> dict[str, str]:
    if not isinstance(files, dict) or not all(isinstance(text, str) for text in files.values()):
        return {}
    return {str(name): text for name, text in files.items()}


def _of_pdf(path: Path) -> dict[str, str]:
    from pypdf import PdfReader

    attached = {name: parts[0] for name, parts in PdfReader(path).attachments.items() if parts}
    if CARRIED_ID not in attached:
        return {}
    names = json.loads(attached[CARRIED_ID].decode("utf-8"))
    if not isinstance(names, list) or len(names) > _MOST_FILES:
        return {}
    return {str(name): attached[str(name)].decode("utf-8") for name in names}


def _of_workbook(path: Path) -> dict[str, str]:
    from openpyxl import load_workbook

    refuse_swelling(path, str(path))
    book = load_workbook(path, read_only=True, data_only=True)
    files = {}
    try:
        for name in book.sheetnames:
            if name.startswith(FILE_SHEET):
                rows = book[name].iter_rows(min_col=1, max_col=1, values_only=True)
                lines = ["" if value is None else str(value) for (value,) in rows]
                files[lines[0]] = "\n".join(lines[1:])
    finally:
        book.close()
    return files

"""Text files read with care: bounded before they are read, ordinary files only, and where they may lie."""

from __future__ import annotations

import stat
import warnings
from base64 import encodebytes
from collections.abc import Iterator
from contextlib import contextmanager
from contextvars import ContextVar
from pathlib import Path

from pennyweight.errors import InputError, Place, nearest

__all__ = [
    "BINARY",
    "LARGEST_TABLE",
    "FilesRead",
    "beside",
    "check_file",
    "files_read",
    "note_form",
    "note_read",
    "note_read_bytes",
    "note_remark",
    "read_text",
]


class FilesRead(dict[Path, str]):
    """The files that are read, links resolved, in their order, with their texts; `remarks` is what reading noticed."""

    def __init__(self) -> None:
        super().__init__()
        self.remarks: list[str] = []
        self.names: list[tuple[Path, str, Path]] = []

    def named_by(self, owner: Path) -> list[tuple[str, Path]]:
        """The files that another file names: by which path, relative to its folder, and where they are."""
        return [(name, path) for whose, name, path in self.names if whose == owner]


_READ: ContextVar[FilesRead | None] = ContextVar("files_read", default=None)
LARGEST_TABLE = 64 * 2**20
"""The most bytes of a table or a report that are read."""
_KEPT = 8 * 2**20
"""Texts up to so many characters are remembered, to be handed over with a report."""


def read_text(path: Path, *, largest: int, shown_as: str | None = None, other_encodings: bool = False) -> str:
    """Return the text of a file of `largest` bytes at most, line ends as one sign; InputError says what is wrong.

    With `other_encodings` what is no UTF-8 is read as code page 1252, or as 8859-15 where nothing but letters would
    differ, and that is told.
    """
    name = shown_as or str(path)
    check_file(path, name, largest)
    note_read(path)
    with _telling(path, name), path.open("rb") as handle:
        content = handle.read(largest + 1)
    if len(content) > largest:
        raise InputError(f"{name} is larger than {largest // 2**20} MB, the most that is read.", at=Place.of_file(name))
    wide = content.startswith((b"\xff\xfe", b"\xfe\xff"))
    try:
        text = content.decode("utf-16" if wide else "utf-8-sig")
    except UnicodeDecodeError:
        if wide or not other_encodings or b"\0" in content:
            known = "UTF-16" if wide else "UTF-8"
            raise InputError(f"{name} is not text in {known}; save it in UTF-8.", at=Place.of_file(name)) from None
        text = _western(content, name)
    if "\0" in text:
        raise InputError(f"{name} is not a text file: it holds null characters.", at=Place.of_file(name))
    text = text.replace("\r\n", "\n")
    note_read(path, text)
    return text


def _western(content: bytes, name: str) -> str:
    """A text of one byte a sign: code page 1252 has signs where 8859-15 has none."""
    pages = {"cp1252": "code page 1252", "iso8859-15": "ISO 8859-15"}
    page = "cp1252" if any(0x80 <= byte < 0xA0 for byte in content) else "iso8859-15"
    try:
        text = content.decode(page)
    except UnicodeDecodeError:
        page = "iso8859-15"
        text = content.decode(page)
    note_form(f"{name}: read as {pages[page]}, because it is not UTF-8.")
    return text


def check_file(path: Path, name: str, largest: int = LARGEST_TABLE) -> None:
    """Refuse what is no ordinary file of `largest` bytes at most, before anything of it is read."""
    with _telling(path, name):
        found = path.stat()
    if stat.S_ISDIR(found.st_mode):
        raise InputError(f"{name} is a folder; name the file in it.", at=Place.of_file(name))
    if not stat.S_ISREG(found.st_mode):
        raise InputError(f"{name} is not an ordinary file; name a file on a disk.", at=Place.of_file(name))
    if found.st_size > largest:
        raise InputError(f"{name} is larger than {largest // 2**20} MB, the most that is read.", at=Place.of_file(name))


@contextmanager
def _telling(path: Path, name: str) -> Iterator[None]:
    """What the system says of a file, as a sentence."""
    try:
        yield
    except FileNotFoundError:
        beside_it = [entry.name for entry in path.parent.glob(f"*{path.suffix}")] if path.parent.is_dir() else []
        own = [entry for entry in beside_it if entry in (f"{path.name}.toml", f"{path.name}.csv")]
        raise InputError(f"There is no file {name}{nearest(path.name, own or beside_it) or '.'}") from None
    except OSError as error:
        raise InputError(
            f"{name} cannot be read: {error.strerror or 'the system refuses it'}.", at=Place.of_file(name)
        ) from None
    except ValueError:  # a name with a null character
        raise InputError(f"'{name}' cannot be the name of a file.") from None


BINARY = "base64:\n"
"""How the text of a file begins that is none: its bytes, written in letters."""


def note_read_bytes(path: Path) -> None:
    """Remember a file that is no text; its bytes go along in letters."""
    content = path.read_bytes() if path.stat().st_size <= _KEPT // 2 else b""
    note_read(path, BINARY + encodebytes(content).decode() if content else "")


def note_read(path: Path, text: str = "") -> None:
    """Remember that a file is read, so that nobody writes over it, and its text when it is no giant."""
    if (noted := _READ.get()) is not None:
        noted[path.resolve()] = text if len(text) <= _KEPT else ""


def note_remark(remark: str) -> None:
    """Say what was left out of a file: beside the result of a command, as a warning in Python."""
    if (noted := _READ.get()) is not None:
        noted.remarks.append(remark)
    else:
        warnings.warn(remark, UserWarning, stacklevel=5)


def note_form(remark: str) -> None:
    """Say how a file was read, beside the result of a command."""
    if (noted := _READ.get()) is not None and remark not in noted.remarks:
        noted.remarks.append(remark)


@contextmanager
def files_read() -> Iterator[FilesRead]:
    """The files that are read inside, and what is to be said of them."""
    noted = FilesRead()
    token = _READ.set(noted)
    try:
        yield noted
    finally:
        _READ.reset(token)


def beside(owner: Path, file: str, where: str, *, what: str) -> Path:
    """Return the file named in another one, which must lie in its folder, links resolved; `what` names the owner."""
    folder = owner.resolve().parent
    try:
        path = (folder / file).resolve()
    except (ValueError, OSError, RuntimeError):
        raise InputError(f"{where}: '{file}' cannot be the name of a file.", at=where) from None
    if not path.is_relative_to(folder):
        raise InputError(f"{where}: '{file}' lies outside the folder of the {what}; put the file beside it.", at=where)
    try:
        found = path.is_file()
    except (ValueError, OSError):
        found = False
    if not found:
        raise InputError(f"{where}: there is no file '{file}' beside the {what}.", at=where)
    if (noted := _READ.get()) is not None:
        noted.names.append((owner.resolve(), file, path))
    return path

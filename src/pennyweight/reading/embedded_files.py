"""The files that a report carries: the deal with its series, put in and taken out again. They are data, nothing runs.

A page carries them as JSON in a script element of no program, a PDF as attachments, a workbook as sheets of lines.
"""

from __future__ import annotations

import copy
import json
import logging
import posixpath
import re
import tempfile
from base64 import b64decode
from collections.abc import Iterable, Iterator, Mapping
from contextlib import contextmanager
from dataclasses import dataclass, field
from pathlib import Path

from pennyweight.errors import InputError, PennyweightError, Place
from pennyweight.reading.text_files import BINARY, LARGEST_TABLE, FilesRead, check_file, note_read, read_text
from pennyweight.reading.workbook_files import refuse_swelling

__all__ = [
    "CARRIED_ID",
    "FILE_SHEET",
    "MADE_WITH",
    "REPORT_ENDINGS",
    "Carried",
    "MadeWith",
    "as_script",
    "check_carried",
    "made_with",
    "to_carry",
    "unpacked",
]

CARRIED_ID = "pennyweight-carried"
"""The id of the element of a page, and the name of the list among the attachments of a PDF."""
FILE_SHEET = "File "
"""How the sheets begin that hold a file, a line a row."""
REPORT_ENDINGS = (".html", ".pdf", ".xlsx")
_MOST_FILES = 50
_PART = re.compile(r"[^/\\:\x00-\x1f]{1,120}")
_LONGEST = 400
_UNPACKED = "pennyweight-report-"
"""How the folders begin into which reports are unpacked; their names go nowhere."""
_DEEPEST = 8


MADE_WITH = "made-with.json"
"""The file of a report that says with what it was made."""


@dataclass(frozen=True, slots=True)
class MadeWith:
    """The scenario of a report, and the values that were put in the place of inputs."""

    scenario: str
    inputs: Mapping[str, str]

    @property
    def told(self) -> str:
        """The same in words."""
        put_in = [f"{name} {value}" for name, value in self.inputs.items()]
        return ", ".join([f"scenario {self.scenario}", *put_in] if self.scenario != "base" else put_in)

    def as_text(self) -> str:
        """The same as it goes along."""
        return json.dumps({"scenario": self.scenario, "inputs": dict(self.inputs)}, ensure_ascii=False)


def made_with(file: Path) -> MadeWith | None:
    """With what the report was made whose main file this is; None where it was made of the deal as it stands."""
    path = file.parent / MADE_WITH
    if not file.parent.name.startswith(_UNPACKED) or not path.exists():
        return None
    try:
        said = json.loads(path.read_text(encoding="utf-8"))
        inputs = {str(name): str(value) for name, value in said["inputs"].items()}
        return MadeWith(str(said["scenario"]), inputs)
    except (ValueError, KeyError, TypeError, AttributeError):
        raise InputError(f"{MADE_WITH} of the report does not say with what it was made.") from None


@dataclass(frozen=True, slots=True)
class Carried:
    """Files by the paths under which the main one, the first, names them."""

    files: Mapping[str, str] = field(default_factory=dict)

    @property
    def main(self) -> str:
        """The name of the file that the others belong to."""
        return next(iter(self.files), "")


def to_carry(read: FilesRead) -> Carried:
    """The files that were read, under the paths by which the files that name them do so; a deal or loan file first.

    Files that several deals of different folders name stand in a folder for each. InputError for a name that no report
    can hold.
    """
    texts = {
        path: text
        for path, text in read.items()
        if text and (path.suffix.lower() not in REPORT_ENDINGS or text.startswith(BINARY))
    }
    owners = [path for path in texts if path.suffix.lower() == ".toml"]
    named: list[tuple[Path, str, Path]] = [(path.parent, path.name, path) for path in owners]
    named += [(owner.parent, name, path) for owner in owners for name, path in read.named_by(owner) if path in texts]
    told = {path for *_, path in named}
    named += [(path.parent, path.name, path) for path in texts if path not in told]
    labels = _labels(list(dict.fromkeys(folder for folder, *_ in named)))
    found: dict[str, Path] = {}
    for folder, name, path in named:
        key = posixpath.normpath(f"{labels[folder]}{name}")
        if not _can_carry(key):
            raise InputError(
                f"{name} cannot go along in a report: names of files in it have no : and no \\, and at most 120 "
                "characters; rename it.",
                at=Place.of_file(name),
            )
        if found.setdefault(key, path) != path:
            raise InputError(
                f"{name} is the name of two files, which cannot both go along; rename one.", at=Place.of_file(name)
            )
    return Carried({key: texts[path] for key, path in found.items()})


def _labels(folders: list[Path]) -> dict[Path, str]:
    """A folder in the report for each folder on disk, none where there is but one."""
    if len(folders) < 2:
        return dict.fromkeys(folders, "")
    names = [folder.name for folder in folders]
    plain = len(set(names)) == len(names) and all(_can_carry(name) and not name.startswith(_UNPACKED) for name in names)
    return {folder: f"{folder.name if plain else k}/" for k, folder in enumerate(folders, 1)}


def _can_carry(name: str) -> bool:
    parts = name.split("/")
    sound = all(_PART.fullmatch(part) and part not in (".", "..") for part in parts)
    return sound and len(parts) <= _DEEPEST and len(name) <= _LONGEST


def check_carried(path: Path, carried: Carried, name: Path) -> None:
    """Refuse a report that does not give back what was put into it; `name` is what it is going to be called."""
    try:
        same = dict(_taken_out(path).files) == dict(carried.files)
    except InputError:
        same = False
    if not same:
        raise InputError(
            f"{name} is not written: it would not give back the files it is made of "
            f"({', '.join(carried.files)}) as they "
            "are; choose another form.",
            at=Place.of_file(name),
        )


def as_script(carried: Carried) -> str:
    """The files as JSON that no page takes for markup."""
    return in_page({"format": 1, "files": dict(carried.files)})


def in_page(values: object) -> str:
    """Values as JSON that no page takes for markup.

    >>> in_page({"a": "</script>"})
    '{"a": "\\\\u003c/script\\\\u003e"}'
    """
    text = json.dumps(values, ensure_ascii=True)
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
    with tempfile.TemporaryDirectory(prefix=_UNPACKED) as folder:
        try:
            for name, text in carried.files.items():
                target = Path(folder, name)
                target.parent.mkdir(parents=True, exist_ok=True)
                if text.startswith(BINARY):
                    target.write_bytes(_bytes_of(text, path))
                else:
                    target.write_text(text, encoding="utf-8")
        except (OSError, UnicodeError):
            raise InputError(f"{path} carries a file that cannot be taken out.", at=Place.of_file(path)) from None
        try:
            yield Path(folder, carried.main)
        except PennyweightError as error:  # told of the report, not of a folder that nobody knows
            raise _of_report(error, path, folder) from None


def _of_report(error: PennyweightError, path: Path, folder: str) -> PennyweightError:
    told = copy.copy(error)
    text = str(error).replace(f"{folder}/", "")
    told.args = (f"{path}: {text}", *error.args[1:])
    told.mistakes = tuple(_of_report(one, path, folder) for one in error.mistakes)
    return told


def _bytes_of(text: str, path: Path) -> bytes:
    try:
        return b64decode(text.removeprefix(BINARY), validate=False)
    except ValueError:
        raise InputError(f"{path} carries a file that cannot be read.", at=Place.of_file(path)) from None


def _taken_out(path: Path) -> Carried:
    ending = path.suffix.lower()
    if ending == ".html":
        files = _of_page(read_text(path, largest=LARGEST_TABLE), path)
    else:
        check_file(path, str(path))
        try:
            files = _of_pdf(path) if ending == ".pdf" else _of_workbook(path)
        except InputError:
            raise
        except RecursionError:
            raise InputError(f"{path} is nested too deeply to be opened.", at=Place.of_file(path)) from None
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
    bad = next((name for name in files if not _can_carry(name)), None)
    if bad is not None or len(files) > _MOST_FILES or sum(map(len, files.values())) > LARGEST_TABLE:
        raise InputError(
            f"{path} carries files that are not taken out: at most {_MOST_FILES}, plain names, 64 MB together.",
            at=Place.of_file(path),
        )
    return Carried(files)


def _once(pairs: Iterable[tuple[str, object]], path: Path) -> dict[str, object]:
    """Pairs as a mapping; a name that stands there twice is refused."""
    found: dict[str, object] = {}
    for name, value in pairs:
        if name in found:
            raise InputError(f"{path} carries two files called '{name}'; it was tampered with.", at=Place.of_file(path))
        found[name] = value
    return found


_OPENS, _CLOSES = f'<script type="application/json" id="{CARRIED_ID}">', "</script>"


def _of_page(text: str, path: Path) -> dict[str, str]:
    begin = text.find(_OPENS)
    end = text.find(_CLOSES, begin)
    if begin < 0 or end < 0:
        return {}
    try:
        files = json.loads(text[begin + len(_OPENS) : end], object_pairs_hook=lambda pairs: _once(pairs, path)).get(
            "files"
        )
    except InputError:
        raise
    except (ValueError, AttributeError, RecursionError):
        return {}
    return _texts(files)


def _texts(files: object) -> dict[str, str]:
    if not isinstance(files, dict) or not all(isinstance(text, str) for text in files.values()):
        return {}
    return {str(name): text for name, text in files.items()}


def _of_pdf(path: Path) -> dict[str, str]:
    from pypdf import PdfReader

    logging.getLogger("pypdf").setLevel(logging.CRITICAL)  # what it says of a broken file comes in our sentence
    reader = PdfReader(path)
    if reader.is_encrypted:
        raise InputError(f"{path} is encrypted; save it without a password first.", at=Place.of_file(path))
    attached = reader.attachments
    if CARRIED_ID not in attached:
        return {}
    double = next((name for name, parts in attached.items() if len(parts) > 1), None)
    names = json.loads(attached[CARRIED_ID][0].decode("utf-8"))
    if not isinstance(names, list) or len(names) > _MOST_FILES:
        return {}
    found = _once(((str(name), str(name)) for name in names), path)
    if double is not None:
        raise InputError(f"{path} carries two files called '{double}'; it was tampered with.", at=Place.of_file(path))
    return {name: attached[name][0].decode("utf-8") for name in found}


def _of_workbook(path: Path) -> dict[str, str]:
    from openpyxl import load_workbook

    refuse_swelling(path, str(path))
    book = load_workbook(path, read_only=True, data_only=True)
    files: list[tuple[str, str]] = []
    try:
        for name in book.sheetnames:
            if name.startswith(FILE_SHEET):
                rows = book[name].iter_rows(min_col=1, max_col=1, values_only=True)
                lines = ["" if value is None else str(value) for (value,) in rows]
                files.append((lines[0], "\n".join(lines[1:])))
    finally:
        book.close()
    return {name: str(text) for name, text in _once(files, path).items()}

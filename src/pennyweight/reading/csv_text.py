"""The text of a CSV cut into columns: what stands between fields, which row names them, where the rows end."""

from __future__ import annotations

import csv
import io
import re
from collections import Counter
from collections.abc import Callable, Collection, Sequence
from dataclasses import dataclass

from pennyweight.errors import InputError, Place
from pennyweight.progress import tell
from pennyweight.reading.column_names import plain_name
from pennyweight.reading.plain_columns import plain_text

__all__ = ["TOTAL", "Grid", "Layout", "cut", "grid_of_rows", "row_place"]

_DELIMITERS = {";": "semicolons", "\t": "tabs", "|": "bars", ",": "commas"}
_LOOKED_AT = 60
"""So many rows may stand before the one that names the columns."""

Anchor = Callable[[Sequence[str]], int | None]
"""The column of a header in which every row has something that tells it is one; None when there is none."""


@dataclass(frozen=True, slots=True)
class Grid:
    """Columns of texts, all of one length, the row each line stands on, and what was left out."""

    header: tuple[str, ...]
    columns: tuple[Sequence[str], ...]
    lines: Sequence[int]
    delimiter: str = ","
    remarks: tuple[str, ...] = ()
    forms: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class Layout:
    """What helps to find the rows: headers that are looked for, and what a row is told by."""

    heads: Collection[str] = ()
    anchor: Anchor = lambda header: None
    is_row: Callable[[str], bool] = lambda cell: True


def row_place(file: str, row: int, column: str = "") -> Place:
    """A row of a file, or a field of it."""
    words = f"{file}, row {row}, column '{column}'" if column else f"{file}, row {row}"
    return Place(words, file=file, row=row, column=column)


def cut(text: str, name: str, layout: Layout) -> Grid:
    """Cut a text into columns. Rows count from 1, as an editor shows them; empty lines are passed over."""
    text = text.replace("\r", "\n") if "\r" in text else text  # old line ends; others are one sign already
    delimiter = _delimiter(text)
    forms = () if delimiter == "," else (f"{_DELIMITERS[delimiter]} between fields",)
    plain = _plain(text, delimiter, layout)
    if plain is not None:
        return Grid(*plain, delimiter=delimiter, forms=forms)
    rows: list[list[str]] = []
    lines: list[int] = []
    begun = 1
    reader = csv.reader(io.StringIO(text, newline=""), delimiter=delimiter, strict=True)
    try:
        for row in reader:
            line, begun = begun, reader.line_num + 1
            _refuse_swallowed(row, line, delimiter, name)
            cells = [field.strip() for field in row]
            if any(cells):
                rows.append(cells)
                lines.append(line)
                if len(rows) % 50_000 == 0:
                    tell(f"rows of {name} read", len(rows))
    except csv.Error as error:
        where = row_place(name, begun)
        raise InputError(f"{where} cannot be read: {_csv_error(error)}.", at=where) from None
    return _grid(rows, lines, name, layout, delimiter, forms)


def grid_of_rows(rows: Sequence[Sequence[str]], name: str, layout: Layout) -> Grid:
    """The columns of rows that are cut already, as those of a workbook."""
    kept = [(list(row), k + 1) for k, row in enumerate(rows) if any(row)]
    return _grid([row for row, _ in kept], [line for _, line in kept], name, layout, ",", ())


def _plain(
    text: str, delimiter: str, layout: Layout
) -> tuple[tuple[str, ...], tuple[Sequence[str], ...], Sequence[int]] | None:
    """The columns of a text without quotes whose rows all have one width, in a few passes over it; else None."""
    text = text.rstrip("\n")
    first = text[: max(text.find("\n"), 0)]
    if '"' in text or "\n\n" in text or not first.strip():
        return None
    header = tuple(field.strip() for field in first.split(delimiter))
    width = len(header)
    if f"\n{delimiter * (width - 1)}\n" in text or len(set(header)) < width or not all(header):
        return None
    top = [line.split(delimiter) for line in text[:20_000].split("\n", _LOOKED_AT)[:_LOOKED_AT]]
    if _header_at(top, layout.heads) != 0:
        return None
    cells = plain_text(text, delimiter, width)
    if cells is None:
        return None
    columns = tuple(cells.column(place) for place in range(width))
    last = [cell.strip() for cell in text[text.rindex("\n") + 1 :].split(delimiter)]
    if (anchor := layout.anchor(header)) is not None and not layout.is_row(last[anchor]):
        return None
    return header, columns, range(2, len(columns[0]) + 2)


def _grid(
    rows: list[list[str]], lines: list[int], name: str, layout: Layout, delimiter: str, forms: tuple[str, ...]
) -> Grid:
    if not rows:
        raise InputError(f"{name} is empty; its first row must name the columns.", at=Place.of_file(name))
    top = _header_at(rows[:_LOOKED_AT], layout.heads)
    remarks = []
    if top:
        remarks.append(f"{name}: left out {_counted(top, 'row')} before the names of the columns (row {lines[top]}).")
    header, keep = _named_columns(rows, top)
    body, body_lines = rows[top + 1 :], lines[top + 1 :]
    width, anchor = len(header), layout.anchor([header[k] for k in keep])
    place = None if anchor is None else keep[anchor]
    end = len(body)
    while end and _is_after(body[end - 1], width, place, layout.is_row):
        end -= 1
    if end < len(body):
        said = " ".join(filter(None, body[end]))[:60]
        remarks.append(
            f"{name}: left out {_counted(len(body) - end, 'row')} after the last one that is read "
            f"(row {body_lines[end]}: '{said}')."
        )
    for row, line in zip(body[:end], body_lines[:end], strict=True):
        while len(row) > width and not row[-1]:
            row.pop()
        if len(row) != width:
            where = row_place(name, line)
            raise InputError(
                f"{where} has {len(row)} fields, the header {width}; quote amounts that hold a separator.", at=where
            )
    columns = tuple([row[k] for row in body[:end]] for k in keep)
    return Grid(tuple(header[k] for k in keep), columns, body_lines[:end], delimiter, tuple(remarks), forms)


def _named_columns(rows: list[list[str]], top: int) -> tuple[list[str], list[int]]:
    """The names of the columns, and which are kept: all but those without a name and without content."""
    header = [" ".join(cell.split()) for cell in rows[top]]
    keep = [k for k, head in enumerate(header) if head or any(len(row) > k and row[k] for row in rows[top + 1 :])]
    while header and len(header) - 1 not in keep:
        header.pop()
    return header, keep


def _header_at(rows: Sequence[Sequence[str]], heads: Collection[str]) -> int:
    """The row that names the columns: the first with most of the names looked for; the first of all if none has any."""
    best, found, left = 0, 0, 20_000
    first = next((k for k, row in enumerate(rows) if any(cell.strip() for cell in row)), 0)
    for place, row in enumerate(rows):
        left -= len(row)
        known = sum(1 for cell in row[: max(left, 200)] if len(cell) <= 80 and plain_name(cell) in heads)
        if known > found:
            best, found = place, known
    return best if found else first


TOTAL = re.compile(
    r"(grand |sub)?-?total(?:s|e|es|i)?( general)?:?|sums?:?|summen?:?|gesamt(?:summe)?:?|saldo:?|somme:?|suma:?|"
    r"soma:?|somma:?|totaal:?|summa:?|zusammen:?|celkem:?|razem:?|balance forward:?|closing balance:?",
    re.IGNORECASE,
)
"""What stands in a row that adds others up."""
_WORD = re.compile(r"[^\W\d_]{2}")


def _is_after(row: Sequence[str], width: int, anchor: int | None, is_row: Callable[[str], bool]) -> bool:
    """Whether a row at the end is none: a sentence, or words where each row has its day."""
    if any(TOTAL.fullmatch(cell) for cell in row):
        return False  # whoever reads the rows leaves it out
    if anchor is None:
        return (
            len([cell for cell in row if cell]) == 1 < width and len(row) != width and bool(_WORD.search("".join(row)))
        )
    cell = row[anchor] if len(row) > anchor else ""
    if len(row) <= width and any(is_row(one) for one in row[:1]) and anchor == 0:
        return False
    if cell:
        return not is_row(cell) and bool(_WORD.search(cell))
    said = [one for one in row if one]
    return bool(_WORD.search("".join(said))) and (len(said) == 1 or any(" " in one or ":" in one for one in said))


def _delimiter(text: str) -> str:
    """What stands between fields: what cuts the first rows into as many each, else what cuts most rows alike."""
    lines = [line for line in text[:40_000].split("\n")[:200] if line.strip()]
    counted = {}
    for mark in _DELIMITERS:
        try:
            widths = [len(row) for row in csv.reader(lines, delimiter=mark)]
        except csv.Error:
            continue
        if len(set(widths[:12])) == 1 and widths[0] > 1:
            return mark
        common = Counter(width for width in widths if width > 1).most_common(1)
        counted[mark] = (common[0][1], common[0][0]) if common else (0, 0)
    best = max(counted, key=lambda mark: counted[mark], default=",")
    return best if counted and counted[best] > (0, 0) else ","


def _refuse_swallowed(row: list[str], line: int, delimiter: str, name: str) -> None:
    """A quote that closes rows later has made one field of them."""
    for cell in row:
        if "\n" in cell and any(part.count(delimiter) >= max(len(row) - 1, 1) for part in cell.split("\n")[1:]):
            where = row_place(name, line)
            raise InputError(f"{where}: a quote opens there and closes rows later; close it in its row.", at=where)


def _csv_error(error: csv.Error) -> str:
    if "unexpected end of data" in str(error):
        return "a quote opens there and never closes"
    if "expected after" in str(error):
        return "something stands behind a closing quote; write a quote inside a field twice"
    if "field larger" in str(error):
        return "a field has more than 131,072 characters"
    return str(error)


def _counted(number: int, noun: str) -> str:
    return f"{number} {noun}{'' if number == 1 else 's'}"

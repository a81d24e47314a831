"""CSV files as analysts have them: a header, rows of amounts and dates, read with exact complaints."""

from __future__ import annotations

import csv
import io
import re
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import cast

import numpy as np

from pennyweight.errors import InputError, Place, choice, nearest
from pennyweight.progress import tell
from pennyweight.quantities.amounts import Mark, decimal_mark, read_amount, read_number
from pennyweight.quantities.dates import Days, read_date, read_dates
from pennyweight.quantities.given import a_mapping, a_text
from pennyweight.reading.text_files import LARGEST_TABLE, note_form, note_remark, read_text
from pennyweight.reading.workbook_files import rows_of_parquet, rows_of_workbook

__all__ = ["CsvTable", "Reading", "read_csv", "reading_of"]

_OURS = ("date", "period", "account", "kind", "amount")
"""Columns that a command lets its user name."""


@dataclass(frozen=True, slots=True)
class Reading:
    """How a table is read: what the file calls our columns, its decimal mark, and the sheet of a workbook."""

    columns: Mapping[str, str] = field(default_factory=dict)
    decimal: Mark | None = None
    sheet: str | None = None


@dataclass(frozen=True, slots=True)
class CsvTable:
    """A table of a file: its column names, its rows as text, and the line each row stands on."""

    path: str
    header: tuple[str, ...]
    rows: tuple[tuple[str, ...], ...]
    lines: tuple[int, ...]
    reading: Reading = field(default_factory=Reading)
    delimiter: str = ","

    def has(self, name: str) -> bool:
        """Whether there is a column of ours, by its own name or by the one that was said."""
        return name in self.reading.columns or self._header_of(name) in self.header

    def _header_of(self, name: str) -> str:
        """What the file calls a column of ours: as it was said, as it is written, or written with other capitals."""
        named = self.reading.columns.get(name, name)
        alike = [head for head in self.header if head.lower() == named.lower()]
        return alike[0] if named not in self.header and len(alike) == 1 else named

    def column(self, name: str) -> list[str]:
        """The texts of a column; InputError with the nearest name when there is none."""
        ours, name = name, self._header_of(name)
        if name not in self.header:
            told = ours in _OURS and ours not in self.reading.columns
            how = f" Say how the file calls it: --column {ours}=NAME (event_columns in a loan file)." if told else ""
            raise InputError(
                f"{self.path} has no column '{name}'{nearest(name, self.header) or '.'} "
                f"Its columns are {', '.join(self.header)}.{how}",
                at=Place.of_file(self.path),
            )
        index = self.header.index(name)
        return [row[index] for row in self.rows]

    def amounts(self, name: str, *, share: bool = False) -> np.ndarray[tuple[int], np.dtype[np.float64]]:
        """A column of numbers; `share` lets percentages stand in it."""
        read = read_number if share else read_amount
        texts = self.column(name)
        mark = self._mark(name, texts)
        values = []
        for line, text in zip(self.lines, texts, strict=True):
            try:
                values.append(read(text, mark=mark))
            except InputError as error:  # places are made for those alone that need one
                raise (error.placed(self.place(line, name)) if text else self._empty(line, name)) from None
        return np.array(values, dtype=np.float64)

    def _mark(self, name: str, texts: list[str]) -> Mark | None:
        """The decimal mark of a column; one that is written both ways is refused."""
        if self.reading.decimal is not None:
            return self.reading.decimal
        mark, shows, breaks = decimal_mark(texts)
        if mark is None and self.delimiter != "," and any(_BROKEN.fullmatch(text) for text in texts):
            mark = ","  # a comma that cuts no fields and groups no thousands
        if mark == ",":
            note_form(f"{self.path}: decimal commas in '{name}'.")
        if breaks is not None and shows is not None:
            words = {".": "point", ",": "comma"}
            other = "," if mark == "." else "."
            where = self.place(self.lines[breaks], name)
            raise InputError(
                f"{where} is '{texts[breaks]}', with a decimal {words[other]}, and row "
                f"{self.lines[shows]} is '{texts[shows]}', with a decimal {words[mark or '.']}; write all "
                "numbers in the same way.",
                at=where,
            )
        return mark

    def dates(self, name: str) -> Days:
        """A column of dates."""
        texts = self.column(name)
        for line, text in zip(self.lines, texts, strict=True):
            if not text:
                raise self._empty(line, name)
        try:
            return read_dates(texts)
        except InputError:  # told with its row
            pairs = zip(self.lines, texts, strict=True)
            return np.array([read_date(text, what=self.place(line, name)) for line, text in pairs], "datetime64[D]")

    def place(self, line: int, name: str = "") -> Place:
        """A row, or a field of it."""
        return row_place(self.path, line, name)

    def _empty(self, line: int, name: str) -> InputError:
        where = self.place(line, name)
        return InputError(f"{where} is empty; write 0 where nothing happened.", at=where)

    def without_totals(self, name: str) -> CsvTable:
        """The rows but those that add others up: nothing or a word such as "Total" stands where `name` should."""
        texts = self.column(name)
        kept = [
            k
            for k, (text, row) in enumerate(zip(texts, self.rows, strict=True))
            if not ((not text or _TOTAL.fullmatch(text)) and any(_TOTAL.fullmatch(cell) for cell in row))
        ]
        if len(kept) == len(texts):
            return self
        left = [self.lines[k] for k in range(len(texts)) if k not in set(kept)]
        many = "rows" if len(left) > 1 else "row"
        told = ", ".join(map(str, left[:5])) + (", …" if len(left) > 5 else "")
        note_remark(f"{self.path}: left out {len(left)} {many} of totals ({many} {told}).")
        return replace(self, rows=tuple(self.rows[k] for k in kept), lines=tuple(self.lines[k] for k in kept))


_BROKEN = re.compile(r"[-+−(]?\s*\d+,(\d{1,2}|\d{4,})\)?")
_TOTAL = re.compile(r"(grand |sub)?-?totals?:?|sums?:?|summe:?|gesamt:?|saldo:?", re.IGNORECASE)


def reading_of(columns: object = None, decimal: object = None, sheet: object = None) -> Reading:
    """How a table is read, checked; see `Reading`."""
    named = a_mapping(columns, what="columns", of="their names in the file")
    if decimal is not None:
        choice(decimal, (".", ","), "decimal")
    return Reading(dict(named), cast("Mark | None", decimal), None if sheet is None else a_text(sheet, what="sheet"))


def row_place(file: str, row: int, column: str = "") -> Place:
    """A row of a file, or a field of it."""
    words = f"{file}, row {row}, column '{column}'" if column else f"{file}, row {row}"
    return Place(words, file=file, row=row, column=column)


def read_csv(path: Path, *, shown_as: str | None = None, reading: Reading | None = None) -> CsvTable:
    """Read a table with a header: a CSV (comma, semicolon or tab between fields; UTF-8, UTF-16), a workbook, Parquet.

    Rows count from 1, the header being row 1, as an editor shows them. Empty lines are passed over.
    """
    name, reading = shown_as or str(path), reading or Reading()
    ending = path.suffix.lower()
    if ending == ".xlsx":
        table = _of_rows(rows_of_workbook(path, reading.sheet, name), name)
    elif reading.sheet is not None:
        raise InputError(f"{name} is no workbook, so it has no sheet '{reading.sheet}'.", at=Place.of_file(name))
    elif ending == ".parquet":
        table = _of_rows(rows_of_parquet(path, name), name)
    else:
        table = _parse(read_text(path, largest=LARGEST_TABLE, shown_as=name), name)
    return replace(table, reading=reading)


def _of_rows(rows: list[list[str]], name: str) -> CsvTable:
    """The table of rows whose first one that says something names the columns."""
    first = next((k for k, row in enumerate(rows) if any(row)), None)
    if first is None:
        raise InputError(f"{name} is empty; its first row must name the columns.", at=Place.of_file(name))
    header = _checked_header(rows[first], name)
    kept = [k for k in range(first + 1, len(rows)) if any(rows[k])]
    return CsvTable(name, header, tuple(tuple(rows[k]) for k in kept), tuple(k + 1 for k in kept))


def _parse(text: str, name: str) -> CsvTable:
    delimiter = _delimiter(text)
    if delimiter != ",":
        note_form(f"{name}: {'semicolons' if delimiter == ';' else 'tabs'} between fields.")
    reader = csv.reader(io.StringIO(text, newline=""), delimiter=delimiter, strict=True)
    header: tuple[str, ...] | None = None
    rows: list[tuple[str, ...]] = []
    lines: list[int] = []
    begun = 1
    try:
        for row in reader:
            line, begun = begun, reader.line_num + 1
            _refuse_swallowed(row, line, delimiter, name)
            if not any(field.strip() for field in row):
                continue
            if header is None:
                header = _checked_header(row, name)
                continue
            if len(row) != len(header):
                where = row_place(name, line)
                raise InputError(
                    f"{where} has {len(row)} fields, the header {len(header)}; quote amounts that hold a separator.",
                    at=where,
                )
            rows.append(tuple(field.strip() for field in row))
            if len(rows) % 50_000 == 0:
                tell(f"rows of {name} read", len(rows))
            lines.append(line)
    except csv.Error as error:
        where = row_place(name, begun)
        raise InputError(f"{where} cannot be read: {_csv_error(error)}.", at=where) from None
    if header is None:
        raise InputError(f"{name} is empty; its first row must name the columns.", at=Place.of_file(name))
    return CsvTable(name, header, tuple(rows), tuple(lines), delimiter=delimiter)


def _delimiter(text: str) -> str:
    """What stands between fields: what cuts the first rows into as many each, else what the header has most of."""
    lines = [line for line in text[:20_000].split("\n")[:12] if line.strip()]
    for mark in ";\t,":
        widths = {len(row) for row in csv.reader(lines, delimiter=mark)}
        if len(widths) == 1 and widths.pop() > 1:
            return mark
    return max(",;\t", key=(lines or [""])[0].count)


def _refuse_swallowed(row: list[str], line: int, delimiter: str, name: str) -> None:
    """A quote that closes rows later has made one field of them."""
    for cell in row:
        if any(part.count(delimiter) >= max(len(row) - 1, 1) for part in cell.split("\n")[1:]):
            where = row_place(name, line)
            raise InputError(f"{where}: a quote opens there and closes rows later; close it in its row.", at=where)


def _csv_error(error: csv.Error) -> str:
    if "unexpected end of data" in str(error):
        return "a quote opens there and never closes"
    if "expected after" in str(error):
        return "something stands behind a closing quote; write a quote inside a field twice"
    return str(error)


def _checked_header(row: Iterable[str], name: str) -> tuple[str, ...]:
    header = tuple(field.strip() for field in row)
    for cell in header:
        if header.count(cell) > 1:
            raise InputError(f"{name} has two columns named '{cell}'.", at=Place.of_file(name))
    return header

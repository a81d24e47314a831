"""CSV files as analysts have them: a header, rows of amounts and dates, read with exact complaints."""

from __future__ import annotations

import csv
import io
from collections.abc import Iterable
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from pennyweight.errors import InputError, Place, nearest
from pennyweight.quantities.amounts import Mark, decimal_mark, read_amount, read_number
from pennyweight.quantities.dates import Days, read_date, read_dates
from pennyweight.quantities.text_files import read_text

__all__ = ["CsvTable", "read_csv"]

_LARGEST = 64 * 2**20


@dataclass(frozen=True, slots=True)
class CsvTable:
    """A CSV file: its column names, its rows as text, and the line each row stands on."""

    path: str
    header: tuple[str, ...]
    rows: tuple[tuple[str, ...], ...]
    lines: tuple[int, ...]

    def column(self, name: str) -> list[str]:
        """The texts of a column; InputError with the nearest name when there is none."""
        if name not in self.header:
            raise InputError(
                f"{self.path} has no column '{name}'{nearest(name, self.header) or '.'} "
                f"Its columns are {', '.join(self.header)}.",
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
        mark, shows, breaks = decimal_mark(texts)
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


def row_place(file: str, row: int, column: str = "") -> Place:
    """A row of a file, or a field of it."""
    words = f"{file}, row {row}, column '{column}'" if column else f"{file}, row {row}"
    return Place(words, file=file, row=row, column=column)


def read_csv(path: Path, *, shown_as: str | None = None) -> CsvTable:
    """Read a CSV file with a header; comma or semicolon between fields, UTF-8.

    Rows count from 1, the header being row 1, as an editor shows them. Empty lines are passed over.
    """
    name = shown_as or str(path)
    return _parse(read_text(path, largest=_LARGEST, shown_as=name), name)


def _parse(text: str, name: str) -> CsvTable:
    head = text.split("\n", 1)[0]
    delimiter = ";" if head.count(";") > head.count(",") else ","
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
            lines.append(line)
    except csv.Error as error:
        where = row_place(name, begun)
        raise InputError(f"{where} cannot be read: {_csv_error(error)}.", at=where) from None
    if header is None:
        raise InputError(f"{name} is empty; its first row must name the columns.", at=Place.of_file(name))
    return CsvTable(name, header, tuple(rows), tuple(lines))


def _refuse_swallowed(row: list[str], line: int, delimiter: str, name: str) -> None:
    """A quote that closes rows later has made one field of them."""
    for field in row:
        if any(part.count(delimiter) >= max(len(row) - 1, 1) for part in field.split("\n")[1:]):
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
    for field in header:
        if header.count(field) > 1:
            raise InputError(f"{name} has two columns named '{field}'.", at=Place.of_file(name))
    return header

"""CSV files as analysts have them: a header, rows of amounts and dates, read with exact complaints."""

from __future__ import annotations

import csv
import io
from collections.abc import Iterable
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from pennyweight.errors import InputError, nearest
from pennyweight.quantities.amounts import read_amount, read_number
from pennyweight.quantities.dates import Days, read_date

__all__ = ["CsvTable", "read_csv"]

_LARGEST = 64 * 1024 * 1024


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
                f"Its columns are {', '.join(self.header)}."
            )
        index = self.header.index(name)
        return [row[index] for row in self.rows]

    def amounts(self, name: str, *, share: bool = False) -> np.ndarray[tuple[int], np.dtype[np.float64]]:
        """A column of numbers; `share` lets percentages stand in it."""
        read = read_number if share else read_amount
        values = [
            read(text, what=self._place(line, name)) if text.strip() else self._empty(line, name)
            for line, text in zip(self.lines, self.column(name), strict=True)
        ]
        return np.array(values, dtype=np.float64)

    def dates(self, name: str) -> Days:
        """A column of dates."""
        values = [
            read_date(text, what=self._place(line, name)) if text.strip() else self._empty(line, name)
            for line, text in zip(self.lines, self.column(name), strict=True)
        ]
        return np.array(values, dtype="datetime64[D]")

    def _place(self, line: int, name: str) -> str:
        return f"{self.path}, row {line}, column '{name}'"

    def _empty(self, line: int, name: str) -> float:
        raise InputError(f"{self._place(line, name)} is empty; write 0 where nothing happened.")


def read_csv(path: Path, *, shown_as: str | None = None) -> CsvTable:
    """Read a CSV file with a header; comma or semicolon between fields, UTF-8.

    Rows count from 1, the header being row 1, as an editor shows them. Empty lines are passed over.
    """
    name = shown_as or str(path)
    try:
        if path.stat().st_size > _LARGEST:
            raise InputError(f"{name} is larger than 64 MB; cut it down to the rows of this deal.")
        text = path.read_text(encoding="utf-8-sig")
    except FileNotFoundError:
        raise InputError(f"There is no file {name}.") from None
    except UnicodeDecodeError:
        raise InputError(f"{name} is not text in UTF-8; save it as CSV in UTF-8.") from None
    except OSError as error:
        raise InputError(f"{name} cannot be read: {error.strerror}.") from None
    if "\0" in text:
        raise InputError(f"{name} is not a text file; save it as CSV in UTF-8.")
    return _parse(text, name)


def _parse(text: str, name: str) -> CsvTable:
    head = text.split("\n", 1)[0]
    delimiter = ";" if head.count(";") > head.count(",") else ","
    reader = csv.reader(io.StringIO(text), delimiter=delimiter)
    header: tuple[str, ...] | None = None
    rows: list[tuple[str, ...]] = []
    lines: list[int] = []
    try:
        for row in reader:
            if not any(field.strip() for field in row):
                continue
            if header is None:
                header = _checked_header(row, name)
                continue
            if len(row) != len(header):
                raise InputError(
                    f"{name}, row {reader.line_num} has {len(row)} fields, the header {len(header)}; "
                    "quote amounts that hold a separator."
                )
            rows.append(tuple(field.strip() for field in row))
            lines.append(reader.line_num)
    except csv.Error as error:
        raise InputError(f"{name}, row {reader.line_num} cannot be read: {error}.") from None
    if header is None:
        raise InputError(f"{name} is empty; its first row must name the columns.")
    return CsvTable(name, header, tuple(rows), tuple(lines))


def _checked_header(row: Iterable[str], name: str) -> tuple[str, ...]:
    header = tuple(field.strip() for field in row)
    for field in header:
        if header.count(field) > 1:
            raise InputError(f"{name} has two columns named '{field}'.")
    return header

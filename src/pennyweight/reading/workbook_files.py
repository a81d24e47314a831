"""Tables out of workbooks and Parquet files, as texts, so that what is said of a CSV is said of them too."""

from __future__ import annotations

import datetime as dt
from pathlib import Path
from typing import Any
from zipfile import BadZipFile, ZipFile

from pennyweight.errors import InputError, Place, nearest
from pennyweight.reading.text_files import check_file, note_read_bytes

__all__ = ["refuse_swelling", "rows_of_parquet", "rows_of_workbook"]

_MOST_ROWS = 1_048_576
"""The rows of a sheet by its standard."""
_MOST_CELLS = 5_000_000
_SWOLLEN = 512 * 2**20
"""Bytes of a workbook when it is unpacked; a file made to swell has more."""


def rows_of_workbook(path: Path, sheet: str | None, name: str) -> list[list[str]]:
    """The rows of one sheet of a workbook (ISO/IEC 29500), the first one unless it is named."""
    _check(path, name)
    refuse_swelling(path, name)
    from openpyxl import load_workbook

    try:
        book = load_workbook(path, read_only=True, data_only=True)
    except Exception as error:  # whatever a broken file makes of the library that opens it
        raise InputError(
            f"{name} cannot be opened as a workbook ({type(error).__name__}).", at=Place.of_file(name)
        ) from None
    try:
        if sheet is not None and sheet not in book.sheetnames:
            hint = nearest(sheet, book.sheetnames) or "."
            raise InputError(
                f"{name} has no sheet '{sheet}'{hint} Its sheets are {', '.join(book.sheetnames)}.",
                at=Place.of_file(name),
            )
        chosen = book[sheet] if sheet is not None else book[book.sheetnames[0]]
        rows: list[list[str]] = []
        count = 0
        for row in chosen.iter_rows(values_only=True):
            count += len(row)
            if count > _MOST_CELLS or len(rows) >= _MOST_ROWS:
                most = f"{_MOST_CELLS:,} cells" if count > _MOST_CELLS else f"{_MOST_ROWS:,} rows"
                raise InputError(f"{name} has more than {most}, the most that is read.", at=Place.of_file(name))
            rows.append([_text(value) for value in row])
    finally:
        book.close()
    width = max((k + 1 for row in rows for k, cell in enumerate(row) if cell), default=0)
    return [row[:width] + [""] * (width - len(row)) for row in rows]


def refuse_swelling(path: Path, name: str) -> None:
    """Refuse a workbook that is no packed file, or that would unpack to more than is read."""
    try:
        with ZipFile(path) as parts:
            size = sum(part.file_size for part in parts.infolist())
    except (BadZipFile, OSError, ValueError):
        raise InputError(f"{name} cannot be opened as a workbook.", at=Place.of_file(name)) from None
    if size > _SWOLLEN:
        raise InputError(
            f"{name} unpacks to {size // 2**20:,} MB; the most that is read is {_SWOLLEN // 2**20} MB.",
            at=Place.of_file(name),
        )


def rows_of_parquet(path: Path, name: str) -> list[list[str]]:
    """The rows of a Parquet file, its column names first."""
    _check(path, name)
    try:
        from pyarrow import parquet
    except ImportError:
        raise InputError(
            f"{name} is a Parquet file, which needs pyarrow; install pennyweight[parquet].", at=Place.of_file(name)
        ) from None
    try:
        told = parquet.read_metadata(path)
        few = told.num_rows * max(told.num_columns, 1) <= _MOST_CELLS  # told before anything is unpacked
        table = parquet.read_table(path) if few else None
    except Exception as error:
        raise InputError(
            f"{name} cannot be opened as a Parquet file ({type(error).__name__}).", at=Place.of_file(name)
        ) from None
    if table is None:
        raise InputError(f"{name} has more than {_MOST_CELLS:,} cells.", at=Place.of_file(name))
    columns = [[_text(value) for value in column.to_pylist()] for column in table.columns]
    return [list(map(str, table.column_names)), *(list(row) for row in zip(*columns, strict=True))]


def _text(value: Any) -> str:
    if value is None:
        return ""
    if isinstance(value, dt.datetime):
        return value.date().isoformat() if value.time() == dt.time() else value.isoformat(" ")
    if isinstance(value, dt.date):
        return value.isoformat()
    if isinstance(value, bool):
        return "true" if value else "false"
    if isinstance(value, float):
        return repr(int(value)) if value.is_integer() and abs(value) < 1e15 else repr(value)
    return str(value)


def _check(path: Path, name: str) -> None:
    check_file(path, name)
    note_read_bytes(path)

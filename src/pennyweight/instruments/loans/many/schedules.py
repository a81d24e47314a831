"""The rows of a book's schedules, written part by part into Parquet files, after telling how many they are."""

from __future__ import annotations

import re
import shutil
from pathlib import Path
from typing import Any

import numpy as np

from pennyweight.array_kinds import Ints
from pennyweight.core.loans.agreement import LONGEST
from pennyweight.core.loans.batch_events import LoanEvents
from pennyweight.core.loans.batch_kernel import Lent
from pennyweight.core.loans.month_sums import schedules
from pennyweight.errors import InputError, Place
from pennyweight.instruments.loans.many.arrow_columns import batches_of
from pennyweight.instruments.loans.many.loan_columns import LoanPart, OpenLoans

__all__ = ["ScheduleWriter", "check_room", "size_of"]

_OURS = re.compile(r"from-row-(\d{10})\.(parquet|new)")
_ROW_BYTES = 26
"""What a row takes in the files, about: amounts differ too much to be packed much."""


def size_of(path: Path, months: str) -> str:
    """How much the schedules of a file's loans are at most, to be told before they are written.

    `months` is the column that has the numbers of payments.
    """
    rows = _rows_to_come(path, months)
    if rows < 0:
        return "The rows of schedules cannot be counted beforehand, because some months are no plain numbers."
    size = rows * _ROW_BYTES
    unit, word = next(((10.0**k, word) for k, word in ((9, "GB"), (6, "MB")) if size >= 10**k), (1e3, "KB"))
    about = max(round(size / unit), 1)
    return f"{rows:,} rows of schedules at most are being written, about {about:,} {word}."


def check_room(path: Path, months: str, folder: Path) -> None:
    """InputError where the schedules do not fit on the disk of the folder, which need not be there yet."""
    there = next(one for one in (folder, *folder.absolute().parents) if one.exists())
    free, size = shutil.disk_usage(there).free, _rows_to_come(path, months) * _ROW_BYTES
    if size > free:
        raise InputError(
            f"The schedules take about {size / 1e9:,.1f} GB, and {folder} has room for {free / 1e9:,.1f} GB; "
            "take another folder, or the sums alone.",
            at="schedules",
        )


def _rows_to_come(path: Path, months: str) -> int:
    """The months of all loans together, but for terms that no loan has; -1 where these are no plain numbers."""
    import pyarrow as pa

    total = 0
    for batch in batches_of(path, [months]):
        column = batch[months]
        if not (pa.types.is_integer(column.type) or pa.types.is_floating(column.type)):
            try:
                column = column.cast(pa.float64())
            except pa.ArrowInvalid:
                return -1
        terms = np.asarray(column.to_numpy(zero_copy_only=False), dtype=np.float64)
        total += int(terms[(terms > 0) & (terms <= LONGEST)].sum())
    return total


class ScheduleWriter:
    """Writes the rows of each part of a book into a file of its own, whole or not at all."""

    def __init__(self, folder: Path, opened: OpenLoans) -> None:
        self.folder, self.opened = folder, opened
        self.rows = 0

    def path(self, first: int) -> Path:
        """The file of the part that begins with this row."""
        return self.folder / f"from-row-{first:010d}.parquet"

    def begin(self, rows: int) -> None:
        """Make the folder, for the rows after so many; InputError where somebody else's files are in it."""
        self.folder.mkdir(parents=True, exist_ok=True)
        there = {one: _OURS.fullmatch(one.name) for one in sorted(self.folder.iterdir())}
        for path, ours in there.items():
            if ours is None:
                raise InputError(
                    f"{self.folder} holds {path.name}, which is no schedule; name another folder, or move it.",
                    at=Place.of_file(self.folder.name),
                )
        for path, ours in there.items():  # of a run that was broken off, or of an earlier one
            if ours is not None and (int(ours[1]) > rows or ours[2] == "new"):
                path.unlink()

    def write(self, part: LoanPart, order: Ints, lent: Lent, events: LoanEvents | None) -> None:
        """The schedules of some loans of a part; `order` are their places in it, `lent` their terms."""
        import pyarrow as pa
        from pyarrow import parquet

        beside = self.path(part.first).with_suffix(".new")
        scale = 10.0**self.opened.places
        writer: Any = None
        for here, _, (paid, interest, extra, balance) in schedules(lent, events, places=self.opened.places):
            count = lent.count[here].astype(np.int64)
            before = np.vstack([lent.units[here], balance[:-1]])
            runs = (np.arange(paid.shape[0])[:, None] < count) & (before > 0)
            loan, at = np.nonzero(runs.T)  # loan by loan, payment by payment
            places = order[here][loan]
            columns: dict[str, Any] = {"row": part.row[places]}
            if part.id:
                columns["id"] = [part.id[k] for k in places.tolist()]
            columns["number"] = (at + 1).astype(np.int32)
            if self.opened.dated:
                months = part.start[places] + at + 1 - 1970 * 12
                columns["month"] = months.astype("datetime64[M]").astype("datetime64[D]")
            for name, table in (("payment", paid), ("interest", interest), ("extra", extra), ("balance", balance)):
                columns[name] = table[at, loan] / scale
            columns["principal"] = (paid + extra - interest)[at, loan] / scale
            table = pa.table(columns)
            if writer is None:
                writer = parquet.ParquetWriter(beside, table.schema)
            writer.write_table(table)
            self.rows += table.num_rows
        if writer is not None:
            writer.close()
            beside.replace(self.path(part.first))

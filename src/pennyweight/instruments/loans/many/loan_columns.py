"""The columns of a file of loans, part by part: numbers where they can be, and what is wrong row by row."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from pennyweight.array_kinds import Floats, Ints
from pennyweight.core.loans.agreement import LONGEST
from pennyweight.core.loans.batch_events import too_large
from pennyweight.errors import InputError, Place, nearest
from pennyweight.instruments.loans.many.arrow_columns import (
    AT_ONCE,
    Reject,
    batches_of,
    coded,
    filled,
    header_of,
    ids_of,
    nothing,
    numbers_of,
    read_as,
    refuse,
    texts_of,
)
from pennyweight.quantities.amounts import read_number
from pennyweight.quantities.dates import read_date
from pennyweight.quantities.rates import read_rate

__all__ = ["COLUMNS", "LoanPart", "OpenLoans", "open_loans"]

COLUMNS = ("amount", "rate", "months", "start", "residual", "interest_only", "id")
"""What a row says: what is lent, the yearly rate, how many monthly payments and, where they are there, the day of the
pay-out, what the level payments leave for the last one, how many first payments are interest alone, and a name."""
_NEEDED = ("amount", "rate", "months")


@dataclass(frozen=True)
class LoanPart:
    """Some rows of a file: the loans among them, and the rows that make none."""

    amount: Floats
    rate: Floats
    months: Floats
    start: Ints
    """The month of the pay-out, year * 12 + month - 1; 0 where the file has no days."""
    residual: Floats
    interest_only: Floats
    id: tuple[str, ...]
    """The names of the loans; empty where none are read."""
    row: Ints
    """The row of each loan, counted from 1."""
    groups: tuple[str, ...]
    """The groups of these loans by name, in the order of their first rows."""
    group: Ints
    """The place of each loan's group among them."""
    first: int
    """The first row of the part, counted from 1."""
    rows: int
    """How many rows were looked at."""
    rejects: tuple[Reject, ...]


@dataclass(frozen=True)
class OpenLoans:
    """A file of loans that is open: its columns, and what reads it part by part."""

    path: Path
    header: tuple[str, ...]
    names: Mapping[str, str]
    """What the file calls each column that is read."""
    grouped: str | None
    places: int
    dated: bool

    @property
    def unused(self) -> list[str]:
        """The columns that nothing reads."""
        return [one for one in self.header if one not in {*self.names.values(), self.grouped}]

    def parts(self, skip: int = 0, groups: tuple[int, int] | None = None) -> Iterator[LoanPart]:
        """Every part after the first few, in the order of the file.

        `groups` are the row groups of a Parquet file to read, from the first to before the second; without them all.
        """
        first = 1
        if groups is not None:
            from pyarrow import parquet

            told = parquet.ParquetFile(self.path).metadata
            first += sum(told.row_group(k).num_rows for k in range(groups[0]))
        skipped: list[Reject] = []
        for number, columns in enumerate(self._batches(groups, skipped)):
            rows = len(next(iter(columns.values())))
            end, missing = first + rows, list[Reject]()
            while skipped and skipped[0].row < end:  # rows of other widths, which the reader has left out
                missing.append(skipped.pop(0))
                end += 1
            if number >= skip:
                numbers = np.arange(first, end)
                if missing:
                    numbers = np.setdiff1d(numbers, [one.row for one in missing])
                yield self._part(columns, numbers, missing)
            first = end
        if skipped:  # what stands behind the last row that could be read
            yield self._part({name: nothing() for name in self._wanted()}, np.empty(0, np.int64), skipped)

    def partitions(self) -> list[tuple[int, int]]:
        """The row groups of a Parquet file in partitions for workers, each from one to before another."""
        from pyarrow import parquet

        told = parquet.ParquetFile(self.path).metadata
        found, begin, rows = list[tuple[int, int]](), 0, 0
        for k in range(told.num_row_groups):
            rows += told.row_group(k).num_rows
            if rows >= AT_ONCE or k + 1 == told.num_row_groups:
                found.append((begin, k + 1))
                begin, rows = k + 1, 0
        return found

    def _wanted(self) -> list[str]:
        return list(dict.fromkeys([*self.names.values(), *([self.grouped] if self.grouped else [])]))

    def _batches(self, groups: tuple[int, int] | None, skipped: list[Reject]) -> Iterator[dict[str, Any]]:
        return batches_of(self.path, self._wanted(), groups, skipped)

    def _part(self, columns: Mapping[str, Any], numbers: Ints, missing: list[Reject]) -> LoanPart:
        """A part with rows of these numbers, and rows that were not even read."""
        good = np.ones(numbers.size, dtype=np.bool_)
        rejects: list[Reject] = []
        values: dict[str, Floats] = {}
        for key, name in self.names.items():
            if key != "id":
                with read_as(self.path, name):
                    values[key] = _COLUMN_KINDS[key](self, columns[name], name, 0, good, rejects)
        self._check_together(values, 0, good, rejects)
        kept = {key: value[good] for key, value in values.items()}
        none = np.zeros(int(good.sum()))
        start = kept.get("start", none).astype(np.int64)
        groups: tuple[str, ...] = ()
        group: Ints = np.zeros(none.size, np.int64)
        if self.grouped:
            with read_as(self.path, self.grouped):
                groups, group = coded(columns[self.grouped], good)
        places = np.flatnonzero(good)
        ids = ids_of(columns[self.names["id"]]) if "id" in self.names else ()
        told = [*missing, *(replace(one, row=int(numbers[one.row])) for one in rejects)]
        told.sort(key=lambda one: one.row)
        first = min([*numbers[:1].tolist(), *(one.row for one in missing)], default=1)
        return LoanPart(
            kept["amount"], kept["rate"], kept["months"], start, kept.get("residual", none),
            kept.get("interest_only", none), tuple(ids[place] for place in places.tolist()) if ids else (),
            numbers[places], groups, group, first, numbers.size + len(missing), tuple(told),
        )  # fmt: skip

    def _check_together(
        self, values: Mapping[str, Floats], first: int, good: NDArray[np.bool_], rejects: list[Reject]
    ) -> None:
        """What one column says must fit another."""
        pairs = (("residual", "amount", "at most what is lent"), ("interest_only", "months", "at most the months"))
        for key, other, rule in pairs:
            if key in values:
                with np.errstate(invalid="ignore"):
                    wrong = values[key] > values[other]
                refuse(values[key], wrong, f"must be {rule}", self.names[key], first, good, rejects)
        amount, rate = values["amount"], values["rate"]
        sound = np.where(good, amount, 0.0), np.where(good, rate, 0.0)
        said = "is too large for every half of the smallest unit to be told in a book; work it out with `loan`"
        refuse(
            amount, too_large(np.round(sound[0] * 10.0**self.places), sound[1], 12), said, self.names["amount"], first,
            good, rejects,
        )  # fmt: skip

    def residuals(self, column: Any, name: str, first: int, good: NDArray[np.bool_], rejects: list[Reject]) -> Floats:
        """What the level payments leave; an empty cell is nothing."""
        return self.amounts(filled(column), name, first, good, rejects)

    def interest_only(
        self, column: Any, name: str, first: int, good: NDArray[np.bool_], rejects: list[Reject]
    ) -> Floats:
        """How many first payments are of interest alone; an empty cell is none."""
        found = numbers_of(filled(column), lambda text: read_number(text, what=name), name, first, good, rejects)
        with np.errstate(invalid="ignore"):
            wrong = ~((found >= 0) & (found == np.round(found)))
        refuse(found, wrong, "must be a whole number of months, 0 or more", name, first, good, rejects)
        return found

    def amounts(self, column: Any, name: str, first: int, good: NDArray[np.bool_], rejects: list[Reject]) -> Floats:
        """What is lent: 0 or more, in whole smallest units."""
        found = numbers_of(column, lambda text: read_number(text, what=name), name, first, good, rejects)
        units = found * 10.0**self.places
        with np.errstate(invalid="ignore"):
            fine = np.abs(units - np.round(units)) > 1e-6 * np.maximum(1.0, np.abs(units) * 1e-8)
            refuse(found, ~(found >= 0), "must be 0 or more", name, first, good, rejects)
            said = f"must have {self.places} decimals at most"
            refuse(found, fine, said, name, first, good, rejects)
        return found

    def rates(self, column: Any, name: str, first: int, good: NDArray[np.bool_], rejects: list[Reject]) -> Floats:
        """Yearly rates, 0 or more; a number of 1 or more is a percentage without its sign."""
        found = numbers_of(column, lambda text: read_rate(text, what=name).value, name, first, good, rejects)
        with np.errstate(invalid="ignore"):
            refuse(found, found < 0, "must be 0 or more", name, first, good, rejects)
            refuse(found, found >= 1, "must be below 1: 0.045 is 4.5%", name, first, good, rejects)
        return found

    def counts(self, column: Any, name: str, first: int, good: NDArray[np.bool_], rejects: list[Reject]) -> Floats:
        """How many monthly payments."""
        found = numbers_of(column, lambda text: read_number(text, what=name), name, first, good, rejects)
        with np.errstate(invalid="ignore"):
            wrong = ~((found >= 1) & (found <= LONGEST) & (found == np.round(found)))
        refuse(found, wrong, f"must be a whole number from 1 to {LONGEST:,}", name, first, good, rejects)
        return found

    def months(self, column: Any, name: str, first: int, good: NDArray[np.bool_], rejects: list[Reject]) -> Floats:
        """The month of the pay-out, counted as year * 12 + month - 1."""
        import pyarrow as pa

        if pa.types.is_temporal(column.type):
            days = column.cast(pa.timestamp("s")).to_numpy(zero_copy_only=False).astype("datetime64[M]")
            found = days.astype(np.int64).astype(np.float64) + 1970 * 12
            found[np.isnat(days)] = np.nan
        else:

            def month(text: str) -> float:
                return float(read_date(text, what=name).astype("datetime64[M]").astype(np.int64)) + 1970 * 12

            found = texts_of(column, month, name, first, good, rejects)
        said = "must be a day, such as 2027-01-31"
        refuse(found, np.isnan(found), said, name, first, good, rejects, shown="nothing")
        # A year 0207 for 2027 would make two thousand years of months of all loans.
        with np.errstate(invalid="ignore"):
            odd = (found < _FIRST_YEAR * 12) | (found >= _LAST_YEAR * 12)
        for row in np.flatnonzero(odd & good).tolist():
            value = f"{int(found[row]) // 12:04d}-{int(found[row]) % 12 + 1:02d}"
            said = f"{name} is {value}; its year must be from {_FIRST_YEAR} to {_LAST_YEAR - 1}"
            rejects.append(Reject(first + row, name, value, said))
            good[row] = False
        return np.asarray(found, dtype=np.float64)


_FIRST_YEAR, _LAST_YEAR = 1900, 2200

_COLUMN_KINDS = {
    "amount": OpenLoans.amounts,
    "rate": OpenLoans.rates,
    "months": OpenLoans.counts,
    "start": OpenLoans.months,
    "residual": OpenLoans.residuals,
    "interest_only": OpenLoans.interest_only,
}


def open_loans(
    path: Path, columns: Mapping[str, str], grouped: str | None, places: int, *, names: bool = False
) -> OpenLoans:
    """Look at a Parquet file or a CSV; InputError for one that cannot be opened or lacks a column.

    With `names` the names of the loans are read, too.
    """
    header = header_of(path, "a book of loans", "amount,rate,months,start")
    found = dict[str, str]()
    for key in COLUMNS:
        name = columns.get(key, key)
        if name in found.values():
            raise InputError(
                f"{path.name}: the column '{name}' is named for two of {', '.join(COLUMNS)}; each has its own.",
                at=Place.of_file(path.name),
            )
        if key == "id" and not names:
            if key in columns:
                raise InputError(
                    f"--column id={name}: the names of the loans serve events and schedules; say --events or "
                    "--schedules, or leave it out.",
                    at=Place.of_option("--column"),
                )
            continue
        if name in header:
            found[key] = name
        elif key in _NEEDED or key in columns:
            hint = nearest(name, header) or "."
            raise InputError(
                f"{path.name} has no column '{name}'{hint} It has {', '.join(header)}; --column {key}=NAME says which "
                f"is the {key}.",
                at=Place.of_file(path.name),
            )
    if grouped is not None and grouped not in header:
        raise InputError(
            f"{path.name} has no column '{grouped}'{nearest(grouped, header) or '.'} It has {', '.join(header)}.",
            at=Place.of_file(path.name),
        )
    return OpenLoans(path, header, found, grouped, places, "start" in found)

"""The columns of a file of loans, part by part: numbers where they can be, and what is wrong row by row."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from pennyweight.array_kinds import Floats, Ints
from pennyweight.core.loans.agreement import LONGEST
from pennyweight.errors import InputError, Place, nearest
from pennyweight.quantities.amounts import read_number
from pennyweight.quantities.dates import read_date
from pennyweight.quantities.rates import read_rate

__all__ = ["COLUMNS", "LoanPart", "Reject", "open_loans"]

COLUMNS = ("amount", "rate", "months", "start")
"""What a row says: what is lent, the yearly rate, how many monthly payments, the day of the pay-out, if any."""
_AT_ONCE = 131_072


@dataclass(frozen=True, slots=True)
class Reject:
    """A row that makes no loan: which, counted from 1, the column, what stands there, and why."""

    row: int
    column: str
    value: str
    reason: str


@dataclass(frozen=True)
class LoanPart:
    """Some rows of a file: the loans among them, and the rows that make none."""

    amount: Floats
    rate: Floats
    months: Floats
    start: Ints
    """The month of the pay-out, year * 12 + month - 1; 0 where the file has no days."""
    group: tuple[str, ...]
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

    def parts(self, skip: int = 0) -> Iterator[LoanPart]:
        """Every part after the first few, in the order of the file."""
        first = 1
        for number, columns in enumerate(self._batches()):
            rows = len(next(iter(columns.values())))
            if number >= skip:
                yield self._part(columns, first, rows)
            first += rows

    def _batches(self) -> Iterator[dict[str, Any]]:
        wanted = [*self.names.values(), *([self.grouped] if self.grouped else [])]
        wanted = list(dict.fromkeys(wanted))
        if self.path.suffix.lower() == ".parquet":
            from pyarrow import parquet

            batches = parquet.ParquetFile(self.path).iter_batches(batch_size=_AT_ONCE, columns=wanted)
        else:
            batches = _csv(self.path, wanted)
        for batch in batches:
            if batch.num_rows:
                yield {name: batch.column(batch.schema.get_field_index(name)) for name in wanted}

    def _part(self, columns: Mapping[str, Any], first: int, rows: int) -> LoanPart:
        good = np.ones(rows, dtype=np.bool_)
        rejects: list[Reject] = []
        values: dict[str, Floats] = {}
        for key, name in self.names.items():
            values[key] = _COLUMN_KINDS[key](self, columns[name], name, first, good, rejects)
        group: NDArray[Any] = np.zeros(rows, dtype=object)
        if self.grouped:
            group = np.array([_text(one) for one in columns[self.grouped].to_pylist()], dtype=object)
        kept = {key: value[good] for key, value in values.items()}
        start = kept.get("start", np.zeros(int(good.sum()))).astype(np.int64)
        named = tuple(group[good].tolist()) if self.grouped else ()
        rejects.sort(key=lambda one: one.row)
        return LoanPart(kept["amount"], kept["rate"], kept["months"], start, named, rows, tuple(rejects))

    def amounts(self, column: Any, name: str, first: int, good: NDArray[np.bool_], rejects: list[Reject]) -> Floats:
        """What is lent: 0 or more, in whole smallest units."""
        found = _numbers(column, lambda text: read_number(text, what=name), name, first, good, rejects)
        units = found * 10.0**self.places
        with np.errstate(invalid="ignore"):
            fine = np.abs(units - np.round(units)) > 1e-6 * np.maximum(1.0, np.abs(units) * 1e-8)
            _refuse(found, ~(found >= 0), "must be 0 or more", name, first, good, rejects)
            said = f"must have {self.places} decimals at most"
            _refuse(found, fine, said, name, first, good, rejects)
        return found

    def rates(self, column: Any, name: str, first: int, good: NDArray[np.bool_], rejects: list[Reject]) -> Floats:
        """Yearly rates, 0 or more; a number of 1 or more is a percentage without its sign."""
        found = _numbers(column, lambda text: read_rate(text, what=name).value, name, first, good, rejects)
        with np.errstate(invalid="ignore"):
            _refuse(found, found < 0, "must be 0 or more", name, first, good, rejects)
            _refuse(found, found >= 1, "must be below 1: 0.045 is 4.5%", name, first, good, rejects)
        return found

    def counts(self, column: Any, name: str, first: int, good: NDArray[np.bool_], rejects: list[Reject]) -> Floats:
        """How many monthly payments."""
        found = _numbers(column, lambda text: read_number(text, what=name), name, first, good, rejects)
        with np.errstate(invalid="ignore"):
            wrong = ~((found >= 1) & (found <= LONGEST) & (found == np.round(found)))
        _refuse(found, wrong, f"must be a whole number from 1 to {LONGEST:,}", name, first, good, rejects)
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

            found = _texts(column, month, name, first, good, rejects)
        said = "must be a day, such as 2027-01-31"
        _refuse(found, np.isnan(found), said, name, first, good, rejects, shown="nothing")
        return np.asarray(found, dtype=np.float64)


_COLUMN_KINDS = {
    "amount": OpenLoans.amounts,
    "rate": OpenLoans.rates,
    "months": OpenLoans.counts,
    "start": OpenLoans.months,
}


def open_loans(path: Path, columns: Mapping[str, str], grouped: str | None, places: int) -> OpenLoans:
    """Look at a Parquet file or a CSV; InputError for one that cannot be opened or lacks a column."""
    try:
        import pyarrow  # noqa: F401
    except ImportError:
        raise InputError(
            f"{path.name}: books of loans need pyarrow; install pennyweight[parquet].", at=Place.of_file(path.name)
        ) from None
    try:
        there = path.is_file()
    except OSError:  # no name that a file could have
        there = False
    if not there:
        raise InputError(f"There is no file {path}.", at=Place.of_file(path.name))
    if path.suffix.lower() not in (".parquet", ".csv"):
        raise InputError(f"{path.name}: a book of loans is a .parquet or a .csv file.", at=Place.of_file(path.name))
    header = _header(path)
    names = dict[str, str]()
    for key in COLUMNS:
        name = columns.get(key, key)
        if name in names.values():
            raise InputError(
                f"{path.name}: the column '{name}' is named for two of {', '.join(COLUMNS)}; each has its own.",
                at=Place.of_file(path.name),
            )
        if name in header:
            names[key] = name
        elif key != "start" or key in columns:
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
    return OpenLoans(path, header, names, grouped, places, "start" in names)


def _header(path: Path) -> tuple[str, ...]:
    try:
        if path.suffix.lower() == ".parquet":
            from pyarrow import parquet

            return tuple(map(str, parquet.read_schema(path).names))
        with path.open(encoding="utf-8-sig") as lines:
            first = lines.readline().strip()
        if not first:
            raise InputError(f"{path.name} is empty; write amount,rate,months,start.", at=Place.of_file(path.name))
        return tuple(one.strip().strip('"') for one in first.split(","))
    except InputError:
        raise
    except Exception as error:
        kind = type(error).__name__
        raise InputError(f"{path.name} cannot be opened ({kind}).", at=Place.of_file(path.name)) from None


def _csv(path: Path, wanted: list[str]) -> Any:
    """A CSV part by part, every cell a text, so that a row is told as it stands."""
    import pyarrow as pa
    from pyarrow import csv

    return csv.open_csv(
        path,
        read_options=csv.ReadOptions(block_size=8 * 2**20),
        convert_options=csv.ConvertOptions(
            include_columns=wanted, column_types=dict.fromkeys(wanted, pa.string()), strings_can_be_null=True
        ),
    )


def _numbers(column: Any, read: Any, name: str, first: int, good: NDArray[np.bool_], rejects: list[Reject]) -> Floats:
    import pyarrow as pa

    kind = column.type
    if pa.types.is_integer(kind) or pa.types.is_floating(kind) or pa.types.is_decimal(kind):
        found = np.array(column.cast(pa.float64()).to_numpy(zero_copy_only=False), dtype=np.float64)
        _refuse(found, ~np.isfinite(found), "must be a number", name, first, good, rejects, shown="nothing")
        return found
    return _texts(column, read, name, first, good, rejects)


def _texts(column: Any, read: Any, name: str, first: int, good: NDArray[np.bool_], rejects: list[Reject]) -> Floats:
    """A column of texts, each different one read once."""
    import pyarrow as pa

    coded = column.cast(pa.string()).dictionary_encode()
    words = coded.dictionary.to_pylist()
    values, reasons = np.full(len(words) + 1, np.nan), ["stands there"] * len(words)
    for place, word in enumerate(words):
        try:
            values[place] = read(word)
        except InputError as error:
            reasons[place] = str(error).rstrip(".")
    codes = np.array(coded.indices.fill_null(len(words)).to_numpy(zero_copy_only=False), dtype=np.intp)
    found = values[codes]
    for row in np.flatnonzero(np.isnan(found) & good).tolist():
        code = int(codes[row])
        reason = reasons[code] if code < len(words) else f"{name} is empty"
        rejects.append(Reject(first + row, name, "" if code == len(words) else str(words[code]), reason))
        good[row] = False
    return found


def _refuse(
    values: Floats,
    wrong: NDArray[np.bool_],
    said: str,
    name: str,
    first: int,
    good: NDArray[np.bool_],
    rejects: list[Reject],
    shown: str | None = None,
) -> None:
    """Put down the rows whose value cannot be, each for the first reason."""
    for row in np.flatnonzero(wrong & good).tolist():
        value = f"{values[row]:.12g}" if np.isfinite(values[row]) else shown or "no number"
        rejects.append(Reject(first + row, name, value, f"{name} is {value}; it {said}"))
        good[row] = False


def _text(value: Any) -> str:
    return "(empty)" if value is None or value == "" else str(value)

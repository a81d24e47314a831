"""Columns of a Parquet file or a CSV, a part at a time: numbers where they can be, and what is wrong row by row."""

from __future__ import annotations

import csv
import sys
from collections.abc import Callable, Iterable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from pennyweight.array_kinds import Floats, Ints
from pennyweight.errors import InputError, Place

__all__ = [
    "AT_ONCE",
    "Reject",
    "batches_of",
    "coded",
    "filled",
    "header_of",
    "ids_of",
    "nothing",
    "numbers_of",
    "read_as",
    "refuse",
    "text_of",
    "texts_of",
]

AT_ONCE = 131_072
"""So many rows of a Parquet file are looked at together."""


@dataclass(frozen=True, slots=True)
class Reject:
    """A row that makes no loan: which, counted from 1, the column, what stands there, and why."""

    row: int
    column: str
    value: str
    reason: str


def header_of(path: Path, what: str, example: str) -> tuple[str, ...]:
    """The names of the columns of a Parquet file or a CSV; InputError where it cannot be opened.

    `what` is what the file is, `example` what its first line may be.
    """
    try:
        import pyarrow  # noqa: F401
    except ImportError:
        raise InputError(
            f"{path.name}: {what} needs pyarrow; install pennyweight[parquet].", at=Place.of_file(path.name)
        ) from None
    try:
        there = path.is_file()
    except OSError:  # no name that a file could have
        there = False
    if not there:
        raise InputError(f"There is no file {path}.", at=Place.of_file(path.name))
    if path.suffix.lower() not in (".parquet", ".csv"):
        raise InputError(f"{path.name}: {what} is a .parquet or a .csv file.", at=Place.of_file(path.name))
    import pyarrow as pa

    try:
        if path.suffix.lower() == ".parquet":
            from pyarrow import parquet

            found = list(map(str, parquet.read_schema(path).names))
        else:
            with path.open(encoding="utf-8-sig", newline="") as lines:
                found = [one.strip() for one in next(csv.reader(lines), [])]
    except pa.ArrowException:
        raise InputError(
            f"{path.name} is no Parquet file, or a part of it is missing.", at=Place.of_file(path.name)
        ) from None
    except UnicodeDecodeError:
        raise InputError(f"{path.name} is no UTF-8 text; save it as UTF-8.", at=Place.of_file(path.name)) from None
    except (OSError, csv.Error) as error:
        raise InputError(f"{path.name} cannot be read: {error}.", at=Place.of_file(path.name)) from None
    if not any(found):
        raise InputError(f"{path.name} is empty; write {example}.", at=Place.of_file(path.name))
    if len(found) == 1 and (mark := next((one for one in ";\t|" if one in found[0]), None)):
        shown = "tabs" if mark == "\t" else f"'{mark}'"
        raise InputError(
            f"{path.name} has {shown} between its cells; write commas, or a Parquet file.", at=Place.of_file(path.name)
        )
    twice = [name for name in found if found.count(name) > 1]
    if twice:
        raise InputError(f"{path.name} has two columns '{twice[0]}'; rename one.", at=Place.of_file(path.name))
    return tuple(found)


def batches_of(
    path: Path, wanted: list[str], groups: tuple[int, int] | None = None, skipped: list[Reject] | None = None
) -> Iterator[dict[str, Any]]:
    """The wanted columns, part by part; of a Parquet file some row groups, or all.

    `skipped` takes the rows of a CSV that have more or fewer cells than its first line; without it they are an error.
    """
    import pyarrow as pa

    try:
        if path.suffix.lower() == ".parquet":
            from pyarrow import parquet

            some = None if groups is None else list(range(*groups))
            batches = parquet.ParquetFile(path).iter_batches(AT_ONCE, row_groups=some, columns=wanted)
        else:
            batches = _quietly(lambda: _csv(path, wanted, skipped))
        for batch in batches:
            if batch.num_rows:
                yield {name: batch.column(batch.schema.get_field_index(name)) for name in wanted}
    except pa.ArrowException as error:
        raise _refused(path, error) from None


def _quietly(opened: Callable[[], Iterable[Any]]) -> Iterator[Any]:
    """The parts one by one; what the reader fails at inside is told by us, and by nobody beside us."""
    with _quiet():
        following = iter(opened())
    while True:
        with _quiet():
            batch = next(following, None)
        if batch is None:
            return
        yield batch


@contextmanager
def _quiet() -> Iterator[None]:
    before = sys.unraisablehook
    sys.unraisablehook = lambda told: None if isinstance(told.exc_value, UnicodeError) else before(told)
    try:
        yield
    finally:
        sys.unraisablehook = before


@contextmanager
def read_as(path: Path, name: str) -> Iterator[None]:
    """Turn what a column cannot be read as into an error that names it."""
    import pyarrow as pa

    try:
        yield
    except pa.ArrowException as error:
        said = str(error).split("\n")[0].rstrip(".")
        raise InputError(
            f"{path.name}: the column '{name}' cannot be read ({said}); it must hold numbers, texts or days.",
            at=Place.of_file(path.name),
        ) from None


def _refused(path: Path, error: Exception) -> InputError:
    """What is wrong with a file that cannot be read to its end."""
    where, plain = Place.of_file(path.name), path.suffix.lower() == ".csv"
    if plain and not _is_utf_8(path):
        return InputError(f"{path.name} is no UTF-8 text; save it as UTF-8.", at=where)
    told = str(error).split("\n")[0].rstrip(".")
    return InputError(f"{path.name} is no sound {'table' if plain else 'Parquet file'}: {told}.", at=where)


def _is_utf_8(path: Path) -> bool:
    try:
        with path.open(encoding="utf-8") as lines:
            while lines.read(2**20):
                pass
    except UnicodeDecodeError:
        return False
    return True


def ids_of(column: Any) -> list[str]:
    """Names as texts, whatever they were."""
    import pyarrow as pa

    return [text_of(one) for one in column.cast(pa.string()).to_pylist()]


def coded(column: Any, good: NDArray[np.bool_]) -> tuple[tuple[str, ...], Ints]:
    """The different texts of the good rows in the order in which they come, and the place of each row's text."""
    import pyarrow as pa

    kept = column.cast(pa.string()).fill_null("").filter(pa.array(good)).dictionary_encode()
    return tuple(text_of(one) for one in kept.dictionary.to_pylist()), np.asarray(kept.indices, dtype=np.int64)


def filled(column: Any) -> Any:
    """A column with nothing in its empty cells."""
    import pyarrow as pa
    import pyarrow.compute

    if pa.types.is_null(column.type):
        return pa.array(np.zeros(len(column)))
    if pa.types.is_string(column.type) or pa.types.is_large_string(column.type):
        empty = pa.compute.equal(pa.compute.utf8_trim_whitespace(column), "")
        return pa.compute.if_else(pa.compute.fill_null(empty, True), "0", column)
    whole = column.fill_null(0)
    if pa.types.is_floating(column.type):
        return pa.compute.if_else(pa.compute.is_nan(whole), 0.0, whole)
    return whole


def _csv(path: Path, wanted: list[str], skipped: list[Reject] | None) -> Any:
    """A CSV part by part, every cell a text, so that a row is told as it stands."""
    from pyarrow import csv as arrow_csv

    header = header_of(path, "a table", "")

    def handled(row: Any) -> str:
        if skipped is None:
            return "error"
        said = f"the row has {row.actual_columns} cells where the first line has {row.expected_columns}"
        number = len(skipped) + 1 if row.number is None else row.number - 1
        skipped.append(Reject(number, "", row.text or "", said))
        return "skip"

    return arrow_csv.open_csv(
        path,
        read_options=arrow_csv.ReadOptions(
            block_size=8 * 2**20, column_names=list(header), skip_rows=1, use_threads=False
        ),
        parse_options=arrow_csv.ParseOptions(invalid_row_handler=handled),
        convert_options=arrow_csv.ConvertOptions(
            include_columns=wanted,
            column_types=dict.fromkeys(wanted, _text_kind()),
            strings_can_be_null=True,
            null_values=[""],
        ),
    )


def nothing() -> Any:
    """A column of texts without any."""
    import pyarrow as pa

    return pa.array([], pa.string())


def _text_kind() -> Any:
    """The kind of a text."""
    import pyarrow as pa

    return pa.string()


def numbers_of(column: Any, read: Any, name: str, first: int, good: NDArray[np.bool_], rejects: list[Reject]) -> Floats:
    """A column of numbers, texts among them read by `read`; rows without one are put down."""
    import pyarrow as pa

    kind = column.type
    if pa.types.is_integer(kind) or pa.types.is_floating(kind) or pa.types.is_decimal(kind):
        found = np.array(column.cast(pa.float64()).to_numpy(zero_copy_only=False), dtype=np.float64)
        refuse(found, ~np.isfinite(found), "must be a number", name, first, good, rejects, shown="nothing")
        return found
    return texts_of(column, read, name, first, good, rejects)


def texts_of(column: Any, read: Any, name: str, first: int, good: NDArray[np.bool_], rejects: list[Reject]) -> Floats:
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


def refuse(
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
        number = float(values[row])
        value = f"{number:.12g}" if np.isfinite(number) else "infinite" if np.isinf(number) else shown or "no number"
        rejects.append(Reject(first + row, name, value, f"{name} is {value}; it {said}"))
        good[row] = False


def text_of(value: Any) -> str:
    """A cell as a text, by which it is told."""
    return "(empty)" if value is None or value == "" else str(value)

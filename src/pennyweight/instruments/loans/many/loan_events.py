"""What happens to the loans of a book: a file of events beside it, read at once and handed out by loan."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any, Literal, get_args

import numpy as np
from numpy.typing import NDArray

from pennyweight.array_kinds import Floats, Ints
from pennyweight.core.loans.agreement import LONGEST
from pennyweight.core.loans.batch_events import LoanEvents
from pennyweight.errors import InputError, Place, nearest
from pennyweight.instruments.loans.many.arrow_columns import (
    Reject,
    batches_of,
    header_of,
    ids_of,
    numbers_of,
    refuse,
    texts_of,
)
from pennyweight.instruments.loans.many.loan_columns import LoanPart
from pennyweight.quantities.amounts import read_number
from pennyweight.quantities.dates import read_date
from pennyweight.quantities.rates import read_rate

__all__ = ["EVENT_COLUMNS", "BookEvents", "PartEvents", "read_book_events"]

EVENT_COLUMNS = ("id", "date", "what", "amount")
"""Which loan, when (a day, a month, or the number of the payment), what happens, and the amount or the new rate."""

Kind = Literal["rate", "extra", "paid", "balance"]
_KINDS: tuple[str, ...] = get_args(Kind)
_NUMBERS, _MONTHS = 0, 1


@dataclass(frozen=True)
class PartEvents:
    """The events of one part of the loans."""

    touched: Ints
    """The places of the loans to which something happens."""
    events: LoanEvents
    """By the place among `touched`."""
    codes: Ints
    """Whose they are, among the names of all events."""
    twice: dict[int, str]
    """Loans whose name another loan has, by their place, with what to say."""


@dataclass
class BookEvents:
    """All events of a file, sorted by loan."""

    path: Path
    ids: tuple[str, ...]
    """The names of the loans to which something happens, each once."""
    first: Ints
    """Where the events of each name begin; one more, the end."""
    when: Ints
    unit: Ints
    kind: Ints
    value: Floats
    row: Ints
    dated: bool
    """Whether some of them have days or months."""
    rows: int
    unused: tuple[str, ...]
    rejects: list[Reject]
    seen: NDArray[np.bool_]
    """Whose loan has been found, by name."""
    used: int = 0
    late: int = 0
    """Events after their loan was paid off."""
    left_over: float = 0.0
    """What was paid beyond what was owed, in whole units."""
    _places: Any = field(default=None, repr=False)

    def forget_places(self) -> None:
        """Leave what can be made again, before it is sent somewhere."""
        self._places = None

    def of(self, part: LoanPart, places: int) -> PartEvents:
        """What happens to the loans of a part; what cannot happen is put aside."""
        if self._places is None:
            import pandas as pd

            self._places = pd.Index(self.ids)
        codes = np.asarray(self._places.get_indexer(list(part.id)), dtype=np.int64)
        found = np.flatnonzero(codes >= 0)
        _, once = np.unique(codes[found], return_index=True)
        again = np.ones(found.size, dtype=np.bool_)
        again[once] = self.seen[codes[found[once]]]
        twice = {int(k): f"{part.id[k]} is the name of an earlier row, too" for k in found[again]}
        touched = found[~again]
        self.seen[codes[touched]] = True
        mine = codes[touched]
        counts = self.first[mine + 1] - self.first[mine]
        loan = np.repeat(np.arange(touched.size), counts)
        at = np.repeat(self.first[mine] - np.r_[0, np.cumsum(counts)[:-1]], counts) + np.arange(counts.sum())
        number = np.where(self.unit[at] == _NUMBERS, self.when[at], self.when[at] - part.start[touched][loan])
        good = self._possible(part, touched, loan, number, at, places)
        self.used += int(good.sum())
        what = np.array(_KINDS)[self.kind[at[good]]]
        return PartEvents(touched, LoanEvents(loan[good], number[good], what, self.value[at[good]]), mine, twice)

    def _possible(
        self, part: LoanPart, touched: Ints, loan: Ints, number: Ints, at: Ints, places: int
    ) -> NDArray[np.bool_]:
        kind, value, last = self.kind[at], self.value[at], part.months[touched][loan]
        good = np.ones(at.size, dtype=np.bool_)
        units = value * 10.0**places
        fine = np.abs(units - np.round(units)) > 1e-6 * np.maximum(1.0, np.abs(units) * 1e-8)
        order = np.lexsort((np.arange(at.size), kind, number, loan))
        same = np.zeros(at.size, dtype=np.bool_)
        if at.size:
            a, b = order[1:], order[:-1]
            same[a] = (loan[a] == loan[b]) & (number[a] == number[b]) & (kind[a] == kind[b]) & (kind[a] != 1)
        problems: tuple[tuple[NDArray[np.bool_], str, Callable[[int], str]], ...] = (
            (number < 1, "date", lambda k: "it falls before the loan's first payment"),
            (number > last, "date", lambda k: f"it falls after the loan's last payment, {last[k]:.0f}"),
            ((kind >= 2) & (number == last), "date", lambda k: "the last payment clears the loan, whatever is due"),
            ((kind != 0) & fine, "amount", lambda k: f"it must have {places} decimals at most"),
            (same, "what", lambda k: f"payment {number[k]} of the loan has one already"),
        )
        for wrong, column, said in problems:
            for k in np.flatnonzero(wrong & good).tolist():
                shown = _KINDS[kind[k]]
                text = f"{shown} of {part.id[int(touched[loan[k]])]}: {said(k)}"
                self.rejects.append(Reject(int(self.row[at[k]]), column, f"{value[k]:.12g}", text))
                good[k] = False
        return good


def read_book_events(path: Path, columns: Mapping[str, str]) -> BookEvents:
    """Read a Parquet file or a CSV of events; `columns` are what it calls them. InputError for a missing column."""
    header = header_of(path, "a file of events", ",".join(EVENT_COLUMNS))
    names = {key: columns.get(key, key) for key in EVENT_COLUMNS}
    for key, name in names.items():
        if name not in header:
            raise InputError(
                f"{path.name} has no column '{name}'{nearest(name, header) or '.'} It has {', '.join(header)}; "
                f"--event-column {key}=NAME says which is the {key}.",
                at=Place.of_file(path.name),
            )
    if len(set(names.values())) < len(names):
        raise InputError(f"{path.name}: each of {', '.join(EVENT_COLUMNS)} has its own column.", at="events")
    ids: list[str] = []
    parts: list[tuple[Ints, Ints, Ints, Floats, Ints]] = []
    rejects: list[Reject] = []
    first = 1
    for batch in batches_of(path, list(names.values())):
        rows = len(batch[names["id"]])
        good = np.ones(rows, dtype=np.bool_)
        unit, when = _moments(batch[names["date"]], names["date"], first, good, rejects)
        kind = texts_of(batch[names["what"]], _kind, names["what"], first, good, rejects)
        value = _values(batch[names["amount"]], kind, names["amount"], first, good, rejects)
        named = ids_of(batch[names["id"]])
        ids += [named[k] for k in np.flatnonzero(good).tolist()]
        with np.errstate(invalid="ignore"):
            whole = [np.nan_to_num(one)[good].astype(np.int64) for one in (unit, when, kind)]
        parts.append((whole[0], whole[1], whole[2], value[good], (np.arange(rows) + first)[good]))
        first += rows
    none = np.empty(0, np.int64)
    parts = parts or [(none, none, none, np.empty(0), none)]
    units, moments, kinds, row = (np.concatenate([one[k] for one in parts]) for k in (0, 1, 2, 4))
    values = np.concatenate([one[3] for one in parts])
    unique, code = np.unique(np.array(ids, dtype=object).astype(str), return_inverse=True)
    order = np.argsort(code, kind="stable")
    begins = np.searchsorted(code[order], np.arange(unique.size + 1))
    rejects.sort(key=lambda one: one.row)
    return BookEvents(
        path, tuple(unique.tolist()), begins, moments[order], units[order], kinds[order], values[order],
        row[order], bool((units == _MONTHS).any()), first - 1,
        tuple(one for one in header if one not in names.values()), rejects, np.zeros(unique.size, dtype=np.bool_),
    )  # fmt: skip


def _kind(text: str) -> float:
    word = str(text).strip().lower()
    if word not in _KINDS:
        raise InputError(f"it is '{text}'; it must be one of {', '.join(_KINDS)}{nearest(word, _KINDS) or ''}")
    return float(_KINDS.index(word))


def _moments(
    column: Any, name: str, first: int, good: NDArray[np.bool_], rejects: list[Reject]
) -> tuple[Floats, Floats]:
    """(unit, when): numbers of payments, or months counted as year * 12 + month - 1."""
    import pyarrow as pa

    if pa.types.is_temporal(column.type):
        days = column.cast(pa.timestamp("s")).to_numpy(zero_copy_only=False).astype("datetime64[M]")
        months = days.astype(np.int64).astype(np.float64) + 1970 * 12
        for k in np.flatnonzero(np.isnat(days) & good).tolist():
            rejects.append(Reject(first + k, name, "", f"{name} is empty"))
            good[k] = False
        return np.full(months.size, float(_MONTHS)), np.where(np.isnat(days), 0.0, months)
    told = texts_of(column, lambda text: _moment(str(text), name), name, first, good, rejects)
    with np.errstate(invalid="ignore"):
        months = told >= _A_MONTH
        return months.astype(np.float64), np.where(months, told - _A_MONTH, told)


_A_MONTH = 1e7
"""What is added to a month, so that it is told from the number of a payment."""


def _moment(text: str, name: str) -> float:
    plain = text.strip()
    if plain.isdecimal() and len(plain) <= len(str(LONGEST)):
        return float(plain)
    day = f"{plain}-01" if len(plain) == 7 and plain[4] == "-" else plain
    return float(read_date(day, what=name).astype("datetime64[M]").astype(np.int64)) + 1970 * 12 + _A_MONTH


def _values(column: Any, kind: Floats, name: str, first: int, good: NDArray[np.bool_], rejects: list[Reject]) -> Floats:
    """Amounts, and rates where the event is one."""
    import pyarrow as pa

    numeric = pa.types.is_integer(column.type) or pa.types.is_floating(column.type) or pa.types.is_decimal(column.type)
    rates = kind == 0
    if numeric:
        found = numbers_of(column, float, name, first, good, rejects)
    else:
        found = np.full(len(column), np.nan)
        for mine, read in (
            (rates, lambda text: read_rate(text, what=name).value),
            (~rates, lambda text: read_number(text, what=name)),
        ):
            here = good & mine
            told = texts_of(column, read, name, first, here, rejects)
            good &= here | ~mine
            found = np.where(mine, told, found)
    with np.errstate(invalid="ignore"):
        refuse(found, found < 0, "must be 0 or more", name, first, good, rejects)
        refuse(found, rates & (found >= 1), "must be below 1: 0.045 is 4.5%", name, first, good, rejects)
    return found

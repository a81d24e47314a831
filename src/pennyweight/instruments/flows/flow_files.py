"""Files of flows: amounts by date, or by period."""

from __future__ import annotations

from pathlib import Path

import numpy as np

from pennyweight.array_kinds import Floats
from pennyweight.errors import InputError, Place
from pennyweight.quantities.dates import Days
from pennyweight.reading.column_names import SIDES
from pennyweight.reading.kind_words import kind_of
from pennyweight.reading.money_columns import read_money
from pennyweight.reading.tables import CsvTable, Reading, read_csv

__all__ = ["COLUMNS", "by_day", "read_flows"]


COLUMNS = ("date", "period", "amount", "in", "out")
"""The columns of flows: signed amounts, or money in and money out apart."""


def read_flows(path: Path, period: str | None, reading: Reading) -> tuple[Floats, Days | None]:
    """The amounts of a file, and their dates; None when they come one a period, which may be said then."""
    table = read_csv(path, reading=reading, wanted=COLUMNS)
    when = next((name for name in ("date", "period") if table.has(name)), None)
    if when is None:
        reading.finish(table)
        raise InputError(
            f"{path} needs a column 'date' or 'period' beside 'amount'; it has {', '.join(table.header)}.",
            at=Place.of_file(path),
        )
    table = table.without_totals(when)
    _refuse_kinds(table)
    if when == "date" and period is not None:
        raise InputError(f"{path} has dates, so there is no period to give.", at=Place.of_file(path))
    if not len(table.lines):
        raise InputError(f"{path} holds a header and no flows.", at=Place.of_file(path))
    days, amounts = table.gather(
        lambda: table.dates("date") if when == "date" else table.amounts("period"), lambda: read_money(table)
    )
    table.finish()
    reading.finish(table)
    return (amounts, days) if when == "date" else (_by_period(table, days, amounts), None)


def _refuse_kinds(table: CsvTable) -> None:
    """Refuse a statement: a column says which rows are values, deposits, withdrawals, and values are no flows."""
    for head, texts in table.words_beside():
        words = {text for text in texts if text}
        kinds = {kind_of(word) for word in words}
        signs = {word.casefold() for word in words} <= SIDES.keys()
        if words and None not in kinds and not signs and ("value" in kinds or len(kinds) > 1):
            raise InputError(
                f"{table.path} is a statement: its column '{head}' tells values, deposits and withdrawals apart, and "
                "not all of these are flows; use 'pennyweight returns', or Portfolio.from_csv.",
                at=Place.of_file(table.path),
            )


def by_day(amounts: Floats, times: Floats) -> tuple[Floats, Floats]:
    """Flows of one day added up, so that times strictly increase; ends at which nothing happens are left out."""
    days, place = np.unique(times, return_inverse=True)
    return np.bincount(place, weights=amounts, minlength=days.size).astype(np.float64), days


def _by_period(table: CsvTable, periods: Floats, amounts: Floats) -> Floats:
    wrong = np.flatnonzero((periods != np.round(periods)) | (periods < 0) | (periods > 100_000))
    if wrong.size:
        line, value = table.lines[wrong[0]], periods[wrong[0]]
        where = table.place(line, "period")
        raise InputError(f"{where} is {value:g}; periods are whole numbers from 0 on.", at=where)
    if (periods >= 1_800).all():
        where = table.place(table.lines[0], "period")
        raise InputError(
            f"{where} is {periods[0]:g}, which looks like a calendar year; periods count from 0, the day of "
            "the first flow.",
            at=where,
        )
    return np.bincount(periods.astype(np.intp), weights=amounts).astype(np.float64)

"""A column of a CSV file beside the deal becomes one value a period."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TypeAlias

import numpy as np

from pennyweight.array_kinds import Floats
from pennyweight.deals.timeline import Timeline
from pennyweight.errors import InputError
from pennyweight.quantities.amounts import read_number
from pennyweight.reading.column_names import plain_name
from pennyweight.reading.csv_text import TOTAL
from pennyweight.reading.day_columns import looks_like_day
from pennyweight.reading.tables import CsvTable, Reading, read_csv
from pennyweight.reading.text_files import beside, note_form
from pennyweight.reading.toml_files import Source

__all__ = ["ColumnsRead", "Placed", "read_history", "read_series", "unused_columns"]

ColumnsRead: TypeAlias = dict[tuple[str, str], tuple[tuple[str, ...], set[str]]]
"""By file and sheet: its columns, and those that were read."""


def unused_columns(read: ColumnsRead) -> list[str]:
    """A sentence for each file with columns that nothing in the deal reads."""
    found = []
    for (file, sheet), (header, used) in read.items():
        left = [head for head in header if head and head not in used]
        if left:
            shown = left if len(left) <= 12 else [*left[:11], f"{len(left) - 11} more"]
            name = f"{file}, sheet '{sheet}'" if sheet else file
            found.append(f"{name}: not used: the column{'s' if len(left) > 1 else ''} {', '.join(shown)}.")
    return found


@dataclass(frozen=True, slots=True)
class Placed:
    """What puts the rows of a series into their periods, as the deal says it: columns, and what a gap stands for."""

    period: str | None = None
    date: str | None = None
    empty: int | float | str | None = None


def read_series(
    source: Source,
    file: str,
    column: str,
    time: Timeline,
    where: str,
    *,
    sheet: str | None = None,
    read: ColumnsRead,
    placed: Placed | None = None,
) -> tuple[Floats, str | None]:
    """Read (periods + 1,) values, and a remark when the file holds more than is used.

    With a column of periods each value stands at its period, with one of days at the period that holds the day (said in
    `placed`, or called `period` or `date`, or the only one that holds days); without, rows are periods 1, 2, 3… What is
    read of the file is noted in `read`.
    """
    if source.path is None:
        raise InputError(
            f"{where}: a deal that was not read from a file cannot read '{file}'; give its values as steps.", at=where
        )
    table = read_csv(
        beside(source.path, file, where, what="deal"), shown_as=file, reading=Reading({"series": column}, sheet=sheet)
    )
    values = table.amounts("series", share=True)
    placed = placed or Placed()
    kind, timed = _timed(table, column, time, placed, where)
    noted = read.setdefault((file, sheet or ""), (table.header, set()))[1]
    noted |= {next((head for head in table.header if head.lower() == column.lower()), column), timed or column}
    series = np.full(time.rows, np.nan)
    if kind == "period":
        used = _placed(table, values, series, time, table.amounts(timed), timed, where)
    elif kind == "date":
        used = _placed(table, values, series, time, _by_date(table, time, timed, where), timed, where)
    else:
        used = min(values.size, time.periods)
        series[1 : used + 1] = values[:used]
    if placed.empty is not None:
        _fill(series, placed.empty, where)
    missing = np.flatnonzero(np.isnan(series[1:])) + 1
    if missing.size:
        raise InputError(
            f"{where}: {file} gives {used} values for '{column}', the timeline needs {time.periods} "
            f"({time.period}s 1 to {time.periods}); period {missing[0]} is the first without one. Say what stands in "
            'those, such as empty = 0, or empty = "last" for the value before.',
            at=where,
        )
    over = values.size - used
    remark = f"{file} holds {over} more values of '{column}' than the timeline has periods." if over > 0 else None
    return series, remark


_TIMES = (
    "month",
    "quarter",
    "year",
    "week",
    "day",
    "period",
    "date",
    "monat",
    "quartal",
    "jahr",
    "mois",
    "mes",
    "mese",
)
"""Columns that are called so say when a row stands, and are not passed over."""


def _timed(table: CsvTable, column: str, time: Timeline, placed: Placed, where: str) -> tuple[str, str]:
    """(whether periods or days place the rows, and their column); both empty where rows are periods 1, 2, 3…"""
    if placed.period is not None and placed.date is not None:
        raise InputError(f"{where} has both 'period' and 'date'; one column says when a row stands.", at=where)
    for kind, said in (("period", placed.period), ("date", placed.date)):
        if said is not None:
            return kind, table.head_of(said)
    for kind in ("period", "date"):
        if table.has(kind):
            return kind, table.head_of(kind)
    for head in table.header:
        if head.casefold() == column.casefold() or not head:
            continue
        texts = [text for text in table.column(head) if text and not TOTAL.fullmatch(text)]
        if texts and all(looks_like_day(text) for text in texts):
            if time.dates is None:
                continue  # rows in their order: the periods have no days
            note_form(f"{table.path}: '{head}' says the day of each row.")
            return "date", head
        whole = bool(texts) and all(text.isdecimal() for text in texts)
        if plain_name(head) in _TIMES and whole and texts != [str(k + 1) for k in range(len(texts))]:
            raise InputError(
                f"{where}: {table.path} has a column '{head}' that is not 1, 2, 3…; say what it is: period = "
                f'"{head}" or date = "{head}" puts each row in its place.',
                at=where,
            )
    return "", ""


def _fill(series: Floats, empty: int | float | str, where: str) -> None:
    """Put what is said into the periods from 1 on that have no row."""
    gaps = np.flatnonzero(np.isnan(series[1:])) + 1
    if empty == "last":
        for k in gaps.tolist():
            series[k] = series[k - 1]
        return
    series[gaps] = read_number(empty, what=f"{where} empty")


def read_history(
    source: Source, file: str, column: str, where: str, *, sheet: str | None = None, read: ColumnsRead
) -> Floats:
    """Every value of a column, in the order of its rows."""
    if source.path is None:
        raise InputError(f"{where}: a deal that was not read from a file cannot read '{file}'.", at=where)
    table = read_csv(
        beside(source.path, file, where, what="deal"), shown_as=file, reading=Reading({"series": column}, sheet=sheet)
    )
    noted = read.setdefault((file, sheet or ""), (table.header, set()))[1]
    timed = {head for head in table.header if head.lower() in ("year", "period", "date")}
    noted |= timed | {next((head for head in table.header if head.lower() == column.lower()), column)}
    return table.amounts("series", share=True)


def _by_date(table: CsvTable, time: Timeline, head: str, where: str) -> Floats:
    """The period that holds each row's day; beyond the end for one after the timeline."""
    if time.dates is None:
        raise InputError(
            f"{where}: {table.path} has a column of dates, and the periods have none; write 'start' under [timeline].",
            at=where,
        )
    days = table.dates(head)
    if days.size and days.min() < time.dates[0]:
        raise InputError(f"{where}: {table.path} begins on {days.min()}; the timeline on {time.dates[0]}.", at=where)
    return np.searchsorted(time.dates, days).astype(np.float64)


def _placed(
    table: CsvTable, values: Floats, series: Floats, time: Timeline, periods: Floats, head: str, where: str
) -> int:
    if (periods != np.round(periods)).any() or (periods < 0).any():
        raise InputError(f"{where}: the column '{head}' of {table.path} must hold whole periods from 0 on.", at=where)
    if np.unique(periods).size != periods.size:
        raise InputError(f"{where}: {table.path} has two rows for one period.", at=where)
    inside = periods <= time.periods
    series[periods[inside].astype(np.intp)] = values[inside]
    return int(np.count_nonzero(inside & (periods > 0)) + np.count_nonzero(inside & (periods == 0)))

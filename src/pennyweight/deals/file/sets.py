"""`[sets.NAME]` of a deal file: the rows of a table, or one thing a period, with columns as inputs."""

from __future__ import annotations

import datetime as dt
import keyword
import re
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any

import numpy as np

from pennyweight.array_kinds import Floats
from pennyweight.deals.assumptions import Input, ThingSet
from pennyweight.deals.file.shape import ColumnShape, DealShape, SetShape
from pennyweight.deals.timeline import Timeline
from pennyweight.deals.uncertain import read_fall
from pennyweight.errors import InputError, nearest
from pennyweight.quantities.amounts import read_number
from pennyweight.quantities.dates import is_date, read_date
from pennyweight.quantities.numbers import LARGEST
from pennyweight.quantities.units import check_unit, read_value, refuse_bare_percent
from pennyweight.reading.day_columns import looks_like_day, read_day_column
from pennyweight.reading.tables import CsvTable, Reading, read_csv
from pennyweight.reading.text_files import beside, note_remark
from pennyweight.reading.toml_files import Source

__all__ = ["COHORT_COLUMNS", "RawSet", "column_inputs", "each_of", "read_set", "unused_of_sets"]

COHORT_COLUMNS = ("born", "age")
"""The columns of cohorts: the period in which one begins, and how many periods ago that is."""
_LONGEST_THING = 80
_WHOLE_SPANS = ("month", "months", "week", "weeks", "day", "days", "quarters", "periods")
"""Units of which a column that has whole values takes no others."""
_MOST_THINGS = 100_000
_SAMPLE = 200


@dataclass(frozen=True, slots=True)
class RawColumn:
    """A column as it stands: its cells, where each is, and what the deal says of it."""

    cells: Sequence[Any]
    places: Sequence[str]
    kind: str
    """ "number", "date" or "words"."""
    shape: ColumnShape
    words: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class RawSet:
    """A set as it is read: its things, and its columns by the names that formulas use."""

    things: ThingSet
    shown_as: str
    columns: Mapping[str, RawColumn] = field(default_factory=dict)

    @property
    def choices(self) -> dict[str, tuple[str, ...]]:
        """The words of its columns of words, by dotted name."""
        return {
            f"{self.things.name}.{name}": column.words
            for name, column in self.columns.items()
            if column.kind == "words"
        }


def each_of(shape: DealShape) -> dict[str, str]:
    """Every name that is worked out for each thing of a set, with its set; those of loans with every part."""
    sections = (shape.values, shape.money_in, shape.money_out, shape.lines, shape.levels, shape.measures)
    found = {name: item.each for section in sections for name, item in section.items() if item.each}
    return found | {name: item.each for name, item in shape.loans.items() if item.each}


def read_set(source: Source, name: str, item: SetShape, time: Timeline) -> RawSet:
    """A set; InputError with the row and the column of what cannot be right."""
    where = source.where("sets", name)
    ways = [key for key in ("file", "rows", "every") if getattr(item, key) is not None]
    if len(ways) != 1:
        said = f"has {' and '.join(ways)}" if ways else "has no rows"
        raise InputError(f"{where} {said}; give it one of 'file', 'rows' and 'every = \"period\"'.", at=where)
    label = item.label or name.replace("_", " ")
    if item.every is not None:
        extra = [key for key in ("sheet", "name", "columns") if getattr(item, key)]
        if extra:
            raise InputError(f"{where}: one thing a period has no '{extra[0]}'; leave it out.", at=where)
        things = tuple(str(period) for period in range(time.rows))
        return RawSet(ThingSet(name, label, things, where, COHORT_COLUMNS, born=True), where)
    heads, rows, places, shown = _rows(source, name, item, where)
    if not rows:
        raise InputError(f"{where}: {shown} has no rows; a set needs one for each thing.", at=where)
    if len(rows) > _MOST_THINGS:
        raise InputError(f"{where}: {shown} has {len(rows):,} rows; a set has {_MOST_THINGS:,} at most.", at=where)
    naming = item.name or heads[0]
    if naming not in heads:
        raise InputError(
            f"{where}: {shown} has no column '{naming}'{nearest(naming, heads) or '.'} Its columns are "
            f"{', '.join(heads)}.",
            at=where,
        )
    columns = _columns(item, heads, rows, places, naming, where, shown)
    things = _things(rows, heads.index(naming), places, columns, naming)
    return RawSet(ThingSet(name, label, things, where, tuple(columns)), shown, columns)


def _rows(source: Source, name: str, item: SetShape, where: str) -> tuple[list[str], list[list[Any]], list[Any], str]:
    """(heads, cells row by row, where each row stands, what it is called)."""
    if item.file is not None:
        if source.path is None:
            raise InputError(
                f"{where}: a deal that was not read from a file cannot read '{item.file}'; give its 'rows'.", at=where
            )
        table = read_csv(
            beside(source.path, item.file, where, what="deal"), shown_as=item.file, reading=Reading(sheet=item.sheet)
        )
        table = table.without_totals(item.name or next((head for head in table.header if head), ""))
        heads = [head for head in table.header if head]
        return heads, [list(row) for row in zip(*_texts(table, heads), strict=True)], _places(table), item.file
    if item.sheet is not None:
        raise InputError(f"{where}: 'sheet' goes with a file; leave it out.", at=where)
    rows = item.rows or []
    heads = list(dict.fromkeys(head for row in rows for head in row))
    return (
        heads,
        [[row.get(head, "") for head in heads] for row in rows],
        [f"{where}, row {k + 1}" for k in range(len(rows))],
        f"'rows' of {name}",
    )


def _texts(table: CsvTable, heads: Iterable[str]) -> list[list[str]]:
    """The columns as texts; amounts with decimal points, and days in the one form, as one column reads them."""
    found = []
    for head in heads:
        texts = table.column(head)
        filled = [text for text in texts if text]
        some = filled[:_SAMPLE]
        if sum(map(_is_number, some)) * 2 > len(some):
            texts = table.texts_of_amounts(head)
        elif sum(map(looks_like_day, some)) * 2 > len(some):
            read = read_day_column(filled, None)
            if read.unclear is not None:
                line = [at for at, text in zip(table.lines, texts, strict=True) if text][read.unclear]
                where = table.place(line, head)
                raise InputError(
                    f"{where} is '{filled[read.unclear]}', which may have the day or the month first, and no row "
                    "tells; write days as 2027-03-31.",
                    at=where,
                )
            days = iter(filled if read.wrong else read.days.astype(str).tolist())
            texts = [next(days) if text else "" for text in texts]
        found.append(list(texts))
    return found


def _places(table: CsvTable) -> list[str]:
    return [str(table.place(line)) for line in table.lines]


def _columns(
    item: SetShape, heads: list[str], rows: list[list[Any]], places: list[Any], naming: str, where: str, shown: str
) -> dict[str, RawColumn]:
    """The columns by the names that formulas use; InputError for one that is said and is not there."""
    renamed = {one.column: name for name, one in item.columns.items() if one.column}
    found: dict[str, RawColumn] = {}
    for name, one in item.columns.items():
        head = one.column or name
        if head not in heads:
            raise InputError(
                f"{where}: {shown} has no column '{head}'{nearest(head, heads) or '.'} Its columns are "
                f"{', '.join(heads)}.",
                at=where,
            )
    sources = {name: one.column for name, one in item.columns.items() if one.column}
    for k, head in enumerate(heads):
        name = renamed.get(head) or re.sub(r"\W+", "_", head).strip("_")
        unsayable = not re.fullmatch(r"[A-Za-z]\w*", name, re.ASCII) or keyword.iskeyword(name)
        if unsayable or (head == naming and name not in item.columns):
            continue  # formulas cannot name it; where they should, 'column' gives it a name
        if (other := sources.get(name, head)) != head:
            if name in item.columns and item.columns[name].column:
                note_remark(f"{shown}: the column '{head}' is not read, because {name} stands for '{other}' here.")
                continue
            raise InputError(
                f"{where}: {shown} has the columns '{other}' and '{head}', and a formula would call both {name}; give "
                f'one of them a name of its own, as in columns = {{ other = {{ column = "{head}" }} }}.',
                at=where,
            )
        sources[name] = head
        shape = item.columns.get(name, ColumnShape())
        found[name] = _column(name, shape, [row[k] for row in rows], places, head)
    return found


def _column(name: str, shape: ColumnShape, cells: list[Any], places: list[Any], head: str) -> RawColumn:
    """A column with its kind: by what is said of it, else by what most of its cells are."""
    spots = [f"{place}, column '{head}'" if "column" not in str(place) else str(place) for place in places]
    filled = [cell for cell in cells[:_SAMPLE] if cell != ""]
    dates = sum(isinstance(cell, dt.date) or (isinstance(cell, str) and is_date(cell)) for cell in filled)
    numbers = sum(_is_number(cell) for cell in filled)
    if shape.unit == "date" or (shape.unit is None and not shape.choices and dates * 2 > len(filled)):
        kind = "date"
    elif shape.choices or (shape.unit is None and numbers * 2 <= len(filled) and filled):
        kind = "words"
    else:
        kind = "number"
    if kind != "words":
        return RawColumn(cells, spots, kind, shape)
    words = tuple(shape.choices or dict.fromkeys(str(cell) for cell in cells if cell != ""))
    return RawColumn(cells, spots, kind, shape, words)


def _is_number(cell: Any) -> bool:
    if isinstance(cell, int | float):
        return not isinstance(cell, bool)
    try:
        return isinstance(cell, str) and bool(cell) and np.isfinite(read_number(cell))
    except InputError:
        return False


def _things(
    rows: list[list[Any]], naming: int, places: list[Any], columns: Mapping[str, RawColumn], head: str
) -> tuple[str, ...]:
    """The names of the things, each once and none a column."""
    seen: dict[str, int] = {}
    for k, row in enumerate(rows):
        text = str(row[naming]).strip()
        where = places[k]
        if not text or len(text) > _LONGEST_THING or any(ord(mark) < 32 for mark in text):
            said = "is empty" if not text else f"is '{text[:20]}…'"
            raise InputError(
                f"{where}, column '{head}' {said}; every thing needs a name, {_LONGEST_THING} characters at most.",
                at=where,
            )
        if text in columns:
            raise InputError(
                f"{where}: a thing is named '{text}' as a column is, so that its values could not be told apart; "
                "rename one of them.",
                at=where,
            )
        if text in seen:
            raise InputError(
                f"{where}: '{text}' stands there twice, first in {places[seen[text]]}; a thing has one row.", at=where
            )
        seen[text] = k
    return tuple(seen)


def column_inputs(
    raw: RawSet, used: set[str], units: Mapping[str, str], history: Callable[..., Floats]
) -> dict[str, Input]:
    """The columns that formulas name, and those the deal says something of, as inputs by dotted name."""
    found: dict[str, Input] = {}
    for name, column in raw.columns.items():
        dotted = f"{raw.things.name}.{name}"
        if dotted in used or column.shape != ColumnShape():
            found[dotted] = _input(raw, name, column, units.get(dotted), history)
    return found


def _input(raw: RawSet, name: str, column: RawColumn, used_as: str | None, history: Callable[..., Floats]) -> Input:
    shape, dotted = column.shape, f"{raw.things.name}.{name}"
    unit = {"date": "date", "words": "choice"}.get(column.kind) or shape.unit
    if unit is None:
        percents = any(isinstance(cell, str) and "%" in cell for cell in column.cells)
        unit = used_as or ("share" if percents else "number")
    where = raw.things.where
    if unit != "choice":
        check_unit(unit, where=where)
    values = _values(column, unit)
    if shape.whole and (np.round(values) != values).any():
        k = int(np.flatnonzero(np.round(values) != values)[0])
        place = column.places[k]
        raise InputError(f"{place} is {column.cells[k]}; 'whole' needs whole numbers.", at=place)
    low, high = (
        None if given is None else read_value(given, "share", what=f"{where}, {name} {key}")
        for key, given in (("low", shape.low), ("high", shape.high))
    )
    if any(end is not None for end in (low, high)) and column.kind != "number":
        raise InputError(f"{where}: {name} is a column of {column.kind}s and has no 'low' or 'high'.", at=where)
    if low is not None and high is not None and low > high:
        raise InputError(f"{where}: {name}: low {shape.low} is above high {shape.high}.", at=where)
    spans = unit in _WHOLE_SPANS and bool((np.round(values) == values)[np.isfinite(values)].all())
    whole = shape.whole or unit == "period" or spans
    made = Input(
        name=dotted,
        value=values,
        unit=unit,
        label=shape.label or f"{raw.things.label}: {name.replace('_', ' ')}",
        where=where,
        given=f"{raw.shown_as}, column {shape.column or name}",
        low=low,
        high=high,
        choices=column.words,
        step=1.0 if unit == "date" or whole else None,
        fixed=shape.fixed or column.kind != "number",
        of=raw.things.name,
        whole_each=whole or unit == "date",
        decision=shape.decision,
    )
    return replace(made, fall=read_fall(shape.uncertain, shape.moves_with, made, history))


def _values(column: RawColumn, unit: str) -> Floats:
    """One value a thing; an empty cell is refused, unless the deal says what it stands for."""
    plain = column.kind == "number" and unit not in ("rate", "share")
    if plain and (quick := _quick(column.cells)) is not None:
        return quick
    values = np.empty(len(column.cells))
    words = {word: place for place, word in enumerate(column.words)}
    for k, cell in enumerate(column.cells):
        place, given = column.places[k], cell
        if cell == "":
            if column.shape.empty is None:
                raise InputError(
                    f"{place} is empty; write a value, or say what nothing stands for with 'empty' of the column.",
                    at=place,
                )
            given = column.shape.empty
        if given == "never" and unit in ("date", "period", "years"):
            values[k] = np.inf
        elif unit == "choice":
            if str(given) not in words:
                hint = nearest(str(given), column.words) or f"; it must be one of {', '.join(column.words[:12])}."
                raise InputError(f"{place} is '{given}'{hint}", at=place)
            values[k] = words[str(given)]
        elif unit == "date":
            values[k] = float(read_date(given, what=place).astype(np.int64))
        elif isinstance(given, dt.date):
            raise InputError(f"{place} is a date; the column holds numbers.", at=place)
        else:
            values[k] = read_value(given, unit, what=place)
            if unit == "share":
                refuse_bare_percent(given, float(values[k]), what=place)
    return values


def _quick(cells: Sequence[Any]) -> Floats | None:
    """Plain numbers all at once; None where there is anything else among them."""
    try:
        values = np.array([float(cell) for cell in cells if not isinstance(cell, dt.date)])
    except (TypeError, ValueError):
        return None
    return values if values.size == len(cells) and (np.abs(values) <= LARGEST).all() else None


def unused_of_sets(sets: Iterable[RawSet], inputs: Mapping[str, Any]) -> list[str]:
    """A sentence for each set with columns that nothing in the deal reads."""
    found = []
    for raw in sets:
        left = [name for name in raw.columns if f"{raw.things.name}.{name}" not in inputs]
        if left:
            shown = left if len(left) <= 12 else [*left[:11], f"{len(left) - 11} more"]
            found.append(f"{raw.shown_as}: not used: the column{'s' if len(left) > 1 else ''} {', '.join(shown)}.")
    return found

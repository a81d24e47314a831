"""Tables as analysts have them: columns of amounts and days under other people's names, read with exact complaints."""

from __future__ import annotations

import itertools
import re
from collections.abc import Callable, Collection, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import Any, cast

import numpy as np

from pennyweight.array_kinds import Floats
from pennyweight.errors import InputError, Place, all_of, choice, nearest
from pennyweight.plain_text import listed
from pennyweight.quantities.amounts import LONGEST, Mark, read_amount, read_number
from pennyweight.quantities.argument_checks import a_mapping, a_text
from pennyweight.quantities.dates import Days
from pennyweight.reading.column_names import COLUMN_WORDS, guessed, plain_name, signed_texts
from pennyweight.reading.csv_text import TOTAL, Grid, Layout, cut, grid_of_rows, row_place
from pennyweight.reading.day_columns import DayOrder, looks_like_day, read_day_column, read_day_order
from pennyweight.reading.decimal_style import DecimalStyle
from pennyweight.reading.plain_columns import PlainColumn
from pennyweight.reading.text_files import LARGEST_TABLE, note_form, note_remark, read_text
from pennyweight.reading.workbook_files import rows_of_parquet, rows_of_workbook

__all__ = ["CsvTable", "Reading", "read_csv", "reading_of"]

_MOST_MISTAKES = 20


@dataclass(frozen=True, slots=True)
class Reading:
    """How tables are read: what the files call our columns, the decimal mark, the sheet, the order of days.

    `used` gathers which of the names said were there and used, over all files that are read with it.
    """

    columns: Mapping[str, str] = field(default_factory=dict)
    decimal: Mark | None = None
    sheet: str | None = None
    dates: DayOrder | None = None
    found: set[str] = field(default_factory=set, compare=False)
    used: set[str] = field(default_factory=set, compare=False)

    def finish(self, *tables: CsvTable) -> None:
        """Refuse a name that was said and changes nothing."""
        for ours, theirs in self.columns.items():
            where = Place.of_option("--column", "columns")
            if ours not in self.found:
                heads = list(dict.fromkeys(head for table in tables for head in table.header))
                files = listed([Path(table.path).name for table in tables], "or")
                raise InputError(
                    f"{where} {ours}={theirs}: {files} has no column '{theirs}'{nearest(theirs, heads) or '.'} "
                    f"The columns are {', '.join(heads)}.",
                    at=where,
                )
            if ours not in self.used:
                raise InputError(
                    f"{where} {ours}={theirs}: '{ours}' is not used here, because {tables[0].instead(ours)}; "
                    "leave it out.",
                    at=where,
                )


@dataclass(frozen=True, slots=True)
class CsvTable:
    """A table of a file: its column names, its columns as texts, and the line each row stands on.

    `wanted` are the columns of ours that whoever reads it can use. What is guessed, and what is used, is noted.
    """

    path: str
    header: tuple[str, ...]
    columns: tuple[Sequence[str], ...]
    lines: Sequence[int]
    reading: Reading = field(default_factory=Reading)
    delimiter: str = ","
    wanted: tuple[str, ...] = ()
    forms: list[str] = field(default_factory=list)
    _guesses: dict[str, str] = field(default_factory=dict)
    _used: set[str] = field(default_factory=set)

    def has(self, name: str) -> bool:
        """Whether there is a column of ours, by its own name, by the one that was said, or by one that is guessed."""
        return self.head_of(name) in self.header

    def head_of(self, name: str) -> str:
        """What the file calls a column of ours: as said, as written, with other capitals, or as others call it."""
        named = self.reading.columns.get(name, name)
        if named in self.header:
            return named
        alike = [head for head in self.header if plain_name(head) == plain_name(named)]
        if len(alike) == 1:
            return alike[0]
        if name not in self.reading.columns and name in self.wanted:
            taken = {*self.reading.columns.values(), *self._guesses.values()} - {self._guesses.get(name)}
            own = {head for head in self.header if plain_name(head) in self.wanted}
            return guessed(name, self.header, taken | own) or self._of_days(name, taken | own) or named
        return named

    def _of_days(self, name: str, taken: Collection[str]) -> str | None:
        """The column that holds days, where one alone does; of two the first: a row is booked before it is valued."""
        if name != "date" or not self.columns:
            return None
        heads = []
        for head, column in zip(self.header, self.columns, strict=True):
            if not head or head in taken:
                continue
            if isinstance(column, PlainColumn):
                holds = column.days is not None or bool(_day_like(column.texts))
            else:
                holds = _day_like(column)
            heads += [head] if holds else []
        return heads[0] if len(heads) in (1, 2) else None

    def column(self, name: str) -> list[str]:
        """The texts of a column; InputError with the nearest name when there is none."""
        column = self._column(name)
        return column.texts if isinstance(column, PlainColumn) else list(column)

    def _column(self, name: str) -> Sequence[str]:
        """The texts of a column; InputError with the nearest name when there is none."""
        ours, name = name, self.head_of(name)
        if name not in self.header:
            told = ours in self.wanted and ours not in self.reading.columns
            how = f" Say how the file calls it: --column {ours}=NAME (event_columns in a loan file)." if told else ""
            raise InputError(
                f"{self.path} has no column '{name}'{nearest(name, self.header) or '.'} "
                f"Its columns are {', '.join(self.header)}.{how}",
                at=Place.of_file(self.path),
            )
        if self.header.count(name) > 1:
            raise InputError(f"{self.path} has two columns named '{name}'.", at=Place.of_file(self.path))
        self._used.add(name)
        self.reading.used.add(ours)
        if ours not in self.reading.columns and plain_name(name) != ours and ours in self.wanted:
            self._guesses.setdefault(ours, name)
        return self.columns[self.header.index(name)]

    def amounts(self, name: str, *, share: bool = False, empty: float | None = None) -> Floats:
        """A column of numbers; `share` lets percentages stand in it, `empty` is what nothing stands for."""
        column = self._column(name)
        grouped = self.reading.decimal is None and self._style.grouped(column) is not None
        if self.reading.decimal != "," and not grouped:
            quick = column.numbers if isinstance(column, PlainColumn) else None
            quick = _quick(self.column(name)) if quick is None else quick
            if quick is not None:
                return quick
        texts = self.column(name)
        head = self.head_of(name)
        if empty is not None:
            texts = ["" if text in ("-", "–", "—") else text for text in texts]
        texts = signed_texts(texts, self.forms)
        mark = self._mark(head, texts)
        read = read_number if share else read_amount
        values = np.empty(len(texts))
        mistakes: list[InputError] = []
        for k, text in enumerate(texts):
            if not text and empty is not None:
                values[k] = empty
                continue
            try:
                values[k] = read(text, mark=mark)
            except InputError as error:  # places are made for those alone that need one
                line = self.lines[k]
                mistakes.append(error.placed(self.place(line, head)) if text else self._empty(line, head))
                if len(mistakes) > _MOST_MISTAKES:
                    break
        if mistakes:
            raise all_of(mistakes, self.path)
        return values

    def _mark(self, name: str, texts: list[str]) -> Mark | None:
        """The decimal mark of a column; one that is written both ways is refused."""
        if self.reading.decimal is not None:
            return self.reading.decimal
        mark, shows, breaks = self._style.mark_of(texts)
        if mark is None and (grouped := self._style.grouped(texts)) is not None:
            mark = self._style.mark_elsewhere(name)
            if mark is None:
                where, text = self.place(self.lines[grouped], name), texts[grouped]
                raise InputError(
                    f"{where} is '{text}', which is {text.replace('.', '')} where a point groups thousands, as in most "
                    f"files {self._style.points_group()}, and {text} where it is the decimal mark; say which: "
                    f"--decimal , or --decimal . (in a deal or a loan file write {text.replace('.', '')} or {text}0).",
                    at=where,
                )
        if mark == ",":
            self.forms.append(f"decimal commas in '{name}'")
        if breaks is not None and shows is not None:
            words = {".": "point", ",": "comma"}
            other = "," if mark == "." else "."
            where = self.place(self.lines[breaks], name)
            raise InputError(
                f"{where} is '{texts[breaks]}', with a decimal {words[other]}, and row "
                f"{self.lines[shows]} is '{texts[shows]}', with a decimal {words[mark or '.']}; write all "
                "numbers in the same way.",
                at=where,
            )
        return mark

    @property
    def _style(self) -> DecimalStyle:
        return DecimalStyle(self.path, self.header, self.columns, self.delimiter)

    def texts_of_amounts(self, name: str) -> list[str]:
        """A column of amounts and rates as texts with decimal points and signs in front, empty ones as they are."""
        texts = [
            f"-{text[:-1].strip()}" if text.endswith("-") else text
            for text in signed_texts(self.column(name), self.forms)
        ]
        if self._mark(self.head_of(name), [text.rstrip("% ") for text in texts]) != ",":
            return texts
        return [text.replace(".", "").replace(",", ".") for text in texts]

    def dates(self, name: str) -> Days:
        """A column of days, however they are written; InputError asks where they may be read in two ways."""
        column = self._column(name)
        if isinstance(column, PlainColumn) and column.days is not None:
            return self._told_idle(column.days)
        texts = self.column(name)
        head = self.head_of(name)

        read = read_day_column(texts, self.reading.dates)
        if read.unclear is not None:
            where = self.place(self.lines[read.unclear], head)
            raise InputError(
                f"{where} is '{texts[read.unclear]}', which may have the day or the month first, and no row tells; "
                "say --dates day-first or --dates month-first.",
                at=where,
            )
        if read.wrong:
            places = [(k, self.place(self.lines[k], head)) for k in list(read.wrong)[: _MOST_MISTAKES + 1]]
            raise all_of([InputError(f"{where} {read.wrong[k]}", at=where) for k, where in places], self.path)
        self.forms.extend(read.told)
        return read.days if read.ordered else self._told_idle(read.days)

    def _told_idle(self, days: Days) -> Days:
        """Days that can be read in one way alone: an order that was said for them changes nothing, and that is told."""
        if self.reading.dates is not None:
            self.forms.append(f"days that leave no choice, so that {self.reading.dates} changes nothing")
        return days

    def gather(self, *reads: Callable[[], Any]) -> list[Any]:
        """What all of these read, their mistakes told together."""
        found, mistakes = [], []
        for read in reads:
            try:
                found.append(read())
            except InputError as error:
                mistakes += [one for one in error.mistakes if isinstance(one, InputError)] or [error]
        if mistakes:
            raise all_of(mistakes, self.path)
        return found

    def words_beside(self) -> Iterator[tuple[str, list[str]]]:
        """The columns that nobody has used yet, by their names."""
        for head, column in zip(self.header, self.columns, strict=True):
            if head not in self._used:
                yield head, column.texts if isinstance(column, PlainColumn) else list(column)

    def use(self, head: str) -> None:
        """Note that a column was used."""
        self._used.add(head)

    def place(self, line: int, name: str = "") -> Place:
        """A row, or a field of it."""
        return row_place(self.path, line, name)

    def _empty(self, line: int, name: str) -> InputError:
        where = self.place(line, name)
        return InputError(f"{where} is empty; write 0 where nothing happened.", at=where)

    def without_totals(self, name: str) -> CsvTable:
        """The rows but those that add others up: nothing or a word such as "Total" stands where `name` should."""
        if not self.has(name):
            return self
        texts = self.columns[self.header.index(self.head_of(name))]
        if isinstance(texts, PlainColumn) and (texts.days is not None or texts.numbers is not None):
            return self
        if not any(not text or TOTAL.fullmatch(text) for text in dict.fromkeys(texts)):
            return self
        rows = zip(*self.columns, strict=True)
        left = [
            k
            for k, (text, row) in enumerate(zip(texts, rows, strict=True))
            if (not text or TOTAL.fullmatch(text)) and any(TOTAL.fullmatch(cell) for cell in row)
        ]
        if not left:
            return self
        gone = set(left)
        kept = [k for k in range(len(texts)) if k not in gone]
        many = "rows" if len(left) > 1 else "row"
        told = ", ".join(str(self.lines[k]) for k in left[:5]) + (", …" if len(left) > 5 else "")
        note_remark(f"{self.path}: left out {len(left)} {many} of totals ({many} {told}).")
        columns = tuple([column[k] for k in kept] for column in self.columns)
        return replace(self, columns=columns, lines=tuple(self.lines[k] for k in kept))

    def finish(self) -> None:
        """Say in one line what was guessed, and in one which columns nobody used."""
        if self._guesses or self.forms:
            read = [f"'{theirs}' as {ours}" for ours, theirs in self._guesses.items()]
            how = [
                word
                for word, needed in (
                    ("--column NAME=HEADER", bool(self._guesses)),
                    ("--dates", any(form.startswith("dates with") for form in self.forms)),
                    ("--decimal", any(form.startswith("decimal") for form in self.forms)),
                )
                if needed
            ]
            said = "; ".join(dict.fromkeys(filter(None, [listed(read), *self.forms])))
            note_form(f"{self.path}: read {said}." + (f" To say otherwise: {', '.join(how)}." if how else ""))
        unused = [head for head in dict.fromkeys(self.header) if head and head not in self._used]
        if unused:
            columns = "column" if len(unused) == 1 else "columns"
            shown = unused if len(unused) <= 12 else [*unused[:11], f"{len(unused) - 11} more"]
            said = f"{self.path}: not used: the {columns} {', '.join(shown)}."
            ours = [name for name in self.wanted if self.has(name) and self.head_of(name) in unused]
            told = f"{said} {self.instead(ours[0]).capitalize()}." if ours else said
            (note_remark if ours else note_form)(told)

    def instead(self, name: str) -> str:
        """Why a column of ours is not used: another one is in its place."""
        for others in (("date",), ("amount",), ("kind",), ("value",)):
            used = [one for one in others if one in self.reading.used and one != name]
            if used and (name, used[0]) in _INSTEAD:
                return _INSTEAD[name, used[0]]
        return "nothing that is read needs it"


def _day_like(texts: Iterable[str]) -> bool:
    """Whether all cells of a column are days, but for those of totals."""
    filled = [text for text in itertools.islice(texts, 500) if text and not TOTAL.fullmatch(text)]
    return bool(filled) and all(looks_like_day(text) for text in filled)


_INSTEAD = {
    ("period", "date"): "each flow has its date",
    ("in", "amount"): "the signed column 'amount' is read",
    ("out", "amount"): "the signed column 'amount' is read",
    ("value", "kind"): "the column 'kind' says which amounts are values",
}
_PLAIN = re.compile(r"[0-9.+-]*")


def _quick(texts: list[str]) -> Floats | None:
    """Plain numbers all at once; None where there is anything else among them."""
    joined = "".join(texts)
    if not _PLAIN.fullmatch(joined) or "" in texts or (len(joined) > LONGEST and max(map(len, texts)) > LONGEST):
        return None
    try:
        values = np.fromiter(map(float, texts), dtype=np.float64, count=len(texts))
    except ValueError:
        return None
    return values + 0.0 if np.isfinite(values).all() else None


def reading_of(columns: object = None, decimal: object = None, sheet: object = None, dates: object = None) -> Reading:
    """How a table is read, checked; see `Reading`."""
    named = a_mapping(columns, what="columns", of="their names in the file")
    owners: dict[str, str] = {}
    for ours, theirs in named.items():
        if (other := owners.setdefault(a_text(theirs, what=f"columns[{ours!r}]"), ours)) != ours:
            raise InputError(f"columns: '{theirs}' is said to be {other} and {ours}; it is one of them.", at="columns")
    if decimal is not None:
        choice(decimal, (".", ","), "decimal")
    order = read_day_order(dates)
    return Reading(
        dict(named), cast("Mark | None", decimal), None if sheet is None else a_text(sheet, what="sheet"), order
    )


def read_csv(
    path: Path, *, shown_as: str | None = None, reading: Reading | None = None, wanted: Collection[str] = ()
) -> CsvTable:
    """Read a table with a header: a CSV (comma, semicolon, tab or bar between fields), a workbook, or Parquet.

    `wanted` are the columns of ours that can be used; the row that names most of them is the header, and lines
    before it are left out, as are words behind the last row. Rows count from 1 as an editor shows them.
    """
    name, reading = shown_as or str(path), reading or Reading()
    wanted = tuple(wanted)
    heads = {plain_name(word) for word in (*reading.columns.values(), *wanted)}
    heads |= {word for ours in wanted for word in COLUMN_WORDS.get(ours, ())}

    def anchor(header: Sequence[str]) -> int | None:
        if "date" not in wanted:
            return None
        table = CsvTable(name, tuple(header), (), (), reading, wanted=wanted)
        return header.index(table.head_of("date")) if table.has("date") else None

    layout = Layout(heads, anchor, lambda cell: looks_like_day(cell) or cell.isdecimal())
    grid = _grid(path, name, reading, layout)
    for remark in grid.remarks:
        note_remark(remark)
    table = CsvTable(name, grid.header, grid.columns, grid.lines, reading, grid.delimiter, wanted, list(grid.forms))
    for ours, theirs in reading.columns.items():
        if table.head_of(ours) in table.header or theirs in table.header:
            reading.found.add(ours)
    return table


def _grid(path: Path, name: str, reading: Reading, layout: Layout) -> Grid:
    ending = path.suffix.lower()
    if ending == ".xlsx":
        return grid_of_rows(rows_of_workbook(path, reading.sheet, name), name, layout)
    if reading.sheet is not None:
        raise InputError(f"{name} is no workbook, so it has no sheet '{reading.sheet}'.", at=Place.of_file(name))
    if ending == ".parquet":
        return grid_of_rows(rows_of_parquet(path, name), name, layout)
    return cut(read_text(path, largest=LARGEST_TABLE, shown_as=name, other_encodings=True), name, layout)

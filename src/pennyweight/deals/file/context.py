"""What every section of a deal file is read with: places, formulas, periods, and values by unit."""

from __future__ import annotations

import datetime as dt
from collections.abc import Callable, Collection, Iterator, Mapping, Sequence
from contextlib import contextmanager
from typing import Any

import numpy as np

from pennyweight.deals.definition import until_counted
from pennyweight.deals.file.series import ColumnsRead, Placed, read_history, read_series
from pennyweight.deals.file.sets import RawSet, each_of, read_set
from pennyweight.deals.file.shape import DealShape, InputShape, OverrideShape
from pennyweight.deals.language.nodes import Binary, Call, Name, Node, Number, Unary, names_in, walk, written
from pennyweight.deals.language.parse import Things, parse
from pennyweight.deals.language.translation import folded
from pennyweight.deals.parts import COUNTED, choices_of
from pennyweight.deals.timeline import LONGEST, Timeline
from pennyweight.errors import InputError, all_of, nearest, within
from pennyweight.quantities.dates import is_date, read_date
from pennyweight.quantities.numbers import LARGEST, as_float, is_whole_text
from pennyweight.quantities.units import UNITS, read_value, refuse_bare_percent
from pennyweight.reading.toml_files import Source

__all__ = ["Context", "is_day"]

_DATED = ("date", "period_of")
_SLIPS = {"start": "0 for the day of the deal, or 1 for the first period", "begin": "0 for the day of the deal"}


class Context:
    """A deal file, its timeline, and what its readers remark."""

    def __init__(
        self,
        shape: DealShape,
        source: Source,
        mistakes: Sequence[InputError] = (),
        broken: Collection[tuple[str, ...]] = (),
    ) -> None:
        self.shape, self.source = shape, source
        self.where = source.where
        self.remarks: list[str] = []
        self.columns_read: ColumnsRead = {}
        self.mistakes: list[InputError] = list(mistakes)
        self.broken: dict[str, str] = {keys[1]: keys[0] for keys in broken if len(keys) > 1}
        """What has a mistake of its own, by name, and its section, so that nothing else is blamed for it."""
        self.time = Timeline()
        with self.noting():
            self.time = self._timeline()
        self.sets: dict[str, RawSet] = {}
        for name, item in shape.sets.items():
            with self.noting("sets", name):
                self.sets[name] = read_set(source, name, item, self.time)
        self.each = each_of(shape)
        """The set of every name that is worked out for each of its things."""
        self.choices = choices_of(shape.inputs, shape.questions)
        for raw in self.sets.values():
            self.choices.update(raw.choices)
        self.things = Things({name: raw.things.things for name, raw in self.sets.items()}, self.each)

    @contextmanager
    def noting(self, section: str = "", name: str = "") -> Iterator[None]:
        """Note a mistake and go on, so that one run tells them all."""
        try:
            yield
        except InputError as error:
            self.mistakes.append(error)
            if name:
                self.broken[name] = section

    def refuse_mistakes(self) -> None:
        """Raise what was noted, in the order of the lines, if anything was."""
        if self.mistakes:
            raise all_of(self.mistakes, self.source.name)

    def parse(self, given: int | float | str, *keys: str, own: Collection[str] = ()) -> Node:
        """A formula that stands at a place of the file; `own` are names that mean something else here."""
        where = self.where(*keys)
        if isinstance(given, str):
            choices = {name: words for name, words in self.choices.items() if name not in own}
            node = parse(given, where=where, choices=choices, things=self.things)
            if self.time.start is None and any(
                isinstance(part, Call) and part.function in _DATED for part in walk(node)
            ):
                raise InputError(
                    f"{where}: the periods have no dates; write the day of period 0 as 'start' under [timeline].",
                    at=where,
                )
            _check_ways(node, where, dated=self.time.start is not None)
            if self.shape.timeline.counted_to is not None and keys[:1] != ("timeline",):
                return until_counted(node, Name(COUNTED), self.time.per_year)
            return node
        number = as_float(given)
        if number is None or not abs(number) <= LARGEST:
            raise InputError(f"{where} is {given}; it must be a formula, or a number up to {LARGEST:g}.", at=where)
        literal = Number(abs(number), written(abs(given)))
        return Unary("-", literal) if number < 0 else literal

    def moment(self, given: int | str | dt.date | None, side: str, *keys: str) -> Node | None:
        """A period as a formula; of "year n" its first or last period."""
        if given is None:
            return None
        where = self.where(*keys)
        if isinstance(given, dt.date) or (isinstance(given, str) and is_date(given)):
            period = self.period_of(read_date(given, what=where), where)
            return Number(float(period), str(given))
        if isinstance(given, str) and given.strip() in _SLIPS:
            raise InputError(f"{where} is '{given.strip()}'; write {_SLIPS[given.strip()]}.", at=where)
        if isinstance(given, int):
            number = as_float(given)
            node: Node = Number(number if number is not None else float("nan"), f"{number:g}")
        elif given.strip() == "never":
            return Number(float("inf"), "never")
        elif given.strip().startswith("year "):
            inner = self.parse(given.strip()[5:], *keys)
            per_year = Number(float(self.time.per_year), str(self.time.per_year))
            end = Binary("*", inner, per_year)
            start = Binary("-", end, Number(per_year.value - 1, f"{self.time.per_year - 1}"))
            node = end if side == "last" else Call("max", ((None, start), (None, Number(0.0, "0"))))
        else:
            node = self.parse(given, *keys)
            if isinstance(node, Name) and self._is_day(node.name):
                node = Call("period_of", ((None, node),))
        constant = self._figure(node)
        if constant is not None and not 0 <= constant <= self.time.periods:
            raise InputError(
                f"{where} is period {constant:g}; the timeline runs from 0 to {self.time.periods} "
                f"({self.time.period}s).",
                at=where,
            )
        if constant is not None and abs(constant - round(constant)) > 1e-6:
            raise InputError(f"{where} is period {constant:g}, which is not a whole one.", at=where)
        return node

    def period_of(self, day: np.datetime64, where: str) -> int:
        """The period that holds a day; InputError when none does."""
        days = self.time.dates
        if days is None:
            raise InputError(
                f"{where} is the date {day}, and the periods have no dates; write the day of period 0 as 'start' "
                "under [timeline].",
                at=where,
            )
        if not days[0] <= day <= days[-1]:
            raise InputError(f"{where} is {day}; the timeline runs from {days[0]} to {days[-1]}.", at=where)
        return int(np.searchsorted(days, day))

    def _is_day(self, name: str) -> bool:
        head, _, column = name.partition(".")
        if head in self.sets and column in self.sets[head].columns:
            return self.sets[head].columns[column].kind == "date"
        item = self.shape.inputs.get(name)
        return item is not None and is_day(item)

    def each_set(self, each: str | None, section: str, name: str) -> str:
        """The set of an entry that says `each`; InputError when there is none of that name."""
        if each is None or each in self.sets:
            return each or ""
        if each in self.broken:
            return each
        where = self.where(section, name, "each")
        if not self.shape.sets:
            raise InputError(f"{where} is '{each}', and the deal has no sets; write one under [sets.{each}].", at=where)
        hint = nearest(each, self.sets) or "."
        raise InputError(f"{where}: there is no set '{each}'{hint} The sets are {', '.join(self.sets)}.", at=where)

    @staticmethod
    def key_of(text: str) -> int | str:
        """A period written as a key: its number, or the words that say it."""
        return int(text) if is_whole_text(text) and len(text) < 10 else text

    def value(self, item: InputShape | OverrideShape, unit: str, keys: tuple[str, ...]) -> tuple[Any, str]:
        """(the value of an input, how it was given)."""
        where = self.where(*keys)
        if item.value is not None:
            if unit == "date":
                return float(read_date(item.value, what=where).astype(np.int64)), str(item.value)
            if isinstance(item.value, dt.date):
                raise InputError(f"{where} is a date; it must be {UNITS.get(unit, 'a number')}.", at=where)
            try:
                return read_value(item.value, unit, what=where.to("value")), str(item.value)
            except InputError:
                if isinstance(item.value, str) and self._is_formula(item.value, where):
                    raise InputError(
                        f"{where} is '{item.value}', a formula; put it under [values], where one value is worked out "
                        "of others.",
                        at=where,
                    ) from None
                raise
        if item.steps is not None:
            return self._steps(item.steps, unit, keys), "steps"
        if item.column is None:
            raise InputError(f"{where}: name the 'column' of {item.file} to read.", at=where)
        series, remark = read_series(
            self.source,
            str(item.file),
            item.column,
            self.time,
            where,
            sheet=item.sheet,
            read=self.columns_read,
            placed=Placed(*(getattr(item, key, None) for key in ("period", "date", "empty"))),
        )
        if remark:
            self.remarks.append(remark)
        return series, f"{item.file}, column {item.column}"

    def history(self, where: str) -> Callable[[str, str, str | None], Any]:
        """What reads a column of what was, every value of it, for an entry."""

        def read(file: str, column: str, sheet: str | None) -> Any:
            return read_history(self.source, file, column, where, sheet=sheet, read=self.columns_read)

        return read

    def _steps(self, steps: Mapping[str, int | float | str], unit: str, keys: tuple[str, ...]) -> Any:
        where = self.where(*keys)
        if not steps:
            raise InputError(
                f"{where}: 'steps' is empty; write the first period and its value, as in {{ 1 = 6.50 }}.", at=where
            )
        moments: list[tuple[int, float]] = []
        for key, value in steps.items():
            moment = self.key_of(key)
            node = self.moment(moment, "first", *keys, "steps", key)
            period = self._figure(node) if node is not None else None
            if period is None or not np.isfinite(period):
                raise InputError(f"{where}: '{key}' is not a period; write one, such as 5 or \"year 5\".", at=where)
            what = within(where, f" from {key}")
            moments.append((int(period), read_value(value, unit, what=what)))
            if unit == "share":
                refuse_bare_percent(value, moments[-1][1], what=what)
        if [period for period, _ in moments] != sorted({period for period, _ in moments}):
            raise InputError(f"{where}: steps must follow one another in time, each period once.", at=where)
        series = np.full(self.time.rows, np.nan)
        for period, value in moments:
            series[period:] = value
        return series

    def _is_formula(self, text: str, where: str) -> bool:
        try:
            node = self.parse(text)
            return bool(names_in(node)) or any(isinstance(part, Binary | Call) for part in walk(node))
        except InputError:
            return False

    def _figure(self, node: Node) -> float | None:
        """The value of a period that reads nothing but numbers, `end` and `per_year`; else None."""
        value = folded(node, {"end": float(self.time.periods), "per_year": float(self.time.per_year)})
        return value if value is not None and np.isfinite(value) else None

    def _timeline(self) -> Timeline:
        item = self.shape.timeline
        if not 1 <= item.periods <= LONGEST:
            where = self.where("timeline", "periods")
            raise InputError(f"{where} is {item.periods:,}; a timeline has 1 to {LONGEST:,} periods.", at=where)
        start = None if item.start is None else read_date(item.start)
        return Timeline(item.period, item.periods, start)


def _check_ways(node: Node, where: str, *, dated: bool) -> None:
    """Refuse to count by days that are not there, and limits of a rate that is not counted by periods."""
    for call in (part for part in walk(node) if isinstance(part, Call)):
        keys = {key for key, _ in call.arguments}
        if "counted" in keys and not dated:
            raise InputError(
                f"{where}: counted = 'days' needs days; write the day of period 0 as 'start' under [timeline].",
                at=where,
            )
        if keys & {"paid", "counted"} and keys & {"above", "below"}:
            raise InputError(
                f"{where}: 'above' and 'below' do not go with 'paid' and 'counted'; leave one out.", at=where
            )


def is_day(item: InputShape) -> bool:
    """Whether an input is written as a date."""
    given = item.value
    return item.unit == "date" or isinstance(given, dt.date) or (isinstance(given, str) and is_date(given))

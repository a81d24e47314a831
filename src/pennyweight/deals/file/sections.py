"""A deal file becomes a `Definition`: names checked, formulas parsed, inputs read, units worked out."""

from __future__ import annotations

import datetime as dt
import re
from collections.abc import Mapping
from pathlib import Path
from typing import Any

import numpy as np

from pennyweight.deals.compiler.loans import PARTS
from pennyweight.deals.definition import (
    RESERVED,
    Definition,
    Goal,
    Input,
    Level,
    Line,
    Question,
    Run,
    Single,
)
from pennyweight.deals.file.loans import LOAN_TERMS, read_loans, terms_named
from pennyweight.deals.file.scenarios import read_scenarios
from pennyweight.deals.file.series import read_series
from pennyweight.deals.file.shape import (
    DealShape,
    InputShape,
    LevelShape,
    LineShape,
    MeasureShape,
    OverrideShape,
    read_shape,
    shape_of,
)
from pennyweight.deals.language.functions import FUNCTIONS
from pennyweight.deals.language.names import Names, Shape, used_as
from pennyweight.deals.language.nodes import Binary, Call, Name, Node, Number, Unary, walk
from pennyweight.deals.language.parse import parse
from pennyweight.deals.timeline import LONGEST, Timeline
from pennyweight.deals.whole_deal_checks import all_nodes, check_bare_amounts, check_formulas, check_rate_goals
from pennyweight.errors import InputError, nearest
from pennyweight.quantities.dates import read_date
from pennyweight.quantities.numbers import LARGEST, as_float, is_whole_text
from pennyweight.quantities.toml_files import Source
from pennyweight.quantities.units import Style, check_currency, check_locale, check_unit, read_value

__all__ = ["define", "read_definition"]

_LONGEST_NAME = 60
_NAME = re.compile(rf"[A-Za-z][A-Za-z0-9_]{{0,{_LONGEST_NAME - 1}}}")
_SECTIONS = ("inputs", "values", "loans", "money_in", "money_out", "lines", "levels", "measures")


def read_definition(path: Path) -> Definition:
    """Read a deal file; InputError with file, line and reason when something in it cannot be right."""
    shape, source = read_shape(path)
    return Reader(shape, source).definition()


def define(document: dict[str, Any]) -> Definition:
    """Read a deal given as nested dictionaries, as its file would say it; files beside it are not reached."""
    source = Source(None, "the deal", {})
    return Reader(shape_of(document, source), source).definition()


class Reader:
    """One deal file being read."""

    def __init__(self, shape: DealShape, source: Source) -> None:
        self.shape, self.source = shape, source
        self.where = source.where
        self.remarks: list[str] = []

    def definition(self) -> Definition:
        shape = self.shape
        self.time = self._timeline()
        currency = check_currency(shape.currency, where=self.where("currency"))
        self.style = Style(currency, check_locale(shape.locale, where=self.where("locale")))
        self._check_names()
        values = {name: self._single("values", name, item) for name, item in shape.values.items()}
        measures = {name: self._single("measures", name, item) for name, item in shape.measures.items()}
        lines: dict[str, Line] = {}
        for section, role in (("money_in", "in"), ("money_out", "out"), ("lines", "other")):
            for name, item in getattr(shape, section).items():
                lines[name] = self._line(section, role, name, item)
        levels = {name: self._level(name, item) for name, item in shape.levels.items()}
        goals = {name: self._goal(name) for name in shape.goals}
        questions = {name: self._question(name) for name in shape.questions}
        loans, loan_terms = read_loans(self, shape.loans)
        if not (lines or measures):
            raise InputError(f"{self.source.name}: nothing to weigh; write lines under [money_in] and [money_out].")

        nodes: dict[str, Node] = {name: item.node for name, item in {**values, **measures}.items()}
        nodes.update({name: item.node for name, item in lines.items()})
        nodes.update({name: item.node for name, item in levels.items()})
        shapes: dict[str, Shape] = {
            name: "line" if self._is_series(item) else "single" for name, item in shape.inputs.items()
        }
        shapes.update(dict.fromkeys([*values, *measures], "single"))
        shapes.update(dict.fromkeys(loan_terms, "single"))
        parts = [f"{name}.{part}" for name in loans for part in PARTS]
        shapes.update(dict.fromkeys([*lines, *levels, *parts], "line"))
        standing = frozenset([*levels, *(f"{name}.balance" for name in loans)])
        units = self._said_units(lines)
        units.update(dict.fromkeys(parts, "money"))
        units.update({name: item.unit for name, item in loan_terms.items()})
        groups = (values, measures, lines, levels, loans, goals, questions)
        check_formulas(Names(shapes, nodes, units, standing), *groups)
        hints = used_as(all_nodes(*groups))
        for line in lines.values():
            hints.update(_moments_named(line))
        for loan in loans.values():
            hints.update(terms_named(loan))
        for name, item in shape.inputs.items():
            units[name] = item.unit or self._unit_by_use(item, hints.get(name))
        names = Names(shapes, nodes, units, standing)
        check_bare_amounts(lines, loans)
        check_rate_goals(goals, names)
        decides = {name for line in lines.values() for name in _moments_named(line)}
        inputs = {
            name: self._input(name, item, units[name], item.whole or name in decides)
            for name, item in shape.inputs.items()
        } | loan_terms
        return Definition(
            title=shape.deal,
            note=shape.note or "",
            style=self.style,
            timeline=self.time,
            inputs=inputs,
            values=values,
            lines=lines,
            levels=levels,
            loans=loans,
            measures=measures,
            goals=goals,
            scenarios=read_scenarios(self, inputs),
            questions=questions,
            names=names,
            remarks=tuple(self.remarks),
            source=self.source,
        )

    # The frame of the deal.

    def _timeline(self) -> Timeline:
        item = self.shape.timeline
        if not 1 <= item.periods <= LONGEST:
            raise InputError(
                f"{self.where('timeline', 'periods')} is {item.periods:,}; a timeline has 1 to {LONGEST:,} periods."
            )
        start = None if item.start is None else read_date(item.start)
        return Timeline(item.period, item.periods, start)

    def _check_names(self) -> None:
        seen: dict[str, str] = {}
        for section in _SECTIONS:
            for name in getattr(self.shape, section):
                where = self.where(section, name)
                if not _NAME.fullmatch(name):
                    raise InputError(
                        f"{where}: '{name}' cannot be a name; use letters, digits and _, a letter first, "
                        f"{_LONGEST_NAME} at most."
                    )
                if name in RESERVED:
                    raise InputError(f"{where}: '{name}' has a meaning of its own; choose another name.")
                if name in FUNCTIONS and section != "measures":
                    raise InputError(f"{where}: '{name}' is a function; choose another name.")
                if name in seen:
                    raise InputError(f"{where}: the name '{name}' stands already at {seen[name]}.")
                seen[name] = where
        for section in ("scenarios", "questions"):
            for name in getattr(self.shape, section):
                if not _NAME.fullmatch(name) or name == "base":
                    raise InputError(
                        f"{self.where(section, name)}: '{name}' cannot be the name of one; "
                        "use letters, digits and _, and not 'base', which is the deal as it stands."
                    )

    # Its parts.

    def parse(self, given: int | float | str, *keys: str) -> Node:
        """A formula that stands at a place of the file."""
        where = self.where(*keys)
        if isinstance(given, str):
            return parse(given, where=where)
        number = as_float(given)
        if number is None or not abs(number) <= LARGEST:
            raise InputError(f"{where} is {given}; it must be a formula, or a number up to {LARGEST:g}.")
        return parse(repr(given), where=where)

    def _single(self, section: str, name: str, item: MeasureShape) -> Single:
        where = self.where(section, name)
        unit = None if item.unit is None else check_unit(item.unit, where=where)
        node = self.parse(item.formula, section, name)
        return Single(name, node, where, item.label or _words(name), unit, item.undefined)

    def _line(self, section: str, role: Any, name: str, item: LineShape) -> Line:
        where = self.where(section, name)
        unit = None if item.unit is None else check_unit(item.unit, where=where)
        if item.at is not None and (item.from_ is not None or item.to is not None or item.every is not None):
            raise InputError(f"{where}: 'at' is one period; it does not go with 'from', 'to' or 'every'.")
        run = Run(
            at=self.moment(item.at, "last", section, name, "at"),
            first=self.moment(item.from_, "first", section, name, "from"),
            last=self.moment(item.to, "last", section, name, "to"),
            every=None if item.every is None else self.parse(item.every, section, name, "every"),
        )
        node = self.parse(item.formula, section, name)
        settings = self._settings(item.set, section, name)
        return Line(name, role, node, run, settings, where, item.label or _words(name), unit)

    def _level(self, name: str, item: LevelShape) -> Level:
        where = self.where("levels", name)
        unit = None if item.unit is None else check_unit(item.unit, where=where)
        start = None if item.start is None else self.parse(item.start, "levels", name, "start")
        node = self.parse(item.formula, "levels", name)
        settings = self._settings(item.set, "levels", name)
        return Level(name, node, start, settings, where, item.label or _words(name), unit)

    def moment(self, given: int | str | dt.date | None, side: str, *keys: str) -> Node | None:
        """A period as a formula; of "year n" its first or last period."""
        if given is None:
            return None
        where = self.where(*keys)
        if isinstance(given, dt.date):
            raise InputError(f"{where} is a date; this version reads periods, such as 3, 'year 2' or 'end'.")
        if isinstance(given, int):
            number = as_float(given)
            node: Node = Number(number if number is not None else float("nan"), f"{number:g}")
        elif given.strip() == "never":
            return Number(float("inf"), "never")
        elif given.strip().startswith("year "):
            inner = parse(given.strip()[5:], where=where)
            per_year = Number(float(self.time.per_year), str(self.time.per_year))
            end = Binary("*", inner, per_year)
            start = Binary("-", end, Number(per_year.value - 1, f"{self.time.per_year - 1}"))
            node = end if side == "last" else Call("max", ((None, start), (None, Number(0.0, "0"))))
        else:
            node = parse(given, where=where)
        constant = _number(node, self.time)
        if constant is not None and not 0 <= constant <= self.time.periods:
            raise InputError(
                f"{where} is period {constant:g}; the timeline runs from 0 to {self.time.periods} "
                f"({self.time.period}s)."
            )
        if constant is not None and abs(constant - round(constant)) > 1e-6:
            raise InputError(f"{where} is period {constant:g}, which is not a whole one.")
        return node

    @staticmethod
    def key_of(text: str) -> int | str:
        """A period written as a key: its number, or the words that say it."""
        return int(text) if is_whole_text(text) and len(text) < 10 else text

    def _settings(
        self, given: Mapping[str, int | float | str] | None, section: str, name: str
    ) -> tuple[tuple[tuple[Node, Node], Node], ...]:
        found = []
        for key, value in (given or {}).items():
            moment = self.key_of(key)
            first = self.moment(moment, "first", section, name, "set", key)
            last = self.moment(moment, "last", section, name, "set", key)
            if first is not None and last is not None:
                found.append(((first, last), self.parse(value, section, name, "set", key)))
        return tuple(found)

    def _goal(self, name: str) -> Goal:
        where = self.where("goals", name)
        if name not in self.shape.measures:
            known = list(self.shape.measures)
            raise InputError(
                f"{where}: there is no measure '{name}'{nearest(name, known) or '.'} "
                f"Measures are {', '.join(known) or 'not declared'}."
            )
        item = self.shape.goals[name]
        if (item.at_least is None) == (item.at_most is None):
            raise InputError(f"{where}: say either 'at_least' or 'at_most'.")
        bounds = {
            key: None if value is None else self._bound(value, name, key)
            for key, value in (
                ("at_least", item.at_least),
                ("at_most", item.at_most),
                ("nearly", item.nearly),
            )
        }
        return Goal(name, **bounds, undefined_is_met=item.undefined == "met", where=where)

    def _bound(self, value: int | float | str, name: str, key: str) -> Node:
        return self.parse(value, "goals", name, key)

    def _question(self, name: str) -> Question:
        item = self.shape.questions[name]
        where = self.where("questions", name)
        known = [*self.shape.inputs, *(f"{loan}.{term}" for loan in self.shape.loans for term in LOAN_TERMS)]
        if item.find not in known:
            raise InputError(f"{where}: there is no input '{item.find}' to find{nearest(item.find, known) or '.'}")
        node = None if item.so_that is None else parse(item.so_that, where=self.where("questions", name, "so_that"))
        if node is None and not self.shape.goals:
            raise InputError(f"{where}: without 'so_that' it asks for the deal to pay off, and there are no goals.")
        label = item.label or _words(name)
        return Question(name, item.find, node, item.so_that or "pays_off", item.pick, label, where)

    # Inputs.

    def _is_series(self, item: InputShape) -> bool:
        return item.steps is not None or item.file is not None

    def _unit_by_use(self, item: InputShape, used: str | None) -> str:
        if used:
            return used
        texts = [item.value, *(item.steps or {}).values()]
        if any(isinstance(text, str) and "%" in text for text in texts):
            return "share"
        return "number"

    def _input(self, name: str, item: InputShape, unit: str, whole: bool) -> Input:
        where = self.where("inputs", name)
        check_unit(unit, where=where)
        ways = [key for key in ("value", "steps", "file") if getattr(item, key) is not None]
        if len(ways) != 1:
            said = f"has {' and '.join(ways)}" if ways else "has no value"
            raise InputError(f"{where} {said}; give it one of 'value', 'steps' or 'file' with 'column'.")
        value, given = self.value(item, unit, ("inputs", name))
        low = None if item.low is None else read_value(item.low, unit, what=f"{where} low")
        high = None if item.high is None else read_value(item.high, unit, what=f"{where} high")
        if low is not None and high is not None and low > high:
            raise InputError(f"{where}: low {item.low} lies above high {item.high}.")
        if item.whole and (isinstance(value, np.ndarray) or value != round(value)):
            raise InputError(f"{where} is {given}; 'whole' is for one whole number.")
        whole = whole and not isinstance(value, np.ndarray)
        return Input(name, value, unit, item.label or _words(name), low, high, where, given, whole)

    def value(self, item: InputShape | OverrideShape, unit: str, keys: tuple[str, ...]) -> tuple[Any, str]:
        """(the value of an input, how it was given)."""
        where = self.where(*keys)
        if item.value is not None:
            return read_value(item.value, unit, what=where), str(item.value)
        if item.steps is not None:
            return self._steps(item.steps, unit, keys), "steps"
        if item.column is None:
            raise InputError(f"{where}: name the 'column' of {item.file} to read.")
        series, remark = read_series(self.source, str(item.file), item.column, self.time, where)
        if remark:
            self.remarks.append(remark)
        return series, f"{item.file}, column {item.column}"

    def _steps(self, steps: Mapping[str, int | float | str], unit: str, keys: tuple[str, ...]) -> Any:
        where = self.where(*keys)
        if not steps:
            raise InputError(f"{where}: 'steps' is empty; write the first period and its value, as in {{ 1 = 6.50 }}.")
        moments: list[tuple[int, float]] = []
        for key, value in steps.items():
            moment = self.key_of(key)
            node = self.moment(moment, "first", *keys, "steps", key)
            period = _number(node, self.time) if node is not None else None
            if period is None or not np.isfinite(period):
                raise InputError(f"{where}: '{key}' is no period to step at; write one such as 5 or \"year 5\".")
            moments.append((int(period), read_value(value, unit, what=f"{where} from {key}")))
        if [period for period, _ in moments] != sorted({period for period, _ in moments}):
            raise InputError(f"{where}: steps must follow one another in time, each period once.")
        series = np.full(self.time.rows, np.nan)
        for period, value in moments:
            series[period:] = value
        return series

    def _said_units(self, lines: Mapping[str, Line]) -> dict[str, str]:
        units = {name: "money" for name, line in lines.items() if line.role != "other"}
        for section in ("values", "money_in", "money_out", "lines", "levels", "measures"):
            for name, item in getattr(self.shape, section).items():
                if item.unit is not None:
                    units[name] = item.unit
        return units


def _moments_named(line: Line) -> dict[str, str]:
    """The names that stand alone for a period of a line's run, or for its year: name to "period" or "years"."""
    found = {}
    for node in (line.run.at, line.run.first, line.run.last, line.run.every):
        if isinstance(node, Name):
            found[node.name] = "period"
        elif node is not None:
            # "year n" became n * per_year, and its first period max(n * per_year - …, 0).
            found.update(
                (part.left.name, "years")
                for part in walk(node)
                if isinstance(part, Binary) and part.operator == "*" and isinstance(part.left, Name)
            )
    return found


def _number(node: Node, time: Timeline) -> float | None:
    """The value of a formula that reads nothing but numbers, `end` and `per_year`; else None."""
    known = {"end": float(time.periods), "per_year": float(time.per_year)}
    match node:
        case Number():
            return node.value
        case Name():
            return known.get(node.name)
        case Unary(operator="-"):
            inner = _number(node.operand, time)
            return None if inner is None else -inner
        case Binary():
            left, right = _number(node.left, time), _number(node.right, time)
            if left is None or right is None or (node.operator == "/" and right == 0):
                return None
            operations = {"+": left + right, "-": left - right, "*": left * right}
            return operations.get(node.operator, left / right if node.operator == "/" else None)
        case Call(function="max"):
            parts = [_number(argument, time) for _, argument in node.arguments]
            return None if None in parts else max(part for part in parts if part is not None)
        case _:
            return None


def _words(name: str) -> str:
    return name.replace("_", " ")

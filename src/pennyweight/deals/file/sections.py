"""A deal file becomes a `Definition`: names checked, formulas parsed, inputs read, units worked out."""

from __future__ import annotations

import re
from collections.abc import Mapping
from pathlib import Path
from typing import Any

import numpy as np

from pennyweight.deals.definition import (
    PARTS,
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
from pennyweight.deals.file.context import Context
from pennyweight.deals.file.loans import LOAN_TERMS, read_loans, terms_named
from pennyweight.deals.file.scenarios import read_scenarios
from pennyweight.deals.file.shape import (
    NAMING,
    InputShape,
    LevelShape,
    LineShape,
    MeasureShape,
    read_shape,
    shape_of,
)
from pennyweight.deals.language.functions import FUNCTIONS
from pennyweight.deals.language.names import Extent, Names, used_as
from pennyweight.deals.language.nodes import Binary, Name, Node, walk
from pennyweight.deals.language.parse import parse
from pennyweight.deals.whole_deal_checks import all_nodes, check_bare_amounts, check_formulas, check_rate_goals
from pennyweight.errors import InputError, nearest, within
from pennyweight.quantities.toml_files import Source
from pennyweight.quantities.units import Style, check_currency, check_locale, check_unit, read_value

__all__ = ["define", "read_definition"]

_LONGEST_NAME = 60
_NAME = re.compile(rf"[A-Za-z][A-Za-z0-9_]{{0,{_LONGEST_NAME - 1}}}")


def read_definition(path: Path) -> Definition:
    """Read a deal file; InputError with file, line and reason when something in it cannot be right."""
    shape, source = read_shape(path)
    return Reader(shape, source).definition()


def define(document: dict[str, Any]) -> Definition:
    """Read a deal given as nested dictionaries, as its file would say it; files beside it are not reached."""
    source = Source(None, "the deal", {})
    return Reader(shape_of(document, source), source).definition()


class Reader(Context):
    """One deal file being read, section by section."""

    def definition(self) -> Definition:
        shape = self.shape
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
            raise InputError(
                f"{self.source.name}: nothing to weigh; write lines under [money_in] and [money_out].",
                at=self.source.where(),
            )

        nodes: dict[str, Node] = {name: item.node for name, item in {**values, **measures}.items()}
        nodes.update({name: item.node for name, item in lines.items()})
        nodes.update({name: item.node for name, item in levels.items()})
        shapes: dict[str, Extent] = {
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

    def _check_names(self) -> None:
        seen: dict[str, str] = {}
        for section in NAMING:
            for name in getattr(self.shape, section):
                where = self.where(section, name)
                if not _NAME.fullmatch(name):
                    raise InputError(
                        f"{where}: '{name}' cannot be a name; use letters, digits and _, a letter first, "
                        f"{_LONGEST_NAME} at most.",
                        at=where,
                    )
                if name in RESERVED:
                    raise InputError(f"{where}: '{name}' has a meaning of its own; choose another name.", at=where)
                if name in FUNCTIONS and section != "measures":
                    raise InputError(f"{where}: '{name}' is a function; choose another name.", at=where)
                if name in seen:
                    raise InputError(f"{where}: the name '{name}' is already used at {seen[name]}.", at=where)
                seen[name] = where
        for section in ("scenarios", "questions"):
            for name in getattr(self.shape, section):
                if not _NAME.fullmatch(name) or name == "base":
                    where = self.where(section, name)
                    raise InputError(
                        f"{where}: '{name}' cannot be a name here; "
                        "use letters, digits and _, and not 'base', which is the deal as it stands.",
                        at=where,
                    )

    # Its parts.

    def _single(self, section: str, name: str, item: MeasureShape) -> Single:
        where = self.where(section, name)
        unit = None if item.unit is None else check_unit(item.unit, where=where)
        node = self.parse(item.formula, section, name)
        return Single(name, node, where, item.label or _words(name), unit, item.undefined)

    def _line(self, section: str, role: Any, name: str, item: LineShape) -> Line:
        where = self.where(section, name)
        unit = None if item.unit is None else check_unit(item.unit, where=where)
        if item.at is not None and (item.from_ is not None or item.to is not None or item.every is not None):
            raise InputError(f"{where}: 'at' is a single period; leave out 'from', 'to' and 'every'.", at=where)
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
                f"The measures are {', '.join(known) or 'not declared'}.",
                at=where,
            )
        item = self.shape.goals[name]
        if (item.at_least is None) == (item.at_most is None):
            raise InputError(f"{where}: say either 'at_least' or 'at_most'.", at=where)
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
            place = self.where("questions", name, "find")
            raise InputError(
                f"{place}: there is no input '{item.find}' to find{nearest(item.find, known) or '.'}", at=place
            )
        node = None if item.so_that is None else parse(item.so_that, where=self.where("questions", name, "so_that"))
        if node is None and not self.shape.goals:
            raise InputError(
                f"{where}: without 'so_that' it asks for the deal to pay off, and there are no goals.", at=where
            )
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
            raise InputError(f"{where} {said}; give it one of 'value', 'steps' or 'file' with 'column'.", at=where)
        value, given = self.value(item, unit, ("inputs", name))
        low = None if item.low is None else read_value(item.low, unit, what=within(where, " low"))
        high = None if item.high is None else read_value(item.high, unit, what=within(where, " high"))
        if low is not None and high is not None and low > high:
            raise InputError(f"{where}: low {item.low} is above high {item.high}.", at=where)
        if item.whole and (isinstance(value, np.ndarray) or value != round(value)):
            raise InputError(f"{where} is {given}; 'whole' needs a single whole number.", at=where)
        whole = whole and not isinstance(value, np.ndarray)
        return Input(name, value, unit, item.label or _words(name), low, high, where, given, whole)

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


def _words(name: str) -> str:
    return name.replace("_", " ")

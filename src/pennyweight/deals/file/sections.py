"""A deal file becomes a `Definition`: names checked, formulas parsed, inputs read, units worked out."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Mapping
from functools import partial
from pathlib import Path
from typing import Any, Literal, TypeAlias, TypeVar

from pennyweight.deals.definition import (
    PARTS,
    RESERVED,
    TOTALS,
    Definition,
    Goal,
    Input,
    Level,
    Line,
    Run,
    Setting,
    Single,
)
from pennyweight.deals.file.asked import (
    own_names,
    read_charts,
    read_checks,
    read_columns,
    read_grids,
    read_question,
    with_between,
)
from pennyweight.deals.file.context import Context
from pennyweight.deals.file.inputs import is_series, read_input, unit_by_use
from pennyweight.deals.file.loans import LOAN_TERMS, read_loans, terms_named
from pennyweight.deals.file.scenarios import read_scenarios, switched
from pennyweight.deals.file.series import unused_columns
from pennyweight.deals.file.shape import (
    NAMING,
    SECTIONS,
    LevelShape,
    LineShape,
    MeasureShape,
    read_shape,
    shape_of,
)
from pennyweight.deals.language.functions import FUNCTIONS
from pennyweight.deals.language.names import Extent, Names, steps_of, used_as
from pennyweight.deals.language.nodes import Binary, Call, Name, Node, walk
from pennyweight.deals.period_zero import Early, begun
from pennyweight.deals.whole_deal_checks import all_nodes, check_bare_amounts, check_formulas, check_goals, check_nearly
from pennyweight.errors import InputError, nearest
from pennyweight.quantities.units import Style, check_currency, check_locale, check_unit
from pennyweight.reading.toml_files import Source

__all__ = ["define", "read_definition"]

Part = TypeVar("Part")
Role: TypeAlias = Literal["in", "out", "other"]

_LONGEST_NAME = 60
_A_YEAR = {"year": 1, "half year": 2, "quarter": 4, "month": 12, "week": 52, "day": 365}
_NAME = re.compile(rf"[A-Za-z][A-Za-z0-9_]{{0,{_LONGEST_NAME - 1}}}")


def read_definition(path: Path) -> Definition:
    """Read a deal file; InputError with file, line and reason when something in it cannot be right."""
    return Reader(*read_shape(path)).definition()


def define(document: dict[str, Any], beside: Path | None = None) -> Definition:
    """Read a deal given as nested dictionaries, as its file would say it; files lie `beside` another one, if any."""
    source = Source(beside, "the deal", {}, document)
    shape, mistakes, broken = shape_of(document, source)
    return Reader(shape, source, mistakes, broken).definition()


class Reader(Context):
    """One deal file being read, section by section."""

    def definition(self) -> Definition:
        """The deal; InputError with every mistake of it."""
        shape = self.shape
        self.style = Style("", "en")
        with self.noting():
            currency = check_currency(shape.currency, where=self.where("currency"))
            self.style = Style(currency, check_locale(shape.locale, where=self.where("locale")))
        self._check_names()
        values = self._all("values", lambda name, item: self._single("values", name, item))
        measures = self._all("measures", lambda name, item: self._single("measures", name, item))
        lines: dict[str, Line] = {}
        roles: dict[str, Role] = {"money_in": "in", "money_out": "out", "lines": "other"}
        for section, role in roles.items():
            lines.update(self._all(section, partial(self._line, section, role)))
        levels = self._all("levels", self._level)
        goals = self._all("goals", lambda name, _: self._goal(name))
        loans, loan_terms = read_loans(self, shape.loans)
        known = [*shape.inputs, *self.broken, *(f"{loan}.{term}" for loan in shape.loans for term in LOAN_TERMS)]
        questions = self._all("questions", lambda name, _: read_question(self, name, known))
        columns = self._all("tables", lambda name, _: read_columns(self, name))
        own_checks = read_checks(self)
        if not (lines or measures or self.mistakes):
            raise InputError(
                f"{self.source.name}: nothing to weigh; write lines under [money_in] and [money_out].",
                at=self.source.where(),
            )

        cells = {column.name: column for own in columns.values() for column in own.values()}
        nodes: dict[str, Node] = {name: item.node for name, item in {**values, **measures, **cells}.items()}
        nodes.update({name: item.node for name, item in lines.items()})
        nodes.update({name: item.node for name, item in levels.items()})
        starts = {name: item.start for name, item in levels.items() if item.start is not None}
        shapes: dict[str, Extent] = {
            name: "line" if is_series(item) else "single" for name, item in shape.inputs.items()
        }
        shapes.update(dict.fromkeys([*shape.values, *shape.measures, *shape.questions, *cells, *loan_terms], "single"))
        shapes.update({key: "single" for table in columns for key in own_names(self, table).values()})
        parts = [f"{name}.{part}" for name in (*shape.loans, *(["loans"] if shape.loans else [])) for part in PARTS]
        shapes.update(dict.fromkeys([*shape.money_in, *shape.money_out, *shape.lines, *shape.levels, *parts], "line"))
        shapes.update({
            name: "line" if section in ("money_in", "money_out", "lines", "levels") else "single"
            for name, section in self.broken.items()
        })  # fmt: skip
        standing = frozenset([*levels, *(part for part in parts if part.endswith(".balance"))])
        units = self._said_units(lines, cells.values())
        units.update(dict.fromkeys(parts, "money"))
        units.update({name: item.unit for name, item in loan_terms.items()})
        groups = (values, measures, lines, levels, loans, goals, questions, cells, own_checks)
        before = len(self.mistakes)
        check_formulas(Names(shapes, nodes, units, standing, starts), *groups, note=self.noting)
        if len(self.mistakes) > before:
            self._rest_in_spite(lines, levels, goals)
        early = Early(lines, loans)
        values, measures, goals = begun(values, early), begun(measures, early), begun(goals, early)
        lines, levels = begun(lines, early), begun(levels, early)
        questions, own_checks = begun(questions, early), begun(own_checks, early)
        columns = {table: begun(own, early) for table, own in columns.items()}
        hints: dict[str, str] = {}
        steps: dict[str, float] = {}
        leasts: dict[str, float] = {}
        for line in lines.values():
            hints.update(moments_named(line))
        steps.update(dict.fromkeys(hints, 1.0))
        hints = {**used_as(all_nodes(*groups)), **hints}
        for name, step in steps_of(all_nodes(*groups), self.time.per_year).items():
            steps.setdefault(name, step)
        for loan in loans.values():
            for name, use in terms_named(loan).items():
                if use.unit != "number":
                    hints[name] = use.unit
                if use.step is not None:
                    steps.setdefault(name, use.step)
                if use.least is not None:
                    leasts[name] = use.least
        for name, item in shape.inputs.items():
            units[name] = item.unit or unit_by_use(item, hints.get(name))
        inputs = self._read_inputs(units, steps, leasts) | loan_terms
        self.refuse_mistakes()
        tables, parameters = read_grids(self, inputs, columns)
        units.update({name: item.unit for name, item in parameters.items()})
        for name, question in questions.items():
            units[name] = inputs[question.find].unit
            with self.noting("questions", name):
                questions[name] = with_between(self, question, inputs[question.find])
        names = Names(shapes, nodes, units, standing, starts)
        with self.noting():
            check_bare_amounts(lines, loans)
        check_nearly(goals, note=self.noting)
        check_goals(goals, names, note=self.noting)
        scenarios, switches = read_scenarios(self, inputs, lines, levels)
        charts = read_charts(self, [*lines, *levels, *parts, *TOTALS], names)
        self.refuse_mistakes()
        return Definition(
            title=shape.deal,
            note=shape.note or "",
            style=self.style,
            timeline=self.time,
            inputs=inputs,
            values=values,
            lines={name: switched(item, switches) for name, item in lines.items()},
            levels={name: switched(item, switches) for name, item in levels.items()},
            loans=loans,
            measures=measures,
            goals=goals,
            scenarios=scenarios,
            questions=questions,
            tables=tables,
            own_checks=own_checks,
            charts=charts,
            parameters=parameters | switches,
            names=names,
            notes=self._notes(),
            remarks=(*self.remarks, *unused_columns(self.columns_read)),
            source=self.source,
        )

    def _rest_in_spite(self, lines: Mapping[str, Line], levels: Mapping[str, Level], goals: Mapping[str, Goal]) -> None:
        """What can be told of a deal in which formulas are wrong: its inputs, scenarios and goals; then all of it."""
        units = {name: item.unit or unit_by_use(item, None) for name, item in self.shape.inputs.items()}
        inputs = self._read_inputs(units, {}, {})
        known = inputs | {
            name: Input(name=name, value=0.0, unit="number", label=name, where="", given="")
            for name in self.shape.inputs if name not in inputs
        }  # fmt: skip
        read_scenarios(self, known, lines, levels)
        check_nearly(goals, note=self.noting)
        self.refuse_mistakes()

    def _notes(self) -> dict[tuple[str, str], str]:
        """The remarks of every section whose entries may have one; those of tables stand below them."""
        entries = ((section, name, item) for section in SECTIONS for name, item in getattr(self.shape, section).items())
        return {
            (section, name): item.note
            for section, name, item in entries
            if section != "tables" and getattr(item, "note", None)
        }

    def _all(self, section: str, read: Callable[[str, Any], Part]) -> dict[str, Part]:
        """What a section holds, by name; a mistake is noted and the rest is read."""
        found = {}
        for name, item in getattr(self.shape, section).items():
            with self.noting(section, name):
                found[name] = read(name, item)
        return found

    # The frame of the deal.

    def _check_names(self) -> None:
        seen: dict[str, str] = {}
        for section in NAMING:
            for name in getattr(self.shape, section):
                with self.noting():
                    self._check_name(section, name, seen)
        for section in ("scenarios", "checks", "charts"):
            for name in getattr(self.shape, section):
                if not _NAME.fullmatch(name) or name == "base":
                    where = self.where(section, name)
                    self.mistakes.append(
                        InputError(
                            f"{where}: '{name}' cannot be a name here; "
                            "use letters, digits and _, and not 'base', which is the deal as it stands.",
                            at=where,
                        )
                    )
        for table, item in self.shape.tables.items():
            with self.noting():
                self._check_axes(table, item.by)

    def _check_name(self, section: str, name: str, seen: dict[str, str]) -> None:
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

    def _check_axes(self, table: str, by: Mapping[str, Any]) -> None:
        where = self.where("tables", table, "by")
        if not 1 <= len(by) <= 2:
            raise InputError(f"{where} names {len(by)}; a table goes by one name or two.", at=where)
        for name in by:
            if name in self.shape.inputs or "." in name:
                continue
            taken = name in RESERVED or name in FUNCTIONS or any(name in getattr(self.shape, one) for one in NAMING)
            if taken or not _NAME.fullmatch(name):
                raise InputError(f"{where}: '{name}' must be an input, or a name that nothing else has.", at=where)

    # Its parts.

    def _single(self, section: str, name: str, item: MeasureShape) -> Single:
        where = self.where(section, name)
        unit = None if item.unit is None else check_unit(item.unit, where=where)
        node = self.parse(item.formula, section, name)
        return Single(name, node, where, item.label or _words(name), unit, item.undefined, str(item.formula))

    def _line(self, section: str, role: Role, name: str, item: LineShape) -> Line:
        where = self.where(section, name)
        unit = None if item.unit is None else check_unit(item.unit, where=where)
        if item.at is not None and (item.from_ is not None or item.to is not None or item.every is not None):
            raise InputError(f"{where}: 'at' is a single period; leave out 'from', 'to' and 'every'.", at=where)
        if item.every in _A_YEAR:
            place = self.where(section, name, "every")
            count = self.time.per_year / _A_YEAR[str(item.every)]
            said = f"every = {count:g}, a {item.every}" if count >= 1 else f"a timeline by the {item.every}"
            raise InputError(
                f"{place} is '{item.every}'; write the number of periods from one to the next: {said}.", at=place
            )
        run = Run(
            at=self.moment(item.at, "last", section, name, "at"),
            first=self.moment(item.from_, "first", section, name, "from"),
            last=self.moment(item.to, "last", section, name, "to"),
            every=None if item.every is None else self.parse(item.every, section, name, "every"),
        )
        node = self.parse(item.formula, section, name)
        settings = self._settings(item.set, section, name)
        return Line(
            name,
            role,
            node,
            run,
            settings,
            where,
            item.label or _words(name),
            unit,
            item.group or "",
            str(item.formula),
        )

    def _level(self, name: str, item: LevelShape) -> Level:
        where = self.where("levels", name)
        unit = None if item.unit is None else check_unit(item.unit, where=where)
        start = None if item.start is None else self.parse(item.start, "levels", name, "start")
        node = self.parse(item.formula, "levels", name)
        settings = self._settings(item.set, "levels", name)
        return Level(
            name, node, start, settings, where, item.label or _words(name), unit, item.group or "", str(item.formula)
        )

    def _settings(self, given: Mapping[str, int | float | str] | None, section: str, name: str) -> tuple[Setting, ...]:
        found = []
        for key, value in (given or {}).items():
            moment = self.key_of(key)
            first = self.moment(moment, "first", section, name, "set", key)
            last = self.moment(moment, "last", section, name, "set", key)
            if first is not None and last is not None:
                found.append(Setting(first, last, self.parse(value, section, name, "set", key)))
        return tuple(found)

    def _goal(self, name: str) -> Goal:
        where = self.where("goals", name)
        known = [*self.shape.measures, *self.shape.values, *self.shape.questions]
        if name not in known and name not in self.broken:
            raise InputError(
                f"{where}: there is no measure '{name}'{nearest(name, known) or '.'} "
                f"The measures are {', '.join(self.shape.measures) or 'not declared'}.",
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

    # Inputs.

    def _read_inputs(
        self, units: Mapping[str, str], steps: Mapping[str, float], leasts: Mapping[str, float]
    ) -> dict[str, Input]:
        return self._all(
            "inputs", lambda name, item: read_input(self, name, item, units[name], steps.get(name), leasts.get(name))
        )

    def _said_units(self, lines: Mapping[str, Line], cells: Iterable[Single]) -> dict[str, str]:
        units = {name: "money" for name, line in lines.items() if line.role != "other"}
        for section in ("values", "money_in", "money_out", "lines", "levels", "measures"):
            for name, item in getattr(self.shape, section).items():
                if item.unit is not None:
                    units[name] = item.unit
        units.update({cell.name: cell.unit for cell in cells if cell.unit is not None})
        return units


def moments_named(line: Line) -> dict[str, str]:
    """The names that stand alone for a period of a line's run, or for its year: name to "period" or "years"."""
    found = {}
    for node in (line.run.at, line.run.first, line.run.last, line.run.every):
        if isinstance(node, Name):
            found[node.name] = "period"
        elif isinstance(node, Call) and node.function == "period_of":
            continue
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

"""The entries of a deal file's sections, each read by itself: figures, lines, levels and goals."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from typing import Any, Literal, TypeAlias, TypeVar

from pennyweight.deals.file.context import Context
from pennyweight.deals.file.shape import SECTIONS, LevelShape, LineShape, MeasureShape
from pennyweight.deals.language.nodes import Binary, Call, Name, Node, walk
from pennyweight.deals.parts import DealLoan, Goal, Input, Level, Line, OwnCheck, Question, Run, Setting, Single, Split
from pennyweight.deals.period_zero import Early, begun
from pennyweight.errors import InputError, nearest
from pennyweight.quantities.units import check_unit

__all__ = ["Entries", "Role", "Sections", "moments_named"]

Part = TypeVar("Part")
Role: TypeAlias = Literal["in", "out", "other"]

_A_YEAR = {"year": 1, "half year": 2, "quarter": 4, "month": 12, "week": 52, "day": 365}


@dataclass(frozen=True, slots=True)
class Sections:
    """The entries of a deal, section by section."""

    values: dict[str, Single]
    measures: dict[str, Single]
    lines: dict[str, Line]
    levels: dict[str, Level]
    goals: dict[str, Goal]
    loans: dict[str, DealLoan]
    loan_terms: dict[str, Input]
    questions: dict[str, Question]
    columns: dict[str, dict[str, Single]]
    own_checks: dict[str, OwnCheck]
    solved: dict[str, Question]
    splits: dict[str, Split]

    @property
    def cells(self) -> dict[str, Single]:
        """The columns of all tables."""
        return {column.name: column for own in self.columns.values() for column in own.values()}

    @property
    def groups(self) -> tuple[Mapping[str, Any], ...]:
        """Everything with formulas."""
        return (
            self.values,
            self.measures,
            self.lines,
            self.levels,
            self.loans,
            self.goals,
            self.questions,
            self.cells,
            self.own_checks,
            self.solved,
            self.splits,
        )

    def begun(self) -> Sections:
        """The same with `first_period` looking from where the amounts of its condition begin."""
        early = Early(self.lines, self.loans)
        return replace(
            self,
            values=begun(self.values, early),
            measures=begun(self.measures, early),
            goals=begun(self.goals, early),
            lines=begun(self.lines, early),
            levels=begun(self.levels, early),
            questions=begun(self.questions, early),
            solved=begun(self.solved, early),
            own_checks=begun(self.own_checks, early),
            columns={table: begun(own, early) for table, own in self.columns.items()},
        )


class Entries(Context):
    """A deal file whose entries are read, one section after the other."""

    def _all(self, section: str, read: Callable[[str, Any], Part]) -> dict[str, Part]:
        """What a section holds, by name; a mistake is noted and the rest is read."""
        found = {}
        for name, item in getattr(self.shape, section).items():
            with self.noting(section, name):
                found[name] = read(name, item)
        return found

    def _notes(self) -> dict[tuple[str, str], str]:
        """The remarks of every section whose entries may have one; those of tables stand below them."""
        entries = ((section, name, item) for section in SECTIONS for name, item in getattr(self.shape, section).items())
        return {
            (section, name): item.note
            for section, name, item in entries
            if section != "tables" and getattr(item, "note", None)
        }

    def _single(self, section: str, name: str, item: MeasureShape) -> Single:
        where = self.where(section, name)
        unit = None if item.unit is None else check_unit(item.unit, where=where)
        node = self.parse(item.formula, section, name)
        each = self.each_set(item.each, section, name)
        return Single(name, node, where, item.label or _words(name), unit, item.undefined, str(item.formula), each)

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
            self.each_set(item.each, section, name),
        )

    def _level(self, name: str, item: LevelShape) -> Level:
        where = self.where("levels", name)
        unit = None if item.unit is None else check_unit(item.unit, where=where)
        start = None if item.start is None else self.parse(item.start, "levels", name, "start")
        node = self.parse(item.formula, "levels", name)
        settings = self._settings(item.set, "levels", name)
        each = self.each_set(item.each, "levels", name)
        label, group = item.label or _words(name), item.group or ""
        return Level(name, node, start, settings, where, label, unit, group, str(item.formula), each)

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

"""A deal file becomes a `Definition`: names checked, formulas parsed, inputs read, units worked out.

It goes in stages, each of which has what the stages before it made: the frame, the entries of the sections, what every
name is, the inputs (which need to know how they are used), and what is asked of them.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import partial
from pathlib import Path
from typing import Any

from pennyweight.deals.definition import Definition
from pennyweight.deals.file.asked import (
    own_names,
    read_charts,
    read_checks,
    read_columns,
    read_grids,
    read_question,
    read_solved,
    solved_between,
    with_between,
)
from pennyweight.deals.file.entries import Entries, Role, Sections, moments_named
from pennyweight.deals.file.inputs import check_bracket_calls, is_series, read_brackets, read_input, unit_by_use
from pennyweight.deals.file.loans import LOAN_TERMS, read_loans, terms_named
from pennyweight.deals.file.naming import check_names
from pennyweight.deals.file.scenarios import read_scenarios, switched
from pennyweight.deals.file.series import unused_columns
from pennyweight.deals.file.sets import column_inputs, unused_of_sets
from pennyweight.deals.file.shape import read_shape, shape_of
from pennyweight.deals.file.splits import read_splits
from pennyweight.deals.language.names import Extent, Names, steps_of, used_as
from pennyweight.deals.language.nodes import Node, names_in
from pennyweight.deals.parts import (
    COUNTED,
    PARTS,
    SETTLED,
    TOTALS,
    Input,
    KnownInputs,
    Line,
)
from pennyweight.deals.uncertain import check_moves
from pennyweight.deals.whole_deal_checks import (
    all_nodes,
    check_bare_amounts,
    check_curves,
    check_formulas,
    check_goals,
    check_nearly,
    placed_nodes,
    refuse_bare_rates,
)
from pennyweight.errors import InputError, nearest
from pennyweight.quantities.units import Style, check_currency, check_locale
from pennyweight.reading.toml_files import Source

__all__ = ["define", "read_definition"]


def read_definition(path: Path) -> Definition:
    """Read a deal file; InputError with file, line and reason when something in it cannot be right."""
    return Reader(*read_shape(path)).definition()


def define(document: dict[str, Any], beside: Path | None = None) -> Definition:
    """Read a deal given as nested dictionaries, as its file would say it; files lie `beside` another one, if any."""
    source = Source(beside, "the deal", {}, document)
    shape, mistakes, broken = shape_of(document, source)
    return Reader(shape, source, mistakes, broken).definition()


@dataclass(frozen=True, slots=True)
class _Uses:
    """How formulas use the inputs: as which unit, by which step, and what they must be at least."""

    units: dict[str, str]
    steps: dict[str, float]
    leasts: dict[str, float]


class Reader(Entries):
    """One deal file being read, stage by stage."""

    def definition(self) -> Definition:
        """The deal; InputError with every mistake of it."""
        self._frame()
        sections = self._sections()
        names = self._names(sections)
        self._check_formulas(sections, names)
        sections = sections.begun()
        units = dict(names.said_units)
        read = self._inputs(sections, units)
        self.refuse_mistakes()
        values = {name: item for name, item in sections.values.items() if not item.each}
        unit = replace(names, said_units=units, _units={}).unit_of
        inputs = KnownInputs(read, {name: raw.things for name, raw in self.sets.items()}, values, unit)
        return self._whole(sections, names, units, inputs)

    counted_to: Node | None = None

    def _frame(self) -> None:
        """How amounts are shown, and what may be a name."""
        self.style = Style("", "en")
        with self.noting():
            currency = check_currency(self.shape.currency, where=self.where("currency"))
            self.style = Style(currency, check_locale(self.shape.locale, where=self.where("locale")))
        check_names(self)
        with self.noting("timeline", "counted_to"):
            self.counted_to = self.moment(self.shape.timeline.counted_to, "last", "timeline", "counted_to")

    def _sections(self) -> Sections:
        """Every entry, read by itself."""
        shape = self.shape
        values = self._all("values", lambda name, item: self._single("values", name, item))
        measures = self._all("measures", lambda name, item: self._single("measures", name, item))
        lines: dict[str, Line] = {}
        roles: dict[str, Role] = {"money_in": "in", "money_out": "out", "lines": "other"}
        for section, role in roles.items():
            lines.update(self._all(section, partial(self._line, section, role)))
        levels = self._all("levels", self._level)
        goals = self._all("goals", lambda name, _: self._goal(name))
        loans, loan_terms = read_loans(self, shape.loans)
        known = [
            *shape.inputs,
            *(name for name, item in values.items() if not item.each),
            *self.broken,
            *self._columns_named(),
            *(f"{loan}.{term}" for loan in shape.loans for term in LOAN_TERMS),
        ]
        questions = self._all("questions", lambda name, _: read_question(self, name, known))
        columns = self._all("tables", lambda name, _: read_columns(self, name))
        own_checks = read_checks(self)
        solved = read_solved(self)
        splits = read_splits(self)
        if not (lines or measures or self.mistakes):
            raise InputError(
                f"{self.source.name}: nothing to weigh; write lines under [money_in] and [money_out].",
                at=self.source.where(),
            )
        return Sections(
            values, measures, lines, levels, goals, loans, loan_terms, questions, columns, own_checks, solved, splits
        )

    def _names(self, sections: Sections) -> Names:
        """Every name: whether it runs over time, its formula, and the unit it is said to have."""
        shape, cells = self.shape, sections.cells
        nodes: dict[str, Node] = {
            name: item.node for name, item in {**sections.values, **sections.measures, **cells}.items()
        }
        nodes.update({name: item.node for name, item in sections.lines.items()})
        nodes.update({name: item.node for name, item in sections.levels.items()})
        starts = {name: item.start for name, item in sections.levels.items() if item.start is not None}
        shapes: dict[str, Extent] = {
            name: "line" if is_series(item) else "single" for name, item in shape.inputs.items()
        }
        shapes.update(dict.fromkeys(shape.brackets, "brackets"))
        if self.counted_to is not None:
            shapes[COUNTED] = "single"
        columns = [f"{name}.{column}" for name, raw in self.sets.items() for column in raw.things.columns]
        shapes.update({name: "line" if name.endswith(".age") and self._is_born(name) else "single" for name in columns})
        single = [*shape.values, *shape.measures, *shape.questions, *cells, *sections.loan_terms]
        shapes.update(dict.fromkeys(single, "single"))
        shapes.update({key: "single" for table in sections.columns for key in own_names(self, table).values()})
        parts = self._loan_parts() + [part for split in sections.splits.values() for part in split.parts]
        shapes.update(dict.fromkeys([*shape.money_in, *shape.money_out, *shape.lines, *shape.levels, *parts], "line"))
        shapes.update(
            {
                name: "line" if section in ("money_in", "money_out", "lines", "levels") else "single"
                for name, section in self.broken.items()
            }
        )
        owed = [part for split in sections.splits.values() for part in split.owed]
        standing = frozenset([*sections.levels, *owed, *(part for part in parts if part.endswith(".balance"))])
        units = self._said_units(sections)
        units.update(dict.fromkeys(parts, "money") | {COUNTED: "period"})
        units.update({name: item.unit for name, item in sections.loan_terms.items()})
        units.update({name: "period" for name in columns if self._is_born(name)})
        sets = {name: name.partition(".")[0] for name in columns} | self.each
        sets.update({cell.name: cell.each for cell in cells.values() if cell.each})
        sets.update(
            {
                f"{loan}.{part}": own
                for loan, own in self.each.items()
                if loan in shape.loans
                for part in (*PARTS, SETTLED)
            }
        )
        unread = frozenset(name for name in shape.sets if name not in self.sets)
        return Names(shapes, nodes, units, standing, starts, sets, unread)

    def _is_born(self, column: str) -> bool:
        """Whether a column is one of cohorts, which have no rows."""
        return self.sets[column.partition(".")[0]].things.born

    def _columns_named(self) -> list[str]:
        """The columns of sets, and those of each thing, as inputs are named."""
        columns = [(raw, column) for raw in self.sets.values() if not raw.things.born for column in raw.columns]
        whole = [f"{raw.things.name}.{column}" for raw, column in columns]
        return whole + [f"{raw.things.name}.{thing}.{one}" for raw, one in columns for thing in raw.things.things]

    def _loan_parts(self) -> list[str]:
        loans = self.shape.loans
        parts = PARTS if self.shape.timeline.counted_to is None else (*PARTS, SETTLED)
        return [f"{name}.{part}" for name in (*loans, *(["loans"] if loans else [])) for part in parts]

    def _said_units(self, sections: Sections) -> dict[str, str]:
        units = {name: "money" for name, line in sections.lines.items() if line.role != "other"}
        for section in ("values", "money_in", "money_out", "lines", "levels", "measures"):
            for name, item in getattr(self.shape, section).items():
                if item.unit is not None:
                    units[name] = item.unit
        units.update({cell.name: cell.unit for cell in sections.cells.values() if cell.unit is not None})
        for name, raw in self.sets.items():
            for column, item in raw.columns.items():
                unit = {"date": "date", "words": "choice"}.get(item.kind) or item.shape.unit
                if unit is not None:
                    units[f"{name}.{column}"] = unit
        return units

    def _check_formulas(self, sections: Sections, names: Names) -> None:
        """Note what is wrong with formulas; where something is, tell what can be told in spite of it."""
        before = len(self.mistakes)
        if self.counted_to is not None:
            with self.noting():
                where = self.where("timeline", "counted_to")
                names.check_set(self.counted_to, "", where)
                if names.shape(self.counted_to, where) == "line":
                    raise InputError(f"{where} must be a single period, but it has a value for each period.", at=where)
        check_formulas(names, *sections.groups, note=self.noting)
        if len(self.mistakes) == before:
            return
        units = {name: item.unit or unit_by_use(item, None) for name, item in self.shape.inputs.items()}
        inputs = self._read_inputs(_Uses(units, {}, {}))
        inputs |= read_brackets(self) | self._columns(sections, _Uses({}, {}, {}))
        missing = [name for name in (*self.shape.inputs, *self.shape.brackets) if name not in inputs]
        known = KnownInputs(
            inputs | {n: Input(name=n, value=0.0, unit="number", label=n, where="", given="") for n in missing},
            {name: raw.things for name, raw in self.sets.items()},
        )
        read_scenarios(self, known, sections.lines, sections.levels)
        check_nearly(sections.goals, note=self.noting)
        self.refuse_mistakes()

    def _inputs(self, sections: Sections, units: dict[str, str]) -> dict[str, Input]:
        """The inputs, read by how they are used; their units are added to `units`."""
        uses = self._uses(sections)
        for name, item in self.shape.inputs.items():
            units[name] = item.unit or unit_by_use(item, uses.units.get(name))
        columns = self._columns(sections, uses)
        units.update({name: item.unit for name, item in columns.items()})
        brackets = read_brackets(self)
        units.update({name: item.unit for name, item in brackets.items()})
        inputs = self._read_inputs(_Uses(units, uses.steps, uses.leasts)) | columns | brackets | sections.loan_terms
        with self.noting():
            check_bracket_calls(placed_nodes(*sections.groups), inputs)
        with self.noting():
            check_moves(inputs)
        return inputs

    def _columns(self, sections: Sections, uses: _Uses) -> dict[str, Input]:
        """The columns of sets that formulas read, or the deal says something of."""
        used = set().union(*map(names_in, all_nodes(*sections.groups)))
        used |= {column for question in sections.questions.values() if (column := self._column_of(question.find))}
        found: dict[str, Input] = {}
        for name, raw in self.sets.items():
            with self.noting("sets", name):
                found.update(column_inputs(raw, used, uses.units, self.history(self.where("sets", name))))
        return found

    def _column_of(self, name: str) -> str:
        """The column in which one thing's own value stands, or the column itself; empty for any other name."""
        head, _, rest = name.partition(".")
        return f"{head}.{rest.rpartition('.')[2]}" if head in self.sets else ""

    def _uses(self, sections: Sections) -> _Uses:
        moments: dict[str, str] = {}
        for line in sections.lines.values():
            moments.update(moments_named(line))
        found = _Uses({**used_as(all_nodes(*sections.groups)), **moments}, dict.fromkeys(moments, 1.0), {})
        for name, step in steps_of(all_nodes(*sections.groups), self.time.per_year).items():
            found.steps.setdefault(name, step)
        for loan in sections.loans.values():
            for name, use in terms_named(loan).items():
                if use.unit != "number":
                    found.units[name] = use.unit
                if use.step is not None:
                    found.steps.setdefault(name, use.step)
                if use.least is not None:
                    found.leasts[name] = use.least
        return found

    def _read_inputs(self, uses: _Uses) -> dict[str, Input]:
        return self._all(
            "inputs",
            lambda name, item: read_input(
                self, name, item, uses.units[name], uses.steps.get(name), uses.leasts.get(name)
            ),
        )

    def _page_one(self, sections: Sections) -> tuple[str, ...]:
        """The figures that the deal wants on page one, each once."""
        known = [*sections.measures, *sections.questions]
        where = self.where("page_one")
        for name in self.shape.page_one:
            if name not in known:
                raise InputError(
                    f"{where}: '{name}' is no measure and no question{nearest(name, known) or '.'}", at=where
                )
            if self.shape.page_one.count(name) > 1:
                raise InputError(f"{where} names {name} twice; write it once.", at=where)
        return tuple(self.shape.page_one)

    def _whole(self, sections: Sections, names: Names, units: dict[str, str], inputs: dict[str, Input]) -> Definition:
        """What is asked of the inputs (tables, questions, goals, scenarios, charts), and all of it together."""
        lines, levels, goals, questions = sections.lines, sections.levels, sections.goals, sections.questions
        tables, parameters = read_grids(self, inputs, sections.columns)
        units.update({name: item.unit for name, item in parameters.items()})
        solved = dict(sections.solved)
        for name, question in solved.items():
            with self.noting("inputs", name):
                solved[name] = solved_between(self, question, inputs[name])
        for name, question in questions.items():
            units[name] = "number" if inputs[question.find].adds else inputs[question.find].unit
            with self.noting("questions", name):
                questions[name] = with_between(self, question, inputs[question.find])
        names = replace(names, said_units=units, _units={})
        with self.noting():
            check_bare_amounts(lines, sections.loans)
            check_curves(lines, sections.loans)
        check_nearly(goals, note=self.noting)
        check_goals(goals, names, note=self.noting)
        asked = [one for one in (*questions.values(), *solved.values()) if one.so_that is not None]
        for node, where in (*placed_nodes(*sections.groups), *((one.so_that, one.where) for one in asked)):
            if node is not None:
                with self.noting():
                    refuse_bare_rates(node, names, where)
        scenarios, switches = read_scenarios(self, inputs, lines, levels)
        split_parts = [part for split in sections.splits.values() for part in split.parts]
        charts = read_charts(self, [*lines, *levels, *self._loan_parts(), *split_parts, *TOTALS], names)
        with self.noting():
            page_one = self._page_one(sections)
        self.refuse_mistakes()
        return Definition(
            title=self.shape.deal,
            note=self.shape.note or "",
            style=self.style,
            timeline=self.time,
            counted_to=self.counted_to,
            inputs=inputs,
            values={name: item for name, item in sections.values.items() if not item.each},
            lines={name: switched(item, switches) for name, item in lines.items()},
            levels={name: switched(item, switches) for name, item in levels.items()},
            loans=sections.loans,
            measures={name: item for name, item in sections.measures.items() if not item.each},
            sets={name: raw.things for name, raw in self.sets.items()},
            each=dict(names.sets),
            each_values={name: item for name, item in sections.values.items() if item.each},
            each_measures={name: item for name, item in sections.measures.items() if item.each},
            goals=goals,
            scenarios=scenarios,
            questions=questions,
            solved=solved,
            splits=sections.splits,
            tables=tables,
            own_checks=sections.own_checks,
            charts=charts,
            page_one=page_one,
            parameters=parameters | switches,
            names=names,
            notes=self._notes(),
            remarks=(*self.remarks, *unused_columns(self.columns_read), *unused_of_sets(self.sets.values(), inputs)),
            source=self.source,
        )

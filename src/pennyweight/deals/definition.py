"""A deal, read and checked: everything in it with its meaning, nothing of how the file was written."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from pennyweight.deals.language.functions import FUNCTIONS
from pennyweight.deals.language.names import Names
from pennyweight.deals.language.nodes import Call, Name, Node, counted
from pennyweight.deals.language.parse import Things, parse
from pennyweight.deals.language.set_functions import for_thing
from pennyweight.deals.parts import (
    COUNTED,
    PARTS,
    SETTLED,
    TOTALS,
    DealLoan,
    Goal,
    Grid,
    Input,
    Level,
    Line,
    Measure,
    OwnChart,
    OwnCheck,
    PythonFunction,
    Question,
    Scenario,
    Single,
    Split,
    ThingSet,
    choices_of,
)
from pennyweight.deals.timeline import Timeline
from pennyweight.quantities.units import Style
from pennyweight.reading.toml_files import Source

__all__ = ["Definition", "until_counted"]

_AVERAGED = ("rate", "share", "years", "date", "period", "condition", "choice")
"""Units whose values make no sum."""

NAMED = ("inputs", "values", "loans", "money_in", "money_out", "lines", "levels", "measures", "questions")
"""The sections whose names stand in formulas."""


@dataclass(frozen=True)
class Definition:
    """A whole deal. The mappings keep the order of the file."""

    title: str
    note: str
    style: Style
    timeline: Timeline
    counted_to: Node | None
    """The period in which the deal ends, where it says so."""
    inputs: Mapping[str, Input]
    values: Mapping[str, Single]
    lines: Mapping[str, Line]
    levels: Mapping[str, Level]
    loans: Mapping[str, DealLoan]
    measures: Mapping[str, Measure]
    splits: Mapping[str, Split]
    sets: Mapping[str, ThingSet]
    each: Mapping[str, str]
    """The set of every column, and of every name that is worked out for each of its things."""
    each_values: Mapping[str, Single]
    each_measures: Mapping[str, Single]
    """Those that are worked out for each thing of a set; the others stand in `values` and `measures`."""
    goals: Mapping[str, Goal]
    scenarios: Mapping[str, Scenario]
    questions: Mapping[str, Question]
    solved: Mapping[str, Question]
    """The inputs whose values the deal finds itself, each with the question that it answers."""
    tables: Mapping[str, Grid]
    own_checks: Mapping[str, OwnCheck]
    charts: Mapping[str, OwnChart]
    page_one: tuple[str, ...]
    """The measures and questions that stand on page one; empty where the deal does not say."""
    parameters: Mapping[str, Input]
    """Inputs nobody sees: what tables go by, and switches; their names begin with '?'."""
    names: Names
    """Every name with its shape and its unit."""
    notes: Mapping[tuple[str, str], str]
    """What whoever wrote the deal remarks, by section and name."""
    remarks: tuple[str, ...]
    """What reading noticed and the checks should tell."""
    source: Source
    function: PythonFunction | None = None
    """What works out measures and lines in the place of formulas, where the deal is a function."""

    def scenario_label(self, name: str) -> str:
        """How a scenario is called when shown."""
        return self.scenarios[name].label if name in self.scenarios else "as it stands"

    def label(self, name: str) -> str:
        """How a name is called when shown."""
        if name in TOTALS:
            return name.replace("_", " ").capitalize()
        if (own := self.own(name)) is not None:
            return f"{own[1]}: {self.label(own[2]).removeprefix(f'{own[0].label}: ')}"
        kinds: tuple[Mapping[str, Any], ...] = (
            *(self.inputs, self.values, self.lines, self.levels, self.measures),
            *(self.each_figures, self.questions, self.parameters),
        )
        for table in kinds:
            if name in table:
                return str(table[name].label)
        loan, dot, part = name.partition(".")
        if dot and loan in self.splits:
            return f"{self.splits[loan].label}: {part.replace('_', ' ')}"
        if dot and loan in self.loans:
            return f"{self.loans[loan].label}: {part}"
        if dot and loan == "loans":
            return f"All loans: {part}"
        return name.replace("_", " ")

    def stands(self, name: str) -> bool:
        """Whether a name is what stands at a period's end, not an amount in it."""
        own = self.own(name) if name.count(".") > 1 else None
        return (name if own is None else own[2]) in self.names.levels

    def parsed(self, text: str, where: str) -> Node:
        """A formula typed by an asker."""
        node = parse(text, where=where, choices=self.choices, things=self.things)
        return node if self.counted_to is None else until_counted(node, Name(COUNTED), self.timeline.per_year)

    @property
    def split_parts(self) -> dict[str, Split]:
        """Every part of a split by its name."""
        return {part: split for split in self.splits.values() for part in split.parts}

    @property
    def loan_parts(self) -> tuple[str, ...]:
        """The parts that each loan has."""
        return PARTS if self.counted_to is None else (*PARTS, SETTLED)

    @property
    def things(self) -> Things:
        """The names of the things of every set, as formulas may name them."""
        return Things({name: own.things for name, own in self.sets.items()}, self.each)

    @property
    def each_figures(self) -> dict[str, Single]:
        """The values and measures of each thing of a set."""
        return {**self.each_values, **self.each_measures}

    def own(self, name: str) -> tuple[ThingSet, str, str] | None:
        """(its set, the thing, what of it) of a name such as tenants.Bakery.rented; None of any other."""
        head, _, rest = name.partition(".")
        things = self.sets.get(head)
        if things is None or "." not in rest:
            return None
        inner, thing = "", rest
        while "." in thing:  # what of it follows the last dot; parts of loans have one of their own
            thing, _, last = thing.rpartition(".")
            inner = f"{last}.{inner}" if inner else last
            if thing in things.places:
                for full in (f"{head}.{inner}", inner):
                    if self.each.get(full) == head:
                        return things, thing, full
        return None

    def for_thing(self, node: Node, own: str, thing: str) -> Node:
        """A formula as it stands for one thing of a set."""
        return for_thing(node, self.each, own, thing)

    def together(self, name: str) -> str:
        """How what each thing has is shown as one figure: "sum", "average", "lowest" or "highest"; empty for others."""
        if name not in self.each:
            return ""
        if name in self.goals:
            return "lowest" if self.goals[name].at_least is not None else "highest"
        return "average" if name.partition(".")[0] in self.sets or self.unit(name) in _AVERAGED else "sum"

    def as_one(self, name: str) -> Node:
        """A name as the deal's totals read it: of what each thing of a set has, the sum."""
        return Call("sum_of", ((None, Name(name)),)) if name in self.each else Name(name)

    def year_shows(self, name: str) -> str:
        """What a year shows of a line or level: "last" of what stands, "average" of shares and rates, else "sum"."""
        if self.stands(name):
            return "last"
        return "average" if self.unit(name) in ("share", "rate") else "sum"

    def note_on(self, name: str) -> str:
        """What the deal remarks on a name of a formula; of a part of a loan, on the loan."""
        head = name.partition(".")[0]
        return next((note for (section, own), note in self.notes.items() if own == head and section in NAMED), "")

    def unit(self, name: str) -> str:
        """The unit of a name."""
        return self.names.unit_of(name)

    @property
    def sought(self) -> dict[str, Question]:
        """All that is looked for: the answers to questions, and the inputs that the deal solves."""
        return {**self.solved, **self.questions}

    def varied(self, name: str) -> Input | None:
        """The input behind a name: its own, that of a table, or the one a question looks for; None when it has none."""
        name = self.questions[name].find if name in self.questions else name
        if name in self.sets:
            return self.sets[name].as_input
        return self.inputs.get(name) or self.parameters.get(name)

    @property
    def choices(self) -> dict[str, tuple[str, ...]]:
        """The words of every name that stands for one of several."""
        return choices_of(self.inputs, self.questions)


def until_counted(node: Node, until: Name, per_year: int) -> Node:
    """The formula with its functions over time looking until the period to which the deal is counted."""
    return counted(node, until, per_year, _ENDS)


_ENDS = {
    name: [parameter.name for parameter in function.parameters]
    for name, function in FUNCTIONS.items()
    if any(parameter.name == "where" for parameter in function.parameters)
}
"""The functions over time that can be told where to stop, with their arguments."""

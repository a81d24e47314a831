"""A deal, read and checked: everything in it with its meaning, nothing of how the file was written."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Literal, TypeAlias

import numpy as np
from numpy.typing import NDArray

from pennyweight.deals.language.names import Names
from pennyweight.deals.language.nodes import Node
from pennyweight.deals.timeline import Timeline
from pennyweight.quantities.toml_files import Source
from pennyweight.quantities.units import Style

__all__ = [
    "PARTS",
    "RESERVED",
    "Change",
    "DealLoan",
    "Definition",
    "Goal",
    "Input",
    "Level",
    "Line",
    "Measure",
    "Question",
    "Run",
    "Scenario",
    "Single",
]

Floats: TypeAlias = NDArray[np.float64]

TOTALS = ("money_in", "money_out", "net_before_loans", "net")
RESERVED = frozenset(
    ["t", "end", "year", "per_year", *TOTALS, "pays_off", "label", "note", "based_on", "never", "nan", "inf"]
)
"""Names that mean something of their own."""
PARTS = ("payment", "interest", "principal", "extra", "drawn", "balance", "flow")
"""The parts of a loan that formulas may name, in the order in which a period works them out."""


@dataclass(frozen=True, slots=True)
class Input:
    """What the analyst assumes: one value, or a series over the periods (periods + 1,), NaN undefined."""

    name: str
    value: float | Floats
    unit: str
    label: str
    low: float | None
    high: float | None
    where: str
    given: str
    whole: bool = False
    """Whether only whole values make sense: said, or because it decides in which period something happens."""
    least: float | None = None
    """Below it the input means nothing (the rate of a loan is 0 or more), so nothing looks there."""

    @property
    def is_series(self) -> bool:
        """Whether it has a value a period."""
        return isinstance(self.value, np.ndarray)


@dataclass(frozen=True, slots=True)
class Single:
    """A value worked out of inputs: one figure."""

    name: str
    node: Node
    where: str
    label: str
    unit: str | None = None
    undefined: str | None = None


Measure: TypeAlias = Single


@dataclass(frozen=True, slots=True)
class Run:
    """In which periods a line runs; all None: from 1 to the end, or as the lines it names."""

    at: Node | None = None
    first: Node | None = None
    last: Node | None = None
    every: Node | None = None

    @property
    def said(self) -> bool:
        """Whether the deal says it at all."""
        return any(part is not None for part in (self.at, self.first, self.last, self.every))


@dataclass(frozen=True, slots=True)
class Line:
    """An amount in a period. `settings` replace what the formula gives: ((first, last), node) each."""

    name: str
    role: Literal["in", "out", "other"]
    node: Node
    run: Run
    settings: tuple[tuple[tuple[Node, Node], Node], ...]
    where: str
    label: str
    unit: str | None


@dataclass(frozen=True, slots=True)
class Level:
    """What stands at the end of a period; `start` is its value in period 0."""

    name: str
    node: Node
    start: Node | None
    settings: tuple[tuple[tuple[Node, Node], Node], ...]
    where: str
    label: str
    unit: str | None


@dataclass(frozen=True, slots=True)
class DealLoan:
    """A loan. `terms` are formulas by name (amount, rate, years…, paid_out), read in the period of pay-out."""

    name: str
    terms: Mapping[str, Node]
    extra: Node | None
    """What is paid on top at the end of each period."""
    rate_steps: tuple[tuple[Node, Node], ...]
    """(the period from which it holds, the yearly rate)."""
    per_year: int
    shape: Literal["level", "principal", "interest"]
    to_the_cent: bool
    where: str
    label: str


@dataclass(frozen=True, slots=True)
class Goal:
    """A bound on a measure. `nearly` is how far it may miss and still nearly be met."""

    measure: str
    at_least: Node | None
    at_most: Node | None
    nearly: Node | None
    undefined_is_met: bool
    where: str


@dataclass(frozen=True, slots=True)
class Change:
    """What a scenario does to one input."""

    kind: Literal["replace", "scale", "shift"]
    value: float | Floats
    given: str
    where: str


@dataclass(frozen=True, slots=True)
class Scenario:
    """Changes to inputs, on top of those of another scenario when `based_on` names one."""

    name: str
    label: str
    based_on: str | None
    changes: Mapping[str, Change]
    where: str


@dataclass(frozen=True, slots=True)
class Question:
    """Which value of an input makes a condition true; no condition: makes the deal pay off."""

    name: str
    find: str
    so_that: Node | None
    text: str
    pick: Literal["largest", "smallest"] | None
    label: str
    where: str


@dataclass(frozen=True)
class Definition:
    """A whole deal. The mappings keep the order of the file."""

    title: str
    note: str
    style: Style
    timeline: Timeline
    inputs: Mapping[str, Input]
    values: Mapping[str, Single]
    lines: Mapping[str, Line]
    levels: Mapping[str, Level]
    loans: Mapping[str, DealLoan]
    measures: Mapping[str, Measure]
    goals: Mapping[str, Goal]
    scenarios: Mapping[str, Scenario]
    questions: Mapping[str, Question]
    names: Names
    """Every name with its shape and its unit."""
    remarks: tuple[str, ...]
    """What reading noticed and the checks should tell."""
    source: Source

    def label(self, name: str) -> str:
        """How a name is called when shown."""
        if name in TOTALS:
            return name.replace("_", " ").capitalize()
        for table in (self.inputs, self.values, self.lines, self.levels, self.measures):
            if name in table:
                return table[name].label
        loan, dot, part = name.partition(".")
        if dot and loan in self.loans:
            return f"{self.loans[loan].label}: {part}"
        return name.replace("_", " ")

    def stands(self, name: str) -> bool:
        """Whether a name is what stands at a period's end, not an amount in it."""
        return name in self.names.levels

    def unit(self, name: str) -> str:
        """The unit of a name."""
        return self.names.unit_of(name)

    def with_measure(self, name: str, node: Node, where: str) -> Definition:
        """The same deal with one more measure, hidden from what is shown (its name begins with '?')."""
        return replace(self, measures={**self.measures, name: Single(name, node, where, name)})

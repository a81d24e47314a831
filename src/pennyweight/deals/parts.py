"""What a deal is made of: inputs, lines, levels, loans, goals and what is asked, each with its meaning."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import Any, Literal, TypeAlias

from pennyweight.array_kinds import Floats
from pennyweight.deals.assumptions import Input, InputChange, KnownInputs, ThingSet, choices_of
from pennyweight.deals.language.nodes import Name, Node

__all__ = [
    "COUNTED",
    "PARTS",
    "RESERVED",
    "SETTLED",
    "TOTALS",
    "Axis",
    "DealLoan",
    "Goal",
    "Grid",
    "Input",
    "InputChange",
    "KnownInputs",
    "Level",
    "Line",
    "Measure",
    "OwnChart",
    "OwnCheck",
    "PythonFunction",
    "Question",
    "Run",
    "Scenario",
    "Setting",
    "Single",
    "Split",
    "ThingSet",
    "Tier",
    "choices_of",
    "result_name",
]


TOTALS = ("money_in", "money_out", "net_before_loans", "net")
RESERVED = frozenset(
    [
        "t",
        "end",
        "year",
        "per_year",
        *TOTALS,
        "pays_off",
        "label",
        "note",
        "based_on",
        "all_inputs",
        "judged_by",
        "probability",
        "undo",
        "loans",
        "never",
        "undefined",
        "nan",
        "inf",
    ]
)
"""Names that mean something of their own."""
PARTS = ("payment", "interest", "principal", "extra", "drawn", "balance", "flow")
"""The parts of a loan that formulas may name, in the order in which a period works them out."""
SETTLED = "settled"
"""One more where the deal is counted to a period: what is repaid then of all that is still owed."""
COUNTED = "?timeline.counted_to"
"""The hidden name of that period."""


@dataclass(frozen=True, slots=True)
class Single:
    """A value worked out of inputs: one figure. `text` is its formula as it was typed."""

    name: str
    node: Node
    where: str
    label: str
    unit: str | None = None
    undefined: str | None = None
    text: str = ""
    each: str = ""
    """The set for each of whose things it is worked out."""


Measure: TypeAlias = Single


@dataclass(frozen=True, slots=True)
class PythonFunction:
    """A function of Python that works out measures and lines of inputs, in the place of formulas."""

    name: str
    function: Callable[..., Mapping[str, Any]]
    inputs: tuple[str, ...]
    measures: tuple[str, ...]
    lines: tuple[str, ...]
    each_alone: bool = False
    """Whether it is called for each case alone, never with arrays of cases."""

    @property
    def outputs(self) -> tuple[str, ...]:
        """What it gives, by name."""
        return (*self.measures, *self.lines)

    @property
    def called(self) -> str:
        """How it is called."""
        return f"{self.name}({', '.join(self.inputs)})"


def result_name(name: str) -> str:
    """The hidden name of what a function of Python gives."""
    return f"?result {name}"


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
class Setting:
    """What stands instead of the formula from the period `first` to `last`, as long as the `switch` (a name) is 1."""

    first: Node
    last: Node
    node: Node
    switch: Name | None = None

    @property
    def nodes(self) -> tuple[Node, ...]:
        """Its formulas."""
        return (self.first, self.last, self.node) + (() if self.switch is None else (self.switch,))


@dataclass(frozen=True, slots=True)
class Line:
    """An amount in a period. `settings` replace what the formula gives."""

    name: str
    role: Literal["in", "out", "other"]
    node: Node
    run: Run
    settings: tuple[Setting, ...]
    where: str
    label: str
    unit: str | None
    group: str = ""
    text: str = ""
    each: str = ""


@dataclass(frozen=True, slots=True)
class Level:
    """What stands at the end of a period; `start` is its value in period 0."""

    name: str
    node: Node
    start: Node | None
    settings: tuple[Setting, ...]
    where: str
    label: str
    unit: str | None
    group: str = ""
    text: str = ""
    each: str = ""


@dataclass(frozen=True, slots=True)
class DealLoan:
    """A loan. `terms` are formulas by name (amount, rate, years…, paid_out), read in the period of pay-out."""

    name: str
    terms: Mapping[str, Node]
    extra: Node | None
    """What is paid on top at the end of each period."""
    rate_steps: tuple[tuple[Node, Node], ...]
    """(the period from which it holds, the yearly rate)."""
    advances: tuple[tuple[Node, float], ...]
    """(the period, the share of the amount paid out then) of a loan drawn in stages; none: all of it at `paid_out`."""
    per_year: int
    shape: Literal["level", "principal", "interest"]
    to_the_cent: bool
    where: str
    label: str
    texts: Mapping[str, str]
    """The terms as they were typed."""
    places: Mapping[str, str]
    """Where each term stands."""
    each: str = ""


@dataclass(frozen=True, slots=True)
class Tier:
    """A tier of a split: a `rate` on what was paid in, a catch-up (`to`, `share`) of a party, or `shares` (`until`)."""

    rate: Node | None = None
    party: str | None = None
    """Of a catch-up the one that catches up; of `until` the one whose return it is."""
    to: Node | None = None
    share: Node | None = None
    shares: Mapping[str, Node] = field(default_factory=dict)
    until: Node | None = None

    @property
    def nodes(self) -> list[Node]:
        """Its formulas, in the order in which a split takes their values."""
        return list(self.terms.values())

    @property
    def terms(self) -> dict[str, Node]:
        """The same by what they are: its keys, and the parties that have shares."""
        own = {"rate": self.rate, "to": self.to, "share": self.share, **self.shares, "until": self.until}
        return {name: node for name, node in own.items() if node is not None}

    @property
    def has_end(self) -> bool:
        """Whether it ends somewhere; the last takes all the rest."""
        return self.rate is not None or self.to is not None or self.until is not None


@dataclass(frozen=True, slots=True)
class Split:
    """A split of what there is (`of`) among parties that paid in, tier by tier."""

    name: str
    of: Node
    paid_in: Mapping[str, Node]
    tiers: tuple[Tier, ...]
    label: str
    where: str
    text: str

    @property
    def parts(self) -> tuple[str, ...]:
        """The names of what comes of it: by party, by party and tier, by tier, and what each tier still owes."""
        numbers = range(1, len(self.tiers) + 1)
        return (
            *(f"{self.name}.{party}" for party in self.paid_in),
            *(f"{self.name}.{party}_{k}" for party in self.paid_in for k in numbers),
            *(f"{self.name}.tier_{k}" for k in numbers),
            *self.owed,
        )

    @property
    def owed(self) -> tuple[str, ...]:
        """The levels of what the tiers that end still owe."""
        return tuple(f"{self.name}.owed_{k}" for k, tier in enumerate(self.tiers, 1) if tier.has_end)

    @property
    def nodes(self) -> list[Node]:
        """Its formulas."""
        terms = [
            one for tier in self.tiers for one in (tier.rate, tier.to, tier.share, *tier.shares.values(), tier.until)
        ]
        return [self.of, *self.paid_in.values(), *(node for node in terms if node is not None)]

    def made_of(self, part: str) -> list[str]:
        """The parts that one is the sum of: a party's by tier, a tier's by party; none of any other."""
        own = part.removeprefix(f"{self.name}.")
        numbers = range(1, len(self.tiers) + 1)
        if own in self.paid_in:
            return [f"{self.name}.{own}_{k}" for k in numbers]
        if own.startswith("tier_"):
            return [f"{self.name}.{party}_{own[5:]}" for party in self.paid_in]
        return []


@dataclass(frozen=True, slots=True)
class Goal:
    """A bound on a figure. `nearly` is how far it may miss and still nearly be met."""

    measure: str
    at_least: Node | None
    at_most: Node | None
    nearly: Node | None
    undefined_is_met: bool
    where: str


@dataclass(frozen=True, slots=True)
class Scenario:
    """Changes to inputs, on top of those of the scenarios in `based_on`, in their order.

    `ends` puts every input that has a range at its low or high end, or at the one that hurts ("worst") or helps
    ("best") the figure `judged_by` (left out: the first goal); what `changes` says counts more.
    """

    name: str
    label: str
    based_on: tuple[str, ...]
    changes: Mapping[str, InputChange]
    where: str
    ends: Literal["low", "high", "worst", "best"] | None = None
    judged_by: str | None = None
    probability: float | None = None


@dataclass(frozen=True, slots=True)
class Question:
    """Which value of an input makes a condition true; no condition: makes the deal pay off.

    With the aim "most" or "least" the value that makes the figure `so_that` largest or smallest.
    """

    name: str
    find: str
    so_that: Node | None
    text: str
    """The condition as it was typed, or the figure."""
    pick: Literal["largest", "smallest"] | None
    label: str
    where: str
    aim: Literal["true", "most", "least"] = "true"
    asked_at: str = ""
    """Where the condition or the figure stands."""
    between: tuple[float, float] | None = None

    @property
    def asks_verdict(self) -> bool:
        """Whether it asks that the deal pays off."""
        return self.aim == "true" and (self.so_that is None or self.so_that == Name("pays_off"))

    @property
    def asked(self) -> str:
        """What is asked for, in words."""
        return "the deal pays off" if self.asks_verdict else self.text


@dataclass(frozen=True, slots=True)
class Axis:
    """What a table goes by: `name` as it is written, `key` the input behind it, and its values in order."""

    name: str
    key: str
    values: Floats
    label: str


@dataclass(frozen=True, slots=True)
class Grid:
    """A table of a deal: its columns, worked out for every value (or pair of values) of its axes."""

    name: str
    label: str
    axes: tuple[Axis, ...]
    columns: Mapping[str, Single]
    where: str
    note: str = ""


@dataclass(frozen=True, slots=True)
class OwnCheck:
    """A condition that the deal itself wants to hold, in every period when it has a value for each."""

    name: str
    node: Node
    label: str
    where: str
    text: str
    each: str = ""


@dataclass(frozen=True, slots=True)
class OwnChart:
    """What the deal wants drawn: lines and levels from a period to another, or a table; `target` is a figure, `mark`
    a question."""

    name: str
    label: str
    lines: tuple[str, ...]
    kind: Literal["lines", "area", "bars"]
    by: Literal["period", "year"] | None
    target: Node | None
    mark: str | None
    where: str
    first: Node | None = None
    last: Node | None = None

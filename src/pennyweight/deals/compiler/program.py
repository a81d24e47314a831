"""The compiled deal: a list of array operations in an order in which each finds its arguments ready."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

from pennyweight.array_kinds import Floats
from pennyweight.deals.compiler.slots import Instruction, Margin
from pennyweight.deals.timeline import Timeline

__all__ = [
    "Program",
    "aside_names",
    "asked_name",
    "bound_name",
    "check_name",
    "drawn_name",
    "each_name",
    "met_name",
    "nearly_name",
    "noise_name",
    "slack_name",
]


@dataclass(frozen=True, eq=False, slots=True)
class Program:
    """Slots, the instructions that fill them, and the slot of every name; made by `compile_deal`."""

    time: Timeline
    instructions: tuple[Instruction, ...]
    constants: Mapping[int, Floats]
    over_time: tuple[bool, ...]
    """For each slot whether it runs over time."""
    depends: tuple[int, ...]
    """For each slot the inputs it depends on, a bit each."""
    space: tuple[str, ...]
    """For each slot the set for each of whose things it has a value; empty for one value a case."""
    counts: Mapping[str, int]
    """How many things each set has."""
    bits: Mapping[str, int]
    """The bit of each input."""
    names: Mapping[str, int]
    reads: Mapping[str, frozenset[str]]
    """Every name with all the names it reads, inputs included."""
    questions: tuple[str, ...] = ()
    """Every question, after those it needs the answers of."""
    slacks: Mapping[str, tuple[str, ...]] = field(default_factory=dict)
    """For each question the names whose signs decide it (all of them 0 or more); none where nothing smooth does."""
    margins: Mapping[str, Margin] = field(default_factory=dict)
    """For each of these names how near to zero it is zero."""
    plans: dict[object, object] = field(default_factory=dict)
    """Orders of work by what is varied and wanted, made once each (see `evaluation`)."""

    def bit(self, name: str) -> int:
        """The bit of an input; that of one thing of a set is its column's."""
        if name in self.bits:
            return self.bits[name]
        if (aside := aside_names(name)[0]) in self.bits:
            return self.bits[aside]
        head, _, rest = name.partition(".")
        return self.bits[f"{head}.{rest.rpartition('.')[2]}"]


def asked_name(question: str) -> str:
    """The hidden name of what a question looks at."""
    return f"?asked {question}"


def aside_names(value: str) -> tuple[str, str, str]:
    """The hidden inputs of a value: what stands in its place (NaN: nothing), its multiple, what is added."""
    return f"?={value}", f"?*{value}", f"?+{value}"


def each_name(name: str) -> str:
    """The hidden name of the values that a name has for each thing of its set."""
    return f"?each {name}"


def check_name(check: str) -> str:
    """The hidden name of a check of the deal's own."""
    return f"?check {check}"


def drawn_name(chart: str, key: str) -> str:
    """The hidden name of a figure of a chart: its "target", or the period it is drawn "from" or "to"."""
    return f"?{key} {chart}"


def slack_name(goal: str) -> str:
    """The hidden name of how far a goal's figure lies beyond its bound."""
    return f"?slack {goal}"


def noise_name(slack: str) -> str:
    """The hidden name of how far rounding may have moved a slack."""
    return f"?noise {slack}"


def met_name(goal: str) -> str:
    """The hidden name of "this goal is met"."""
    return f"?met {goal}"


def nearly_name(goal: str) -> str:
    """The hidden name of "this goal is nearly met"."""
    return f"?nearly {goal}"


def bound_name(goal: str, key: str) -> str:
    """The hidden name of a bound of a goal."""
    return f"?{key} {goal}"

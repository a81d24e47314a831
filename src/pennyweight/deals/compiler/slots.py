"""Numbered values of a deal under compilation, and the operations that make one from others.

Every value is a slot, worked out once however often it is used. Masks, recursions and loans add to the same slots; what
the deal's names are and in which order they are compiled is `program`'s.
"""

from __future__ import annotations

from collections.abc import Callable, Hashable, Mapping, Sequence
from dataclasses import dataclass
from functools import partial
from typing import Any, TypeAlias

import numpy as np
from numpy.typing import NDArray

from pennyweight.array_kinds import Floats
from pennyweight.deals.definition import Definition
from pennyweight.deals.language.brackets import bracket_compute, bracket_input
from pennyweight.deals.language.functions import FUNCTIONS
from pennyweight.deals.language.names import bind, runs_with_time
from pennyweight.deals.language.nodes import Call, Node
from pennyweight.deals.language.operations import OPERATIONS
from pennyweight.deals.language.set_functions import OF_SETS, over_things
from pennyweight.deals.language.translation import Target
from pennyweight.deals.parts import DealLoan

__all__ = ["Instruction", "Margin", "Mask", "Slots", "repeated"]

Mask: TypeAlias = "NDArray[np.bool_] | int"
"""Fixed, (periods + 1,), or the slot of one that inputs decide: 1 runs, 0 does not, NaN undefined."""

_ELEMENTWISE = frozenset(["+", "-", "*", "/", "**", "negate", "not"])


@dataclass(frozen=True, slots=True)
class Instruction:
    """compute(*values of args) gives the values of outs; `into`: it takes `out=` and may overwrite an argument."""

    compute: Callable[..., Any]
    args: tuple[int, ...]
    outs: tuple[int, ...]
    into: bool = False
    steps: bool = False
    """Whether it steps through time inside."""
    over: str = ""
    """The function that takes the things of a set together, of one that does."""
    repeats: bool = False
    """Whether it gives every thing of a set the same value."""
    mixed: bool = False
    """Whether some of its results are of a set and others are not, so that it lays out values by itself."""


@dataclass(frozen=True, slots=True)
class Margin:
    """How far below zero a slack may lie and still count as zero."""

    noise: str
    """The name of how far rounding may have moved it; empty where that is not known."""
    most: float
    """What the goal that it serves tolerates."""
    strict: bool = False
    """Whether zero itself does not do."""


class Slots(Target[int]):
    """The slots of a deal, the operations on them, and the slot of every name compiled so far."""

    def __init__(
        self, definition: Definition, nodes: Mapping[str, Node], loans: Mapping[str, tuple[DealLoan, str]]
    ) -> None:
        self.definition = definition
        self.time = definition.timeline
        self.nodes, self.loan_parts = dict(nodes), loans
        self.hidden_each: dict[str, str] = {}
        """The sets of hidden names."""
        self.hidden_texts: dict[str, Node] = {}
        """What hidden names of recursions stand for (`looking_back`)."""
        self.instructions: list[Instruction] = []
        self.constants: dict[int, Floats] = {}
        self.over_time: list[bool] = []
        self.depends: list[int] = []
        self.space: list[str] = []
        """For each slot the set for each of whose things it has a value; empty for one value a case."""
        self.counts = {name: len(own.things) for name, own in definition.sets.items()}
        self.names: dict[str, int] = {}
        self.masks: dict[str, Mask] = {}
        self.margins: dict[str, Margin] = {}
        """For each slack that a search looks at how near to zero it is zero."""
        self._known: dict[Hashable, int] = {}

    def slot(self, over_time: bool, depends: int, space: str = "") -> int:
        """A new slot."""
        self.over_time.append(over_time)
        self.depends.append(depends)
        self.space.append(space)
        return len(self.over_time) - 1

    def constant(self, value: Floats, space: str = "") -> int:
        """A slot that holds a fixed array, (1,) or (periods + 1, 1); of a set (things,) or (periods + 1, things)."""
        key = ("constant", space, value.shape, value.tobytes())
        if key not in self._known:
            slot = self.slot(value.ndim == 2, 0, space)
            self.constants[slot] = value
            self._known[key] = slot
        return self._known[key]

    def emit(
        self,
        key: Hashable,
        compute: Callable[..., object],
        args: Sequence[int],
        over_time: bool,
        into: bool = False,
        space: str | None = None,
        over: str = "",
        repeats: bool = False,
    ) -> int:
        """A slot for compute(*args); the same key and arguments are worked out once.

        It is of the `space` of its arguments: what reads a value of each thing of a set has one for each.
        """
        full = (key, *args)
        if full not in self._known:
            depends = 0
            for arg in args:
                depends |= self.depends[arg]
            own = next((self.space[arg] for arg in args if self.space[arg]), "") if space is None else space
            out = self.slot(over_time, depends, own)
            self.instructions.append(Instruction(compute, tuple(args), (out,), into, over=over, repeats=repeats))
            self._known[full] = out
        return self._known[full]

    def for_each(self, slot: int, space: str) -> int:
        """The slot with a value for each thing of a set, the same for all where it had one for all."""
        if not space or self.space[slot] == space:
            return slot
        compute = partial(repeated, self.counts[space])
        return self.emit(("each", space), compute, [slot], self.over_time[slot], space=space, repeats=True)

    def over_things(self, function: str, slot: int, *asked: int) -> int:
        """The slot of one value for all things of a set."""
        compute = partial(over_things, function, self.counts[self.space[slot]])
        key = (function, "over things")
        return self.emit(key, compute, [slot, *asked], self.over_time[slot], space="", over=function)

    def each_of(self, name: str) -> str:
        """The set for each of whose things a name has a value; empty for one value a case."""
        return self.definition.each.get(name) or self.hidden_each.get(name, "")

    # A formula becomes a slot; its names are all compiled before.

    def number(self, value: float) -> int:
        """A slot that holds a number."""
        return self.constant(np.array([float(value)]))

    def name(self, name: str) -> int:
        """The slot of a name."""
        return self.names[name]

    def nothing(self) -> int:
        """A line of zeros."""
        return self.constant(np.zeros((self.time.rows, 1)))

    def operation(self, name: str, *parts: int) -> int:
        """The slot of an operation of the language."""
        over_time = any(self.over_time[part] for part in parts)
        return self.emit(name, OPERATIONS[name], parts, over_time, name in _ELEMENTWISE)

    def call(self, call: Call) -> int:
        """The slot of a function of the language."""
        function = FUNCTIONS[call.function]
        slots = bind(call, "")
        if call.function in OF_SETS:
            return self.over_things(call.function, *(self.translate(slot) for slot in slots if slot is not None))
        if (item := bracket_input(call, self.definition.inputs)) is not None:
            asked = [self.translate(slot) for slot in slots if slot is not None]
            by_brackets = bracket_compute(call.function, item, self.time)
            return self.emit((call.function, item.name), by_brackets, asked, self.over_time[asked[0]])
        present = tuple(slot is not None for slot in slots)
        args = [self.translate(slot) for slot in slots if slot is not None]
        over_time = function.result == "line" or runs_with_time(call)
        if function.result == "same":
            now = [
                arg
                for k, arg in enumerate(args)
                if function.parameters[min(k, len(function.parameters) - 1)].kind not in ("line", "name")
            ]
            over_time = any(self.over_time[arg] for arg in now)
        compute: Callable[..., object] = partial(function.compute, self.time)
        if not all(present):
            compute = partial(_with_gaps, compute, present)
        return self.emit((function.name, present), compute, args, over_time)


def repeated(things: int, x: Floats) -> Floats:
    """The same value for each thing of a set."""
    if x.shape[-1] == 1:
        return np.array(np.broadcast_to(x, (*x.shape[:-1], things)))
    return x  # the evaluation has laid out what differs between cases


def _with_gaps(compute: Callable[..., object], present: tuple[bool, ...], *args: Floats) -> object:
    """Call with None where an optional argument was left out."""
    given = iter(args)
    return compute(*(next(given) if there else None for there in present))

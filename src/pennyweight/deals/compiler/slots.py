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
from pennyweight.deals.language.functions import FUNCTIONS
from pennyweight.deals.language.names import bind, runs_with_time
from pennyweight.deals.language.nodes import Call, Node
from pennyweight.deals.language.operations import OPERATIONS
from pennyweight.deals.language.translation import Target
from pennyweight.deals.parts import DealLoan

__all__ = ["Instruction", "Mask", "Slots"]

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


class Slots(Target[int]):
    """The slots of a deal, the operations on them, and the slot of every name compiled so far."""

    def __init__(
        self, definition: Definition, nodes: Mapping[str, Node], loans: Mapping[str, tuple[DealLoan, str]]
    ) -> None:
        self.definition = definition
        self.time = definition.timeline
        self.nodes, self.loan_parts = nodes, loans
        self.instructions: list[Instruction] = []
        self.constants: dict[int, Floats] = {}
        self.over_time: list[bool] = []
        self.depends: list[int] = []
        self.names: dict[str, int] = {}
        self.masks: dict[str, Mask] = {}
        self._known: dict[Hashable, int] = {}

    def slot(self, over_time: bool, depends: int) -> int:
        """A new slot."""
        self.over_time.append(over_time)
        self.depends.append(depends)
        return len(self.over_time) - 1

    def constant(self, value: Floats) -> int:
        """A slot that holds a fixed array, (1,) or (periods + 1, 1)."""
        key = ("constant", value.shape, value.tobytes())
        if key not in self._known:
            slot = self.slot(value.ndim == 2, 0)
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
    ) -> int:
        """A slot for compute(*args); the same key and arguments are worked out once."""
        full = (key, *args)
        if full not in self._known:
            depends = 0
            for arg in args:
                depends |= self.depends[arg]
            out = self.slot(over_time, depends)
            self.instructions.append(Instruction(compute, tuple(args), (out,), into))
            self._known[full] = out
        return self._known[full]

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


def _with_gaps(compute: Callable[..., object], present: tuple[bool, ...], *args: Floats) -> object:
    """Call with None where an optional argument was left out."""
    given = iter(args)
    return compute(*(next(given) if there else None for there in present))

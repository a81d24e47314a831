"""A deal ready to be asked: its definition, its program, and figures for any set of cases."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any, TypeAlias

import numpy as np
from numpy.typing import NDArray

from pennyweight.deals.compiler.compile import compile_deal
from pennyweight.deals.compiler.program import Program
from pennyweight.deals.definition import TOTALS, Definition
from pennyweight.deals.evaluation import evaluate
from pennyweight.deals.inputs import Inputs, stack
from pennyweight.deals.language.nodes import Node

__all__ = ["Model"]

Floats: TypeAlias = NDArray[np.float64]


@dataclass(frozen=True)
class Model:
    """A definition with its compiled program. Compiling checks the deal's order, so a Model is a sound deal."""

    definition: Definition
    program: Program

    @classmethod
    def of(cls, definition: Definition) -> Model:
        """Compile a definition."""
        return cls(definition, compile_deal(definition))

    def __reduce__(self) -> tuple[Any, ...]:
        """Another process compiles it again: programs hold functions, which do not travel."""
        return Model.of, (self.definition,)

    def everything(self, inputs: Inputs) -> dict[str, Floats]:
        """All names in one case, width 1."""
        return evaluate(self.program, stack(self.definition, [inputs]), list(self.program.names))

    def figures(self, cases: Sequence[Inputs], wanted: Sequence[str]) -> dict[str, Floats]:
        """The wanted names for several cases."""
        return evaluate(self.program, stack(self.definition, cases), wanted)

    def sweep(
        self,
        base: Sequence[Inputs],
        owner: NDArray[np.intp],
        changes: Mapping[str, Floats],
        wanted: Sequence[str],
    ) -> dict[str, Floats]:
        """The wanted names for cases that start from `base[owner[k]]`, inputs in `changes` replaced.

        A series is replaced by its own values times the figure given for it.
        """
        stacked = stack(self.definition, base)
        inputs: dict[str, Floats] = {}
        for name, value in stacked.items():
            wide = value if value.shape[-1] == 1 else value[..., owner]
            if name in changes:
                with np.errstate(over="ignore"):  # what gets too large is undefined, as in any formula
                    wide = wide * changes[name] if self.definition.inputs[name].is_series else changes[name]
            inputs[name] = wide
        return evaluate(self.program, inputs, wanted)

    def asking(self, name: str, node: Node, where: str) -> Model:
        """The same model with one more hidden measure."""
        return Model.of(self.definition.with_measure(name, node, where))

    @property
    def shown_lines(self) -> list[str]:
        """Lines in the order a table of periods shows them: in, out, others, net."""
        lines = self.definition.lines
        order = [[name for name, line in lines.items() if line.role == role] for role in ("in", "out", "other")]
        return [*order[0], TOTALS[0], *order[1], TOTALS[1], *order[2], TOTALS[3]]

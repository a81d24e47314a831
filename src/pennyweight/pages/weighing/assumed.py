"""What a weighing assumes: its inputs, with their likely ranges."""

from __future__ import annotations

import numpy as np

from pennyweight.analysis.showing import headed, show_base, show_input
from pennyweight.analysis.simulating.falls import Falling, how_it_falls
from pennyweight.analysis.weighing.weighing import Weighing
from pennyweight.deals.definition import Definition
from pennyweight.deals.parts import Input
from pennyweight.documents import Cell, Column, Table

__all__ = ["assumed", "likely_range"]


def assumed(weighing: Weighing) -> Table:
    """Every input with its value and what is likely."""
    deal = weighing.definition
    rows = tuple(
        (
            Cell(headed(deal, name)),
            Cell(show_input(deal, item, weighing.inputs[name])),
            Cell(likely_range(deal, item), "comparison"),
        )
        for name, item in deal.inputs.items()
    )
    columns = (Column("What is assumed", words=True), Column("Value"), Column("Likely", words=True))
    return Table("Inputs", columns, rows)


def likely_range(deal: Definition, item: Input) -> str:
    """What is likely of an input, in words."""
    if item.solved:
        return f"found {item.given}"
    if item.fall is not None:
        return how_it_falls(deal, Falling(item, item.fall))
    if item.is_column:
        ends = [f"{end * 100:g}%" for end in (item.low, item.high) if end is not None]
        said = f"{' to '.join(ends)} of all its values" if ends else f"{np.size(item.value):,} values"
        return f"a fact, {said}" if item.fixed and item.unit not in ("date", "choice") else said
    if item.choices:
        return f"one of {', '.join(item.choices)}"
    if item.is_series:
        return "in steps" if item.given == "steps" else item.given
    if item.low is not None and item.high is not None:
        return f"{show_base(deal, item, item.low)} to {show_base(deal, item, item.high)}"
    return "a fact" if item.fixed else ""

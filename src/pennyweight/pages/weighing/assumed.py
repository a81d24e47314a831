"""What a weighing assumes: its inputs, with their likely ranges."""

from __future__ import annotations

from typing import Any

import numpy as np

from pennyweight.analysis.showing import headed, show_base
from pennyweight.analysis.weighing.weighing import Weighing
from pennyweight.deals.definition import Definition
from pennyweight.deals.parts import Input
from pennyweight.documents import Cell, Column, Table

__all__ = ["assumed", "likely_range", "shown_input"]


def assumed(weighing: Weighing) -> Table:
    """Every input with its value and what is likely."""
    deal = weighing.definition
    rows = tuple(
        (
            Cell(headed(deal, name)),
            Cell(shown_input(deal, item, weighing.inputs[name])),
            Cell(likely_range(deal, item), "comparison"),
        )
        for name, item in deal.inputs.items()
    )
    columns = (Column("What is assumed", words=True), Column("Value"), Column("Likely", words=True))
    return Table("Inputs", columns, rows)


def shown_input(deal: Definition, item: Input, value: Any) -> str:
    """The value of an input; of a series its ends."""
    if not isinstance(value, np.ndarray):
        return show_base(deal, item, float(value))
    known = value[np.isfinite(value)]
    if item.choices:  # a column of words
        words = [item.choices[round(one)] for one in dict.fromkeys(known.tolist())]
        return ", ".join(words[:_MOST_WORDS]) + (
            f" and {len(words) - _MOST_WORDS} more" if len(words) > _MOST_WORDS else ""
        )
    never = " or never" if item.is_column and np.isposinf(value).any() else ""
    ends = (_end(deal, item, float(one)) for one in (known.min(), known.max())) if known.size else ("undefined",) * 2
    low, high = ends
    return (low if low == high else f"{low} to {high}") + never


_MOST_WORDS = 3


def _end(deal: Definition, item: Input, value: float) -> str:
    """A value of a series, in its unit."""
    return deal.style.show(value, item.unit)


def likely_range(deal: Definition, item: Input) -> str:
    """What is likely of an input, in words."""
    if item.solved:
        return f"found {item.given}"
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

"""Values of a weighing as programs take them: numbers, days, words; None where there is nothing."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import numpy as np

from pennyweight.analysis.searching.outcome import Answers
from pennyweight.array_kinds import Floats
from pennyweight.deals.definition import Definition
from pennyweight.deals.parts import Input

__all__ = ["plain_input", "plain_place", "plain_row", "plain_solved", "plain_value"]


def plain_input(deal: Definition, name: str, value: float | Floats) -> Any:
    """The value of an input: a number, a day, the word of a choice; of a series a list, of a column by thing."""
    item = deal.inputs[name]
    if isinstance(value, np.ndarray):
        if not item.is_column:
            return plain_row(value)
        return {
            thing: plain_value(deal, name, one) for thing, one in zip(deal.sets[item.of].things, value, strict=True)
        }
    if item.solved and not np.isfinite(value):
        return None
    if item.choices:
        return item.choices[round(value)]
    return str(np.datetime64(round(value), "D")) if item.unit == "date" else value


def plain_solved(
    deal: Definition, inputs: Mapping[str, float | Floats], solved: Mapping[str, Answers]
) -> dict[str, dict[str, Any]]:
    """What the deal finds itself: the condition, the value, and why there is none."""
    return {
        name: {
            "so_that": deal.solved[name].text,
            "value": plain_input(deal, name, inputs[name]),
            "reason": found.reason if len(found.answers) != 1 else "",
        }
        for name, found in solved.items()
    }


def plain_value(deal: Definition, name: str, value: float) -> Any:
    """A figure of one thing as programs take it: a number, a day, the word of a choice; None where it is undefined."""
    item = deal.inputs.get(name)
    if np.isposinf(value) and item is not None:
        return "never"
    if not np.isfinite(value):
        return None
    if item is not None and item.choices:
        return item.choices[round(value)]
    return str(np.datetime64(round(value), "D")) if item is not None and item.unit == "date" else value


def plain_place(item: Input, value: float) -> Any:
    """Where a search or a table puts an input, as programs take it: a number, a multiple, months, a day, a word."""
    if item.choices:
        return item.choices[round(value)]
    days = item.unit == "date" and not item.by_months
    return str(np.datetime64(round(value), "D")) if days and np.isfinite(value) else value


def plain_row(values: Floats) -> list[float | None]:
    """The values of a line, period by period."""
    return [float(value) if np.isfinite(value) else None for value in values]

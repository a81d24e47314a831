"""The inputs of a case: the deal's own, a scenario's changes upon them, and what the asker puts in their place."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import TypeAlias

import numpy as np
from numpy.typing import NDArray

from pennyweight.deals.definition import Change, Definition, Input
from pennyweight.errors import InputError, nearest
from pennyweight.quantities.given import a_text
from pennyweight.quantities.numbers import as_float
from pennyweight.quantities.units import read_value

__all__ = ["Inputs", "input_named", "inputs_of", "read_override", "scenario_names", "stack"]

Floats: TypeAlias = NDArray[np.float64]
Inputs: TypeAlias = Mapping[str, "float | Floats"]
"""One case: a figure for each single input, (periods + 1,) for each series."""

BASE = "base"


def scenario_names(deal: Definition) -> list[str]:
    """The deal as it stands, "base", and its scenarios."""
    return [BASE, *deal.scenarios]


def inputs_of(deal: Definition, scenario: str = BASE, overrides: Mapping[str, object] | None = None) -> Inputs:
    """The inputs of a scenario, with overrides put in their place."""
    if a_text(scenario, what="scenario") not in scenario_names(deal):
        raise InputError(
            f"There is no scenario '{scenario}'{nearest(scenario, scenario_names(deal)) or '.'} "
            f"The scenarios are {', '.join(scenario_names(deal))}."
        )
    values: dict[str, float | Floats] = {name: item.value for name, item in deal.inputs.items()}
    chain = []
    name: str | None = scenario
    while name is not None and name != BASE:
        chain.append(deal.scenarios[name])
        name = deal.scenarios[name].based_on
    for item in reversed(chain):
        for key, change in item.changes.items():
            values[key] = _changed(deal, values[key], change)
    for key, given in (overrides or {}).items():
        values[key] = read_override(deal, key, given, values)
    return values


def input_named(deal: Definition, name: str) -> Input:
    """The input, or InputError with the nearest name."""
    if a_text(name, what="The name of an input") not in deal.inputs:
        raise InputError(
            f"There is no input '{name}'{nearest(name, deal.inputs) or '.'} The inputs are {', '.join(deal.inputs)}."
        )
    return deal.inputs[name]


def read_override(deal: Definition, name: str, given: object, values: Mapping[str, float | Floats]) -> float | Floats:
    """What an asker put in place of an input: a value, or "scale 0.85" or "shift 500" of what it was."""
    item = input_named(deal, name)
    if isinstance(given, np.ndarray) and given.ndim:
        if not item.is_series or given.shape != (deal.timeline.rows,) or given.dtype.kind not in "fiu":
            raise InputError(f"{name} takes {_wanted(deal, item)}, not an array of shape {given.shape}.", at=name)
        return given.astype(np.float64)
    if isinstance(given, str) and given.split()[:1] in (["scale"], ["shift"]):
        word, _, rest = given.strip().partition(" ")
        unit = "share" if word == "scale" or item.unit == "rate" else item.unit
        amount = read_value(rest, unit, what=f"the {word} of {name}")
        return values[name] * amount if word == "scale" else values[name] + amount
    if not isinstance(given, str) and as_float(given) is None:
        raise InputError(f"{name} is {given!r}; it takes {_wanted(deal, item)}.", at=name)
    value = read_value(given, item.unit, what=name)
    return np.full(deal.timeline.rows, value) if item.is_series else value


def stack(deal: Definition, cases: Sequence[Inputs]) -> dict[str, Floats]:
    """Several cases side by side as the evaluation takes them; an input that never differs stays one wide."""
    stacked: dict[str, Floats] = {}
    for name, item in deal.inputs.items():
        values = [np.asarray(case[name], dtype=np.float64) for case in cases]
        same = all(np.array_equal(value, values[0], equal_nan=True) for value in values[1:])
        kept = values[:1] if same else values
        stacked[name] = np.stack(kept, axis=1) if item.is_series else np.array(kept, dtype=np.float64).reshape(-1)
    return stacked


def _changed(deal: Definition, value: float | Floats, change: Change) -> float | Floats:
    if change.kind == "scale":
        return value * change.value
    if change.kind == "shift":
        return value + change.value
    if isinstance(value, np.ndarray) and not isinstance(change.value, np.ndarray):
        return np.full(deal.timeline.rows, change.value)
    return change.value


def _wanted(deal: Definition, item: Input) -> str:
    return (
        f"a value, or {deal.timeline.rows} of them (periods 0 to {deal.timeline.periods})"
        if item.is_series
        else "a value"
    )

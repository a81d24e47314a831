"""The inputs of a case: the deal's own, a scenario's changes upon them, and what the asker puts in their place."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from typing import Any, TypeAlias

import numpy as np

from pennyweight.array_kinds import Floats
from pennyweight.core.dates import add_months
from pennyweight.deals.assumptions import read_months
from pennyweight.deals.compiler.program import aside_names
from pennyweight.deals.definition import Definition
from pennyweight.deals.parts import Input, InputChange, Scenario
from pennyweight.errors import InputError, nearest
from pennyweight.quantities.argument_checks import a_text
from pennyweight.quantities.numbers import as_float
from pennyweight.quantities.units import read_value, refuse_bare_percent

__all__ = [
    "BASE",
    "Ends",
    "Inputs",
    "as_used",
    "at_ends",
    "based",
    "input_named",
    "inputs_of",
    "moved_by",
    "put_together",
    "read_override",
    "scenario_names",
    "stack",
    "value_in",
]

Inputs: TypeAlias = Mapping[str, "float | Floats"]
"""One case: a figure for each single input, (periods + 1,) for each series."""

Ends: TypeAlias = Callable[[Scenario, Inputs], Mapping[str, float]]
"""The ends that `all_inputs` of a scenario puts in the place of a case's inputs."""

BASE = "base"


def scenario_names(deal: Definition) -> list[str]:
    """The deal as it stands, "base", and its scenarios."""
    return [BASE, *deal.scenarios]


def inputs_of(
    deal: Definition, scenario: str, overrides: Mapping[str, object] | None, ends: Ends
) -> dict[str, float | Floats]:
    """The inputs of a scenario, with overrides put in their place; `ends` tells the worst or best ones of a case."""
    if a_text(scenario, what="scenario") not in scenario_names(deal):
        raise InputError(
            f"There is no scenario '{scenario}'{nearest(scenario, scenario_names(deal)) or '.'} "
            f"The scenarios are {', '.join(scenario_names(deal))}."
        )
    given_inputs = {**deal.inputs, **deal.parameters}
    # What the deal solves has no value of its own, unless somebody gives it one.
    values: dict[str, float | Floats] = {name: item.value for name, item in given_inputs.items() if not item.solved}
    for name in based(deal, scenario):
        item = deal.scenarios[name]
        if item.ends is not None:
            values.update(at_ends(deal, values, ends(item, values)))
        # One thing's own value stands apart from what happens to its column.
        for key, change in sorted(item.changes.items(), key=lambda pair: not _is_own(deal, pair[0])):
            if key in deal.values and key not in values and change.kind != "replace":
                _beside_formula(values, key, change.kind, float(np.asarray(change.value)))
                continue
            item_changed = deal.inputs.get(key)
            own = item_changed is not None and (item_changed.solved or item_changed.formula)
            was = values.get(key, float("nan")) if own else value_in(deal, values, key)
            values[key] = _changed(deal, key, was, change)
    for key, given in sorted((overrides or {}).items(), key=lambda pair: not _is_own(deal, pair[0])):
        if key in deal.values and key not in values and isinstance(given, str) and given.split()[:1] in _MOVED:
            kind, amount = _moved(deal, key, given)
            _beside_formula(values, key, kind, amount)
            continue
        values[key] = read_override(deal, key, given, values)
    return values


def _beside_formula(values: dict[str, float | Floats], name: str, kind: str, amount: float) -> None:
    """A value that is worked out by its formula, and then scaled or shifted."""
    _, times, more = aside_names(name)
    was, added = float(np.asarray(values.get(times, 1.0))), float(np.asarray(values.get(more, 0.0)))
    values[times], values[more] = (was * amount, added * amount) if kind == "scale" else (was, added + amount)


_MOVED = (["scale"], ["shift"])


def _moved(deal: Definition, name: str, given: str) -> tuple[str, float]:
    """("scale" or "shift", by how much) of a text such as "scale 0.85"."""
    item = deal.inputs[name]
    word, _, rest = given.strip().partition(" ")
    unit = "share" if word == "scale" or item.unit == "rate" else item.unit
    amount = read_value(rest, unit, what=f"the {word} of {name}")
    if word == "shift" and unit == "share":
        refuse_bare_percent(rest, amount, what=f"the shift of {name}")
    return word, amount


def at_ends(deal: Definition, values: Inputs, ends: Mapping[str, float]) -> dict[str, float | Floats]:
    """Inputs at an end of their range; that of a series or a column is a multiple of its values."""
    return {
        name: np.asarray(values[name]) * end if name in deal.inputs and deal.inputs[name].by_scale else end
        for name, end in ends.items()
    }


def value_in(deal: Definition, values: Mapping[str, Any], name: str) -> Any:
    """The value of an input in a case, or in cases side by side; of one thing of a set that of its column."""
    if name in values or name not in deal.inputs:
        return values[name]
    item = deal.inputs[name]
    if item.solved or item.formula:
        return item.value
    found = np.asarray(values[item.column])[item.place]
    return found if found.ndim else float(found)


def as_used(deal: Definition, case: Inputs, name: str) -> float | Floats | None:
    """What a case gives for an input, a column with the own values of its things in it; None: nothing."""
    own = {item.place: case[one] for one in case if _is_own(deal, one) and (item := deal.inputs[one]).column == name}
    if name not in case or not own:
        return case.get(name)
    column = np.array(case[name])
    for place, value in own.items():
        column[place] = value
    return column


def put_together(deal: Definition, values: Mapping[str, Floats]) -> dict[str, Floats]:
    """Inputs side by side as the evaluation takes them: things' own values (NaN: none) put in their columns."""
    found: dict[str, Floats] = {}
    for name, value in values.items():
        if not _is_own(deal, name):
            found[aside_names(name)[0] if name in deal.values else name] = value
    copied: set[str] = set()
    for name, value in values.items():
        if not _is_own(deal, name):
            continue
        item = deal.inputs[name]
        column = found[item.column]
        if item.column not in copied or value.shape[-1] > column.shape[-1]:
            wide = (column.shape[0], max(column.shape[-1], value.shape[-1]))
            column = found[item.column] = np.array(np.broadcast_to(column, wide))
            copied.add(item.column)
        column[item.place] = np.where(np.isnan(value), column[item.place], value)
    return found


def moved_by(item: Input, value: Floats, change: Floats) -> Floats:
    """An input with another value put in its place: a series or a column times it, a column of days so many months
    later, one of words with this word for all."""
    if not item.is_series:
        return change
    if item.choices:
        return np.broadcast_to(change, (value.shape[0], change.shape[-1]))
    if item.unit == "date":
        return later(value, change)
    if item.by_steps:
        least = 0.0 if not (value < 0).any() else -np.inf  # a span or a count below zero means nothing
        return np.maximum(value + np.round(change), least)
    with np.errstate(over="ignore"):  # what gets too large is undefined, as in any formula
        return value * change


def later(days: Floats, months: Floats) -> Floats:
    """Days so many months later, on the last day of shorter months; never stays never."""
    known = np.isfinite(days)
    start = np.where(known, days, 0.0).astype("datetime64[D]")
    moved = add_months(*np.broadcast_arrays(start, np.round(months).astype(np.int64)))
    return np.where(np.broadcast_to(known, moved.shape), moved.astype(np.int64).astype(np.float64), days)


def _is_own(deal: Definition, name: str) -> bool:
    """Whether a name is the own value of one thing of a set."""
    return name.count(".") > 1 and name in deal.inputs and deal.inputs[name].place is not None


def based(deal: Definition, scenario: str) -> list[str]:
    """The scenarios one is made of, each after those it is based on, itself last; none for the deal as it stands."""
    order: dict[str, None] = {}
    todo = [scenario] if scenario in deal.scenarios else []
    while todo:
        name = todo[-1]
        missing = [base for base in deal.scenarios[name].based_on if base not in order]
        if missing:
            todo += reversed(missing)
            continue
        order[todo.pop()] = None
    return list(order)


def input_named(deal: Definition, name: str) -> Input:
    """The input, or InputError with the nearest name."""
    if a_text(name, what="The name of an input") not in deal.inputs:
        head, _, rest = name.partition(".")
        thing, _, column = rest.rpartition(".")
        if thing and f"{head}.{column}" in deal.inputs and head in deal.sets:
            raise InputError(f"{head} has no '{thing}'{nearest(thing, deal.sets[head].things) or '.'}", at=name)
        raise InputError(
            f"There is no input '{name}'{nearest(name, deal.inputs) or '.'} The inputs are {', '.join(deal.inputs)}."
        )
    return deal.inputs[name]


def read_override(deal: Definition, name: str, given: object, values: Mapping[str, float | Floats]) -> float | Floats:
    """What an asker put in place of an input: a value, or "scale 0.85" or "shift 500" of what it was."""
    item = input_named(deal, name)
    if item.is_column and item.unit == "date" and isinstance(given, str) and given.split()[:1] == ["shift"]:
        return later(np.asarray(values[name]), np.array(read_months(given.strip()[5:], what=f"the shift of {name}")))
    if item.choices or item.unit == "date":
        value = item.read(given, what=name)
        return np.full(np.shape(item.value), value) if item.is_column else value
    if isinstance(given, np.ndarray) and given.ndim:
        if not item.is_series or given.shape != np.shape(item.value) or given.dtype.kind not in "fiu":
            raise InputError(f"{name} takes {_wanted(deal, item)}, not an array of shape {given.shape}.", at=name)
        return given.astype(np.float64)
    if item.solved and isinstance(given, str) and given.split()[:1] in _MOVED:
        raise InputError(f"{name} is what the deal solves; give it a value instead.", at=name)
    if isinstance(given, str) and given.split()[:1] in _MOVED:
        word, amount = _moved(deal, name, given)
        was: float | Floats = value_in(deal, values, name)
        return was * amount if word == "scale" else was + amount
    if item.keys and not isinstance(given, np.ndarray):
        raise InputError(f"{name} are brackets, whose values take 'scale 1.1' or 'shift 2%', not {given}.", at=name)
    if not isinstance(given, str) and as_float(given) is None:
        raise InputError(f"{name} is {given!r}; it takes {_wanted(deal, item)}.", at=name)
    if isinstance(given, str) and given.strip() in ("low", "high"):
        end = item.low if given.strip() == "low" else item.high
        if end is None:
            raise InputError(f"{name} has no '{given.strip()}' to go to; give it a value.", at=name)
        if item.by_scale:  # the ends of a series or a column are multiples
            return np.asarray(values[name]) * end
        value = end
    else:
        value = item.read(given, what=name)
    return np.full(np.shape(item.value), value) if item.is_series else value


def stack(deal: Definition, cases: Sequence[Inputs]) -> dict[str, Floats]:
    """Several cases side by side as the evaluation takes them; an input that never differs stays one wide."""
    stacked: dict[str, Floats] = {}
    for name, item in {**deal.inputs, **deal.parameters}.items():
        if item.solved and not any(name in case for case in cases):
            continue
        values = [np.asarray(case.get(name, np.nan) if item.solved else case[name], dtype=np.float64) for case in cases]
        same = all(np.array_equal(value, values[0], equal_nan=True) for value in values[1:])
        kept = values[:1] if same else values
        stacked[name] = np.stack(kept, axis=1) if item.is_series else np.array(kept, dtype=np.float64).reshape(-1)
    for name in dict.fromkeys(name for case in cases for name in case if _is_own(deal, name) or name in deal.values):
        stacked[name] = np.array([case.get(name, np.nan) for case in cases], dtype=np.float64)
    for name in (name for value in deal.values for name in aside_names(value)[1:]):
        if any(name in case for case in cases):
            usual = 1.0 if name[1] == "*" else 0.0
            stacked[name] = np.array([case.get(name, usual) for case in cases], dtype=np.float64)
    return stacked


def _changed(deal: Definition, name: str, value: float | Floats, change: InputChange) -> float | Floats:
    item = deal.inputs.get(name)
    if item is not None and item.is_column and item.unit == "date" and change.kind == "shift":
        return later(np.asarray(value), np.asarray(change.value))
    if change.kind == "scale":
        return value * change.value
    if change.kind == "shift":
        return value + change.value
    if isinstance(value, np.ndarray) and not isinstance(change.value, np.ndarray):
        return np.full(value.shape, change.value)
    return change.value


def _wanted(deal: Definition, item: Input) -> str:
    if item.is_column:
        return f"a value for all of {item.of}, an array with one for each, 'scale 0.9' or 'shift 5'"
    return (
        f"a value, or {deal.timeline.rows} of them (periods 0 to {deal.timeline.periods})"
        if item.is_series
        else "a value"
    )

"""`[scenarios.NAME]` of a deal file: what each puts in the place of an input, and on which other it builds."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import replace
from graphlib import CycleError, TopologicalSorter
from typing import Any, TypeVar

import numpy as np

from pennyweight.deals.assumptions import read_months
from pennyweight.deals.file.context import Context
from pennyweight.deals.file.shape import OverrideShape, ScenarioShape
from pennyweight.deals.language.nodes import Name
from pennyweight.deals.parts import Input, InputChange, Level, Line, Scenario
from pennyweight.errors import InputError, nearest, within
from pennyweight.quantities.units import read_value, refuse_bare_percent
from pennyweight.reading.toml_files import keys_of, shaped

__all__ = ["read_scenarios", "switched"]

Part = TypeVar("Part", Line, Level)


def read_scenarios(
    context: Context, inputs: Mapping[str, Input], lines: Mapping[str, Line], levels: Mapping[str, Level]
) -> tuple[dict[str, Scenario], dict[str, Input]]:
    """The scenarios of a deal, and a switch for each line of which one of them undoes the `set`."""
    found: dict[str, Scenario] = {}
    switches: dict[str, Input] = {}
    for name, item in context.shape.scenarios.items():
        with context.noting():
            changes = dict(_undone(context, name, item, {**lines, **levels}, switches))
            for key, change in _overrides(context, name, item, inputs):
                with context.noting():
                    changes[key] = _change(context, name, key, change, inputs)
            based_on = [item.based_on] if isinstance(item.based_on, str) else item.based_on or []
            if len(set(based_on)) < len(based_on):
                where = context.where("scenarios", name, "based_on")
                raise InputError(f"{where} names a scenario twice.", at=where)
            _check_ends(context, name, item, inputs)
            label = item.label or name.replace("_", " ")
            where = context.where("scenarios", name)
            found[name] = Scenario(
                name,
                label,
                tuple(one for one in based_on if one != "base"),
                changes,
                where,
                item.all_inputs,
                item.judged_by,
                _probability(context, name, item),
            )
    _refuse_circles(context, found)
    total = sum(one.probability or 0.0 for one in found.values())
    if total > 1 + 1e-9:
        last = next(one for one in reversed(found.values()) if one.probability)
        said = f"the probabilities of the scenarios add up to {total * 100:.10g}%; they must make 100% at most"
        context.mistakes.append(InputError(f"{last.where}: {said}.", at=last.where))
    return found, switches


def _probability(context: Context, name: str, item: ScenarioShape) -> float | None:
    if item.probability is None:
        return None
    where = context.where("scenarios", name, "probability")
    value = read_value(item.probability, "share", what=where)
    refuse_bare_percent(item.probability, value, what=where)
    if not 0 <= value <= 1:
        raise InputError(f"{where} is {item.probability}; it must be 0% to 100%.", at=where)
    return value


def switched(item: Part, switches: Mapping[str, Input]) -> Part:
    """A line or level, its exceptions behind a switch where a scenario undoes them."""
    name = _switch(item.name)
    if name not in switches:
        return item
    settings = tuple(replace(setting, switch=Name(name)) for setting in item.settings)
    return replace(item, settings=settings)


def _switch(line: str) -> str:
    return f"?{line}.set"


def _undone(
    context: Context,
    scenario: str,
    item: ScenarioShape,
    lines: Mapping[str, Line | Level],
    switches: dict[str, Input],
) -> Iterator[tuple[str, InputChange]]:
    """What switches off the exceptions of lines: `undo = ["contribution.set"]`."""
    for text in item.undo or []:
        where = context.where("scenarios", scenario, "undo")
        line, dot, part = text.partition(".")
        if (dot and part != "set") or line not in lines:
            hint = nearest(text, [f"{name}.set" for name in lines])
            raise InputError(
                f"{where}: '{text}' cannot be undone{hint or ';'} {'N' if hint else 'n'}ame the 'set' of a line or "
                "level, such as contribution.set.",
                at=where,
            )
        if not lines[line].settings:
            raise InputError(f"{where}: {line} has no 'set' to undo.", at=where)
        name = _switch(line)
        switches[name] = Input(
            name=name, value=1.0, unit="number", label=f"{lines[line].label}: set", where=where, given="1", fixed=True
        )
        yield name, InputChange("replace", 0.0, "undone", where)


def _check_ends(context: Context, name: str, item: ScenarioShape, inputs: Mapping[str, Input]) -> None:
    """`all_inputs` needs ranges to go to the ends of, and something to judge the worst by."""
    where = context.where("scenarios", name)
    if item.all_inputs is None:
        if item.judged_by is not None:
            raise InputError(f'{where}: \'judged_by\' goes with all_inputs = "worst" or "best".', at=where)
        return
    if not any(one.low is not None or one.high is not None for one in inputs.values()):
        raise InputError(f"{where}: no input has a 'low' or a 'high' to go to.", at=where)
    if item.all_inputs in ("low", "high"):
        if item.judged_by is not None:
            raise InputError(f'{where}: \'judged_by\' goes with all_inputs = "worst" or "best".', at=where)
        return
    known = [*context.shape.measures, *context.shape.values]
    if item.judged_by is None and not context.shape.goals:
        raise InputError(f"{where}: say with 'judged_by' for which figure; the deal has no goals.", at=where)
    if item.judged_by is not None and item.judged_by not in known:
        place = context.where("scenarios", name, "judged_by")
        raise InputError(
            f"{place}: there is no measure '{item.judged_by}'{nearest(item.judged_by, known) or '.'}", at=place
        )


def _refuse_circles(context: Context, found: Mapping[str, Scenario]) -> None:
    for name, item in found.items():
        for base in item.based_on:
            if base not in found and base not in context.shape.scenarios:
                where = context.where("scenarios", name, "based_on")
                context.mistakes.append(
                    InputError(f"{where}: there is no scenario '{base}'{nearest(base, found) or '.'}", at=where)
                )
    sorter = TopologicalSorter(
        {name: [base for base in item.based_on if base in found] for name, item in found.items()}
    )
    try:
        sorter.prepare()
    except CycleError as error:
        circle = list(reversed(error.args[1]))
        place = found[circle[0]].where
        shown = " on ".join(circle if len(circle) <= 9 else [*circle[:8], circle[0]])
        context.mistakes.append(
            InputError(f"{place} is based on itself: {shown}; one of them must not be based on another.", at=place)
        )


def _overrides(
    context: Context, scenario: str, item: ScenarioShape, inputs: Mapping[str, Input]
) -> Iterator[tuple[str, OverrideShape]]:
    """What a scenario overrides, by input; `bank.rate = "5%"` comes as a table of the loan's terms."""
    for name, change in item.__pydantic_extra__.items():
        if isinstance(change, OverrideShape):
            yield name, change
            continue
        where = context.where("scenarios", scenario, name)
        if name in context.sets:
            for dotted, given in _of_set(context, name, change, inputs, where):
                yield dotted, shaped(OverrideShape, given, context.source, lambda _: keys_of(OverrideShape))
            continue
        if name not in context.shape.loans:
            known = keys_of(OverrideShape)
            bad = next((key for key in change if key not in known), None)
            if bad is not None:
                hint = nearest(bad, known) or "."
                raise InputError(
                    f"{where}: there is no key '{bad}'{hint} The keys here are {', '.join(known)}.", at=where
                )
            raise InputError(
                f"{where}: {change} is not a value; write a number, a text, or one of {', '.join(known)}.", at=where
            )
        for term, value in change.items():
            given = value if isinstance(value, dict) else {"value": value}
            yield f"{name}.{term}", shaped(OverrideShape, given, context.source, lambda _: keys_of(OverrideShape))


def _of_set(
    context: Context, name: str, change: Mapping[str, Any], inputs: Mapping[str, Input], where: str
) -> Iterator[tuple[str, dict[str, Any]]]:
    """What a scenario changes of a set: whole columns, and columns of one thing."""
    things = context.sets[name].things
    for key, value in change.items():
        if key in things.things and isinstance(value, dict):
            for column, own in value.items():
                yield f"{name}.{key}.{column}", own if isinstance(own, dict) else {"value": own}
        elif f"{name}.{key}" in inputs or key in things.columns:
            yield f"{name}.{key}", value if isinstance(value, dict) else {"value": value}
        else:
            known = [*context.sets[name].columns, *things.things]
            raise InputError(
                f"{where}: {name} has no column and no thing '{key}'{nearest(key, known) or '.'} Its columns are "
                f"{', '.join(context.sets[name].columns)}.",
                at=where,
            )


def _change(
    context: Context, scenario: str, name: str, item: OverrideShape, inputs: Mapping[str, Input]
) -> InputChange:
    where = context.where("scenarios", scenario, name)
    if name not in inputs and (raw := context.sets.get(name.partition(".")[0])) is not None:
        if (column := name.rpartition(".")[2]) not in raw.columns:
            known = raw.columns
            raise InputError(
                f"{where}: {raw.things.name} has no column '{column}'{nearest(column, known) or '.'} Its columns are "
                f"{', '.join(known)}.",
                at=where,
            )
        raise InputError(
            f"{where}: nothing in the deal reads the column '{name.rpartition('.')[2]}', so that changing it would "
            "change nothing.",
            at=where,
        )
    if name not in inputs:
        raise InputError(
            f"{where}: there is no input '{name}'{nearest(name, inputs) or '.'} Scenarios change inputs only.", at=where
        )
    unit = inputs[name].unit
    target = inputs[name]
    if isinstance(item.value, str) and item.value in ("low", "high") and item.value not in target.choices:
        end = target.low if item.value == "low" else target.high
        if end is None:
            raise InputError(f"{where}: {name} has no '{item.value}' to go to; write one under [inputs].", at=where)
        return InputChange("scale" if target.by_scale else "replace", end, item.value, where)
    ways = [key for key in ("value", "scale", "shift", "steps", "file") if getattr(item, key) is not None]
    if len(ways) != 1:
        raise InputError(f"{where}: give one of 'value', 'scale', 'shift', 'steps' or 'file' with 'column'.", at=where)
    if target.is_column and unit == "date" and item.shift is not None:
        return InputChange("shift", float(read_months(item.shift, what=where)), f"+ {item.shift}", where)
    if target.keys and item.scale is None and item.shift is None:
        raise InputError(f"{where}: {name} are brackets, whose values take 'scale' or 'shift'.", at=where)
    if target.is_column and (item.steps is not None or item.file is not None):
        raise InputError(
            f"{where}: {name} has a value for each thing; scale it, shift it or give it one value.", at=where
        )
    if target.solved and (item.scale is not None or item.shift is not None):
        raise InputError(f"{where}: {name} is what the deal solves; give it a value instead.", at=where)
    if target.choices or unit == "date":
        if item.value is None:
            kind = "one of several words" if target.choices else "a date"
            raise InputError(f"{where}: {name} is {kind} and takes a value.", at=where)
        return InputChange("replace", target.read(item.value, what=where), str(item.value), where)
    if item.scale is not None:
        return InputChange("scale", read_value(item.scale, "share", what=where), f"× {item.scale}", where)
    if item.shift is not None:
        shift_unit = "share" if unit == "rate" else unit
        moved = read_value(item.shift, shift_unit, what=where)
        if shift_unit == "share":
            refuse_bare_percent(item.shift, moved, what=within(where, f" shift of {name}"))
        return InputChange("shift", moved, f"+ {item.shift}", where)
    value, given = context.value(item, unit, ("scenarios", scenario, name))
    if isinstance(value, np.ndarray) and not inputs[name].is_series:
        raise InputError(
            f"{where}: {name} is one value in the deal and cannot become a series in a scenario.", at=where
        )
    if unit == "share" and item.value is not None:
        target.read(item.value, what=where)
    return InputChange("replace", value, given, where)

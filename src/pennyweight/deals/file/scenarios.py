"""`[scenarios.NAME]` of a deal file: what each puts in the place of an input, and on which other it builds."""

from __future__ import annotations

from collections.abc import Iterator, Mapping

import numpy as np

from pennyweight.deals.definition import Change, Input, Scenario
from pennyweight.deals.file.context import Context
from pennyweight.deals.file.shape import OverrideShape, ScenarioShape
from pennyweight.errors import InputError, nearest
from pennyweight.quantities.toml_files import keys_of, shaped
from pennyweight.quantities.units import read_value

__all__ = ["read_scenarios"]


def read_scenarios(context: Context, inputs: Mapping[str, Input]) -> dict[str, Scenario]:
    """The scenarios of a deal: what each changes, and on which it is based."""
    found: dict[str, Scenario] = {}
    for name, item in context.shape.scenarios.items():
        where = context.where("scenarios", name)
        changes = {key: _change(context, name, key, change, inputs) for key, change in _overrides(context, name, item)}
        found[name] = Scenario(name, item.label or name.replace("_", " "), item.based_on, changes, where)
    sound: set[str | None] = {None, "base"}
    for name in found:
        chain: dict[str, None] = {}
        place: str | None = name
        while place not in sound and place is not None:
            if place in chain:
                circle = " on ".join([*list(chain)[list(chain).index(place) :][:8], place])
                raise InputError(
                    f"{found[place].where} is based on itself: {circle}; one of them must not be based on another.",
                    at=found[place].where,
                )
            chain[place] = None
            base = found[place].based_on
            if base not in sound and base not in found:
                where = context.where("scenarios", place, "based_on")
                raise InputError(f"{where}: there is no scenario '{base}'{nearest(str(base), found) or '.'}", at=where)
            place = base
        sound.update(chain)
    return found


def _overrides(context: Context, scenario: str, item: ScenarioShape) -> Iterator[tuple[str, OverrideShape]]:
    """What a scenario overrides, by input; `bank.rate = "5%"` comes as a table of the loan's terms."""
    for name, change in item.__pydantic_extra__.items():
        if isinstance(change, OverrideShape):
            yield name, change
            continue
        where = context.where("scenarios", scenario, name)
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


def _change(context: Context, scenario: str, name: str, item: OverrideShape, inputs: Mapping[str, Input]) -> Change:
    where = context.where("scenarios", scenario, name)
    if name not in inputs:
        raise InputError(
            f"{where}: there is no input '{name}'{nearest(name, inputs) or '.'} Scenarios change inputs only.", at=where
        )
    unit = inputs[name].unit
    ways = [key for key in ("value", "scale", "shift", "steps", "file") if getattr(item, key) is not None]
    if len(ways) != 1:
        raise InputError(f"{where}: give one of 'value', 'scale', 'shift', 'steps' or 'file' with 'column'.", at=where)
    if item.scale is not None:
        return Change("scale", read_value(item.scale, "share", what=where), f"× {item.scale}", where)
    if item.shift is not None:
        shift_unit = "share" if unit == "rate" else unit
        return Change("shift", read_value(item.shift, shift_unit, what=where), f"+ {item.shift}", where)
    value, given = context.value(item, unit, ("scenarios", scenario, name))
    if isinstance(value, np.ndarray) and not inputs[name].is_series:
        raise InputError(
            f"{where}: {name} is one value in the deal and cannot become a series in a scenario.", at=where
        )
    return Change("replace", value, given, where)

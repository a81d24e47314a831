"""`[brackets.NAME]` of a deal file: amounts and values, as steps or from a file, as inputs of their own."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import Any

import numpy as np

from pennyweight.deals.assumptions import Input
from pennyweight.deals.file.context import Context
from pennyweight.deals.file.entry_shapes import BracketsShape
from pennyweight.deals.file.inputs import digits_of
from pennyweight.deals.language.brackets import bracket_input
from pennyweight.deals.language.nodes import Call, Node, walk
from pennyweight.errors import InputError, nearest, within
from pennyweight.quantities.amounts import read_amount
from pennyweight.quantities.units import check_unit, read_value, refuse_bare_percent
from pennyweight.reading.tables import Reading, read_csv
from pennyweight.reading.text_files import beside

__all__ = ["check_bracket_calls", "read_brackets"]

_MOST = 1_000


def read_brackets(context: Context) -> dict[str, Input]:
    """The brackets of a deal, each an input whose values are moved by scale and shift."""
    found = {}
    for name, item in context.shape.brackets.items():
        with context.noting("brackets", name):
            found[name] = _brackets(context, name, item)
    return found


def check_bracket_calls(nodes: Iterator[tuple[Node, str]], inputs: Mapping[str, Input]) -> None:
    """Refuse slices that do not start at 0, and a step or a point of amounts of a year."""
    for node, where in nodes:
        for call in (part for part in walk(node) if isinstance(part, Call)):
            item = bracket_input(call, inputs)
            if item is None:
                continue
            if call.function == "graduated" and item.keys[0] != 0:
                raise InputError(
                    f"{item.where}: graduated at {where} charges every slice from 0 on, and {item.name} begins at "
                    f'{item.keys[0]:,.10g}; write its first step as 0 = "0%".',
                    at=item.where,
                )
            if call.function != "graduated" and item.by_year:
                raise InputError(
                    f'{where}: {item.name} has amounts of a year (per = "year"), which graduated alone can charge; '
                    f"{call.function} goes by the amounts of a period.",
                    at=where,
                )


def _brackets(context: Context, name: str, item: BracketsShape) -> Input:
    where = context.where("brackets", name)
    if (item.steps is None) == (item.file is None):
        said = "has steps and file" if item.steps is not None else "has no steps"
        raise InputError(f"{where} {said}; give it 'steps' or a 'file', one of them.", at=where)
    extra = [key for key in ("sheet", "from_", "column") if getattr(item, key) is not None]
    if item.steps is not None and extra:
        raise InputError(f"{where}: '{extra[0].rstrip('_')}' goes with a file; leave it out.", at=where)
    rows = _written(context, name, item) if item.steps is not None else _of_file(context, item, where)
    if not 1 <= len(rows) <= _MOST:
        raise InputError(f"{where} has {len(rows):,} steps; it must have 1 to {_MOST:,}.", at=where)
    given = [value for _, value, _ in rows]
    percents = any(isinstance(one, str) and "%" in one for one in given)
    unit = check_unit(item.unit or ("share" if percents else "number"), where=where)
    keys, values = np.empty(len(rows)), np.empty(len(rows))
    for k, (key, value, place) in enumerate(rows):
        keys[k] = read_amount(key, what=within(place, " as an amount"))
        values[k] = read_value(value, unit, what=place)
        if unit == "share":
            refuse_bare_percent(value, float(values[k]), what=place)
        if k and keys[k] <= keys[k - 1]:
            raise InputError(
                f"{place}: {key} comes after {rows[k - 1][0]}; the amounts must rise, each written once.", at=place
            )
    return Input(
        name=name,
        value=values,
        unit=unit,
        label=item.label or name.replace("_", " "),
        where=where,
        given="steps" if item.steps is not None else str(item.file),
        keys=tuple(keys.tolist()),
        by_year=item.per == "year",
        digits=max(digits_of(one, unit) for one in given),
    )


def _written(context: Context, name: str, item: BracketsShape) -> list[tuple[Any, Any, str]]:
    """(amount, value, where it stands) of every step."""
    return [(key, value, context.where("brackets", name, "steps", key)) for key, value in (item.steps or {}).items()]


def _of_file(context: Context, item: BracketsShape, where: str) -> list[tuple[Any, Any, str]]:
    if context.source.path is None:
        raise InputError(
            f"{where}: a deal that was not read from a file cannot read '{item.file}'; give its values as steps.",
            at=where,
        )
    path = beside(context.source.path, str(item.file), where, what="deal")
    table = read_csv(path, shown_as=str(item.file), reading=Reading(sheet=item.sheet))
    heads = [head for head in table.header if head]
    if len(heads) < 2:
        raise InputError(f"{where}: {item.file} has one column; it needs the amounts and the values.", at=where)
    named = (item.from_ or heads[0], item.column or heads[1])
    for head in named:
        if head not in heads:
            raise InputError(
                f"{where}: {item.file} has no column '{head}'{nearest(head, heads) or '.'} Its columns are "
                f"{', '.join(heads)}.",
                at=where,
            )
    context.columns_read.setdefault((str(item.file), item.sheet or ""), (table.header, set()))[1].update(named)
    amounts, values = (table.texts_of_amounts(head) for head in named)
    places = [str(table.place(line, named[1])) for line in table.lines]
    return list(zip(amounts, values, places, strict=True))

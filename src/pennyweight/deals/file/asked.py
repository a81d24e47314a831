"""What a deal file asks and shows: `[questions]`, `[tables]`, `[checks]` and `[charts]`."""

from __future__ import annotations

import datetime as dt
import re
from collections.abc import Mapping
from dataclasses import replace
from math import prod
from typing import Any, Literal

import numpy as np

from pennyweight.deals.axis_values import read_places
from pennyweight.deals.definition import until_counted
from pennyweight.deals.file.context import Context
from pennyweight.deals.file.inputs import digits_of, read_between
from pennyweight.deals.file.shape import AxisShape, MeasureShape
from pennyweight.deals.language.names import Names, used_as
from pennyweight.deals.language.nodes import Call, Name, Node, renamed, show
from pennyweight.deals.parts import COUNTED, Axis, Grid, Input, OwnChart, OwnCheck, Question, Single
from pennyweight.errors import InputError, nearest
from pennyweight.quantities.units import check_unit

__all__ = [
    "MOST_CELLS",
    "own_names",
    "read_charts",
    "read_checks",
    "read_columns",
    "read_grids",
    "read_question",
    "read_solved",
    "set_of_table",
    "solved_between",
    "with_between",
]

MOST_CELLS = 1_000_000
_AIMS: dict[str, Literal["true", "most", "least"]] = {"so_that": "true", "most": "most", "least": "least"}


def read_question(context: Context, name: str, known: list[str]) -> Question:
    """A question; `known` are the inputs it may look for."""
    item, where = context.shape.questions[name], context.where("questions", name)
    if item.find not in known:
        place = context.where("questions", name, "find")
        raise InputError(
            f"{place}: there is no input '{item.find}' to find{nearest(item.find, known) or '.'}", at=place
        )
    aims = [key for key in ("so_that", "most", "least") if getattr(item, key) is not None]
    if len(aims) > 1:
        raise InputError(f"{where} gives {' and '.join(aims)}; give one of 'so_that', 'most' and 'least'.", at=where)
    aim = aims[0] if aims else "so_that"
    if aim == "so_that" and not aims and not context.shape.goals:
        raise InputError(
            f"{where}: without 'so_that' it asks for the deal to pay off, and there are no goals.", at=where
        )
    if aim != "so_that" and item.pick is not None:
        raise InputError(f"{where}: '{aim}' names one value; leave out 'pick'.", at=where)
    text = getattr(item, aim)
    node = None if text is None else context.parse(text, "questions", name, aim)
    return Question(
        name,
        item.find,
        node,
        text or "pays_off",
        item.pick,
        item.label or _words(name),
        where,
        _AIMS[aim],
        context.where("questions", name, aim),
    )


def with_between(context: Context, question: Question, item: Input) -> Question:
    """The question with the range it looks in, read as values of its input."""
    given = context.shape.questions[question.name].between
    if given is None:
        return question
    where = context.where("questions", question.name, "between")
    if item.choices:
        raise InputError(f"{where}: all choices of {item.name} are tried; leave it out.", at=where)
    return replace(question, between=read_between(given, item, where))


def read_solved(context: Context) -> dict[str, Question]:
    """What the deal solves itself: for each input with a condition the question whose answer it is."""
    found = {}
    for name, item in context.shape.inputs.items():
        if item.so_that is None:
            continue
        with context.noting("inputs", name):
            where, place = context.where("inputs", name), context.where("inputs", name, "so_that")
            node = context.parse(item.so_that, "inputs", name, "so_that")
            label = item.label or _words(name)
            found[name] = Question(name, name, node, item.so_that, item.pick, label, where, "true", place)
    return found


def solved_between(context: Context, question: Question, item: Input) -> Question:
    """The question with the range in which the value of a solved input lies."""
    given = context.shape.inputs[question.name].between or []
    return replace(question, between=read_between(given, item, context.where("inputs", question.name, "between")))


def own_names(context: Context, table: str) -> dict[str, str]:
    """What a table calls its own: each name with the one that stands for it in the program."""
    return {
        name: f"?{table}.{name}"
        for name in context.shape.tables[table].by
        if not any(name in own for own in (context.shape.inputs, context.shape.values, context.shape.sets))
        and "." not in name
    }


def set_of_table(context: Context, table: str) -> str:
    """The set a table goes by; empty where it goes by none."""
    named = [name for name in context.shape.tables[table].by if name in context.sets]
    if len(named) > 1:
        where = context.where("tables", table, "by")
        raise InputError(f"{where} names two sets; a table goes by one.", at=where)
    return named[0] if named else ""


def read_columns(context: Context, name: str) -> dict[str, Single]:
    """The columns of a table, their own names put in the place of those of the table."""
    item, own = context.shape.tables[name], own_names(context, name)
    things = set_of_table(context, name)
    if things and not item.columns:
        return _usual_columns(context, name, things)
    if not item.columns:
        where = context.where("tables", name)
        raise InputError(
            f"{where}: a table has one column or more; write them under [tables.{name}.columns].", at=where
        )
    return {key: replace(_column(context, name, key, column, own), each=things) for key, column in item.columns.items()}


def _usual_columns(context: Context, table: str, things: str) -> dict[str, Single]:
    """What a table by a set shows when it does not say: columns that the deal describes, values, measures, totals."""
    shape, raw, where = context.shape, context.sets[things], context.where("tables", table)
    named = set(re.findall(rf"\b{things}\.(\w+)", str(context.source.document)))
    described = [name for name in raw.columns if name in named or name in shape.sets[things].columns]
    nodes: dict[str, tuple[Node, str, str | None]] = {}
    for column in described:
        item = shape.sets[things].columns.get(column)
        label = (item.label if item is not None else None) or _words(column)
        nodes[column] = (Name(f"{things}.{column}"), label, None if item is None else item.unit)
    for name, one in [*shape.values.items(), *shape.measures.items()]:
        if one.each == things:
            nodes[name] = (Name(name), one.label or _words(name), one.unit)
    for lines in (shape.money_in, shape.money_out):
        for key, line in lines.items():
            if line.each == things:
                total: Node = Call("total", ((None, Name(key)),))
                if shape.timeline.counted_to is not None:
                    total = until_counted(total, Name(COUNTED), context.time.per_year)
                nodes[key] = (total, f"{line.label or _words(key)}, total", line.unit)
    return {
        key: Single(f"?{table}.{key}", node, where, label, unit, None, show(node), things)
        for key, (node, label, unit) in nodes.items()
    }


def read_grids(
    context: Context, inputs: Mapping[str, Input], columns: Mapping[str, Mapping[str, Single]]
) -> tuple[dict[str, Grid], dict[str, Input]]:
    """The tables, and what they go by as inputs of their own."""
    grids: dict[str, Grid] = {}
    parameters: dict[str, Input] = {}
    for name, own in columns.items():
        with context.noting("tables", name):
            item, where = context.shape.tables[name], context.where("tables", name)
            axes = []
            used = used_as(column.node for column in own.values())
            for key, given in item.by.items():
                axis, made = _axis(context, name, key, given, inputs, used)
                axes.append(axis)
                if made is not None:
                    parameters[made.name] = made
            cells = prod(axis.values.size for axis in axes) * len(own)
            if cells > MOST_CELLS:
                raise InputError(f"{where} makes {cells:,} cells; the most is {MOST_CELLS:,}.", at=where)
            grids[name] = Grid(name, item.label or _words(name), tuple(axes), own, where, item.note or "")
    return grids, parameters


def read_checks(context: Context) -> dict[str, OwnCheck]:
    """The checks of the deal's own."""
    found = {}
    for name, item in context.shape.checks.items():
        with context.noting("checks", name):
            node = context.parse(item.formula, "checks", name)
            where = context.where("checks", name)
            each = context.each_set(item.each, "checks", name)
            found[name] = OwnCheck(name, node, item.label or _words(name), where, str(item.formula), each)
    return found


def read_charts(context: Context, drawable: list[str], names: Names) -> dict[str, OwnChart]:
    """What the deal wants drawn; `drawable` are the names that can be."""
    found = {}
    for name, item in context.shape.charts.items():
        with context.noting("charts", name):
            where = context.where("charts", name)
            tables = list(context.shape.tables)
            if not item.lines:
                raise InputError(f"{where}: name what to draw, such as lines = ['net'].", at=where)
            for line in item.lines:
                if line not in drawable and line not in tables:
                    place = context.where("charts", name, "lines")
                    hint = nearest(line, [*drawable, *tables]) or "."
                    raise InputError(f"{place}: there is no line, level or table '{line}'{hint}", at=place)
            if any(line in tables for line in item.lines) and len(item.lines) > 1:
                raise InputError(f"{where}: a table is drawn alone; give it a chart of its own.", at=where)
            if item.mark is not None and item.mark not in context.shape.questions:
                raise InputError(
                    f"{where}: there is no question '{item.mark}' to mark"
                    f"{nearest(item.mark, context.shape.questions) or '.'}",
                    at=where,
                )
            target = None if item.target is None else context.parse(item.target, "charts", name, "target")
            place = context.where("charts", name, "target")
            if target is not None and names.shape(target, place) == "line":
                raise InputError(f"{place} must be a single number, but it has a value for each period.", at=place)
            if item.lines[0] in tables and (item.from_ is not None or item.to is not None):
                raise InputError(f"{where}: a table has its own values; leave out 'from' and 'to'.", at=where)
            first = context.moment(item.from_, "first", "charts", name, "from")
            last = context.moment(item.to, "last", "charts", name, "to")
            for key, node in (("from", first), ("to", last)):
                place = context.where("charts", name, key)
                if node is not None and names.shape(node, place) == "line":
                    raise InputError(f"{place} must be a single period, but it has a value for each period.", at=place)
            found[name] = OwnChart(
                name, item.label or "", tuple(item.lines), item.as_, item.by, target, item.mark, where, first, last
            )
    return found


def _column(context: Context, table: str, name: str, item: MeasureShape, own: Mapping[str, str]) -> Single:
    where = context.where("tables", table, "columns", name)
    unit = None if item.unit is None else check_unit(item.unit, where=where)
    node: Node = context.parse(item.formula, "tables", table, "columns", name, own=own)
    node = renamed(node, own)
    label = item.label or _words(name)
    return Single(f"?{table}.{name}", node, where, label, unit, item.undefined, str(item.formula))


def _axis(
    context: Context, table: str, name: str, given: AxisShape, inputs: Mapping[str, Input], used: Mapping[str, str]
) -> tuple[Axis, Input | None]:
    where = context.where("tables", table, "by", name)
    values = given.values
    if name in context.sets:
        things = context.sets[name].things
        if given.unit is not None:
            raise InputError(f"{where}: a set has no unit; leave it out.", at=where)
        if values == "all":
            return Axis(name, name, np.arange(float(things.size)), given.label or things.label), None
        places = read_places(things.as_input, values, what=where)
        return Axis(name, name, places, given.label or things.label), None
    if name in inputs:
        if given.unit is not None:
            raise InputError(f"{where}: the unit of {name} stands with the input; leave it out.", at=where)
        item, made = inputs[name], None
    else:
        key = f"?{table}.{name}"
        unit = check_unit(given.unit or used.get(key, "number"), where=where)
        listed: list[Any] = [values] if isinstance(values, str) else list(values)
        digits = max((digits_of(one, unit) for one in listed if not isinstance(one, dt.date)), default=0)
        item = made = Input(
            name=key,
            value=0.0,
            unit=unit,
            label=given.label or _words(name),
            where=where,
            given="",
            fixed=True,
            digits=digits,
        )
    places = read_places(item, values, what=where)
    if np.unique(places).size < places.size:
        raise InputError(f"{where}: a value stands there twice.", at=where)
    if made is not None:
        made = replace(made, value=float(places[0]), step=1.0 if (places == np.round(places)).all() else None)
    return Axis(name, item.name, places, given.label or item.label), made


def _words(name: str) -> str:
    return name.replace("_", " ")

"""`[inputs]` and `[brackets]` of a deal file: values, steps, columns of a CSV, dates, words, brackets."""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import replace
from decimal import Decimal
from typing import Any

import numpy as np

from pennyweight.deals.file.context import Context, is_day
from pennyweight.deals.file.entry_shapes import BracketsShape, InputShape
from pennyweight.deals.language.brackets import bracket_input
from pennyweight.deals.language.nodes import Call, Node, walk
from pennyweight.deals.parts import Input
from pennyweight.deals.uncertain import read_fall
from pennyweight.errors import InputError, nearest, within
from pennyweight.quantities.amounts import read_amount
from pennyweight.quantities.units import check_unit, read_value, refuse_bare_percent
from pennyweight.reading.tables import Reading, read_csv
from pennyweight.reading.text_files import beside

__all__ = [
    "check_bracket_calls",
    "digits_of",
    "is_series",
    "read_between",
    "read_brackets",
    "read_input",
    "unit_by_use",
]

_FIRST_NUMBER = re.compile(r"\d[\d_,]*(?:\.(?P<decimals>\d+))?")
_MOST_DIGITS = 12


def read_input(
    context: Context, name: str, item: InputShape, unit: str, step: float | None, least: float | None
) -> Input:
    """An input; `step` and `least` by what the deal uses it for."""
    where = context.where("inputs", name)
    label = item.label or name.replace("_", " ")
    ways = [key for key in ("value", "steps", "file", "so_that") if getattr(item, key) is not None]
    if len(ways) != 1:
        said = f"has {' and '.join(ways)}" if ways else "has no value"
        raise InputError(
            f"{where} {said}; give it one of 'value', 'steps', 'file' with 'column', or 'so_that'.", at=where
        )
    placing = [key for key in ("period", "date", "empty") if getattr(item, key) is not None]
    if placing and item.file is None:
        raise InputError(f"{where}: '{placing[0]}' goes with a file; leave it out.", at=where)
    if item.so_that is not None:
        return _solved(context, name, item, label, unit, step, least)
    if item.pick is not None or item.between is not None:
        raise InputError(f"{where}: 'pick' and 'between' go with 'so_that', by which a value is found.", at=where)
    if item.choices is not None:
        return _choice(context, name, item, label)
    check_unit(unit, where=where)
    value, given = context.value(item, unit, ("inputs", name))
    series = isinstance(value, np.ndarray)
    low, high = (_end(context, name, item, key, unit, series) for key in ("low", "high"))
    if low is not None and high is not None and low > high:
        raise InputError(f"{where}: low {item.low} is above high {item.high}.", at=where)
    if unit == "share" and not series:
        refuse_bare_percent(given, value, what=where, most=max(abs(high or 0.0), 1.0))
    if item.whole and (series or value != round(value)):
        raise InputError(f"{where} is {given}; 'whole' needs a single whole number.", at=where)
    if series:
        step = None
    elif item.whole or unit == "date":
        step = 1.0
    elif step is not None and abs(value / step - round(value / step)) > 1e-6:
        step = None  # it is refused where it is used
    made = Input(
        name=name,
        value=value,
        unit=unit,
        label=label,
        where=where,
        given=given,
        low=low,
        high=high,
        step=step,
        least=least,
        fixed=item.fixed or unit == "date",
        digits=_digits(item, unit),
        decision=item.decision,
    )
    return replace(made, fall=read_fall(item.uncertain, item.moves_with, made, context.history(where)))


def _solved(
    context: Context, name: str, item: InputShape, label: str, unit: str, step: float | None, least: float | None
) -> Input:
    """An input whose value the deal finds itself; where it is looked for stands with its question."""
    where = context.where("inputs", name)
    told = ("choices", "low", "high", "column", "sheet", "uncertain", "moves_with")
    extra = [key for key in told if getattr(item, key) is not None]
    extra += [key for key in ("fixed", "decision") if getattr(item, key)]
    if extra:
        raise InputError(f"{where}: its value is found, so that it has no '{extra[0]}'.", at=where)
    if item.between is None:
        raise InputError(f"{where}: say with 'between' where its value is looked for, such as [0, 900_000].", at=where)
    check_unit(unit, where=where)
    made = Input(
        name=name,
        value=0.0,
        unit=unit,
        label=label,
        where=where,
        given=f"so that {item.so_that}",
        step=1.0 if item.whole or unit == "date" else step,
        least=least,
        fixed=True,
        solved=True,
        digits=max((digits_of(end, unit) for end in item.between), default=0),
    )
    low, high = read_between(item.between, made, context.where("inputs", name))
    return replace(made, value=low, step=made.step if _falls_on(made.step, low, high) else None)


def _falls_on(step: float | None, *values: float) -> bool:
    return step is not None and all(abs(value / step - round(value / step)) <= 1e-6 for value in values)


def read_between(given: Sequence[object], item: Input, where: str) -> tuple[float, float]:
    """The two ends of where a value is looked for, as values of its input."""
    if len(given) != 2:
        raise InputError(f"{where}: 'between' takes the two ends of a range, such as [1, 12].", at=where)
    low, high = (item.read_move(end, what=where) for end in given)
    if not low < high:
        raise InputError(f"{where} runs from {given[0]} to {given[1]}; write the smaller first.", at=where)
    return low, high


def is_series(item: InputShape) -> bool:
    """Whether it has a value a period."""
    return item.steps is not None or item.file is not None


def unit_by_use(item: InputShape, used: str | None) -> str:
    """The unit of an input that says none: what the deal uses it for, else what it looks like."""
    if item.choices is not None:
        return "choice"
    if is_day(item):
        return "date"
    if used:
        return used
    texts = [item.value, *(item.steps or {}).values()]
    return "share" if any(isinstance(text, str) and "%" in text for text in texts) else "number"


def digits_of(given: object, unit: str) -> int:
    """The decimals a value was typed with, as it is shown; no more than twelve are.

    >>> digits_of("4.125%", "rate"), digits_of(0.093, "rate"), digits_of(420_000, "money")
    (3, 1, 0)
    """
    if isinstance(given, int | float) and not isinstance(given, bool):
        exponent = Decimal(repr(given)).normalize().as_tuple().exponent
        decimals = -exponent if isinstance(exponent, int) and exponent < 0 else 0
        in_percent = False
    else:
        match = _FIRST_NUMBER.search(str(given))
        decimals = len(match["decimals"] or "") if match else 0
        in_percent = "%" in str(given)
    shown = decimals if in_percent or unit not in ("rate", "share") else max(decimals - 2, 0)
    return min(shown, _MOST_DIGITS)


def _digits(item: InputShape, unit: str) -> int:
    given: list[object] = [item.value] if item.value is not None else list((item.steps or {}).values())
    return max((digits_of(one, unit) for one in given), default=0)


def _end(context: Context, name: str, item: InputShape, key: str, unit: str, series: bool) -> float | None:
    given = getattr(item, key)
    if given is None:
        return None
    where = context.where("inputs", name, key) if context.source.knows("inputs", name, key) else None
    what = where or within(context.where("inputs", name), f" {key}")
    if series:  # of a series the ends are multiples of it
        value = read_value(given, "share", what=what)
        if not 0 <= value <= _MOST_MULTIPLE:
            raise InputError(
                f"{what} is {given}; of a series it is a multiple of all its values, such as 0.9 or 90%.", at=what
            )
        return value
    value = read_value(given, unit, what=what)
    if unit == "share":
        refuse_bare_percent(given, value, what=what)
    return value


_MOST_MULTIPLE = 10.0


def _choice(context: Context, name: str, item: InputShape, label: str) -> Input:
    where = context.where("inputs", name)
    choices = item.choices or []
    said = [key for key in ("steps", "file", "unit", "low", "high") if getattr(item, key) is not None]
    if said or item.whole:
        raise InputError(f"{where} has choices; leave out '{(*said, 'whole')[0]}'.", at=where)
    if len(choices) < 2:
        raise InputError(f"{where}: write two choices or more, such as choices = ['own', 'rented'].", at=where)
    twice = next((word for word in choices if choices.count(word) > 1), None)
    if twice is not None:
        raise InputError(f"{where}: the choice '{twice}' stands there twice.", at=where)
    bad = next((word for word in choices if not word.strip() or len(word) > 60 or "'" in word), None)
    if bad is not None:
        raise InputError(f"{where}: '{bad}' cannot be a choice; write a word of up to 60 characters.", at=where)
    made = Input(
        name=name,
        value=0.0,
        unit="choice",
        label=label,
        where=where,
        given=str(item.value),
        step=1.0,
        choices=tuple(choices),
        fixed=item.fixed,
        decision=item.decision,
    )
    made = replace(made, value=made.read(item.value, what=where))
    return replace(made, fall=read_fall(item.uncertain, item.moves_with, made, context.history(where)))


_MOST_STEPS = 1_000


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
    if not 1 <= len(rows) <= _MOST_STEPS:
        raise InputError(f"{where} has {len(rows):,} steps; it must have 1 to {_MOST_STEPS:,}.", at=where)
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
        fixed=item.fixed,
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

"""`[inputs]` of a deal file: one value, steps, a column of a CSV, a date or one of several words."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import replace
from decimal import Decimal

import numpy as np

from pennyweight.deals.file.context import Context, is_day
from pennyweight.deals.file.shape import InputShape
from pennyweight.deals.parts import Input
from pennyweight.errors import InputError, within
from pennyweight.quantities.units import check_unit, read_value, refuse_bare_percent

__all__ = ["digits_of", "is_series", "read_between", "read_input", "unit_by_use"]

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
    if item.so_that is not None:
        return _solved(context, name, item, label, unit, step, least)
    if item.pick is not None or item.between is not None:
        raise InputError(f"{where}: 'pick' and 'between' go with 'so_that', by which a value is found.", at=where)
    if item.choices is not None:
        return _choice(context, name, item, label)
    check_unit(unit, where=where)
    value, given = context.value(item, unit, ("inputs", name))
    series = isinstance(value, np.ndarray)
    low, high = (_end(context, name, item, key, unit) for key in ("low", "high"))
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
    return Input(
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
    )


def _solved(
    context: Context, name: str, item: InputShape, label: str, unit: str, step: float | None, least: float | None
) -> Input:
    """An input whose value the deal finds itself; where it is looked for stands with its question."""
    where = context.where("inputs", name)
    extra = [key for key in ("choices", "low", "high", "column", "sheet") if getattr(item, key) is not None]
    if extra or item.fixed:
        raise InputError(f"{where}: its value is found, so that it has no '{(*extra, 'fixed')[0]}'.", at=where)
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
    low, high = (item.read(end, what=where) for end in given)
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


def _end(context: Context, name: str, item: InputShape, key: str, unit: str) -> float | None:
    given = getattr(item, key)
    if given is None:
        return None
    where = context.where("inputs", name, key) if context.source.knows("inputs", name, key) else None
    what = where or within(context.where("inputs", name), f" {key}")
    value = read_value(given, unit, what=what)
    if unit == "share":
        refuse_bare_percent(given, value, what=what)
    return value


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
    )
    value = made.read(item.value, what=where)
    return replace(made, value=value)

"""The values an input takes one after the other: a list of them, or a range in a text."""

from __future__ import annotations

import re
from collections.abc import Callable

import numpy as np

from pennyweight.array_kinds import Floats
from pennyweight.deals.parts import Input
from pennyweight.errors import InputError
from pennyweight.quantities.amounts import read_amount
from pennyweight.quantities.argument_checks import a_list
from pennyweight.quantities.lists import split_list

__all__ = ["MOST", "read_places"]


MOST = 1_000_000
_DASHED = re.compile(r"(\d[\d_.,]*(?:k|mn|%)?)\s*[-–]\s*(\d[\d_.,]*(?:k|mn|%)?)")


def read_places(item: Input, given: object, *, what: str) -> Floats:
    """The values an input takes: a list, or "380k..460k/9" (how many), "6%..12%:1%" (how far apart), "7; 8; 9".

    A series takes multiples of itself, a column of days the months by which all move, such as "0..12:3", a choice its
    words, or "all" of them.
    """
    read = item.read_move
    if item.choices:
        if isinstance(given, str):
            given = list(item.choices) if given.strip() == "all" else split_list(given, what=what)
        values = [item.read(word, what=what) for word in a_list(given, what=what, of="choices, or the text all")]
    elif isinstance(given, str):
        return _read_text(given.strip(), read, item, what)
    else:
        values = [read(value, what=what) for value in a_list(given, what=what, of="values, or a range in a text")]
    if not values:
        raise InputError(f"{what} has no values.", at=what)
    return np.array(values, dtype=np.float64)


def _read_text(text: str, read: Callable[..., float], item: Input, what: str) -> Floats:
    if ".." not in text:
        if slip := _DASHED.fullmatch(text):
            raise InputError(f"{what} is '{text}'; a range is written {slip[1]}..{slip[2]}.", at=what)
        return np.array([read(part, what=what) for part in split_list(text, what=what)])
    match = re.fullmatch(r"(.+?)\.\.(.+?)(?:/(?P<count>[^:/]+)|:(?P<step>[^:/]+))?", text)
    if not match:
        raise InputError(f"{what} is '{text}'; write a range as 380k..460k/9 or 6%..12%:1%.", at=what)
    low, high = read(match[1], what=what), read(match[2], what=what)
    if match["step"]:
        return _stepped(low, high, read(match["step"], what=f"the step of {what}"), text, what)
    every = item.by_months or item.unit != "date"
    if match["count"] is None and item.step is not None and every:  # every value there is
        return _stepped(low, high, item.step, text, what)
    count = 9 if match["count"] is None else read_amount(match["count"], what=f"the number of values of {what}")
    if count != round(count) or not 2 <= count <= MOST:
        raise InputError(f"{what} is '{text}'; write how many values after the /, 2 or more.", at=what)
    places = np.linspace(low, high, int(count))
    return np.unique(np.round(places)) if item.unit == "date" else places


def _stepped(low: float, high: float, step: float, text: str, what: str) -> Floats:
    if step == 0 or (high - low) / step < 0:
        raise InputError(f"{what} is '{text}'; a step of {step:g} never comes from {low:g} to {high:g}.", at=what)
    count = (high - low) / step
    if abs(count - round(count)) > 1e-6:
        raise InputError(
            f"{what} is '{text}'; the last step does not land on the end; both ends are part of the range.", at=what
        )
    if count > MOST:
        raise InputError(f"{what} is '{text}', which makes {count:,.0f} values; the most is {MOST:,}.", at=what)
    return np.linspace(low, high, round(count) + 1)

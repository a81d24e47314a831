"""Numbers as Python programs have them: int, float, NumPy's scalars, `Decimal`, `Fraction`, and columns of them."""

from __future__ import annotations

from decimal import Decimal
from math import isfinite
from numbers import Real
from typing import Any

import numpy as np

from pennyweight.array_kinds import Floats
from pennyweight.errors import InputError

__all__ = ["LARGEST", "as_float", "is_pandas", "is_whole_text", "plain_numbers", "read_row", "whole"]


LARGEST = 1e150
"""Amounts go up to here: beyond, sums, products and discounting leave what a double holds."""


def as_float(given: object) -> float | None:
    """Return a number as a float, infinite when no double holds it; None for anything that is no number.

    Truth values, complex numbers and missing values are no numbers.

    >>> as_float(np.int64(3)), as_float(Decimal("0.1")), as_float(True)
    (3.0, 0.1, None)
    """
    if type(given) is float:
        return given
    if isinstance(given, np.ma.MaskedArray):
        return None  # what is masked has no value, and what is not may be filled first
    if isinstance(given, np.ndarray) and given.ndim == 0:
        given = given.item()
    if isinstance(given, bool | np.bool_) or not isinstance(given, Real | Decimal):
        return None
    try:
        return float(given)
    except OverflowError:
        return float("-inf") if str(given).startswith("-") else float("inf")
    except (TypeError, ValueError):  # a signalling nan, a missing value
        return float("nan")


def is_pandas(given: object) -> bool:
    """Whether it is a Series or a DataFrame, without importing pandas.

    >>> is_pandas([1.0])
    False
    """
    kind = type(given)
    return kind.__module__.partition(".")[0] == "pandas" and kind.__name__ in ("Series", "DataFrame")


def plain_numbers(given: Any) -> Floats | None:
    """A Series or DataFrame of plain numbers as an array; None when it holds anything else.

    >>> plain_numbers([1.0]) is None
    True
    """
    if not is_pandas(given):
        return None
    table = given.to_numpy()
    return table.astype(np.float64, copy=False) if table.dtype.kind in "fiu" else None


def whole(given: object, *, what: str, least: int, most: int) -> int:
    """Return a whole number between two bounds, given as a number or as its digits.

    >>> whole("12", what="count", least=0, most=100)
    12
    """
    number = as_float(int(given) if isinstance(given, str) and is_whole_text(given) and len(given) < 20 else given)
    if number is None or not isfinite(number) or number != round(number) or not least <= number <= most:
        shown = f"'{given}'" if isinstance(given, str) else repr(given)
        raise InputError(f"{what} is {shown}; it must be a whole number from {least:,} to {most:,}.", at=what)
    return int(number)


def is_whole_text(text: str) -> bool:
    """Whether a text is digits and nothing else; the signs for squares and their kin are none.

    >>> is_whole_text("12"), is_whole_text("1²")
    (True, False)
    """
    return text.isascii() and text.isdigit()


def read_row(given: Any, *, what: str = "The amounts") -> Floats:
    """Return a row of numbers, (n,): a list, an array, or a column of pandas; InputError says which is none.

    >>> read_row([1, Decimal("2.5")]).tolist()
    [1.0, 2.5]
    """
    plain = plain_numbers(given)
    given = given if plain is None else plain
    if type(given) is np.ndarray and given.dtype.kind in "fiu" and given.ndim == 1:
        row = given.astype(np.float64)
    else:
        row = _one_by_one(given, what)
    if not row.size:
        raise InputError(f"{what} are empty; give at least one number.", at=what)
    wrong = ~(np.abs(row) <= LARGEST)
    if wrong.any():
        place = int(np.argmax(wrong))
        if not np.isfinite(row[place]):
            missing = "missing" if np.isnan(row[place]) else "not a finite number"
            raise InputError(f"{what}: number {place + 1} is {missing}; write 0 where nothing happened.", at=what)
        raise InputError(f"{what}: number {place + 1} is {row[place]:g}; they go up to {LARGEST:g}.", at=what)
    return row


def _one_by_one(given: Any, what: str) -> Floats:
    rule = f"{what} must be numbers in one row, such as [-1000, 300, 420]"
    if is_pandas(given) and given.ndim == 2:
        raise InputError(f"{rule}; this is a table with {given.shape[1]} columns: take one of them.")
    if isinstance(given, np.ma.MaskedArray):
        raise InputError(f"{rule}; this is a masked array: fill it first, with .filled(0).")
    if isinstance(given, str | bytes | dict | set | frozenset) or not hasattr(given, "__iter__"):
        raise InputError(f"{rule}; this is {_kind(given)}.")
    if isinstance(given, np.ndarray) and given.ndim != 1:
        raise InputError(f"{rule}; this has {given.ndim} dimensions.")
    try:
        items = list(given)
    except Exception:  # an iterator of somebody else's that fails
        raise InputError(f"{rule}; this cannot be read number by number.") from None
    numbers = []
    for place, item in enumerate(items, 1):
        number = as_float(item)
        if number is None:
            if _is_missing(item):
                raise InputError(f"{what}: number {place} is missing; write 0 where nothing happened.", at=what)
            raise InputError(f"{rule}; number {place} is {_kind(item)}.")
        numbers.append(number)
    return np.array(numbers, dtype=np.float64)


def _is_missing(item: object) -> bool:
    return item is None or type(item).__name__ in ("NAType", "NaTType")


def _kind(item: object) -> str:
    if isinstance(item, str):
        return f"'{item}'"
    return "a truth value" if isinstance(item, bool) else f"a {type(item).__name__}"

"""Arithmetic on arrays in which NaN means undefined, and comparisons that know three values.

Every operation takes arrays that broadcast, single values (cases,) against lines (periods + 1, cases), and may be
handed an `out` of the right shape. Truth is 1.0, falsehood 0.0, undefined NaN.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import TypeAlias

import numpy as np

from pennyweight.array_kinds import Floats

__all__ = ["OPERATIONS", "column_total"]

Operation: TypeAlias = Callable[..., Floats]


def divide(a: Floats, b: Floats, out: Floats | None = None) -> Floats:
    """a / b, undefined where b is zero."""
    if (b == 0).any():
        b = np.where(b == 0, np.nan, b)
    return np.divide(a, b, out=out)


def power(a: Floats, b: Floats, out: Floats | None = None) -> Floats:
    """a ** b, undefined where that is no finite real number."""
    if b.size == 1 and b.reshape(-1)[0] == 2:
        return np.multiply(a, a, out=out)
    result: Floats = np.power(a, b, out=out)
    infinite = np.isinf(result)
    if infinite.any():
        result[infinite] = np.nan
    return result


def negate(a: Floats, out: Floats | None = None) -> Floats:
    """-a."""
    return np.negative(a, out=out)


def truth_not(a: Floats, out: Floats | None = None) -> Floats:
    """not a."""
    return np.subtract(1.0, a, out=out)


def truth_and(a: Floats, b: Floats, out: Floats | None = None) -> Floats:
    """a and b: false as soon as one is false, else undefined when one is."""
    result: Floats = np.multiply(a, b, out=out)
    if np.isnan(result).any():
        np.copyto(result, 0.0, where=(a == 0) | (b == 0))
    return result


def truth_or(a: Floats, b: Floats, out: Floats | None = None) -> Floats:
    """a or b: true as soon as one is true, else undefined when one is."""
    return truth_not(truth_and(truth_not(a), truth_not(b)), out=out)


def choose(condition: Floats, yes: Floats, no: Floats, out: Floats | None = None) -> Floats:
    """yes where the condition holds, no where it does not, undefined where it is undefined."""
    result: Floats = np.where(condition == 1, yes, no)
    undefined = np.isnan(condition)
    if undefined.any():
        result = np.where(undefined, np.nan, result)
    return result


def column_total(x: Floats) -> Floats:
    """The sum down each column, row after row.

    A plain sum adds a single column pairwise, several row by row: the last digit would depend on how many
    cases happen to stand beside one another.
    """
    if x.shape[1] == 1:
        return np.asarray(x[:, 0].cumsum()[-1:])
    return np.asarray(np.add.reduce(x, axis=0))


def _comparison(ufunc: np.ufunc) -> Operation:
    def compare(a: Floats, b: Floats, out: Floats | None = None) -> Floats:
        result: Floats = ufunc(a, b).astype(np.float64)
        undefined = np.isnan(a) | np.isnan(b)
        if undefined.any():
            result[np.broadcast_to(undefined, result.shape)] = np.nan
        return result

    compare.__doc__ = f"{ufunc.__name__}, undefined where a side is."
    return compare


OPERATIONS: dict[str, Operation] = {
    "+": np.add,
    "-": np.subtract,
    "*": np.multiply,
    "/": divide,
    "**": power,
    "<": _comparison(np.less),
    "<=": _comparison(np.less_equal),
    ">": _comparison(np.greater),
    ">=": _comparison(np.greater_equal),
    "==": _comparison(np.equal),
    "!=": _comparison(np.not_equal),
    "and": truth_and,
    "or": truth_or,
    "not": truth_not,
    "negate": negate,
    "choose": choose,
}
"""What each operator of the language does; `negate` is the sign before a value, `choose` the `if … else`."""


def combined_unit(operator: str, left: str, right: str) -> str:
    """The unit of what an operation makes of two units."""
    portions = ("share", "rate")
    if operator == "**":
        return "number"
    if operator in "+-":
        if left == right:
            return "days" if left == "date" else left
        if "date" in (left, right):
            return "date"
        if "money" in (left, right):
            return "money"
        if left in portions and right in portions:
            return "rate"
        if "number" in (left, right):
            other = right if left == "number" else left
            return "number" if other in portions else other
        return left
    if operator == "*":
        if "money" in (left, right):
            return "money"
        if left in ("number", *portions):
            return right if right != "number" or left == "number" else ("number" if left == "share" else left)
        return left if right in ("number", *portions) else "number"
    if left == right:
        return "number"
    return left if right in ("number", *portions) else "number"

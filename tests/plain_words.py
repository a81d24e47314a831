"""Brackets, and inputs that a deal solves, one value after the other."""

from __future__ import annotations

import bisect
from collections.abc import Callable
from typing import Any

from tests.plain_functions import UndefinedError

__all__ = ["found", "graduated", "interpolated", "looked_up", "slices", "steps_of", "straight"]

Steps = list[tuple[float, float]]


def slices(steps: Steps, x: float) -> float:
    """What is charged on an amount, one slice after the other."""
    due = 0.0
    for (start, share), end in zip(steps, [*(key for key, _ in steps[1:]), float("inf")], strict=True):
        if x > start:
            due += (min(x, end) - start) * share
    return due


def straight(points: Steps, x: float) -> float:
    """What lies straight between two points, not a number beyond them."""
    keys = [key for key, _ in points]
    if not keys[0] <= x <= keys[-1]:
        return float("nan")
    k = min(bisect.bisect_right(keys, x) - 1, len(points) - 2)
    (low, below), (high, above) = points[k : k + 2]
    return below + (above - below) * (x - low) / (high - low)


def steps_of(bracket: dict[str, Any]) -> Steps:
    return [(float(key), float(value)) for key, value in bracket["steps"].items()]


def graduated(deal: Any, t: int, x: Any, bracket: dict[str, Any]) -> float:
    if bracket.get("per") != "year":
        return slices(steps_of(bracket), float(x))
    if t % deal.per_year:
        return 0.0
    return slices(steps_of(bracket), sum(x.value(k) for k in range(max(t - deal.per_year + 1, min(t, 1)), t + 1)))


def looked_up(x: float, bracket: dict[str, Any]) -> float:
    reached = [value for key, value in steps_of(bracket) if key <= float(x)]
    if not reached:
        raise UndefinedError
    return reached[-1]


def interpolated(x: float, bracket: dict[str, Any]) -> float:
    value = straight(steps_of(bracket), float(x))
    if value != value:
        raise UndefinedError
    return value


def found(condition: str, between: list[float], worth: Callable[[str, float], float | None]) -> float:
    """Where "a >= b" stops holding, by halves; it holds at the low end and falls from there."""
    left, right = condition.split(" >= ")
    low, high = (float(one) for one in between)
    for _ in range(60):
        middle = (low + high) / 2
        low, high = (middle, high) if (worth(f"({left}) - ({right})", middle) or 0.0) >= 0 else (low, middle)
    return low

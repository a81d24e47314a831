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
    """Where "a >= b" stops holding, by the chord; it holds at the low end and falls from there."""
    left, right = condition.split(" >= ")

    def spare(x: float) -> float:
        return worth(f"({left}) - ({right})", x) or 0.0

    low, high = map(float, between)
    rest, before = [spare(low), spare(high)], None
    for _ in range(60):
        middle = (low * rest[1] - high * rest[0]) / (rest[1] - rest[0])
        here = spare(middle)
        if here == 0 or high - low <= 1e-9 or abs(middle - low) <= 1e-12 * high or abs(high - middle) <= 1e-12 * high:
            return middle
        side = here > 0
        other = 0.5 if side == before else 1.0  # the end that stays counts half, so that it moves too
        before = side
        low, high, rest = (middle, high, [here, rest[1] * other]) if side else (low, middle, [rest[0] * other, here])
    return low

"""Where something turns between two places: one number at a time, by halving."""

from __future__ import annotations

from collections.abc import Callable

__all__ = ["turn_between", "whole_turn_between"]


def turn_between(holds: Callable[[float], bool], low: float, high: float) -> tuple[float, float]:
    """Return the two neighbouring floats between which `holds` turns from no to yes.

    It must not hold at `low` and hold at `high`; in between it is asked about sixty times.

    >>> turn_between(lambda x: x * x >= 2, 1.0, 2.0)
    (1.414213562373095, 1.4142135623730951)
    """
    while True:
        middle = (low + high) / 2
        if not low < middle < high:
            return low, high
        if holds(middle):
            high = middle
        else:
            low = middle


def whole_turn_between(holds: Callable[[int], bool], low: int, high: int) -> int:
    """Return the smallest whole number above `low` at which `holds` is true; it must be true at `high`.

    >>> whole_turn_between(lambda n: n * n >= 50, 0, 50)
    8
    """
    while high - low > 1:
        middle = (low + high) // 2
        low, high = (low, middle) if holds(middle) else (middle, high)
    return high

"""The ways to round a loan's amounts to the smallest unit, by the words analysts write."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from decimal import ROUND_CEILING, ROUND_HALF_EVEN, ROUND_HALF_UP
from fractions import Fraction
from math import ceil
from typing import Literal, TypeAlias

__all__ = ["ROUNDINGS", "Rounding", "Units", "WayToRound", "half_up", "rounded"]

Units: TypeAlias = int | float
"""An amount in smallest units; a whole number where amounts are rounded."""

Rounding: TypeAlias = Literal["half up", "half even", "payment up"]


@dataclass(frozen=True, slots=True)
class WayToRound:
    """How a level payment is rounded (a mode of decimals), how any payment and any interest is, and how it is told."""

    mode: str
    payment: Callable[[Fraction], int]
    interest: Callable[[Fraction], int]
    told: str


def half_up(exact: Fraction) -> int:
    """Round to the nearest whole number, halves up.

    >>> half_up(Fraction(5, 2)), half_up(Fraction(7, 3))
    (3, 2)
    """
    return (2 * exact.numerator + exact.denominator) // (2 * exact.denominator)


ROUNDINGS: dict[Rounding, WayToRound] = {
    "half up": WayToRound(ROUND_HALF_UP, half_up, half_up, "to the smallest unit, halves up"),
    "half even": WayToRound(ROUND_HALF_EVEN, round, round, "halves to even"),
    "payment up": WayToRound(ROUND_CEILING, ceil, half_up, "payments rounded up"),
}
"""Every way by its words; without one nothing is rounded."""


def rounded(exact: Fraction, rounding: Rounding | None) -> Units:
    """Round an exact amount of interest in units; as a float where nothing is rounded.

    >>> rounded(Fraction(5, 2), "half up"), rounded(Fraction(5, 2), "half even")
    (3, 2)
    """
    return float(exact) if rounding is None else ROUNDINGS[rounding].interest(exact)

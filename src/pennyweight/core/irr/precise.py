"""Roots and turning points that float64 cannot tell, in decimals of sixty digits; one row of flows at a time.

Near a double root the present value is flat, so its rounding hides where the roots lie, and whether there are two, one
or none. The flows as they stand in float64 settle both. A turning point within the rounding of the flows themselves
to float64 (half of its last digit) counts as touching zero.
"""

from __future__ import annotations

from collections.abc import Sequence
from decimal import Decimal, localcontext

__all__ = ["MOST", "refined_root", "sign_at_turn"]

MOST = 5_000
"""The most flows for which this is tried: sixty digits cost some ten microseconds a flow and step."""

_DIGITS = 60
_HALF_DIGIT = Decimal(2) ** -53


def refined_root(
    flows: Sequence[float], times: Sequence[float] | None, x: float, low: float, high: float, sign_low: float
) -> float:
    """Return the root of sum(flows * exp(times * x)) in a bracket, from a start near it.

    `sign_low` is the sign of the sum at `low`; `times` None is 0, 1, 2….

    >>> from math import log
    >>> round(refined_root([-100.0, 230.0, -132.0], None, -0.095, -0.15, -0.05, 1.0) + log(1.1), 15)
    0.0
    """
    with localcontext() as context:
        context.prec = _DIGITS
        row = _Row(flows, times)
        here, bottom, top = Decimal(x), Decimal(low), Decimal(high)
        for _ in range(300):
            value, slope, size = row.at(here)
            if abs(value) <= size * Decimal("1e-55"):
                break
            if (value > 0) == (sign_low > 0):
                bottom = here
            else:
                top = here
            target = here - value / slope if slope else bottom
            if not bottom < target < top:
                target = (bottom + top) / 2
            moved, here = abs(target - here), target
            if moved <= abs(here) * Decimal("1e-25"):
                break
        return float(here)


def sign_at_turn(flows: Sequence[float], times: Sequence[float] | None, shift: float, x: float) -> tuple[float, float]:
    """Return (place, sign) of the turning point of sum(flows * exp((times - shift) * x)) near x; sign 0 touches zero.

    >>> sign_at_turn([-100.0, 220.0, -121.0], None, 0.5, -0.0953)[1]
    0.0
    """
    with localcontext() as context:
        context.prec = _DIGITS
        row, away = _Row(flows, times), Decimal(shift)
        begun = here = Decimal(x)
        for _ in range(100):
            value, slope = row.turn(here, away)
            if not slope:
                break
            step = value / slope
            here -= step
            if abs(here - begun) > (abs(begun) + 1) / 10:  # no turn near by: what looked like one was rounding
                return x, 0.0
            if abs(step) <= (abs(here) + 1) * Decimal("1e-40"):
                break
        value, _, size = row.at(here)
        sign = 0.0 if abs(value) <= size * _HALF_DIGIT else float(value.copy_sign(Decimal(1)) == value) * 2 - 1
        return float(here), sign


class _Row:
    def __init__(self, flows: Sequence[float], times: Sequence[float] | None) -> None:
        when = range(len(flows)) if times is None else times
        self.parts = [(Decimal(flow), Decimal(time)) for flow, time in zip(flows, when, strict=True) if flow]
        self.periodic = times is None

    def weighted(self, x: Decimal) -> list[tuple[Decimal, Decimal]]:
        """(flow * exp(time * x), time)."""
        if self.periodic:
            factor = x.exp()
            return [(flow * factor ** int(time), time) for flow, time in self.parts]
        return [(flow * (time * x).exp(), time) for flow, time in self.parts]

    def at(self, x: Decimal) -> tuple[Decimal, Decimal, Decimal]:
        """(sum, its slope, the sum of sizes)."""
        parts = self.weighted(x)
        value = sum((part for part, _ in parts), Decimal(0))
        slope = sum((part * time for part, time in parts), Decimal(0))
        return value, slope, sum((abs(part) for part, _ in parts), Decimal(0))

    def turn(self, x: Decimal, shift: Decimal) -> tuple[Decimal, Decimal]:
        """The derivative of the shifted sum, but for a factor, and its slope."""
        parts = [(part * (time - shift), time) for part, time in self.weighted(x)]
        return sum((p for p, _ in parts), Decimal(0)), sum((p * time for p, time in parts), Decimal(0))

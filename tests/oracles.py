"""Independent arithmetic the tests rest on: exact fractions, decimals and plain loops, none of it the library's."""

from __future__ import annotations

from collections.abc import Sequence
from decimal import Decimal, localcontext
from fractions import Fraction
from itertools import pairwise


def decimal_npv(flows: Sequence[float], rate: str | float, times: Sequence[float] | None = None) -> Decimal:
    """Present value in 60 digits."""
    with localcontext() as context:
        context.prec = 60
        base = 1 + Decimal(str(rate))
        when = range(len(flows)) if times is None else times
        return sum(
            (Decimal(repr(float(f))) / base ** Decimal(repr(t)) for f, t in zip(flows, when, strict=True)), Decimal(0)
        )


def count_roots(flows: Sequence[int]) -> int:
    """Distinct real roots v > 0 of sum(flows[i] v**i), by Sturm's theorem in exact fractions."""
    chain = _sturm_chain([Fraction(flow) for flow in reversed(flows)])
    return _changes([_at_zero_plus(p) for p in chain]) - _changes([p[0] for p in chain])


def _sturm_chain(polynomial: list[Fraction]) -> list[list[Fraction]]:
    """Coefficients from the highest power down; each next is minus the remainder of the two before."""
    p = _trim(polynomial)
    degree = len(p) - 1
    derivative = _trim([c * (degree - k) for k, c in enumerate(p[:-1])])
    chain = [p, derivative] if derivative else [p]
    while len(chain) > 1 and len(chain[-1]) > 1:
        remainder = _remainder(chain[-2], chain[-1])
        if not remainder:
            break
        chain.append([-c for c in remainder])
    return chain


def _remainder(a: list[Fraction], b: list[Fraction]) -> list[Fraction]:
    a = list(a)
    while len(a) >= len(b):
        factor = a[0] / b[0]
        for k, c in enumerate(b):
            a[k] -= factor * c
        a.pop(0)
    return _trim(a)


def _trim(p: list[Fraction]) -> list[Fraction]:
    start = next((k for k, c in enumerate(p) if c != 0), len(p))
    return p[start:]


def _at_zero_plus(p: list[Fraction]) -> Fraction:
    """The sign just above zero: that of the lowest coefficient that is not zero."""
    return next(c for c in reversed(p) if c != 0)


def _changes(values: Sequence[Fraction]) -> int:
    signs = [v > 0 for v in values if v != 0]
    return sum(a != b for a, b in pairwise(signs))


def plain_npv(flows: Sequence[float], rate: float, per_year: int = 1) -> float:
    """Present value by the definition, one flow at a time."""
    return sum(flow / (1 + rate) ** (k / per_year) for k, flow in enumerate(flows))


def plain_payback(flows: Sequence[float]) -> float | None:
    """Walk the running total in exact fractions: the time from which it stays at or above zero."""
    total, totals = Fraction(0), []
    for flow in flows:
        total += Fraction(str(flow))
        totals.append(total)
    if totals[-1] < 0:
        return None
    last = max((k for k, value in enumerate(totals) if value < 0), default=None)
    if last is None:
        return 0.0
    return float(last + -totals[last] / Fraction(str(flows[last + 1])))


def bisect(function: object, low: float, high: float) -> float:
    """The place where a monotone function changes sign, by two hundred halvings."""
    assert callable(function)
    below = function(low) > 0
    for _ in range(200):
        middle = (low + high) / 2
        if (function(middle) > 0) == below:
            low = middle
        else:
            high = middle
    return (low + high) / 2

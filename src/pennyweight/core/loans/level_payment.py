"""The level payment of a loan, by each kind of arithmetic: exactly, and for many loans at once in whole units.

Source: S. Kellison, "The Theory of Interest", 3rd ed., section 3.2: amount * i / (1 - (1 + i) ** -n).
"""

from __future__ import annotations

from decimal import ROUND_HALF_EVEN, Decimal, localcontext
from fractions import Fraction

import numpy as np

from pennyweight.array_kinds import Floats
from pennyweight.core.loans.rounding import ROUNDINGS, Rounding, Units
from pennyweight.errors import InputError

__all__ = [
    "exact_level_payment",
    "level_payment_units",
    "level_payments",
    "payment_share",
]

_LARGEST = Decimal("9e15")


def payment_share(rate: Floats, count: Floats) -> Floats:
    """Return what each of `count` level payments is of the loan, i / (1 - (1 + i) ** -n); 1 / n without interest.

    >>> payment_share(np.array([0.005, 0.0]), np.array([360.0, 10.0])).round(8).tolist()
    [0.00599551, 0.1]
    """
    with np.errstate(divide="ignore", invalid="ignore"):
        share: Floats = rate / -np.expm1(-count * np.log1p(rate))
        return share if rate.all() else np.where(rate == 0, 1.0 / count, share)


def level_payments(units: Floats, rate: Floats, count: Floats, residual: Floats | None = None) -> Floats:
    """Return the level payments in whole units, rounded half up; what is close to a half is worked out exactly.

    `residual` is what they leave, in whole units; the last payment clears it.

    >>> level_payments(np.array([10_000_000.0]), np.array([0.005]), np.array([360.0])).tolist()
    [59955.0]
    """
    close = units * payment_share(rate, count)
    if residual is not None and residual.any():
        close = (units - residual * np.exp(-count * np.log1p(rate))) * payment_share(rate, count)
    payment = np.floor(close + 0.5)
    gap = np.abs(close - payment)
    for k in np.flatnonzero(gap > 0.5 - 1e-5) if gap.max(initial=0.0) > 0.5 - 1e-5 else ():
        yearly = Fraction(repr(float(rate[k])))
        left = 0 if residual is None else int(residual[k])
        over = int(count[k])
        exact = _simplest(float(rate[k]), yearly)
        payment[k] = exact_level_payment(int(units[k]), exact, over, left, over, False, "half up")
    return payment


def level_payment_units(balance: Units, rate: Fraction, count: int, rounding: Rounding | None = "half up") -> Units:
    """Return the level payment at the end of each of `count` periods, rounded.

    >>> level_payment_units(10_000_000, Fraction(1, 200), 360)
    59955
    """
    return exact_level_payment(balance, rate, count, 0, 0, False, rounding)


def exact_level_payment(
    balance: Units, rate: Fraction, count: int, residual: Units, gap: int, at_once: bool, rounding: Rounding | None
) -> Units:
    """Return the level payment, rounded; `residual` is left `gap` periods on; `at_once`: the first payment is now.

    >>> exact_level_payment(10_000_000, Fraction(1, 200), 360, 0, 360, False, None)
    59955.05251527524
    """
    with localcontext() as context:
        context.prec = 60
        i = Decimal(rate.numerator) / Decimal(rate.denominator)
        owed, left = Decimal(balance), Decimal(residual)
        if i < Decimal("1e-40"):  # sixty digits do not tell it from no interest
            exact = (owed - left) / count
        else:
            exact = (owed - left * (1 + i) ** -gap) * i / (1 - (1 + i) ** -count)
            exact = exact / (1 + i) if at_once else exact
        if exact > _LARGEST:
            raise InputError(f"The payment would be {exact:.3g} of the smallest unit; it goes up to {_LARGEST:.0e}.")
        if rounding is None:
            return float(exact)
        # First to thirty places: what is a whole number, or a half, must be one in these digits too.
        exact = exact.quantize(Decimal("1e-30"), rounding=ROUND_HALF_EVEN)
        return int(exact.quantize(Decimal(1), rounding=ROUNDINGS[rounding].mode))


def _simplest(rate: float, exact: Fraction) -> Fraction:
    """The fraction of small denominator a rate per period stands for (0.05 / 12 is 1/240), else the float itself."""
    near = Fraction(rate).limit_denominator(10_000_000)
    return near if abs(float(near) - rate) <= 4e-16 * abs(rate) else exact

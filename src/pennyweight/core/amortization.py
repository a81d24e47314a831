"""A loan's schedule as a lender's books have it: whole cents, halves up, the last payment clears.

The rules: the rate per period is never rounded; the level payment is rounded; the interest of a period is the opening
balance times the rate, rounded; a payment covers interest first, then principal; the loan ends at the first payment
that is at least opening balance plus interest, and that payment is exactly this sum; the last agreed payment clears
what is left. All in integers, so no half is ever missed.
"""

from __future__ import annotations

from decimal import ROUND_HALF_UP, Decimal, localcontext
from fractions import Fraction
from typing import NamedTuple

__all__ = ["BookRow", "book_schedule", "level_payment_units"]


class BookRow(NamedTuple):
    """One payment, in smallest units of the currency."""

    payment: int
    interest: int
    principal: int
    balance: int


def level_payment_units(balance: int, rate: Fraction, count: int) -> int:
    """Return the level payment at the end of each of `count` periods, rounded half up.

    >>> level_payment_units(10_000_000, Fraction(1, 200), 360)
    59955
    """
    with localcontext() as context:
        context.prec = 60
        i = Decimal(rate.numerator) / Decimal(rate.denominator)
        exact = Decimal(balance) / count if i == 0 else Decimal(balance) * i / (1 - (1 + i) ** -count)
        return int(exact.quantize(Decimal(1), rounding=ROUND_HALF_UP))


def book_schedule(balance: int, rate: Fraction, payment: int, count: int) -> list[BookRow]:
    """Return the rows until the loan is paid off, `count` payments at most.

    `rate` is that of one period, exact. The payment must be above the first interest, or the count end the loan.

    >>> [row.balance for row in book_schedule(1000, Fraction(1, 100), 340, 3)]
    [670, 337, 0]
    """
    rows: list[BookRow] = []
    up, down = rate.numerator, rate.denominator
    for number in range(1, count + 1):
        interest = (2 * balance * up + down) // (2 * down)
        paid = balance + interest if number == count or payment >= balance + interest else payment
        balance += interest - paid
        rows.append(BookRow(paid, interest, paid - interest, balance))
        if balance == 0:
            break
    return rows

"""The one of amount, rate and payment that was left out, worked out of the others; and whether all of them fit."""

from __future__ import annotations

from dataclasses import replace
from decimal import Decimal
from fractions import Fraction
from functools import partial

import numpy as np

from pennyweight.core.annuity import annuity_factor
from pennyweight.core.brackets import turn_between
from pennyweight.core.loans.agreement import Agreement
from pennyweight.core.loans.exact import keep_books
from pennyweight.errors import NoAnswer
from pennyweight.quantities.units import Style

__all__ = ["exact_rate", "fits", "largest_amount", "level_of", "rate_that_fits"]


def exact_rate(value: float) -> Fraction:
    """The rate as it was written, exactly."""
    return Fraction(Decimal(repr(value)))


def level_of(agreed: Agreement) -> int | float:
    """The level payment of an agreement, whatever payment was given."""
    # The first payment that is worked out is the agreed one; one row is all that is needed of the books.
    first = agreed.interest_only
    count, spread = ((over or first) - first for over in (agreed.count, agreed.spread))
    terms = replace(agreed, payment=None, shares=None, interest_only=0, count=count or None, spread=spread or None)
    books = keep_books(terms, stop=1)
    return books.settings[0].payment


def fits(agreed: Agreement, before: int) -> bool:
    """Whether the payment given is the level one but for a unit, or pays the loan off with the last one agreed."""
    unit = 1e-9 * float(agreed.payment or 0) if agreed.rounding is None else 1.0
    if before and agreed.count:
        # What the rounding of all payments comes to at the end, spread over those that are left.
        growth, n = np.log1p(float(agreed.periodic(agreed.rate))), agreed.count
        whole_life, rest = (np.expm1(k * growth) if growth else k for k in (before + n, n))
        unit *= float(whole_life / rest) + 1
    if abs(level_of(agreed) - (agreed.payment or 0)) <= unit:
        return True
    plain = agreed.spread is None and not agreed.residual and not agreed.interest_only and not agreed.at_start
    return plain and len(keep_books(replace(agreed, count=None)).rows) == agreed.count


def largest_amount(agreed: Agreement) -> int | float:
    """What the payments are worth, rounded down; the level payment of it is not above the given one."""
    payment = agreed.payment or 0
    i = float(agreed.periodic(agreed.rate))
    # While only interest is paid the balance stands, so the payments are worth what they are at its end.
    over, count = ((many or 1) - agreed.interest_only for many in (agreed.spread or agreed.count, agreed.count))
    factor = float(annuity_factor(i, over))
    worth = payment * factor * (1 + i if agreed.at_start else 1) + agreed.residual * (1 + i) ** -count
    if agreed.rounding is None:
        return float(worth)
    balance = int(worth)
    while balance > 0 and level_of(replace(agreed, amount=balance)) > payment:
        balance -= 1
    if balance <= 0:
        raise NoAnswer("The payment repays no amount at these terms.")
    return balance


def rate_that_fits(agreed: Agreement, style: Style) -> float:
    """The yearly rate with the fewest digits at which the level payment is the given one."""
    target = agreed.payment or 0
    half = 1e-12 * float(target) if agreed.rounding is None else 0.5

    def close(yearly: float) -> float:
        terms = replace(agreed, rate=Fraction(yearly), rounding=None, amount=float(agreed.amount))
        return float(level_of(terms))

    def reaches(wanted: float, yearly: float) -> bool:
        return close(yearly) >= wanted

    if close(0.0) > target + half:
        total = style.show((agreed.count or 1) * target / 10**style.places, "money")
        raise NoAnswer(f"All payments together, {total}, are less than the amount; no rate of 0 or more fits.")
    bounds = []
    for wanted in (target - half, target + half):
        low, high = 0.0, 1.0
        while close(high) < wanted and high < 1e4:
            high *= 2
        bounds.append(turn_between(partial(reaches, wanted), low, high)[1])
    middle = sum(bounds) / 2
    for places in range(4, 15):
        short = round(middle, places)
        if agreed.rounding is not None and level_of(replace(agreed, rate=exact_rate(short))) == target:
            return short
    return middle

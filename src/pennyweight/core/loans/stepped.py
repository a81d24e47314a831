"""Loans of many cases stepped together by whoever drives them, a deal's periods for instance; unrounded, unless asked.

A ledger holds, for each case, what is owed and on which terms. `pay` makes the payments that fall into a period, `draw`
pays a loan out, `pay_extra` puts more on it. Cases may differ in every term and in the period of pay-out. The rules are
those of `exact`. A case whose terms make no loan is undefined (NaN) from its pay-out on.
"""

from __future__ import annotations

from typing import TypeAlias

import numpy as np
from numpy.typing import NDArray

from pennyweight.array_kinds import Floats
from pennyweight.core.loans.level_payment import payment_share
from pennyweight.core.loans.repayment import Repayment
from pennyweight.core.loans.undisturbed import paths
from pennyweight.errors import choice

__all__ = ["HAIR", "MOST_MADE", "Ledger"]

Bools: TypeAlias = NDArray[np.bool_]

HAIR = 1e-7  # a half of a unit goes up although its product may lie just below
_WHOLE = 1e-6
MOST_MADE = 12_000
"""The most payments a loan may have behind it when it comes in: a thousand years of months."""


class Ledger:
    """What is owed in each case; arrays (cases,), or (1,) while all cases are alike.

    >>> ledger = Ledger("level")
    >>> ledger.draw(np.array([True]), np.array([1000.0]), rate=np.array([0.01]), count=np.array([3.0]))
    >>> ledger.pay(np.array([3.0]))
    >>> round(float(ledger.paid[0]), 2), float(ledger.balance[0])
    (1020.07, 0.0)
    """

    def __init__(self, shape: Repayment, units: float | None = None) -> None:
        self.shape: Repayment = choice(shape, ("level", "principal", "interest"), "shape")
        self.units = units
        zero = np.zeros(1)
        self.amount = zero
        self.balance, self.rate, self.payment = zero, zero, zero
        self.left, self.only, self.spread, self.residual = zero, zero, zero, zero
        self.since = np.full(1, np.inf)
        """The period of pay-out."""
        self.paid, self.interest, self.extra, self.drawn = zero, zero, zero, zero

    def draw(
        self,
        now: Bools,
        amount: Floats,
        *,
        rate: Floats,
        count: Floats,
        payment: Floats | None = None,
        spread: Floats | None = None,
        residual: Floats | None = None,
        only: Floats | None = None,
        period: float = 0.0,
        share: float = 1.0,
        made: Floats | None = None,
    ) -> None:
        """Pay out where `now`: rate per payment, count of payments (inf: until paid off), `only` of them interest.

        `share` is the part of the amount drawn at once, the rest follows by `advance`; `made` payments were made
        before, so that the loan comes in at what is owed after them.
        """
        if self.units is not None:
            amount = np.floor(amount * self.units + 0.5 + HAIR)
            residual = None if residual is None else np.floor(residual * self.units + 0.5 + HAIR)
            payment = None if payment is None else np.floor(payment * self.units + 0.5 + HAIR)
        none = np.zeros(1)
        only = none if only is None else only
        whole = (np.abs(count - np.round(np.where(np.isinf(count), 0.0, count))) <= _WHOLE) | np.isinf(count)
        whole = whole & (np.abs(only - np.round(only)) <= _WHOLE) & (only < count) & (only >= 0) & (count >= 1 - _WHOLE)
        whole = whole & (rate >= 0) & (amount >= 0)
        if payment is not None:
            whole = whole & ((payment > amount * rate) | (amount == 0))
        if residual is not None:
            whole = whole & (residual >= 0) & ((residual < amount) | (residual == 0))
        if spread is not None:
            whole = whole & (spread >= count - _WHOLE)
        if made is not None:
            whole = (
                whole & (np.abs(made - np.round(made)) <= _WHOLE) & (made >= 0) & (made < count) & (made <= MOST_MADE)
            )
        self.amount = np.where(now, np.where(whole, amount, np.nan), self.amount)
        amount = np.where(whole, self._unit(amount * share) if share != 1 else amount, np.nan)
        amount = np.where((amount == 0) & now, 0.0, amount)
        self.drawn = np.where(np.isnan(self.balance), np.nan, np.where(now, amount, 0.0))
        self.balance = np.where(now, amount, self.balance)
        self.rate = np.where(now, rate, self.rate)
        self.left = np.where(now, np.round(np.where(np.isinf(count), 1e300, count)), self.left)
        self.only = np.where(now, np.round(only), self.only)
        over = np.where(np.isinf(count), 1e300, count) if spread is None else np.round(spread)
        self.spread = np.where(now, over, self.spread)
        self.residual = np.where(now, none if residual is None else residual, self.residual)
        self.since = np.where(now, period, self.since)
        if payment is None:
            self.set_payment(now & (self.only == 0))
        else:
            self.payment = np.where(now, payment, self.payment)
        if made is not None:
            self._make(now, made)

    def advance(self, now: Bools, share: float) -> None:
        """Draw a further share of the amount where `now`; the payment is worked out anew over those that remain."""
        if not now.any():
            return
        drawn = np.where(now, self._unit(self.amount * share), 0.0)
        self.drawn, self.balance = self.drawn + drawn, self.balance + drawn
        self.set_payment(now & (self.only == 0) & (self.left < 1e299))

    def _unit(self, amount: Floats) -> Floats:
        """The amount in whole units, when the loan is kept in these."""
        return amount if self.units is None else np.floor(amount + 0.5 + HAIR)

    def _make(self, now: Bools, made: Floats) -> None:
        """The payments that were made before the loan came in: what is owed after them is what is drawn."""
        made = np.where(now & np.isfinite(self.balance), made, 0.0)
        if self.units is None and not (self.only > 0).any():
            found = paths(self.shape, self.balance, self.rate, self.payment, self.left, int(made.max()))
            width = found.balance.shape[1]
            number = np.broadcast_to(made, width).astype(np.intp)
            self.balance = found.balance[number, np.arange(width)]
            self.left, self.spread = self.left - made, self.spread - made
            self.drawn = np.where(now, self.balance, self.drawn)
            return
        kept = self.paid, self.interest
        for k in range(int(made.max())):
            self._pay_once((made > k) & (self.balance != 0))
        self.paid, self.interest = kept
        self.drawn = np.where(now, self.balance, self.drawn)

    def refuse(self, cases: Bools) -> None:
        """Make cases undefined from the first period on: nobody can say when they are paid out."""
        self.balance = np.where(cases, np.nan, self.balance)
        self.since = np.where(cases, 0.0, self.since)

    def pay(self, times: Floats) -> None:
        """Make `times` payments in each case; `paid` and `interest` hold their sums."""
        self.paid = self.interest = self.extra = self.drawn = np.zeros(1)
        owing = self.balance != 0
        if not owing.any():
            return
        active = times[owing] if times.size > 1 else times
        fewest, most = int(active.min()), int(active.max())
        if fewest == most and not (self.only > 0).any():
            self._pay_alike(most)
            return
        for k in range(most):
            self._pay_once((times > k) & (self.balance != 0))

    def pay_extra(self, amount: Floats) -> None:
        """Put more on what was owed before this period's pay-out; `extra` holds what was taken."""
        if self.units is not None:
            amount = np.floor(amount * self.units + 0.5 + HAIR)
        before = self.balance - self.drawn
        # Below zero it would be a loan of its own: undefined, where there is anything to pay on.
        self.extra = np.where((amount < 0) & (before > 0), np.nan, np.minimum(np.maximum(amount, 0.0), before))
        self.balance = self.balance - self.extra

    def set_rate(self, now: Bools, rate: Floats) -> None:
        """A new rate per payment from here on, the payment worked out anew over those that remain."""
        self.rate = np.where(now, rate, self.rate)
        self.set_payment(now & (self.only == 0) & (self.left < 1e299))

    def set_payment(self, now: Bools) -> None:
        """Work out the payment over those that remain."""
        if not now.any():
            return
        with np.errstate(all="ignore"):
            if self.shape == "principal":
                fresh = (self.balance - self.residual) / self.left
            else:
                discount = np.log1p(self.rate)
                owed = self.balance - self.residual * np.exp(-self.left * discount)
                fresh = owed * payment_share(self.rate, self.spread)
            if self.units is not None:
                fresh = np.floor(fresh + 0.5 + 1e-9)
        self.payment = np.where(now, fresh, self.payment)

    def shown(self, amount: Floats) -> Floats:
        """An amount in the currency."""
        return amount if self.units is None else amount / self.units

    def _pay_alike(self, times: int) -> None:
        """The same payments in all cases: where nothing is owed, nothing is paid, so no case needs telling apart."""
        balance = self.balance
        least = float(np.min(np.where(balance != 0, self.left, np.inf)))
        for k in range(times):
            interest, due = self._due(balance)
            owed = balance + interest
            paid = np.minimum(due, owed)
            if least - k <= 1:
                paid = np.where(self.left - k <= 1, owed, paid)
            balance = owed - paid
            self.paid, self.interest = self.paid + paid, self.interest + interest
        self.balance, self.left, self.spread = balance, self.left - times, self.spread - times

    def _due(self, balance: Floats) -> tuple[Floats, Floats]:
        """The interest of a payment on a balance, and what is due of both."""
        interest = balance * self.rate
        if self.units is not None:
            interest = np.floor(interest + 0.5 + HAIR)
        if self.shape == "interest":
            return interest, interest
        return interest, self.payment + interest if self.shape == "principal" else self.payment

    def _pay_once(self, owing: Bools) -> None:
        interest, due = self._due(self.balance)
        owed = self.balance + interest
        alone = self.only > 0
        if alone.any():
            due = np.where(alone, interest, due)
        paid = np.where(self.left <= 1, owed, np.minimum(due, owed))
        paid, interest = np.where(owing, paid, 0.0), np.where(owing, interest, 0.0)
        self.balance = np.where(owing & (paid == owed), 0.0, self.balance + interest - paid)
        self.paid, self.interest = self.paid + paid, self.interest + interest
        self.left, self.spread = self.left - owing, self.spread - owing
        if alone.any():
            ends = owing & (self.only == 1)
            self.only = np.where(owing & alone, self.only - 1, self.only)
            self.set_payment(ends)

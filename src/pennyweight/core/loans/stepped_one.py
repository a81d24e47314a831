"""One loan stepped by somebody else's clock, in plain floats: `stepped` for a single case, to the same bit.

Payments and extra payments are plain arithmetic; what is rare (a pay-out, a new rate, a new payment) goes through the
`Ledger` of arrays, so that its rules are written once.
"""

from __future__ import annotations

from collections.abc import Callable
from math import floor, nan
from typing import Any

import numpy as np

from pennyweight.core.loans.repayment import Repayment
from pennyweight.core.loans.stepped import HAIR, Ledger

__all__ = ["OneLedger"]

_FIELDS = ("balance", "rate", "payment", "left", "only", "spread", "residual", "since", "amount", "drawn")


class OneLedger:
    """What is owed on one loan.

    >>> ledger = OneLedger("level")
    >>> terms = {"amount": np.array([1000.0]), "rate": np.array([0.01]), "count": np.array([3.0])}
    >>> ledger.through(lambda arrays: arrays.draw(np.array([True]), **terms))
    >>> ledger.pay(3)
    >>> round(ledger.paid, 2), ledger.balance
    (1020.07, 0.0)
    """

    def __init__(self, shape: Repayment, units: float | None = None) -> None:
        self.shape, self.units = shape, units
        self.balance = self.rate = self.payment = self.left = self.only = self.spread = self.residual = 0.0
        self.since = float("inf")
        self.amount = self.drawn = self.paid = self.interest = self.extra = 0.0

    def through(self, change: Callable[[Ledger], Any]) -> None:
        """Let the ledger of arrays do it."""
        arrays = Ledger(self.shape, self.units)
        for name in _FIELDS:
            setattr(arrays, name, np.array([getattr(self, name)]))
        with np.errstate(all="ignore"):
            change(arrays)
        for name in _FIELDS:
            setattr(self, name, float(getattr(arrays, name).reshape(-1)[0]))

    def pay(self, times: int) -> None:
        """Make so many payments; `paid` and `interest` hold their sums."""
        self.paid = self.interest = self.extra = self.drawn = 0.0
        shape, units = self.shape, self.units
        for _ in range(times):
            balance = self.balance
            if balance == 0:
                return
            interest = balance * self.rate
            if units is not None and interest == interest:
                interest = floor(interest + 0.5 + HAIR)
            owed = balance + interest
            alone = self.only > 0
            due = (
                interest
                if alone or shape == "interest"
                else self.payment + interest
                if shape == "principal"
                else self.payment
            )
            paid = owed if self.left <= 1 or due > owed else due
            if due != due or owed != owed:
                paid = nan
            self.balance = 0.0 if paid == owed else owed - paid
            self.paid += paid
            self.interest += interest
            self.left -= 1
            self.spread -= 1
            if alone:
                self.only -= 1
                if self.only == 0:
                    self.through(lambda arrays: arrays.set_payment(np.ones(1, np.bool_)))

    def pay_extra(self, amount: float) -> None:
        """Put more on what was owed before this period's pay-out; `extra` holds what was taken."""
        if self.units is not None and amount == amount:
            amount = floor(amount * self.units + 0.5 + HAIR)
        before = self.balance - self.drawn
        if amount != amount or before != before or (amount < 0 and before > 0):
            self.extra = nan
        else:
            self.extra = min(max(amount, 0.0), before)
        self.balance -= self.extra

    def shown(self, part: str) -> float:
        """A part in the currency; the level payment's own principal, extra payments stand apart."""
        if part == "principal":
            amount = self.paid - self.interest
        elif part == "flow":
            amount = self.drawn - self.paid - self.extra
        elif part == "payment":
            amount = self.paid
        else:
            amount = getattr(self, part)
        return amount if self.units is None else amount / self.units

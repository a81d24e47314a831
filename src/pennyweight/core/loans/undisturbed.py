"""Loans to which nothing happens between pay-out and the last payment, many cases at once, unrounded.

The arithmetic is `stepped`'s, payment after payment, but with nothing to ask in between: a few array operations a
payment in place of some fifty. One case goes in plain floats, because a row of one is all call overhead; both are the
same to the last bit.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from pennyweight.array_kinds import Floats
from pennyweight.core.loans.repayment import Repayment

__all__ = ["Paths", "paths"]


_LANE = 512
_FEW = 6
"""Up to so many cases go one by one in plain floats."""


class Paths(NamedTuple):
    """What is paid, the interest in it, and what is owed, (payments + 1, cases); row 0 is the pay-out."""

    paid: Floats
    interest: Floats
    balance: Floats


def paths(shape: Repayment, balance: Floats, rate: Floats, payment: Floats, count: Floats, payments: int) -> Paths:
    """The first `payments` payments of loans of so much, rate per payment, `count` payments agreed (1e300: no end).

    >>> found = paths("level", np.array([1000.0]), np.array([0.01]), np.array([340.02211148]), np.array([3.0]), 4)
    >>> found.balance[:, 0].round(2).tolist()
    [1000.0, 669.98, 336.66, 0.0, 0.0]
    """
    width = max(balance.size, rate.size, payment.size, count.size)
    balance, rate, payment, count = (np.broadcast_to(x, width) for x in (balance, rate, payment, count))
    found = Paths(*(np.empty((payments + 1, width)) for _ in range(3)))
    found.paid[0] = found.interest[0] = 0.0
    found.balance[0] = balance
    if width <= _FEW:
        for table in (found.paid, found.interest, found.balance):
            table[1:] = 0.0
        for case in range(width):
            _one(shape, float(rate[case]), float(payment[case]), float(count[case]), found, case)
        return found
    for low in range(0, width, _LANE):  # so many at a time as stay in the cache
        part = slice(low, min(low + _LANE, width))
        own = Paths(*(table[:, part] for table in found))
        _many(shape, rate[part], payment[part], count[part], own)
    return found


def _many(shape: Repayment, rate: Floats, payment: Floats, count: Floats, into: Paths) -> None:
    """Many cases, a payment at a time."""
    payments = into.paid.shape[0] - 1
    ends = {k: count == k for k in np.unique(count[count <= payments]).astype(int).tolist()}
    owed, due = np.empty(rate.size), np.empty(rate.size)
    for k in range(1, payments + 1):
        before, interest, paid = into.balance[k - 1], into.interest[k], into.paid[k]
        np.multiply(before, rate, out=interest)
        np.add(before, interest, out=owed)
        if shape == "level":
            np.minimum(payment, owed, out=paid)
        elif shape == "interest":
            np.minimum(interest, owed, out=paid)
        else:
            np.add(payment, interest, out=due)
            np.minimum(due, owed, out=paid)
        if k in ends:
            np.copyto(paid, owed, where=ends[k])
        np.subtract(owed, paid, out=into.balance[k])


def _one(shape: Repayment, rate: float, payment: float, count: float, into: Paths, case: int) -> None:
    """One case, the same steps."""
    balance = float(into.balance[0, case])
    paid_rows, interest_rows, balance_rows = [0.0], [0.0], [balance]
    for k in range(1, into.paid.shape[0]):
        interest = balance * rate
        owed = balance + interest
        due = payment if shape == "level" else interest if shape == "interest" else payment + interest
        paid = owed if k == count or due > owed else due
        if due != due or owed != owed:
            paid = float("nan")
        balance = owed - paid
        paid_rows.append(paid)
        interest_rows.append(interest)
        balance_rows.append(balance)
        if balance == 0:  # nothing more is owed: the rest is zero
            break
    rows = len(paid_rows)
    into.paid[:rows, case], into.interest[:rows, case], into.balance[:rows, case] = (
        paid_rows,
        interest_rows,
        balance_rows,
    )

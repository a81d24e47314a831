"""Loans to which nothing happens between pay-out and the last payment, many cases at once, unrounded.

The arithmetic is `stepped`'s, payment after payment, but with nothing to ask in between: a few array operations a
payment in place of some fifty. One case goes in plain floats, because a row of one is all call overhead; both are the
same to the last bit.
"""

from __future__ import annotations

from functools import partial
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from pennyweight.array_kinds import Floats
from pennyweight.core.loans.repayment import Repayment

__all__ = ["Paths", "paths"]


_LANE = 512
_WALKED = 2_048
"""So many where only sums are kept."""
_FEW = 6
"""Up to so many cases go one by one in plain floats."""


class Paths(NamedTuple):
    """What is paid, the interest in it, and what is owed, (rows + 1, cases); row 0 is the pay-out."""

    paid: Floats
    interest: Floats
    balance: Floats


def paths(
    shape: Repayment, balance: Floats, rate: Floats, payment: Floats, count: Floats, payments: int, ratio: int = 1
) -> Paths:
    """The first `payments` payments of loans of so much, rate per payment, `count` payments agreed (1e300: no end).

    With a `ratio` above 1 a row is so many payments: what is paid in them, and what is owed after the last.

    >>> found = paths("level", np.array([1000.0]), np.array([0.01]), np.array([340.02211148]), np.array([3.0]), 4)
    >>> found.balance[:, 0].round(2).tolist()
    [1000.0, 669.98, 336.66, 0.0, 0.0]
    """
    width = max(balance.size, rate.size, payment.size, count.size)
    balance, rate, payment, count = (np.broadcast_to(x, width) for x in (balance, rate, payment, count))
    few = width <= _FEW
    rows = payments if few else payments // ratio
    found = Paths(*(np.empty((rows + 1, width)) for _ in range(3)))
    found.paid[0] = found.interest[0] = 0.0
    found.balance[0] = balance
    if few:
        for table in (found.paid, found.interest, found.balance):
            table[1:] = 0.0
        for case in range(width):
            _one(shape, float(rate[case]), float(payment[case]), float(count[case]), found, case)
        if ratio > 1:
            return Paths(_summed(found.paid, ratio), _summed(found.interest, ratio), found.balance[::ratio])
        return found
    lane, walk = (_LANE, _many) if ratio == 1 else (_WALKED, partial(_walked, ratio))
    for low in range(0, width, lane):  # so many at a time as stay in the cache
        part = slice(low, min(low + lane, width))
        own = Paths(*(table[:, part] for table in found))
        walk(shape, rate[part], payment[part], count[part], own)
    return found


def _summed(table: Floats, ratio: int) -> Floats:
    """Payments summed over the periods, one after the other, as they are made."""
    total = np.zeros(((table.shape[0] - 1) // ratio + 1, table.shape[1]))
    for k in range(ratio):
        total[1:] += table[k + 1 :: ratio]
    return total


def _walked(ratio: int, shape: Repayment, rate: Floats, payment: Floats, count: Floats, into: Paths) -> None:
    """Many cases, a payment at a time, of which the sums of each period are kept: nothing else leaves the cache."""
    periods = into.paid.shape[0] - 1
    ends = {k: count == k for k in np.unique(count[count <= periods * ratio]).astype(int).tolist()}
    interest, owed, paid = (np.empty(rate.size) for _ in range(3))
    rate, payment, balance = rate.copy(), payment.copy(), into.balance[0].copy()
    paid_so_far, interest_so_far = np.empty(rate.size), np.empty(rate.size)
    for period in range(1, periods + 1):
        paid_so_far.fill(0.0)
        interest_so_far.fill(0.0)
        for k in range((period - 1) * ratio + 1, period * ratio + 1):
            _pay(shape, balance, rate, payment, ends.get(k), interest, owed, paid, balance)
            np.add(paid_so_far, paid, out=paid_so_far)
            np.add(interest_so_far, interest, out=interest_so_far)
        into.paid[period], into.interest[period], into.balance[period] = paid_so_far, interest_so_far, balance


def _many(shape: Repayment, rate: Floats, payment: Floats, count: Floats, into: Paths) -> None:
    """Many cases, a payment at a time."""
    payments = into.paid.shape[0] - 1
    ends = {k: count == k for k in np.unique(count[count <= payments]).astype(int).tolist()}
    owed = np.empty(rate.size)
    for k in range(1, payments + 1):
        before, after = into.balance[k - 1], into.balance[k]
        _pay(shape, before, rate, payment, ends.get(k), into.interest[k], owed, into.paid[k], after)


def _pay(
    shape: Repayment,
    before: Floats,
    rate: Floats,
    payment: Floats,
    ending: NDArray[np.bool_] | None,
    interest: Floats,
    owed: Floats,
    paid: Floats,
    after: Floats,
) -> None:
    """One payment of all: what was owed `before` gives the last four; who is `ending` pays all."""
    np.multiply(before, rate, out=interest)
    np.add(before, interest, out=owed)
    if shape == "level":
        np.minimum(payment, owed, out=paid)
    elif shape == "interest":
        np.minimum(interest, owed, out=paid)
    else:
        np.add(payment, interest, out=paid)
        np.minimum(paid, owed, out=paid)
    if ending is not None:
        np.copyto(paid, owed, where=ending)
    np.subtract(owed, paid, out=after)


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

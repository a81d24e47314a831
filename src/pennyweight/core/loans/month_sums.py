"""What many loans pay and owe, summed by month and group as they are worked out: no schedule is kept."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from pennyweight.array_kinds import Floats, Ints
from pennyweight.core.loans.batch import amortize
from pennyweight.core.loans.batch_events import CHUNK, EventTable, Exactness
from pennyweight.core.loans.level_payment import level_payments

__all__ = ["FIGURES", "MonthSums", "add_month_sums"]

FIGURES = ("loans", "paid_out", "payment", "interest", "balance")
"""What is summed: loans that still owe at the month's end, and in whole units what is paid out, paid and owed."""

_BY_MONTH = (0, 2, 3, 4)
"""The figures of a month in which is paid."""


@dataclass(frozen=True)
class MonthSums:
    """Sums by figure, group and month, (figures, groups, months), in whole units of the currency; exact below 2**53."""

    first: int
    """The month of the first column, counted as year * 12 + month - 1, or from 0 where loans have no day."""
    table: Floats

    @classmethod
    def empty(cls, first: int, months: int, groups: int) -> MonthSums:
        """Nothing yet."""
        return cls(first, np.zeros((len(FIGURES), groups, months)))

    def grown(self, first: int, last: int, groups: int) -> MonthSums:
        """The same with room for these months and groups."""
        low = min(first, self.first)
        high = max(last, self.first + self.table.shape[2] - 1)
        wide = max(groups, self.table.shape[1])
        if (low, high - low + 1, wide) == (self.first, self.table.shape[2], self.table.shape[1]):
            return self
        made = np.zeros((len(FIGURES), wide, high - low + 1))
        at = self.first - low
        made[:, : self.table.shape[1], at : at + self.table.shape[2]] = self.table
        return MonthSums(low, made)


def add_month_sums(
    sums: MonthSums, amount: Floats, rate: Floats, payments: Floats, start: Ints, group: Ints, *, places: int = 2
) -> MonthSums:
    """Add loans paid monthly to the sums: level payments, each rounded to the smallest unit, the last one clears.

    `amount` is what is lent, `rate` yearly and quoted, `payments` how many, `start` the month of the pay-out, `group`
    the place of each loan's group; (loans,) each. The rules are those of `batch.amortize`, whose figures these add up.
    """
    if not amount.size:
        return sums
    groups = int(group.max()) + 1
    sums = sums.grown(int(start.min()), int((start + payments).max()), groups)
    units = np.round(amount * 10.0**places)
    exact = Exactness(rate, EventTable(None, units.size, payments, 12, places), units, 12)
    # Loans of one month and one group stand together, so that a sum is one pass over what they owe.
    order = np.lexsort((-payments, group, start))
    for begin in range(0, order.size, CHUNK):
        here = order[begin : begin + CHUNK]
        _add_chunk(sums, units[here], rate[here], payments[here], start[here], group[here], exact)
    return sums


def _add_chunk(
    sums: MonthSums, units: Floats, rate: Floats, count: Floats, start: Ints, group: Ints, exact: Exactness
) -> None:
    table, months = sums.table, start - sums.first
    edges = np.flatnonzero(np.r_[True, (np.diff(start) != 0) | (np.diff(group) != 0)])
    month, place = months[edges], group[edges]
    sizes = np.diff(np.r_[edges, units.size])
    segment = np.repeat(np.arange(edges.size), sizes)
    if exact.fused is None:
        _add_by_rows(sums, units, rate, count, months, group)
        return
    each = exact.per_period(rate)
    payment = level_payments(units, each, count)
    longest = int(count.max())
    # Level payments of those that still run, by segment and number; the last ones come with their loans.
    ends = np.zeros((longest + 1, edges.size))
    np.add.at(ends, (count.astype(np.intp), segment), payment)
    running = np.add.reduceat(payment, edges)
    alive = sizes.astype(np.float64)
    over = np.zeros((longest + 1, edges.size))
    np.add.at(over, (count.astype(np.intp), segment), 1.0)
    growth, add = 1.0 + each, 0.5 + exact.fused - payment
    owed_before = np.add.reduceat(units, edges)
    sides, flat = table.reshape(len(FIGURES), -1), place * table.shape[2] + month
    longest_of = np.maximum.reduceat(count, edges)
    least = int(longest_of.min())
    x = units.copy()
    by_count = np.argsort(count, kind="stable")
    numbers, first = np.unique(count[by_count], return_index=True)
    last_at = dict(zip(numbers.astype(int).tolist(), np.split(by_count, first[1:]), strict=True))
    for figure, values in ((0, alive), (1, owed_before), (4, owed_before)):
        sides[figure, flat] += values
    early: list[Ints] = []
    for number in range(1, longest + 1):
        ending = last_at.get(number)
        cleared = np.zeros(edges.size)
        if ending is not None:
            owed = x[ending] + np.floor(x[ending] * each[ending] + (0.5 + exact.hair))
            np.add.at(cleared, segment[ending], owed)
            early.append(ending[owed == 0])
        np.multiply(x, growth, out=x)
        np.add(x, add, out=x)
        np.floor(x, out=x)
        np.maximum(x, 0.0, out=x)
        if ending is not None:
            x[ending] = 0.0
            growth[ending], add[ending] = 0.0, 0.0
        running = running - ends[number]
        alive = alive - over[number]
        owed_now = np.add.reduceat(x, edges)
        paid = running + cleared
        # Segments differ in month or group, so that each adds to a place of its own; beyond its end one adds nothing.
        at = flat + number
        told = (alive, paid, paid - (owed_before - owed_now), owed_now)
        if number <= least:
            for figure, values in zip(_BY_MONTH, told, strict=True):
                sides[figure, at] += values
        else:
            still = number <= longest_of
            at = at[still]
            for figure, values in zip(_BY_MONTH, told, strict=True):
                sides[figure, at] += values[still]
        owed_before = owed_now
    sooner = np.concatenate(early) if early else np.empty(0, np.int64)
    if (
        sooner.size
    ):  # paid off before the agreed end by rounding: what they were given is taken back, and told row by row
        _take_back(sums, units, rate, count, months, group, payment, sooner, exact)


def _take_back(
    sums: MonthSums,
    units: Floats,
    rate: Floats,
    count: Floats,
    months: Ints,
    group: Ints,
    payment: Floats,
    sooner: Ints,
    exact: Exactness,
) -> None:
    """Loans that end before they should: the level payments after their end were none."""
    each = exact.per_period(rate)
    for k in sooner.tolist():
        balance, at = units[k], months[k]
        for number in range(1, int(count[k]) + 1):
            owed = balance + np.floor(balance * each[k] + (0.5 + exact.hair))
            if owed < payment[k] and number < count[k]:
                less = payment[k] - owed
                sums.table[2, group[k], at + number] -= less
                sums.table[3, group[k], at + number] -= less
            balance = max(owed - payment[k], 0.0) if number < count[k] else 0.0
            if balance == 0 and number < count[k]:
                sums.table[0, group[k], at + number] -= 1.0


def _add_by_rows(sums: MonthSums, units: Floats, rate: Floats, count: Floats, months: Ints, group: Ints) -> None:
    """Loans for which the quick way is not exact: by their schedules."""
    books = amortize(units, rate, count, places=0, rows=True, threads=1)
    rows = (books.payment_rows, books.interest_rows, books.balance_rows)
    np.add.at(sums.table[0], (group, months), 1.0)
    np.add.at(sums.table[1], (group, months), units)
    np.add.at(sums.table[4], (group, months), units)
    for number in range(int(count.max())):
        at = months + number + 1
        inside = number < count
        paid, interest, balance = (np.asarray(one)[number] for one in rows)
        np.add.at(sums.table[0], (group[inside], at[inside]), (balance[inside] > 0).astype(np.float64))
        for figure, values in ((2, paid), (3, interest), (4, balance)):
            np.add.at(sums.table[figure], (group[inside], at[inside]), values[inside])

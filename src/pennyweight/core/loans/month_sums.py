"""What many loans pay and owe, summed by month and group as they are worked out: no schedule is kept."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np

from pennyweight.array_kinds import Floats, Ints
from pennyweight.core.loans.batch import amortize
from pennyweight.core.loans.batch_events import CHUNK, EventTable, Exactness, LoanEvents, decimals_of
from pennyweight.core.loans.batch_kernel import Lent
from pennyweight.core.loans.level_payment import level_payments

__all__ = ["FIGURES", "MonthSums", "add_month_sums", "add_rows", "schedules"]

FIGURES = ("loans", "paid_out", "payment", "interest", "balance", "extra", "correction")
"""What is summed: loans that still owe at the month's end, and in whole units what is paid out, paid, owed, paid extra,
and what stated balances add."""

_BY_MONTH = (0, 2, 3, 4)
"""The figures of a month in which is paid."""
_ROWS_AT_ONCE = 2_000_000
"""So many rows of schedules are held at once where sums are made of them."""


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
    sums: MonthSums,
    amount: Floats,
    rate: Floats,
    payments: Floats,
    start: Ints,
    group: Ints,
    *,
    residual: Floats | None = None,
    interest_only: Floats | None = None,
    places: int = 2,
) -> MonthSums:
    """Add loans paid monthly to the sums: level payments, each rounded to the smallest unit, the last one clears.

    `amount` is what is lent, `rate` yearly and quoted, `payments` how many, `start` the month of the pay-out, `group`
    the place of each loan's group, `residual` what the level payments leave, `interest_only` how many first payments
    are of interest alone; (loans,) each. The rules are those of `batch.amortize`, whose figures these add up.
    """
    if not amount.size:
        return sums
    groups = int(group.max()) + 1
    sums = sums.grown(int(start.min()), int((start + payments).max()), groups)
    none = np.zeros(amount.size)
    lent = Lent(
        np.round(amount * 10.0**places),
        rate,
        payments,
        none if residual is None else np.round(residual * 10.0**places),
        none if interest_only is None else np.minimum(interest_only, payments),
    )
    digits = decimals_of(rate)
    for kind in (5, 6, 7, 0):  # a rate of many decimals makes the others no slower
        mine = np.flatnonzero(digits == kind)
        if not mine.size:
            continue
        exact = Exactness(rate[mine], EventTable(None, mine.size, payments[mine], 12, places), lent.units[mine], 12)
        # Loans of one month and one group stand together, so that a sum is one pass over what they owe.
        order = mine[np.lexsort((-payments[mine], group[mine], start[mine]))]
        for begin in range(0, order.size, CHUNK):
            here = order[begin : begin + CHUNK]
            _add_chunk(sums, lent.of(here), start[here], group[here], exact)
    return sums


def add_rows(
    sums: MonthSums, lent: Lent, start: Ints, group: Ints, events: LoanEvents | None = None, *, places: int = 2
) -> tuple[MonthSums, int, float]:
    """The same for loans to which something happens: by their schedules, few at a time.

    `lent` is in whole units, `start` and `group` as for `add_month_sums`; `events` as for `batch.amortize`, amounts and
    balances in the currency. Also returned: how many events came after the end of their loan, and what was paid, in
    them or in others, beyond what was owed.
    """
    late, beyond = 0, 0.0
    if not lent.units.size:
        return sums, late, beyond
    sums = sums.grown(int(start.min()), int((start + lent.count).max()), int(group.max()) + 1)
    months = start - sums.first
    np.add.at(sums.table[0], (group, months), 1.0)
    for figure in (1, 4):
        np.add.at(sums.table[figure], (group, months), lent.units)
    for here, some, rows in schedules(lent, events, places=places):
        paid, interest, extra, balance = rows
        if some is not None:
            missed, more = _beyond(lent.units[here], some, rows, 10.0**places)
            late, beyond = late + missed, beyond + more
        before = lent.units[here]
        for number in range(rows[0].shape[0]):
            inside = number < lent.count[here]
            at = (group[here][inside], (months[here] + number + 1)[inside])
            said = (paid, interest, balance, extra)
            one = {figure: table[number][inside] for figure, table in zip((2, 3, 4, 5), said, strict=True)}
            one[6] = one[4] - (before[inside] + one[3] - one[2] - one[5])
            one[0] = (one[4] > 0).astype(np.float64)
            for figure, values in one.items():
                np.add.at(sums.table[figure], at, values)
            before = balance[number]
    return sums, late, beyond


def _beyond(
    units: Floats, events: LoanEvents, rows: tuple[Floats, Floats, Floats, Floats], scale: float
) -> tuple[int, float]:
    """How many events came when nothing was owed any more, and what was paid beyond what was owed."""
    loan, number, what = (np.asarray(one) for one in (events.loan, events.number, events.what))
    given = np.rint(np.asarray(events.value) * scale)
    paid, _, extra, balance = rows
    owed = np.where(number == 1, units[loan], balance[np.maximum(number - 2, 0), loan])
    made = what == "paid"
    more = np.maximum(given[made] - paid[number[made] - 1, loan[made]], 0.0).sum()
    more += given[what == "extra"].sum() - extra.sum()
    return int((owed == 0).sum()), float(more)


def schedules(
    lent: Lent, events: LoanEvents | None = None, *, places: int = 2
) -> Iterator[tuple[Ints, LoanEvents | None, tuple[Floats, Floats, Floats, Floats]]]:
    """The loans a few at a time, with their events (loans counted from 0 among these), and their payments, interest,
    extra payments and balances, (payments, loans) each.

    All in whole units; `events` have amounts and balances in the currency.
    """
    units = 10.0**places
    step = max(int(_ROWS_AT_ONCE // max(lent.count.max(initial=1), 1)), 1)
    for begin in range(0, lent.units.size, step):
        here = np.arange(begin, min(begin + step, lent.units.size))
        some = _events_of(events, begin, here.size)
        books = amortize(
            lent.units[here] / units, lent.yearly[here], lent.count[here], places=places,
            residual=lent.residual[here] / units, interest_only=lent.resting[here],
            events=some, rows=True, threads=1,
        )  # fmt: skip
        tables = (books.payment_rows, books.interest_rows, books.extra_rows, books.balance_rows)
        paid, interest, extra, balance = (np.rint(np.asarray(one) * units) for one in tables)
        yield here, some, (paid, interest, extra, balance)


def _events_of(events: LoanEvents | None, begin: int, count: int) -> LoanEvents | None:
    """The events of some loans that follow one another."""
    if events is None:
        return None
    loan = np.asarray(events.loan)
    some = np.flatnonzero((loan >= begin) & (loan < begin + count))
    if not some.size:
        return None
    number, what, value = (np.asarray(one)[some] for one in (events.number, events.what, events.value))
    return LoanEvents(loan[some] - begin, number, what, value)


def _add_chunk(sums: MonthSums, lent: Lent, start: Ints, group: Ints, exact: Exactness) -> None:
    table, months, units, count = sums.table, start - sums.first, lent.units, lent.count
    edges = np.flatnonzero(np.r_[True, (np.diff(start) != 0) | (np.diff(group) != 0)])
    month, place = months[edges], group[edges]
    sizes = np.diff(np.r_[edges, units.size])
    segment = np.repeat(np.arange(edges.size), sizes)
    if exact.fused is None:
        add_rows(sums, lent, start, group, places=0)
        return
    each = exact.per_period(lent.yearly)
    level = np.flatnonzero(lent.resting < count)  # the others pay interest until all falls due
    payment = np.zeros(units.size)
    payment[level] = level_payments(units[level], each[level], (count - lent.resting)[level], lent.residual[level])
    # Who pays interest alone owes the same all the while, so that this interest stays the same, too.
    rests = np.flatnonzero(lent.resting > 0)
    resting = payment.copy()
    resting[rests] = np.floor(units[rests] * each[rests] + (0.5 + exact.hair))
    final = np.where(lent.resting < count, payment, resting)
    longest = int(count.max())
    # Level payments of those that still run, by segment and number; the last ones come with their loans.
    ends = np.zeros((longest + 1, edges.size))
    np.add.at(ends, (count.astype(np.intp), segment), final)
    running = np.add.reduceat(resting, edges)
    alive = sizes.astype(np.float64)
    over = np.zeros((longest + 1, edges.size))
    np.add.at(over, (count.astype(np.intp), segment), 1.0)
    growth, add = 1.0 + each, 0.5 + exact.fused - payment
    growth[rests], add[rests] = 1.0, 0.0
    begun = _by_number(lent.resting[rests], rests)
    owed_before = np.add.reduceat(units, edges)
    sides, flat = table.reshape(len(FIGURES), -1), place * table.shape[2] + month
    longest_of = np.maximum.reduceat(count, edges)
    least = int(longest_of.min())
    x = units.copy()
    last_at = _by_number(count, np.arange(units.size))
    for figure, values in ((0, alive), (1, owed_before), (4, owed_before)):
        sides[figure, flat] += values
    early: list[Ints] = []
    for number in range(1, longest + 1):
        begins = begun.get(number - 1)
        if begins is not None:
            begins = begins[count[begins] >= number]
            growth[begins], add[begins] = 1.0 + each[begins], 0.5 + exact.fused - payment[begins]
            np.add.at(running, segment[begins], payment[begins] - resting[begins])
        ending = last_at.get(number)
        cleared = np.zeros(edges.size)
        if ending is not None:
            owed = x[ending] + np.floor(x[ending] * each[ending] + (0.5 + exact.hair))
            np.add.at(cleared, segment[ending], owed)
            early.append(ending[owed <= 0])
        np.multiply(x, growth, out=x)
        np.add(x, add, out=x)
        np.floor(x, out=x)
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
    if sooner.size:
        _set_right(sums, lent, months, group, payment, sooner, exact)


def _set_right(
    sums: MonthSums,
    lent: Lent,
    months: Ints,
    group: Ints,
    payment: Floats,
    sooner: Ints,
    exact: Exactness,
) -> None:
    """Loans that rounding ends before the agreed payment, told row by row in place of what was added for them.

    To watch for their end at every payment of all loans would be a fifth of the work; their balances went below zero.
    """
    count, rest, due = lent.count[sooner], lent.resting[sooner], payment[sooner]
    rate = exact.per_period(lent.yearly[sooner])
    place, at, half = group[sooner], months[sooner], 0.5 + (exact.fused or 0.0)
    right = added = lent.units[sooner]
    for number in range(int(rest.min()) + 1, int(count.max()) + 1):
        runs, last = (number > rest) & (number <= count), number == count
        paid_as_added = np.where(last, added + np.floor(added * rate + (0.5 + exact.hair)), due)
        left_as_added = np.where(last, 0.0, np.floor(added * (1.0 + rate) + (half - due)))
        owed = right + np.floor(right * rate + (0.5 + exact.hair))
        paid = np.where(last, owed, np.minimum(owed, due))
        left = owed - paid
        interest = paid - (right - left) - (paid_as_added - (added - left_as_added))
        more = {0: (left > 0) - np.where(last, 0.0, 1.0), 2: paid - paid_as_added, 3: interest, 4: left - left_as_added}
        where = (place[runs], (at + number)[runs])
        for figure, values in more.items():
            np.add.at(sums.table[figure], where, values[runs])
        right, added = np.where(runs, left, right), np.where(runs, left_as_added, added)


def _by_number(number: Floats, places: Ints) -> dict[int, Ints]:
    """The places by their number."""
    if not number.size:
        return {}
    order = np.argsort(number, kind="stable")
    numbers, first = np.unique(number[order], return_index=True)
    return dict(zip(numbers.astype(int).tolist(), np.split(places[order], first[1:]), strict=True))

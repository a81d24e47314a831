"""The inner loops of many loans: a payment at a time, for all that still run."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from pennyweight.array_kinds import Floats, Ints
from pennyweight.core.loans.batch_events import EventTable, Exactness
from pennyweight.core.loans.level_payment import level_payments
from pennyweight.core.loans.loan_book import Books

__all__ = ["_Kernel"]

_NONE = np.empty(0, np.int64)


@dataclass(frozen=True, slots=True)
class Lent:
    """What was agreed of some loans, (loans,) each: whole units, quoted yearly rates, numbers of payments."""

    units: Floats
    yearly: Floats
    count: Floats
    residual: Floats
    """What the level payments leave; the last payment clears it."""
    resting: Floats
    """How many first payments are of interest alone."""

    def of(self, loans: Ints) -> Lent:
        """The same of some of them."""
        return Lent(self.units[loans], self.yearly[loans], self.count[loans], self.residual[loans], self.resting[loans])


class _Out:
    def __init__(self, loans: int, rows: int) -> None:
        self.payment, self.last, self.interest, self.paid = (np.zeros(loans) for _ in range(4))
        self.number = np.zeros(loans, np.int64)
        self.rows = [np.zeros((rows, loans)) for _ in range(4)] if rows else []

    def book(self, units: float, rows: int) -> Books:
        figures = (self.payment / units, self.number, self.last / units, self.interest / units, self.paid / units)
        return Books(*figures, *(table[1 : rows + 1] / units for table in self.rows))


@dataclass(slots=True)
class _Kernel:
    out: _Out
    moves: EventTable
    exact: Exactness
    recast: bool
    rows: bool

    def plain(self, loans: Ints, lent: Lent) -> Ints:
        """Level payments and nothing else; returns the places of loans that were paid off early."""
        out, hair, balance, count = self.out, self.exact.fused or 0.0, lent.units, lent.count
        rate = self.exact.per_period(lent.yearly)
        payment = level_payments(balance, rate, count, lent.residual)
        growth, add, b = 1.0 + rate, 0.5 + hair - payment, balance.copy()
        early: list[Ints] = []
        for ending, going in _ends(count):
            if ending.stop > ending.start:
                owed = b[ending] + np.floor(b[ending] * rate[ending] + (0.5 + self.exact.hair))
                out.last[loans[ending]] = owed
                early.append(np.flatnonzero(owed == 0) + ending.start)
            x, g, c = b[:going], growth[:going], add[:going]
            if going:
                np.multiply(x, g, out=x)
                np.add(x, c, out=x)
                np.floor(x, out=x)
                np.maximum(x, 0.0, out=x)
        out.payment[loans], out.number[loans] = payment, count.astype(np.int64)
        out.paid[loans] = payment * (count - 1) + out.last[loans]
        out.interest[loans] = out.paid[loans] - balance
        return np.concatenate(early)

    def with_events(
        self,
        loans: Ints,
        lent: Lent,
        events: dict[int, list[tuple[int, Ints, Floats]]],
    ) -> None:
        """Everything, each loan's end watched for; what is paid is summed up only where a payment changes."""
        count = lent.count
        run = _Running(loans, lent, self.exact, self.moves.twice)
        self.out.payment[loans] = np.where(lent.resting > 0, 0.0, run.payment)
        place = np.arange(loans.size)
        for number in range(1, int(count.max(initial=0)) + 1):
            here = [(kind, place[at], value) for kind, at, value in events.get(number, ())]
            if run.who.size < loans.size:
                here = [(kind, at[at >= 0], value[at >= 0]) for kind, at, value in here]
            for kind, at, value in here:
                if kind == 0:
                    run.set_rate(at, self.exact.per_period(value))
                    run.set_payment(at, number - 1)
            if number <= run.longest_rest + 1:
                begun = np.flatnonzero(run.resting == number - 1) if number > 1 else _NONE
                run.set_payment(begun, number - 1)
                self.out.payment[run.who[begun]] = run.payment[begun]
            before = run.balance.copy() if self.rows else run.balance
            y = run.step()
            due = run.rest(number, y)
            if number == 1 and run.longest_rest:
                only = np.flatnonzero(run.resting >= run.count)
                self.out.payment[run.who[only]] = due[only]
            last = int(np.searchsorted(-run.count, -number, side="left"))  # from here on it is the agreed last payment
            for kind, at, value in here:
                if kind == 2:
                    y[at] += due[at] - value
                    run.paid[at] += value - due[at]
            ending = last < y.size or y.min() <= 0  # one quick look tells, nearly always, that none ends
            if ending:
                b = np.maximum(y, 0.0, out=run.balance)
                b[last:][np.isfinite(b[last:])] = 0.0
            else:
                run.balance, run.y, b = y, run.balance, y
            if self.rows:
                self._write(number, run, before, y, due, here, last)
            reduced = _NONE
            for kind, at, value in here:
                if kind == 1:
                    taken = run.pay_extra(at, value)
                    reduced = np.unique(at[taken > 0])
                    if self.rows:
                        np.add.at(self.out.rows[2][number], run.who[at], taken)
                elif kind == 3:
                    runs = np.isfinite(b[at])
                    at, value = at[runs], value[runs]
                    run.paid[at] += np.where(
                        b[at] == 0, np.minimum(y[at], 0.0), 0.0
                    )  # less was due, and still it goes on
                    run.corrected[at] += value - b[at]
                    b[at] = value
            if self.recast and reduced.size:
                run.set_payment(reduced[(b[reduced] > 0) & (run.count[reduced] > number)], number)
            if self.rows:
                self.out.rows[3][number, run.who] = np.where(np.isinf(b), 0.0, b)
            ending = ending or any(kind in (1, 3) and not b[at].all() for kind, at, _ in here)
            ends = np.flatnonzero(b == 0) if ending else _NONE
            if ends.size:
                self._finish(run, ends, y, due, number, last, here)
            left = run.due_for_packing(last)
            if left is not None:
                place = np.where((place >= 0) & left[place], (np.cumsum(left) - 1)[place], -1)
                run.pack(left)
                if not run.who.size:
                    break
            if number % 64 == 0:
                self.exact.still_holds(run.balance)
        out = self.out
        out.interest[loans] += out.paid[loans] - lent.units

    def _finish(
        self,
        run: _Running,
        ends: Ints,
        y: Floats,
        due: Floats,
        number: int,
        last: int,
        here: list[tuple[int, Ints, Floats]],
    ) -> None:
        """Put down the figures of loans whose balance is zero now, and mark them as over."""
        out, who = self.out, run.who[ends]
        clipped = np.where(ends >= last, y[ends], np.minimum(y[ends], 0.0))
        out.number[who] = number
        out.last[who] = due[ends] + clipped
        out.paid[who] = run.paid[ends] + run.payment[ends] * (number - run.since[ends]) + clipped
        out.interest[who] = -run.corrected[ends]
        for kind, at, value in here:
            if kind == 2:  # a payment made instead of the one due ended the loan
                over = run.balance[at] == 0
                out.last[run.who[at[over]]] = value[over] + np.minimum(y[at[over]], 0.0)
        run.balance[ends], run.rate[ends] = np.inf, 1.0
        run.over += ends.size

    def _write(
        self,
        number: int,
        run: _Running,
        before: Floats,
        y: Floats,
        due: Floats,
        here: list[tuple[int, Ints, Floats]],
        last: int,
    ) -> None:
        """The rows of one payment, but for extra payments and the balance after them."""
        rows, who = self.out.rows, run.who
        paid = due.copy()
        for kind, at, value in here:
            if kind == 2:
                paid[at] = value
        clipped = np.minimum(y, 0.0)
        clipped[last:] = y[last:]
        over = np.isinf(before)
        rows[0][number, who] = np.where(over, 0.0, paid + clipped)
        rows[1][number, who] = np.where(over, 0.0, y + paid - np.where(over, 0.0, before))


class _Running:
    """The loans of a chunk that still run. A balance of infinity marks one that is over and not yet packed away."""

    def __init__(
        self,
        who: Ints,
        lent: Lent,
        exact: Exactness,
        twice: bool,
    ) -> None:
        self.who, self.balance, self.count = who, lent.units.copy(), lent.count
        self.residual, self.resting = lent.residual, lent.resting
        self.longest_rest = int(self.resting.max(initial=0))
        self.rate = rate = exact.per_period(lent.yearly)
        self.payment = payment = level_payments(self.balance, rate, self.count, self.residual)
        payment[self.resting > 0] = 0.0  # set when the first of them is due
        self.y = np.empty(who.size)
        self.twice, self.over = twice, 0
        self.since, self.paid, self.corrected = (np.zeros(who.size) for _ in range(3))
        self.half = 0.5 + (exact.hair if exact.fused is None else exact.fused)
        self.is_fused = exact.fused is not None
        self.growth, self.add = 1.0 + rate, self.half - payment

    def step(self) -> Floats:
        """The balances after a payment of all, below zero where the payment is more than is owed."""
        y = self.y
        if self.is_fused:
            np.multiply(self.balance, self.growth, out=y)
            np.add(y, self.add, out=y)
            return np.floor(y, out=y)
        np.multiply(self.balance, self.rate, out=y)
        np.add(y, self.half, out=y)
        np.floor(y, out=y)
        np.add(y, self.balance, out=y)
        return np.subtract(y, self.payment, out=y)

    def rest(self, number: int, y: Floats) -> Floats:
        """What is due of each; those that pay interest alone now are left with the balance that they had."""
        if number > self.longest_rest:
            return self.payment
        at = np.flatnonzero((self.resting >= number) & np.isfinite(self.balance))
        due = self.payment.copy()
        due[at] = y[at] - self.balance[at]
        self.paid[at] += due[at]
        y[at] = self.balance[at]
        return due

    def set_rate(self, at: Ints, rate: Floats) -> None:
        """Rates per period of some loans."""
        if self.over:
            runs = np.isfinite(self.balance[at])
            at, rate = at[runs], rate[runs]
        self.rate[at] = rate
        self.growth[at] = 1.0 + rate

    def set_payment(self, at: Ints, made: int) -> None:
        """Work out the payments of some loans anew over those that remain when `made` have been made."""
        if self.over:
            at = at[np.isfinite(self.balance[at])]
        if self.longest_rest:  # while interest alone is paid there is none to work out
            at = at[(self.resting[at] <= made) & (self.count[at] > made)]
        self.paid[at] += self.payment[at] * (made - self.since[at])
        self.since[at] = made
        self.payment[at] = level_payments(
            self.balance[at], self.rate[at], self.count[at] - made, self.residual[at] if self.residual.any() else None
        )
        self.add[at] = self.half - self.payment[at]

    def pay_extra(self, at: Ints, value: Floats) -> Floats:
        """Pay extra, at most what is owed; returns what was taken."""
        if not self.twice:
            return self._pay(at, value)
        taken = np.zeros(at.size)
        for turn in _in_turn(at):
            taken[turn] = self._pay(at[turn], value[turn])
        return taken

    def _pay(self, at: Ints, value: Floats) -> Floats:
        balance = self.balance[at]
        taken = np.minimum(balance, value)
        if self.over:
            taken[np.isinf(balance)] = 0.0
        self.balance[at] = balance - taken
        self.paid[at] += taken
        return taken

    def due_for_packing(self, last: int) -> NDArray[np.bool_] | None:
        """Which loans go on, when enough are over for it to pay to pack the rest together."""
        if self.over * 8 < self.who.size and last == self.who.size:
            return None
        return np.isfinite(self.balance)

    def pack(self, left: NDArray[np.bool_]) -> None:
        """Keep only some loans."""
        for name in _PACKED:
            setattr(self, name, getattr(self, name)[left])
        self.over = 0
        self.y = np.empty(self.who.size)


_PACKED = (
    "who", "balance", "rate", "payment", "count", "residual", "resting", "since", "paid", "corrected", "growth", "add",
)  # fmt: skip


def _in_turn(at: Ints) -> Iterator[Ints]:
    """Places of events that touch each loan once at most: two extras of one loan on one day come one after another."""
    same = np.flatnonzero(at[1:] == at[:-1])  # events of one payment stand in the order of their loans
    if not same.size:
        yield np.arange(at.size)
        return
    starts = np.r_[0, np.flatnonzero(np.diff(at)) + 1]
    turn = np.arange(at.size) - np.repeat(starts, np.diff(np.r_[starts, at.size]))
    for k in range(int(turn.max()) + 1):
        yield np.flatnonzero(turn == k)


def _ends(count: Floats) -> Iterator[tuple[slice, int]]:
    """Payment by payment: the loans that end with it, and how many go on; counts fall along the array."""
    falling = -count
    running = count.size
    for number in range(1, int(count.max(initial=0)) + 1):
        going = int(np.searchsorted(falling, -number, side="left"))
        yield slice(going, running), going
        running = going

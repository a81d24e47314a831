"""Many loans at once, to the smallest unit, a payment of all of them at a time.

Whole units of the currency are held in float64. One payment is, on the column of all loans,

    balance <- max(floor(balance (1 + i) + 1/2 + hair - payment), 0)

The hair lets a half go up although its product in float64 may lie just below. It must be above the error of the
product and, where rates are decimal (K / D per period), below 1 / D less that error: then no half is missed and nothing
else is rounded up. Where the errors do not allow the fused product, interest and balance are kept apart. The rules are
those of `books`, which keeps one loan's books exactly; both agree row by row.
"""

from __future__ import annotations

import os
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from typing import Literal, TypeAlias

import numpy as np
from numpy.typing import ArrayLike, NDArray

from pennyweight.core.loans.batch_events import CHUNK, EventTable, Exactness, LoanEvents
from pennyweight.core.loans.exact import LONGEST
from pennyweight.core.loans.level_payment import level_payments
from pennyweight.core.loans.loan_book import Books
from pennyweight.errors import InputError, choice

__all__ = ["amortize"]

Floats: TypeAlias = NDArray[np.float64]
Ints: TypeAlias = NDArray[np.int64]


def amortize(
    amount: ArrayLike,
    rate: ArrayLike,
    payments: ArrayLike,
    *,
    per_year: int = 12,
    places: int = 2,
    events: LoanEvents | None = None,
    extra_moves: Literal["term", "payment"] = "term",
    rows: bool = False,
    threads: int | None = None,
) -> Books:
    """Keep the books of many level-payment loans, each rounded half up to the smallest unit at every payment.

    Args:
        amount: what is lent, (loans,), in whole smallest units.
        rate: yearly, quoted, compounding as often as is paid, (loans,); zero or more.
        payments: how many are agreed, (loans,); the last clears.
        per_year: payments a year.
        places: decimals of the currency.
        events: rate steps (the payment is worked out anew), extra payments, payments made instead of those due and
            balances stated (both before the agreed last payment).
        extra_moves: whether an extra payment shortens the term or lowers the payment.
        rows: also return every row.
        threads: how many to use; left out: as many as there are processors. The figures are the same.

    Raises:
        InputError: for amounts, rates or events that cannot be, and for amounts so large that a half of the smallest
            unit could be missed; `Loan` has no such limit.

    Every figure is that of decimal arithmetic where rates have at most five decimals of a percent; for other rates a
    product within the error of float64 below a half is taken for one.

    >>> book = amortize([100_000, 100_000], [0.06, 0.03], [360, 240])
    >>> book.payment.tolist(), book.last_payment.tolist(), book.payments.tolist()
    ([599.55, 554.6], [600.0, 553.84], [360, 240])
    """
    asked: object = threads
    if asked is not None and (isinstance(asked, bool) or not isinstance(asked, int | np.integer) or asked < 1):
        raise InputError(f"threads is {threads!r}; it must be a whole number from 1 on.", at="threads")
    try:
        given = np.broadcast_arrays(*(np.atleast_1d(np.asarray(x, dtype=np.float64)) for x in (amount, rate, payments)))
    except (TypeError, ValueError):
        raise InputError("amount, rate and payments are numbers, one a loan each, or one for all.") from None
    if given[0].ndim > 1:
        raise InputError(f"amount, rate and payments have the shape {given[0].shape}; give one number a loan.")
    for value, what, low, high in _bounded(per_year, places):
        if isinstance(value, bool) or not isinstance(value, int | np.integer) or not low <= value <= high:
            raise InputError(f"{what} is {value!r}; it must be a whole number from {low} to {high}.", at=what)
    if type(rows) is not bool:
        raise InputError(f"rows is {rows!r}; it must be True or False.", at="rows")
    if events is not None and not isinstance(events, LoanEvents):
        raise InputError(f"events is {events!r}; it must be LoanEvents.", at="events")
    recast = choice(extra_moves, ("term", "payment"), "extra_moves") == "payment"
    units, yearly, count = np.round(given[0] * 10.0**places), given[1], given[2]
    _check(given, units, per_year, places)
    moves = EventTable(events, units.size, count, per_year, places)
    exact = Exactness(yearly, moves, units, per_year)
    order = np.argsort(-count, kind="stable")
    moves.in_chunks(order)
    longest = int(count.max(initial=0))
    out = _Out(units.size, longest + 1 if rows else 0)
    kernel = _Kernel(out, moves, exact, recast, rows)

    def keep(number: int) -> None:
        chunk = order[number * CHUNK : (number + 1) * CHUNK]
        if rows or exact.fused is None or moves.any_of(number):
            kernel.with_events(chunk, units[chunk], yearly[chunk], count[chunk], moves.of(number))
            return
        early = chunk[kernel.plain(chunk, units[chunk], yearly[chunk], count[chunk])]
        if early.size:  # paid off before the agreed end: once more, watching for it
            kernel.with_events(early, units[early], yearly[early], count[early], {})

    chunks = range(-(-units.size // CHUNK))
    # Events are many short calls, which threads only hinder.
    workers = 1 if events is not None else min(threads or os.cpu_count() or 1, len(chunks))
    if workers > 1:
        with ThreadPoolExecutor(workers) as executor:
            list(executor.map(keep, chunks))
    else:
        for number in chunks:
            keep(number)
    return out.book(10.0**places, longest if rows else 0)


def _check(given: tuple[Floats, ...], units: Floats, per_year: int, places: int) -> None:
    for values, what, low in zip(given, ("amount", "rate", "payments"), (0.0, 0.0, 1.0), strict=True):
        wrong = ~(np.isfinite(values) & (values >= low))
        if wrong.any():
            raise InputError(
                f"{what}[{int(np.argmax(wrong))}] is {values[wrong][0]:g}; it must be {low:g} or more.", at=what
            )
    if (broken := given[2] != np.round(given[2])).any():
        raise InputError(
            f"payments[{int(np.argmax(broken))}] is {given[2][broken][0]:g}, which is not a whole number.",
            at="payments",
        )
    if (fine := np.abs(given[0] * 10.0**places - units) > 1e-6 * np.maximum(1.0, units * 1e-8)).any():
        raise InputError(
            f"amount[{int(np.argmax(fine))}] is {given[0][fine][0]}; it has {places} decimals at most.", at="amount"
        )
    if (long := given[2] > LONGEST).any():
        raise InputError(
            f"payments[{int(np.argmax(long))}] is {given[2][long][0]:,.0f}; the most is {LONGEST:,}.", at="payments"
        )


def _bounded(per_year: object, places: object) -> tuple[tuple[object, str, int, int], ...]:
    return (per_year, "per_year", 1, 365), (places, "places", 0, 6)


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

    def plain(self, loans: Ints, balance: Floats, yearly: Floats, count: Floats) -> Ints:
        """Level payments and nothing else; returns the places of loans that were paid off early."""
        out, hair = self.out, self.exact.fused or 0.0
        rate = self.exact.per_period(yearly)
        payment = level_payments(balance, rate, count)
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
        balance: Floats,
        yearly: Floats,
        count: Floats,
        events: dict[int, list[tuple[int, Ints, Floats]]],
    ) -> None:
        """Everything, each loan's end watched for; what is paid is summed up only where a payment changes."""
        rate = self.exact.per_period(yearly)
        payment = level_payments(balance, rate, count)
        self.out.payment[loans] = payment
        run = _Running(loans, balance.copy(), rate, payment, count, self.exact, self.moves.twice)
        place = np.arange(loans.size)
        for number in range(1, int(count.max(initial=0)) + 1):
            here = [(kind, place[at], value) for kind, at, value in events.get(number, ())]
            if run.who.size < loans.size:
                here = [(kind, at[at >= 0], value[at >= 0]) for kind, at, value in here]
            for kind, at, value in here:
                if kind == 0:
                    run.set_rate(at, self.exact.per_period(value))
                    run.set_payment(at, number - 1)
            before = run.balance.copy() if self.rows else run.balance
            y = run.step()
            last = int(np.searchsorted(-run.count, -number, side="left"))  # from here on it is the agreed last payment
            for kind, at, value in here:
                if kind == 2:
                    y[at] += run.payment[at] - value
                    run.paid[at] += value - run.payment[at]
            ending = last < y.size or y.min() <= 0  # one quick look tells, nearly always, that none ends
            if ending:
                b = np.maximum(y, 0.0, out=run.balance)
                b[last:][np.isfinite(b[last:])] = 0.0
            else:
                run.balance, run.y, b = y, run.balance, y
            if self.rows:
                self._write(number, run, before, y, here, last)
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
                self._finish(run, ends, y, number, last, here)
            left = run.due_for_packing(last)
            if left is not None:
                place = np.where((place >= 0) & left[place], (np.cumsum(left) - 1)[place], -1)
                run.pack(left)
                if not run.who.size:
                    break
            if number % 64 == 0:
                self.exact.still_holds(run.balance)
        out = self.out
        out.interest[loans] += out.paid[loans] - balance

    def _finish(
        self, run: _Running, ends: Ints, y: Floats, number: int, last: int, here: list[tuple[int, Ints, Floats]]
    ) -> None:
        """Put down the figures of loans whose balance is zero now, and mark them as over."""
        out, who = self.out, run.who[ends]
        clipped = np.where(ends >= last, y[ends], np.minimum(y[ends], 0.0))
        out.number[who] = number
        out.last[who] = run.payment[ends] + clipped
        out.paid[who] = run.paid[ends] + run.payment[ends] * (number - run.since[ends]) + clipped
        out.interest[who] = -run.corrected[ends]
        for kind, at, value in here:
            if kind == 2:  # a payment made instead of the one due ended the loan
                over = run.balance[at] == 0
                out.last[run.who[at[over]]] = value[over] + np.minimum(y[at[over]], 0.0)
        run.balance[ends], run.rate[ends] = np.inf, 1.0
        run.over += ends.size

    def _write(
        self, number: int, run: _Running, before: Floats, y: Floats, here: list[tuple[int, Ints, Floats]], last: int
    ) -> None:
        """The rows of one payment, but for extra payments and the balance after them."""
        rows, who = self.out.rows, run.who
        paid = run.payment.copy()
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
        balance: Floats,
        rate: Floats,
        payment: Floats,
        count: Floats,
        exact: Exactness,
        twice: bool,
    ) -> None:
        self.who, self.balance, self.rate, self.payment, self.count = who, balance, rate, payment, count
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
        self.paid[at] += self.payment[at] * (made - self.since[at])
        self.since[at] = made
        self.payment[at] = level_payments(self.balance[at], self.rate[at], self.count[at] - made)
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
        for name in ("who", "balance", "rate", "payment", "count", "since", "paid", "corrected", "growth", "add"):
            setattr(self, name, getattr(self, name)[left])
        self.over = 0
        self.y = np.empty(self.who.size)


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


_NONE = np.empty(0, np.int64)


def _ends(count: Floats) -> Iterator[tuple[slice, int]]:
    """Payment by payment: the loans that end with it, and how many go on; counts fall along the array."""
    falling = -count
    running = count.size
    for number in range(1, int(count.max(initial=0)) + 1):
        going = int(np.searchsorted(falling, -number, side="left"))
        yield slice(going, running), going
        running = going

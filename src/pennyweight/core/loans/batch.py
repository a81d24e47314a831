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
from concurrent.futures import ThreadPoolExecutor
from typing import Literal

import numpy as np
from numpy.typing import ArrayLike

from pennyweight.array_kinds import Floats
from pennyweight.core.loans.agreement import LONGEST
from pennyweight.core.loans.batch_events import CHUNK, EventTable, Exactness, LoanEvents
from pennyweight.core.loans.batch_kernel import Lent, _Kernel, _Out
from pennyweight.core.loans.loan_book import Books
from pennyweight.errors import InputError, choice

__all__ = ["amortize"]


def amortize(
    amount: ArrayLike,
    rate: ArrayLike,
    payments: ArrayLike,
    *,
    per_year: int = 12,
    places: int = 2,
    residual: ArrayLike = 0.0,
    interest_only: ArrayLike = 0.0,
    events: LoanEvents | None = None,
    extra_moves: Literal["term", "payment"] = "term",
    rows: bool = False,
    threads: int | None = None,
) -> Books:
    """Keep the books of many level-payment loans, each rounded half up to the smallest unit at every payment.

    Arguments and errors are those of the public function (`instruments/arrays/loans`), as numbers and arrays alone.

    >>> book = amortize([100_000, 100_000], [0.06, 0.03], [360, 240])
    >>> book.payment.tolist(), book.last_payment.tolist(), book.payments.tolist()
    ([599.55, 554.6], [600.0, 553.84], [360, 240])
    """
    asked: object = threads
    if asked is not None and (isinstance(asked, bool) or not isinstance(asked, int | np.integer) or asked < 1):
        raise InputError(f"threads is {threads!r}; it must be a whole number from 1 on.", at="threads")
    terms = (amount, rate, payments, residual, interest_only)
    try:
        given = np.broadcast_arrays(*(np.atleast_1d(np.asarray(x, dtype=np.float64)) for x in terms))
    except (TypeError, ValueError):
        raise InputError(f"{_TERMS} are numbers, one a loan each, or one for all.") from None
    if given[0].ndim > 1:
        raise InputError(f"{_TERMS} have the shape {given[0].shape}; give one number a loan.")
    for value, what, low, high in _bounded(per_year, places):
        if isinstance(value, bool) or not isinstance(value, int | np.integer) or not low <= value <= high:
            raise InputError(f"{what} is {value!r}; it must be a whole number from {low} to {high}.", at=what)
    if type(rows) is not bool:
        raise InputError(f"rows is {rows!r}; it must be True or False.", at="rows")
    if events is not None and not isinstance(events, LoanEvents):
        raise InputError(f"events is {events!r}; it must be LoanEvents.", at="events")
    recast = choice(extra_moves, ("term", "payment"), "extra_moves") == "payment"
    units, count = np.round(given[0] * 10.0**places), given[2]
    lent = Lent(units, given[1], count, np.round(given[3] * 10.0**places), given[4])
    _check(given, lent, places)
    moves = EventTable(events, units.size, count, per_year, places)
    exact = Exactness(lent.yearly, moves, units, per_year)
    rests = lent.resting > 0
    order = np.argsort(-count, kind="stable")
    moves.in_chunks(order)
    longest = int(count.max(initial=0))
    out = _Out(units.size, longest + 1 if rows else 0)
    kernel = _Kernel(out, moves, exact, recast, rows)

    def keep(number: int) -> None:
        chunk = order[number * CHUNK : (number + 1) * CHUNK]
        if rows or exact.fused is None or moves.any_of(number) or rests[chunk].any():
            kernel.with_events(chunk, lent.of(chunk), moves.of(number))
            return
        early = chunk[kernel.plain(chunk, lent.of(chunk))]
        if early.size:  # paid off before the agreed end: once more, watching for it
            kernel.with_events(early, lent.of(early), {})

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


_NAMES = ("amount", "rate", "payments", "residual", "interest_only")
_TERMS = f"{', '.join(_NAMES[:-1])} and {_NAMES[-1]}"


def _check(given: tuple[Floats, ...], lent: Lent, places: int) -> None:
    for values, what, low in zip(given, _NAMES, (0.0, 0.0, 1.0, 0.0, 0.0), strict=True):
        wrong = ~(np.isfinite(values) & (values >= low))
        if wrong.any():
            raise InputError(
                f"{what}[{int(np.argmax(wrong))}] is {values[wrong][0]:g}; it must be {low:g} or more.", at=what
            )
    for place in (2, 4):
        values, what = given[place], _NAMES[place]
        if (broken := values != np.round(values)).any():
            raise InputError(
                f"{what}[{int(np.argmax(broken))}] is {values[broken][0]:g}, which is not a whole number.", at=what
            )
    for place, units in ((0, lent.units), (3, lent.residual)):
        values, what = given[place], _NAMES[place]
        if (fine := np.abs(values * 10.0**places - units) > 1e-6 * np.maximum(1.0, units * 1e-8)).any():
            raise InputError(
                f"{what}[{int(np.argmax(fine))}] is {values[fine][0]}; it has {places} decimals at most.", at=what
            )
    if (above := lent.residual > lent.units).any():
        k = int(np.argmax(above))
        raise InputError(
            f"residual[{k}] is {given[3][k]:g}, more than the amount, {given[0][k]:g}; it is at most that.",
            at="residual",
        )
    if (long := given[2] > LONGEST).any():
        raise InputError(
            f"payments[{int(np.argmax(long))}] is {given[2][long][0]:,.0f}; the most is {LONGEST:,}.", at="payments"
        )


def _bounded(per_year: object, places: object) -> tuple[tuple[object, str, int, int], ...]:
    return (per_year, "per_year", 1, 365), (places, "places", 0, 6)

"""Events of many loans sorted for the engine, and how exact its products are (see `batch`)."""

from __future__ import annotations

import itertools
from typing import NamedTuple

import numpy as np
from numpy.typing import ArrayLike, NDArray

from pennyweight.array_kinds import Floats, Ints
from pennyweight.errors import InputError

__all__ = ["CHUNK", "EventTable", "Exactness", "LoanEvents", "decimals_of", "too_large"]


CHUNK = 32_768
"""Loans that are stepped together."""

_TOO_LARGE = "The balances are too large for every half of a unit to be told; use Loan for each."
_EVENTS = ("rate", "extra", "paid", "balance")


class LoanEvents(NamedTuple):
    """What happens to which loan: arrays of one length.

    Parameters
    ----------
    loan : array_like
        Counts from 0.
    number : array_like
        The payment (1 is the first).
    what : array_like
        One of "rate" (yearly, from that payment's period on), "extra", "paid" (instead of what was due) or "balance"
        (stated after that payment).
    value : array_like
        The rate or amount.

    Examples
    --------
    >>> from pennyweight import amortize
    >>> events = LoanEvents(loan=[0], number=[3], what=["extra"], value=[500])
    >>> amortize([10_000, 10_000], 0.06, 12, events=events).total_interest.tolist()
    [305.02, 327.96]
    """

    loan: ArrayLike
    number: ArrayLike
    what: ArrayLike
    value: ArrayLike


class EventTable:
    """Events in order of payment, by loan."""

    def __init__(self, events: LoanEvents | None, loans: int, count: Floats, per_year: int, places: int) -> None:
        self.longest = int(count.max(initial=0))
        self.largest = 0.0
        self.rates = np.empty(0)
        if events is None:
            self.loan = self.number = self.kind = np.empty(0, np.int64)
            self.value = np.empty(0)
            return
        try:
            what = np.ascontiguousarray(np.asarray(events.what, dtype=np.str_))
            self.loan, self.number = np.asarray(events.loan, np.int64), np.asarray(events.number, np.int64)
            plain = np.asarray(events.value)
            if plain.dtype.kind not in "iuf" and not all(
                isinstance(one, int | float | np.integer | np.floating) and not isinstance(one, bool)
                for one in plain.reshape(-1)
            ):
                raise TypeError
            self.value = plain.astype(np.float64)
        except (TypeError, ValueError, OverflowError):
            raise InputError(
                "events: loan and number must be whole numbers, what a word and value a number, one of each "
                "for every event.",
                at="events",
            ) from None
        if {what.ndim, self.loan.ndim, self.number.ndim, self.value.ndim} != {1}:
            raise InputError("events: loan, number, what and value must be lists of one length.", at="events")
        self.kind = _kinds(what)
        self._check(what, loans, count)
        self.rates = self.value[self.kind == 0]
        money = self.kind > 0
        self.value = np.where(money, np.round(self.value * 10.0**places), self.value)
        self.largest = float(self.value[money].max(initial=0.0))

    def _check(self, what: NDArray[np.str_], loans: int, count: Floats) -> None:
        if not self.kind.shape == self.loan.shape == self.number.shape == self.value.shape:
            raise InputError("events: loan, number, what and value must have the same length.", at="events")
        inside = (self.loan >= 0) & (self.loan < loans)
        if not loans and self.loan.size:
            raise InputError("events: there are no loans for them to happen to.", at="events")
        last = np.where(inside, count[np.where(inside, self.loan, 0)], 0)
        with np.errstate(invalid="ignore"):
            problems = (
                (self.kind < 0, "what it is must be rate, extra, paid or balance"),
                (~inside, f"the loan must be one of 0 to {loans - 1}"),
                ((self.number < 1) | (self.number > last), "the payment must be one of those agreed"),
                ((self.kind >= 2) & (self.number == last), "the agreed last payment clears the loan"),
                (~(self.value >= 0) | np.isinf(self.value), "the value must be zero or more"),
                ((self.kind == 0) & (self.value >= 1), "5% is written 0.05"),
            )
        for wrong, rule in problems:
            if wrong.any():
                k = int(np.argmax(wrong))
                raise InputError(
                    f"event {k} ({what[k]}, loan {self.loan[k]}, payment {self.number[k]}, {self.value[k]:g}): {rule}."
                )

    def in_chunks(self, order: Ints) -> None:
        """Sort the events by chunk of `order`, payment number and kind, all at once."""
        place = np.empty(order.size, np.int64)
        place[order] = np.arange(order.size)
        self.place = place[self.loan] % CHUNK if self.loan.size else self.loan
        chunk = place[self.loan] // CHUNK if self.loan.size else self.loan
        # The position in the low bits keeps the order of the caller, and lets plain sorting do.
        bits = max(int(self.loan.size).bit_length(), 1)
        key = (((chunk * (self.longest + 1) + self.number) * len(_EVENTS) + self.kind) * CHUNK + self.place) << bits
        ordered = np.sort(key + np.arange(self.loan.size))
        self.turn = ordered & ((1 << bits) - 1)
        self.key = (ordered >> bits) // CHUNK
        self.twice = bool(np.any(np.diff(ordered >> bits) == 0))

    def any_of(self, chunk: int) -> bool:
        """Whether anything happens to a loan of this chunk."""
        low, high = self._span(chunk)
        return low < high

    def of(self, chunk: int) -> dict[int, list[tuple[int, Ints, Floats]]]:
        """For each payment number: (kind, places of the loans in this chunk, values), kinds in their order."""
        low, high = self._span(chunk)
        found: dict[int, list[tuple[int, Ints, Floats]]] = {}
        if low == high:
            return found
        key = self.key[low:high]
        starts = np.r_[0, np.flatnonzero(np.diff(key)) + 1, high - low]
        turn = self.turn[low:high]
        place, value = self.place[turn], self.value[turn]
        for first, stop in itertools.pairwise(starts.tolist()):
            number, kind = divmod(int(key[first]) % ((self.longest + 1) * len(_EVENTS)), len(_EVENTS))
            found.setdefault(number, []).append((kind, place[first:stop], value[first:stop]))
        return found

    def _span(self, chunk: int) -> tuple[int, int]:
        step = (self.longest + 1) * len(_EVENTS)
        return int(np.searchsorted(self.key, chunk * step)), int(np.searchsorted(self.key, (chunk + 1) * step))


def decimals_of(yearly: Floats) -> Ints:
    """How many decimals each rate has, of those that serve: 5, 6 or 7; 0 where it has more."""
    found = np.zeros(yearly.size, np.int64)
    for digits in (7, 6, 5):
        scaled = yearly * 10.0**digits
        found[np.abs(scaled - np.rint(scaled)) < 1e-6] = digits
    return found


def too_large(units: Floats, yearly: Floats, per_year: int) -> NDArray[np.bool_]:
    """Which loans, each for itself, are so large that a half of the smallest unit could be missed (see `Exactness`)."""
    digits, balance = decimals_of(yearly), 4 * np.maximum(units, 1.0)
    apart = 4e-16 * np.maximum(balance * yearly / per_year, 1.0)
    missed = (digits > 0) & (2.1 * apart >= 1.0 / (10.0**digits * per_year))
    return np.asarray(missed | (balance > 2.0**52))


class Exactness:
    """The hair that lets halves go up, for the fused product and for interest alone."""

    def __init__(self, yearly: Floats, moves: EventTable, units: Floats, per_year: int) -> None:
        rates = np.concatenate([yearly, moves.rates])
        self.scale = next(
            (10.0**k for k in (5, 6, 7) if np.all(np.abs(rates * 10.0**k - np.rint(rates * 10.0**k)) < 1e-6)), 0.0
        )
        balance = 4 * max(float(units.max(initial=0.0)), moves.largest, 1.0)  # room to grow when nothing is paid
        self.limit = balance
        apart = 4e-16 * max(balance * float(rates.max(initial=0.0)) / per_year, 1.0)
        fused = 4e-16 * balance
        self.per_year = per_year
        step = 1.0 / (self.scale * per_year) if self.scale else 0.0
        self.hair = 1.1 * apart
        self.fused = 1.1 * fused if 2.1 * fused < step else None
        if (self.scale and 2.1 * apart >= step) or balance > 2.0**52:
            raise InputError(_TOO_LARGE)

    def still_holds(self, balance: Floats) -> None:
        """Refuse balances that have grown, unpaid, past what the hair was made for."""
        if balance[np.isfinite(balance)].max(initial=0.0) > self.limit:
            raise InputError(_TOO_LARGE)

    def per_period(self, yearly: Floats) -> Floats:
        """The rate of one period, the float nearest to it where rates are decimal."""
        if self.scale:
            return np.rint(yearly * self.scale) / (self.scale * self.per_year)
        return yearly / self.per_year


def _kinds(what: NDArray[np.str_]) -> Ints:
    """The number of each word in _EVENTS, by its first letter and then in full; -1 for others."""
    if not what.size:
        return np.empty(0, np.int64)
    first = what.view(np.uint32).reshape(what.size, -1)[:, 0]
    table = np.full(128, -1)
    for k, word in enumerate(_EVENTS):
        table[ord(word[0])] = k
    kind = table[np.minimum(first, 127)]
    kind[np.array(_EVENTS)[kind] != what] = -1
    return kind

"""What was agreed of a loan, what happens to it, and its books: the data of the exact engine."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from fractions import Fraction
from typing import Literal, NamedTuple, get_args

from pennyweight.core.loans.repayment import Repayment
from pennyweight.core.loans.rounding import ROUNDINGS, Rounding, Units
from pennyweight.errors import choice

__all__ = ["LONGEST", "Agreement", "Booked", "Books", "Entry", "Setting"]


LONGEST = 60_000
"""Payments after which a loan that is still not paid off is given up."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Agreement:
    """What was agreed. Rates are yearly fractions, exact; `periodic` turns one into the rate of a payment period."""

    amount: Units
    rate: Fraction
    periodic: Callable[[Fraction], Fraction]
    count: int | None
    """Payments; None: until it is paid off."""
    spread: int | None = None
    """Payments over which the level payment is worked out, when more than are made."""
    payment: Units | None = None
    """The level payment, when it is given."""
    residual: Units = 0
    """What the level payments leave, cleared by the last."""
    shape: Repayment = "level"
    interest_only: int = 0
    at_start: bool = False
    shares: Callable[[int], Fraction] | None = None
    """The part of a year that period k is, when interest is by days; None: equal periods."""
    odd: Fraction = Fraction(0)
    """The part of a year before the first of equal periods."""
    holidays: Mapping[int, Literal["added", "paid"]] = field(default_factory=dict)
    """Payments left out: their interest is added to the balance, or paid."""
    rounding: Rounding | None = "half up"
    rate_moves: Literal["payment", "term"] = "payment"
    extra_moves: Literal["payment", "term"] = "term"
    holiday_moves: Literal["payment", "term"] = "payment"
    balance_moves: Literal["last payment", "payment", "term"] = "last payment"
    """What a stated balance changes; the agreed last payment clears what is left unless something else moves."""

    def __post_init__(self) -> None:
        choice(self.shape, get_args(Repayment), "shape")
        if self.rounding is not None:
            choice(self.rounding, tuple(ROUNDINGS), "rounding")
        for name in ("rate_moves", "extra_moves", "holiday_moves"):
            choice(getattr(self, name), ("payment", "term"), name)
        choice(self.balance_moves, ("last payment", "payment", "term"), "balance_moves")


class Booked(NamedTuple):
    """A payment as it is booked; a correction is what a statement's balance adds."""

    payment: Units
    interest: Units
    extra: Units
    correction: Units
    balance: Units

    @property
    def principal(self) -> Units:
        """What is paid off: payment and extra less the interest."""
        return self.payment + self.extra - self.interest


class Entry(NamedTuple):
    """Something that happens with payment `number`: on its due day (`share` None), or `share` of a year after the due
    day before (0: from that day on). `what` is "rate", "extra", "paid" or "balance"; `key` is the caller's."""

    number: int
    what: str
    value: Fraction | Units
    share: Fraction | None = None
    key: int = -1


class Setting(NamedTuple):
    """How a level payment came to be: from payment `number` on, over `over` payments."""

    number: int
    balance: Units
    yearly: Fraction
    rate: Fraction
    over: int
    payment: Units


@dataclass(slots=True)
class Books:
    """The rows, and what could not be booked."""

    rows: list[tuple[Units, Units, Units, Units, Units]] = field(default_factory=list)
    """The fields of `Booked`, as plain tuples, because most of them are made in the tightest loop."""
    settings: list[Setting] = field(default_factory=list)
    """The level payments in the order in which they came to be."""
    unused: list[tuple[Entry, Units]] = field(default_factory=list)
    """Entries that came after the end, and what was too much of an extra payment."""
    corrections: dict[int, tuple[Units, Units]] = field(default_factory=dict)
    """For each statement, by its key: (the balance by the schedule, the balance stated)."""
    stuck: tuple[int, Units, Units] | None = None
    """(number, payment, interest) of the payment from which the loan is never paid off."""

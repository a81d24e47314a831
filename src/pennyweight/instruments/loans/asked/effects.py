"""What each kind of event does to the interest of a loan, by itself: the events are added one kind after another."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any

from pennyweight.errors import PennyweightError
from pennyweight.instruments.loans.books.booked_loan import BookedLoan
from pennyweight.instruments.loans.books.events import Event

__all__ = ["Effect", "effects"]

_KINDS = (
    ("rate", "the changes of the rate"),
    ("holidays", "the payments left out"),
    ("paid", "what was paid instead of what was due"),
    ("extra", "the extra payments"),
    ("balance", "what statements added or took away"),
)
"""In the order in which they are added: what was agreed anew, what was paid, and what a statement says in the end."""


@dataclass(frozen=True, slots=True)
class Effect:
    """What one kind of event does, when those before it have happened: interest above zero is paid more."""

    kind: str
    what: str
    interest: float
    payments: int


def effects(loan: BookedLoan) -> tuple[Effect, ...]:
    """The effects of all that happens to a loan, which add up to what it costs or saves altogether.

    Kinds that cannot stand without a later one (a payment that only an extra payment explains) are told with it.
    """
    before, kept, words = loan.agreed, [], []
    found: list[Effect] = []
    for kind, what in _KINDS:
        has = {"holidays": bool(loan.holidays), "extra": bool(loan.extras)}.get(kind, False)
        if not has and not any(_kind(event) == kind for event in loan.events):
            continue
        kept.append(kind)
        words.append(what)
        try:
            after = _only(loan, kept).schedule
        except PennyweightError:
            continue
        interest = round(after.total_interest - before.total_interest, 9)
        found.append(
            Effect("+".join(kept[-len(words) :]), " and ".join(words), interest, len(after.rows) - len(before.rows))
        )
        before, words = after, []
    return tuple(found)


def _kind(event: Event | tuple[Any, str, Any]) -> str:
    return event.what if isinstance(event, Event) else event[1]


def _only(loan: BookedLoan, kinds: list[str]) -> BookedLoan:
    """The loan with the events of these kinds alone."""
    return replace(
        loan,
        events=[event for event in loan.events if _kind(event) in kinds],
        extras=loan.extras if "extra" in kinds else [],
        holidays=loan.holidays if "holidays" in kinds else [],
        as_of=None,
    )

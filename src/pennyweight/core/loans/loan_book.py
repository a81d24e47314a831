"""What many loans come to: figures of each, and schedules where they are asked for."""

from __future__ import annotations

from dataclasses import dataclass

from pennyweight.array_kinds import Floats, Ints

__all__ = ["Books"]


@dataclass(frozen=True, slots=True)
class Books:
    """Figures of all loans, arrays (loans,); schedules (payments, loans) when asked for, zero after a loan's end."""

    payment: Floats
    """The first level payment."""
    payments: Ints
    """How many payments are made."""
    last_payment: Floats
    total_interest: Floats
    total_paid: Floats
    payment_rows: Floats | None = None
    interest_rows: Floats | None = None
    extra_rows: Floats | None = None
    balance_rows: Floats | None = None

"""What many loans come to: figures of each, and schedules where they are asked for."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TypeAlias

import numpy as np
from numpy.typing import NDArray

from pennyweight.described import Described

Floats: TypeAlias = NDArray[np.float64]
Ints: TypeAlias = NDArray[np.int64]


__all__ = ["LoanBook"]


@dataclass(frozen=True, slots=True, repr=False)
class LoanBook(Described):
    """Figures of all loans, arrays (loans,); schedules (payments, loans) when asked for, zero after a loan's end.

    >>> from pennyweight import amortize
    >>> amortize([1_000, 2_000], "6%", [12, 24]).payment.tolist()
    [86.07, 88.64]
    """

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

"""The terms of a loan as they are asked for; of amount, rate, term and payment one is left out."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import KW_ONLY, dataclass
from typing import Any, Literal, TypeAlias

from pennyweight.core.loans.repayment import Repaid
from pennyweight.core.loans.rounding import Rounding
from pennyweight.instruments.loans.books.events import Event, PaymentHoliday, Recurring
from pennyweight.quantities.as_written import Amount, Day, RateWritten, Settled, Span
from pennyweight.quantities.rates import KnownRate

__all__ = ["BalanceMoves", "LoanRequest", "Moves"]

Moves: TypeAlias = Literal["payment", "term"]
BalanceMoves: TypeAlias = Literal["last payment", "payment", "term"]


_LEFT_OUT: Any = None


@dataclass(frozen=True, repr=False)
class LoanRequest:
    """A loan as it is asked for, and what happens to it; see `Loan` for what each term means."""

    amount: Settled[Amount | None, float] = _LEFT_OUT
    rate: Settled[RateWritten | None, KnownRate] = _LEFT_OUT
    _: KW_ONLY
    years: Span | None = None
    months: Span | None = None
    payment: Settled[Amount | None, float] = _LEFT_OUT
    per_year: str | int = 12
    compounding: str | int | None = None
    paid: Literal["end", "start"] = "end"
    repaid: Repaid = "level payment"
    interest_only: Span | None = None
    amortized_over: Span | None = None
    residual: Amount | None = None
    start: Day | None = None
    first_payment: Day | None = None
    interest: str = "equal periods"
    fee_up_front: Amount | None = None
    fee_added: Amount | None = None
    fee_each: Amount | None = None
    rounding: Rounding | None = "half up"
    events: Sequence[Event | tuple[Any, str, Any]] = ()
    extras: Sequence[Recurring] = ()
    holidays: Sequence[PaymentHoliday] = ()
    rate_moves: Moves = "payment"
    extra_moves: Moves = "term"
    holiday_moves: Moves = "payment"
    balance_moves: BalanceMoves = "last payment"
    payments_before: int = 0
    currency: str = ""
    locale: str = "en"
    as_of: Day | None = None
    title: str = ""

    def __post_init__(self) -> None:
        """Nothing is read yet; whoever keeps books of it does."""


LoanRequest.__init__.__qualname__ = "Loan"  # as whoever writes it calls it: what Python says of a slip names that

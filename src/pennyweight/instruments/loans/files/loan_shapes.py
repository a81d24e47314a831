"""Which keys a loan file may have, and of which kind."""

from __future__ import annotations

import datetime as dt
from typing import Literal, TypeAlias

from pydantic import BaseModel, ConfigDict, Field

__all__ = [
    "BillShape",
    "ExtraShape",
    "FileShape",
    "HolidayShape",
    "RefinanceShape",
    "Scalar",
    "SpareShape",
    "TakeoverShape",
    "TermsShape",
    "TryShape",
]

Day: TypeAlias = dt.date | str


Scalar: TypeAlias = int | float | str


class _Shape(BaseModel):
    model_config = ConfigDict(extra="forbid", strict=True, frozen=True, populate_by_name=False)


class ExtraShape(_Shape):
    """An extra payment that comes again."""

    amount: Scalar
    from_: Day | int = Field(alias="from")
    to: Day | int | None = None
    every: Scalar = "month"
    rising: Scalar = 0.0


class HolidayShape(_Shape):
    """Payments left out."""

    from_: Day | int = Field(alias="from")
    payments: int
    interest: str = "added"


class TermsShape(_Shape):
    """The terms of one loan."""

    amount: Scalar | None = None
    rate: Scalar | None = None
    years: Scalar | None = None
    months: Scalar | None = None
    payment: Scalar | None = None
    per_year: Scalar | None = None
    compounding: Scalar | None = None
    paid: str | None = None
    repaid: str | None = None
    interest_only: Scalar | None = None
    amortized_over: Scalar | None = None
    residual: Scalar | None = None
    start: Day | None = None
    first_payment: Day | None = None
    interest: str | None = None
    fee_up_front: Scalar | None = None
    fee_added: Scalar | None = None
    fee_each: Scalar | None = None
    rounding: str | None = None
    rate_moves: str | None = None
    extra_moves: str | None = None
    holiday_moves: str | None = None
    balance_moves: str | None = None
    as_of: Day | None = None
    events: str | None = None
    event_columns: dict[str, str] | None = None
    event_words: dict[str, str] | None = None
    event_dates: Literal["day-first", "month-first"] | None = None
    extras: list[ExtraShape] = []
    holidays: list[HolidayShape] = []
    label: str | None = None


class TakeoverShape(_Shape):
    """What is known of a loan taken over."""

    on: Day
    balance: Scalar | None = None
    rate: Scalar | None = None
    payment: Scalar | None = None
    maturity: Day | None = None
    payments_left: int | None = None
    years_left: Scalar | None = None
    next_payment: Day | None = None
    original_amount: Scalar | None = None
    original_years: Scalar | None = None
    first_payment: Day | None = None
    payments_made: int | None = None
    missed_payments: int | None = None
    arrears: Scalar | None = None
    per_year: Scalar | None = None


class BillShape(_Shape):
    """A bill that holds more than principal and interest; taxes and insurance are those of a year."""

    total: Scalar
    taxes: Scalar = 0
    insurance: Scalar = 0


class TryShape(_Shape):
    """What to try out."""

    extra: list[Scalar] = []
    paid_off_by: Day | None = None


class RefinanceShape(TermsShape):
    """Another loan in place of this one."""

    on: Day | int
    costs: Scalar = 0
    horizon: Scalar | None = None


class SpareShape(_Shape):
    """Spare money, and where it goes."""

    amount: Scalar
    order: str = "highest rate first"


class FileShape(TermsShape):
    """A loan file."""

    format: Literal[1] = 1
    loan: str
    note: str | None = None
    currency: str = ""
    locale: str = "en"
    takeover: TakeoverShape | None = None
    bill: BillShape | None = None
    try_: TryShape | None = Field(default=None, alias="try")
    offers: dict[str, TermsShape] = {}
    refinance: RefinanceShape | None = None
    loans: dict[str, TermsShape] = {}
    needs: Scalar | None = None
    own: Scalar | None = None
    spare: SpareShape | None = None

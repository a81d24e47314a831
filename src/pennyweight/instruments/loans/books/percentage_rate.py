"""The cost of borrowing as one yearly rate, by the methods of two regulations."""

from __future__ import annotations

import datetime as dt
from collections.abc import Sequence
from typing import Any, Literal

import numpy as np

from pennyweight.core.apr import (
    Span,
    Unit,
    eu_rate,
    eu_years,
    unit_period_rate,
    unit_periods,
    unit_to_maturity,
    units_a_year,
)
from pennyweight.errors import InputError, NoAnswer, choice
from pennyweight.instruments.loans.books.schedule import Schedule
from pennyweight.quantities.amounts import read_amount
from pennyweight.quantities.dates import read_date
from pennyweight.quantities.rates import KnownRate

__all__ = ["apr", "loan_apr", "worth_of_payments"]

Flows = Sequence[tuple[str | dt.date, str | float]]

_UNITS = {
    "week": Unit(7, "days"),
    "two weeks": Unit(14, "days"),
    "four weeks": Unit(28, "days"),
    "half month": Unit(1, "half months"),
    "month": Unit(1, "months"),
    "two months": Unit(2, "months"),
    "quarter": Unit(3, "months"),
    "four months": Unit(4, "months"),
    "half year": Unit(6, "months"),
    "year": Unit(12, "months"),
}
_BY_PAYMENTS = {
    52: "week",
    26: "two weeks",
    13: "four weeks",
    24: "half month",
    12: "month",
    6: "two months",
    4: "quarter",
    3: "four months",
    2: "half year",
    1: "year",
}


def apr(advances: Flows, payments: Flows, *, unit: str | None = None, method: Literal["us", "eu"] = "us") -> float:
    """Return the yearly percentage rate of dated advances and payments, as a fraction.

    Parameters
    ----------
    advances : Flows
        (date, amount) that the borrower receives, the first first; less what is paid for the credit that day.
    payments : Flows
        (date, amount) that are paid back, in order; the first may come before the first advance (appendix J, student
        loans), and time counts from it then.
    unit : str | None, optional
        The unit-period ("month", "two weeks", "half month"…), the most common distance between payments; for a single
        payment the term itself. The EU's method counts weeks for "week", "two weeks" and "four weeks".
    method : Literal['us', 'eu'], default 'us'
        "us": the actuarial method by unit-periods (Regulation Z, 12 CFR 1026, appendix J); "eu": the equation of
        Directive 2008/48/EC, annex I.

    Returns
    -------
    float
        The yearly percentage rate of dated advances and payments, as a fraction.

    Raises
    ------
    InputError
        Something given cannot be right; the message names it and says what would be.

    Examples
    --------
    >>> monthly = [(f"1978-{month:02}-10", 230) for month in range(2, 13)] + [("1979-01-10", 2_790)]
    >>> round(apr([("1978-01-10", 5_000)], monthly, unit="month"), 4)
    0.0821
    """
    choice(method, ("us", "eu"), "method")
    out, back = _read(advances, "advances"), _read(payments, "payments")
    start = min(out[0][0], back[0][0])  # a fee, or a first payment, may come before what is lent
    if back[-1][0] < out[0][0]:
        raise InputError(f"The last payment, of {back[-1][0]}, comes before the first advance on {out[0][0]}.")
    if unit is not None:
        choice(unit, tuple(_UNITS), "unit")
    if method == "eu":
        weeks = unit in ("week", "two weeks", "four weeks")
        rate = eu_rate(
            [(eu_years(start, day, weeks=weeks), amount) for day, amount in out],
            [(eu_years(start, day, weeks=weeks), amount) for day, amount in back],
        )
    else:
        if unit is None and back[-1][0] == start:
            raise InputError(f"The payment of {start} is on the day of the advance; no time passes.")
        if unit is None and len(back) + len(out) > 2:
            raise InputError("Give the unit: the most common distance between payments, such as 'month'.")
        length = unit_to_maturity(start, back[0][0]) if unit is None else _UNITS[unit]
        rate = unit_period_rate(
            [(unit_periods(start, day, length), amount) for day, amount in out],
            [(unit_periods(start, day, length), amount) for day, amount in back],
            units_a_year(length),
        )
    if rate is None:
        raise NoAnswer("No yearly rate makes the payments worth the advances.")
    return KnownRate(rate)


def loan_apr(agreed: Schedule, method: Literal["us", "eu"]) -> float | None:
    """The rate of a schedule as agreed; a fee up front lessens what is received, one with each payment is paid."""
    terms, rows = agreed.terms, agreed.rows
    if len(rows) == 1 and terms.agreement.at_start:
        return None  # paid back the moment it is lent
    received = terms.lent - terms.fee_up_front
    if method == "eu":
        return eu_rate([(0.0, received)], _by_years(agreed))
    payments, per_year = _by_unit_periods(agreed)
    return unit_period_rate([(Span(0, 0.0), received)], payments, per_year)


def worth_of_payments(agreed: Schedule, method: Literal["us", "eu"], rate: float) -> float:
    """What all payments of a schedule as agreed, fees included, are worth on the day it is lent, at a yearly rate.

    >>> from pennyweight import Loan
    >>> loan = Loan(1_000, "6%", years=1)
    >>> round(worth_of_payments(loan.agreed, "us", loan.apr), 6)
    1000.0
    """
    if method == "eu":
        return sum(float(amount * (1 + rate) ** -years) for years, amount in _by_years(agreed))
    payments, per_year = _by_unit_periods(agreed)
    i = rate / per_year
    return sum(float(amount / ((1 + span.part * i) * (1 + i) ** span.whole)) for span, amount in payments)


def _paid(agreed: Schedule) -> list[float]:
    terms = agreed.terms
    return [terms.money(row.payment + row.extra) + terms.fee_each for row in agreed.rows]


def _by_years(agreed: Schedule) -> list[tuple[float, float]]:
    """Each payment with its time by the EU's rules."""
    terms, amounts = agreed.terms, _paid(agreed)
    word = _BY_PAYMENTS.get(terms.per_year)
    first = 0 if terms.agreement.at_start else 1
    if terms.calendar is None or word is None:
        years = [k / terms.per_year for k in range(first, first + len(amounts))]
    else:
        whole, reached = _whole_periods(agreed)
        weeks = word in ("week", "two weeks", "four weeks")
        begin = whole / terms.per_year + eu_years(terms.calendar.start, reached, weeks=weeks)
        years = [begin + k / terms.per_year for k in range(len(amounts))]
    return list(zip(years, amounts, strict=True))


def _by_unit_periods(agreed: Schedule) -> tuple[list[tuple[Span, float]], float]:
    """Each payment with its unit-periods, and how many of them a year has."""
    terms, amounts = agreed.terms, _paid(agreed)
    calendar, word = terms.calendar, _BY_PAYMENTS.get(terms.per_year)
    first = 0 if terms.agreement.at_start else 1
    if calendar is None or word is None:
        spans = [Span(k, 0.0) for k in range(first, first + len(amounts))]
        return list(zip(spans, amounts, strict=True)), terms.per_year
    unit = _UNITS[word]
    if len(amounts) == 1:
        unit = unit_to_maturity(calendar.start, calendar.first)
        spans = [unit_periods(calendar.start, calendar.first, unit)]
    else:
        whole, reached = _whole_periods(agreed)
        rest = unit_periods(calendar.start, reached, unit)
        spans = [Span(whole + rest.whole + k, rest.part) for k in range(len(amounts))]
    return list(zip(spans, amounts, strict=True)), units_a_year(unit)


def _whole_periods(agreed: Schedule) -> tuple[int, np.datetime64]:
    """Back from the first payment along the loan's own due days, so that the last of each month is one month apart."""
    calendar = agreed.terms.calendar
    assert calendar is not None
    whole = 0
    while calendar.regular(1 - whole - 1) >= calendar.start and not agreed.terms.agreement.at_start:
        whole += 1
    return whole, calendar.regular(1 - whole)


def _read(flows: Any, what: str) -> list[tuple[np.datetime64, float]]:
    if isinstance(flows, str) or not isinstance(flows, Sequence) or not flows:
        raise InputError(f"{what}: write a list of (date, amount), at least one.", at=what)
    if wrong := [one for one in flows if not isinstance(one, tuple | list) or len(one) != 2]:
        raise InputError(f"{what} hold {wrong[0]!r}; each is (date, amount).", at=what)
    read = [(read_date(day, what=what), read_amount(amount, what=what)) for day, amount in flows]
    for (day, amount), (later, _) in zip(read, [*read[1:], read[-1]], strict=True):
        if amount < 0:
            raise InputError(f"{what}: {amount:,.2f} on {day}; write amounts above zero.", at=what)
        if later < day:
            raise InputError(f"{what}: {later} stands after {day}; put them in order.", at=what)
    return read

"""Loans that cannot be: each is refused in one sentence."""

from __future__ import annotations

from typing import Any

import numpy as np
import pandas as pd
import pytest

from pennyweight import (
    Event,
    InputError,
    Loan,
    LoanSet,
    NoAnswer,
    PaymentHoliday,
    PennyweightError,
    Recurring,
    Takeover,
)

START = {"start": "2027-01-31", "years": 1}


@pytest.mark.parametrize(
    ("make", "error", "sentence"),
    [
        (lambda: Loan(250_000, "5.04%", payment=900), NoAnswer, "The payment of 900.00 never covers the first interest of 1,050.00"),
        (lambda: Loan(0, "5%", years=1), InputError, "amount is 0; it must be above zero"),
        (lambda: Loan(-5, "5%", years=1), InputError, "amount is -5; it must be above zero"),
        (lambda: Loan(1000, "5%", years=0), InputError, "it must make a whole number of payments"),
        (lambda: Loan(1000, "5%", years=-3), InputError, "it must make a whole number of payments"),
        (lambda: Loan(1000, "5%", years=1.01), InputError, "make a whole number of payments"),
        (lambda: Loan(1000, "5%", years=1e9), InputError, "from 1 to 60,000"),
        (lambda: Loan(1000, "5%"), InputError, "needs three of amount, rate, years and payment"),
        (lambda: Loan(1000, "5%", years=1, months=12), InputError, "in years or in months, not both"),
        (lambda: Loan(1000, "5%", years=1, payment=80), InputError, "contradict each other: over 12 payments the payment is 85.61, 5.61 more"),
        (lambda: Loan(1000, payment=10, years=1), NoAnswer, "All payments together, 120.00, are less than the amount"),
        (lambda: Loan(1000, "5", years=1), InputError, "5 is 500% a year"),
        (lambda: Loan(1000, "-5%", years=1), InputError, "it must be 0 or more"),
        (lambda: Loan(1000, "5% quarterly", years=1, compounding=12), InputError, "says how it compounds, and compounding is 12; give one of them"),
        (lambda: Loan(1000.005, "5%", years=1), InputError, "2 decimals at most"),
        (lambda: Loan(1000, "5%", years=1, first_payment="2027-02-30"), InputError, "does not exist"),
        (lambda: Loan(1000, "5%", start="2027-03-01", first_payment="2027-02-20", years=1), InputError, "must come after the start"),
        (lambda: Loan(1000, "5%", years=1, per_year=7, start="2027-02-20"), InputError, "A loan with dates has 1, 2, 3"),
        (lambda: Loan(1000, "5%", years=1, per_year=365), InputError, "it must be from 1 to 52"),
        (lambda: Loan(1000, "5%", years=5, amortized_over=3), InputError, "the balloon would fall due after the loan is paid off"),
        (lambda: Loan(1000, "5%", years=5, residual=2_000), InputError, "it must be less than the loan of 1,000.00"),
        (lambda: Loan(1000, "5%", payment=90, residual=100), InputError, "is due at the end of a term; give the years"),
        (lambda: Loan(1000, "5%", years=1, interest_only=1), InputError, "end before the term"),
        (lambda: Loan(1000, "5%", years=1, fee_up_front=1_000), InputError, "less than the loan"),
        (lambda: Loan(1000, "5%", years=1, fee_each="1%"), InputError, "write an amount"),
        (lambda: Loan(1000, "5%", years=1, repaid="levl payment"), InputError, "did you mean 'level payment'"),
        (lambda: Loan(1000, "5%", years=1, rounding="up"), InputError, "rounding is 'up'"),
        (lambda: Loan(1000, "5%", years=1, interest="actual/365"), InputError, "needs days; give the start"),
        (lambda: Loan(1000, "5%", **START, interest="actual/actual"), InputError, "it must be 'equal periods' or one of actual/360"),
        (lambda: Loan(1000, "5%", years=1, events=[("2027-03-01", "extra", 5)]), InputError, "is a date, and the loan has none"),
        (lambda: Loan(1000, "5%", **START, events=[("2027-01-01", "extra", 5)]), InputError, "is not after the start of the loan, 2027-01-31"),
        (lambda: Loan(1000, "5%", **START, events=[("2027-02-20", "paid", 5)]), InputError, "not a due day; the nearest are 2027-01-31 and 2027-02-28"),
        (lambda: Loan(1000, "5%", **START, events=[("2027-03-31", "extra", 5), ("2027-02-28", "extra", 5)]), InputError, "sort the events by date"),
        (lambda: Loan(1000, "5%", **START, events=[("2027-03-31", "balance", 5), ("2027-03-31", "balance", 6)]), InputError, "two balances on 2027-03-31; keep one"),
        (lambda: Loan(1000, "5%", **START, events=[("2027-03-31", "bonus", 5)]), InputError, "what is 'bonus'"),
        (lambda: Loan(1000, "5%", **START, events=[("2027-03-31", "extra", -5)]), InputError, "write it above zero"),
        (lambda: Loan(1000, "5%", **START, events=[("2027-03-31", "rate", 5)]), InputError, "5 is 500% a year"),
        (lambda: Loan(1000, "5%", **START, events=[("soon", "rate", "5%")]), InputError, "write dates as 2027-02-01"),
        (lambda: Loan(1000, "5%", years=1, events=[(0, "extra", 5)]), InputError, "payment 0 comes before the first"),
        (lambda: Loan(1000, "5%", years=1, extras=[Recurring(0, 3)]), InputError, "write one above zero"),
        (lambda: Loan(1000, "5%", years=1, extras=[Recurring(5, 9, 3)]), InputError, "before it begins"),
        (lambda: Loan(1000, "5%", years=1, extras=[Recurring(5, 1, per_year=26)]), InputError, "does not fit 12 payments a year"),
        (lambda: Loan(1000, "5%", years=1, holidays=[PaymentHoliday(11, 3)]), InputError, "to the agreed end of the loan"),
        (lambda: Loan(1000, "5%", **START, as_of="2026-01-01"), InputError, "before the start of the loan"),
        (lambda: Loan(1000, "5%", years=1).but(yers=2), InputError, "A loan has no 'yers'; did you mean 'years'?"),
        (lambda: Loan(1000, "5%", years=1).refinancing(on=3, rte="5%"), InputError, "A loan has no 'rte'; did you mean 'rate'?"),
        (lambda: Loan(1000, "5%", years=1, events=[("2027-01-01", "extra")]), InputError, "each must be an Event, or (when, what, amount)"),
        (lambda: Loan(1000, "5%", years=1, extras=[5]), InputError, "extras hold 5; each must be a Recurring"),
        (lambda: LoanSet({"a": 5}), InputError, "'a' is 5; write a Loan"),
        (lambda: Loan(1000, "5%", **START, events=[Event("2027-03-31", "paid", "x", where="row 7")]), InputError, "row 7: the amount is 'x'"),
    ],
)  # fmt: skip
def test_loans_refused(make: Any, error: type[PennyweightError], sentence: str) -> None:
    with pytest.raises(error) as caught:
        make().as_dict()
    assert sentence in str(caught.value)


@pytest.mark.parametrize(
    "wrong", [np.array([1.0, np.nan]), np.array([]), np.array([[1.0, 2.0]]), pd.Series([1.0, 2.0])]
)
def test_arrays_are_no_terms_of_one_loan(wrong: Any) -> None:
    for name in ("amount", "rate", "payment", "repaid", "years"):
        with pytest.raises(InputError) as caught:
            Loan(**{"amount": 1_000, "rate": "5%", "years": 1, name: wrong})
        assert str(caught.value).startswith(name), caught.value


def test_what_must_be_there_is_missed_by_its_name() -> None:
    with pytest.raises(InputError, match=r"^on is missing"):
        Takeover(on=None, balance=5_000, rate="4%", payment=100)
    with pytest.raises(InputError, match=r"^spare is missing"):
        LoanSet({"a": Loan(1_000, "5%", years=1)}, spare=None)

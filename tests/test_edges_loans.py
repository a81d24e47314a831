"""Edges of loans: takeovers told as made, statements above the schedule, loans by days, bounds, percentage rates."""

from __future__ import annotations

from decimal import Decimal
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from pennyweight import (
    InputError,
    Loan,
    LoanSet,
    LoanStudy,
    NoAnswer,
    Recurring,
    Takeover,
    amortize,
    apr,
    read_loan_file,
)
from tests.clerk import books
from tests.refusals import few_refused, refused, used
from tests.sizes import cases

D = Decimal


@few_refused
@given(
    st.integers(5_000, 900_000), st.integers(0, 12_000), st.integers(1, 30), st.integers(1, 359),
    st.sampled_from(["2020-01-31", "2020-02-29", "2021-03-15", "2019-11-30", "2020-12-01"]), st.integers(0, 27),
)  # fmt: skip
@settings(max_examples=cases(60))
def test_a_takeover_told_as_the_loan_was_made_has_no_contradiction(
    amount: int, rate: int, years: int, made: int, first: str, later: int
) -> None:
    """Taken over on any day between two payments, it goes on as the loan itself, in a clerk's decimals, to its end."""
    made = min(made, 12 * years - 1)
    percent = f"{rate / 1000}%"
    whole = Loan(amount, percent, years=years, first_payment=first)
    on = whole.terms.calendar.due(made) + min(later, 26)
    rows = books(D(amount), D(str(rate)) / 100_000, 12, 12 * years)
    if len(rows) <= made or rows[made - 1][3] <= 0:
        refused()  # paid off by rounding before the day
        return
    used()
    told = Takeover(on=str(on), original_amount=amount, rate=percent, original_years=years, first_payment=first)
    counted = Takeover(on=str(on), original_amount=amount, rate=percent, original_years=years, payments_made=made)
    assert told.made == counted.made == made
    assert told.contradictions == counted.contradictions == ()
    assert D(str(told.remaining.amount)) == D(str(counted.remaining.amount)) == rows[made - 1][3]
    assert told.calendar.first == whole.terms.calendar.due(made + 1)
    left = [D(str(row["payment"])) for row in told.remaining.agreed.plain_rows()]
    assert left == [row[0] for row in rows[made:]]
    assert told.original.agreed.dates.tolist() == whole.agreed.dates.tolist()


def test_a_statement_above_the_schedule_is_told_with_the_payment_that_would_do() -> None:
    events = [("2026-01-31", "balance", 160_000)]
    loan = Loan(160_000, "5.4%", years=15, start="2024-01-31", currency="EUR", events=events)
    note = loan.as_dict()["last_payment_note"]
    assert note in " ".join(str(loan).split())
    assert "30,784.05 is not like the others of EUR 1,298.86, because the stated balance is EUR 14,635.86 above" in note
    assert "From payment 25 on a payment of EUR 1,429.63 would avoid it." in note
    anew = loan.but(balance_moves="payment")
    rest = books(D(160_000), D("0.054"), 12, 156)
    assert [D(str(row["payment"])) for row in anew.schedule.plain_rows()[24:]] == [row[0] for row in rest]
    assert anew.as_dict()["last_payment_note"] is None
    longer = loan.but(balance_moves="term")
    assert len(longer.schedule.rows) == 204
    assert Loan(160_000, "5.4%", years=15).as_dict()["last_payment_note"] is None
    assert Loan(160_000, "5.4%", years=5, amortized_over=15).as_dict()["last_payment_note"] is None
    missed = Loan(10_000, "6%", years=2, events=[(3, "paid", 0), (4, "paid", 0)])
    assert "less was paid than the payment in force" in missed.as_dict()["last_payment_note"]
    with pytest.raises(InputError, match="balance_moves is 'paymnt'; did you mean 'payment'"):
        loan.but(balance_moves="paymnt")


def test_a_given_payment_is_held_against_the_loans_own_interest() -> None:
    """By days more interest runs than by equal periods, so a payment that clears it is right for these terms."""
    terms = {"years": 10, "start": "2026-01-31", "interest": "actual/360"}
    by_days = Loan(90_000, "7.2%", payment=1_063.85, **terms)
    assert by_days.agreed.rows[-1][0] < 106_385
    with pytest.raises(InputError, match="contradict each other"):
        Loan(90_000, "7.2%", payment=1_063.85, years=10)
    equal = Loan(90_000, "7.2%", payment=Loan(90_000, "7.2%", years=10).payment, **terms)
    assert "interest by days comes to more" in equal.as_dict()["last_payment_note"]
    with pytest.raises(InputError, match="contradict each other"):
        Loan(90_000, "7.2%", payment=1_200, **terms)


def test_rates_of_a_hundred_percent_and_more() -> None:
    told = Takeover(on="2027-02-15", original_amount=8_600, rate="150%", original_years=2, payments_made=5)
    again = Takeover(
        on="2027-02-15",
        balance=told.remaining.amount,
        rate=told.remaining.rate,
        payment=told.remaining.payment,
        payments_left=19,
    )
    assert again.as_dict()["interest_to_come"] == told.as_dict()["interest_to_come"]
    book = amortize([10_000, 10_000], ["290%", 0.05], [24, 24])
    assert book.payment[0] == Loan(10_000, "290%", years=2).payment
    assert amortize(10_000, Loan(10_000, "290%", years=2).but(rate=None, payment=2_500).rate, 24).payment[
        0
    ] == pytest.approx(2_500, abs=0.01)
    with pytest.raises(InputError, match=r"rate\[0\] is 290% a year; write 5% as 0.05, or '500%'"):
        amortize([10_000], [2.9], [24])
    with pytest.raises(InputError, match=r"rate\[0\] is 1e\+308; write 5% as 0.05"):
        amortize([10_000], [1e308], [24])


@pytest.mark.parametrize(("terms", "said"), [({"rate": "4%"}, "needs 'on'"), ({"on": 3, "loan": 5}, "has no 'loan'")])
def test_a_refinancing_says_what_it_lacks(terms: dict[str, Any], said: str) -> None:
    with pytest.raises(InputError, match=said):
        LoanStudy(Loan(10_000, "5%", years=2), refinance=terms)


def test_bounds_of_loans_are_one_sentence() -> None:
    with pytest.raises(NoAnswer, match="still not paid off"):
        Loan(1e9, "0%", payment=1)
    assert len(Loan(50_000, "0%", payment=1).agreed.rows) == 50_000
    for fee in ("1e60%", "100%", "-1%"):
        with pytest.raises(InputError, match=f"fee_up_front is {fee}; a fee must be 0 or more, and less than the loan"):
            _ = Loan(10_000, "5%", years=1, fee_up_front=fee).agreed
    far = Loan(10_000, "5%", years=10, extras=[Recurring(1, 1, last=60_000)])
    assert far.schedule.total_interest == Loan(10_000, "5%", years=10, extras=[Recurring(1, 1)]).schedule.total_interest
    with pytest.raises(InputError, match="payment 60001 lies beyond 60,000, the most payments that a loan has"):
        _ = Loan(10_000, "5%", years=10, extras=[Recurring(1, 1, last=60_001)]).schedule
    with pytest.raises(InputError, match="1 to 60,000 payments"):
        Takeover(on="2027-01-31", balance=5000, rate="4%", payment=100, original_years=1e12)
    with pytest.raises(InputError, match="the most is 60,000"):
        amortize(1000, 0.05, 1e9)


def test_twenty_loans_with_spare_money_are_settled_at_once() -> None:
    """The order in which each ends follows the order of payment, and money is neither lost nor made."""
    loans = {f"l{k}": Loan(10_000 + 977 * k, f"{2 + 0.37 * k:.2f}%", years=30) for k in range(20)}
    many = LoanSet(loans, spare=200)
    plan = many.plans["highest rate first"]
    assert [len(plan.schedules[f"l{k}"].rows) for k in range(19, -1, -1)] == sorted(
        len(one.rows) for one in plan.schedules.values()
    )
    total = sum(loan.payment for loan in loans.values()) + 200
    paid = np.zeros(plan.payments)
    for one in plan.schedules.values():
        for k, row in enumerate(one.rows):
            paid[k] += (row[0] + row[2]) / 100
    assert paid[:-1] == pytest.approx(np.full(plan.payments - 1, total), abs=0.2)


def test_lines_of_arrays_of_tables(tmp_path: Path) -> None:
    head = 'loan = "L"\namount = 1_000\nrate = "5%"\nyears = 10\n'
    mistakes = {
        "[[extras]]\namount = 10\nfrom = 3\n\n[[extras]]\namount = 5\nfrm = 7": "line 11, [[extras]] number 2 frm: there is no key 'frm'",
        "[[extras]]\namount = 10\nfrom = 3\n[[extras]]\namount = 5\nfrom = 'x'": "line 8, [[extras]] number 2: the date is 'x'",
        "[[holidays]]\nfrom = 3\npayments = 0": "line 5, [[holidays]] number 1: payments is 0; it must be a whole number",
        "extras = [{ amount = 1, from = 2 },\n { amount = 'x', from = 3 }]": "line 6, [[extras]] number 2: the amount is 'x'",
    }
    for text, sentence in mistakes.items():
        (tmp_path / "l.toml").write_text(head + text, encoding="utf-8")
        with pytest.raises(InputError) as caught:
            read_loan_file(tmp_path / "l.toml")
        assert sentence in str(caught.value)


def test_a_single_payment_after_a_year_by_regulation_z() -> None:
    """Appendix J, (b)(5)(v): what is left of the term counts as months over 12 when it is whole ones, else as days over 365."""

    def cost(due: str, whole: int, part: float) -> None:
        rate = apr([("2026-01-15", 1000)], [(due, 1250)])
        assert 1250 / ((1 + part * rate) * (1 + rate) ** whole) == pytest.approx(1000, rel=1e-9)

    cost("2027-07-15", 1, 6 / 12)
    cost("2028-02-15", 2, 1 / 12)
    cost("2027-07-20", 1, 186 / 365)
    cost("2028-01-15", 2, 0.0)


def test_a_payment_before_the_first_advance_counts_from_its_day() -> None:
    """Appendix J has it for student loans: a fee is paid first, the money comes in two parts, the payments follow."""
    advances = [("2026-09-15", 1000), ("2027-01-15", 1000)]
    payments = [("2026-08-15", 50), *((f"{2028 + k // 12}-{k % 12 + 1:02}-15", 100) for k in range(24))]
    rate = apr(advances, payments, unit="month")
    i = rate / 12
    lent = sum(1000 / (1 + i) ** k for k in (1, 5))
    paid = 50 + sum(100 / (1 + i) ** (17 + k) for k in range(24))
    assert lent == pytest.approx(paid, rel=1e-9)
    with pytest.raises(InputError, match="comes before the first advance"):
        apr(advances, [("2026-08-15", 50)], unit="month")

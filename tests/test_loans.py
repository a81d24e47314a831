"""Loans as a borrower asks for them: terms, events, and figures checked against a clerk's decimals and identities."""

from __future__ import annotations

import datetime as dt
import json
from decimal import Decimal
from typing import Any

import pytest

from pennyweight import (
    InputError,
    Loan,
    NoAnswer,
    PaymentHoliday,
    Recurring,
    irr,
    repay,
)
from pennyweight.cli.main import status
from tests.clerk import books, cents

D = Decimal


def rows_of(loan: Loan) -> list[tuple[Decimal, ...]]:
    """(payment, interest, extra, balance) of the loan as it is."""
    return [
        tuple(cents(D(str(row[name]))) for name in ("payment", "interest", "extra", "balance"))
        for row in loan.schedule.plain_rows()
    ]


# Terms.


def test_any_one_of_four_is_worked_out() -> None:
    """Each found value, put back, gives the others."""
    loan = Loan(86_000, "4.2%", years=15)
    assert loan.payment == 644.79
    assert Loan(86_000, payment=644.79, years=15).rate == 0.042  # the shortest rate that fits
    assert abs(Loan(rate="4.2%", payment=644.79, months=180).amount - 86_000) < 1
    by_payment = Loan(86_000, "4.2%", payment=700)
    expected = books(D(86_000), D("0.042"), 12, 999, payment=D(700))
    assert rows_of(by_payment) == expected
    assert repay(owed=86_000, rate="4.2%", payment=700).whole_payments == len(expected) - 1
    assert Loan(86_000, "4.2%", years=15, payment=644.79).schedule.rows == loan.schedule.rows
    assert Loan(86_000, "4.2%", months="180").payment == loan.payment


def test_what_can_be_borrowed_is_what_the_payments_are_worth() -> None:
    amount = Loan(rate="6%", years=30, payment=1_000).amount
    i = D("0.005")
    later = Loan(rate="6%", years=31, interest_only=1, payment=1_000).amount  # only interest in the first year
    assert later == amount
    assert D(str(amount)) == (1000 * (1 - (1 + i) ** -360) / i).quantize(D("0.01"), rounding="ROUND_FLOOR")


def test_compounding_other_than_paying() -> None:
    """6 % half-yearly, paid monthly: (1.03) ** (1/6) - 1 a month, in decimals."""
    loan = Loan(100_000, "6% half-yearly", years=25)
    i = D("1.03") ** (D(1) / 6) - 1
    exact = 100_000 * i / (1 - (1 + i) ** -300)
    assert D(str(loan.payment)) == cents(exact)
    assert Loan(100_000, "6%", years=25, compounding="half-yearly").payment == loan.payment
    first = loan.schedule.plain_rows()[0]
    assert D(str(first["interest"])) == cents(100_000 * i)


def test_paid_at_the_start_there_is_no_interest_in_the_first_payment() -> None:
    loan = Loan(12_000, "6%", years=2, paid="start", rounding=None)
    i, n = D("0.005"), 24
    assert loan.payment == pytest.approx(float(12_000 * i / (1 - (1 + i) ** -n) / (1 + i)), rel=1e-13)
    rows = loan.schedule.plain_rows()
    assert rows[0]["interest"] == 0
    assert len(rows) == 24
    assert rows[-1]["payment"] == pytest.approx(loan.payment, rel=1e-10)
    lease = Loan(12_000, "6%", years=2, paid="start", residual=3_000, rounding=None).schedule.plain_rows()
    assert (len(lease), lease[-1]["payment"]) == (25, pytest.approx(3_000, rel=1e-10))


@pytest.mark.parametrize(("residual", "spread"), [(20_000, None), (None, 30)])
def test_a_balloon_is_what_the_level_payments_leave(residual: float | None, spread: float | None) -> None:
    """Retrospective method: amount accumulated less payments accumulated."""
    loan = Loan(100_000, "5%", years=10, residual=residual, amortized_over=spread, rounding=None)
    i, p = 0.05 / 12, loan.payment
    left = 100_000 * (1 + i) ** 120 - p * ((1 + i) ** 120 - 1) / i
    assert loan.schedule.last_payment - p == pytest.approx(left, rel=1e-9)
    if residual:
        assert left == pytest.approx(residual, rel=1e-9)
    else:
        assert p == pytest.approx(Loan(100_000, "5%", years=30, rounding=None).payment, rel=1e-13)


def test_constant_principal_interest_only_and_holidays() -> None:
    equal = Loan(12_000, "5%", years=1, repaid="constant principal")
    assert [row["principal"] for row in equal.schedule.plain_rows()] == [1_000.0] * 12
    assert equal.schedule.total_interest == pytest.approx(
        sum(float(cents(D(12_000 - 1_000 * k) * D("0.05") / 12)) for k in range(12))
    )
    only = Loan(12_000, "5%", years=1, repaid="interest only").schedule
    assert [row["payment"] for row in only.plain_rows()] == [50.0] * 11 + [12_050.0]
    first = Loan(12_000, "5%", years=3, interest_only="6 months")
    assert [row["payment"] for row in first.schedule.plain_rows()][:7] == [50.0] * 6 + [
        Loan(12_000, "5%", months=30).payment
    ]
    assert first.payment == Loan(12_000, "5%", months=30).payment
    for interest, grown in (("added", (1 + 0.05 / 12) ** 3), ("paid", 1.0)):
        loan = Loan(12_000, "5%", years=3, rounding=None, holidays=[PaymentHoliday(13, 3, interest=interest)])  # type: ignore[arg-type]
        rows = loan.schedule.plain_rows()
        assert rows[14]["balance"] == pytest.approx(rows[11]["balance"] * grown)
        assert rows[15]["payment"] == pytest.approx(rows[34]["payment"])
        assert len(rows) == 36
    longer = Loan(12_000, "5%", years=3, holidays=[PaymentHoliday(13, 3)], holiday_moves="term")
    assert longer.schedule.plain_rows()[20]["payment"] == longer.payment
    assert len(longer.schedule.rows) == 40


def test_half_the_monthly_payment_every_two_weeks() -> None:
    loan = Loan(200_000, "6%", years=30, repaid="half every two weeks", start="2027-01-01")
    half = cents(D(str(Loan(200_000, "6%", years=30).payment)) / 2)
    assert rows_of(loan) == books(D(200_000), D("0.06"), 26, 9_999, payment=half)
    assert [str(day) for day in loan.schedule.dates[:2]] == ["2027-01-15", "2027-01-29"]
    assert len(loan.schedule.rows) / 26 < 25


def test_interest_by_days() -> None:
    """Actual days over 360, each period counted with the calendar."""
    loan = Loan(50_000, "4.5%", years=2, start="2027-01-31", interest="actual/360")
    day, balance = dt.date(2027, 1, 31), D(50_000)
    for row, (paid, interest, _, left) in zip(loan.schedule.plain_rows(), rows_of(loan), strict=True):
        due = dt.date.fromisoformat(row["date"])
        assert interest == cents(balance * D("0.045") * (due - day).days / 360)
        balance += interest - paid
        assert balance == left
        day = due
    assert (
        Loan(50_000, "4.5%", years=2, start="2027-01-15", interest="30/360").schedule.rows[5][1]
        == Loan(50_000, "4.5%", years=2).schedule.rows[5][1]
    )


def test_days_before_the_first_period_carry_interest() -> None:
    loan = Loan(50_000, "4.5%", years=2, start="2027-01-15", first_payment="2027-03-01")
    assert rows_of(loan)[0][1] == cents(D(50_000) * D("0.045") * (D(1) / 12 + D(17) / 365))
    short = Loan(50_000, "4.5%", years=2, start="2027-01-15", first_payment="2027-02-01")
    assert rows_of(short)[0][1] == cents(D(50_000) * D("0.045") * (D(1) / 12 - D(14) / 365))


def test_due_days_return_to_the_thirty_first() -> None:
    loan = Loan("86k", "4.2%", years=15, start="2027-01-31", currency="EUR")
    assert [str(day) for day in loan.schedule.dates[:3]] == ["2027-02-28", "2027-03-31", "2027-04-30"]
    assert loan.frame.index[0].strftime("%Y-%m-%d") == "2027-02-28"
    twice = Loan(1_000, "5%", years=1, per_year=24, start="2027-01-01").schedule.dates
    assert [str(day) for day in twice[:4]] == ["2027-01-16", "2027-02-01", "2027-02-16", "2027-03-01"]


def test_currencies_without_cents_and_with_mills() -> None:
    assert Loan("3,000,000", "1.5%", years=2, currency="JPY").payment.is_integer()
    dinar = Loan(1000, "4.1%", years=1, currency="KWD")
    assert round(dinar.payment, 3) == dinar.payment != round(dinar.payment, 2)
    assert Loan(1_000, "5%", years=1, events=[(3, "extra", 0.1 + 0.2)]).schedule.rows[2][2] == 30
    with pytest.raises(InputError, match="have 0 decimals at most"):
        Loan(10.5, "1%", years=1, currency="JPY")


def test_unrounded_is_the_textbook() -> None:
    """Kellison, "The Theory of Interest", 3rd ed., section 5.3: interest part of payment t is 1 - v ** (n - t + 1)."""
    payment = 0.08 / (1 - 1.08**-4)
    loan = Loan(1_000, "8%", years=4, per_year="year", rounding=None)
    for t, row in enumerate(loan.schedule.plain_rows(), 1):
        assert row["interest"] == pytest.approx(1_000 * payment * (1 - 1.08 ** -(4 - t + 1)), rel=1e-12)


# What happens.


def test_rate_steps_by_date_and_by_number_are_the_same() -> None:
    by_date = Loan(86_000, "4.2%", years=15, start="2024-01-31", events=[("2025-01-31", "rate", "4.6%")])
    by_number = Loan(86_000, "4.2%", years=15, events=[(13, "rate", "4.6%")])
    assert by_date.schedule.rows == by_number.schedule.rows
    assert rows_of(by_number) == books(D(86_000), D("0.042"), 12, 180, events=[(13, "rate", D("0.046"))])
    kept = Loan(86_000, "4.2%", years=15, events=[(13, "rate", "4.6%")], rate_moves="term")
    assert {row["payment"] for row in kept.schedule.plain_rows()[:-1]} == {644.79}
    assert len(kept.schedule.rows) > 180
    with pytest.raises(NoAnswer, match="never covers the interest of payment 13, 954"):
        _ = Loan(86_000, "4.2%", years=15, events=[(13, "rate", "14%")], rate_moves="term").schedule


def test_recurring_extras_rise_and_end() -> None:
    loan = Loan(
        86_000,
        "4.2%",
        years=15,
        start="2024-01-31",
        extras=[Recurring(100, "2025-02-28", "2027-06-30", per_year="month", rising="10%")],
    )
    extras = {row["date"]: row["extra"] for row in loan.schedule.plain_rows() if row["extra"]}
    assert (min(extras), max(extras), len(extras)) == ("2025-02-28", "2027-06-30", 29)
    assert (extras["2026-01-31"], extras["2026-02-28"], extras["2027-02-28"]) == (100.0, 110.0, 121.0)
    numbered = Loan(86_000, "4.2%", years=15, extras=[Recurring(1_000, 12, per_year="year")])
    assert [row["number"] for row in numbered.schedule.plain_rows() if row["extra"]][:3] == [12, 24, 36]
    assert rows_of(numbered) == books(
        D(86_000), D("0.042"), 12, 180, events=[(n, "extra", D(1000)) for n in range(12, 180, 12)]
    )


def test_an_extra_between_due_days() -> None:
    """By equal periods it counts from the next due day; by days from its own."""
    equal = Loan(86_000, "4.2%", years=15, start="2024-01-31", events=[("2024-03-15", "extra", 5_000)])
    due = Loan(86_000, "4.2%", years=15, start="2024-01-31", events=[("2024-03-31", "extra", 5_000)])
    assert equal.schedule.rows == due.schedule.rows
    daily = Loan(
        86_000, "4.2%", years=15, start="2024-01-31", interest="actual/365", events=[("2024-03-15", "extra", 5_000)]
    )
    first, second = rows_of(daily)[:2]
    assert second[1] == cents(D("0.042") / 365 * (first[3] * 15 + (first[3] - 5_000) * 16))


@pytest.mark.parametrize(("when", "after"), [("2024-06-30", 5), ("2024-07-12", 5), (5, 5)])
def test_a_statement_resets_the_schedule_from_there_on(when: Any, after: int) -> None:
    loan = Loan(86_000, "4.2%", years=15, start="2024-01-31", events=[(when, "balance", 84_000)])
    plain = Loan(86_000, "4.2%", years=15, start="2024-01-31")
    statement = loan.schedule.statements[0]
    assert statement.by_schedule == plain.agreed.balance_after(after)
    assert statement.difference == pytest.approx(84_000 - statement.by_schedule)
    assert loan.schedule.history == after
    assert loan.frame["history"].sum() == after
    assert rows_of(loan)[: after - 1] == rows_of(plain)[: after - 1]
    assert rows_of(loan)[after][1] == cents(D(84_000) * D("0.042") / 12)
    assert rows_of(loan)[after:] == books(D(84_000), D("0.042"), 12, 180 - after, payment=D("644.79"))


def test_a_statement_between_due_days_holds_the_extras_before_it() -> None:
    """Written one by one or recurring, in a later period or before the first payment; those after it still count."""
    for stated, first in (("2024-07-20", 5), ("2024-02-20", 0)):
        month = stated[:8]
        single = [(f"{month}10", "extra", 1_000), (stated, "balance", 80_000), (f"{month}25", "extra", 300)]
        loan = Loan(86_000, "4.2%", years=15, start="2024-01-31", events=single)
        rows = rows_of(loan)
        assert rows[first][1] == cents(D(80_000) * D("0.042") / 12)
        assert rows[first][3] == 80_000 + rows[first][1] - D("644.79") - 300
        assert sum(row[2] for row in rows) == 1_300
        assert loan.schedule.statements[0].by_schedule == pytest.approx(loan.agreed.balance_after(first) - 1_000)
        assert len(loan.schedule.statements) == 1
        assert all(passed for passed, _ in loan.checks)
        again = loan.but(events=[(stated, "balance", 80_000)], extras=[Recurring(1_000, f"{month}10", f"{month}11")])
        assert rows_of(again)[first][3] == rows[first][3] + 300


def test_a_statement_by_days_counts_from_its_day() -> None:
    loan = Loan(
        86_000, "4.2%", years=15, start="2024-01-31", interest="actual/365", events=[("2024-03-10", "balance", 80_000)]
    )
    first, second = rows_of(loan)[:2]
    assert second[1] == cents(D("0.042") / 365 * (first[3] * 10 + D(80_000) * 21))


def test_facts_add_up_and_say_what_was_saved() -> None:
    loan = Loan(86_000, "4.2%", years=15, start="2024-01-31", as_of="2026-01-31", fee_up_front="1%", fee_each=2,
                events=[("2025-01-31", "extra", 10_000)])  # fmt: skip
    data = loan.as_dict()
    for name in ("as_agreed", "as_it_is"):
        told = data["facts"][name]
        assert told["paid_so_far"] + told["still_to_pay"] == pytest.approx(told["total_paid"])
        assert told["interest_to_date"] + told["interest_to_come"] == pytest.approx(told["total_interest"])
        assert told["next_interest"] + told["next_principal"] == pytest.approx(told["payment_now"])
    assert data["payments_made"] == 24
    assert data["total_paid"] == pytest.approx(86_000 + data["total_interest"] + 860 + 2 * data["payments"])
    assert data["total_fees"] == 860 + 2 * data["payments"]
    assert data["payments_saved"] == 180 - data["payments"] > 0
    assert all(check["passed"] for check in data["checks"])
    leads = next(row["date"] for row in data["schedule"] if row["payment"] - row["interest"] > row["interest"])
    assert data["facts"]["as_it_is"]["principal_leads"] == leads


def test_an_added_fee_is_owed() -> None:
    loan = Loan(10_000, "5%", years=5, fee_added="2%")
    assert loan.payment == Loan(10_200, "5%", years=5).payment
    assert loan.as_dict()["amount"] == 10_000
    flows = [-10_000, *(row["payment"] for row in loan.agreed.plain_rows())]
    assert loan.apr == pytest.approx(12 * float(irr(flows)), rel=1e-9)


def test_what_cannot_be_booked_is_said() -> None:
    loan = Loan(
        1_000, "5%", years=1, start="2027-01-31", events=[("2027-06-30", "extra", 5_000), ("2027-09-30", "extra", 10)]
    )
    told = " ".join(loan.schedule.remarks)
    assert "more than was owed; that part is not counted" in told
    assert "of 2027-09-30 of 10.00 comes after the loan is paid off, on 2027-06-30; it is not counted" in told
    assert told in " ".join(str(loan).split())
    late = Loan(1_000, "5%", years=1, start="2027-01-31", events=[("2027-06-10", "rate", "6%")])
    assert "counts from the due day 2027-06-30 on" in late.schedule.remarks[0]


def test_json_has_the_keys_of_the_design(capsys: pytest.CaptureFixture[str]) -> None:
    """The command that `repay` ends with runs, and its payment is the rounded one."""
    plan = repay(owed=86_000, rate="4.2%", years=15, currency="EUR")
    told = str(plan).split("pennyweight loan ")[1].split("\n")[0].strip().rstrip(".")
    assert status(["loan", *told.split(), "--format", "json"]) == 0
    data = json.loads(capsys.readouterr().out)
    assert data["payment"] == round(plan.answer, 2)
    keys = {
        "payment",
        "payments",
        "last_payment",
        "total_interest",
        "total_paid",
        "paid_off_on",
        "apr",
        "schedule",
        "checks",
    }
    assert data.keys() >= keys
    assert list(data["schedule"][0])[:6] == ["number", "date", "payment", "interest", "principal", "balance"]


def test_what_the_agreed_last_payment_leaves_the_next_one_clears() -> None:
    rows = rows_of(Loan(12_000, "6%", years=1, events=[(12, "paid", 200)]))
    assert (len(rows), rows[11][0]) == (13, 200)
    assert rows[12][0] == rows[11][3] + cents(rows[11][3] * D("0.005"))


def test_the_working_gives_what_the_payments_come_from() -> None:
    """Each row's formula, in decimals, gives its payment; the rate's equation holds."""
    loan = Loan(
        86_000,
        "4.2%",
        years=15,
        start="2024-01-31",
        fee_up_front=900,
        events=[("2025-01-31", "rate", "4.6%"), ("2026-03-31", "rate", "3.9%")],
    )
    told = loan.working().as_dict()["working"]
    assert [row["from"] for row in told["payments"]] == ["2024-02-29", "2025-02-28", "2026-04-30"]
    for row in told["payments"]:
        i = D(str(row["rate"])) / 12
        exact = D(str(row["owed"])) * i / (1 - (1 + i) ** -row["payments_left"])
        assert row["not_rounded"] == pytest.approx(float(exact), rel=1e-12)
        assert D(str(row["payment"])) == cents(exact)
    page = str(loan.working())
    for words in ("owed * i / (1 - (1 + i) ** -n)", "644.785295", "644.79 - 301.00", "worth the 85,100.00 received"):
        assert words in " ".join(page.split())
    for terms, words in (
        ({"repaid": "interest only"}, "Payment = interest"),
        ({"repaid": "constant principal"}, "Principal of a payment"),
        ({"residual": 900}, "residual * (1 + i) ** -n"),
        ({"paid": "start"}, "which is now"),
    ):
        assert words in str(Loan(9_000, "4%", years=2, **terms).working())
    assert "The payment is given" in str(Loan(9_000, "4%", payment=400).working())

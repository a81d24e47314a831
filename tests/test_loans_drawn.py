"""Loans drawn at random: by days against a diary, and any combination of terms and events."""

from __future__ import annotations

import datetime as dt
import json
import random
from typing import Any

import pytest

from pennyweight import (
    InputError,
    Loan,
    NoAnswer,
    PaymentHoliday,
    Recurring,
)
from tests.clerk import cents, diary
from tests.sizes import cases
from tests.test_loans import D, rows_of


@pytest.mark.parametrize("seed", range(cases(15)))
def test_by_days_every_row_is_the_diary(seed: int) -> None:
    """Random loans with interest by actual days, anything happening on any day, against books kept night by night."""
    pick = random.Random(seed)
    start = dt.date(2024, 1, 31) + dt.timedelta(days=pick.randrange(40))
    count, basis = pick.randint(3, 60), pick.choice([360, 365])
    amount, rate = D(pick.randint(100_000, 90_000_000)) / 100, D(pick.choice([0, 1_200, 4_200, 6_000, 8_125])) / 100_000
    plain = Loan(str(amount), f"{rate * 100}%", months=count, start=start, interest=f"actual/{basis}")
    due = [dt.date.fromisoformat(str(day)) for day in plain.schedule.dates]
    events: dict[tuple[dt.date, str], D] = {}
    for _ in range(pick.randint(0, 7)):
        what = pick.choice(["rate", "extra", "paid", "balance"])
        day = (
            pick.choice(due[:-1])
            if what == "paid"
            else start + dt.timedelta(days=pick.randint(1, (due[-2] - start).days))
        )
        part = amount / count * D(pick.randint(0, 300)) / 100
        value = {
            "rate": D(pick.randint(0, 9_000)) / 100_000,
            "balance": cents(amount * D(pick.randint(10, 90)) / 100),
        }.get(what, cents(part))
        events[day, what] = value
    told = [(day, what, value) for (day, what), value in sorted(events.items(), key=lambda item: item[0][0])]
    written = [(day, what, f"{value * 100}%" if what == "rate" else str(value)) for day, what, value in told]
    loan = plain.but(events=written)
    assert rows_of(loan) == diary(amount, rate, basis, start, due, told)
    assert all(passed for passed, _ in loan.checks)


TRIED: dict[str, list[Any]] = {
    "per_year": [1, 2, 4, 12, 24, 26, 52, 3], "paid": ["start"], "repaid": ["constant principal", "interest only", "half every two weeks"],
    "interest_only": [1, "6 months"], "amortized_over": [20, 30], "residual": [100, 20_000], "first_payment": ["2024-03-15", "2024-02-10"],
    "interest": ["actual/365", "actual/360", "30/360"], "fee_up_front": ["1%", 50], "fee_added": ["1%", 50], "fee_each": [2],
    "rounding": ["half even", "payment up", None], "rate_moves": ["term"], "extra_moves": ["payment"], "holiday_moves": ["term"],
    "currency": ["JPY", "KWD", "EUR"], "payment": [700, 5_000],
}  # fmt: skip


def drawn_loan(pick: random.Random) -> Loan:
    """A loan with terms and events drawn at random, which may not go together."""
    terms: dict[str, Any] = {"amount": pick.choice([1_000, 86_000, "250k"]), "rate": pick.choice(["0%", "4.2%", "6% half-yearly", "5% effective", "12%"]),
                             "years": pick.choice([1, 2, 5, 15, "18 months"]), "start": "2024-01-31"}  # fmt: skip
    terms |= {name: pick.choice(values) for name, values in TRIED.items() if pick.random() < 0.15}
    if "payment" in terms:
        del terms[pick.choice(["amount", "rate", "years"])]
    base = Loan(**terms)
    due = [str(day) for day in base.schedule.dates]
    events: list[Any] = [
        (
            due[k],
            what,
            pick.choice(
                {
                    "rate": ["3%", "7%", "0%"],
                    "extra": [10, 1_000],
                    "paid": [0, 50, 100_000],
                    "balance": [500, 40_000],
                }[what]
            ),
        )
        for k in sorted(pick.randrange(len(due)) for _ in range(pick.randint(0, 5)))
        for what in [pick.choice(["rate", "extra", "paid", "balance"])]
    ]
    extras = [
        Recurring(pick.choice([10, 200]), "2024-06-15", per_year=pick.choice(["month", "year"]), rising="2%")
    ] * pick.randint(0, 1)
    holidays = (
        [PaymentHoliday(due[2], 2, interest=pick.choice(["added", "paid"]))]
        if len(due) > 8 and pick.random() < 0.3
        else []
    )
    loan = base.but(events=events, extras=extras, holidays=holidays)
    _ = loan.schedule
    return loan


@pytest.mark.parametrize("seed", range(cases(75)))
def test_any_combination_adds_up_or_is_refused(seed: int) -> None:
    """Terms and events drawn at random: every check of the schedule passes, the facts add up, or one sentence says why not."""
    pick = random.Random(seed)
    for _ in range(20):  # every case tests a loan: what is refused is drawn again
        try:
            loan = drawn_loan(pick)
            data = loan.as_dict()
        except (InputError, NoAnswer) as refused:
            assert "\n" not in str(refused)
        else:
            break
    else:
        raise AssertionError("twenty draws were refused")
    assert all(check["passed"] for check in data["checks"]), data["checks"]
    for told in data["facts"].values():
        assert told["interest_to_date"] + told["interest_to_come"] == pytest.approx(told["total_interest"])
    json.dumps(data, allow_nan=False)
    assert str(loan)

"""Loans taken over in the middle: what is left, what they were, what does not fit."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import pytest

from pennyweight import (
    InputError,
    Loan,
    NoAnswer,
    Takeover,
    read_loan_file,
)

LOAN = Loan(86_000, "4.2%", years=15)


def test_a_takeover_finds_the_loan_it_was() -> None:
    """Balance, rate, payment and the original term of a known loan after 40 payments give that loan back."""
    whole = Loan(86_000, "4.2%", years=15, start="2024-01-31")
    told = Takeover(
        on="2027-05-31", balance=whole.agreed.balance_after(40), rate="4.2%", payment=644.79, original_years=15
    )
    assert told.original is not None
    assert told.original.amount == 86_000
    assert told.original.agreed.rows == whole.agreed.rows
    assert told.original.agreed.paid_off_on == whole.agreed.paid_off_on == told.remaining.agreed.paid_off_on
    assert told.remaining.agreed.rows == whole.agreed.rows[40:]
    assert told.contradictions == ()
    for facts in ({"original_amount": 86_000}, {"first_payment": "2024-02-29"}):
        again = Takeover(on="2027-05-31", balance=whole.agreed.balance_after(40), rate="4.2%", payment=644.79, **facts)
        assert again.made == 40
        assert again.original is not None
        assert again.original.amount == 86_000


def test_a_takeover_from_the_loan_as_it_was_made() -> None:
    """Amount, rate, term and first payment give balance and payment by the schedule; a stated balance is held against it."""
    facts: dict[str, Any] = {
        "on": "2027-05-31",
        "rate": "4.2%",
        "original_amount": 86_000,
        "original_years": 15,
        "first_payment": "2024-02-29",
    }
    whole = Loan(86_000, "4.2%", years=15, start="2024-01-31")
    told = Takeover(**facts)
    assert (told.balance, told.payment) == (whole.agreed.balance_after(40), 644.79)
    assert told.remaining.agreed.rows == whole.agreed.rows[40:]
    assert told.contradictions == ()
    behind = Takeover(**facts, balance=72_000)
    assert f"{72_000 - whole.agreed.balance_after(40):,.2f} more; the difference may be arrears" in " ".join(
        behind.contradictions
    )
    with pytest.raises(InputError, match="was paid off before 2045"):
        Takeover(**{**facts, "on": "2045-05-31"})


@pytest.mark.parametrize("missing", ["balance", "rate", "payment", "payments_left"])
def test_three_facts_give_the_fourth(missing: str) -> None:
    facts: dict[str, Any] = {
        "balance": LOAN.agreed.balance_after(40),
        "rate": "4.2%",
        "payment": 644.79,
        "payments_left": 140,
    }
    told = Takeover(on="2027-05-31", **{name: value for name, value in facts.items() if name != missing}).remaining
    assert told.amount == pytest.approx(facts["balance"], abs=1)
    assert told.terms.rate.value == pytest.approx(0.042, abs=5e-6)
    assert told.payment == pytest.approx(644.79, abs=0.011)
    assert len(told.agreed.rows) == 140


def test_missed_payments_are_brought_up_with_their_interest() -> None:
    """After two missed payments the balance is above the schedule's by their worth; paid, the schedule holds again."""
    missed = Loan(320_000, "3.9%", years=25, events=[(117, "paid", 0), (118, "paid", 0)])
    told = Takeover(
        on="2027-03-31",
        balance=missed.schedule.balance_after(118),
        rate="3.9%",
        payment=1_671.46,
        missed_payments=2,
        original_years=25,
    )
    assert told.overdue == pytest.approx(1_671.46 * (2 + 0.039 / 12), abs=0.01)
    assert told.remaining.amount == pytest.approx(missed.agreed.balance_after(118), abs=0.02)
    assert told.original is not None
    assert told.original.amount == 320_000


def test_facts_that_do_not_fit_are_named_with_their_size() -> None:
    told = Takeover(
        on="2027-05-31", balance=71_266.88, rate="4.2%", payment=644.79, payments_left=130, original_amount=90_000
    )
    sentences = " ".join(told.contradictions)
    fitting = Loan(71_266.88, "4.2%", months=130).payment
    assert (
        f"in 140 payments, not 130. To end with payment 130 it would be {fitting:,.2f}, {fitting - 644.79:,.2f} more"
        in sentences
    )
    assert "Does not fit" in str(told)


@pytest.mark.parametrize(
    ("facts", "sentence"),
    [
        ({"balance": 5, "rate": "4%"}, "needs three of balance, rate, payment"),
        ({"balance": 5, "rate": "4%", "payments_left": 3, "years_left": 1}, "Give one of maturity"),
        ({"balance": 5, "rate": "4%", "maturity": "2027-06-15"}, "is not a due day"),
        ({"balance": 5, "rate": "4%", "payments_left": 0}, "a whole number from 1 to 60,000"),
        ({"balance": 5000, "rate": "4%", "payment": 100, "missed_payments": 1, "arrears": 9}, "missed_payments or arrears"),
        ({"balance": 5000, "rate": "4%", "payment": 100, "arrears": 6000}, "must be less than the balance"),
        ({"balance": 5000, "rate": "4%", "payment": 100, "original_amount": 4000}, "less than the 5,000.00 that is still owed"),
        ({"balance": 5000, "rate": "4%", "payment": 10}, "never covers the first interest"),
        ({"balance": 5000, "rate": "4%", "payment": 100, "first_payment": "2028-01-01"}, "not before the next payment"),
        ({"balance": 5000, "rate": "4%", "payment": 100, "original_years": 1}, "55 are still to come"),
    ],
)  # fmt: skip
def test_takeovers_refused(facts: dict[str, Any], sentence: str) -> None:
    with pytest.raises((InputError, NoAnswer)) as caught:
        Takeover(on="2027-03-31", **facts).as_dict()
    assert sentence in str(caught.value)


def test_a_place_stands_apart_from_the_sentence(tmp_path: Path) -> None:
    """A sentence that does not begin with the name of the key is set off from its place."""
    path = tmp_path / "taken.toml"
    path.write_text(
        'loan = "T"\n[takeover]\non = 2027-03-31\nbalance = 5_000\nrate = "4%"\npayment = 100\narrears = 6_000\n'
    )
    with pytest.raises(InputError) as caught:
        read_loan_file(path)
    assert str(caught.value).startswith("taken.toml, line 7, [takeover] arrears: The arrears of 6,000.00 must be less")

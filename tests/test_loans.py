"""Loan schedules against decimals rounded half up, row by row."""

from __future__ import annotations

import json
from decimal import ROUND_HALF_UP, Decimal, localcontext

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from pennyweight import InputError, Loan, NoAnswer, PennyweightError, repay
from pennyweight.cli.main import status


def books(
    amount: Decimal, rate: Decimal, per_year: int, count: int, payment: Decimal | None = None
) -> list[tuple[Decimal, ...]]:
    """The schedule a clerk would write, in decimals: (payment, interest, principal, balance)."""
    with localcontext() as context:
        context.prec = 60
        cent = Decimal("0.01")
        if payment is None:
            i = rate / per_year
            exact = amount / count if rate == 0 else amount * i / (1 - (1 + i) ** -count)
            payment = exact.quantize(cent, rounding=ROUND_HALF_UP)
        balance = amount
        rows: list[tuple[Decimal, ...]] = []
        for number in range(1, count + 1):
            interest = (balance * rate / per_year).quantize(cent, rounding=ROUND_HALF_UP)
            paid = balance + interest if number == count or payment >= balance + interest else payment
            balance += interest - paid
            rows.append((paid, interest, paid - interest, balance))
            if not balance:
                break
        return rows


@given(
    cents=st.integers(10_000, 10**10), rate=st.integers(0, 25_000), years=st.integers(1, 40), per_year=st.sampled_from([1, 2, 4, 12, 26, 52]),
)  # fmt: skip
@settings(max_examples=120, deadline=None)
def test_every_cent_is_the_clerks(cents: int, rate: int, years: int, per_year: int) -> None:
    """Rates to a thousandth of a percent, so that many interests are exact halves of a cent."""
    amount, percent = Decimal(cents) / 100, Decimal(rate) / 1000
    loan = Loan(str(amount), f"{percent}%", years=years, per_year=per_year)
    expected = books(amount, percent / 100, per_year, years * per_year)
    assert [tuple(Decimal(value) / 100 for value in row) for row in loan.rows] == expected
    assert all(passed for passed, _ in loan.checks)


def test_a_given_payment_sets_the_term() -> None:
    loan = Loan(10_000, "5%", payment=450)
    expected = books(Decimal(10_000), Decimal("0.05"), 12, 999, Decimal(450))
    assert [row.payment for row in loan.rows] == [int(row[0] * 100) for row in expected]
    assert loan.last_payment < 450
    assert repay(owed=10_000, rate="5%", payment=450).whole_payments == len(loan.rows) - 1


def test_currencies_without_cents_and_with_mills() -> None:
    yen = Loan("3,000,000", "1.5%", years=2, currency="JPY")
    assert float(yen.payment).is_integer()
    dinar = Loan(1000, "4.1%", years=1, currency="KWD")
    assert round(dinar.payment, 3) == dinar.payment
    assert dinar.payment != round(dinar.payment, 2)
    with pytest.raises(InputError, match="have 0 decimals at most"):
        Loan(10.5, "1%", years=1, currency="JPY")


def test_dates_and_the_yearly_percentage_rate() -> None:
    loan = Loan("86k", "4.2%", years=15, first_payment="2027-01-31", currency="EUR")
    assert loan.frame.index[1].strftime("%Y-%m-%d") == "2027-02-28"
    assert loan.frame.index[2].strftime("%Y-%m-%d") == "2027-03-31"
    assert loan.apr == pytest.approx(0.042, abs=1e-6)
    data = loan.as_dict()
    assert data["paid_off_on"] == "2041-12-31"
    assert data["payment"] == 644.79
    assert data["total_paid"] == pytest.approx(sum(row["payment"] for row in data["schedule"]))
    assert "156 payments left out" in str(loan)


@pytest.mark.parametrize(
    ("make", "error", "sentence"),
    [
        (lambda: Loan(250_000, "5.04%", payment=900), NoAnswer, "The payment of 900.00 never covers the first interest of 1,050.00"),
        (lambda: Loan(250_000, "5%", payment=1_041.67), NoAnswer, "is still not paid off; pay more"),
        (lambda: Loan(0, "5%", years=1), InputError, "a loan is above zero"),
        (lambda: Loan(1000, "5%", years=0), InputError, "a term is above zero"),
        (lambda: Loan(1000, "5%", years=1.01), InputError, "makes whole payments"),
        (lambda: Loan(1000, "5%"), InputError, "either the years or the payment"),
        (lambda: Loan(1000, "5", years=1), InputError, "5 is 500% a year"),
        (lambda: Loan(1000, "-5%", years=1), InputError, "a loan's is 0 or more"),
        (lambda: Loan(1000, "5% quarterly", years=1), InputError, "must compound 12 times a year"),
        (lambda: Loan(1000.005, "5%", years=1), InputError, "2 decimals at most"),
        (lambda: Loan(1000, "5%", years=1, first_payment="2027-02-30"), InputError, "does not exist"),
        (lambda: Loan(1000, "5%", years=1, per_year=52, first_payment="2027-02-20"), InputError, "1, 2, 4 or 12 payments"),
    ],
)  # fmt: skip
def test_loans_refused(make: object, error: type[PennyweightError], sentence: str) -> None:
    with pytest.raises(error) as caught:
        make().as_dict()
    assert sentence in str(caught.value)


def test_repay_names_the_loan_that_is_to_the_cent(capsys: pytest.CaptureFixture[str]) -> None:
    """The command it ends with runs, and its payment is the rounded one."""
    plan = repay(owed=86_000, rate="4.2%", years=15, currency="EUR")
    told = str(plan).split("pennyweight loan ")[1].split("\n")[0].strip().rstrip(".")
    assert status(["loan", *told.split(), "--format", "json"]) == 0
    data = json.loads(capsys.readouterr().out)
    assert data["payment"] == round(plan.answer, 2)
    assert data.keys() >= {
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
    assert list(data["schedule"][0]) == ["number", "date", "payment", "interest", "principal", "balance"]

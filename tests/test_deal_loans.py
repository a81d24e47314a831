"""Loans inside deals against a plain loop over months, against `Loan`, and in a circle with lines."""

from __future__ import annotations

import random
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from pennyweight import Deal, InputError, Loan, NoAnswer
from pennyweight.deals.compiler.compile import compile_deal
from pennyweight.deals.evaluation import evaluate
from pennyweight.deals.parts import PARTS
from tests.builders import TAXI, deal, measure
from tests.plain_deal import PlainDeal
from tests.sizes import cases

BANK = {"amount": 100_000, "rate": "6%", "years": 4}


def lines_of(loan: dict[str, Any], **sections: Any) -> dict[str, np.ndarray[Any, Any]]:
    return dict(deal(loans={"bank": loan}, **sections).weigh().values)


def plain(
    amount: float,
    rate: float,
    count: int,
    *,
    spread: int = 0,
    residual: float = 0,
    only: int = 0,
    extra: float = 0,
    every: int = 12,
) -> list[tuple[float, float, float, float]]:
    """Month by month in floats, summed by `every`: (payment, interest, extra, balance)."""
    i, owed, rows, sums = rate / 12, amount, [], [0.0, 0.0, 0.0]
    level = 0.0
    for month in range(1, 73):
        if month == only + 1:
            n = (spread or count) - only
            level = (
                (owed - residual * (1 + i) ** -(count - only)) * i / (1 - (1 + i) ** -n) if i else (owed - residual) / n
            )
        interest = owed * i
        paid = interest if month <= only else min(level, owed + interest)
        if month == count:
            paid = owed + interest
        owed = max(owed + interest - paid, 0.0)
        sums[0] += paid
        sums[1] += interest
        if month % every == 0:
            more = min(extra, owed)
            owed -= more
            rows.append((sums[0], sums[1], more, owed))
            sums = [0.0, 0.0, 0.0]
    return rows


@pytest.mark.parametrize(
    ("terms", "how"),
    [
        ({}, {}),
        ({"rate": "0%"}, {"rate": 0.0}),
        ({"interest_only": 1}, {"only": 12}),
        ({"amortized_over": 10}, {"spread": 120}),
        ({"residual": 30_000}, {"residual": 30_000}),
        ({"extra": "8_000"}, {"extra": 8_000}),
        ({"years": None, "months": 30}, {"count": 30}),
    ],
)  # fmt: skip
@pytest.mark.parametrize("period", ["year", "quarter", "month"])
def test_monthly_loans_in_coarser_periods(terms: dict[str, Any], how: dict[str, Any], period: str) -> None:
    """Payments are summed; the balance is the one at the period's end."""
    per_year = {"year": 1, "quarter": 4, "month": 12}[period]
    loan = {name: value for name, value in {**BANK, **terms}.items() if value is not None}
    values = lines_of(loan, period=period, periods=6 * per_year)
    expected = plain(**{"amount": 100_000, "rate": 0.06, "count": 48, **how}, every=12 // per_year)
    for name, column in (("payment", 0), ("interest", 1), ("extra", 2), ("balance", 3)):
        assert values[f"bank.{name}"][1:] == pytest.approx([row[column] for row in expected], abs=1e-6)
    assert values["bank.drawn"].tolist() == [100_000] + [0] * 6 * per_year
    assert values["net"] == pytest.approx(values["bank.drawn"] - values["bank.payment"] - values["bank.extra"])
    assert values["bank.principal"] == pytest.approx(values["bank.payment"] - values["bank.interest"])


def test_to_the_cent_it_is_the_lenders_schedule() -> None:
    for more in ({}, {"interest_only": 1}, {"repaid": "constant principal"}, {"repaid": "interest only"}):
        values = lines_of(
            {**BANK, **more, "amount": 86_000, "rate": "4.2%", "to_the_cent": True}, period="month", periods=48
        )
        rows = Loan(86_000, "4.2%", years=4, **more).schedule.plain_rows()  # type: ignore[arg-type]
        assert values["bank.balance"][1:] == pytest.approx([row["balance"] for row in rows], abs=1e-9)
        assert values["bank.payment"][1:] == pytest.approx([row["payment"] for row in rows], abs=1e-9)


def test_rate_steps_and_a_given_payment() -> None:
    stepped = lines_of({**BANK, "rate_steps": {"year 3": "8%"}}, period="month", periods=72)
    rows = Loan(100_000, "6%", years=4, rounding=None, events=[(25, "rate", "8%")]).schedule.plain_rows()
    assert stepped["bank.payment"][1:49] == pytest.approx([row["payment"] for row in rows])
    given = lines_of({"amount": 100_000, "rate": "6%", "payment": 2_500}, period="month", periods=72)
    rows = Loan(100_000, "6%", payment=2_500, rounding=None).schedule.plain_rows()
    assert given["bank.payment"][1 : len(rows) + 1] == pytest.approx([row["payment"] for row in rows])
    words = lines_of({**BANK, "rate": "6% effective"}, period="year", periods=6)
    assert words["bank.interest"][1] < lines_of(BANK, period="year", periods=6)["bank.interest"][1]


def test_paid_out_later_and_never_and_yearly_in_months() -> None:
    values = lines_of({**BANK, "paid_out": 2}, periods=8)
    assert values["bank.drawn"].tolist() == [0, 0, 100_000, 0, 0, 0, 0, 0, 0]
    assert values["bank.payment"][3:7] == pytest.approx(lines_of(BANK, periods=6)["bank.payment"][1:5])
    assert not lines_of({**BANK, "paid_out": "never"}, periods=4)["bank.balance"].any()
    yearly = lines_of({**BANK, "per_year": 1}, period="month", periods=60)
    assert np.flatnonzero(yearly["bank.payment"]).tolist() == [12, 24, 36, 48]


def test_an_amount_in_period_of_pay_out_and_no_amount_at_all() -> None:
    values = lines_of(
        {**BANK, "amount": "0.5 * cost", "paid_out": 1},
        money_out={"cost": {"formula": "10_000 * t", "from": 1}},
        periods=8,
    )
    assert values["bank.drawn"][1] == 5_000
    assert not lines_of({**BANK, "amount": 0})["bank.flow"].any()


def test_a_loan_in_a_circle_with_savings() -> None:
    """Savings decide the amount, the service eats the savings, and what is spare goes onto the loan: by a plain loop."""
    sections: dict[str, Any] = {
        "lines": {"left": "30_000 - bank.payment - bank.extra", "spare": "0.5 * prior(savings)"},
        "levels": {"savings": {"formula": "prior(savings) + left - 5_000 * t", "start": 20_000}},
        "loans": {
            "bank": {
                "amount": "60_000 - 2 * prior(savings)",
                "rate": "5%",
                "years": 3,
                "paid_out": 1,
                "per_year": 1,
                "extra": "0.1 * spare",
            }
        },
    }
    values = deal(periods=5, **sections).weigh().values
    savings, owed, level = 20_000.0, 0.0, 0.0
    for t in range(1, 6):
        interest = owed * 0.05
        paid = min(level, owed + interest) if t < 4 else owed + interest
        before = owed + interest - paid
        more = min(0.1 * 0.5 * savings, before)
        owed = before - more
        if t == 1:
            owed = 60_000 - 2 * savings
            level = owed * 0.05 / (1 - 1.05**-3)
        assert values["bank.payment"][t] == pytest.approx(paid)
        assert values["bank.extra"][t] == pytest.approx(more)
        assert values["bank.balance"][t] == pytest.approx(owed)
        savings += 30_000 - paid - more - 5_000 * t
        assert values["savings"][t] == pytest.approx(savings)
    with pytest.raises(InputError, match="needs itself within one period"):
        deal(
            loans={"bank": {**BANK, "amount": "2 * service"}}, lines={"service": {"formula": "bank.balance", "from": 0}}
        ).weigh()


def test_all_cases_at_once_are_each_case_alone() -> None:
    """Amounts, rates, terms and the period of pay-out vary together; undefined cases stay apart."""
    made = deal(
        periods=9, inputs={"lent": 50_000, "when": {"value": 1, "unit": "period"}},
        loans={"bank": {"amount": "lent", "rate": "4%", "years": 4, "interest_only": 1, "paid_out": "when"}},
        measures={"paid": "total(bank.payment)", "owed": "at(bank.balance, 4)"},
    )  # fmt: skip
    program = compile_deal(made.definition)
    rng = np.random.default_rng(3)
    many = cases(30)
    inputs = {
        "lent": rng.choice([0.0, -5.0, 40_000.0, 90_000.0], many), "when": rng.integers(0, 4, many).astype(float),
        "bank.rate": rng.choice([0.0, 0.03, 0.08], many), "bank.years": rng.choice([2.0, 3.5, 5.0, 4.01], many),
        "bank.interest_only": rng.choice([0.0, 1.0], many),
    }  # fmt: skip
    together = evaluate(program, inputs, ["paid", "owed", "net"])
    for k in range(many):
        alone = evaluate(program, {name: value[k : k + 1] for name, value in inputs.items()}, ["paid", "owed", "net"])
        for name in ("paid", "owed"):
            assert together[name][k] == pytest.approx(alone[name][0], nan_ok=True, rel=1e-12)
        broken = inputs["lent"][k] < 0 or inputs["bank.years"][k] == 4.01
        assert np.isnan(together["paid"][k]) == broken


def test_terms_written_as_numbers_are_varied_by_name(tmp_path: Path) -> None:
    path = tmp_path / "deal.toml"
    text = (
        'deal = "D"\n[timeline]\nperiods = 5\n[loans.bank]\namount = "50_000"\nrate = "4%"\nyears = 4\n[money_in]\nrent = 18_000\n'
        '[money_out]\ncost = { formula = "70_000", at = 0 }\n[measures]\nnpv = "npv(net, 5%)"\n[goals]\nnpv = { at_least = 0 }\n'
        '[scenarios.dear]\nbank.rate = "7%"\n'
    )
    path.write_text(text)
    made = Deal.read(path)
    rate = made.find("bank.rate", "npv == 0").answers["base"].answers[0].value
    assert abs(made.weigh(inputs={"bank.rate": rate}).measures["npv"].value or 1) < 1e-6
    assert made.weigh("dear").inputs["bank.rate"] == 0.07
    rows = made.vary({"bank.years": "1..4:1"}, show=["npv"]).frame
    assert len(rows) == 4
    assert made.turning_points() == []  # plain numbers among terms are no assumptions
    assert "4% in bank.rate" in made.weigh().as_dict()["not_varied"]
    path.write_text(text.replace('rate = "4%"', 'rate = { value = "4%", low = "3%", high = "9%" }', 1))
    (point,) = Deal.read(path).turning_points()
    assert (point.input, point.turns_at) == ("bank.rate", pytest.approx(rate, rel=1e-9))
    assert "bank: payment" in str(made.weigh().document(by="year"))


def test_an_input_that_is_a_term_has_its_unit_and_numbers_inside_are_told() -> None:
    made = deal(
        inputs={"asked": "5%", "span": 4}, loans={"bank": {"amount": "0.5 * 80_000", "rate": "asked", "years": "span"}}
    )
    assert (made.definition.unit("asked"), made.definition.unit("span")) == ("rate", "years")
    assert {"0.5 in bank.amount", "80_000 in bank.amount"} <= set(made.weigh().as_dict()["not_varied"])
    with pytest.raises(InputError, match="5 is 500% a year"):
        deal(inputs={"asked": 5}, loans={"bank": {**BANK, "rate": "asked"}})


def test_the_taxi_with_a_bank_loan() -> None:
    taxi = Deal.read(TAXI)
    base, lent = taxi.weigh(), taxi.weigh("bank_loan")
    loan = Loan(210_000, "4.6%", years=8, rounding=None)
    flows = lent.values["net"] - base.values["net"]
    assert flows[0] == pytest.approx(210_000)
    assert -flows[1:9] == pytest.approx([12 * loan.payment] * 8)
    assert base.measures["cover"].reason == "there is no loan to cover ('operating / bank.payment' divides by zero)"
    assert all(passed for passed, _ in lent.checks)


@pytest.mark.parametrize(
    ("terms", "error", "sentence"),
    [
        ({"years": None}, InputError, "[loans] bank has no end; give one of 'years', 'months' and 'payment'"),
        ({"payment": 5_000}, InputError, "gives years and payment; give one"),
        ({"amount": -5}, InputError, "bank amount is -5; it is zero or more"),
        ({"amount": "0 - 5"}, InputError, "its amount is -5.00, but it must be 0 or more"),
        ({"rate": 6}, InputError, "6 is 600% a year; write 6%"),
        ({"years": 0}, InputError, "years is 0; it is above zero"),
        ({"years": 1.03}, InputError, "its term makes 12.36 payments"),
        ({"years": None, "payment": 400}, NoAnswer, "the payment of 400.00 never covers the first interest of 500.00"),
        ({"residual": 200_000}, InputError, "its residual must be less than its amount"),
        ({"amortized_over": 2}, InputError, "it is amortized over less time than its term"),
        ({"amortized_over": 9, "residual": 5}, InputError, "not both; each of them fixes the balloon"),
        ({"interest_only": 4}, InputError, "interest-only time"),
        ({"repaid": "levl payment"}, InputError, "repaid is 'levl payment'; did you mean 'level payment'"),
        ({"paid_out": 9}, InputError, "the timeline runs from 0 to 6"),
        ({"paid_out": "12 * 0.7 - 3"}, InputError, "which is not a whole one"),
        ({"amount": "lent * 2"}, InputError, "nothing is named 'lent'"),
        ({"amuont": 5}, InputError, "there is no key 'amuont'; did you mean 'amount'?"),
        ({"extra": "100 - 300 * t"}, InputError, "its extra payment in period 1 is -200.00; it must be 0 or more"),
        ({"per_year": 365}, InputError, "it must be from 1 to 52"),
    ],
)  # fmt: skip
def test_loans_in_deals_refused(terms: dict[str, Any], error: type[Exception], sentence: str) -> None:
    loan = {name: value for name, value in {**BANK, **terms}.items() if value is not None}
    with pytest.raises(error) as caught:
        deal(loans={"bank": loan}).weigh()
    assert sentence in str(caught.value)


@pytest.mark.parametrize(
    ("formula", "sentence"),
    [
        ("total(bank.balance)", "is a level, what stands at the end of a period"),
        ("total(bank.paymnt)", "bank has no part 'bank.paymnt'; did you mean 'bank.payment'?"),
        ("total(shop.payment)", "asks for a part of shop, but only loans and splits have parts"),
        ("bank.payment", "must be a single number, but this has a value for each period"),
    ],
)  # fmt: skip
def test_parts_of_loans_in_formulas(formula: str, sentence: str) -> None:
    with pytest.raises(InputError) as caught:
        measure(formula, loans={"bank": BANK})
    assert sentence in str(caught.value)


@pytest.mark.parametrize("seed", range(cases(30)))
def test_random_deals_with_loans_agree_with_the_plain_language(seed: int) -> None:
    """Loans that read lines, lines that read loans, circles through prior: every line in every period."""
    pick = random.Random(seed)
    period = pick.choice(["year", "quarter", "month"])
    per_year = {"year": 1, "quarter": 4, "month": 12}[period]
    periods = pick.randint(2, 5) * per_year
    amounts = ["40_000", "20_000 + 2 * at_hand", "max(0.5 * prior(pot), 0)", "bought + 1_000", "0"]
    extras = ["0", "500", "max(0.1 * prior(pot), 0)", "0.2 * earned", "0.05 * prior(bank.balance)"]
    loans = {
        name: {
            "amount": pick.choice(amounts), "rate": pick.choice([0.01, 0.05, 0.12]), "years": pick.randint(1, 4),
            "paid_out": pick.randint(0, periods // 2), "extra": pick.choice(extras),
        }
        for name in ("bank", "agency")
    }  # fmt: skip
    sections: dict[str, Any] = {
        "inputs": {"at_hand": pick.randint(0, 9) * 1_000},
        "money_in": {"earned": f"{pick.randint(5, 30)}_00 * (1 + 0.01 * t)"},
        "money_out": {"bought": {"formula": "12_000", "at": pick.randint(0, periods)}, "rent": "300 + 0.01 * prior(pot)"},
        "lines": {
            "service": pick.choice(["bank.payment + agency.payment", "bank.interest", "2 * agency.flow", "net - bank.extra"]),
            "left": "earned - rent - bank.payment - bank.extra",
        },
        "levels": {
            "pot": {"formula": pick.choice(["prior(pot) + left", "prior(pot) + net", "prior(pot) * 1.01 + left - prior(bank.balance) * 0.01"]), "start": 5_000},
            "debt": "bank.balance + agency.balance",
        },
        "loans": loans,
    }  # fmt: skip
    values = deal(period=period, periods=periods, **sections).weigh().values
    paper = PlainDeal({"timeline": {"period": period, "periods": periods}, **sections})
    names = ["earned", "service", "left", "pot", "debt", "net", *(f"{loan}.{part}" for loan in loans for part in PARTS)]
    for name in names:
        assert values[name].tolist() == pytest.approx(paper.line(name), rel=1e-9, abs=1e-6), name

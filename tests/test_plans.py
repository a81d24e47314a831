"""Pots and debts against decimals stepped one period at a time, published examples, and each quantity found back."""

from __future__ import annotations

from decimal import Decimal, localcontext

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

import pennyweight
from pennyweight import (
    InputError,
    NoAnswer,
    PennyweightError,
    SeveralAnswers,
    annuity_factor,
    grow,
    level_payment,
    payments_needed,
    perpetuity_factor,
    present_value,
    rate_facts,
    rate_needed,
    real_rate,
    repay,
    simple_interest,
    withdraw,
    years_to_multiply,
)
from tests.sizes import cases

FIVE: dict[object, tuple[str, ...]] = {
    grow: ("opening", "deposit", "rate", "years", "closing"),
    repay: ("owed", "payment", "rate", "years", "still_owed"),
    withdraw: ("pot", "withdrawal", "rate", "years", "pot_left"),
}


def stepped(
    start: float, pay: float, i: float, count: int, *, sign: int, g: float = 0.0, paid: str = "end", wait: int = 0
) -> Decimal:
    """Period by period in fifty digits."""
    with localcontext() as context:
        context.prec = 50
        standing, each = Decimal(start), Decimal(pay) * sign
        factor, growth = 1 + Decimal(i), 1 + Decimal(g)
        standing *= factor**wait
        for _ in range(count):
            standing = (standing + each) * factor if paid == "start" else standing * factor + each
            each *= growth
        return standing


@pytest.mark.parametrize("paid", ["end", "start"])
@given(
    start=st.floats(0, 1e6), pay=st.floats(0, 1e4), rate=st.floats(-0.2, 0.4), years=st.integers(1, 40),
    growth=st.floats(-0.1, 0.2), wait=st.integers(0, 10), per_year=st.sampled_from([1, 4, 12]),
)  # fmt: skip
@settings(max_examples=cases(30))
def test_closing_is_what_stepping_gives(
    paid: str, start: float, pay: float, rate: float, years: int, growth: float, wait: int, per_year: int
) -> None:
    plan = grow(opening=start, deposit=pay, rate=f"{rate * 100!r}% effective", years=years, growth=f"{growth * 100!r}%",
                deferred=wait, per_year=per_year, paid=paid)  # fmt: skip
    t = plan.terms
    expected = stepped(start, pay, t.known_i, years * per_year, sign=1, g=t.g, paid=paid, wait=wait * per_year)
    assert plan.answer == pytest.approx(float(expected), rel=1e-10, abs=1e-9)
    if growth == 0 or per_year == 1:
        assert t.known_i == pytest.approx((1 + rate) ** (1 / per_year) - 1, abs=1e-14)


@pytest.mark.parametrize("solve", FIVE)
@pytest.mark.parametrize("paid", ["end", "start"])
@pytest.mark.parametrize("growth", ["0%", "1.5%"])
def test_each_of_the_five_is_found_back(solve: object, paid: str, growth: str) -> None:
    """From a consistent set each quantity is the answer when it alone is left out."""
    names = FIVE[solve]
    amounts = (20_000.0, 900.0) if solve is grow else (250_000.0, 5_000.0)
    first = solve(**{names[0]: amounts[0], names[1]: amounts[1], names[2]: "4% effective", names[3]: 12}, find=names[4],
                  per_year=4, paid=paid, growth=growth)  # fmt: skip
    full = dict(first.quantities)
    full["rate"] = "4% effective"
    for name in names:
        others = {key: value for key, value in full.items() if key != name}
        again = solve(**others, find=name, per_year=4, paid=paid, growth=growth)
        if name == "rate":
            assert again.effective == pytest.approx(0.04, abs=1e-10)
        else:
            assert again.answer == pytest.approx(first.quantities[name], rel=1e-8)


def test_published_examples() -> None:
    """Kellison, "The Theory of Interest", 3rd ed.: a_10 at 5 % is 7.7217 (app. I); 1,000 at 8 % quarterly doubles (1.8)."""
    assert withdraw(withdrawal=1, rate="5%", years=10, find="pot").answer == pytest.approx(7.7217, abs=5e-5)
    assert grow(opening=1, deposit=0, rate="8% quarterly", years=1).answer == pytest.approx(1.08243216)
    assert repay(owed=100_000, rate="6%", years=30).answer == pytest.approx(599.5505, abs=5e-5)
    assert withdraw(withdrawal=100, rate="5%", years="forever", growth="2%", find="pot").answer == pytest.approx(
        100 / 0.03
    )
    assert withdraw(pot=2000, rate="5%", years="forever", paid="start").answer == pytest.approx(2000 * 0.05 / 1.05)
    assert withdraw(pot=2000, withdrawal=100, years="forever", find="rate").answer == pytest.approx(0.05)


def test_a_half_yearly_quote_paid_monthly() -> None:
    """6 % compounded half-yearly is 1.03 ** (1/6) - 1 a month, 0.4938622 %."""
    plan = repay(owed=100_000, rate="6%", years=25, compounding="half-yearly")
    assert plan.terms.known_i == pytest.approx(1.03 ** (1 / 6) - 1, rel=1e-12)
    facts = rate_facts("6%", compounding=2, per_year="month")
    assert facts.effective == pytest.approx(0.0609)
    assert facts.as_dict()["per_period"] == pytest.approx(0.004938622, abs=1e-9)
    assert "6.00% a year, half-yearly (6.09% effective)" in str(plan)


def test_a_term_that_is_not_whole_has_a_last_smaller_payment() -> None:
    """After the full payments and the last one nothing is owed, in decimals."""
    plan = repay(owed="250k", payment=1_500, rate="4.2%")
    assert plan.find == "years"
    assert plan.whole_payments == 250
    left = stepped(250_000, 1_500, 0.042 / 12, 250, sign=-1)
    assert plan.last_payment == pytest.approx(float(left * (1 + Decimal(0.042 / 12))), rel=1e-9)
    assert plan.frame["closing"].iloc[-1] == pytest.approx(0.0, abs=1e-6)
    assert len(plan.frame) == 251
    exact = repay(owed=1_000, payment=100, rate="0%")
    assert (exact.whole_payments, exact.last_payment) == (10, None)
    early = grow(opening=100, deposit=0, rate="7%", closing=200)
    assert "reached in year 11" in str(early)


@pytest.mark.parametrize(
    ("ask", "error", "sentence"),
    [
        (lambda: repay(owed=250_000, rate="5.04%", payment=900), NoAnswer, "The payment of 900.00 never covers the first month's interest of 1,050.00"),
        (lambda: withdraw(pot=1e6, withdrawal=100, rate="4%", find="years"), NoAnswer, "lasts forever"),
        (lambda: withdraw(withdrawal=5, rate="2%", years="forever", growth="2%", find="pot"), NoAnswer, "the rate must be the larger"),
        (lambda: grow(opening=5000, closing=1000, rate="5%", years=3, find="deposit"), NoAnswer, "deposit would have to be -1,518.83"),
        (lambda: repay(owed=1000, payment=500, rate="5%", years=3, find="still_owed"), NoAnswer, "is paid off before the term ends"),
        (lambda: grow(opening=0, deposit=0, rate="5%", closing=9, find="years"), NoAnswer, "never comes to 9.00"),
        (lambda: grow(opening=10, deposit=1, years=3, closing=0, find="rate"), NoAnswer, "all on one side"),
        (lambda: repay(owed=1000, rate=5, years=3), InputError, "5 is 500% a year"),
        (lambda: repay(owed=-1000, rate="5%", years=3), InputError, "write amounts as positive numbers"),
        (lambda: repay(owed=1000, rate="5%", years=0), InputError, "a term must be above zero"),
        (lambda: repay(owed=1000, rate="5%"), InputError, "'years' is missing"),
        (lambda: repay(owed=1000, rate="5%", years=3, payment=5, still_owed=0), InputError, "leave out the one to find"),
        (lambda: repay(owed=1000, rate="5%", years=3, find="payments"), InputError, "did you mean 'payment'"),
        (lambda: repay(owed=1, rate="5%", years=3, find="owed"), InputError, "is given too"),
        (lambda: repay(owed=1000, rate="5%", years=3, paid="middle"), InputError, "paid is 'middle'; it must be 'end' or 'start'"),
        (lambda: repay(owed=1000, rate="5%", years=3, per_year="mounth"), InputError, "did you mean 'month'"),
        (lambda: repay(owed=1000, rate="5%", years=3, per_year=0), InputError, "from 1 to 365"),
        (lambda: repay(owed=1000, rate="5% monthly", years=3, compounding=4), InputError, "says how it compounds"),
        (lambda: repay(owed=1000, rate="5%", years=9e9), InputError, "the most is 100,000"),
        (lambda: grow(opening=1, rate="5%", years="forever"), InputError, "needs a term"),
        (lambda: grow(opening=1, rate="5%", years=3, deferred=-1), InputError, "from 0 on"),
        (lambda: repay(owed=1000, payment=100, years=1.01, find="rate"), InputError, "must make whole payments"),
        (lambda: repay(owed=1000, rate="5%", years=3).working(places=40), InputError, "from 0 to 12"),
        (lambda: rate_facts("5%", times=0), InputError, "a multiple above zero"),
        (lambda: years_to_multiply("-2%", 2), NoAnswer, "never comes to 2 times"),
        (lambda: simple_interest(10, "5%", -1), InputError, "a span is 0 or more"),
    ],
)  # fmt: skip
def test_what_cannot_be_says_so(ask: object, error: type[PennyweightError], sentence: str) -> None:
    with pytest.raises(error) as caught:
        ask()
    assert sentence in str(caught.value)


def test_a_term_of_many_short_periods_is_reached() -> None:
    """Daily withdrawals that grow: forty years are more than 14,000 of them."""
    plan = withdraw(pot=1_000_000, rate="4%", years=40, growth="2%", per_year=365)
    back = withdraw(pot=1_000_000, withdrawal=plan.answer, rate="4%", growth="2%", per_year=365)
    assert back.answer == pytest.approx(40, abs=1e-6)


def test_two_terms_are_both_told() -> None:
    """Withdrawals that outgrow the interest: the pot passes 120 on the way up and again on the way down."""
    with pytest.raises(SeveralAnswers, match="reached more than once") as caught:
        withdraw(pot=100, withdrawal=1, growth="10%", rate="5%", pot_left=120, find="years")
    up, down = caught.value.answers
    assert up < down
    for years in (int(up), int(down)):
        before, after = (float(stepped(100, 1, 0.05, count, sign=-1, g=0.1)) for count in (years, years + 1))
        assert min(before, after) < 120 < max(before, after)


def test_rates_of_a_million_annuities() -> None:
    generator = np.random.default_rng(3)
    n = generator.integers(1, 600, 1_000_000).astype(float)
    i = np.exp(generator.uniform(np.log(1e-9), np.log(0.6), n.size))
    i[::7] *= -0.01
    i[::11] = 0.0
    payment = level_payment(owed=1.0, rate_per_period=i, periods=n)
    found = rate_needed(owed=1.0, payment=payment, periods=n)
    again = level_payment(owed=1.0, rate_per_period=found, periods=n)
    assert np.abs(again / payment - 1).max() < 1e-12
    clear = np.abs(i) > 1e-6
    assert np.abs(found / np.where(i == 0, 1, i) - 1)[clear].max() < 1e-7


def test_array_functions_broadcast_and_refuse_with_nan() -> None:
    table = rate_needed(owed=[[100.0], [200.0]], payment=[10.0, 30.0, 0.0], periods=20)
    assert table.shape == (2, 3)
    assert np.isnan(table[:, 2]).all()
    assert float(rate_needed(owed=100.0, payment=110.0, periods=1)) == pytest.approx(0.1)
    start = rate_needed(owed=1000.0, payment=100.0, periods=12, paid="start")
    assert float(present_value(payment=100.0, rate_per_period=start, periods=12, paid="start")) == pytest.approx(1000.0)
    assert np.isnan(perpetuity_factor(0.02, growth_per_period=[0.02, 0.03])).all()
    assert float(payments_needed(owed=100.0, payment=10.0, rate_per_period=0.0)) == 10.0
    assert np.isnan(payments_needed(owed=100.0, payment=1.0, rate_per_period=0.05))


def test_numbers_in_a_number_out() -> None:
    """Every array function gives a plain number for plain numbers, and an array of the broadcast shape for arrays."""
    calls = {
        "annuity_factor": lambda x: annuity_factor(x, 10),
        "perpetuity_factor": lambda x: perpetuity_factor(x),
        "present_value": lambda x: present_value(payment=1.0, rate_per_period=x, periods=10),
        "future_value": lambda x: pennyweight.future_value(payment=1.0, rate_per_period=x, periods=10),
        "level_payment": lambda x: level_payment(owed=1.0, rate_per_period=x, periods=10),
        "payments_needed": lambda x: payments_needed(owed=1.0, payment=0.5, rate_per_period=x),
        "rate_needed": lambda x: rate_needed(owed=1.0, payment=x, periods=30),
        "effective_rate": lambda x: pennyweight.effective_rate(x, 12),
        "nominal_rate": lambda x: pennyweight.nominal_rate(x, 12),
        "npv": lambda x: pennyweight.npv([-1.0, 2.0], x),
    }
    for name, call in calls.items():
        single, table = call(0.05), call(np.array([[0.05, 0.06]]))
        assert np.isscalar(single), name
        assert table.shape == (1, 2), name
        assert table[0, 0] == pytest.approx(single, rel=1e-15), name
    assert np.isscalar(pennyweight.irr([-1.0, 2.0]))


@pytest.mark.parametrize("gap", [0.0, 1e-16, 1e-13, 1e-12, 1e-9, -1e-12])
def test_growth_next_to_the_rate_keeps_its_digits(gap: float) -> None:
    rate, growth = 0.05, 0.05 - gap
    with localcontext() as context:
        context.prec = 60
        ratio = (1 + Decimal(growth)) / (1 + Decimal(rate))
        expected = sum(ratio**k for k in range(30)) / (1 + Decimal(rate))
    assert float(annuity_factor(rate, 30, growth_per_period=growth)) == pytest.approx(float(expected), rel=1e-14)


def test_working_shows_formula_numbers_steps_and_the_hands_answer() -> None:
    working = withdraw(withdrawal=1000, rate="8%", years=5, find="pot", currency="EUR").working(places=3)
    assert working.formula == "pot = pot_left × v + withdrawal × a, with a = (1 - (1 + i)^-n) / i and v = (1 + i)^-n"
    assert working.by_hand == pytest.approx(3993.0)  # the tables' 3.993
    data = working.as_dict()["working"]
    assert data["difference"] == pytest.approx(3993.0 - 3992.710037, abs=1e-6)
    assert len(data["steps"]) == 5
    for shown in (str(working), working._repr_html_()):
        assert "1,000.00 × 3.993" in shown
        assert "+0.29 away from the exact answer" in shown
    long = str(repay(owed=1000, rate="5%", years=10).working())
    assert "108 periods are not shown; CSV, JSON and .xlsx have all" in long
    assert "The steps end at 0.00, as the formula says." in long


def test_real_rates_doubling_and_simple_interest() -> None:
    """Fisher's relation; the rule that 7 % doubles in a little over ten years; interest without interest."""
    assert (1 + real_rate("5%", "2%")) * 1.02 == pytest.approx(1.05)
    assert 1.07 ** years_to_multiply("7%") == pytest.approx(2.0)
    assert years_to_multiply("-50%", 0.25) == pytest.approx(2.0)
    assert simple_interest(2000, "3%", 1.5) == pytest.approx(90.0)
    facts = rate_facts("6% continuous", per_year="continuous", inflation="2%")
    assert facts.nominal == pytest.approx(0.06)
    assert facts.as_dict()["compounding"] == "continuous"
    assert set(facts.frame.index) == set(facts.forms)


@pytest.mark.parametrize("solve", FIVE)
@pytest.mark.parametrize("find", [0, 1, 3, 4])
@pytest.mark.parametrize("growth", ["0%", "1%"])
def test_the_hands_answer_nears_the_exact_one_as_places_grow(solve: object, find: int, growth: str) -> None:
    """With twelve places the factors are as good as exact; every working checks that its steps end where they should."""
    names = FIVE[solve]
    full = dict(zip(names, (30_000, 700, "3% effective", 9, 11_000), strict=True))
    if solve is grow:
        full["closing"] = 90_000
    asked = {name: value for name, value in full.items() if name != names[find]}
    plan = solve(**asked, find=names[find], per_year=2, growth=growth)
    fine, coarse = plan.working(places=12), plan.working(places=2)
    shown = str(fine)
    assert "Formula: " in shown
    assert "Numbers in: " in shown
    if find == 3:
        assert fine.by_hand is None
        assert "solved for n" in shown
    else:
        assert fine.by_hand == pytest.approx(plan.answer, rel=1e-7)
        assert abs(coarse.by_hand - plan.answer) >= abs(fine.by_hand - plan.answer)
    assert "NO " not in shown
    assert fine.as_dict()["working"]["formula"] == fine.formula
    assert len(fine.frame) == len(fine.as_dict()["working"]["steps"])


def test_the_working_of_a_perpetuity() -> None:
    for find, known in (("pot", {"withdrawal": 100}), ("withdrawal", {"pot": 2000})):
        working = withdraw(**known, rate="5%", years="forever", growth="1%", find=find).working()
        assert "(i - g)" in working.formula
        assert "without end" in str(working)
        assert working.by_hand is None
    rate = withdraw(pot=2000, withdrawal=100, years="forever", find="rate", paid="start")
    assert rate.effective == pytest.approx(100 / 1900)
    assert rate.working().formula == "i = (withdrawal + g × pot) / (pot - withdrawal)"
    with pytest.raises(NoAnswer, match="takes the whole pot"):
        withdraw(pot=100, withdrawal=100, years="forever", find="rate", paid="start")
    with pytest.raises(InputError, match="nothing is left at an end"):
        withdraw(withdrawal=100, rate="5%", years="forever", pot_left=5, find="pot")
    with pytest.raises(InputError, match="is not worked out"):
        withdraw(pot=2000, withdrawal=100, years="forever", find="rate", deferred=2)


def test_a_deferred_start_and_the_loan_it_is_not() -> None:
    """Ten years of growth before the first of twenty withdrawals: the pot grows, then a plain annuity."""
    later = withdraw(pot=100_000, rate="4%", years=20, deferred=10)
    assert later.answer == pytest.approx(withdraw(pot=100_000 * 1.04**10, rate="4%", years=20).answer)
    assert "the first period beginning after 10 years" in str(later)
    assert later.frame["paid"].iloc[:10].tolist() == [0.0] * 10
    odd = withdraw(pot=100_000, rate="4%", years=20, deferred=0.5)
    assert odd.answer == pytest.approx(withdraw(pot=100_000 * 1.04**0.5, rate="4%", years=20).answer)
    assert "A lender's books round every payment to the cent." in str(
        repay(owed=1000, rate="5%", years=2, paid="start")
    )

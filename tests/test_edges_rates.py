"""Edges of rates and flows: zeros anywhere, rates side by side, very many changes of sign, every way to compound."""

from __future__ import annotations

from decimal import Decimal, localcontext
from fractions import Fraction

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from pennyweight import (
    CashFlows,
    InputError,
    IrrOutcome,
    KnownRate,
    NoAnswer,
    Portfolio,
    grow,
    irr,
    irr_outcomes,
    npv,
    rate_facts,
    repay,
    withdraw,
)
from pennyweight.core.irr import exact as roots
from pennyweight.core.irr.accounts import account_rates
from pennyweight.quantities.periods import FREQUENCIES
from tests.sizes import cases, some

DAYS = ["2023-01-01", "2026-01-01", "2026-01-02", "2026-03-01", "2027-01-02"]


def test_a_zero_at_an_end_of_dated_flows() -> None:
    flows = [0, -10_000, 400, -200, 10_500]
    assert CashFlows(flows, dates=DAYS).irrs() == pytest.approx(CashFlows(flows[1:], dates=DAYS[1:]).irrs(), rel=1e-12)
    assert CashFlows(flows, dates=DAYS).irr() == pytest.approx(0.07146, abs=1e-5)


@given(
    st.lists(st.integers(-500, 500).filter(bool), min_size=2, max_size=9),
    st.lists(st.tuples(st.integers(0, 9), st.integers(1, 3_000)), min_size=1, max_size=6),
    st.integers(0, 400),
)
@settings(max_examples=cases(30))
def test_zero_flows_change_no_rate(amounts: list[int], zeros: list[tuple[int, int]], ends: int) -> None:
    """Put in before, between and after, dated and by periods, alone and in a batch."""
    row = np.array(amounts, dtype=np.float64)
    padded = np.concatenate([np.zeros(ends), row, np.zeros(ends // 3)])
    alone = irr_outcomes(row)
    for other in (irr_outcomes(padded), irr_outcomes(np.array([padded, padded[::-1]]))):
        assert np.ravel(other.outcome)[0] == alone.outcome
        np.testing.assert_allclose(np.ravel(other.rate)[0], alone.rate, rtol=1e-11)
    start = np.datetime64("2026-01-31")
    days = start + 37 * np.arange(row.size)
    extra = np.array([start + (step if place % 2 else -step) for place, step in zeros])
    plain = CashFlows(row, dates=days).irrs()
    with_zeros = CashFlows([*row, *np.zeros(extra.size)], dates=[*days, *extra]).irrs()
    assert with_zeros == pytest.approx(plain, rel=1e-9)


def test_zero_flows_change_no_account() -> None:
    rng = np.random.default_rng(4)
    amounts: list[float] = []
    times: list[float] = []
    offsets: list[int] = []
    for _ in range(cases(20)):
        offsets.append(len(amounts))
        count = int(rng.integers(2, 9))
        own = [-1000.0, *rng.normal(0, 80, count), 1300.0]
        when = np.sort(rng.uniform(0, 4, count + 2))
        amounts += [0.0, *own, 0.0]
        times += [when[0] - 300, *when, when[-1] + 300]
    kept = np.flatnonzero(np.array(amounts))
    begun = np.searchsorted(kept, offsets)
    with_zeros = account_rates(amounts, times, offsets)
    np.testing.assert_allclose(
        with_zeros.rate, account_rates(np.array(amounts)[kept], np.array(times)[kept], begun).rate, rtol=1e-12
    )
    assert account_rates([0.0, 0.0, -1.0, 1.1], [0, 1, 0, 1], [0, 2]).outcome.tolist() == [
        IrrOutcome.ONE_SIGN,
        IrrOutcome.ONE,
    ]


def test_a_portfolio_that_opens_at_nothing_has_a_money_weighted_return() -> None:
    rows = [
        ("2025-01-01", "a", "value", 0),
        ("2026-01-01", "a", "deposit", 1000),
        ("2026-01-01", "a", "value", 1000),
        ("2027-01-01", "a", "value", 1100),
    ]
    assert Portfolio.from_rows(rows).money_weighted().annualized == pytest.approx(0.1, rel=1e-12)
    lost = Portfolio.from_rows([("2025-01-01", "a", "value", 500), ("2027-01-01", "a", "value", 0)])
    assert lost.money_weighted().annualized == lost.modified_dietz().annualized == lost.simple().annualized == -1.0


def decimal_roots(flows: list[float]) -> list[Decimal]:
    """The two rates of three flows, by the formula of the quadratic in sixty digits."""
    with localcontext() as context:
        context.prec = 60
        a, b, c = (Decimal(flow) for flow in flows)
        under = b * b - 4 * a * c
        return sorted((-b + sign * under.sqrt()) / (2 * a) - 1 for sign in (1, -1)) if under >= 0 else []


@given(st.floats(-0.5, 3.0), st.floats(-6.4, -1.0), st.floats(1.0, 1e6))
@settings(max_examples=cases(60))
def test_two_rates_side_by_side_are_right_to_nine_digits(first: float, apart: float, size: float) -> None:
    """In sixty digits from the flows as doubles hold them; closer than the flows' own rounding they touch."""
    low, high = Fraction(first), Fraction(first) + Fraction(10**apart)
    flows = [float(-size * part) for part in (1, -(2 + low + high), (1 + low) * (1 + high))]
    exact = decimal_roots(flows)
    for found in (CashFlows(flows).irrs(), CashFlows(flows, dates=["2026-01-01", "2027-01-01", "2028-01-01"]).irrs()):
        assert len(found) == len(exact) == 2
        for mine, true in zip(found, exact, strict=True):
            assert abs(Decimal(mine) - true) <= Decimal("1e-9") * max(abs(true), Decimal("1e-6"))


def test_a_double_rate_touches() -> None:
    assert irr_outcomes([-100.0, 220.0, -121.0]).outcome == IrrOutcome.TOUCHES
    assert CashFlows([-100, 220, -121]).irrs() == pytest.approx([0.1])
    assert irr_outcomes([-1.0, 2.2, -1.21]).outcome == IrrOutcome.TOUCHES  # to the digits that doubles keep
    with pytest.raises(NoAnswer, match="touches zero"):
        CashFlows([-100, 220, -121]).irr()


def test_rows_that_change_sign_often_have_the_same_rates_both_ways(monkeypatch: pytest.MonkeyPatch) -> None:
    """By intervals, and by Rolle's theorem; a sum of zero included."""
    rng = np.random.default_rng(9)
    for trial in range(cases(20)):
        n = int(rng.integers(30, 60))
        times = np.sort(rng.choice(4_000, n, replace=False)) / 365.0
        flows = np.round(rng.normal(0, 100, n))
        flows[-1] -= flows.sum() if trial % 3 == 0 else 0
        monkeypatch.setattr(roots, "_OFTEN", 10**9)
        by_levels = roots.solve_rows(flows[None], times)
        monkeypatch.setattr(roots, "_OFTEN", 4)
        by_intervals = roots.solve_rows(flows[None], times)
        np.testing.assert_allclose(by_intervals.x, by_levels.x, rtol=1e-8, atol=1e-11)


def test_a_hundred_thousand_flows_that_come_and_go() -> None:
    rng = np.random.default_rng(2)
    days = np.datetime64("1990-01-01") + rng.integers(0, 13_000, 100_000)
    flows = CashFlows(rng.integers(1, 1000, days.size) * rng.choice([-1.0, 1.0], days.size), dates=days)
    rates = flows.irrs()
    assert rates
    for rate in rates:
        powers = -np.log1p(rate) * flows.times
        weights = np.exp(powers - powers.max())
        last_digit = 4e-16 * flows.times.max() / (1 + rate)  # of the rate itself, near -100 %
        assert abs((flows.amounts * weights).sum()) <= (1e-9 + last_digit) * (np.abs(flows.amounts) * weights).sum()


def test_tiny_rates_keep_their_digits() -> None:
    rng = np.random.default_rng(1)
    rates = 10 ** rng.uniform(-6, 0, 400)
    rows = rng.uniform(1, 100, (400, 25))
    rows[:, 0] = -(rows[:, 1:] / (1 + rates[:, None]) ** np.arange(1, 25)).sum(axis=1)
    np.testing.assert_allclose(irr(rows), rates, rtol=1e-8)
    np.testing.assert_allclose(irr(rows), [float(irr(row)) for row in rows], rtol=1e-9)


@pytest.mark.parametrize("often", some([1, 12, 2, 4, 24, 52, 26], 3))
@pytest.mark.parametrize("compounding", [None, *FREQUENCIES])
def test_every_rhythm_with_every_way_to_compound_for_every_unknown(often: int, compounding: str | None) -> None:
    """Any one of the five from the other four, in the form it was given; the first by a plain sum of powers."""
    names = {grow: ("opening", "deposit", "rate", "years", "closing"), repay: ("owed", "payment", "rate", "years", "still_owed"),
             withdraw: ("pot", "withdrawal", "rate", "years", "pot_left")}  # fmt: skip
    times = FREQUENCIES[compounding] if compounding else None
    for ask, five in names.items():
        given = dict(
            zip(five, (10_000, None if ask is not grow else 90, "6%", 7, None if ask is grow else 2_000), strict=True)
        )
        plan = ask(**given, per_year=often, compounding=compounding)
        quoted = often if ask is repay else None
        m = times or quoted
        i = (1.06 if m is None else np.exp(0.06) if m == np.inf else (1 + 0.06 / m) ** m) ** (1 / often) - 1
        assert plan.terms.known_i == pytest.approx(i, rel=1e-12)
        for find in five:
            others = {name: value for name, value in plan.quantities.items() if name != find}
            again = ask(**others, find=find, per_year=often, compounding=compounding)
            assert again.quantities[find] == pytest.approx(plan.quantities[find], rel=1e-8), (ask.__name__, find)


def test_a_lump_sum_over_a_broken_term() -> None:
    rate = 1.5 ** (1 / 3.4) - 1
    assert grow(opening=1000, closing=1500, years=3.4, find="rate").answer == pytest.approx(rate, rel=1e-12)
    assert grow(opening=1000, rate=rate, years=3.4).answer == pytest.approx(1500, rel=1e-12)
    assert grow(opening=1000, rate=rate, closing=1500, find="years").answer == pytest.approx(3.4, rel=1e-12)
    assert grow(closing=1500, rate=rate, years=3.4, find="opening").answer == pytest.approx(1000, rel=1e-12)
    assert grow(opening=1000, rate=rate, years=3.4).frame["closing"].iloc[-1] == pytest.approx(1500, rel=1e-12)
    assert repay(owed=1000, still_owed=500, payment=0, years=2.3, find="rate", per_year=1).effective < 0
    assert grow(opening=1000, closing=0, years=3, find="rate").answer == -1.0


def test_a_rate_that_is_known_is_not_refused_again() -> None:
    flows = CashFlows([-100, 260])
    assert flows.irr() == pytest.approx(1.6)
    assert flows.npv(flows.irr()) == pytest.approx(0, abs=1e-9)
    assert flows.npv("150%") == pytest.approx(4.0)
    with pytest.raises(InputError, match=r"1\.6 is 160% a year"):
        flows.npv(1.6)
    assert isinstance(flows.irrs()[0], KnownRate)
    assert repay(
        owed=100, rate=repay(owed=100, payment=30, years=1, find="rate").answer, years=1
    ).answer == pytest.approx(30)
    assert npv([-100.0, 110.0], "10%") == pytest.approx(0, abs=1e-12)
    with pytest.raises(InputError, match="2 flows and 1 times"):
        npv([-100.0, 110.0], 0.1, times=[0])


def test_a_batch_says_why_a_row_has_no_rate() -> None:
    rows = [[-100.0, 60, 60], [-100, 230, -132], [-100, 220, -121], [1, 1, 1], [-100, 100, -100], [float("nan"), 1, 2]]
    found = irr_outcomes(rows)
    names = [IrrOutcome(code).name for code in found.outcome]
    assert names == ["ONE", "SEVERAL", "TOUCHES", "ONE_SIGN", "NONE", "UNDEFINED"]
    assert all(
        bool(IrrOutcome(code).reason) == bool(np.isnan(rate))
        for rate, code in zip(found.rate, found.outcome, strict=True)
    )


@given(st.floats(0.0001, 0.9), st.sampled_from(list(FREQUENCIES)))
@settings(max_examples=cases(20))
def test_interest_in_advance(discount: float, word: str) -> None:
    """A discount d leaves 1 - d/m of what is due after a period: the effective rate is (1 - d/m) ** -m - 1."""
    m = FREQUENCIES[word]
    effective = np.expm1(discount) if m == np.inf else (1 - discount / m) ** -m - 1
    facts = rate_facts(discount, compounding=word, per_year=word, in_advance=True)
    assert facts.effective == pytest.approx(effective, rel=1e-10)
    assert facts.in_advance == pytest.approx(discount, rel=1e-10)

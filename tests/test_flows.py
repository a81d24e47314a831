"""Measures of flows against decimals, exact fractions and published worked examples."""

from __future__ import annotations

from decimal import Decimal

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from pennyweight.core import annuity, flows, rate_forms
from tests.oracles import decimal_npv, plain_payback
from tests.sizes import cases

amounts = st.lists(st.integers(-100_000, 100_000), min_size=2, max_size=30)


@given(amounts, st.integers(-90, 300))
@settings(max_examples=cases(100))
def test_npv_agrees_with_sixty_digits(row: list[int], percent: int) -> None:
    rate = percent / 100
    expected = decimal_npv(row, f"{percent}e-2")
    size = decimal_npv([abs(x) for x in row], f"{percent}e-2")
    assert abs(Decimal(float(flows.npv(row, rate))) - expected) <= Decimal("1e-13") * size
    by_times = float(flows.npv(row, rate, times=np.arange(len(row))))
    assert abs(Decimal(by_times) - expected) <= Decimal("1e-12") * size


def test_npv_broadcasts_rates_over_rows() -> None:
    table = np.array([[-100.0, 60.0, 72.0], [-50.0, 0.0, 72.0]])
    worth = flows.npv(table, [[0.0], [0.2]])
    assert worth.shape == (2, 2)
    assert worth[1] == pytest.approx([0.0, 0.0], abs=1e-12)
    assert np.isnan(flows.npv(table, -1.0)).all()


@given(st.lists(st.integers(-2000, 2000), min_size=2, max_size=20))
@settings(max_examples=cases(150))
def test_payback_is_where_the_running_total_stays_up(tenths: list[int]) -> None:
    """Tenths are exact in fractions and not in binary, so rounding must not decide."""
    row = [value / 10 for value in tenths]
    expected = plain_payback(row)
    found = float(flows.payback(row))
    if expected is None:
        assert np.isnan(found)
    else:
        assert found == pytest.approx(expected, abs=1e-9)


@pytest.mark.parametrize(
    ("row", "last", "first"),
    [
        ([-0.8] + [0.1] * 8, 8.0, 8.0),
        ([-100.0, 150.0, -100.0, 200.0], 2.25, 2 / 3),
        ([-100.0, 150.0, -100.0], np.nan, 2 / 3),
        ([-100.0, 50.0, 49.0], np.nan, np.nan),
        ([10.0, 5.0], 0.0, 0.0),
        ([-1.0, 5e-324], np.nan, np.nan),  # the warnings of the divisions are errors here
        ([-5.0, 5e-324, 10.0], 1.5, 1.5),
        ([-100.0, 0.0, 0.0, 100.0], 3.0, 3.0),
    ],
)
def test_payback_corners(row: list[float], last: float, first: float) -> None:
    assert float(flows.payback(row)) == pytest.approx(last, nan_ok=True)
    assert float(flows.payback(row, first=True)) == pytest.approx(first, nan_ok=True)
    scaled = [1e15 * value for value in row]
    assert float(flows.payback(scaled)) == pytest.approx(last, nan_ok=True)


def test_discounted_payback_is_the_payback_of_discounted_flows() -> None:
    row = np.array([-1000.0, 300.0, 420.0, 680.0])
    discounted = [-1000.0, 300 / 1.1, 420 / 1.21, 680 / 1.331]
    expected = plain_payback([round(value, 9) for value in discounted])
    assert float(flows.payback(row, rate=0.1)) == pytest.approx(expected, abs=1e-8)
    assert np.isnan(flows.payback(row, rate=0.2))


def test_dated_flows_pay_back_on_their_day() -> None:
    times = [0.0, 0.4, 1.7]
    assert float(flows.payback([-10.0, 4.0, 12.0], times=times, spread=False)) == 1.7
    assert float(flows.payback([-10.0, 4.0, 12.0], times=times)) == pytest.approx(0.4 + 1.3 * 0.5)


def test_modified_irr_published_example() -> None:
    """-1,000, -4,000, 5,000, 2,000, borrowed at 10 %, reinvested at 12 %: 17.91 % (S. Lin, Engineering
    Economist 21, 1976, the usual restatement)."""
    found = flows.modified_irr([-1000.0, -4000.0, 5000.0, 2000.0], reinvested_at=0.12, borrowed_at=0.10)
    assert round(float(found), 4) == 0.1791
    assert np.isnan(flows.modified_irr([1.0, 2.0], reinvested_at=0.1, borrowed_at=0.1))


@given(amounts.filter(lambda row: row[0] < 0), st.floats(0.0, 0.5))
@settings(deadline=None)
def test_index_and_roi_follow_their_definitions(row: list[int], rate: float) -> None:
    worth = [value / (1 + rate) ** k for k, value in enumerate(row)]
    inflow, outflow = sum(v for v in worth if v > 0), -sum(v for v in worth if v < 0)
    assert float(flows.profitability_index(row, rate)) == pytest.approx(inflow / outflow, rel=1e-9, abs=1e-9)
    first = float(flows.profitability_index(row, rate, on="first"))
    assert first == pytest.approx(sum(worth[1:]) / -row[0], rel=1e-9, abs=1e-6)
    assert float(flows.roi(row)) == pytest.approx(sum(row) / -sum(v for v in row if v < 0), abs=1e-9)
    assert float(flows.roi(row, on="first")) == pytest.approx(sum(row) / -row[0], abs=1e-9)


def test_equivalent_annual_is_worth_the_same() -> None:
    """Brealey, Myers, Allen, ch. 6: a machine of 15 and 5, 5, 5 a year at 6 % costs 10.61 a year."""
    assert round(float(flows.equivalent_annual([-15.0, -5.0, -5.0, -5.0], 0.06)), 2) == -10.61
    level = float(flows.equivalent_annual([-100.0, 80.0, 90.0], 0.0))
    assert level == pytest.approx(35.0)
    assert np.isnan(flows.equivalent_annual([5.0], 0.1))


@pytest.mark.parametrize("per_year", [1, 2, 4, 12, 52, 365, float("inf")])
@given(rate=st.floats(-0.6, 2.0))
@settings(max_examples=cases(30))
def test_quoted_and_effective_turn_into_each_other(per_year: float, rate: float) -> None:
    quoted = float(rate_forms.nominal_rate(rate, per_year))
    assert float(rate_forms.effective_rate(quoted, per_year)) == pytest.approx(rate, abs=1e-12)


def test_published_effective_rates() -> None:
    """12 % compounded monthly is 12.6825 %, continuously 12.7497 % (Kellison, section 1.8)."""
    assert round(float(rate_forms.effective_rate(0.12, 12)), 6) == 0.126825
    assert round(float(rate_forms.effective_rate(0.12, float("inf"))), 6) == 0.127497
    assert round(float(rate_forms.per_period(0.126825, 12)), 6) == 0.01
    assert np.isnan(rate_forms.effective_rate(-12.0, 12))
    assert np.isnan(rate_forms.per_period(-1.0, 1))


@pytest.mark.parametrize("rate", ["0.05", "1e-12", "-0.02", "0.000001"])
def test_annuities_keep_their_digits_at_tiny_rates(rate: str) -> None:
    expected = decimal_npv([0.0] + [1.0] * 40, rate)
    factor = float(annuity.annuity_factor(float(rate), 40))
    assert factor == pytest.approx(float(expected), rel=2e-14)
    later = float(annuity.future_value(payment=1.0, rate_per_period=float(rate), periods=40))
    assert later == pytest.approx(float(expected * (1 + Decimal(rate)) ** 40), rel=2e-14)
    back = float(annuity.level_payment(owed=factor, rate_per_period=float(rate), periods=40))
    assert back == pytest.approx(1.0, rel=1e-14)


def test_annuities_without_interest_or_time() -> None:
    assert float(annuity.present_value(payment=100.0, rate_per_period=0.0, periods=12)) == 1200.0
    assert np.isnan(annuity.level_payment(owed=100.0, rate_per_period=0.05, periods=0))
    assert np.isnan(annuity.annuity_factor(-1.0, 3))

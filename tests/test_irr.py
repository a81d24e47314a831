"""Internal rates of return against exact arithmetic: how many there are, where, and what is told apart."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from pennyweight.core.irr.exact import sign_changes, solve_rows
from pennyweight.core.irr.find_rates import all_rates, irr, irr_outcomes
from pennyweight.core.irr.outcome import IrrOutcome
from tests.oracles import bisect, count_roots, decimal_npv, plain_npv
from tests.sizes import cases

whole_flows = st.lists(st.integers(-50, 50), min_size=2, max_size=14).filter(lambda row: any(row))


@given(whole_flows)
@settings(max_examples=cases(100))
def test_every_root_is_found_and_none_invented(row: list[int]) -> None:
    """As many distinct rates above -100 % as Sturm's theorem counts positive discount factors, in fractions."""
    crossing, touching = all_rates(row)
    edges = [rate for rate in (*crossing, *touching) if rate <= -1]
    assert not edges
    assert len(crossing) + len(touching) == count_roots(row)


@given(st.lists(whole_flows, min_size=8, max_size=12))
@settings(max_examples=cases(20))
def test_a_batch_finds_what_single_rows_find(rows: list[list[int]]) -> None:
    """Rows settled cell by cell in a batch have the roots they have alone and with times given."""
    n = max(map(len, rows))
    table = np.array([row + [0] * (n - len(row)) for row in rows], dtype=float)
    found = solve_rows(table)
    general = solve_rows(table, np.arange(n, dtype=float))
    for k, row in enumerate(rows):
        here = np.sort(found.x[found.row == k])
        assert here.size == count_roots(row)
        np.testing.assert_allclose(here, np.sort(general.x[general.row == k]), rtol=1e-6, atol=1e-6)


@given(
    st.lists(st.floats(1.0, 1e4), min_size=1, max_size=3),
    st.lists(st.floats(0.0, 1e4), min_size=1, max_size=40),
    st.sampled_from([1e-6, 1.0, 3.7, 1e15]),
)
@settings(max_examples=cases(100))
def test_present_value_vanishes_at_the_rate_whatever_the_scale(
    paid: list[float], received: list[float], scale: float
) -> None:
    row = np.array([-p for p in paid] + received)
    rate, outcome = (np.asarray(part).item() for part in irr_outcomes(row * scale))
    if outcome != IrrOutcome.ONE:
        assert not any(np.array(received) * scale) or outcome == IrrOutcome.EDGE
        return
    times = np.arange(row.size)
    reached = abs(float(decimal_npv(row * scale, repr(rate))))
    growth = float(np.sum(np.abs(row) * (1 + rate) ** -times))
    # Near -100 % the last digit of the rate itself moves the present value by this much.
    last_digit = 4e-16 * row.size / (1 + rate)
    assert reached <= scale * max(1e-9 * np.abs(row).sum(), last_digit * growth)
    unscaled = float(irr(row))
    assert abs(rate - unscaled) <= 1e-13 * (1 + abs(unscaled))


def test_a_large_batch_agrees_with_bisection_and_meets_the_bound() -> None:
    generator = np.random.default_rng(5)
    rows = generator.lognormal(2.0, 0.6, (20_000, 25))
    rows[:, 0] = -generator.uniform(5, 400, 20_000)
    late = generator.random(20_000) < 0.3
    rows[late, 1] *= -1
    rates, outcomes = irr_outcomes(rows)
    assert (outcomes == IrrOutcome.ONE).all()
    left = np.zeros(20_000)
    for column in rows.T[::-1]:
        left = left / (1 + rates) + column
    assert (np.abs(left) <= 1e-9 * np.abs(rows).sum(axis=1)).all()
    for k in range(0, 20_000, 997):
        expected = bisect(lambda r, k=k: plain_npv(rows[k].tolist(), r), -0.9, 50.0)
        assert rates[k] == pytest.approx(expected, abs=1e-12)


def test_a_batch_tells_every_kind_of_row_apart() -> None:
    """Each kind among a thousand ordinary rows, so that the quick path has to hand them on."""
    kinds = {
        IrrOutcome.ONE: [-100.0, 60.0, 60.0],
        IrrOutcome.NONE: [-100.0, 100.0, -100.0],
        IrrOutcome.SEVERAL: [-100.0, 230.0, -132.0],
        IrrOutcome.TOUCHES: [-100.0, 240.0, -144.0],
        IrrOutcome.ONE_SIGN: [5.0, 0.0, 5.0],
        IrrOutcome.UNDEFINED: [-1.0, float("nan"), 2.0],
    }
    rows = np.tile([-100.0, 70.0, 80.0], (1000, 1))
    for number, row in enumerate(kinds.values()):
        rows[100 + number] = row
    rates, outcomes = irr_outcomes(rows)
    assert [IrrOutcome(outcomes[100 + k]) for k in range(len(kinds))] == list(kinds)
    assert np.isfinite(rates).tolist() == (outcomes == IrrOutcome.ONE).tolist()
    assert np.isclose(rates[:100], (0.7 + np.sqrt(0.49 + 3.2)) / 2 - 1).all()


def test_the_edge_is_not_a_rate() -> None:
    """1e-30 back for 1e30 is a rate no number holds apart from -100 %; 1e300 for 1e-300 is beyond them all."""
    assert IrrOutcome(int(irr_outcomes([-1e30, 1e-30]).outcome)) is IrrOutcome.EDGE
    assert IrrOutcome(int(irr_outcomes([-1e-300, 1e300]).outcome)) is IrrOutcome.EDGE
    assert np.isnan(irr([-1e30, 1e-30]))


@pytest.mark.parametrize("rate", [1e7, -0.99999, 5e-10, -1e-12, 0.0])
def test_extreme_rates_are_reached(rate: float) -> None:
    """One outlay and one return a period later: the rate is their ratio less one."""
    assert float(irr([-1000.0, 1000.0 * (1 + rate)])) == pytest.approx(rate, rel=1e-6, abs=1e-15)


def test_two_textbook_rates_of_a_mine_with_a_clean_up() -> None:
    """-4,000, +25,000, -25,000 has 25 % and 400 % (J. Hirshleifer, J. Political Economy 66, 1958, p. 349)."""
    crossing, touching = all_rates([-4000.0, 25_000.0, -25_000.0])
    assert crossing == pytest.approx([0.25, 4.0], abs=1e-12)
    assert touching == []


@given(
    st.lists(st.floats(-0.5, 3.0), min_size=2, max_size=4, unique=True).filter(
        lambda rates: min(abs(a - b) for a in rates for b in rates if a is not b) > 0.05
    )
)
@settings(max_examples=cases(50))
def test_flows_built_from_their_rates_give_them_back(rates: list[float]) -> None:
    """The flows are the coefficients of the product of (1 + r) v - 1 over the rates."""
    flows = np.array([1.0])
    for rate in rates:
        flows = np.convolve(flows, [-1.0, 1 + rate])
    crossing, touching = all_rates(flows)
    assert sorted([*crossing, *touching]) == pytest.approx(sorted(rates), abs=1e-6)


def test_a_double_rate_touches_and_a_triple_one_crosses() -> None:
    double = np.convolve([-1.0, 1.5], [-1.0, 1.5])
    crossing, touching = all_rates(double)
    assert (crossing, touching) == ([], [pytest.approx(0.5, abs=1e-7)])
    crossing, touching = all_rates(np.convolve(double, [-1.0, 1.5]))
    assert touching == []
    assert crossing == pytest.approx([0.5], abs=1e-4)


@given(
    st.lists(st.tuples(st.floats(0.003, 2.0), st.floats(-100, 100)), min_size=3, max_size=12),
)
@settings(max_examples=cases(25))
def test_flows_at_any_times_are_bracketed_by_a_scan(steps: list[tuple[float, float]]) -> None:
    """Between two neighbouring rates found, the present value keeps its sign; a fine scan sees no change missed."""
    times = np.cumsum([gap for gap, _ in steps]) - steps[0][0]
    flows = np.array([flow for _, flow in steps])
    crossing, _ = all_rates(flows, times=times)
    scan = np.exp(np.linspace(-2.0, 3.0, 4001)) - 1
    worth = np.array([np.sum(flows * (1 + r) ** -times) for r in scan])
    size = np.array([np.sum(np.abs(flows) * (1 + r) ** -times) for r in scan])
    clear = np.abs(worth) > 1e-9 * size
    signs = np.sign(worth[clear])
    places = scan[clear]
    for k in np.flatnonzero(signs[1:] != signs[:-1]):
        between = [rate for rate in crossing if places[k] - 1e-9 <= rate <= places[k + 1] + 1e-9]
        assert len(between) % 2 == 1


def test_shapes_follow_the_leading_axes() -> None:
    row = np.array([-100.0, 60.0, 70.0])
    assert irr(row).shape == ()
    assert irr(np.tile(row, (4, 1))).shape == (4,)
    table = np.tile(row, (2, 50, 1))
    assert irr(table).shape == (2, 50)
    assert np.allclose(irr(table), irr(row), atol=1e-14)
    assert np.allclose(irr(np.asfortranarray(table[0])), irr(row), atol=1e-14)
    assert irr(table, times=[0.0, 1.0, 2.0]) == pytest.approx(np.full((2, 50), float(irr(row))), abs=1e-12)


def test_sign_changes_pass_over_zeros() -> None:
    assert sign_changes(np.array([[0.0, -1, 0, 2, 0, 0, -3], [0, 0, 0, 0, 0, 0, 0]])).tolist() == [2, 0]

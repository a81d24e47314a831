"""Where a condition turns: told and used with the same value, by the same rule, whether it is flat, jumps or carries noise."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.builders import deal_of
from tests.sizes import cases

# Each holds up to a turn (or from it on): as the language has it, and in plain Python, with a the place and b the slope.
SHAPES: dict[str, tuple[str, Callable[[float, float, float], bool]]] = {
    "flat below": ("max(0, x - a) * b <= 0", lambda x, a, b: max(0, x - a) * b <= 0),
    "flat above": ("min(0, a - x) * b + 5 >= 5", lambda x, a, b: x <= a),
    "flat on both sides": ("clamp((x - a) * b, -1, 1) <= 0", lambda x, a, b: x <= a),
    "a plateau far above its bound": ("max(1 - max(0, x - a) * b, -1e9) >= 0", lambda x, a, b: x <= a + 1 / b),
    "a jump": ("(1 if x <= a else -1) >= 0", lambda x, a, b: x <= a),
    "a jump beside a slope": ("(7 if x <= a else a - x - 3) >= 0", lambda x, a, b: x <= a),
    "steep as a power": ("2 ** min(400, (x - a) * b) <= 1", lambda x, a, b: x <= a),
    "everywhere": ("max(0, x - 1e6) <= 0", lambda x, a, b: True),
    "nowhere": ("x <= 0 - a", lambda x, a, b: False),
}


def _bisected(holds: Callable[[float], bool], low: float, high: float) -> float:
    for _ in range(200):
        middle = (low + high) / 2
        low, high = (middle, high) if holds(middle) else (low, middle)
    return low


@settings(max_examples=cases(200))
@given(
    shape=st.sampled_from(sorted(SHAPES)),
    places=st.lists(st.floats(12, 4_900), min_size=1, max_size=4, unique=True),
    slope=st.sampled_from([1e-3, 0.1, 1.0, 40.0, 1e4]),
)
def test_what_is_solved_is_told_and_used_with_the_largest_value_that_does(
    shape: str, places: list[float], slope: float
) -> None:
    """One case alone, and others beside it in one table, each against plain bisection."""
    text, holds = SHAPES[shape]
    deal = deal_of(
        f"""
        [inputs]
        a = {places[0]!r}
        b = {slope!r}
        x = {{ so_that = "{text}", pick = "largest", between = [10, 5_000] }}
        [measures]
        used = "x"
        [tables.beside]
        by = {{ a = {places!r} }}
        [tables.beside.columns]
        used = "x"
        """
    )
    weighing = deal.weigh()
    wanted = [
        None
        if not holds(10.0, a, slope)
        else 5_000.0
        if holds(5_000.0, a, slope)
        else _bisected(lambda x, a=a: holds(x, a, slope), 10.0, 5_000.0)  # type: ignore[misc]
        for a in places
    ]
    told = weighing.solved["x"].values
    assert told == (() if weighing.measures["used"].value is None else (weighing.measures["used"].value,))
    used = [weighing.measures["used"].value, *weighing.tables["beside"].frame["used"].tolist()]
    for found, right in zip(used, [wanted[0], *wanted], strict=True):
        if right is None:
            assert found is None or np.isnan(found)
        else:
            assert found == pytest.approx(right, rel=1e-9, abs=1e-9 / slope)


@settings(max_examples=cases(120))
@given(cash=st.floats(1, 640), rate=st.floats(0.001, 0.3), rest=st.sampled_from([0.005, 1.0, 60.0]))
def test_a_debt_that_is_paid_off_by_what_there_is(cash: float, rate: float, rest: float) -> None:
    """A balance that stays at nothing below the largest debt and grows above it: ten payments and the rest, discounted."""
    deal = deal_of(
        f"""
        [inputs]
        debt = {{ so_that = "at(owed, end) <= {rest}", pick = "largest", between = [0, 9_000] }}
        [levels.owed]
        formula = "prior(owed) * {1 + rate!r} - min({cash!r}, prior(owed) * {1 + rate!r})"
        start = "debt"
        [measures]
        used = "debt"
        """
    )
    largest = rest
    for _ in range(10):
        largest = (largest + cash) / (1 + rate)
    weighing = deal.weigh()
    assert weighing.measures["used"].value == pytest.approx(largest, rel=1e-9)
    assert weighing.solved["debt"].values == (weighing.measures["used"].value,)


NOISY = """
[timeline]
period = "month"
periods = 360
[inputs]
spend = {{ value = {base}, unit = "money" }}
[levels]
pot = {{ formula = "prior(pot) * (1 + per_period(3%)) + wage - drawn", start = {start} }}
[lines]
wage = "{wage} if t <= 120 else 0"
need = "spend / 12"
drawn = "min(prior(pot) * (1 + per_period(3%)) + wage, spend / 12)"
[measures]
missing = "total(need) - total(drawn)"
[goals]
missing = {{ at_most = 0 }}
[questions.most]
find = "spend"
so_that = "missing <= 0"
[questions.verdict]
find = "spend"
"""


@settings(max_examples=cases(60))
@given(start=st.floats(100, 1e6), wage=st.floats(10, 1e5), part=st.floats(0.05, 3))
def test_rounding_makes_no_holes(start: float, wage: float, part: float) -> None:
    """Sums that ought to be the same and carry noise: one bound, as a plain loop has it; every verdict is on its side."""
    growth = 1.03 ** (1 / 12)

    def missing(spend: float) -> float:
        pot, lacks = start, 0.0
        for t in range(1, 361):
            pot = pot * growth + (wage if t <= 120 else 0.0)
            drawn = min(pot, spend / 12)
            pot, lacks = pot - drawn, lacks + (spend / 12 - drawn)
        return lacks

    bound = _bisected(lambda spend: missing(spend) <= 1e-12, 0.0, 12 * (start + 360 * wage))
    deal = deal_of(NOISY.format(base=part * bound, start=start, wage=wage))
    weighing = deal.weigh()
    room = 1e-9 * bound + 1e-3
    for name in ("most", "verdict"):
        answers = weighing.answers[name]
        if answers.answers:
            assert [answer.kind for answer in answers.answers] == ["at most"]
            assert answers.values[0] == pytest.approx(bound, abs=room)
    points = [p.turns_at for p in weighing.turning_points if p.turns_at is not None]
    assert all(place == pytest.approx(bound, abs=room) for place in points)
    assert points or not part < 0.999 < 3.99 * part  # one that stands just there is met by the goal's tolerance
    for share in (0.2, 0.5, 0.9, 0.999, 1.001, 1.5):
        met = deal.weigh(inputs={"spend": share * bound}).verdict == "pays off"
        assert met == (missing(share * bound) <= 0.01)


def test_a_stretch_on_which_two_figures_are_equal_is_told_by_its_ends() -> None:
    """Zero over a stretch was a value for every place that was looked at."""
    deal = deal_of(
        """
        [inputs]
        x = 50
        [lines]
        one = "0.1 + 0.2"
        [measures]
        gap = "max(0, x - 100) + max(0, 20 - x) + total(one) - 3"
        """
    )
    for asked, told in (("gap == 0", [20, 100]), ("gap <= 0 or x > 150", [20, 100, 150]), ("gap < 0", [])):
        found = deal.find("x", asked).answers["base"]
        assert found.values == pytest.approx(told, abs=1e-9)
        assert [one.kind for one in found.answers] == ["at least", "at most", "at least"][: len(told)]

"""Break-even lines beside curves known in closed form, and beside `find` at each of their places."""

from __future__ import annotations

import math
from typing import Any

import numpy as np
import pytest

from pennyweight import Deal, InputError
from tests.builders import TAXI, deal


def _curve(condition: str, along: Any, *, low: float = -10, high: float = 10, **inputs: Any) -> Any:
    made = deal({"m": "x", "n": "y"}, inputs={"x": {"value": 1, "low": low, "high": high}, "y": {"value": 1, **inputs}})
    return made.break_even("x", condition, along={"y": along}, between=(low, high))


def test_every_pair_is_what_find_says_there() -> None:
    made = Deal.read(TAXI)
    found = made.break_even("hull", "npv >= 0", along={"grant_share": "0%..30%"}, scenarios=["base", "wet_summers"])
    assert [one.scenario for one in found.branches] == ["base", "wet_summers"]
    assert all(one.along.size == 25 and not one.begins and not one.ends for one in found.branches)
    for branch in found.branches:
        for along, value in list(zip(branch.along.tolist(), branch.values.tolist(), strict=True))[::6]:
            beside = made.find("hull", "npv == 0", scenarios=[branch.scenario], inputs={"grant_share": along})
            assert value == pytest.approx(beside.answers[branch.scenario].values[0], abs=0.005)
            worth = made.weigh(branch.scenario, inputs={"grant_share": along, "hull": value}).measures["npv"].value
            assert worth == pytest.approx(0, abs=0.005)
    assert list(found.points["dear_hull"]) == [0.25, 470_000]
    assert len(found.frame) == 50
    dear = made.break_even("hull", "npv >= 0", along={"grant_share": "0%..30%/3"}, scenarios=["dear_hull"])
    assert "Yard raises its price: the scenario's own Hull and drive, delivered is overridden." in " ".join(
        str(dear).split()
    )
    assert "overridden" not in str(found)
    assert found.document().charts[0].points[0] == ("as it stands and 3 more", 0.25, 420_000)


def test_two_branches_meet_where_they_begin() -> None:
    """x² = y has the roots of y and their negatives, from y = 0 on."""
    found = _curve("x * x == y", "-1..4/6")
    assert [one.begins for one in found.branches] == [True, True]
    assert [one.ends for one in found.branches] == [False, False]
    for branch, sign in zip(sorted(found.branches, key=lambda one: one.values[-1]), (-1, 1), strict=True):
        assert branch.along[0] == pytest.approx(0, abs=1e-6)
        kept = branch.along > 1e-4
        assert branch.values[kept] == pytest.approx(sign * np.sqrt(branch.along[kept]), abs=1e-7)
    text = " ".join(str(found).split())
    assert "as it stands, line 1 begins at y" in text


def test_a_ring_is_two_lines_with_both_ends() -> None:
    found = _curve("x * x + y * y == 25", "-7..7/29")
    assert len(found.branches) == 2
    for branch in found.branches:
        assert (branch.begins, branch.ends) == (True, True)
        assert (branch.along[0], branch.along[-1]) == pytest.approx((-5, 5), abs=1e-5)
        assert np.abs(branch.values) == pytest.approx(np.sqrt(np.maximum(25 - branch.along**2, 0)), abs=1e-3)
        assert (np.diff(branch.along) > 0).all()
        assert (np.sign(branch.values[1:-1]) == np.sign(branch.values[branch.along.size // 2])).all()


def test_lines_that_cross_keep_going_as_they_went() -> None:
    """(x - y)(x + y) = 0: two straight lines through 0, which is left out of what is looked at."""
    found = _curve("(x - y) * (x + y) == 0", "-4..4/8")
    slopes = sorted(float(np.polyfit(one.along, one.values, 1)[0]) for one in found.branches)
    assert len(found.branches) == 2
    assert slopes == pytest.approx([-1, 1], abs=1e-6)


@pytest.mark.parametrize(
    ("name", "along", "said"),
    [
        ("x", {"x": "1..2"}, "cannot be found along itself"), ("x", {"y": "3"}, "goes along a range"), ("x", {}, "Name one input to go along"),
        ("x", {"z": "1..2"}, "There is no input 'z'"), ("x", {"y": "a..b"}, "y"), ("w", {"y": "1..2"}, "takes one of several words"),
    ],
)  # fmt: skip
def test_what_has_no_line_is_refused(name: str, along: dict[str, Any], said: str) -> None:
    made = deal(
        {"m": "x * y"},
        inputs={"x": 1, "y": 2, "w": {"value": "a", "choices": ["a", "b"]}},
        goals={"m": {"at_least": 1}},
    )
    with pytest.raises(InputError, match=said):
        made.break_even(name, "m == 4", along=along)
    nothing = made.break_even("x", "m * m == -1", along={"y": "1..2/3"})
    assert not nothing.branches
    assert "nothing found" in str(nothing)
    assert math.isclose(made.break_even("x", along={"y": "1..2/3"}).branches[0].values[0], 1)

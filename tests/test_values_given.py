"""A number in the place of a value's formula: wherever an input may stand, and told."""

from __future__ import annotations

from typing import Any

import pytest

from pennyweight import Deal, InputError


def _quay(**more: Any) -> Deal:
    document: dict[str, Any] = {
        "deal": "Quay crane", "currency": "EUR", "timeline": {"periods": 5},
        "inputs": {"lifts": 1_000, "fee": 40},
        "values": {"cost": {"formula": "90_000 + 10 * lifts", "unit": "money"}, "yearly": {"formula": "lifts * fee", "unit": "money"}, "back": "cost / yearly"},
        "money_in": {"fees": "yearly"}, "money_out": {"bought": {"formula": "cost", "at": 0}},
        "measures": {"left": "total(net)", "back_after": "back"}, "goals": {"left": {"at_least": 0}}, **more,
    }  # fmt: skip
    return Deal.from_dict(document)


def _left(cost: float = 100_000, yearly: float = 40_000) -> float:
    return 5 * yearly - cost


def test_a_value_takes_a_number_where_an_input_does() -> None:
    made = _quay(
        scenarios={"dear": {"cost": 130_000}, "dearer": {"based_on": "dear", "cost": {"scale": 1.1}}, "more": {"yearly": {"scale": 0.9}}, "most": {"based_on": "more", "yearly": {"shift": 5_000}}},
        questions={"most_cost": {"find": "cost", "so_that": "left == 0"}},
        tables={"costs": {"by": {"cost": [80_000, 120_000]}, "columns": {"left": "total(net)", "back": "back"}}},
    )  # fmt: skip
    expected = {"base": _left(), "dear": _left(130_000), "dearer": _left(143_000), "more": _left(yearly=36_000), "most": _left(yearly=41_000)}  # fmt: skip
    assert {name: made.weigh(name).measures["left"].value for name in expected} == pytest.approx(expected)
    given = made.weigh(inputs={"cost": "110k", "lifts": 1_200})
    assert given.measures["left"].value == pytest.approx(_left(110_000, 48_000))
    assert given.measures["back_after"].value == pytest.approx(110_000 / 48_000)
    assert given.as_dict()["inputs"]["cost"] == 110_000
    assert any("its formula 90_000 + 10 * lifts is set aside" in said for _, said in given.checks)
    reason = made.why("cost", inputs={"cost": 110_000}).reason
    assert (reason.formula, reason.values) == ("given, instead of 90_000 + 10 * lifts", (110_000,))
    assert made.weigh(inputs={"yearly": "shift -1_000"}).measures["left"].value == pytest.approx(_left(yearly=39_000))
    varied = made.vary({"cost": [50_000, 150_000], "lifts": [1_000, 2_000]}).figures["left"]
    assert varied.tolist() == [[_left(50_000), _left(50_000, 80_000)], [_left(150_000), _left(150_000, 80_000)]]
    weighing = made.weigh()
    assert weighing.answers["most_cost"].answers[0].value == pytest.approx(200_000)
    assert weighing.tables["costs"].columns["left"].tolist() == [_left(80_000), _left(120_000)]
    assert made.find("yearly", "left == 0").answers["base"].answers[0].value == pytest.approx(20_000)
    assert [point.input for point in weighing.turning_points] == ["lifts", "fee"]  # a formula is none of one's guesses


def test_what_is_worked_out_otherwise_is_still_no_input() -> None:
    made = _quay()
    for name in ("left", "fees", "net", "costs"):
        with pytest.raises(InputError, match=f"no input '{name}'"):
            made.weigh(inputs={name: 3})

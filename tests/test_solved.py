"""Inputs that the deal finds itself: against a closed form, wherever cases are made, and one after the other."""

from __future__ import annotations

import math
from typing import Any

import numpy as np
import pytest

from pennyweight import Deal, InputError
from tests.plain_deal import PlainDeal
from tests.sizes import cases

_SOLVED = {"so_that": "lowest(cash / service, where = service > 0) >= cover", "pick": "largest", "between": [1_000, 900_000], "unit": "money"}  # fmt: skip


def _plant(**more: Any) -> dict[str, Any]:
    document: dict[str, Any] = {
        "deal": "Tide mill", "currency": "EUR", "timeline": {"period": "year", "periods": 15},
        "inputs": {"sales": 60_000, "cost": 520_000, "cover": 1.3, "rate": {"value": "5%", "unit": "rate"}, "debt": _SOLVED, "hurdle": "9%"},
        "loans": {"bank": {"amount": "debt", "rate": "rate", "years": 12, "per_year": 1}},
        "money_in": {"taken": "sales"}, "money_out": {"built": {"formula": "cost", "at": 0}, "kept": "0.1 * sales"},
        "lines": {"cash": "taken - kept", "service": "bank.payment"},
        "measures": {"npv": "npv(net, hurdle)", "irr": "irr(net)", "equity": "cost - debt"}, "goals": {"npv": {"at_least": 0}},
    }  # fmt: skip
    for section, own in more.items():
        document[section] = {**document.get(section, {}), **own}
    return document


def _debt(sales: float = 60_000, cover: float = 1.3, rate: float = 0.05) -> float:
    """The debt whose level payment is the cash over the cover: an annuity of twelve."""
    return 0.9 * sales / cover * (1 - (1 + rate) ** -12) / rate


def _npv(sales: float, debt: float, hurdle: float = 0.09) -> float:
    payment = debt * 0.05 / (1 - 1.05**-12)
    return -520_000 + debt + sum((0.9 * sales - (payment if k <= 12 else 0)) / (1 + hurdle) ** k for k in range(1, 16))


def test_the_deal_uses_what_it_finds_in_every_case() -> None:
    made = Deal.from_dict(
        _plant(
            scenarios={"calm": {"sales": {"scale": 0.8}}, "typed": {"debt": 100_000}},
            tables={"covers": {"by": {"cover": [1.1, 1.5]}, "columns": {"lent": "debt"}}},
            questions={"enough": {"find": "sales", "so_that": "debt == 400_000"}},
        )
    )
    weighing = made.weigh()
    assert weighing.inputs["debt"] == pytest.approx(_debt(), rel=1e-12)
    told = weighing.as_dict()
    assert told["solved"]["debt"]["value"] == told["inputs"]["debt"] == weighing.inputs["debt"]
    assert weighing.measures["npv"].value == pytest.approx(_npv(60_000, _debt()), rel=1e-9)
    assert made.weigh("calm").inputs["debt"] == pytest.approx(_debt(48_000), rel=1e-12)
    assert made.weigh("typed").inputs["debt"] == 100_000
    assert made.weigh("typed").solved == {}
    assert weighing.tables["covers"].columns["lent"].tolist() == pytest.approx([_debt(cover=1.1), _debt(cover=1.5)])
    varied = made.vary({"rate": [0.03, 0.07]}).figures["equity"]
    assert varied.tolist() == pytest.approx([520_000 - _debt(rate=0.03), 520_000 - _debt(rate=0.07)])
    assert weighing.answers["enough"].answers[0].value == pytest.approx(60_000 * 400_000 / _debt())
    assert "found so that lowest(cash / service" in made.why("debt").reason.formula
    assert made.vary({"debt": [100_000, 200_000]}).figures["npv"].tolist() == pytest.approx(
        [_npv(60_000, 1e5), _npv(60_000, 2e5)]
    )


def test_turning_points_tell_what_turns_the_verdict_after_solving_anew() -> None:
    weighing = Deal.from_dict(_plant()).weigh()
    point = next(one for one in weighing.turning_points if one.input == "sales")
    turn = point.turns_at
    assert turn is not None
    assert _npv(turn, _debt(turn)) == pytest.approx(0.0, abs=1e-5)
    assert abs(_npv(turn, _debt())) > 1_000  # with the debt held as it stands it would turn elsewhere


def test_what_needs_another_is_found_after_it_and_two_cannot_need_each_other() -> None:
    fee = {"so_that": "fee == 0.02 * debt + 0.5 * fee", "between": [0, 90_000], "unit": "money"}
    made = Deal.from_dict(_plant(inputs={"fee": fee}, measures={"left": "cost - debt + fee"}))
    assert made.weigh("base", inputs={"cover": 1.5}).measures["left"].value == pytest.approx(
        520_000 - 0.96 * _debt(cover=1.5)
    )
    both = {"so_that": "npv(net, hurdle) + grant >= 0", "pick": "smallest", "between": [0, 900_000], "unit": "money"}
    with pytest.raises(InputError, match=r"found with that of .*, and the other way round"):
        Deal.from_dict(_plant(inputs={"grant": both, "debt": {**_SOLVED, "so_that": "equity - grant >= 10_000"}}))


def test_none_or_several_are_undefined_and_told() -> None:
    none = Deal.from_dict(_plant(inputs={"debt": {**_SOLVED, "between": [700_000, 900_000]}})).weigh()
    assert (none.inputs["debt"], none.verdict) == (pytest.approx(math.nan, nan_ok=True), "falls short")
    assert "no single debt from 700,000.00 to 900,000.00" in none.measures["npv"].reason
    failed = [said for passed, said in none.checks if not passed]
    assert any("debt is undefined" in said and "where it misses by" in said for said in failed)
    bowl = {"so_that": "(level - 2) * (level - 5) <= 0", "between": [0, 9]}
    several = Deal.from_dict(_plant(inputs={"level": bowl}, measures={"twice": "2 * level"})).weigh()
    assert several.measures["twice"].value is None
    picked = [Deal.from_dict(_plant(inputs={"level": {**bowl, "pick": way}}, measures={"twice": "2 * level"})).weigh() for way in ("smallest", "largest")]  # fmt: skip
    assert [one.measures["twice"].value for one in picked] == pytest.approx([4, 10])
    whole = {**bowl, "pick": "largest", "whole": True, "between": [0, 4]}
    assert (
        Deal.from_dict(_plant(inputs={"level": whole}, measures={"twice": "2 * level"})).weigh().measures["twice"].value
        == 8
    )


@pytest.mark.parametrize("seed", range(cases(8)))
def test_random_deals_that_solve_agree_with_the_plain_way(seed: int) -> None:
    """The same in a batch as alone, and as halving by the second implementation finds it."""
    draw = np.random.default_rng(seed)
    document = _plant(inputs={"sales": int(draw.integers(40_000, 90_000)), "cover": float(draw.uniform(1.05, 1.8))})
    document["inputs"]["rate"] = {"value": float(draw.uniform(0.02, 0.09)), "unit": "rate"}
    document["loans"]["bank"] |= {"rate": document["inputs"]["rate"]["value"], "per_year": 12}
    made = Deal.from_dict(document)
    alone = made.weigh().inputs["debt"]
    paper = {**document["inputs"]}

    def holds(debt: float) -> bool:
        return bool(PlainDeal(document, {**paper, "debt": debt}).formula("lowest(cover_of) >= cover", 0))

    document["lines"]["cover_of"] = {"formula": "cash / service if service > 0 else 99", "from": 1}
    low, high = 1_000.0, 900_000.0
    for _ in range(60):
        low, high = ((low + high) / 2, high) if holds((low + high) / 2) else (low, (low + high) / 2)
    assert alone == pytest.approx(low, rel=1e-9)
    together = made.vary({"sales": [document["inputs"]["sales"], 70_000, 55_000]}).figures["equity"]
    assert 520_000 - together[0] == pytest.approx(alone, rel=1e-12)


@pytest.mark.parametrize(
    ("given", "said"),
    [
        ({**_SOLVED, "between": None}, "say with 'between' where its value is looked for"),
        ({**_SOLVED, "between": [9, 1]}, "write the smaller first"),
        ({**_SOLVED, "so_that": "sales >= 3"}, "does not hang on debt"),
        ({**_SOLVED, "so_that": "npv"}, "write a condition"),
        ({**_SOLVED, "value": 3}, "has value and so_that; give it one of"),
        ({**_SOLVED, "low": 3}, "its value is found, so that it has no 'low'"),
        ({"value": 3, "pick": "largest"}, "'pick' and 'between' go with 'so_that'"),
        ({**_SOLVED, "so_that": "cash >= 3"}, "has a value for each period"),
    ],
)  # fmt: skip
def test_what_cannot_be_solved_is_refused(given: dict[str, Any], said: str) -> None:
    with pytest.raises(InputError, match="debt") as caught:
        Deal.from_dict(_plant(inputs={"debt": {key: value for key, value in given.items() if value is not None}}))
    assert said in str(caught.value)

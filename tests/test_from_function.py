"""A deal that is a function of Python, beside the same deal written down as formulas."""

from __future__ import annotations

import math
import warnings
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from pennyweight import Deal, InputError
from pennyweight.report.files import write

_INPUTS: dict[str, Any] = {
    "price": {"value": 9_000, "unit": "money", "low": 8_000, "high": 12_000},
    "sales": {"value": 2_000, "unit": "money", "low": 1_500, "high": 2_600},
    "growth": {"value": "2%", "unit": "rate", "low": "-1%", "high": "4%"},
    "costs": {"steps": {"1": 300, "4": 400}, "unit": "money", "low": 0.8, "high": 1.3},
}
_GOALS = {"npv": {"at_least": 0}}
_SCENARIOS = {"dear": {"price": 11_000, "sales": 2_200, "costs": {"scale": 1.1}}}
_CALLS: list[int] = []


def kiln(price: Any, sales: Any, growth: Any, costs: Any) -> dict[str, Any]:
    """Serves one case and many: periods come first."""
    _CALLS.append(1)
    t = np.arange(7.0).reshape(-1, *[1] * max(np.ndim(sales * growth * price), np.ndim(costs) - 1))
    costs = np.nan_to_num(costs).reshape(7, -1)[:, : max(np.size(costs) // 7, 1)]
    costs = costs if t.ndim == 2 else costs[:, 0]
    flow = np.where(t > 0, sales * (1 + growth) ** np.maximum(t - 1, 0) - costs, -price)
    return {"npv": (flow * 1.08**-t).sum(axis=0), "cash": np.cumsum(flow, axis=0)}


def one_by_one(price: float, sales: float, growth: float, costs: Any) -> dict[str, Any]:
    """The same for one case alone."""
    _CALLS.append(1)
    cash = [-price]
    npv = -price
    for t in range(1, 7):
        flow = float(sales) * (1 + growth) ** (t - 1) - float(costs[t])
        npv += flow * 1.08**-t
        cash.append(cash[-1] + flow)
    return {"npv": float(npv), "cash": cash}


def _formulas() -> Deal:
    return Deal.from_dict(
        {
            "deal": "Kiln", "timeline": {"periods": 6}, "inputs": _INPUTS, "goals": _GOALS, "scenarios": _SCENARIOS,
            "money_in": {"sold": "sales * (1 + growth) ** (t - 1)"}, "money_out": {"paid": {"formula": "price", "at": 0}, "run": {"formula": "costs", "from": 1}},
            "measures": {"npv": "npv(net, 8%)"}, "lines": {"cash": {"formula": "running(net)", "from": 0}},
        }
    )  # fmt: skip


@pytest.mark.parametrize("function", [kiln, one_by_one])
def test_every_analysis_serves_a_function_as_it_serves_formulas(function: Any, tmp_path: Path) -> None:
    made = Deal.from_function(
        function, _INPUTS, goals=_GOALS, measures={"npv": {"unit": "money", "label": "Net present value"}},
        lines={"cash": {"unit": "money"}}, timeline={"periods": 6}, title="Kiln", scenarios=_SCENARIOS, currency="EUR",
    )  # fmt: skip
    plain = _formulas()
    for scenario in ("base", "dear"):
        mine, theirs = made.weigh(scenario), plain.weigh(scenario)
        assert mine.measures["npv"].value == pytest.approx(theirs.measures["npv"].value, rel=1e-12)
        assert mine.line("cash") == pytest.approx(theirs.line("cash"), rel=1e-12)
        assert mine.verdict == theirs.verdict
        assert not [said for holds, said in mine.checks if not holds]
    assert [(one.input, one.turns_at) for one in made.turning_points()] == [
        (one.input, None if one.turns_at is None else pytest.approx(one.turns_at, rel=1e-9))
        for one in plain.turning_points()
    ]
    asked = ("price", "npv == 100")
    assert made.find(*asked).answers["base"].values == pytest.approx(plain.find(*asked).answers["base"].values)
    axes = {"price": "8k..12k/3", "costs": "0.9..1.1/3"}
    assert made.vary(axes).figures["npv"] == pytest.approx(plain.vary(axes).figures["npv"])
    drawn = [one.simulate(512, show="npv", fan="cash") for one in (made, plain)]
    assert drawn[0].values["npv"] == pytest.approx(drawn[1].values["npv"], rel=1e-11)
    assert drawn[0].fans["cash"] == pytest.approx(drawn[1].fans["cash"], rel=5e-4)
    driven = [one.drivers("npv", cases=128).shares.shares for one in (made, plain)]
    assert [one.in_all for one in driven[0]] == pytest.approx([one.in_all for one in driven[1]], rel=1e-8)
    steps = [{one.name: one.share for one in deal.bridge("base", "dear", "npv").steps} for deal in (made, plain)]
    assert steps[0] == pytest.approx(steps[1])
    reason = made.why("npv").reason
    assert reason.formula == f"{function.__name__}(price, sales, growth, costs)"
    assert "price = 9,000" in reason.filled
    assert "costs = 300.00 to 400.00" in reason.filled
    assert [one.name for one in reason.below] == ["price", "sales", "growth"]
    for ending in (".html", ".pdf", ".xlsx", ".png", ".json"):
        write(made.weigh(), tmp_path / f"kiln{ending}")


def test_arrays_are_trusted_only_where_both_ways_agree() -> None:
    """A function that mixes its cases, or that branches, is called case by case; one that does not once for many."""

    def mixing(a: Any, b: float) -> dict[str, Any]:
        return {"m": a - np.mean(a) + b}

    def branching(a: Any, b: float) -> dict[str, Any]:
        return {"m": 2 * a if a > 5 else b}

    def rounding(a: Any, b: float) -> dict[str, Any]:
        return {"m": math.floor(a) + b}

    inputs = {"a": {"value": 5, "low": 1, "high": 9}, "b": {"value": 3, "low": 1, "high": 5}}
    for function in (mixing, branching, rounding):
        made = Deal.from_function(function, inputs)
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            wide = made.vary({"a": "1..9/33"}).figures["m"]
        alone = [function(float(a), 3.0)["m"] for a in np.linspace(1, 9, 33)]
        assert wide.tolist() == alone, function.__name__
    tried: list[tuple[Any, bool]] = [(kiln, True), (one_by_one, False)]
    for own, few in tried:
        made = Deal.from_function(own, _INPUTS, timeline={"periods": 6})
        _CALLS.clear()
        made.vary({"price": "8k..12k/2001"})
        assert (len(_CALLS) < 60) is few
        assert few or len(_CALLS) >= 2_001


def test_what_cannot_be_worked_out_is_undefined_and_everything_else_is_told() -> None:
    def ratio(a: float, b: float) -> dict[str, Any]:
        if b < 0:
            raise TypeError("b below zero")
        return {"m": a / float(b), "n": None if b > 5 else a}

    made = Deal.from_function(ratio, {"a": 5, "b": {"value": 2, "low": 0, "high": 9}})
    assert made.weigh(inputs={"b": 0}).measures["m"].value is None
    assert "ratio gives no number for m here" in made.weigh(inputs={"b": 0}).measures["m"].reason
    assert made.weigh(inputs={"b": 6}).measures["n"].value is None
    assert np.isnan(made.vary({"b": [0, 1, 2]}, show="m").figures["m"]).tolist() == [True, False, False]
    with pytest.raises(InputError, match=r"ratio\(a, b\) breaks with TypeError: b below zero"):
        made.weigh(inputs={"b": -1})


@pytest.mark.parametrize(
    ("function", "more", "said"),
    [
        (lambda a: {"m": a}, {"inputs": {"b": 1}}, "takes 'a', and there is no such input"),
        (lambda a: {"m": a}, {"inputs": {"a": 1, "b": 1}}, "does not take 'b'"),
        (lambda a: {}, {}, "gives no figures"), (lambda a: 5, {}, "must give figures by name"), (lambda a: {"m": "x"}, {}, "must give a number, or one a period"),
        (lambda a: {"m": np.ones(3)}, {}, "a line has 2, periods 0 to 1"), (lambda a: {"m": 1 / 0}, {}, "gives nothing for the inputs as they stand"),
        (lambda a: {"m x": 1}, {}, "a name has letters"), (lambda a: {"net": 1}, {}, "net"), (lambda a: {"m": a}, {"measures": {"n": {}}}, "gives no 'n'"),
        (lambda a: {"m": a}, {"goals": {"n": {"at_least": 1}}}, "n"), (lambda a: {"m": a}, {"loans": {}}, "There is no section 'loans'"),
        (lambda a: {"m": a}, {"measures": {"m": {"formula": "a + 1"}}}, "so that it takes no 'formula'"), (lambda a: {"m": a}, {"sets": {}}, "There is no section 'sets'"),
    ],
)  # fmt: skip
def test_what_is_no_deal_is_refused(function: Any, more: dict[str, Any], said: str) -> None:
    inputs = more.pop("inputs", {"a": 1}) if "inputs" in more else {"a": 1}
    with pytest.raises(InputError, match=said):
        Deal.from_function(function, inputs, **more)


def _asks_all(price: Any, sales: Any) -> dict[str, Any]:
    """A rebate that is meant for each case, and asked of all at once."""
    rebate = 1_000 if np.any(price > 129) else 0
    return {"gain": 3 * sales - price - rebate}


def test_a_function_that_asks_a_question_of_all_its_cases_is_called_for_each() -> None:
    """Some cases of every block are tried alone, so that no row is off; `each_alone` says it at once, without a word."""
    inputs = {"price": 100, "sales": {"value": 400, "low": 300, "high": 500, "uncertain": "uniform"}}
    deal = Deal.from_function(_asks_all, inputs)
    prices = np.linspace(29, 229, 4_001)
    with pytest.warns(UserWarning, match="called for each; say each_alone=True"):
        gains = deal.vary({"price": prices.tolist()}).figures["gain"]
    assert gains.tolist() == [1_200 - one - (1_000 if one > 129 else 0) for one in prices.tolist()]
    with warnings.catch_warnings():
        warnings.simplefilter("error")
        again = Deal.from_function(_asks_all, inputs, each_alone=True).vary({"price": prices.tolist()})
    assert again.figures["gain"].tolist() == gains.tolist()

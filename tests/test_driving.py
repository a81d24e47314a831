"""What drives a figure: swings beside weighing at each end, shares of variance beside closed forms."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from typing import Any

import numpy as np
import pytest

from pennyweight import Deal, InputError
from pennyweight.analysis.cases import Model
from pennyweight.analysis.driving.shares import shares_of
from pennyweight.analysis.simulating.draws import Draws
from pennyweight.analysis.simulating.falls import falling_inputs
from tests.builders import TAXI, deal
from tests.sizes import cases


def test_swings_are_what_weighing_at_each_end_says() -> None:
    made = Deal.read(TAXI)
    for measure, moved in (("npv", None), ("payback", "10%"), ("cover", None)):
        found = made.drivers(measure, moved=moved, cases=16)
        sizes = [one.size for one in found.swings if np.isfinite(one.size)]
        assert sizes == sorted(sizes, reverse=True)
        for one in found.swings:
            item = made.definition.inputs[one.input]
            for place, figure, verdict in (
                (one.low, one.at_low, one.verdict_low),
                (one.high, one.at_high, one.verdict_high),
            ):
                weighed = made.weigh(inputs={one.input: f"scale {place!r}" if item.by_scale else place})
                value = weighed.measures[measure].value
                assert figure == pytest.approx(math.nan if value is None else value, rel=1e-9, nan_ok=True), one
                assert verdict == weighed.verdict
    idle = {one.input: one.idle for one in made.drivers("payback", moved="10%", cases=16).swings}
    assert idle["bank.rate"] == "moves nothing as long as Share of the hull the bank lends is zero"
    assert idle["hurdle"] == "moves nothing: Payback does not hang on it here"


def _normals(**deviations: float) -> dict[str, Any]:
    return {
        name: {"value": 50, "uncertain": {"shape": "normal", "deviation": deviation}}
        for name, deviation in deviations.items()
    }


def test_shares_of_linear_and_of_multiplied_figures() -> None:
    """Of a sum each has the share of its variance; of a product of two independent ones with mean m and variances v, w:
    V = m² v + m² w + v w, of which v w belongs to both."""
    runs = cases(60)
    within = {"sum": 0, "alone": 0, "in all": 0}
    v, w = 10.0**2, 20.0**2
    whole = 50**2 * (v + w) + v * w
    summed = deal({"m": "2 * a + b - c"}, inputs=_normals(a=3, b=4, c=12))
    product = deal({"m": "a * b"}, inputs=_normals(a=10, b=20))
    for seed in range(1, runs + 1):
        shares = {
            one.inputs[0]: one
            for one in summed.drivers(cases=2_048, seed=seed, only=["a", "b", "c"], moved="10%").shares.shares
        }
        exact = {"a": 36 / 196, "b": 16 / 196, "c": 144 / 196}
        within["sum"] += all(abs(shares[k].in_all - exact[k]) <= shares[k].in_all_error for k in exact)
        both = {one.inputs[0]: one for one in product.drivers(cases=2_048, seed=seed, moved="10%").shares.shares}
        within["alone"] += abs(both["b"].alone - 50**2 * w / whole) <= both["b"].alone_error
        within["in all"] += abs(both["a"].in_all - (50**2 * v + v * w) / whole) <= both["a"].in_all_error
    assert within["alone"] >= runs * 0.95 - 3.5 * math.sqrt(runs * 0.0475)
    assert within["in all"] >= runs * 0.95 - 3.5 * math.sqrt(runs * 0.0475)
    assert within["sum"] >= runs * 0.86 - 3.5 * math.sqrt(runs * 0.12)  # three at once


class _Ishigami(Model):
    """sin x + 7 sin² y + 0.1 z⁴ sin x in the place of the figure m."""

    def evaluate(
        self, inputs: Mapping[str, Any], wanted: Sequence[str], *, cases: int | None = None
    ) -> dict[str, np.ndarray]:
        x, y, z = (np.asarray(inputs[name]) for name in "xyz")
        return {name: np.sin(x) + 7 * np.sin(y) ** 2 + 0.1 * z**4 * np.sin(x) for name in wanted}


def test_shares_of_the_function_of_ishigami() -> None:
    """Closed form: T. Ishigami and T. Homma, Proceedings of ISUMA '90, 1990, 398-403."""
    one = {"value": 0, "low": -math.pi, "high": math.pi, "uncertain": "uniform"}
    definition = deal({"m": "x + y + z"}, inputs={"x": one, "y": one, "z": one}).definition
    model = _Ishigami.of(definition)
    falling, _, _ = falling_inputs(model, "base", (), hold=(), only=())
    case = dict(model.inputs_of())
    found = shares_of(model, case, Draws(definition, falling, case), ["m"], seed=2, per_batch=1_024)["m"]
    a, b = 7.0, 0.1
    first, second = (1 + b * math.pi**4 / 5) ** 2 / 2, a**2 / 8
    both = 8 * b**2 * math.pi**8 / 225
    variance = first + second + both
    exact = {"x": (first, first + both), "y": (second, second), "z": (0.0, both)}
    for share in found.shares:
        alone, in_all = (part / variance for part in exact[share.inputs[0]])
        assert share.alone == pytest.approx(alone, abs=max(2 * share.alone_error, 1e-4))
        assert share.in_all == pytest.approx(in_all, abs=max(2 * share.in_all_error, 1e-4))
        assert share.alone_error < 0.02
    assert found.deviation == pytest.approx(math.sqrt(variance), rel=0.01)


def test_what_moves_together_is_one_and_what_is_undefined_is_refused() -> None:
    linked = _normals(a=3, b=4, c=5)
    linked["a"]["moves_with"] = {"b": 0.9}
    made = deal({"m": "a + b + c"}, inputs=linked, goals={"m": {"at_least": 155}})
    found = made.drivers(cases=4_096, moved="10%")
    shares = {one.inputs: one.in_all for one in found.shares.shares}
    rho = 2 * math.sin(math.pi * 0.9 / 6)
    together = 9 + 16 + 2 * 12 * rho
    assert shares["a", "b"] == pytest.approx(together / (together + 25), abs=0.01)
    assert "a and b (move together)" in str(found)
    assert found.verdict_shares is not None
    bad = deal({"m": "sqrt(a - 48)"}, inputs=_normals(a=3, b=4)).drivers(cases=512, moved="10%")
    assert bad.shares is not None
    assert not bad.shares.shares
    assert "is undefined in" in bad.shares.refused
    assert "not told" in str(bad)
    still = deal({"m": "a * 0 + 5"}, inputs=_normals(a=3, b=4)).drivers(cases=512, moved="10%")
    assert still.shares is not None
    assert still.shares.refused == "it is the same in every case"


def test_columns_words_and_wandering_series_drive_too() -> None:
    made = deal(
        {"m": "total(sold) if way == 'own' else total(sold) - 100"},
        sets={"shops": {"rows": [{"shop": "A", "sales": 100}, {"shop": "B", "sales": 300}], "columns": {"sales": {"low": 0.8, "high": 1.2, "uncertain": "uniform"}}}},
        inputs={
            "way": {"value": "own", "choices": ["own", "rented"], "uncertain": {"own": 1, "rented": 1}},
            "price": {"steps": {"1": 2}, "low": 0.5, "high": 1.5, "uncertain": {"yearly": "20%"}},
        },
        lines={"sold": "price * sum_of(shops.sales)"},
        goals={"m": {"at_least": 1_000}},
    )  # fmt: skip
    found = made.drivers(cases=1_024)
    assert {one.input for one in found.swings} == {"way", "price", "shops.sales"}
    swing = {one.input: one for one in found.swings}
    assert (swing["price"].at_low, swing["price"].at_high) == (2_400, 7_200)
    assert (swing["shops.sales"].low, swing["shops.sales"].at_high) == (0.8, pytest.approx(5_760))
    assert swing["way"].size == 100
    assert [one.inputs for one in found.shares.shares] == [("shops.sales",), ("price",), ("way",)]
    assert found.as_dict()["rows"][-1]["low"] == "rented"


def test_what_drives_nothing_is_refused() -> None:
    made = deal({"m": "a"}, inputs={"a": 5})
    with pytest.raises(InputError, match="No input has a low and a high"):
        made.drivers()
    for wrong, said in (
        ({"measure": "x"}, "There is no measure 'x'"), ({"moved": "0%"}, "above 0"), ({"only": "b"}, "There is no input 'b'"),
        ({"only": "a"}, "without a low and a high"), ({"measure": "pays_off"}, "There is no measure"),
        ({"hold": "a", "only": "a"}, "not both"),
    ):  # fmt: skip
        with pytest.raises(InputError, match=said):
            made.drivers(**wrong)
    with pytest.raises(InputError, match="b is not moved anyway; leave it out"):
        deal({"m": "a + b"}, inputs={"a": {"value": 5, "low": 1, "high": 9}, "b": 1}).drivers(hold="b")
    assert "Fewer than two inputs are drawn" in str(
        deal({"m": "a"}, inputs={"a": {"value": 5, "low": 1, "high": 9}}).drivers()
    )

"""Drawn cases beside closed forms, over many seeds, and beside weighing each case by itself."""

from __future__ import annotations

import math
from statistics import NormalDist
from typing import Any

import numpy as np
import pytest

from pennyweight import Deal, InputError
from pennyweight.analysis.cases import Model
from pennyweight.analysis.simulating.draws import Draws, Points
from pennyweight.analysis.simulating.falls import falling_inputs
from tests.builders import TAXI, deal
from tests.sizes import cases

_RUNS = cases(120)


def _words(result: object) -> str:
    """What a page says, on one line."""
    return " ".join(str(result).split())


def _uncertain(name: str, **inputs: Any) -> Deal:
    return deal({"m": name}, goals={"m": {"at_least": 100}}, inputs=inputs)


_TWO = {
    "a": {"value": 60, "uncertain": {"shape": "normal", "deviation": 6}},
    "b": {"value": 50, "uncertain": {"shape": "normal", "deviation": 8}},
}
_GROWING = {
    "a": {"value": 20, "uncertain": {"shape": "lognormal", "deviation": 4}},
    "b": {"value": 5, "uncertain": {"shape": "lognormal", "deviation": 1}},
}
_RANGED = {
    "a": {"value": 70, "low": 60, "high": 120, "uncertain": "triangular"},
    "b": {"value": 20, "low": 10, "high": 40, "uncertain": "pert"},
}
_WEIGHED = {
    "a": {"value": 7, "whole": True, "uncertain": {"6": 1, "7": 3, "9": 1}},
    "way": {"value": "own", "choices": ["own", "rented"], "uncertain": {"own": 3, "rented": 1}},
}


def _log_sums() -> tuple[float, float]:
    """The mean and the deviation of ln(a b) of two lognormals."""
    parts = [math.log1p((deviation / mean) ** 2) for mean, deviation in ((20, 4), (5, 1))]
    return math.log(100) - sum(parts) / 2, math.sqrt(sum(parts))


# Formula, inputs, and in closed form: mean, the chance of 100 or more, the middle where there is one.
_KNOWN: dict[str, tuple[str, dict[str, Any], float, float, float | None]] = {
    "sum of normals": ("a + b", _TWO, 110, NormalDist(110, 10).cdf(120), 110),
    "product of lognormals": ("a * b", _GROWING, 100, 1 - NormalDist(*_log_sums()).cdf(math.log(100)), math.exp(_log_sums()[0])),
    "triangle": ("a + 0 * b", _RANGED, 250 / 3, (120 - 100) ** 2 / (60 * 50), 120 - math.sqrt(60 * 50 / 2)),
    "pert mean": ("b + 80", _RANGED, 80 + (10 + 4 * 20 + 40) / 6, 0.6370, None),
    "weights": ("a * (20 if way == 'own' else 10)", _WEIGHED, 7.2 * 17.5, 0.75, 140),
}  # fmt: skip


@pytest.mark.parametrize("name", _KNOWN)
@pytest.mark.parametrize("plain", [False, True])
def test_chances_means_and_middles_are_those_of_closed_forms(name: str, plain: bool) -> None:
    """The errors told hold at the rate they say: in 95 of 100 runs, by the binomial, and evenly spread points err less."""
    formula, inputs, mean, chance, middle = _KNOWN[name]
    if name == "pert mean":  # (10, 20, 40): a beta of 7/3 and 11/3 above a share of one third, by plain summing
        x = np.linspace(0, 1, 2_000_001)[1:-1]
        density = x ** (4 / 3) * (1 - x) ** (8 / 3)
        chance = float(density[x >= 1 / 3].sum() / density.sum())
    made = _uncertain(formula, **inputs)
    within = {"mean": 0, "chance": 0, "middle": 0}
    for seed in range(1, _RUNS + 1):
        found = made.simulate(1_024, seed=seed, plain=plain)
        spread, told = found.spreads["m"], found.chances["pays_off"]
        within["mean"] += abs(spread.mean - mean) <= spread.mean_error + 1e-12
        within["chance"] += abs(told.met - chance) <= told.met_error + 1e-12
        if middle is not None and name != "weights":
            within["middle"] += abs(spread.percentiles[50] - middle) <= 1.5 * spread.errors[50]  # of a batch it is bent
    least = _RUNS * 0.95 - 3.5 * math.sqrt(_RUNS * 0.95 * 0.05)
    assert within["mean"] >= least
    assert within["chance"] >= least
    assert middle is None or name == "weights" or within["middle"] >= least
    if not plain:
        assert (
            made.simulate(4_096).spreads["m"].mean_error
            < 0.3 * made.simulate(4_096, plain=True).spreads["m"].mean_error
        )


def test_every_case_is_the_deal_weighed_with_its_values() -> None:
    """Also percentiles, the worst five in a hundred, and what the missed cases have in common."""
    made = Deal.read(TAXI)
    found = made.simulate(256, seed=7, fan="reserve")
    case = dict(made.model.inputs_of())
    falling, _, _ = falling_inputs(made.model, "base", (), hold=(), only=())
    draws = Draws(made.definition, falling, case)
    rounds = [draws.values(Points(draws.width, seed=7).take(16))]
    drawn = {
        name: np.concatenate([one[name].reshape(16, -1) for one in rounds], axis=1).reshape(-1) for name in rounds[0]
    }
    lines, missed = [], []
    for k in range(256):
        weighed = made.weigh(inputs={name: float(values[k]) for name, values in drawn.items()})
        lines.append(weighed.line("reserve"))
        missed.append(weighed.verdict == "falls short")
        for name, figure in weighed.measures.items():
            value = found.values[name][k]
            assert value == pytest.approx(math.nan if figure.value is None else figure.value, rel=1e-9, nan_ok=True)
    assert found.chances["pays_off"].missed == pytest.approx(np.mean(missed))
    npv = np.sort(found.values["npv"])
    assert found.spreads["npv"].worst == pytest.approx(npv[: math.ceil(0.05 * 256)].mean())
    assert found.spreads["payback"].worst == pytest.approx(np.sort(found.values["payback"])[-13:].mean())
    exact = np.quantile(np.array(lines), [0.05, 0.25, 0.5, 0.75, 0.95], axis=0, method="inverted_cdf")
    assert found.fans["reserve"] == pytest.approx(exact, rel=5e-4)
    shared = {one.input: one for one in found.in_common}["crew"]
    assert shared.missed == pytest.approx(drawn["crew"][np.array(missed)].mean())
    assert shared.others == pytest.approx(drawn["crew"][~np.array(missed)].mean())


def _drawn(made: Deal, count: int = 4_096) -> dict[str, np.ndarray]:
    falling, _, _ = falling_inputs(made.model, "base", (), hold=(), only=())
    draws = Draws(made.definition, falling, dict(made.model.inputs_of()))
    return draws.values(Points(draws.width, seed=3).take(count))


def test_series_wander_as_they_say(tmp_path: Any) -> None:
    (tmp_path / "fuel.csv").write_text(
        "price\n" + "\n".join(f"{100 * 1.1 ** (k % 3) * 1.02**k:.6f}" for k in range(12)), encoding="utf-8"
    )
    (tmp_path / "d.toml").write_text(
        """
deal = "Wanders"
[timeline]
period = "quarter"
periods = 24
[inputs]
trips = { steps = { 0 = 100, 5 = 200 }, uncertain = { yearly = "10%", persists = "60%" }, moves_with = { price = 0.6 } }
price = { steps = { 1 = 5 }, uncertain = { yearly = "20%" } }
rate  = { steps = { 0 = "3%" }, unit = "rate", uncertain = { yearly = "1%", persists = "100%" } }
all   = { steps = { 0 = 10 }, uncertain = { all_years = "10%" } }
fuel  = { steps = { 0 = 50 }, uncertain = { file = "fuel.csv", column = "price", blocks = 3 } }
[money_in]
fares = "trips * price * (1 + rate) + all - fuel"
[measures]
m = "total(net)"
""",
        encoding="utf-8",
    )
    drawn = _drawn(Deal.read(tmp_path / "d.toml"))
    trips = drawn["trips"]
    assert (trips[0] == 100).all()
    assert (trips[1] == trips[4]).all()
    for year in (1, 2, 6):
        factor = trips[4 * year] / (200 if year > 1 else 100)
        variance = 0.1**2 * sum(0.6 ** (2 * k) for k in range(year))
        assert factor.mean() == pytest.approx(1, abs=2e-3)
        assert np.log(factor).var() == pytest.approx(variance, rel=0.02)
    logs = [np.log(trips[4 * year]) for year in (2, 3)]
    spread = [0.1**2 * sum(0.6 ** (2 * k) for k in range(year)) for year in (2, 3)]
    assert np.corrcoef(logs)[0, 1] == pytest.approx(0.6 * math.sqrt(spread[0] / spread[1]), abs=0.01)
    ranks = [np.argsort(np.argsort(drawn[name][1])) for name in ("trips", "price")]
    assert np.corrcoef(ranks)[0, 1] == pytest.approx(0.6, abs=0.01)
    assert drawn["rate"][24].std() == pytest.approx(0.01 * math.sqrt(6), rel=0.02)
    assert drawn["all"].std(axis=1) == pytest.approx(np.full(25, 1.0), rel=0.02)
    assert (np.ptp(drawn["all"], axis=0) == 0).all()
    history = np.array([1.02 * 1.1 if (k + 1) % 3 else 1.02 / 1.21 for k in range(11)])
    changes = history / history.mean()
    fuel = drawn["fuel"][4::4] / np.vstack([np.full(drawn["fuel"].shape[1], 50.0), drawn["fuel"][4:-4:4]])
    assert np.abs(np.log(fuel)[..., None] - np.log(changes)).min(axis=-1).max() < 1e-6  # every change is one of those
    drops = (fuel < 0.9).reshape(2, 3, -1).sum(axis=1)
    assert set(np.unique(drops).tolist()) == {0, 1}  # of three years in a row one falls, unless the history begins anew


def test_what_moves_together_attains_what_it_can() -> None:
    """Ranks of continuous inputs attain what is asked; of weights of 90 and 10, less than half of it."""
    made = deal(
        {"m": "a + b + c"},
        inputs={
            "a": {"value": 1, "low": 0, "high": 3, "uncertain": "triangular", "moves_with": {"b": 0.8, "c": -0.5}},
            "b": {"value": 2, "uncertain": {"shape": "normal", "deviation": 1}},
            "c": {"value": 5, "uncertain": {"shape": "lognormal", "deviation": 4}},
            "d": {"value": 0, "whole": True, "uncertain": {"0": 90, "1": 10}, "moves_with": {"e": 0.8}},
            "e": {"value": 0, "whole": True, "uncertain": {"0": 90, "1": 10}},
        },
    )
    told = made.simulate(32_768).moved_together
    assert [one[0] for one in told.values()] == [0.8, -0.5, 0.8]
    assert told["a", "b"][1] == pytest.approx(0.8, abs=0.01)
    alone = "b moves with a, which is held, so that it falls alone."
    assert alone in _words(made.simulate(64, hold="a"))
    assert alone in " ".join(str(made.drivers(cases=16, hold="a", moved="10%")).split())
    assert told["a", "c"][1] == pytest.approx(-0.5, abs=0.01)
    latent = 2 * math.sin(math.pi * 0.8 / 6)
    draw = np.random.default_rng(5).standard_normal((2, 2_000_000))
    other = latent * draw[0] + math.sqrt(1 - latent**2) * draw[1]
    cut = NormalDist().inv_cdf(0.9)
    assert told["d", "e"][1] == pytest.approx(np.corrcoef(draw[0] > cut, other > cut)[0, 1], abs=0.02)


def test_who_is_drawn_and_who_is_held(monkeypatch: pytest.MonkeyPatch) -> None:
    inputs = {
        "price": {"value": 90, "low": 80, "high": 100, "decision": True},
        "sales": {"value": 120, "low": 100, "high": 150},
        "cost": {"value": 20, "low": 10, "high": 30},
        "size": {"value": 2, "low": 1, "high": 3, "whole": True},
        "age": {"value": 4, "low": 1, "high": 9, "fixed": True},
    }
    made = deal(
        {"m": "sales - price - cost * size + age"},
        inputs=inputs,
        goals={"m": {"at_least": 0}},
        scenarios={"dear": {"cost": 25}, "bad": {"all_inputs": "low"}},
    )
    found = made.simulate(256)
    assert [one.item.name for one in found.falling] == ["sales", "cost"]
    assert found.by_range
    assert "was taken as triangular about its value" in _words(found)
    dear = made.simulate(256, scenario="dear")
    assert [one.item.name for one in dear.falling] == ["sales"]
    assert "cost (the scenario dear sets it)" in _words(dear)
    with pytest.raises(InputError, match=r"Nothing is left to be drawn: sales \(the scenario bad sets it\), cost"):
        made.simulate(256, scenario="bad")
    assert [one.item.name for one in made.simulate(256, hold="cost").falling] == ["sales"]
    assert [one.item.name for one in made.simulate(256, inputs={"sales": 130}).falling] == ["cost"]
    for wrong, said in (
        ({"only": "price"}, "price cannot be drawn"), ({"only": "size"}, "needs weights"), ({"hold": "age"}, "is not drawn anyway"),
        ({"only": "sale"}, "did you mean 'sales'"), ({"hold": ["sales", "cost"]}, "Nothing is left to be drawn"),
        ({"cases": 0}, "cases"), ({"until": "60%"}, "must be a percentage above 0"), ({"fan": "sales"}, "is no line or level"), ({"show": "x"}, "There is no measure"),
    ):  # fmt: skip
        with pytest.raises(InputError, match=said):
            made.simulate(**{"cases": 256, **wrong})
    sure = made.simulate(64, until="2%")
    assert sure.chances["pays_off"].met_error <= sure.until == 0.02
    assert f"After {sure.cases:,} cases the chance that it pays off is known to" in _words(sure)
    monkeypatch.setattr("pennyweight.analysis.simulating.simulation._MOST_UNTIL", 512)
    assert "After 512 cases, the most that are drawn, the chance" in _words(made.simulate(64, until="0.01%"))


def test_the_same_seed_draws_the_same_cases_for_any_number_of_threads(monkeypatch: pytest.MonkeyPatch) -> None:
    made = Deal.read(TAXI)
    wide = made.simulate(16_384, show="npv")
    monkeypatch.setattr("os.cpu_count", lambda: 1)
    alone = made.simulate(16_384, show="npv")
    assert np.array_equal(wide.values["npv"], alone.values["npv"])
    assert not np.array_equal(wide.values["npv"], made.simulate(16_384, show="npv", seed=2).values["npv"])


def test_what_is_broken_off_gives_what_is_done(monkeypatch: pytest.MonkeyPatch) -> None:
    made, real, calls = Deal.read(TAXI), Model.evaluate, []

    def evaluate(self: Model, *args: Any, **more: Any) -> Any:
        calls.append(more.get("cases"))
        if len(calls) == 4:
            raise KeyboardInterrupt
        return real(self, *args, **more)

    monkeypatch.setattr(Model, "evaluate", evaluate)
    found = made.simulate(100_000)
    monkeypatch.undo()
    assert (found.broken_off, found.cases) == (True, sum(calls[:3]))
    assert np.array_equal(
        found.values["npv"][: calls[0] // 16], made.simulate(found.cases).values["npv"][: calls[0] // 16]
    )
    assert "Broken off" in str(found)


@pytest.mark.parametrize(
    ("item", "said"),
    [
        ({"value": 5, "low": 6, "high": 9, "uncertain": "triangular"}, "lies outside low and high"),
        ({"value": 5, "low": 9, "high": 6, "uncertain": "pert"}, "low 9 is above high 6"),
        ({"value": 5, "low": 5, "high": 5, "uncertain": "uniform"}, "nothing is uncertain"),
        ({"value": 5, "uncertain": "triangular"}, "triangular needs low and high"),
        ({"value": 5, "low": 1, "high": 9, "uncertain": "triangle"}, "did you mean 'triangular'"),
        ({"value": 5, "uncertain": {"shape": "normal"}}, "normal needs 'deviation'"),
        ({"value": 5, "uncertain": {"shape": "normal", "deviation": -1}}, "must be above 0"),
        ({"value": -5, "uncertain": {"shape": "lognormal", "deviation": 1}}, "needs a value above 0"),
        ({"value": 5, "uncertain": {"yearly": "10%"}}, r"write steps = \{ 1 = 5 \} for its value"),
        ({"value": 5, "uncertain": {"all_years": "10%"}}, "moves a whole series"),
        ({"value": 5, "uncertain": {}}, "'uncertain' has nothing"),
        ({"value": 5, "uncertain": {"shape": "uniform", "blocks": 2}, "low": 1, "high": 9}, "has no 'blocks' beside 'shape'"),
        ({"value": 5, "whole": True, "uncertain": {"5": 0, "6": 0}}, "the weights add up to nothing"),
        ({"value": 5, "whole": True, "uncertain": {"5": 1, "6": -1}}, "must be 0 or more"),
        ({"value": 5, "whole": True, "low": 1, "high": 9, "uncertain": "triangular"}, "which fall by weights"),
        ({"value": 5, "decision": True, "low": 1, "high": 9, "uncertain": "uniform"}, "a decision is not uncertain"),
        ({"value": 5, "fixed": True, "uncertain": {"shape": "normal", "deviation": 1}}, "a fact is not uncertain"),
        ({"steps": {"1": 5}, "uncertain": {"yearly": "10%", "persists": "120%"}}, "persists is 120%"),
        ({"steps": {"1": 5}, "low": 4, "high": 500}, "of a series it is a multiple of all its values"),
        ({"value": 5, "moves_with": {"b": 0.5}}, "'moves_with' goes with 'uncertain'"),
        ({"value": 5, "low": 1, "high": 9, "uncertain": "pert", "moves_with": {"b": 0.5}}, "b is not uncertain"),
        ({"value": 5, "low": 1, "high": 9, "uncertain": "pert", "moves_with": {"a": 0.5}}, "names a itself"),
        ({"value": 5, "low": 1, "high": 9, "uncertain": "pert", "moves_with": {"b": 1.5}}, "between -1 and 1"),
        ({"value": 5, "low": 1, "high": 9, "uncertain": "pert", "moves_with": {"c": 0.5}}, "let both wander"),
        ({"value": 5, "low": 1, "high": 9, "uncertain": "pert", "each": True}, "each"),
    ],
)  # fmt: skip
def test_what_cannot_fall_is_refused(item: dict[str, Any], said: str) -> None:
    others = {"b": 1, "c": {"steps": {"1": 5}, "uncertain": {"yearly": "10%"}}}
    with pytest.raises(InputError, match=said):
        deal(
            {"m": "a"} if "steps" not in item else {"m": "total(a)"}, inputs={"a": item, **others}, lines={"x": "b * c"}
        )


def test_correlations_that_cannot_be_are_refused_with_the_nearest_that_can() -> None:
    one = {"value": 5, "low": 1, "high": 9, "uncertain": "pert"}
    with pytest.raises(
        InputError, match=r"contradict each other: nothing moves like this. The nearest that do: b with a 0\.\d+"
    ):
        deal(
            {"m": "a + b + c"},
            inputs={
                "a": {**one, "moves_with": {"b": 0.9, "c": -0.9}},
                "b": {**one, "moves_with": {"c": 0.9}},
                "c": one,
            },
        )


def test_columns_fall_as_one_or_each_for_itself() -> None:
    def shops(**uncertain: Any) -> Deal:
        return deal(
            {"m": "sum_of(shops.sales)"},
            sets={"shops": {"rows": [{"shop": "A", "sales": 100}, {"shop": "B", "sales": 300}], "columns": {"sales": {"low": 0.8, "high": 1.2, "uncertain": uncertain}}}},
        )  # fmt: skip

    spread = 0.4 / math.sqrt(12)
    together = shops(shape="uniform").simulate(4_096).values["m"].std()
    alone = shops(shape="uniform", each=True).simulate(4_096).values["m"].std()
    assert together == pytest.approx(400 * spread, rel=0.01)
    assert alone == pytest.approx(math.hypot(100, 300) * spread, rel=0.01)


def test_a_share_is_drawn_again_outside_its_ends_and_what_is_undefined_is_told() -> None:
    made = deal(
        {"m": "sqrt(left - 5%)", "n": "left"},
        inputs={"left": {"value": "10%", "uncertain": {"shape": "normal", "deviation": "8%"}}},
    )
    found = made.simulate(8_192)
    kept = NormalDist(0.1, 0.08)
    share = (kept.cdf(1) - kept.cdf(0.05)) / (kept.cdf(1) - kept.cdf(0))
    assert found.values["n"].min() >= 0
    assert found.spreads["m"].defined == pytest.approx(share, abs=0.01)
    text = _words(found)
    assert "drawn again outside 0% to 100%" in text
    many = {"steps": {"1": 5}, "uncertain": {"shape": "normal", "deviation": "40%"}}
    let = {"steps": {"1": "90%"}, "unit": "share", "uncertain": {"yearly": "10%"}}
    told = _words(deal({"m": "total(many * let)"}, inputs={"many": many, "let": let}).simulate(64))
    assert "drawn again below 0.00 times" in told
    assert "is kept between 0% and 100%" in told
    assert "m is undefined in" in text
    assert "its percentiles are those of the other cases" in text.lower()

"""What made the difference: beside all orders tried by brute force, closed forms, and files put together by hand."""

from __future__ import annotations

import itertools
import random
import tomllib
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from pennyweight import Deal, InputError
from pennyweight.analysis.comparing.game import divided
from tests.builders import STARTERS, TAXI, deal
from tests.sizes import cases


def _by_brute_force(made: Deal, first: str, changes: dict[str, Any], measure: str) -> dict[str, float]:
    """The mean of what each change does over all orders, each corner weighed by itself."""
    names = list(changes)
    known: dict[frozenset[str], Any] = {}

    def at(some: frozenset[str]) -> float:
        if some not in known:
            known[some] = made.weigh(first, inputs={name: changes[name] for name in some}).measures[measure].value
        return float(known[some])

    total = dict.fromkeys(names, 0.0)
    orders = list(itertools.permutations(names))
    for order in orders:
        for k, name in enumerate(order):
            total[name] += at(frozenset(order[: k + 1])) - at(frozenset(order[:k]))
    return {name: value / len(orders) for name, value in total.items()}


@pytest.mark.parametrize("seed", range(cases(10)))
def test_shares_are_the_mean_over_all_orders(seed: int) -> None:
    pick = random.Random(seed)
    changes = {
        "hull": pick.randint(380, 500) * 1_000, "crew": pick.randint(40, 60) * 1_000, "inflation": pick.uniform(0.01, 0.05),
        "grant_share": pick.uniform(0, 0.3), "battery": pick.randint(60, 130) * 1_000, "bank_share": pick.uniform(0.1, 0.6),
    }  # fmt: skip
    chosen = dict(pick.sample(sorted(changes.items()), pick.randint(2, 5)))
    text = (
        TAXI.read_text(encoding="utf-8")
        + "\n[scenarios.drawn]\n"
        + "".join(f"{k} = {v!r}\n" for k, v in chosen.items())
    )
    made = _with(text)
    for measure in ("npv", "irr", "payback"):
        found = made.bridge("base", "drawn", measure)
        assert {one.name: one.share for one in found.steps} == pytest.approx(
            _by_brute_force(made, "base", chosen, measure), abs=1e-7
        )
        assert sum(one.share for one in found.steps) == pytest.approx(found.after - found.before, abs=1e-9)
        for one in found.steps:
            alone = made.weigh(inputs={one.name: chosen[one.name]}).measures[measure].value
            assert one.alone == pytest.approx(alone - found.before, abs=1e-7)


def _with(text: str) -> Deal:
    document = tomllib.loads(text)
    document["inputs"]["trips"] = {"steps": {"1": 16_400, "4": 18_500, "8": 20_000}, "unit": "trips"}
    return Deal.from_dict(document)


def test_many_changes_are_drawn_in_orders_and_add_up() -> None:
    """v = sum of a_i x_i and of b_ij x_i x_j: the share of i is a_i and half of all b_ij."""
    draw = np.random.default_rng(4)
    n = 15
    a, b = draw.normal(0, 10, n), np.triu(draw.normal(0, 3, (n, n)), 1)
    seen: list[int] = []

    def corners(masks: np.ndarray) -> np.ndarray:
        seen.append(len(masks))
        x = masks.astype(float)
        return x @ a + np.einsum("ki,ij,kj->k", x, b, x)

    found = divided(n, corners)
    exact = a + (b + b.T).sum(axis=1) / 2
    assert found.orders > 0
    assert np.abs(found.shares - exact).max() <= 1e-3 * np.abs(exact).sum()
    assert found.shares.sum() == pytest.approx(found.after - found.before, abs=1e-9)
    assert (np.abs(found.shares - exact) <= 3 * found.errors + 1e-9).all()
    cubic = divided(12, lambda masks: masks.sum(axis=1) ** 3.0)
    assert cubic.shares == pytest.approx(np.full(12, 144.0), rel=2e-3)
    assert divided(10, lambda masks: masks.sum(axis=1) ** 3.0).shares == pytest.approx(np.full(10, 100.0), abs=1e-9)


def test_what_acts_together_is_told_and_what_is_undefined_on_the_way_is_refused() -> None:
    made = deal(
        {"m": "a * b", "root": "sqrt(a - b)"},
        inputs={"a": 10, "b": 4},
        scenarios={"both": {"a": 20, "b": 12}},
    )
    found = made.bridge("base", "both", "m")
    assert {one.name: one.share for one in found.steps} == {"a": 80, "b": 120}
    assert found.together == {("a", "b"): 80}
    assert "together do +80 beyond what each does alone" in " ".join(str(found).split())
    with pytest.raises(InputError, match=r"undefined with b as in 'both' and all else as in 'as it stands', because"):
        made.bridge("base", "both", "root")
    for wrong, said in (
        (("base", "base"), "name two scenarios"),
        (("base", "bot"), "did you mean 'both'"),
        (("base", "both", "x"), "There is no measure"),
    ):
        with pytest.raises(InputError, match=said):
            made.bridge(*wrong)


def test_sets_values_and_solved_inputs_are_steps() -> None:
    made = Deal.read(STARTERS / "offices/offices.toml")
    names = list(made.scenarios)
    for one in names[1:]:
        found = made.bridge("base", one, "npv")
        assert sum(step.share for step in found.steps) == pytest.approx(found.after - found.before, abs=1e-6), one
    plant = Deal.read(STARTERS / "business/plant.toml")
    for one in list(plant.scenarios)[1:3]:
        found = plant.bridge("base", one)
        ends = [plant.weigh(name).measures[found.measure].value for name in ("base", one)]
        assert (found.before, found.after) == pytest.approx(ends)


_OLD = """
deal = "Kiln"
[timeline]
periods = 4
[inputs]
price = { value = 900, unit = "money" }
pots  = 50
[money_in]
sold = "price"
[money_out]
clay = "6 * pots"
kiln = { formula = "1_500", at = 0 }
[measures]
npv = "npv(net, 8%)"
"""


def _versions(folder: Path, *changes: tuple[str, str]) -> tuple[Deal, Deal]:
    text = _OLD
    for old, new in changes:
        assert old in text
        text = text.replace(old, new)
    for name, own in (("old.toml", _OLD), ("new.toml", text)):
        (folder / name).write_text(own, encoding="utf-8")
    return Deal.read(folder / "old.toml"), Deal.read(folder / "new.toml")


def test_versions_are_bridged_by_inputs_and_formulas(tmp_path: Path) -> None:
    """A sum of money in and out: each share is what the change does to its own line."""
    old, new = _versions(tmp_path, ("value = 900", "value = 950"), ("6 * pots", "7 * pots"), ("1_500", "1_400"))
    found = old.bridge_to(new)
    worth = sum(1 / 1.08**t for t in range(1, 5))
    assert {one.name: one.share for one in found.steps} == pytest.approx(
        {"price": 50 * worth, "clay": -50 * worth, "kiln": 100}
    )
    # A new input and the formula that reads it go together; labels and ranges are no steps.
    old, new = _versions(
        tmp_path, ("pots  = 50", 'pots  = { value = 50, low = 40, high = 60 }\nwood = 100'), ("6 * pots", "6 * pots + wood"), ("npv(net, 8%)", "npv(net, 9%)")
    )  # fmt: skip
    found = old.bridge_to(new)
    assert {one.name for one in found.steps} == {"wood and clay", "npv"}
    assert sum(one.share for one in found.steps) == pytest.approx(found.after - found.before)
    old, new = _versions(tmp_path, ("pots  = 50", "pots  = { value = 50, label = 'Pots a year' }"))
    with pytest.raises(InputError, match="do not differ in anything that moves a figure"):
        old.bridge_to(new)


def test_more_than_six_formulas_are_one_step(tmp_path: Path) -> None:
    lines = "".join(f'x{k} = "{k} * pots"\n' for k in range(8))
    global _OLD
    kept = _OLD
    try:
        _OLD = kept.replace("[measures]", lines + "[measures]")
        old, new = _versions(
            tmp_path,
            *((f'"{k} * pots"', f'"{k + 1} * pots"') for k in (7, 5, 4, 3, 2, 1, 0)),
            ("value = 900", "value = 800"),
        )
    finally:
        _OLD = kept
    found = old.bridge_to(new)
    assert len(found.steps) == 2
    assert "they are one step" in " ".join(str(found).split())
    assert sum(one.share for one in found.steps) == pytest.approx(found.after - found.before)


def test_scenarios_are_weighted_by_their_probabilities() -> None:
    def three(rest: str = "30%", **more: Any) -> Deal:
        return deal(
            {"gain": "sales - 90", "root": "sqrt(sales - 55)"},
            inputs={"sales": 100},
            goals={"gain": {"at_least": 0, "nearly": -10}},
            scenarios={"poor": {"sales": 60, "probability": rest}, "fair": {"sales": 85, "probability": 0.2}, "odd": {"sales": 50, **more}},
        )  # fmt: skip

    found = three().compare().weighted
    assert found.means == {
        "gain": pytest.approx(0.5 * 10 - 0.3 * 30 - 0.2 * 5),
        "root": pytest.approx(0.5 * 45**0.5 + 0.3 * 5**0.5 + 0.2 * 30**0.5),
    }
    assert found.chances["pays_off"] == pytest.approx((0.5, 0.2, 0.3))
    text = " ".join(str(three().compare()).split())
    assert "base 50%, poor 30%, fair 20%." in text
    assert "poor (30%), fair (20%) may come, too" in " ".join(str(three().compare(["base", "odd"])).split())
    undefined = three(probability="10%").compare().weighted
    assert undefined.means["root"] is None
    assert undefined.reasons == {"root": "undefined in odd"}
    whole = three("80%").compare().weighted
    assert "base" not in whole.weights
    for bad, said in (
        ("90%", "add up to 110%; they must make 100% at most"),
        ("-1%", "must be 0% to 100%"),
        (30, "30%"),
    ):
        with pytest.raises(InputError, match=said):
            three(bad)
    assert deal({"m": "a"}, inputs={"a": 1}, scenarios={"b": {"a": 2}}).compare().weighted is None

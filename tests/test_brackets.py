"""Brackets: against slices added up one by one, in circles, by the year, moved by scale and shift, and refused."""

from __future__ import annotations

import bisect
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from pennyweight import Deal, InputError
from tests.plain_words import slices, straight
from tests.sizes import cases


def _deal(steps: list[tuple[float, float]], **more: Any) -> dict[str, Any]:
    written = {f"{key:g}": value for key, value in steps}
    document: dict[str, Any] = {
        "deal": "Toll", "currency": "EUR", "timeline": {"period": "quarter", "periods": 8},
        "inputs": {"base": 20_000},
        "brackets": {"tax": {"steps": written}, "yearly": {"steps": written, "per": "year"}, "curve": {"steps": written}},
        "money_in": {"profit": "base * (t - 2)"},
        "money_out": {"due": "graduated(profit, tax)", "annual": "graduated(profit, yearly)"},
        "lines": {"step": "looked_up(profit, tax)", "point": "interpolated(profit, curve)"},
        "levels": {"pot": {"formula": "prior(pot) * 1.1 + profit - graduated(prior(pot), tax)", "start": 30_000}},
        "measures": {"once": "graduated(base, yearly)"},
    }  # fmt: skip
    for section, own in more.items():
        document[section] = {**document.get(section, {}), **own}
    return document


@pytest.mark.parametrize("seed", range(cases(12)))
def test_brackets_come_to_what_slices_and_points_do(seed: int) -> None:
    draw = np.random.default_rng(seed)
    keys = [0.0, *np.cumsum(draw.integers(5_000, 30_000, draw.integers(1, 5))).tolist()]
    steps = [(key, round(float(draw.uniform(-0.1, 0.6)), 3)) for key in keys]
    made = Deal.from_dict(_deal(steps))
    weighing = made.weigh()
    profit = [0.0, *(20_000.0 * (t - 2) for t in range(1, 9))]
    assert weighing.line("due").tolist() == pytest.approx([slices(steps, x) for x in profit])
    years = [0.0] * 4 + [slices(steps, sum(profit[1:5]))] + [0.0] * 3 + [slices(steps, sum(profit[5:]))]
    assert weighing.line("annual").tolist() == pytest.approx(years)
    places = [bisect.bisect_right(keys, x) - 1 for x in profit]
    stepped = [float("nan") if k < 0 else steps[k][1] for k in places]
    # A line is 0 where it does not run, so that these look from period 1.
    assert weighing.line("step")[1:].tolist() == pytest.approx(stepped[1:], nan_ok=True)
    assert weighing.line("point")[1:].tolist() == pytest.approx([straight(steps, x) for x in profit[1:]], nan_ok=True)
    pot = [30_000.0]
    for x in profit[1:]:
        pot.append(pot[-1] * 1.1 + x - slices(steps, pot[-1]))
    assert weighing.line("pot").tolist() == pytest.approx(pot)
    moved = made.vary({"tax": [0.5, 2.0], "base": [20_000]}).figures["once"]  # the yearly ones do not move with them
    assert moved.reshape(-1).tolist() == pytest.approx([slices(steps, 20_000)] * 2)
    found = made.vary({"yearly": [0.5, 2.0]}).figures["once"]
    assert found.tolist() == pytest.approx([slices(steps, 20_000) * scale for scale in (0.5, 2.0)])
    wide = made.model.sweep(
        _base(made), np.zeros(40, np.intp), {"base": np.linspace(1_000, 90_000, 40)}, ["pot", "once"]
    )
    assert wide["once"].tolist() == pytest.approx([slices(steps, x) for x in np.linspace(1_000, 90_000, 40)])


def _base(made: Deal) -> Any:
    from pennyweight.deals.inputs import stack

    return stack(made.definition, [made.model.inputs_of()])


def test_values_move_and_amounts_stay_and_a_file_gives_both(tmp_path: Path) -> None:
    (tmp_path / "levy.csv").write_text("from;part\n0;0%\n10000;20%\n40000;30%\n", encoding="utf-8")
    (tmp_path / "toll.toml").write_text(
        'deal = "Toll"\n[timeline]\nperiods = 2\n[brackets.levy]\nfile = "levy.csv"\n[money_in]\nsales = 50_000\n'
        '[money_out]\ndue = "graduated(sales, levy)"\n[measures]\nleft = "total(net)"\n'
        '[scenarios.dear]\nlevy = { shift = "5%" }\n[scenarios.twice]\nlevy = { scale = 2 }\n',
        encoding="utf-8",
    )
    made = Deal.read(tmp_path / "toll.toml")
    left = {name: made.weigh(name).measures["left"].value for name in ("base", "dear", "twice")}
    assert left == pytest.approx({"base": 2 * 41_000, "dear": 2 * (50_000 - 500 - 7_500 - 3_500), "twice": 2 * 32_000})
    reason = made.why("due", at=1).reason
    assert reason.filled.split(" + ")[1:] == ["30,000.00 * 20.00%", "10,000.00 * 30.00%"]


@pytest.mark.parametrize(
    ("changed", "said"),
    [
        ({"brackets": {"tax": {"steps": {"0": 0, "50": 0.1, "20": 0.2}}}}, "20 comes after 50; the amounts must rise"),
        ({"brackets": {"tax": {"steps": {"5": 0.1, "50": 0.2}}}}, 'write its first step as 0 = "0%"'),
        ({"brackets": {"tax": {"steps": {}}}}, "has 0 steps"),
        ({"brackets": {"tax": {}}}, "give it 'steps' or a 'file'"),
        ({"brackets": {"tax": {"steps": {"0": 20, "9": 30}, "unit": "share"}}}, "20 is 2,000%"),
        ({"lines": {"x": "graduated(profit, tx)"}}, "'tx' is none; did you mean 'tax'"),
        ({"lines": {"x": "profit * tax"}}, "tax are brackets; they stand in graduated(x, tax)"),
        ({"lines": {"x": "looked_up(profit, yearly)"}}, "which graduated alone can charge"),
        ({"money_out": {"x": "graduated(prior(pot), yearly)"}, "levels": {"pot": "prior(pot) + x"}}, "goes by the year"),
        ({"scenarios": {"x": {"tax": "5%"}}}, "take 'scale' or 'shift'"),
        ({"measures": {"x": "interpolated(99_000_000, curve)"}, "goals": {"x": {"at_least": 0}}}, ""),
    ],
)  # fmt: skip
def test_what_cannot_be_right_of_brackets_is_told(changed: dict[str, Any], said: str) -> None:
    document = _deal([(0, 0.1), (50_000, 0.3)], **changed)
    if not said:
        assert "outside 0 to 50,000, where curve has no value" in Deal.from_dict(document).weigh().goals["x"].reason
        return
    with pytest.raises(InputError) as caught:
        Deal.from_dict(document).weigh()
    assert said in str(caught.value)
    assert "mistakes:" not in str(caught.value)

"""Edges of finding, goals and reading in deals."""

from __future__ import annotations

import json
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from pennyweight import Deal, InputError
from tests.builders import STARTERS, deal
from tests.sizes import cases

KILN = {
    "inputs": {"price": 10_000, "sales": 3_000, "hurdle": "8%"},
    "money_in": {"pots": "sales"},
    "money_out": {"kiln": {"formula": "price", "at": 0}},
    "goals": {"npv": {"at_least": 0}},
}


@given(st.lists(st.floats(0.001, 5_000), min_size=1, max_size=5, unique=True))
@settings(max_examples=cases(20))
def test_each_scenario_widens_its_own_search(scales: list[float]) -> None:
    """The same answers whichever scenarios are asked together, and the ones the annuity gives."""
    scenarios = {f"s{k}": {"sales": {"scale": scale}} for k, scale in enumerate(scales)}
    made = deal({"npv": "npv(net, hurdle)"}, scenarios=scenarios, **KILN)
    together = made.find("price", "npv == 0", scenarios=made.scenarios).answers
    factor = sum(1.08**-k for k in range(1, 7))
    for name, scale in zip(made.scenarios, [1.0, *scales], strict=True):
        assert made.find("price", "npv == 0", scenarios=[name]).answers[name].values == together[name].values
        if scale * 3_000 * factor <= 4_000_000:  # a hundred times four times the base is looked through
            assert together[name].values == pytest.approx([3_000 * scale * factor], rel=1e-9)


@pytest.mark.parametrize(
    ("bound", "value", "currency", "state"),
    [
        ("0.27", 0.2791, "EUR", "missed"), ("0.27", 0.2749, "EUR", "met"), ("0", 0.01, "EUR", "met"), ("0", 0.011, "EUR", "missed"),
        ("100", 100.9, "JPY", "met"), ("100", 101.1, "JPY", "missed"), ("1.5", 1.51, "EUR", "met"), ("0.001", 0.002, "EUR", "missed"),
        ("-0.27", -0.261, "EUR", "missed"), ("limit", 0.2791, "EUR", "met"),
    ],
)  # fmt: skip
def test_a_goal_heeds_the_digits_of_its_bound(bound: str, value: float, currency: str, state: str) -> None:
    made = deal({"left": {"formula": "gain", "unit": "money"}}, inputs={"gain": value, "limit": 0.27}, lines={"x": "1"},
                goals={"left": {"at_most": bound}}, currency=currency)  # fmt: skip
    assert made.weigh().goals["left"].state == state


def test_the_larger_of_nothing_and_money_is_money() -> None:
    made = deal(
        {"a": "total(max(0, net))", "b": "max(0, npv(net, 5%))", "c": "clamp(0, 1, total(net))", "d": "min(irr(net), 1)", "e": "max(0, 2)"},
        inputs={"x": 5}, money_in={"m": "x"}, money_out={"o": {"formula": "3", "at": 0}},
    )  # fmt: skip
    assert [made.definition.unit(name) for name in "abcde"] == ["money", "money", "money", "rate", "number"]


@given(st.integers(1, 10**12), st.booleans())
@settings(max_examples=cases(30))
def test_whole_inputs_of_any_size(turn: int, above: bool) -> None:
    """The boundary is found to the unit, on the side that holds."""
    formula = "1 if n >= turn else 0" if above else "1 if n <= turn else 0"
    made = deal(
        {"m": formula},
        inputs={"n": {"value": 100_000, "whole": True}, "turn": turn},
        lines={"x": "1"},
        goals={"m": {"at_least": 1}},
    )
    found = made.find("n", "m >= 1", between=(0, 2 * 10**12))
    (answer,) = found.answers["base"].answers
    assert (answer.value, answer.kind) == (turn, "at least" if above else "at most")
    assert made.weigh(inputs={"n": answer.value}).goals["m"].state == "met"
    point = next(point for point in made.weigh().turning_points if point.input == "n")
    if turn <= 390_000 and turn > 1:
        assert point.turns_at == turn


def test_whole_ranges_and_ages() -> None:
    made = deal({"npv": "npv(net, 5%)", "cost": "left - 67"},
                inputs={"n": {"value": 3, "whole": True}, "left": {"value": 62, "unit": "years"}}, money_in={"m": "n"})  # fmt: skip
    with pytest.raises(
        InputError, match=r"n takes whole values, and between 3.2 and 3.8 there is none; widen the range"
    ):
        made.find("n", "npv >= 0", between=(3.2, 3.8))
    assert made.find("left", "cost == 0").answers["base"].values == pytest.approx([67.0])
    kiln = deal({"npv": "npv(net, hurdle)"}, **KILN)
    assert kiln.find("price", "npv >= 0", between=("0", "100bn")).answers["base"].values == pytest.approx(
        [13_868.64], abs=0.01
    )


def test_nothing_of_a_page_is_minus_zero_or_infinite() -> None:
    made = deal(
        {"npv": "-0 * npv(net, hurdle)", "big": "price * 1e140 * 1e140 * 1e140"},
        **{**KILN, "goals": {"npv": {"at_least": 0}}},
    )
    weighing = made.weigh()
    text = json.dumps(weighing.as_dict(), allow_nan=False)
    assert "-0.0" not in str(weighing)
    assert weighing.measures["big"].reason == "it is larger than any number can hold"
    assert '"big": null' in text


def test_scenarios_five_thousand_deep() -> None:
    chain = {f"s{k}": ({"based_on": f"s{k - 1}"} if k else {}) | {"x": k} for k in range(5_000)}
    made = deal({"m": "total(a)"}, inputs={"x": 1}, money_in={"a": "x"}, scenarios=chain)
    assert made.weigh("s4999").measures["m"].value == 6 * 4_999
    with pytest.raises(InputError, match="is based on itself"):
        deal({"m": "total(a)"}, inputs={"x": 1}, money_in={"a": "x"}, scenarios={**chain, "s0": {"based_on": "s4999"}})


def test_many_inputs_and_goals_go_by_blocks() -> None:
    """Figures and turns are those of each input alone, whatever stands beside it in a block."""
    n = 150
    made = deal({f"m{k}": f"i{k} - {k}" for k in range(n)}, inputs={f"i{k}": 100.0 + k for k in range(n)}, lines={"x": "1"},
                goals={f"m{k}": {"at_least": 0} for k in range(n)})  # fmt: skip
    turns = {point.input: point.turns_at for point in made.weigh().turning_points}
    assert [turns[f"i{k}"] for k in range(1, n)] == pytest.approx(list(range(1, n)), abs=1e-8)


@pytest.mark.parametrize(
    ("formula", "sentence"),
    [
        ("5if 1 else 2", "cannot be read near '5if'"), ("_percent0_ + 5%", "'_percent0_' is not a name"), ("net." * 400 + "x", "only loans have parts"),
        ("a" * 1500, "nothing is named"), ("x\\d", "a backslash"), ("1²", "cannot be read"), ("0x1F", "cannot be read near '0x1F'"),
        ("1e140 * 1e140 * 1e140", "too large a number"), ("1e160", "too large; they go up to 1e+150"),
    ],
)  # fmt: skip
def test_formulas_that_python_reads_with_a_shrug(formula: str, sentence: str) -> None:
    with pytest.raises(InputError) as caught:
        deal({"m": formula}, lines={"x": "1"})
    assert sentence in str(caught.value)
    assert len(str(caught.value)) < 500


@pytest.mark.parametrize(
    ("text", "sentence"),
    [
        ("a." * 20_000 + "a = 1", "a key has more than 40 parts"), ("x = " + "[" * 20_000, "nested too deep"), ('deal = "\\u0000"', "nothing to weigh"),
        ('deal = "x"\nformat = 99', "format"), (f'deal = "x"\n[inputs]\n{"n" * 5_000} = 1', "60 at most"), ('deal = "x"\nlocale = "xx_YY_zz"', "which is not known"),
        ('deal = "x"\ncurrency = "XXQ"', "there is no such currency"), ('deal = "x"\n[inputs]\nx = "²"\n[measures]\nm = "x"', "is not a number"),
    ],
)  # fmt: skip
def test_files_that_ask_too_much(text: str, sentence: str, tmp_path: Path) -> None:
    (tmp_path / "d.toml").write_text(text, encoding="utf-8")
    with pytest.raises(InputError) as caught:
        Deal.read(tmp_path / "d.toml")
    assert sentence in str(caught.value)
    assert len(str(caught.value)) < 1_600


def test_a_circle_of_many_lines_takes_little_memory() -> None:
    """Blocks are smaller where lines and periods are many, and the figures are the same to the last bit."""
    lines = {f"l{k}": f"prior(l{(k + 1) % 20}) * 0.5 + a" for k in range(20)}
    made = deal({"m": "at(l0, end)"}, period="month", periods=2_400, inputs={"a": 3}, levels=lines)
    few = made.vary({"a": [1.0, 2.0, 3.0]}).figures["m"]
    many = made.vary({"a": np.linspace(1.0, 3.0, 2_001)}).figures["m"]
    assert many[[0, 1000, 2000]].tolist() == few.tolist()
    assert few == pytest.approx([2.0, 4.0, 6.0])


def test_series_columns_are_written_in_one_form(tmp_path: Path) -> None:
    text = (STARTERS / "taxi" / "taxi.toml").read_text(encoding="utf-8")
    (tmp_path / "taxi.toml").write_text(text, encoding="utf-8")
    rows = (STARTERS / "taxi" / "ridership.csv").read_text(encoding="utf-8").replace(",", ";").split("\n")
    head, body = rows[0].split(";").index("trips"), rows[1:13]

    def written(*values: str) -> Deal:
        changed = [
            ";".join(v if k == head else f for k, f in enumerate(row.split(";")))
            for row, v in zip(body, values, strict=True)
        ]
        (tmp_path / "ridership.csv").write_text("\n".join([rows[0], *changed]), encoding="utf-8")
        return Deal.read(tmp_path / "taxi.toml")

    series = np.asarray(written(*["1.400"] * 11, "1.250,50").definition.inputs["trips"].value)
    assert series[1:].tolist() == [1400.0] * 11 + [1250.5]
    with pytest.raises(
        InputError, match=r"'1.400', which is 1400 where a point groups thousands, as in most files with semicolons"
    ):
        written(*["1.400"] * 12)
    with pytest.raises(
        InputError,
        match=r"row 13, column 'trips' is '1,250.50', with a decimal point, and row 2 is '1.250,50', with a decimal comma",
    ):
        written("1.250,50", *["1.400"] * 10, "1,250.50")
    with pytest.raises(
        InputError,
        match=r"row 3: a quote opens there and closes rows later|row 3 cannot be read: a quote opens there and never closes",
    ):
        written("1400", '"1400', *["1400"] * 10)
    with pytest.raises(InputError, match="row 3: a quote opens there and closes rows later"):
        written("1400", '"1400', "1400", '1400"', *["1400"] * 8)


def test_sums_that_no_number_can_hold_are_said_to_be_so() -> None:
    document = {
        "deal": "Gold mine",
        "timeline": {"periods": 3},
        "inputs": {"ore": {"value": 3, "low": 1, "high": 9}, "seam": {"steps": {"1": 1e149}}},
        "values": {"huge": "1e150"},
        "money_in": {"sales": "huge * huge * huge * ore", "more": "seam"},
        "money_out": {"mine": {"formula": "5", "at": 0}},
        "measures": {"npv": "npv(net, 5%)"},
    }
    made = Deal.from_dict(document)
    told = made.weigh()
    assert "npv  undefined  it is larger than any number can hold" in str(told)
    assert "NO  Money in or out is larger than can be worked out" in str(told)
    assert "undefined, or larger than can be worked out, for every value" in str(
        made.find("ore", "npv == 0", between=(1, 9))
    )
    assert "nan" not in str(made.find("seam", "npv == 0", between=(1, "1e150")))

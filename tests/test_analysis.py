"""Verdicts, answers, turning points, comparisons and variations, each tried by weighing again."""

from __future__ import annotations

import json
from typing import Any

import numpy as np
import pytest

from pennyweight import Deal, InputError
from tests.builders import TAXI, deal
from tests.oracles import bisect, plain_npv
from tests.test_evaluation import plain_taxi


@pytest.fixture(scope="module")
def taxi() -> Deal:
    return Deal.read(TAXI)


def test_the_verdicts_of_the_scenarios(taxi: Deal) -> None:
    """From the year-by-year arithmetic: what each scenario's NPV and payback come to."""
    comparison = taxi.compare()
    assert {name: weighing.verdict for name, weighing in comparison.weighings.items()} == {
        "base": "pays off", "dear_hull": "nearly", "wet_summers": "falls short", "wet_and_dear": "falls short",
        "more_quays": "pays off", "bank_loan": "nearly",
    }  # fmt: skip
    for name, changes in (("base", {}), ("dear_hull", {"hull": 470_000}), ("wet_summers", {"trips_scale": 0.85})):
        paper = plain_taxi(**changes)["net"]
        measures = comparison.weighings[name].measures
        assert measures["npv"].value == pytest.approx(plain_npv(paper, 0.09), abs=1e-6)
        assert measures["irr"].value == pytest.approx(bisect(lambda r, p=paper: plain_npv(p, r), -0.5, 1.0), abs=1e-12)
    assert comparison.differing == ["hull", "trips", "crew", "bank_share"]
    assert comparison.frame.loc["dear_hull", "verdict"] == "nearly"


def test_scenarios_build_on_one_another(taxi: Deal) -> None:
    wet, both = (taxi.weigh(name).inputs for name in ("wet_summers", "wet_and_dear"))
    assert np.array_equal(np.asarray(wet["trips"]), np.asarray(both["trips"]), equal_nan=True)
    assert both["hull"] == 470_000
    assert taxi.weigh("wet_summers", inputs={"trips": "scale 2"}).inputs["trips"][1] == pytest.approx(16_400 * 0.85 * 2)
    assert taxi.weigh(inputs={"fare": 7, "hull": "shift -20k"}).inputs["hull"] == 400_000


def test_goals_say_by_how_much(taxi: Deal) -> None:
    goals = taxi.weigh("dear_hull").goals
    assert goals["payback"].state == "nearly"
    assert goals["payback"].slack == pytest.approx(8 - (goals["payback"].value or 0))
    assert goals["irr"].bound == 0.09
    assert goals["irr"].slack == pytest.approx((goals["irr"].value or 0) - 0.09)


@pytest.mark.parametrize(
    ("miss", "currency", "state"),
    [(0.0, "EUR", "met"), (0.01, "EUR", "met"), (0.011, "EUR", "missed"), (0.9, "JPY", "met"), (1.1, "JPY", "missed")],
)
def test_a_goal_tolerates_one_smallest_unit(miss: float, currency: str, state: str) -> None:
    made = deal(
        {"left": {"formula": "gain", "unit": "money"}},
        inputs={"gain": -miss}, lines={"x": "1"}, goals={"left": {"at_least": 0}}, currency=currency,
    )  # fmt: skip
    assert made.weigh().goals["left"].state == state


def test_an_undefined_measure_misses_its_goal_unless_told() -> None:
    for undefined, verdict in ((None, "falls short"), ("met", "pays off")):
        goal: dict[str, Any] = {"at_least": 1.2}
        if undefined:
            goal["undefined"] = undefined
        made = deal(
            {"cover": {"formula": "1 / debt", "undefined": "there is no loan to cover"}},
            inputs={"debt": 0}, lines={"x": "1"}, goals={"cover": goal},
        )  # fmt: skip
        weighing = made.weigh()
        assert weighing.verdict == verdict
        assert weighing.measures["cover"].reason == "there is no loan to cover ('1 / debt' divides by zero)"
        assert weighing.as_dict()["undefined"] == {"cover": weighing.measures["cover"].reason}


# Finding.


def test_a_price_found_makes_the_present_value_zero(taxi: Deal) -> None:
    found = taxi.find("hull", "npv == 0", scenarios=taxi.scenarios)
    for name, answers in found.answers.items():
        (hull,) = answers.values
        again = taxi.weigh(name, inputs={"hull": hull})
        assert again.measures["npv"].value == pytest.approx(0.0, abs=1e-6)
        rounded = taxi.weigh(name, inputs={"hull": round(hull, 2)})
        assert rounded.goals["npv"].state == "met"
    assert found.answers["base"].values == pytest.approx(found.answers["dear_hull"].values, rel=1e-14)
    assert "own hull is overridden" in found.answers["dear_hull"].answers[0].note
    assert taxi.weigh().answers["top_price"].answers[0].value == pytest.approx(
        found.answers["base"].values[0], rel=1e-12
    )


def test_every_answer_is_given_and_none_invented() -> None:
    """(x - 1)(x - 4)(x - 9) has its three roots; (x - 3)**2 touches at 3; 1/(x - 2) jumps over zero."""
    made = deal(
        {
            "cubic": "(x - 1) * (x - 4) * (x - 9)",
            "square": "(x - 3) ** 2",
            "pole": "1 / (x - 2.0001)",
            "wave": "x ** 3 + 8",
        },
        inputs={"x": 5},
        lines={"y": "1"},
    )
    assert made.find("x", "cubic == 0").answers["base"].values == pytest.approx([1, 4, 9], rel=1e-12)
    assert made.find("x", "square == 0").answers["base"].values == pytest.approx([3], abs=1e-6)
    assert made.find("x", "pole == 0").answers["base"].values == ()
    assert "jumps over it at 2.0001" in made.find("x", "pole == 0").answers["base"].reason
    assert made.find("x", "wave == 0").answers["base"].values == pytest.approx([-2])  # outside 0 to 20: looked further
    none = made.find("x", "square == -5").answers["base"]
    assert none.answers == ()
    assert "comes closest at 3" in none.reason


def test_conditions_answer_with_their_sides() -> None:
    made = deal({"m": "(x - 2) * (8 - x)"}, inputs={"x": {"value": 5, "unit": "money"}}, lines={"y": "1"})
    found = made.find("x", "m >= 0").answers["base"].answers
    assert [(a.kind, a.shown) for a in found] == [("at least", "2.00"), ("at most", "8.00")]
    third = made.find("x", "3 * x >= 1 and m < 5").answers["base"].answers
    assert third[0].shown == "0.34"  # a third of a cent up: the safe side
    always = made.find("x", "x * x >= 0", between=(0, 5)).answers["base"]
    assert always.answers == ()
    assert always.reason == "true for every value between 0.00 and 5.00"
    assert made.find("x", "x < -1", between=("0", "9")).answers["base"].reason.startswith("true for no value")


def test_whole_inputs_are_all_tried() -> None:
    made = deal(
        {"m": "(n - 2.5) * (n - 7.5)"},
        inputs={"n": {"value": 3, "whole": True}},
        lines={"y": "1"},
        questions={
            "most": {"find": "n", "so_that": "m < 0", "pick": "largest"},
            "least": {"find": "n", "so_that": "m < 0", "pick": "smallest"},
            "edge": {"find": "n", "so_that": "m > 0", "pick": "largest"},
        },
    )
    answers = made.weigh().answers
    assert [answers[name].answers[0].value for name in ("most", "least", "edge")] == [7, 3, 12]
    assert "at the edge" in answers["edge"].answers[0].note
    with pytest.raises(InputError, match="takes whole values"):
        made.find("n", "m == 0")


def test_a_series_is_found_by_its_multiple(taxi: Deal) -> None:
    found = taxi.find("trips", "irr >= hurdle")
    (multiple,) = found.answers["base"].values
    again = taxi.weigh(inputs={"trips": f"scale {multiple!r}"})
    assert again.measures["irr"].value == pytest.approx(0.09, abs=1e-9)
    assert found.answers["base"].answers[0].shown.endswith("× trips")


# Turning points.


def test_at_its_turning_point_the_verdict_turns(taxi: Deal) -> None:
    """Weighed again a hair on either side of each turn, one side pays off and the other does not."""
    for scenario in ("base", "wet_summers"):
        points = {point.input: point for point in taxi.turning_points(scenario)}
        assert set(points) == set(taxi.definition.inputs) - {"bank.rate", "bank.years"}  # of no loan
        for point in points.values():
            for turn in (side for side in (point.below, point.above) if side is not None):
                if point.input == "swap_year":
                    continue
                verdicts = []
                for hair in (1 - 1e-7, 1 + 1e-7):
                    given: object = f"scale {turn * hair!r}" if point.by_scale else turn * hair
                    verdicts.append(taxi.weigh(scenario, inputs={point.input: given}).verdict == "pays off")
                assert verdicts in ([True, False], [False, True])
        hull = points["hull"]
        if scenario == "base":
            assert hull.distance == pytest.approx(((hull.turns_at or 0) - 420_000) / 420_000)
            assert hull.of_range == pytest.approx(((hull.turns_at or 0) - 420_000) / 70_000)


def test_what_never_turns_says_why(taxi: Deal) -> None:
    points = {point.input: point for point in taxi.turning_points("wet_and_dear")}
    assert points["swap_year"].turns_at is None
    assert "missed at every value" in points["swap_year"].reason
    base = {point.input: point for point in taxi.turning_points()}
    assert base["swap_year"].reason == "pays off at every value"


# Comparing and varying.


def test_varying_two_inputs_is_weighing_each_case(taxi: Deal) -> None:
    varied = taxi.vary({"hull": "380k..460k/5", "hurdle": "6%..12%:2%"}, show=["npv", "payback"])
    assert varied.figures["npv"].shape == (5, 4)
    for i, hull in enumerate([380_000, 400_000, 420_000, 440_000, 460_000]):
        for j, hurdle in enumerate([0.06, 0.08, 0.10, 0.12]):
            paper = plain_taxi(hull=hull)["net"]
            assert varied.figures["npv"][i, j] == pytest.approx(plain_npv(paper, hurdle), abs=1e-6)
    assert list(varied.frame.columns) == ["hull", "hurdle", "npv", "payback", "pays_off", "verdict"]
    assert len(varied.as_dict()["rows"]) == 20


@pytest.mark.parametrize(
    ("text", "values"),
    [
        ("7,8,9", [7, 8, 9]), ("1..3", list(np.linspace(1, 3, 9))), ("0..1:0.1", list(np.linspace(0, 1, 11))),
        ("400k,500k", [400_000, 500_000]), ("400;500", [400, 500]), ("5..1/3", [5, 3, 1]), ("10;20", [10, 20]),
    ],
)  # fmt: skip
def test_ranges_have_both_ends_in(text: str, values: list[float]) -> None:
    made = deal({"m": "x"}, inputs={"x": 1}, lines={"y": "1"})
    assert made.vary({"x": text}).inputs["x"] == pytest.approx(values)


@pytest.mark.parametrize(
    ("places", "reason"),
    [
        ({"x": "1..2/1"}, "how many values after the /, 2 or more"), ({"x": "1..2:7"}, "does not land on the end"),
        ({"x": "5..1:1"}, "never comes from 5 to 1"), ({"x": "1..2:0"}, "never comes"), ({"x": []}, "has no values"),
        ({"z": "1..2"}, "no input 'z'"), ({}, "one input to vary, or two"), ({"x": {}}, "must be a list of values"),
        ({"x": "1..2/99999999"}, "how many values"), ({"x": "a..b"}, "not a number"),
    ],
)  # fmt: skip
def test_ranges_refused(places: dict[str, object], reason: str) -> None:
    with pytest.raises(InputError, match=reason):
        deal({"m": "x"}, inputs={"x": 1}, lines={"y": "1"}).vary(places)


def test_one_case_is_a_variation_too(taxi: Deal) -> None:
    assert taxi.vary({"hull": [420_000]}).figures["npv"].tolist() == [taxi.weigh().measures["npv"].value]


# What results can do.


def test_results_print_show_and_become_json_without_nan(taxi: Deal) -> None:
    broken = deal({"m": "irr(net)"}, inputs={"x": 0}, money_in={"y": "1 / x"}, goals={"m": {"at_least": 0.05}})
    results = (
        taxi.weigh(), taxi.compare(), taxi.vary({"hull": [1, 2]}), taxi.vary({"hull": [0, 2], "crew": [3, 4]}),
        taxi.find("hull"), broken.weigh(), broken.find("x"), broken.vary({"x": [0, 1]}),
    )  # fmt: skip
    for result in results:
        text = json.dumps(result.as_dict(), allow_nan=False)
        assert json.loads(text)["format"] == 1
        for shown in (str(result), result._repr_html_()):
            assert "nan" not in shown.replace("tenan", "").lower().split()
            assert "-0.00" not in shown.split()
        assert len(result.frame) > 0 or not any(one.answers for one in result.answers.values())


def test_checks_tell_what_nothing_reaches() -> None:
    made = deal(inputs={"used": 1, "idle": 2}, money_in={"a": "used"}, measures={"m": "at(a, 1)"})
    assert (False, "No measure, goal or question reaches idle.") in made.weigh().checks
    left_out = deal(
        {"m": "at(pot, end)"},
        money_in={"gift": {"formula": "9", "at": 0}},
        levels={"pot": {"formula": "prior(pot) + gift", "start": 5}},
    )
    told = [sentence for passed, sentence in left_out.weigh().checks if not passed]
    assert told == ["pot starts at a value of its own and leaves out gift of period 0."]


def test_monthly_lines_by_year_add_up_and_levels_show_their_last() -> None:
    made = deal(
        period="month", periods=24, money_in={"rent": "10"}, levels={"pot": {"formula": "prior(pot) + rent", "start": 1}},
    )  # fmt: skip
    from pennyweight.documents.text import render

    text = render(made.weigh().document(by="year"))
    rows = {line.split()[0]: line.split()[1:] for line in text.split("\n") if line.startswith(("rent", "pot"))}
    assert rows == {"rent": ["-", "120.00", "120.00"], "pot": ["1.00", "121.00", "241.00"]}


def test_frames_hold_what_the_page_shows(taxi: Deal) -> None:
    """Every table of a weighing as pandas, and the page's figures among them."""
    weighing = taxi.weigh("dear_hull")
    assert set(weighing.frames) == {"periods", "years", "measures", "goals", "turning_points"}
    assert weighing.frames["measures"].loc["npv", "value"] == weighing.measures["npv"].value
    assert weighing.frames["goals"].loc["payback", "state"] == "nearly"
    assert set(weighing.frames["turning_points"].index) == set(taxi.definition.inputs) - {"bank.rate", "bank.years"}
    assert str(weighing.frame.index[0].date()) == "2027-01-01"
    assert weighing.frame["money_in"].sum() - weighing.frame["money_out"].sum() == pytest.approx(
        weighing.frame["net"].sum()
    )
    plain = deal(money_in={"a": "1"}).weigh()
    assert list(plain.frame.index) == list(range(7))
    assert "no goals" in plain.verdict
    assert "there are figures and no verdict" in str(plain)


def test_questions_about_series_and_scenarios_refused(taxi: Deal) -> None:
    rows = taxi.definition.timeline.rows
    flat = taxi.weigh(inputs={"trips": np.full(rows, 18_000.0)})
    assert flat.values["fares"][1] == pytest.approx(6.5 * 18_000)
    for given, sentence in (
        (np.zeros(3), r"13 of them \(periods 0 to 12\)"),
        ([1, 2], "it takes a value, or 13"),
        ("scale x", "the scale of trips is 'x'"),
    ):
        with pytest.raises(InputError, match=sentence):
            taxi.weigh(inputs={"trips": given})
    with pytest.raises(InputError, match="it takes a value"):
        taxi.weigh(inputs={"hull": [1]})
    with pytest.raises(InputError, match="name at least one"):
        taxi.compare([])
    with pytest.raises(InputError, match="no goals to meet"):
        deal(inputs={"x": 1}, money_in={"a": "x"}).find("x")
    with pytest.raises(InputError, match="has a value for each period"):
        taxi.find("hull", "net > 0")
    with pytest.raises(InputError, match="must be 'period' or 'year'"):
        taxi.weigh().document(by="week")


def test_varying_without_goals_or_with_other_units() -> None:
    """No verdict, no marks; a yearly share and a span are shown in their units."""
    made = deal(
        {"worth": "npv(net, rate)", "share": {"formula": "part", "unit": "share"}},
        inputs={"rate": "5%", "part": "20%", "price": 100, "held": {"value": 3, "unit": "years"}},
        money_in={"back": {"formula": "price * 2", "at": "year held"}},
        money_out={"paid": {"formula": "price", "at": 0}},
    )
    page = made.vary({"rate": "1%..5%:2%", "held": "1,2,3"}).document()
    (chart,) = page.charts
    assert chart.passes is None
    assert chart.x == ("1", "2", "3")
    assert chart.y == ("1.00%", "3.00%", "5.00%")
    assert "✓" not in str(made.vary({"rate": "1%..5%:2%", "held": "1,2,3"}))
    one = made.vary({"part": "0%..100%/3"})
    assert "0.00%" in str(one)
    assert "pays_off" not in one.frame.columns


def test_headings_without_a_currency_end_without_a_comma() -> None:
    document: dict[str, Any] = {
        "deal": "D", "inputs": {"price": {"value": 900, "unit": "money", "label": "Price"}},
        "money_in": {"sales": "400"}, "money_out": {"kiln": {"formula": "price", "at": 0}},
        "measures": {"npv": {"formula": "npv(net, 8%)", "label": "Worth"}}, "scenarios": {"dear": {"price": 990}},
    }  # fmt: skip
    for currency, suffix in (("", ""), ("EUR", ", EUR")):
        deal = Deal.from_dict({**document, "currency": currency})
        compared, varied = str(deal.compare()), str(deal.vary({"price": [800, 900]}))
        lines = {" ".join(line.split()) for line in f"{compared}\n{varied}".split("\n")}
        assert f"Price{suffix} 900 990" in lines
        assert any(line.startswith(f"Worth{suffix} ") for line in lines)
        assert f"Price{suffix} Worth{suffix}" in lines

"""Every starter: its figures in every scenario beside plain arithmetic, its answers put back, its page, its commands."""

from __future__ import annotations

import math
import re
import tomllib
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from benchmarks.house import by_hand
from docs.make_starters import FOLDER, NAMES, commands, listing, page

from pennyweight import Deal
from pennyweight.errors import InputError, PennyweightError
from pennyweight.starters.library import LIBRARY
from tests.builders import STARTERS
from tests.sizes import THOROUGH, WHOLE, of_each_kind, some
from tests.starters_by_hand import BY_HAND, Figures, Inputs
from tests.starters_of_sets_by_hand import BY_HAND_TOO

HANDS: dict[str, Callable[[Inputs, str], Figures]] = {
    **BY_HAND,
    **BY_HAND_TOO,
    "four-flats": lambda i, scenario: dict(by_hand(i)),
}


def read(name: str) -> Deal:
    return Deal.read(STARTERS / LIBRARY[name].place)


@pytest.mark.parametrize("name", NAMES)
def test_every_figure_in_every_scenario_is_what_plain_arithmetic_makes_of_it(name: str) -> None:
    deal = read(name)
    assert len(deal.scenarios) >= 4
    assert deal.definition.goals
    assert deal.definition.questions
    assert deal.definition.tables
    assert deal.definition.charts
    assert deal.definition.own_checks
    assert len(deal.definition.note) > 200
    inputs = deal.definition.inputs.values()
    assert any(item.fixed for item in inputs)
    for item in inputs:
        ranged = item.low is not None and item.high is not None
        assert item.fixed or item.choices or item.is_series or ranged, item.name
        assert item.label != item.name.replace("_", " ")
    for scenario in deal.scenarios:
        weighing = deal.weigh(scenario)
        expected: Figures = HANDS[name](dict(weighing.inputs), scenario)
        if name != "four-flats":
            assert set(weighing.measures) <= set(expected)
        for figure, result in weighing.measures.items():
            found, value = result.value, expected.get(figure, result.value)
            if value is None or found is None:
                assert (found, value) == (None, None), f"{scenario} {figure}"
                continue
            assert math.isclose(found, value, rel_tol=1e-8, abs_tol=1e-7), f"{scenario} {figure}: {found} {value}"


def holds(condition: str, figures: Inputs, slack: float) -> bool:
    """Whether comparisons joined by "and" hold, figures as plain Python; `slack` widens each by that share."""
    for part in condition.replace("%", " / 100").split(" and "):
        left, operator, right = re.split(r" (==|>=|<=) ", part)
        names = {"min": min, **{name: value for name, value in figures.items() if value is not None}}
        try:
            a, b = (eval(side, {"__builtins__": {}}, names) for side in (left, right))
        except NameError:  # a figure is undefined
            return False
        room = slack * max(abs(a), abs(b), 1.0)
        if not {"==": abs(a - b) <= room, ">=": a >= b - room, "<=": a <= b + room}[operator]:
            return False
    return True


def asked_of(document: Inputs, question: str) -> str:
    """What a question asks, as comparisons; of the whole verdict, those of every goal."""
    sides = {"at_least": ">=", "at_most": "<="}
    goals = [
        f"{name} {sides[key]} {goal[key]}" for name, goal in document["goals"].items() for key in sides if key in goal
    ]
    return str(document["questions"][question].get("so_that") or " and ".join(goals))


@pytest.mark.parametrize("name", of_each_kind(NAMES))
def test_every_answer_put_back_holds_and_the_next_value_does_not(name: str) -> None:
    deal, document = read(name), tomllib.loads(LIBRARY[name].text())
    tried = 0
    for scenario in deal.scenarios:
        weighing = deal.weigh(scenario)
        inputs = dict(weighing.inputs)
        for question, answers in weighing.answers.items():
            asked = deal.definition.questions[question]

            def figures(value: float, asked: Any = asked, inputs: Inputs = inputs, scenario: str = scenario) -> Inputs:
                given = inputs | {asked.find: value}
                return given | HANDS[name](given, scenario)

            if asked.aim != "true":
                best = answers.answers[0].value
                own = figures(best)[asked.text]
                low, high = answers.looked
                for other in range(round(low), round(high) + 1):
                    value = figures(float(other))[asked.text]
                    sign = 1 if asked.aim == "most" else -1
                    assert value is None or sign * (own - value) >= -1e-6 * abs(own), f"{scenario} {question} {other}"
                continue
            condition = asked_of(document, question)
            for answer in answers.answers:
                tried += 1
                what = f"{scenario} {question}: {condition} at {answer.value}"
                assert holds(condition, figures(answer.value), 1e-7), what
                step = 1.0 if deal.definition.inputs[asked.find].whole else 1e-4 * max(abs(answer.value), 1e-3)
                beyond = {"at most": (step,), "at least": (-step,), "exactly": (step, -step)}[answer.kind]
                if "edge" not in answer.note and answer.value not in answers.looked:
                    assert not any(holds(condition, figures(answer.value + way), 1e-9) for way in beyond), what
    assert tried >= 3


@pytest.mark.parametrize("name", some(of_each_kind(NAMES), 3, 1))
def test_every_page_of_the_docs_is_what_the_commands_print(name: str) -> None:
    """And so are the remarks of the file: each command in them ran, without a warning."""
    assert (FOLDER / f"{name}.md").read_text(encoding="utf-8") == page(name), "run docs/make_starters.py"
    words = [command.split()[1] for command in commands(LIBRARY[name].text())]
    assert words[:5] == ["weigh", "vary", "find", "compare", "weigh"]
    assert LIBRARY[name].answers.upper() in LIBRARY[name].text().split("\n")[1]
    assert (FOLDER / "README.md").read_text(encoding="utf-8") == listing()


@pytest.mark.parametrize("name", some(of_each_kind(NAMES), 2, 1))
def test_every_input_may_be_wrong(name: str) -> None:
    """Nothing, below zero, empty, ten times its high, 5 for 5%: a page that says something, or one sentence."""
    deal = read(name)
    inputs = list(deal.definition.inputs.items())
    for number, (key, item) in enumerate(inputs if THOROUGH else inputs[:: 1 + len(inputs) // (30 if WHOLE else 10)]):
        ten = 10 * (item.high if item.high is not None else 1.0)
        tries: list[object] = (
            ["", *item.choices[-1:], 0, -1, ten, 5] if not item.is_series else ["", "scale 0", "scale -1"]
        )
        for given in tries if THOROUGH else [tries[number % len(tries)]]:
            try:
                weighing = deal.weigh(inputs={key: given})
                text = str(weighing)
            except PennyweightError as refused:
                assert str(refused).count("\n") == 0, f"{key} = {given}"
                assert str(refused).endswith(".")
                continue
            assert not re.search(r"\b(nan|inf|None)\b", text), f"{key} = {given}"
            lost = [goal for goal, result in weighing.goals.items() if result.value is None]
            kept = [goal for goal in lost if not deal.definition.goals[goal].undefined_is_met]
            assert not kept or weighing.verdict != "pays off", f"{key} = {given}"
        if item.unit in ("rate", "share") and (item.high or 0) <= 1:
            with pytest.raises(PennyweightError, match=r"500%|take .scale"):  # those of brackets take no number
                deal.weigh(inputs={key: 5})


def test_a_whole_column_of_days_is_looked_for_and_varied_by_months(tmp_path: Path) -> None:
    """As if each number of months were typed for itself; questions and tables too."""
    for name in ("shops.toml", "shops.csv"):
        text = (STARTERS / "shops" / name).read_text(encoding="utf-8")
        (tmp_path / name).write_text(
            text
            + (
                """
[questions.wait]
find    = "shops.opens"
so_that = "npv >= 1_000_000"
pick    = "largest"
between = ["0 months", "2 years"]

[tables.waiting]
by      = { "shops.opens" = "0..12:6" }
columns = { npv = "npv", waits = "wait" }
"""
                if name.endswith("toml")
                else ""
            ),
            encoding="utf-8",
        )
    deal = Deal.read(tmp_path / "shops.toml")
    typed = [
        deal.weigh(inputs={"shops.opens": f"shift {k} months"}).measures["npv"].value or 0.0 for k in range(-12, 25)
    ]
    latest = max(k for k, npv in enumerate(typed, -12) if npv >= 1_000_000)
    found = deal.find("shops.opens", "npv >= 1_000_000", between=(0, 24))
    assert (found.by_months, found.answers["base"].values) == (True, (latest,))
    weighed = deal.weigh()
    assert weighed.answers["wait"].shown == f"at most {latest} months later"
    assert weighed.plain_answer("wait", latest) == latest
    assert deal.vary({"shops.opens": "0..24:4"}, show=["npv"]).figures["npv"].tolist() == typed[12::4]
    assert weighed.tables["waiting"].columns["npv"].tolist() == typed[12:25:6]
    assert "6 months later" in str(weighed.document())
    for wrong in ("2028-01-01", "0.5", "x"):
        with pytest.raises(InputError, match="write whole months, such as 3 months"):
            deal.vary({"shops.opens": wrong})
    with pytest.raises(InputError, match="takes whole values"):
        deal.find("shops.opens", "npv == 1_000_000")


def test_a_column_set_to_what_was_meant_as_a_multiple_is_told() -> None:
    deal = read("offices")
    told = [str(text) for holds, text in deal.weigh(inputs={"tenants.rent": 0.95}).checks if not holds]
    assert told == [
        "Rent, a year and m2 lies below its low of 0.9 times what the deal has: Bakery has EUR 0.95, not "
        "EUR 212.00. A multiple is written 'scale 0.95'."
    ]
    own = [str(text) for holds, text in deal.weigh(inputs={"tenants.Clinic.rent": -5}).checks if not holds]
    assert len(own) == 1
    assert own[0].endswith("Clinic has EUR -5.00, not EUR 216.00.")
    day = deal.find("tenants.Archive.ends", "irr >= 13.5%").answers["base"].answers[0]
    assert day.value == round(day.value)
    days = [str(np.datetime64(round(day.value) + k, "D")) for k in (0, 1)]
    after = [deal.weigh(inputs={"tenants.Archive.ends": one}).measures["irr"].value or 0.0 for one in days]
    assert after[0] >= 0.135 > after[1]
    with pytest.raises(PennyweightError, match="tenants has no 'Clinc'; did you mean 'Clinic'"):
        deal.weigh(inputs={"tenants.Clinc.rent": 5})
    meant = deal.weigh(inputs={"tenants.rent": "scale 0.95"})
    assert all(holds for holds, _ in meant.checks)
    let = meant.document().charts[1]  # what falls after the sale is not counted in the picture either
    kept = sum(float(values.sum()) for _, values in let.lines)
    assert math.isclose(kept, float(meant.line("relet")[:121].sum()), rel_tol=1e-12)


def test_what_a_deal_solves_may_be_looked_for_beside_brackets() -> None:
    """The debt at which the owners earn what they ask for; the picture marks what the deal itself finds."""
    deal = read("plant")
    found = deal.find("debt", "irr >= hurdle")
    least = found.answers["base"].answers[0].value
    assert math.isclose(deal.weigh(inputs={"debt": least}).measures["irr"].value or 0.0, 0.09, rel_tol=1e-9)
    chart = found.document().charts[0]
    assert min(chart.x) < deal.weigh().inputs["debt"] < max(chart.x)

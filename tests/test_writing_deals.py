"""What somebody who writes a deal runs into: words without quotes, 5 for 5%, the first day, ends of charts, edges."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from pennyweight import Deal, InputError
from pennyweight.documents import LinesChart
from tests.builders import deal

LINES = {
    "income": "100 * t",
    "need": "250",
    "fee": {"formula": "40", "at": 0},
    "late": {"formula": "1", "from": 3},
}


@pytest.mark.parametrize(
    ("condition", "first", "from_the_first_day"),
    [
        ("income >= need", 3, 0),  # both are 0 on the first day, when nothing is earned or needed yet
        ("income == 0", None, 0),
        ("late == 0", 1, 0),
        ("income + fee >= 30", 0, 0),  # the fee is of the first day
        ("pot >= 1_000", 0, 0),
        ("pot - income <= 900 and t >= 1", 1, 1),
        ("year >= 0", 0, 0),
        ("net >= 0", 1, 0),  # all of its money begins in period 1
        ("loans.payment >= 0", 1, 0),
        ("bank.balance >= 0", 0, 0),
    ],
)
def test_a_condition_about_amounts_is_looked_at_from_where_they_begin(
    condition: str, first: int | None, from_the_first_day: int
) -> None:
    made = deal(
        {"when": f"first_period({condition})", "told": f"first_period({condition}, 0)"},
        lines=LINES, levels={"pot": {"formula": "prior(pot) * 1.0", "start": 1_000}}, money_in={"sold": "5"},
        loans={"bank": {"amount": 90, "rate": "5%", "years": 2, "paid_out": 1}},
    )  # fmt: skip
    figures = made.weigh().measures
    assert (figures["when"].value, figures["told"].value) == (first, from_the_first_day)


def test_flows_end_with_what_is_left() -> None:
    """equivalent_annual with `plus` is the level amount of the flows with it added."""
    made = deal(
        {"kept": "equivalent_annual(flow, 8%, years=3, plus=left)", "same": "npv(flow, 8%, years=3, plus=left)"},
        inputs={"left": 40}, lines={"flow": {"formula": "-100 if t == 0 else 30", "from": 0}},
    )  # fmt: skip
    worth = -100 + sum(30 / 1.08**t for t in (1, 2, 3)) + 40 / 1.08**3
    assert made.weigh().measures["same"].value == pytest.approx(worth, rel=1e-12)
    assert made.weigh().measures["kept"].value == pytest.approx(worth * 0.08 / (1 - 1.08**-3), rel=1e-12)


def test_charts_end_where_they_are_told_and_begin_where_their_lines_do() -> None:
    made = deal(
        {"m": "1"}, inputs={"life": {"value": 3, "unit": "years"}}, lines=LINES, levels={"pot": "5 * t"},
        charts={"a": {"lines": ["income"], "to": "life"}, "b": {"lines": ["income", "pot"], "from": 0, "to": "year 4"}},
    )  # fmt: skip
    first, second = made.weigh().document().charts
    assert isinstance(first, LinesChart)
    assert isinstance(second, LinesChart)
    assert (first.x.tolist(), first.lines[0][1].tolist()) == ([1, 2, 3], [100, 200, 300])
    assert second.x.tolist() == [0, 1, 2, 3, 4]
    assert np.isnan(second.lines[0][1][0])
    assert second.lines[1][1][0] == 0
    with pytest.raises(InputError, match="a to must be a single period"):
        deal({"m": "1"}, lines=LINES, charts={"a": {"lines": ["income"], "to": "income"}})


@pytest.mark.parametrize("given", [5, "5", "35"])
def test_a_share_typed_without_its_percent_is_refused_everywhere(given: object) -> None:
    said = f"{given} is {int(str(given)) * 100:,}%; write"
    share = {"value": "20%", "unit": "share"}
    for inputs, scenarios in (
        ({"cut": {"value": given, "unit": "share"}}, {}), ({"cut": {**share, "high": given}}, {}),
        ({"cut": {"steps": {"1": given}, "unit": "share"}}, {}), ({"cut": share}, {"more": {"cut": given}}),
        ({"cut": share}, {"more": {"cut": {"shift": given}}}),
    ):  # fmt: skip
        with pytest.raises(InputError, match=said):
            deal(
                {"m": "cut"} if "steps" not in inputs["cut"] else {"m": "at(cut, 1)"},
                inputs=inputs,
                scenarios=scenarios,
            )
    made = deal({"m": "cut"}, inputs={"cut": share, "over": {"value": "150%", "unit": "share"}}, lines={"l": "over"})
    for ask in (lambda: made.weigh(inputs={"cut": given}), lambda: made.vary({"cut": [given, "10%"]}),
                lambda: made.weigh(inputs={"cut": f"shift {given}"})):  # fmt: skip
        with pytest.raises(InputError, match=said):
            ask()
    assert made.weigh(inputs={"cut": "500%", "over": 1.25}).inputs == {"cut": 5.0, "over": 1.25}


@pytest.mark.parametrize("word", ["low", "5%", "430k", "hull * 2"])
def test_a_word_without_quotes_is_told_with_its_line(word: str, tmp_path: Path) -> None:
    path = tmp_path / "deal.toml"
    path.write_text(f'deal = "x"\n[inputs]\nhull = {word}  # from the yard\n', encoding="utf-8")
    with pytest.raises(InputError) as refused:
        Deal.read(path)
    assert str(refused.value) == f'deal.toml, line 3: {word} stands without quotes; write "{word}".'


def test_units_of_ones_own_and_best_values_within_what_is_likely() -> None:
    made = deal(
        {"gain": "users * 3", "same": "users + 0 * price", "twin": "users * 1.0", "span": "total(l, 1, last)"},
        inputs={"users": {"value": 9, "unit": "users", "low": 6, "high": 15, "whole": True}, "price": 10.0,
                "last": {"value": 4, "unit": "years"}},
        lines={"l": "price"},
    )  # fmt: skip
    best = made.find("users", most="gain").answers["base"]
    assert (best.answers[0].shown, best.edge) == ("15 users", True)
    assert made.find("price", "same == twin").answers["base"].always
    fewest = made.find("users", "gain >= 0").answers["base"]
    assert (fewest.always, fewest.looked) == (True, (0.0, 36.0))  # there are no users below zero
    assert made.definition.inputs["last"].whole  # it ends a sum, so it falls on a period

"""Deals lose no money in silence, and answer what they are asked: beyond the timeline, under headings, at the ends."""

from __future__ import annotations

import datetime as dt
import json
import random
from typing import Any

import numpy as np
import pytest

from pennyweight import InputError, Loan, Portfolio
from pennyweight.analysis.weighing.turning import turning_probes
from pennyweight.cli.main import status
from tests.builders import TAXI, deal

STARTERS = TAXI.parent.parent


def said(capsys: pytest.CaptureFixture[str], *arguments: str) -> tuple[int, str, str]:
    """Exit status, standard output and standard error of a command."""
    code = status(list(arguments))
    out, err = capsys.readouterr()
    return code, out, err


# Inside deals.


@pytest.mark.parametrize("seed", range(40))
def test_money_outside_the_timeline_is_told(seed: int) -> None:
    """Runs and moments drawn at random; what lies outside is counted by a plain loop."""
    drawn = random.Random(seed)
    first, last, end = drawn.randint(-6, 16), drawn.randint(-6, 22), 12
    made = deal(
        {"m": "total(fit) + total(big)"}, inputs={"a": {"value": first, "unit": "number"}, "b": {"value": last, "unit": "number"}},
        timeline={"periods": end}, money_out={"fit": {"formula": "50", "from": "a", "to": "b"}, "big": {"formula": "7", "at": "a"}},
    )  # fmt: skip
    weighing = made.weigh()
    periods = range(first, last + 1)
    inside = sum(0 <= k <= end for k in periods)
    assert weighing.measures["m"].value == pytest.approx(50 * inside + (7 if 0 <= first <= end else 0))
    lost = 50.0 * (len(periods) - inside)
    runs = [sentence for passed, sentence in weighing.checks if sentence.startswith("fit runs") and passed]
    assert [f"{lost:,.2f} of {50 * len(periods):,.2f} are not counted" in sentence for sentence in runs] == (
        [True] if lost else []
    )
    failed = [
        sentence
        for passed, sentence in weighing.checks
        if sentence.startswith("big: 7.00 fall in period") and not passed
    ]
    assert len(failed) == (not 0 <= first <= end)
    assert ("NO  big" in str(weighing)) == bool(failed)


def test_never_alone_is_silent_and_a_day_beyond_the_end_is_not() -> None:
    for late, told in (("never", 0), ("period_of(late)", 1)):
        made = deal(
            {"m": "total(cost)"}, inputs={"late": {"value": dt.date(2031, 5, 1)}},
            timeline={"periods": 3, "start": dt.date(2027, 1, 1)}, money_out={"cost": {"formula": "9", "at": late}},
        )  # fmt: skip
        assert sum(sentence.startswith("cost: 9.00 fall in period 5") for _, sentence in made.weigh().checks) == told


def test_headings_add_like_with_like() -> None:
    made = deal(
        {"m": "total(net)"}, timeline={"periods": 2},
        money_in={"let": {"formula": "100", "group": "Flat"}}, money_out={"kept": {"formula": "70", "group": "Flat"}},
        lines={"extra": {"formula": "5", "group": "Other"}, "more": {"formula": "6", "group": "Other"}},
    )  # fmt: skip
    told = made.weigh().document(by="period")
    rows = {row[0].text.strip(): row[-1].text for block in told.blocks for row in getattr(block, "rows", ())}
    assert (rows["Flat: money in"], rows["Flat: money out"], rows["Flat: in less out"]) == ("100.00", "70.00", "30.00")
    assert not any("together" in label for label in rows)


def test_the_worst_moves_what_matters_alone() -> None:
    made = deal(
        {"back": "irr((1 - other) * net)", "npv": "npv(net, 5%)"}, timeline={"periods": 5},
        inputs={"other": {"value": "30%", "low": "10%", "high": "50%"}, "rent": {"value": 40, "low": 30, "high": 50}},
        money_in={"r": "rent * (1 - other)"}, money_out={"b": {"formula": "100 * (1 - other)", "at": 0}},
        goals={"back": {"at_least": 0.05}}, scenarios={"bad": {"all_inputs": "worst"}},
    )  # fmt: skip
    bad = made.weigh("bad")
    assert (bad.inputs["other"], bad.inputs["rent"]) == (0.3, 30)
    assert (True, "other stays: back does not get worse at an end of the range.") in bad.checks


def test_what_looks_ahead_at_itself_is_refused() -> None:
    for formula in ("at(bal, t + 1) + 1", "at(bal, t) + 1", "at(bal, t + 3 - 1)"):
        with pytest.raises(InputError, match=r"\[levels\] bal.*looks at itself"):
            deal({"m": "at(bal, end)"}, levels={"bal": {"formula": formula, "start": 0}})
    assert deal({"m": "at(bal, end)"}, levels={"bal": {"formula": "at(bal, t - 1) + 1", "start": 0}}).weigh()


@pytest.mark.parametrize(
    ("unit", "value", "bound"), [("years", 55, 63), ("years", 30, 64.5), ("period", 20, 80), ("money", 5, 900)]
)
def test_find_looks_beyond_the_timeline(unit: str, value: float, bound: float) -> None:
    made = deal({"m": f"x - {bound}"}, inputs={"x": {"value": value, "unit": unit}}, timeline={"periods": 57})
    assert made.find("x", "m >= 0").answers["base"].values[0] == pytest.approx(bound)


def test_an_input_asks_only_the_goals_that_it_reaches() -> None:
    n = 60
    made = deal(
        {f"m{k}": f"a{k} * 2 - 150" for k in range(n)}, inputs={f"a{k}": {"value": 100 + k, "low": 50, "high": 300} for k in range(n)},
        goals={f"m{k}": {"at_least": 0} for k in range(n)},
    )  # fmt: skip
    weighing = made.weigh()
    assert sum(len(probe.watched) for probe in turning_probes(weighing.model, weighing.case)) == 2 * n
    assert [point.below for point in weighing.turning_points] == pytest.approx([75.0] * n)
    broken = made.weigh(inputs={"a7": 60})
    assert all(point.turns_at is None for point in broken.turning_points if point.input != "a7")


# What is asked is answered.


def test_years_of_a_deal_in_json_are_its_months_added_up(capsys: pytest.CaptureFixture[str]) -> None:
    house = str(STARTERS / "house/four-flats-house.toml")
    months = json.loads(said(capsys, "weigh", house, "--format", "json")[1])["periods"]["net"]
    told = json.loads(said(capsys, "weigh", house, "--by", "year", "--lines", "net", "--format", "json")[1])
    assert told["lines"]["net"] == pytest.approx(
        [months[0], *(sum(months[k : k + 12]) for k in range(1, len(months), 12))]
    )
    assert told["years"] == list(range(len(told["lines"]["net"])))
    assert "periods" not in told


def test_effects_of_events_stand_by_themselves() -> None:
    plain: dict[str, Any] = {"amount": 300_000, "rate": "3%", "years": 25, "start": "2026-01-31"}
    rise, extras = [("2028-01-31", "rate", "4.5%")], [(day, "extra", 9_000) for day in ("2027-06-30", "2029-06-30")]
    interest = [Loan(**plain, events=events).schedule.total_interest for events in ([], rise, sorted(rise + extras))]
    told = Loan(**plain, events=sorted(rise + extras)).as_dict()
    assert [one["interest"] for one in told["effects"]] == pytest.approx(np.diff(interest))
    assert told["interest_saved"] == pytest.approx(interest[0] - interest[2])
    assert "the extra payments save" in str(Loan(**plain, events=sorted(rise + extras)))
    assert sum(year["interest"] for year in told["years"]) == pytest.approx(told["total_interest"])


def test_the_schedule_has_the_one_extra_that_is_asked(capsys: pytest.CaptureFixture[str]) -> None:
    terms = ["loan", "--owed", "86k", "--rate", "4.2%", "--years", "15", "--format", "json"]
    one, two = (json.loads(said(capsys, *terms, "--extra", extra)[1]) for extra in ("50", "50;100"))
    assert len(one["schedule"]) == len(two["schedule"]) - one["extras"][0]["payments_saved"]
    assert said(capsys, "loan", "--owed", "5k", "--rate", "4%", "--years", "2")[1].count("Owed now") == 0


def test_numbers_for_programs_carry_no_noise(capsys: pytest.CaptureFixture[str]) -> None:
    statements, index = (str(STARTERS / "endowment" / name) for name in ("statements.csv", "index.csv"))
    _, out, _ = said(capsys, "returns", statements, "--benchmark", index, "--format", "csv")
    assert out.split("\n")[0].endswith(",return,benchmark")
    assert "-906.46," in out
    _, told, _ = said(capsys, "returns", statements, "--format", "json")
    assert '"gain": -906.46,' in told


def _account(returns: list[float], flows: dict[int, float] | None = None) -> Portfolio:
    day, value, rows = dt.date(2024, 1, 31), 10_000.0, [("2024-01-31", "a", "value", 10_000.0)]
    for k, gain in enumerate(returns):
        day += dt.timedelta(30)
        value *= 1 + gain
        if stated := (flows or {}).get(k):
            rows.append((str(day), "a", "deposit" if stated > 0 else "withdrawal", abs(stated)))
        rows.append((str(day), "a", "value", value))
    return Portfolio.from_rows(rows)


def test_periods_that_do_not_fit_the_others_are_pointed_out() -> None:
    drawn = np.random.default_rng(8)
    for _ in range(100):  # an account that swings widely is left alone
        swings = np.expm1(drawn.normal(0.004, drawn.uniform(0.02, 0.17), drawn.integers(2, 90)))
        assert not _account(swings.tolist()).remarks()
    calm = (0.01 + 0.003 * drawn.normal(size=11)).tolist()
    assert not _account(calm).remarks()
    assert "is a deposit of about" in _account([*calm[:5], 0.26, *calm[5:]]).remarks()[0]
    assert "booked twice" in _account(calm, {4: 3_000.0}).remarks()[0]  # it is in the rows and not in the value
    assert "wrong sign" in _account([*calm[:4], 0.202, *calm[4:]], {4: -2_000.0}).remarks()[0]
    assert not _account([0.9]).remarks()  # a first period alone

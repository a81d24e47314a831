"""What is told of a figure over time adds up to it: its lines, its years, the numbers in them, and the period it leads to."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

import pytest
from docs.make_starters import NAMES

from pennyweight import Deal, InputError
from pennyweight.analysis.explaining.reason import Reason
from pennyweight.deals.language.nodes import Call
from tests.builders import STARTERS, TAXI, deal
from tests.random_deals import random_deal
from tests.sizes import cases, of_each_kind
from tests.test_whys import shown, value_of

OVER_TIME = {
    "npv",
    "irr",
    "payback",
    "total",
    "average",
    "lowest",
    "highest",
    "profitability_index",
    "equivalent_annual",
}


def told(made: Deal) -> Iterator[tuple[str, Reason]]:
    """(function, what is told) of every measure that is one function over time."""
    for name, measure in made.definition.measures.items():
        if isinstance(measure.node, Call) and measure.node.function in OVER_TIME:
            yield measure.node.function, made.why(name, depth=2).reason


def of_role(reason: Reason, role: str) -> list[Reason]:
    return [one for one in reason.below if one.role == role]


def added(some: list[Reason]) -> float:
    return sum(one.values[0] or 0.0 for one in some)


def adds_up(function: str, reason: Reason) -> None:
    value = reason.values[0]
    if value is None:
        return
    if reason.filled and function in ("payback", "average", "profitability_index", "equivalent_annual"):
        figure, half = shown(reason.shown[0])
        slack = 2.2 * half  # an amount in it was rounded to be shown, and is divided by 0.9 or more
        assert value_of(reason.filled) == pytest.approx(figure, abs=slack + 1e-6 * abs(figure)), reason.name
    inner = reason.below[0] if function == "equivalent_annual" else reason
    lines, years = of_role(inner, "line"), of_role(inner, "time")
    if function in ("npv", "irr", "total", "equivalent_annual"):
        total = {"irr": 0.0, "equivalent_annual": inner.values[0]}.get(function, value)
        size = sum(abs(one.values[0] or 0.0) for one in [*lines, *years])
        for parts in (lines, years):
            assert not parts or added(parts) == pytest.approx(total, abs=1e-9 * size), (reason.name, parts[0].role)
        for year in years:
            if year.filled:
                figure, half = shown(year.shown[0])
                rounded = half * value_of(year.filled.rpartition(" * ")[2])  # of the flow, as it is shown
                assert value_of(year.filled) == pytest.approx(figure, abs=half + rounded + 1e-8 * size), year.label
    if function == "irr":
        sides = [one.values[0] or 0.0 for one in of_role(reason, "side")]
        assert len(sides) == 2
        assert sides[0] * sides[1] < 0
    if function in ("lowest", "highest"):
        here, following = reason.below[:2]
        sign = 1 if function == "lowest" else -1
        assert here.values[0] == value
        assert following.role != "time" or sign * ((following.values[0] or 0.0) - value) >= 0


@pytest.mark.parametrize("name", of_each_kind(NAMES))
def test_the_measures_of_the_starters_add_up(name: str) -> None:
    for function, reason in told(Deal.starter(name)):
        adds_up(function, reason)
        assert reason.below, reason.name


@pytest.mark.parametrize("seed", range(cases(60)))
def test_the_measures_of_drawn_deals_add_up(seed: int) -> None:
    """Of deals with loans in stages, a line that is `set`, an end before the timeline's, and a level that is sold then."""
    document = random_deal(seed)
    document["measures"] |= {
        "all_in": "total(net)", "mean": "average(net, 2, end)", "least": "lowest(running(net))", "most": "highest(net)",
        "till_sold": "npv(net if t <= end_of_year(held) else 0, hurdle)", "back": "payback(net)", "worth_in": "payback(net, 1%)",
        "per_one": "profitability_index(net, hurdle)",
    }  # fmt: skip
    functions = []
    for function, reason in told(Deal.from_dict(document)):
        adds_up(function, reason)
        functions.append(function)
        if reason.name == "till_sold":  # through `net` and a condition, down to the lines
            assert {"rents", "paid", "staged.flow", "old.flow"} <= {one.name for one in of_role(reason, "line")}
    assert len(functions) == 17


FAIR: dict[str, Any] = {
    "inputs": {"hurdle": 0.1, "rent": 40},
    "money_in": {"stall": {"formula": "rent + 10 * t", "label": "Stall"}, "sold": {"formula": "50", "at": 4}},
    "money_out": {"bought": {"formula": "100", "at": 0}},
}


def test_a_worth_is_told_by_its_lines_the_largest_first_then_by_year() -> None:
    """By hand: 50, 60, 70, 80 at the ends of four years, 50 more at the last, 100 at the start, at 10 %."""
    reason = deal({"worth": "npv(net, hurdle)"}, periods=4, **FAIR).why("worth").reason
    stall = sum((40 + 10 * t) / 1.1**t for t in range(1, 5))
    lines = {one.name: one.values[0] for one in of_role(reason, "line")}
    assert list(lines) == ["stall", "bought", "sold"]
    assert list(lines.values()) == pytest.approx([stall, -100, 50 / 1.1**4])
    assert [one.filled for one in of_role(reason, "time")][:2] == ["-100.00 * 1", "50.00 * 0.9091"]
    assert [one.so_far for one in of_role(reason, "time")][:2] == ["so far -100.00", "so far -54.55"]
    assert [(one.name, one.period) for one in reason.below[0].below] == [("stall", 4)]
    assert reason.below[-1].name == "hurdle"


def test_the_way_on_leads_to_the_period_that_matters() -> None:
    measures = {
        "least": "lowest(net)", "first": "first_period(stall >= 65)", "third": "at(stall, 3)", "back": "payback(net)",
        "double": "2 * total(stall, 1, 2)",
    }  # fmt: skip
    made = deal(measures, periods=4, **FAIR)

    def below(name: str) -> list[tuple[str, int | None, float | None]]:
        return [(one.label, one.period, one.values[0]) for one in made.why(name, depth=1).reason.below]

    assert below("least")[:2] == [("Net", 1, 50.0), ("The next lowest, year 2", None, 60.0)]
    assert below("first") == [("Stall", 3, 70.0), ("Stall", 2, 60.0)]
    assert below("third") == [("Stall", 3, 70.0)]
    assert [one[2] for one in below("back")] == [-50.0, 10.0, 60.0]
    assert made.why("back").reason.filled == "1 + 50.00 / 60.00"
    assert made.why("double").reason.filled == "2 * 110.00"
    assert below("double")[-1] == ("Stall", 2, 60.0)


def test_a_window_that_runs_with_time_is_told_by_the_periods_it_looks_at() -> None:
    made = Deal.read(STARTERS / "offices/offices.toml")
    income = made.weigh().line("income")
    window = made.why("sold", at=120, depth=2).reason.below[0]
    assert window.label == "total(income, 121, 132)"
    assert window.values[0] == pytest.approx(income[121:133].sum())
    assert added(of_role(window, "line")) == pytest.approx(window.values[0])
    early = deal(
        lines={
            "x": {"formula": "10 * t", "from": 0},
            "past": "average(x, t - 5, t - 1) + 1",
            "all": "total(x, t - 9, t)",
        }
    )
    cut = early.why("past", at=3).reason.below[0]
    assert (cut.label, cut.values[0], cut.filled) == ("average(x, 1, 2)", 15.0, "30 / 2")
    assert added(of_role(early.why("all", at=4).reason, "time")) == early.weigh().line("all")[4] == 100


def test_what_is_undefined_shows_the_running_total_and_its_cause() -> None:
    made = deal(
        {"rate": "irr(net)", "back": "payback(net)"},
        money_out={"paid": {"formula": "100", "at": 0}},
        money_in={"in": 1},
    )
    for name, cause in (("rate", ""), ("back", "never paid back")):
        reason = made.why(name).reason
        if reason.values[0] is None:
            assert [one.values[0] for one in of_role(reason, "time")][:2] == [-100.0, -99.0]
            assert cause in reason.note


def test_two_scenarios_show_which_lines_and_years_differ_the_most_first() -> None:
    made = Deal.read(TAXI)
    why = made.why("npv", against="wet_summers")
    lines = of_role(why.reason, "line")
    gaps = [abs((one.values[1] or 0.0) - (one.values[0] or 0.0)) for one in lines[:-1]]
    assert gaps == sorted(gaps, reverse=True)
    assert lines[0].name == "fares"
    here, there = (made.weigh(one).measures["npv"].value for one in ("base", "wet_summers"))
    assert [sum(one.values[k] or 0.0 for one in lines) for k in (0, 1)] == pytest.approx([here, there])
    assert [sum(one.values[k] or 0.0 for one in of_role(why.reason, "time")) for k in (0, 1)] == pytest.approx(
        [here, there]
    )


def test_by_period_tells_every_period() -> None:
    house = Deal.read(next(STARTERS.rglob("four-flats-house.toml")))
    by_year, by_period = (of_role(house.why("gain", by=by).reason, "time") for by in ("year", "period"))
    assert len(by_year) < 20 < 140 < len(by_period)
    assert added(by_period) == pytest.approx(added(by_year), abs=1e-6)
    with pytest.raises(
        InputError, match="works_cost is not told by year here, so 'period' changes nothing; leave it out"
    ):
        house.why("works_cost", by="period")
    both = house.why("expenses", by="period").reason.below  # two totals over a year: each has its months
    assert [len([one for one in each.below if one.role == "time" and one.values[0]]) for each in both] == [12, 12]
    with pytest.raises(InputError, match="cap_rate is not told by year here"):
        house.why("cap_rate", by="period")
    with pytest.raises(InputError, match="against is 'base', the scenario that is shown; name another one"):
        house.why("gain", against="base")
    with pytest.raises(InputError, match="by is 'week'; it must be 'year' or 'period'"):
        house.why("gain", by="week")  # type: ignore[arg-type]


def test_of_two_scenarios_each_shows_its_own_period() -> None:
    """Paid back in another year, and lowest in another: both are told."""
    later = {"scenarios": {"later": {"rent": 20}}}
    made = deal(
        {"back": "payback(net)", "most": "highest(rent * t if rent > 30 else 99 - t)"}, periods=4, **FAIR, **later
    )
    below = [(one.label, *one.values) for one in made.why("back", against="later", depth=1).reason.below]
    assert below[:3] == [
        ("Running total of flows, year 1", -50.0, -70.0), ("Running total of flows, year 2", 10.0, -30.0),
        ("Running total of flows, year 3", 80.0, 20.0),
    ]  # fmt: skip
    assert [one.values for one in made.why("most", against="later", depth=1).reason.below] == [
        (160.0, 95.0),
        (40.0, 98.0),
    ]

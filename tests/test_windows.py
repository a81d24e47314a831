"""Windows that run with time, periods left out by `where`, looks outside the timeline, and what a formula leaves undefined."""

from __future__ import annotations

import datetime as dt
import math
import random
from itertools import pairwise
from typing import Any

import numpy as np
import pytest

from pennyweight import Deal, InputError
from tests.builders import deal
from tests.plain_functions import month_on
from tests.sizes import cases

NAN = math.nan


def of(values: list[float | None], *, period: str = "month", **lines: str) -> Deal:
    """A deal whose series has these values from period 0 on (None: it has none yet), and lines made of it."""
    steps = {str(k): value for k, value in enumerate(values) if value is not None}
    return Deal.from_dict({
        "deal": "x", "timeline": {"period": period, "periods": len(values) - 1}, "inputs": {"x": {"steps": steps, "unit": "money"}},
        "levels": lines, "measures": {"m": f"at({next(iter(lines))}, end)"},
    })  # fmt: skip


def test_a_window_is_cut_at_the_beginning_and_undefined_beyond_the_end() -> None:
    made = of([5, 1, 2, 4, 8], before="total(x, t - 1, t)", ahead="total(x, t + 1, t + 2)", none="total(x, t + 1, t)",
              usual="average(x, t - 2, t)", least="lowest(x, t - 1, t)", most="highest(x, t - 3, t - 1)")  # fmt: skip
    told = {name: made.weigh().line(name).tolist() for name in ("before", "ahead", "none", "usual", "least", "most")}
    assert told["before"] == [5, 6, 3, 6, 12]
    assert told["ahead"] == pytest.approx([3, 6, 12, NAN, NAN], nan_ok=True)
    assert told["none"] == [0, 0, 0, 0, 0]
    assert told["usual"] == pytest.approx([NAN, 1, 1.5, 7 / 3, 14 / 3], nan_ok=True)  # an average begins in period 1
    assert told["least"] == pytest.approx([NAN, 1, 1, 2, 4], nan_ok=True)
    assert told["most"] == pytest.approx([NAN, NAN, 1, 2, 4], nan_ok=True)


def test_a_window_for_all_periods_that_the_timeline_cuts_is_told() -> None:
    made = Deal.from_dict({
        "deal": "x", "timeline": {"period": "year", "periods": 8}, "inputs": {"life": {"value": 8, "unit": "years", "low": 5, "high": 12}},
        "lines": {"sales": "100 * t"}, "measures": {"all": "total(sales, 1, life)", "some": "total(sales, 2, 5)"},
    })  # fmt: skip
    said = "all: total(sales, 1, life) ends in period 12; the timeline ends in period 8, and so does its window."
    assert said in [str(text) for _, text in made.weigh(inputs={"life": 12}).checks]
    assert not [text for _, text in made.weigh().checks if "window" in str(text)]


@pytest.mark.parametrize("seed", range(cases(12)))
def test_windows_are_what_a_loop_makes_of_them(seed: int) -> None:
    """Windows of every length and place, gaps in the series, a condition: each beside a plain loop; in a batch the same bits."""
    pick = random.Random(seed)
    rows = pick.randint(3, 70)
    values: list[float | None] = [pick.choice([None, 0.0, -3.0, float(pick.randint(1, 900))]) for _ in range(rows)]
    values = [None if k < pick.randint(0, 2) else value or 1.0 for k, value in enumerate(values)]
    back, on = pick.randint(-3, rows), pick.randint(-3, 3)
    least = {"total": 0, "average": 1, "lowest": 1, "highest": 1}
    for name, begins in least.items():
        text = f"{name}(x, t - {back} if {back} > 0 else t + {-back}, t + {on}, where = t != 4)"
        made = of(values, asked=text)
        found = made.weigh().line("asked").tolist()
        series = np.array([NAN if value is None else value for value in _carried_on(values)])
        for t in range(rows):
            kept = [series[k] for k in range(max(t - back, begins), t + on + 1) if k != 4] if t + on < rows else [NAN]
            expected = {"total": sum, "average": lambda v: sum(v) / len(v), "lowest": min, "highest": max}[name]
            wanted = NAN if any(map(math.isnan, kept)) or (not kept and name != "total") else float(expected(kept))  # type: ignore[operator]
            assert found[t] == pytest.approx(wanted, rel=1e-9, abs=1e-9, nan_ok=True), (text, t)
        scales = [0.5, 1.0, 2.0]
        many = made.vary({"x": scales}, show=["m"]).figures["m"].tolist()  # the same program, three wide
        alone = [made.weigh(inputs={"x": f"scale {scale}"}).measures["m"].value for scale in scales]
        assert many == pytest.approx([NAN if value is None else value for value in alone], rel=1e-12, nan_ok=True)


def _carried_on(values: list[float | None]) -> list[float | None]:
    """Steps hold until the next one."""
    held: list[float | None] = []
    for value in values:
        held.append(value if value is not None else held[-1] if held else None)
    return held


def test_only_where_leaves_periods_out() -> None:
    """A cover in years without debt: undefined as it stands, told where there is debt; flows left out are nothing."""
    parts: dict[str, Any] = {
        "money_in": {"got": "90"}, "money_out": {"paid": {"formula": "200", "at": 0}, "debt": {"formula": "30", "to": 3}},
        "lines": {"cover": "got / debt if debt > 0 else undefined"}, "timeline": {"periods": 5},
    }  # fmt: skip
    made = deal({"all": "lowest(cover)", "some": "lowest(cover, where = debt > 0)", "none": "average(got, where = got > 100)",
                 "mean": "average(net, where = t > 2)", "sum": "total(net, 1, 5, where = t != 4)", "first": "first_period(got > 0, where = t > 2)",
                 "npv": "npv(net, 10%, where = t != 2)", "irr": "irr(net, where = t < 5)", "back": "payback(net, where = t != 1)"}, **parts)  # fmt: skip
    figures = made.weigh().measures
    net = [-200.0, 60, 60, 60, 90, 90]
    assert figures["all"].value is None
    assert "says undefined" in figures["all"].reason
    assert figures["some"].value == 3
    assert figures["none"].value is None
    assert figures["mean"].value == 80
    assert figures["sum"].value == 270
    assert figures["first"].value == 3
    assert figures["npv"].value == pytest.approx(sum(flow / 1.1**k for k, flow in enumerate(net) if k != 2), rel=1e-13)
    rate = figures["irr"].value or 0.0
    assert sum(flow / (1 + rate) ** k for k, flow in enumerate(net) if k < 5) == pytest.approx(0, abs=1e-9)
    assert figures["back"].value == pytest.approx(3 + 80 / 90)
    told = made.why("npv").reason
    assert sum(one.values[0] or 0.0 for one in told.below if one.role == "time") == pytest.approx(figures["npv"].value)


def test_otherwise_stands_outside_the_timeline_in_circles_too() -> None:
    made = of(
        [5, 1, 2, 4, 8],
        late="at(x, t - 2, otherwise = 9)",
        ahead="at(x, t + 3, otherwise = 0)",
        half="at(x, t - 0.5, otherwise = 9)",
    )
    line = made.weigh().line
    assert line("late").tolist() == [9, 9, 5, 1, 2]
    assert line("ahead").tolist() == [4, 8, 0, 0, 0]
    assert np.isnan(line("half")).all()
    level = of([5, 1, 2, 4, 8], late="at(flat, t - 2, otherwise = 9)", ahead="at(2 * flat, t + 3)", flat="6")
    assert level.weigh().line("late").tolist() == [9, 9, 6, 6, 6], "a single number has no periods outside the timeline"
    assert level.weigh().line("ahead").tolist()[:2] == [12, 12]
    assert np.isnan(level.weigh().line("ahead")[2:]).all()
    circle = deal({"m": "at(pot, end)"}, inputs={"first": 100}, timeline={"periods": 6},
                  levels={"pot": "at(pot, t - 2, otherwise = first) * 1.1 + 1"})  # fmt: skip
    pot = [100.0, 100.0]
    for _ in range(7):
        pot.append(pot[-2] * 1.1 + 1)
    assert circle.weigh().line("pot").tolist() == pytest.approx(pot[2:])
    table = circle.vary({"first": list(range(100, 120))}, show=["m"]).frame  # stepped as arrays
    for row in table.to_dict("records"):
        alone = circle.weigh(inputs={"first": row["first"]}).measures["m"].value
        assert row["m"] == pytest.approx(alone, rel=1e-13)


@pytest.mark.parametrize(
    ("formula", "said"),
    [
        ("total(a, a, 3)", "must be a single number, but 'a' has a value for each period"),
        (
            "total(a, 1, 3, where = 1)",
            "'where' of total(x, [first], [last], [where]) must have a value for each period",
        ),
        ("npv(net, 8%, 9, 0, a > 0, 1)", "takes 5 at most"),
        (
            "lowest(a, where = a)",
            "'where' of lowest(x, [first], [last], [where]) must be a condition, but 'a' is not one; compare it, as in a > 0",
        ),
        ("total(a, where = pot)", "must be a condition, but 'pot' is not one"),
        ("total(a, t - 1, t)", "must be a single number, but this has a value for each period"),
        ("at(a, 3, otherwise = a)", "has a value for each period"),
        ("undefined(3)", "there is no function 'undefined'"),
    ],
)
def test_what_cannot_be_said(formula: str, said: str) -> None:
    with pytest.raises(InputError) as told:
        deal({"m": formula}, money_in={"a": "10"}, levels={"pot": "prior(pot) + a"})
    assert said in str(told.value)


@pytest.mark.parametrize(
    ("formula", "said"),
    [
        ("roi(a, years = 99)", "years is 99; it must be 0 to 10, the timeline's years, in whole periods"),
        ("modified_irr(a, 5%, years = 0.5)", "years is 0.5; it must be 0 to 10"),
        ("irr(a, years = -1)", "years is -1; it must be 0 to 10"),
        ("npv(a, 0% - 120%)", "rate is -120.00%; it must be above -100%"),
        ("modified_irr(a, 0% - 120%)", "reinvested_at is -120.00%; it must be above -100%"),
        ("lowest(a, 3, 1)", "no period lies in its window"),
        ("average(a, where = a > 99)", "no period in its window fulfils 'where'"),
        ("at(ahead, end)", "its window ends after period 10, the last one"),
    ],
)
def test_an_undefined_figure_says_what_was_asked_wrongly(formula: str, said: str) -> None:
    made = deal({"m": formula}, timeline={"period": "year", "periods": 10}, money_in={"a": "10"},
                levels={"ahead": "total(a, t + 1, t + 2)"})  # fmt: skip
    weighed = made.weigh()
    assert weighed.measures["m"].value is None
    assert said in str(weighed)


def test_undefined_is_no_name_of_ones_own() -> None:
    with pytest.raises(InputError, match="'undefined' has a meaning of its own"):
        deal({"m": "total(net)"}, inputs={"undefined": 3}, money_in={"a": "10"})
    assert deal({"m": "5 if total(net) > 0 else undefined"}, money_in={"a": "10"}).weigh().measures["m"].value == 5


def test_flows_in_the_middle_of_their_period_and_by_real_days() -> None:
    start = dt.date(2027, 1, 31)
    made = Deal.from_dict(
        {
            "deal": "Ferry", "timeline": {"period": "month", "periods": 14, "start": start},
            "money_out": {"built": {"formula": 9_000, "at": 0}}, "money_in": {"fares": "700 + 10 * t"},
            "measures": {
                "middle": "npv(net, 8%, paid = 'middle')", "days": "npv(net, 8%, counted = 'days')", "both": "npv(net, 8%, paid = 'middle', counted = 'days')",
                "rate": "irr(net, paid = 'middle', counted = 'days')", "plain": "irr(net, paid = 'middle')",
            },
        }
    )  # fmt: skip
    ends = [month_on(start, k) for k in range(15)]
    flows = [-9_000.0, *(700.0 + 10 * t for t in range(1, 15))]
    days = [(end - start).days / 365 for end in ends]
    middles = [0.0, *((a + b) / 2 for a, b in pairwise(days))]
    halves = [0.0, *((t - 0.5) / 12 for t in range(1, 15))]

    def worth(rate: float, when: list[float]) -> float:
        return sum(flow / (1 + rate) ** years for flow, years in zip(flows, when, strict=True))

    found = {name: figure.value for name, figure in made.weigh().measures.items()}
    assert found["middle"] == pytest.approx(worth(0.08, halves))
    assert (found["days"], found["both"]) == pytest.approx((worth(0.08, days), worth(0.08, middles)))
    assert worth(found["rate"] or 0.0, middles) == pytest.approx(0, abs=1e-6)
    assert worth(found["plain"] or 0.0, halves) == pytest.approx(0, abs=1e-6)
    below = made.why("both").reason.below
    assert sum(one.values[0] or 0.0 for one in below if one.role == "line") == pytest.approx(found["both"])
    for formula, said in (
        ("npv(net, 8%, paid = 'start')", "paid is written paid = 'middle'"),
        ("irr(net, above = 1%, paid = 'middle')", "do not go with"),
    ):
        with pytest.raises(InputError, match=said):
            Deal.from_dict(
                {"deal": "Ferry", "timeline": {"periods": 2}, "money_in": {"a": 1}, "measures": {"x": formula}}
            )
    with pytest.raises(InputError, match="needs days"):
        Deal.from_dict(
            {
                "deal": "F",
                "timeline": {"periods": 2},
                "money_in": {"a": 1},
                "measures": {"x": "npv(net, 8%, counted = 'days')"},
            }
        )

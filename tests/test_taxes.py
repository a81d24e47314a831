"""Losses carried forward, write-offs, and the measures of flows as functions of deals, by hand and by textbook."""

from __future__ import annotations

import numpy as np
import pytest

from pennyweight import CashFlows, Deal
from tests.builders import deal


def line_of(formula: str, profits: list[float], **more: object) -> list[float]:
    """A line of a deal whose profits are these, from period 0 on."""
    steps = {str(k): value for k, value in enumerate(profits)}
    made = Deal.from_dict({"deal": "x", "timeline": {"periods": len(profits) - 1}, "inputs": {"profit": {"steps": steps, "unit": "money"}},
                           "levels": {"asked": formula}, "measures": {"m": "lowest(asked)"}, **more})  # fmt: skip
    return [round(value, 9) for value in made.weigh().line("asked").tolist()]


def test_losses_are_used_up_to_a_share_of_profit() -> None:
    """By hand: of 40 and 80 at most 80 % are used, so 8 and 16 are taxed, and 4 of the 100 are left."""
    assert line_of("after_losses(profit, 80%)", [0, -100, 40, 80, 200]) == [0, 0, 8, 16, 196]
    assert line_of("losses_left(profit, 80%)", [0, -100, 40, 80, 200]) == [0, 100, 68, 4, 0]
    assert line_of("after_losses(profit)", [-30, -100, 40, 80, 200]) == [0, 0, 0, 0, 190]
    assert line_of("losses_left(profit, 0%)", [0, -100, 40, 80, 200]) == [0, 100, 100, 100, 100]


def test_double_declining_goes_over_to_equal_parts() -> None:
    """The textbook machine of 10,000 over five years at 40 %: 4,000, 2,400, 1,440, then 1,080 twice."""
    made = deal(
        {"m": "total(worn)"}, lines={"worn": "declining_balance(10_000, 40%, years=5)"}, timeline={"periods": 7}
    )
    assert made.weigh().line("worn").tolist() == [0, 4_000, 2_400, 1_440, 1_080, 1_080, 0, 0]
    monthly = deal({"m": "total(worn, 13, 24)"}, lines={"worn": "declining_balance(10_000, 40%, years=5)"},
                   timeline={"period": "month", "periods": 60})  # fmt: skip
    assert monthly.weigh().measures["m"].value == pytest.approx(2_400)


def test_what_is_spent_is_written_off_from_the_next_period_on() -> None:
    assert line_of("written_off(profit, 2)", [100, 0, 60, 0, 0]) == [0, 50, 50, 30, 30]
    spent = {"spent": {"formula": "1_200", "at": 3}}
    monthly = deal(
        {"m": "total(worn)"},
        money_out=spent,
        lines={"worn": "written_off(spent, 1)"},
        timeline={"period": "month", "periods": 24},
    )
    worn = monthly.weigh().line("worn")
    assert worn[:4].tolist() == [0, 0, 0, 0]
    assert worn[4:16].tolist() == [100.0] * 12
    assert not worn[16:].any()


def test_a_deal_measures_flows_as_flows_do() -> None:
    flows = [-1_000.0, 300.0, 420.0, 680.0]
    own = CashFlows(flows)
    made = deal({"roi": "roi(net)", "modified": "modified_irr(net, 5%, 8%)", "both": "modified_irr(net, 7%)"},
                inputs={"in_": {"steps": {"0": 0, "1": 300, "2": 420, "3": 680}, "unit": "money"}},
                money_in={"got": "in_"}, money_out={"paid": {"formula": "1_000", "at": 0}}, timeline={"periods": 3})  # fmt: skip
    found = {name: figure.value for name, figure in made.weigh().measures.items()}
    assert found["roi"] == pytest.approx(own.roi(), rel=1e-14)
    assert found["modified"] == pytest.approx(own.modified_irr(reinvested_at="5%", borrowed_at="8%"), rel=1e-13)
    assert found["both"] == pytest.approx(own.modified_irr(reinvested_at="7%", borrowed_at="7%"), rel=1e-13)
    assert [one.role for one in made.why("modified").reason.below][:2] == ["side", "side"]


def test_what_rises_for_ever_is_the_limit_of_a_long_sum() -> None:
    made = deal({"m": "growing_perpetuity(100, 8%, 2%)"}, timeline={"period": "month", "periods": 12})
    i, g = 1.08 ** (1 / 12) - 1, 1.02 ** (1 / 12) - 1
    k = np.arange(1, 20_000)
    assert made.weigh().measures["m"].value == pytest.approx(
        float((100 * (1 + g) ** (k - 1) / (1 + i) ** k).sum()), rel=1e-9
    )


@pytest.mark.parametrize(
    ("formula", "said"),
    [
        ("total(after_losses(net, 140%))", "the share of profit is 140.00%; it must be 0% to 100%"),
        ("total(written_off(net, 0.5))", "0.5 years are not a whole number of years of one at least"),
        ("total(declining_balance(100, 40%, years=2.5))", "2.5 years are not a whole number"),
        ("growing_perpetuity(100, 2%, 2%)", "it rises by 2.00% a year, which must be below the rate of 2.00%"),
        ("modified_irr(net, 5%)", "no period is below zero"),
        ("roi(net)", "no money goes out"),
    ],
)
def test_what_cannot_be_says_why(formula: str, said: str) -> None:
    figure = deal({"m": formula}, money_in={"a": "10"}).weigh().measures["m"]
    assert figure.value is None
    assert said in figure.reason


def test_cases_together_are_cases_alone() -> None:
    """Shares, years and rates that vary by case, beside each worked out alone."""
    made = deal({"a": "total(after_losses(net, part))", "b": "at(worn, 4)", "c": "at(old, 3)", "d": "at(left, end)"},
                inputs={"part": {"value": "50%", "low": "0%", "high": "100%"}, "long": {"value": 3, "unit": "years"}},
                money_in={"got": "60 * t"}, money_out={"paid": {"formula": "200", "at": 0}, "more": "90 if t <= 2 else 0"},
                lines={"worn": "written_off(more, long)", "old": "declining_balance(900, part, long)"},
                levels={"left": "losses_left(net, part)"}, timeline={"periods": 6})  # fmt: skip
    table = made.vary({"part": ["0%", "30%", "50%", "100%"], "long": [1, 2, 3, 5]}, show=["a", "b", "c", "d"]).frame
    for row in table.to_dict("records"):
        alone = made.weigh(inputs={"part": row["part"], "long": row["long"]}).measures
        assert {name: alone[name].value for name in "abcd"} == pytest.approx(
            {name: row[name] for name in "abcd"}, rel=1e-12
        )


@pytest.mark.parametrize("period", ["year", "quarter"])
def test_every_rate_of_flows_is_a_figure(period: str) -> None:
    """Flows made of three rates a period, multiplied out; the fourth rate there is not."""
    rates = [-0.02, 0.03, 0.11]
    flows = np.poly([1 + rate for rate in rates]) * -1_000
    steps = {str(k): float(flow) for k, flow in enumerate(flows)}
    made = Deal.from_dict({
        "deal": "x", "timeline": {"period": period, "periods": 3}, "inputs": {"x": {"steps": steps, "unit": "money"}, "n": {"value": 1, "low": 1, "high": 4}},
        "lines": {"f": {"formula": "x", "from": 0}}, "measures": {"rate": "irrs(f, n)", "odd": "irrs(f, 1.5)"},
    })  # fmt: skip
    per_year = {"year": 1, "quarter": 4}[period]
    told = [made.weigh(inputs={"n": n}).measures["rate"] for n in (1, 2, 3, 4)]
    assert [one.value for one in told[:3]] == pytest.approx([(1 + rate) ** per_year - 1 for rate in rates], rel=1e-9)
    assert told[3].value is None
    assert "and rate 4 is asked for" in told[3].reason
    assert "must be 1, 2, 3…, and is 1.5" in made.weigh().measures["odd"].reason
    varied = made.vary({"n": [1, 2, 3, 4]}, show="rate").frame["rate"].tolist()
    assert varied == pytest.approx([one.value if one.value is not None else np.nan for one in told], nan_ok=True)

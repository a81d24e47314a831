"""Splits of proceeds: beside a clerk who keeps accounts in decimals, and refused where tiers cannot be filled."""

from __future__ import annotations

from decimal import Decimal, getcontext
from typing import Any

import numpy as np
import pytest

from pennyweight import Deal, InputError
from tests.plain_splits import divided
from tests.sizes import cases

_TIERS: list[dict[str, Any]] = [
    {"rate": "pref"},
    {"catch_up": "sponsor", "to": "20%", "share": "100%"},
    {"shares": {"investor": "80%", "sponsor": "20%"}, "until": {"investor": "15%"}},
    {"shares": {"investor": "60%", "sponsor": "40%"}},
]


def _yard(calls: list[int], own: list[int], cash: list[int], tiers: Any = None, **more: Any) -> dict[str, Any]:
    def line(values: list[int]) -> dict[str, Any]:
        return {"formula": "0", "from": 0, "set": {str(k): value for k, value in enumerate(values) if value}}

    return {
        "deal": "Yard", "currency": "EUR", "timeline": {"period": "year", "periods": len(cash) - 1}, "inputs": {"pref": "8%"},
        "lines": {"calls": line(calls), "own_calls": line(own), "cash": line(cash)},
        "splits": {"proceeds": {"of": "cash", "paid_in": {"investor": "calls", "sponsor": "own_calls"}, "tiers": tiers or _TIERS, **more}},
        "measures": {"to_sponsor": "total(proceeds.sponsor)"},
    }  # fmt: skip


@pytest.mark.parametrize("seed", range(cases(20)))
def test_a_split_is_what_a_clerk_makes_of_it(seed: int) -> None:
    """Kept in decimals; of every second drawn deal two tiers bring a return, and the sponsor catches up with a part."""
    draw = np.random.default_rng(seed)
    years = int(draw.integers(4, 10))
    calls = [900, *(int(one) for one in draw.integers(0, 2, years) * draw.integers(0, 300, years))]
    own = [100, *(int(one) for one in draw.integers(0, 2, years) * draw.integers(0, 60, years))]
    cash = [0, *(int(one) for one in draw.integers(0, 2, years) * draw.integers(0, 1_200, years))]
    more = [{"rate": "10%"}, {"catch_up": "sponsor", "to": "20%", "share": "60%"}, *_TIERS[2:]]
    tiers = [_TIERS[0], *more] if seed % 2 else _TIERS
    made = Deal.from_dict(_yard(calls, own, cash, tiers))
    weighing = made.weigh()
    getcontext().prec = 40
    plain = [_in_decimals(tier) for tier in tiers]
    clerk = divided(plain, {"investor": calls, "sponsor": own}, cash, number=Decimal)
    names = ["investor", "sponsor", *(f"{part}_{k + 1}" for part in ("tier", "owed") for k in range(len(tiers)))]
    for name in names[:-1]:
        told = [float(one) for one in clerk[name]]
        assert weighing.line(f"proceeds.{name}").tolist() == pytest.approx(told, abs=0.005), name
    tiers_told = sum(weighing.line(f"proceeds.tier_{k + 1}") for k in range(len(tiers)))
    assert tiers_told.tolist() == pytest.approx(cash)
    assert all(passed for passed, said in weighing.checks if "parties" in said)
    many = made.vary({"pref": [0.06, 0.08, 0.09]}).figures["to_sponsor"]
    assert many[1] == pytest.approx(weighing.measures["to_sponsor"].value, rel=1e-12)


def _in_decimals(tier: Any) -> Any:
    """A tier with decimals for its percentages."""
    if isinstance(tier, dict):
        return {key: _in_decimals(value) for key, value in tier.items()}
    text = "8%" if tier == "pref" else str(tier)
    return Decimal(text[:-1]) / 100 if text.endswith("%") else tier


def test_published_splits() -> None:
    """Of a property fund that pays in 100 and sells for 160 after two years: 148 and 12 (CFA Institute, Alternative
    Investment Performance and Returns, on waterfalls). Of a fund of 100 with a hurdle of 8 %, a fifth of the profit and
    a full catch-up, sold after a year: 108 and 0 of 108, 108 and 2 of 110, four fifths of the rest (A. Metrick and A.
    Yasuda, Venture Capital and the Finance of Innovation, chapter 2)."""
    tiers = [*_TIERS[:2], {"shares": {"investor": "80%", "sponsor": "20%"}}]
    for years, sold, investor, sponsor in (
        (2, 160, 148, 12), (1, 108, 108, 0), (1, 109, 108, 1), (1, 110, 108, 2), (1, 130, 124, 6),
    ):  # fmt: skip
        nothing = [0] * (years + 1)
        cash = [*nothing[1:], sold * 1_000_000]
        made = Deal.from_dict(_yard([100_000_000, *nothing[1:]], nothing, cash, tiers)).weigh()
        found = [made.line(f"proceeds.{party}")[years] / 1_000_000 for party in ("investor", "sponsor")]
        assert found == pytest.approx([investor, sponsor], abs=1e-8)


def test_after_three_years_every_tier_is_as_worked_out_by_hand() -> None:
    """1,000 paid in, 1,500 after three years: 1,259.71 back, 64.93 to catch up, the rest by 80 and 20."""
    weighing = Deal.from_dict(_yard([900, 0, 0, 0], [100, 0, 0, 0], [0, 0, 0, 1_500])).weigh()
    back = 1_000 * 1.08**3
    catch_up = 0.25 * (back - 1_000)
    rest = 1_500 - back - catch_up
    found = [weighing.line(f"proceeds.tier_{k}")[3] for k in (1, 2, 3, 4)]
    assert found == pytest.approx([back, catch_up, rest, 0])
    assert weighing.line("proceeds.owed_3")[3] == pytest.approx(900 * 1.15**3 - 0.9 * back - 0.8 * rest)
    reason = (
        Deal.from_dict(_yard([900, 0, 0, 0], [100, 0, 0, 0], [0, 0, 0, 1_500])).why("proceeds.sponsor", at=3).reason
    )
    assert [one.name for one in reason.below][:3] == ["proceeds.sponsor_1", "proceeds.sponsor_2", "proceeds.sponsor_3"]


@pytest.mark.parametrize(
    ("tiers", "said"),
    [
        ([_TIERS[0], _TIERS[1]], "the last tier must be shares of all the rest"),
        ([_TIERS[3], _TIERS[3]], "takes all the rest, so that tier 2 gets nothing"),
        ([_TIERS[1], _TIERS[3]], "a catch-up follows a tier with a rate"),
        ([_TIERS[2], _TIERS[0], _TIERS[3]], "tiers with a rate come first"),
        ([{"rate": "16%"}, _TIERS[2], _TIERS[3]], "the returns must rise"),
        ([_TIERS[0], {"shares": {"investor": "80%", "sponsor": "30%"}}], "add up to 110%"),
        ([_TIERS[0], {"shares": {"bank": "100%"}}], "there is no party 'bank'"),
        ([_TIERS[0], {"catch_up": "sponsor", "to": "60%", "share": "50%"}, _TIERS[3]], "the share must be larger"),
        ([{"rate": "8%", "shares": {"investor": "100%"}}], "a tier is one of"),
        ([{"rate": "cash"}, _TIERS[3]], "must be a single number"),
    ],
)  # fmt: skip
def test_tiers_that_cannot_be_filled_are_refused(tiers: Any, said: str) -> None:
    with pytest.raises(InputError) as caught:
        Deal.from_dict(_yard([900, 0], [100, 0], [0, 500], tiers))
    assert said in str(caught.value)
    negative = Deal.from_dict(_yard([900, 0], [100, 0], [0, -500])).weigh()
    assert any("cannot be split; write of = 'max(0, …)'" in text for passed, text in negative.checks if not passed)


@pytest.mark.parametrize(
    ("changed", "said"),
    [({"two": "8%"}, "tier 2 asks for 8.00%, which the tier before gives already; the returns must rise"),
     ({"share": "15%"}, "tier 3 catches up to 20.00% with a share of 15.00%; the share must be larger"),
     ({"sponsor": "30%"}, "the shares of tier 4 make 110.00%; they must make 100%, none below 0%")],
)  # fmt: skip
def test_terms_that_make_no_split_in_a_scenario_give_nothing_away(changed: dict[str, str], said: str) -> None:
    """Names as terms are checked in every case: the tiers add up to what comes, or all are undefined, with the reason."""
    tiers = [
        {"rate": "one"},
        {"rate": "two"},
        {"catch_up": "b", "to": "20%", "share": "share"},
        {"shares": {"a": "80%", "b": "sponsor"}},
    ]
    deal = Deal.from_dict(
        {
            "deal": "Split", "timeline": {"periods": 4}, "scenarios": {"other": changed},
            "inputs": {"one": "10%", "two": "12%", "share": "100%", "sponsor": "20%"},
            "lines": {"calls": {"formula": 100, "at": 0}, "cash": {"formula": 200, "at": 4}, "none": {"formula": 0, "at": 0}},
            "splits": {"p": {"of": "cash", "paid_in": {"a": "calls", "b": "none"}, "tiers": tiers}},
            "measures": {"given": "total(p.a) + total(p.b)", "least": "min(lowest(p.tier_2), lowest(p.tier_3))"},
        }
    )  # fmt: skip
    assert deal.weigh().measures["given"].value == pytest.approx(200)
    assert deal.weigh("other").measures["given"].reason == f"the split p cannot be worked out: {said}"
    varied = deal.vary({"two": "6%..14%/5", "share": "10%;30%;100%"}, show=["given", "least"])
    given, least = varied.figures["given"], varied.figures["least"]
    told = np.isfinite(given)
    assert told.sum() == 2 * 2
    assert given[told] == pytest.approx(200)
    assert (least[told] >= 0).all()

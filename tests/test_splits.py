"""Splits of proceeds: beside a clerk who keeps accounts in decimals, and refused where tiers cannot be filled."""

from __future__ import annotations

from decimal import Decimal, getcontext
from typing import Any

import numpy as np
import pytest

from pennyweight import Deal, InputError
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


def _clerk(calls: list[int], own: list[int], cash: list[int]) -> tuple[list[Decimal], list[Decimal]]:
    """The same four tiers with accounts in decimals: (to the investor, to the sponsor) year by year."""
    getcontext().prec = 40
    owed_i = owed_s = lacks = paid_in = out = counted = Decimal(0)
    to_i, to_s = [], []
    for call, own_call, there in zip(calls, own, cash, strict=True):
        owed_i, owed_s = owed_i * Decimal("1.08") + call, owed_s * Decimal("1.08") + own_call
        lacks = lacks * Decimal("1.15") + call
        paid_in += call + own_call
        left = Decimal(there)
        owed = owed_i + owed_s
        first = min(left, owed)
        i = first * owed_i / owed if owed else Decimal(0)
        s = first - i
        owed_i, owed_s, left = owed_i - i, owed_s - s, left - first
        beyond = max(out + first - paid_in, Decimal(0))
        # x more for the sponsor so that counted + x is a fifth of beyond + x
        second = min(left, max((beyond / 5 - counted) / Decimal("0.8"), Decimal(0)))
        counted, s, left = counted + second, s + second, left - second
        third = min(left, max(lacks - i, Decimal(0)) / Decimal("0.8"))
        i, s, left = i + third * Decimal("0.8"), s + third / 5, left - third
        i, s = i + left * Decimal("0.6"), s + left * Decimal("0.4")
        counted += third / 5 + left * Decimal("0.4")
        lacks -= i
        out += there
        to_i.append(i)
        to_s.append(s)
    return to_i, to_s


@pytest.mark.parametrize("seed", range(cases(20)))
def test_a_split_is_what_a_clerk_makes_of_it(seed: int) -> None:
    draw = np.random.default_rng(seed)
    years = int(draw.integers(4, 10))
    calls = [900, *(int(one) for one in draw.integers(0, 2, years) * draw.integers(0, 300, years))]
    own = [100, *(int(one) for one in draw.integers(0, 2, years) * draw.integers(0, 60, years))]
    cash = [0, *(int(one) for one in draw.integers(0, 2, years) * draw.integers(0, 1_200, years))]
    made = Deal.from_dict(_yard(calls, own, cash))
    weighing = made.weigh()
    to_i, to_s = _clerk(calls, own, cash)
    assert weighing.line("proceeds.investor").tolist() == pytest.approx([float(one) for one in to_i], abs=0.005)
    assert weighing.line("proceeds.sponsor").tolist() == pytest.approx([float(one) for one in to_s], abs=0.005)
    tiers = sum(weighing.line(f"proceeds.tier_{k}") for k in range(1, 5))
    assert tiers.tolist() == pytest.approx(cash)
    assert all(passed for passed, said in weighing.checks if "parties" in said)
    many = made.vary({"pref": [0.06, 0.08, 0.1]}).figures["to_sponsor"]
    assert many[1] == pytest.approx(weighing.measures["to_sponsor"].value, rel=1e-12)


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

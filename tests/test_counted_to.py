"""A deal that ends before its timeline: the same as one whose timeline ends there, with the loan repaid by hand."""

from __future__ import annotations

from typing import Any

import pytest

from pennyweight import Deal, InputError

_MEASURES = {
    "npv": "npv(net, 6%)", "irr": "irr(net)", "payback": "payback(net)", "mean": "average(rents)", "all": "total(rents)", "peak": "highest(pot)",
    "cover": "lowest(rents / bank.payment, where = bank.payment > 0)", "roi": "roi(net)", "paid": "total(bank.payment)",
}  # fmt: skip


def _house(held: int, **timeline: Any) -> dict[str, Any]:
    return {
        "deal": "Ropewalk flats", "timeline": {"period": "month", **timeline},
        "inputs": {"held": {"value": held, "unit": "years", "whole": True, "low": 1, "high": 5}, "rent": 1_500},
        "loans": {"bank": {"amount": 120_000, "rate": "4%", "years": 20}},
        "money_in": {"rents": "rent * grown_yearly(2%)", "sold": {"formula": "total(rents, t + 1, t + 12) / 7%", "at": "year held"}},
        "money_out": {"bought": {"formula": 200_000, "at": 0}, "kept": "0.2 * rents"},
        "levels": {"pot": "prior(pot) * 1.001 + net"},
        "measures": {**_MEASURES, "level": "equivalent_annual(net, 6%)"}, "goals": {"npv": {"at_least": 0}},
    }  # fmt: skip


@pytest.mark.parametrize("held", [1, 3, 5])
def test_it_is_the_deal_whose_timeline_ends_there(held: int) -> None:
    long = Deal.from_dict(_house(held, periods=72, counted_to="year held"))
    short = _house(held, periods=12 * held)
    rents = [1_500 * 1.02 ** (-(-t // 12) - 1) for t in range(12 * held + 1, 12 * held + 13)]
    short["money_in"]["sold"] = {"formula": f"{sum(rents)} / 7%", "at": "end"}
    short["money_out"]["repaid"] = {"formula": "bank.balance", "at": "end"}
    short["measures"]["level"] = f"equivalent_annual(net, 6%, {held})"
    found, expected = long.weigh(), Deal.from_dict(short).weigh()
    for name, figure in expected.measures.items():
        assert found.measures[name].value == (
            None if figure.value is None else pytest.approx(figure.value, rel=1e-9)
        ), name
    last = 12 * held
    assert found.line("net")[: last + 1] == pytest.approx(expected.line("net"))
    owed = expected.line("bank.balance")[last]
    assert (found.line("bank.settled")[last], found.line("bank.balance")[last]) == pytest.approx((owed, 0))
    assert found.line("bank.principal")[last] == pytest.approx(expected.line("bank.principal")[last] + owed)
    for name in ("net", "money_in", "money_out", "bank.payment", "bank.flow"):
        assert not found.line(name)[last + 1 :].any(), name
    assert found.line("rents")[last + 1] > 0
    told = [said for _, said in found.checks]
    assert any(f"counted to month {last}" in said for said in told)
    many = long.vary({"held": [1, 3, 5]}).figures["npv"]  # each case ends where it says
    assert many[[1, 3, 5].index(held)] == pytest.approx(found.measures["npv"].value)


def test_what_falls_after_the_end_is_told_and_an_end_outside_is_refused() -> None:
    document = _house(2, periods=72, counted_to="year held")
    document["money_in"]["late"] = {"formula": 500, "at": 40}
    document["loans"]["second"] = {"amount": 900, "rate": "5%", "years": 2, "paid_out": 30}
    failed = [said for passed, said in Deal.from_dict(document).weigh().checks if not passed]
    assert any("late: 500.00 fall in month 40, after the deal has ended" in said for said in failed)
    assert any("second is paid out in month 30, after the deal has ended" in said for said in failed)
    with pytest.raises(InputError, match="counted_to is period 72; it must be a whole one from 0 to 60"):
        Deal.from_dict(_house(6, periods=60, counted_to="year held") | {"money_in": {"rents": "rent"}}).weigh()
    for bad, said in (("year 9", "timeline runs from 0"), ("rents", "counted_to")):
        with pytest.raises(InputError, match=said):
            Deal.from_dict(_house(2, periods=72, counted_to=bad)).weigh()

"""A plant that sizes its own debt, after what it must put by: weighed, against the same with the values typed in."""

from __future__ import annotations

from typing import Any

from benchmarks.measure import Row, best, show
from pennyweight import Deal

_DEBT = {
    "so_that": "lowest(cash / service, where = service > 0) >= 1.3",
    "pick": "largest",
    "between": [1_000_000, 60_000_000],
    "unit": "money",
}
_SAVED = {"so_that": "at(reserve, 8) >= 500_000", "pick": "smallest", "between": [0, 400_000], "unit": "money"}


def plant(debt: Any, saved: Any) -> Deal:
    """A wind farm of twenty years in half-years."""
    return Deal.from_dict(
        {
            "deal": "Breakwater",
            "currency": "EUR",
            "timeline": {"period": "half-year", "periods": 40},
            "inputs": {
                "price": {"value": 68, "low": 60, "high": 75},
                "output": {"value": 31_000, "low": 27_000, "high": 33_000},
                "cost": {"value": 46_000_000, "unit": "money"},
                "upkeep": {"value": 420_000, "unit": "money"},
                "interest": {"value": "4.6%", "unit": "rate"},
                "inflation": "2%",
                "tax": "25%",
                "hurdle": "9%",
                "debt": debt,
                "saved": saved,
            },
            "loans": {"senior": {"amount": "debt", "rate": "interest", "years": 16, "per_year": 2}},
            "money_in": {"sales": "price * output * grown_yearly(inflation)"},
            "money_out": {
                "built": {"formula": "cost", "at": 0},
                "kept": "upkeep * grown_yearly(inflation)",
                "put_by": "saved",
                "taxed": "tax * after_losses(sales - kept - senior.interest - straight_line(cost, 0, 20))",
            },
            "lines": {"cash": "sales - kept - put_by - taxed", "service": "senior.payment"},
            "levels": {"reserve": "prior(reserve) * 1.01 + put_by"},
            "measures": {"irr": "irr(net)", "npv": "npv(net, hurdle)", "payback": "payback(net)"},
            "goals": {"irr": {"at_least": "hurdle"}},
        }
    )


def run() -> None:
    """Print the ratios."""
    typed: Any = {"debt": {"value": 29_000_000, "unit": "money"}, "saved": {"value": 60_000, "unit": "money"}}
    plain, one, two = (
        plant(debt, saved)
        for debt, saved in ((typed["debt"], typed["saved"]), (_DEBT, typed["saved"]), (_DEBT, _SAVED))
    )

    def weighed(deal: Deal) -> None:
        deal.weigh().work_out()

    times = [best(lambda deal=deal: weighed(deal), 7) for deal in (plain, one, two)]  # type: ignore[misc]
    show(
        "What a deal solves itself: weighing with turning points, against the values typed in",
        [Row("one solved input", times[1] / times[0], 6.0, False), Row("two", times[2] / times[0], 12.0, False)],
        f"With one it takes {times[1]:.2f} s.",
    )

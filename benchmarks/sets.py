"""Five hundred things of ten lines over ten years of months, against the same written in NumPy; ten thousand told."""

from __future__ import annotations

from typing import Any

import numpy as np

from benchmarks.measure import Row, best, show
from pennyweight import Deal
from pennyweight.deals.inputs import stack
from pennyweight.documents.text import render

PERIODS = 120
LARGE = 10_000


def shops(count: int) -> Deal:
    """Shops that open one after the other: ten lines and a level each."""
    draw = np.random.default_rng(3)
    names = [f"Shop {k}" for k in range(count)]
    areas, rents, opens = draw.integers(20, 90, count), draw.integers(80, 200, count), draw.integers(0, 40, count)
    rows = [
        {"shop": name, "area": float(area), "rent": float(rent), "opens": int(first)}
        for name, area, rent, first in zip(names, areas, rents, opens, strict=True)
    ]
    lines: dict[str, Any] = {
        "money_in": {
            "sales": ("shops.area * 90 * grown_yearly(growth)", {"from": "shops.opens"}),
            "extra": ("sales * 0.1", {}),
        },
        "money_out": {
            "rented": ("shops.rent * shops.area / 12", {"from": "shops.opens"}),
            "wages": ("0.3 * sales + 500", {"from": "shops.opens"}),
            "fitted": ("shops.area * 400", {"at": "shops.opens"}),
            "fee": ("share * sales", {}),
        },
        "lines": {
            "left": ("sales + extra - rented - wages - fee", {}),
            "tax": ("max(0, left) * 0.2", {}),
            "kept": ("left - tax", {}),
        },
        "levels": {"pot": ("prior(pot) * 1.01 + kept", {})},
    }
    sections = {
        section: {name: {"each": "shops", "formula": text, **more} for name, (text, more) in own.items()}
        for section, own in lines.items()
    }
    worth = {"each": "shops", "formula": "npv(kept, 8%)"}
    return Deal.from_dict(
        {
            "deal": "Shops", "timeline": {"period": "month", "periods": PERIODS},
            "inputs": {"growth": "2%", "share": "12%"},
            "sets": {"shops": {"rows": rows, "columns": {"opens": {"unit": "period", "fixed": True}}}},
            **sections,
            "measures": {"npv": "npv(net, 8%)", "pots": "at(sum_of(pot), end)", "worth": worth},
            "goals": {"npv": {"at_least": 0}},
        }
    )  # fmt: skip


def run() -> None:
    """Print the ratios of sets."""
    deal = shops(500)
    base, wanted = stack(deal.definition, [deal.model.inputs_of()]), ["npv", "pots"]
    columns = {name: np.asarray(deal.definition.inputs[f"shops.{name}"].value) for name in ("area", "rent", "opens")}
    ours = best(lambda: deal.model.evaluate(base, wanted), 9)
    plain = best(lambda: by_hand(**columns), 9)
    found = deal.model.evaluate(base, wanted)
    agree = np.allclose([float(found[name][0]) for name in wanted], by_hand(**columns), rtol=1e-12)
    large = shops(LARGE)
    told = best(lambda: render(large.weigh().document()), 1)
    weighed = best(large.weigh, 3)
    print(f"{LARGE:,} things: weighed in {weighed:.2f} s; with turning points and the page {told:.2f} s.")
    show(
        "Sets: 500 things x 10 lines x 120 months, in one case",
        [Row("against the same in NumPy by hand", ours / plain, 3.0, False)],
        f"The same figures: {'yes' if agree else 'NO'}.",
    )


def by_hand(area: Any, rent: Any, opens: Any) -> tuple[float, float]:
    """The same deal in NumPy."""
    t = np.arange(PERIODS + 1.0)[:, None]
    runs, growth = t >= opens, 1.02 ** np.maximum(np.ceil(t / 12) - 1, 0)
    sales = np.where(runs, area * 90 * growth, 0.0)
    extra = sales * 0.1
    rented, wages = np.where(runs, rent * area / 12, 0.0), np.where(runs, 0.3 * sales + 500, 0.0)
    fitted, fee = np.where(t == opens, area * 400, 0.0), 0.12 * sales
    left = sales + extra - rented - wages - fee
    kept = left - np.maximum(0, left) * 0.2
    pot, now = np.empty_like(kept), np.zeros(kept.shape[1])
    for k in range(PERIODS + 1):
        now = now * 1.01 + kept[k]
        pot[k] = now
    net = (sales.sum(1) + extra.sum(1)) - (rented.sum(1) + wages.sum(1) + fitted.sum(1) + fee.sum(1))
    return float((net / 1.08 ** (t[:, 0] / 12)).sum()), float(pot.sum(1)[-1])

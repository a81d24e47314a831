# %% [markdown]
# # A deal as a Python function
# A function of the inputs that gives figures by name is a deal: all that a deal file can be asked, it can be asked too.

# %%
from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import numpy as np

from pennyweight import Deal


def panels(price: Any, sun: Any, tariff: Any, wear: float = 0.005) -> Mapping[str, Any]:
    """A roof of panels over twenty years: savings fall with the panels' wear."""
    years = np.arange(21)
    saved = np.where(years > 0, 1.0, 0.0) * sun * tariff * (1 - wear) ** years
    return {"saved": saved, "gain": saved.sum() - price, "payback": price / (sun * tariff)}


# %%
deal = Deal.from_function(
    panels,
    inputs={
        "price": {"value": 14_000, "unit": "money", "low": 12_500, "high": 17_000},
        "sun": {"value": 6_800, "low": 5_900, "high": 7_400, "label": "kWh a year"},
        "tariff": {"value": 0.24, "unit": "money", "low": 0.16, "high": 0.34},
    },
    measures={"gain": {"unit": "money", "label": "Gain over twenty years"}},
    goals={"payback": {"at_most": 10}},
    timeline={"period": "year", "periods": 20},
    title="Panels on the boathouse",
)
print(deal.weigh())

# %%
print(deal.find("tariff").answers["base"].shown)
print(deal.drivers("gain", cases=512).frame[["input", "swing"]].round(2).to_string(index=False))
print(f"pays off in {deal.simulate(4_096).chances['pays_off'].met:.1%} of the cases")

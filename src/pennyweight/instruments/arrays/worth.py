"""What flows are worth: net present value and discount factors, arguments read at the edge."""

from __future__ import annotations

from pennyweight.core import flows
from pennyweight.instruments.arrays.reading import reading

__all__ = ["discount_factors", "npv"]

npv = reading(flows.npv, {"flows": "row", "rate_per_period": "per period", "times": "times"})
discount_factors = reading(flows.discount_factors, {"rate_per_period": "per period", "times": "row"})

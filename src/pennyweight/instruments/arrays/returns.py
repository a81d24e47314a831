"""Internal rates of return of rows of flows, arguments read at the edge."""

from __future__ import annotations

from pennyweight.core.irr import find_rates
from pennyweight.instruments.arrays.reading import reading

__all__ = ["irr", "irr_outcomes"]

_FLOWS = {"flows": "row", "times": "times"}

irr = reading(find_rates.irr, _FLOWS, gives_rate=True)
irr_outcomes = reading(find_rates.irr_outcomes, _FLOWS)

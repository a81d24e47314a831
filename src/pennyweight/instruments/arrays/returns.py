"""Internal rates of return of rows of flows, arguments read at the edge."""

from __future__ import annotations

from pennyweight.core.irr import rates
from pennyweight.instruments.arrays.reading import reading

__all__ = ["irr", "irr_outcomes"]

irr = reading(rates.irr, flows="row", times="times")
irr_outcomes = reading(rates.irr_outcomes, flows="row", times="times")

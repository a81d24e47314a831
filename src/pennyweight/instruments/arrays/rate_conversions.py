"""Rates of one compounding turned into another, arguments read at the edge."""

from __future__ import annotations

from pennyweight.core import rate_forms
from pennyweight.instruments.arrays.reading import reading

__all__ = ["effective_rate", "nominal_rate"]

effective_rate = reading(rate_forms.effective_rate, {"nominal": "rate", "per_year": "compounding"}, gives_rate=True)
nominal_rate = reading(rate_forms.nominal_rate, {"effective": "rate", "per_year": "compounding"}, gives_rate=True)

"""Annuities: factors, worths, payments, terms and rates, arguments read at the edge."""

from __future__ import annotations

from pennyweight.core import annuity
from pennyweight.instruments.arrays.reading import PAYMENTS, RATES, reading

__all__ = [
    "annuity_factor",
    "future_value",
    "level_payment",
    "payments_needed",
    "perpetuity_factor",
    "present_value",
    "rate_needed",
]

annuity_factor = reading(annuity.annuity_factor, PAYMENTS | RATES)
perpetuity_factor = reading(annuity.perpetuity_factor, RATES)
present_value = reading(annuity.present_value, PAYMENTS | RATES)
future_value = reading(annuity.future_value, PAYMENTS | RATES)
level_payment = reading(annuity.level_payment, PAYMENTS | RATES)
payments_needed = reading(annuity.payments_needed, PAYMENTS | RATES)
rate_needed = reading(annuity.rate_needed, PAYMENTS, gives_rate=True)

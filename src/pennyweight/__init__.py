"""Pennyweight weighs deals: does it pay off, by how much, and how wrong may each assumption be.

The public names are imported when they are first used, so that `import pennyweight` costs next to nothing.
"""

from __future__ import annotations

from importlib import import_module
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from pennyweight.analysis.deal import Deal
    from pennyweight.core.annuity import (
        annuity_factor,
        future_value,
        level_payment,
        payments_needed,
        perpetuity_factor,
        present_value,
        rate_needed,
    )
    from pennyweight.core.daycount import year_fraction
    from pennyweight.core.flows import discount_factors, npv
    from pennyweight.core.irr import irr
    from pennyweight.core.rates import effective_rate, nominal_rate
    from pennyweight.errors import InputError, NoAnswer, PennyweightError, SeveralAnswers
    from pennyweight.instruments.bond import Bond
    from pennyweight.instruments.cashflows import CashFlows
    from pennyweight.instruments.loan import Loan
    from pennyweight.instruments.plans import grow, repay, withdraw
    from pennyweight.instruments.portfolio import Benchmark, Portfolio
    from pennyweight.instruments.rate_facts import rate_facts, real_rate, simple_interest, years_to_multiply
    from pennyweight.quantities.dates import payment_dates

__version__ = "0.1.0"

_HOMES = {
    "Benchmark": "instruments.portfolio",
    "Bond": "instruments.bond",
    "CashFlows": "instruments.cashflows",
    "Deal": "analysis.deal",
    "InputError": "errors",
    "Loan": "instruments.loan",
    "NoAnswer": "errors",
    "PennyweightError": "errors",
    "Portfolio": "instruments.portfolio",
    "SeveralAnswers": "errors",
    "annuity_factor": "core.annuity",
    "discount_factors": "core.flows",
    "effective_rate": "core.rates",
    "future_value": "core.annuity",
    "grow": "instruments.plans",
    "irr": "core.irr",
    "level_payment": "core.annuity",
    "nominal_rate": "core.rates",
    "npv": "core.flows",
    "payment_dates": "quantities.dates",
    "payments_needed": "core.annuity",
    "perpetuity_factor": "core.annuity",
    "present_value": "core.annuity",
    "rate_facts": "instruments.rate_facts",
    "rate_needed": "core.annuity",
    "real_rate": "instruments.rate_facts",
    "repay": "instruments.plans",
    "simple_interest": "instruments.rate_facts",
    "withdraw": "instruments.plans",
    "year_fraction": "core.daycount",
    "years_to_multiply": "instruments.rate_facts",
}

__all__ = [
    "Benchmark",
    "Bond",
    "CashFlows",
    "Deal",
    "InputError",
    "Loan",
    "NoAnswer",
    "PennyweightError",
    "Portfolio",
    "SeveralAnswers",
    "annuity_factor",
    "discount_factors",
    "effective_rate",
    "future_value",
    "grow",
    "irr",
    "level_payment",
    "nominal_rate",
    "npv",
    "payment_dates",
    "payments_needed",
    "perpetuity_factor",
    "present_value",
    "rate_facts",
    "rate_needed",
    "real_rate",
    "repay",
    "simple_interest",
    "withdraw",
    "year_fraction",
    "years_to_multiply",
]


def __getattr__(name: str) -> object:
    if name not in _HOMES:
        raise AttributeError(f"module 'pennyweight' has no attribute {name!r}")
    return getattr(import_module(f"pennyweight.{_HOMES[name]}"), name)


def __dir__() -> list[str]:
    return [*__all__, "__version__"]

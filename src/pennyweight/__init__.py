"""Pennyweight weighs deals: does it pay off, by how much, and how wrong may each assumption be.

The public names are imported when they are first used, so that `import pennyweight` costs next to nothing.
"""

from __future__ import annotations

from importlib import import_module
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from pennyweight.analysis.deal import Deal
    from pennyweight.core.annuity import future_value, level_payment, present_value
    from pennyweight.core.flows import discount_factors, npv
    from pennyweight.core.irr import irr
    from pennyweight.core.rates import effective_rate, nominal_rate
    from pennyweight.errors import InputError, NoAnswer, PennyweightError, SeveralAnswers
    from pennyweight.instruments.cashflows import CashFlows

__version__ = "0.1.0"

_HOMES = {
    "CashFlows": "instruments.cashflows",
    "Deal": "analysis.deal",
    "InputError": "errors",
    "NoAnswer": "errors",
    "PennyweightError": "errors",
    "SeveralAnswers": "errors",
    "discount_factors": "core.flows",
    "effective_rate": "core.rates",
    "future_value": "core.annuity",
    "irr": "core.irr",
    "level_payment": "core.annuity",
    "nominal_rate": "core.rates",
    "npv": "core.flows",
    "present_value": "core.annuity",
}

__all__ = [
    "CashFlows",
    "Deal",
    "InputError",
    "NoAnswer",
    "PennyweightError",
    "SeveralAnswers",
    "discount_factors",
    "effective_rate",
    "future_value",
    "irr",
    "level_payment",
    "nominal_rate",
    "npv",
    "present_value",
]


def __getattr__(name: str) -> object:
    if name not in _HOMES:
        raise AttributeError(f"module 'pennyweight' has no attribute {name!r}")
    return getattr(import_module(f"pennyweight.{_HOMES[name]}"), name)


def __dir__() -> list[str]:
    return [*__all__, "__version__"]

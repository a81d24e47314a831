"""Pennyweight weighs deals: does it pay off, by how much, and how wrong may each assumption be.

The public names are imported when they are first used, so that `import pennyweight` costs next to nothing.
"""

from __future__ import annotations

from importlib import import_module
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from pennyweight.analysis.deal import Deal
    from pennyweight.core.irr.outcome import IrrOutcome, IrrOutcomes
    from pennyweight.core.loans.batch_events import LoanEvents
    from pennyweight.errors import InputError, NoAnswer, PennyweightError, SeveralAnswers
    from pennyweight.instruments.arrays.annuities import (
        annuity_factor,
        future_value,
        level_payment,
        payments_needed,
        perpetuity_factor,
        present_value,
        rate_needed,
    )
    from pennyweight.instruments.arrays.days import actual_actual_icma, days_between, year_fraction
    from pennyweight.instruments.arrays.loans import amortize
    from pennyweight.instruments.arrays.rates import effective_rate, nominal_rate
    from pennyweight.instruments.arrays.returns import irr, irr_outcomes
    from pennyweight.instruments.arrays.worth import discount_factors, npv
    from pennyweight.instruments.bonds.bond import Bond
    from pennyweight.instruments.flows.cash_flows import CashFlows
    from pennyweight.instruments.loans.events import Event, Holiday, Recurring
    from pennyweight.instruments.loans.file import read_loan_file
    from pennyweight.instruments.loans.loan import Loan
    from pennyweight.instruments.loans.percentage_rate import apr
    from pennyweight.instruments.loans.several import LoanSet
    from pennyweight.instruments.loans.study import LoanStudy
    from pennyweight.instruments.loans.takeover import Takeover
    from pennyweight.instruments.loans.what_if import extra_needed, extras_table, offers, refinancing
    from pennyweight.instruments.plans.plans import grow, repay, withdraw
    from pennyweight.instruments.portfolios.portfolio import Benchmark, Portfolio
    from pennyweight.instruments.rate_facts import rate_facts, real_rate, simple_interest, years_to_multiply
    from pennyweight.quantities.dates import payment_dates
    from pennyweight.quantities.rates import KnownRate

__version__ = "0.1.0"

_HOMES = {
    "Benchmark": "instruments.portfolios.portfolio",
    "Bond": "instruments.bonds.bond",
    "CashFlows": "instruments.flows.cash_flows",
    "Deal": "analysis.deal",
    "Event": "instruments.loans.events",
    "Holiday": "instruments.loans.events",
    "InputError": "errors",
    "IrrOutcome": "core.irr.outcome",
    "IrrOutcomes": "core.irr.outcome",
    "KnownRate": "quantities.rates",
    "Loan": "instruments.loans.loan",
    "LoanEvents": "core.loans.batch_events",
    "LoanSet": "instruments.loans.several",
    "LoanStudy": "instruments.loans.study",
    "NoAnswer": "errors",
    "PennyweightError": "errors",
    "Portfolio": "instruments.portfolios.portfolio",
    "Recurring": "instruments.loans.events",
    "SeveralAnswers": "errors",
    "Takeover": "instruments.loans.takeover",
    "actual_actual_icma": "instruments.arrays.days",
    "amortize": "instruments.arrays.loans",
    "annuity_factor": "instruments.arrays.annuities",
    "apr": "instruments.loans.percentage_rate",
    "days_between": "instruments.arrays.days",
    "discount_factors": "instruments.arrays.worth",
    "effective_rate": "instruments.arrays.rates",
    "extra_needed": "instruments.loans.what_if",
    "extras_table": "instruments.loans.what_if",
    "future_value": "instruments.arrays.annuities",
    "grow": "instruments.plans.plans",
    "irr": "instruments.arrays.returns",
    "irr_outcomes": "instruments.arrays.returns",
    "level_payment": "instruments.arrays.annuities",
    "nominal_rate": "instruments.arrays.rates",
    "npv": "instruments.arrays.worth",
    "offers": "instruments.loans.what_if",
    "payment_dates": "quantities.dates",
    "payments_needed": "instruments.arrays.annuities",
    "perpetuity_factor": "instruments.arrays.annuities",
    "present_value": "instruments.arrays.annuities",
    "rate_facts": "instruments.rate_facts",
    "rate_needed": "instruments.arrays.annuities",
    "read_loan_file": "instruments.loans.file",
    "real_rate": "instruments.rate_facts",
    "refinancing": "instruments.loans.what_if",
    "repay": "instruments.plans.plans",
    "simple_interest": "instruments.rate_facts",
    "withdraw": "instruments.plans.plans",
    "year_fraction": "instruments.arrays.days",
    "years_to_multiply": "instruments.rate_facts",
}

__all__ = [
    "Benchmark",
    "Bond",
    "CashFlows",
    "Deal",
    "Event",
    "Holiday",
    "InputError",
    "IrrOutcome",
    "IrrOutcomes",
    "KnownRate",
    "Loan",
    "LoanEvents",
    "LoanSet",
    "LoanStudy",
    "NoAnswer",
    "PennyweightError",
    "Portfolio",
    "Recurring",
    "SeveralAnswers",
    "Takeover",
    "actual_actual_icma",
    "amortize",
    "annuity_factor",
    "apr",
    "days_between",
    "discount_factors",
    "effective_rate",
    "extra_needed",
    "extras_table",
    "future_value",
    "grow",
    "irr",
    "irr_outcomes",
    "level_payment",
    "nominal_rate",
    "npv",
    "offers",
    "payment_dates",
    "payments_needed",
    "perpetuity_factor",
    "present_value",
    "rate_facts",
    "rate_needed",
    "read_loan_file",
    "real_rate",
    "refinancing",
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

"""Pennyweight weighs deals: does it pay off, by how much, and how wrong may each assumption be.

The public names are imported when they are first used, so that `import pennyweight` costs next to nothing.
"""

from __future__ import annotations

from importlib import import_module
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from pennyweight.analysis.changes import Change, Changes
    from pennyweight.analysis.comparison import Comparison
    from pennyweight.analysis.deal import Deal
    from pennyweight.analysis.found import Answer, Answers, Found
    from pennyweight.analysis.judging import Figure, GoalResult
    from pennyweight.analysis.tabulating import TableResult
    from pennyweight.analysis.turning import TurningPoint
    from pennyweight.analysis.variation import Variation
    from pennyweight.analysis.weighing import Weighing
    from pennyweight.analysis.why import Reason, Why
    from pennyweight.core.irr.outcome import IrrOutcome, IrrOutcomes
    from pennyweight.core.loans.batch_events import LoanEvents
    from pennyweight.documents.model import Document
    from pennyweight.errors import InputError, NoAnswer, PennyweightError, Place, SeveralAnswers
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
    from pennyweight.instruments.arrays.loan_book import LoanBook
    from pennyweight.instruments.arrays.loans import amortize
    from pennyweight.instruments.arrays.rates import effective_rate, nominal_rate
    from pennyweight.instruments.arrays.returns import irr, irr_outcomes
    from pennyweight.instruments.arrays.worth import discount_factors, npv
    from pennyweight.instruments.bonds.bond import Bond
    from pennyweight.instruments.bonds.coupon_days import Coupons
    from pennyweight.instruments.bonds.report import BondReport
    from pennyweight.instruments.flows.account import Account
    from pennyweight.instruments.flows.cash_flows import CashFlows
    from pennyweight.instruments.flows.report import FlowsReport
    from pennyweight.instruments.flows.working import FlowsWorking
    from pennyweight.instruments.loans.bill import Bill
    from pennyweight.instruments.loans.events import Event, Holiday, Recurring
    from pennyweight.instruments.loans.file import read_loan_file
    from pennyweight.instruments.loans.loan import Loan
    from pennyweight.instruments.loans.percentage_rate import apr
    from pennyweight.instruments.loans.schedule import Schedule
    from pennyweight.instruments.loans.several import LoanSet, SparePlan
    from pennyweight.instruments.loans.study import LoanStudy
    from pennyweight.instruments.loans.takeover import Takeover
    from pennyweight.instruments.loans.timetable import Statement
    from pennyweight.instruments.loans.what_if import Extra, Offer, Refinancing
    from pennyweight.instruments.plans.plan import Plan
    from pennyweight.instruments.plans.plans import grow, repay, withdraw
    from pennyweight.instruments.plans.working import PlanWorking
    from pennyweight.instruments.portfolios.benchmark import Benchmark
    from pennyweight.instruments.portfolios.periods import Period, Return
    from pennyweight.instruments.portfolios.portfolio import Portfolio
    from pennyweight.instruments.portfolios.report import ReturnsReport
    from pennyweight.instruments.rate_facts import RateFacts, rate_facts, real_rate, simple_interest, years_to_multiply
    from pennyweight.quantities.dates import payment_dates
    from pennyweight.quantities.rates import KnownRate

__version__ = "0.1.0"

_HOMES = {
    "Account": "instruments.flows.account",
    "Answer": "analysis.found",
    "Answers": "analysis.found",
    "Benchmark": "instruments.portfolios.benchmark",
    "Bill": "instruments.loans.bill",
    "Bond": "instruments.bonds.bond",
    "BondReport": "instruments.bonds.report",
    "CashFlows": "instruments.flows.cash_flows",
    "Change": "analysis.changes",
    "Changes": "analysis.changes",
    "Comparison": "analysis.comparison",
    "Coupons": "instruments.bonds.coupon_days",
    "Deal": "analysis.deal",
    "Document": "documents.model",
    "Event": "instruments.loans.events",
    "Extra": "instruments.loans.what_if",
    "Figure": "analysis.judging",
    "FlowsReport": "instruments.flows.report",
    "FlowsWorking": "instruments.flows.working",
    "Found": "analysis.found",
    "GoalResult": "analysis.judging",
    "Holiday": "instruments.loans.events",
    "InputError": "errors",
    "IrrOutcome": "core.irr.outcome",
    "IrrOutcomes": "core.irr.outcome",
    "KnownRate": "quantities.rates",
    "Loan": "instruments.loans.loan",
    "LoanBook": "instruments.arrays.loan_book",
    "LoanEvents": "core.loans.batch_events",
    "LoanSet": "instruments.loans.several",
    "LoanStudy": "instruments.loans.study",
    "NoAnswer": "errors",
    "Offer": "instruments.loans.what_if",
    "PennyweightError": "errors",
    "Period": "instruments.portfolios.periods",
    "Place": "errors",
    "Plan": "instruments.plans.plan",
    "PlanWorking": "instruments.plans.working",
    "Portfolio": "instruments.portfolios.portfolio",
    "RateFacts": "instruments.rate_facts",
    "Reason": "analysis.why",
    "Recurring": "instruments.loans.events",
    "Refinancing": "instruments.loans.what_if",
    "Return": "instruments.portfolios.periods",
    "ReturnsReport": "instruments.portfolios.report",
    "Schedule": "instruments.loans.schedule",
    "SeveralAnswers": "errors",
    "SparePlan": "instruments.loans.several",
    "Statement": "instruments.loans.timetable",
    "Takeover": "instruments.loans.takeover",
    "TableResult": "analysis.tabulating",
    "TurningPoint": "analysis.turning",
    "Variation": "analysis.variation",
    "Weighing": "analysis.weighing",
    "Why": "analysis.why",
    "actual_actual_icma": "instruments.arrays.days",
    "amortize": "instruments.arrays.loans",
    "annuity_factor": "instruments.arrays.annuities",
    "apr": "instruments.loans.percentage_rate",
    "days_between": "instruments.arrays.days",
    "discount_factors": "instruments.arrays.worth",
    "effective_rate": "instruments.arrays.rates",
    "future_value": "instruments.arrays.annuities",
    "grow": "instruments.plans.plans",
    "irr": "instruments.arrays.returns",
    "irr_outcomes": "instruments.arrays.returns",
    "level_payment": "instruments.arrays.annuities",
    "nominal_rate": "instruments.arrays.rates",
    "npv": "instruments.arrays.worth",
    "payment_dates": "quantities.dates",
    "payments_needed": "instruments.arrays.annuities",
    "perpetuity_factor": "instruments.arrays.annuities",
    "present_value": "instruments.arrays.annuities",
    "rate_facts": "instruments.rate_facts",
    "rate_needed": "instruments.arrays.annuities",
    "read_loan_file": "instruments.loans.file",
    "real_rate": "instruments.rate_facts",
    "repay": "instruments.plans.plans",
    "simple_interest": "instruments.rate_facts",
    "withdraw": "instruments.plans.plans",
    "year_fraction": "instruments.arrays.days",
    "years_to_multiply": "instruments.rate_facts",
}

__all__ = [
    "Account",
    "Answer",
    "Answers",
    "Benchmark",
    "Bill",
    "Bond",
    "BondReport",
    "CashFlows",
    "Change",
    "Changes",
    "Comparison",
    "Coupons",
    "Deal",
    "Document",
    "Event",
    "Extra",
    "Figure",
    "FlowsReport",
    "FlowsWorking",
    "Found",
    "GoalResult",
    "Holiday",
    "InputError",
    "IrrOutcome",
    "IrrOutcomes",
    "KnownRate",
    "Loan",
    "LoanBook",
    "LoanEvents",
    "LoanSet",
    "LoanStudy",
    "NoAnswer",
    "Offer",
    "PennyweightError",
    "Period",
    "Place",
    "Plan",
    "PlanWorking",
    "Portfolio",
    "RateFacts",
    "Reason",
    "Recurring",
    "Refinancing",
    "Return",
    "ReturnsReport",
    "Schedule",
    "SeveralAnswers",
    "SparePlan",
    "Statement",
    "TableResult",
    "Takeover",
    "TurningPoint",
    "Variation",
    "Weighing",
    "Why",
    "actual_actual_icma",
    "amortize",
    "annuity_factor",
    "apr",
    "days_between",
    "discount_factors",
    "effective_rate",
    "future_value",
    "grow",
    "irr",
    "irr_outcomes",
    "level_payment",
    "nominal_rate",
    "npv",
    "payment_dates",
    "payments_needed",
    "perpetuity_factor",
    "present_value",
    "rate_facts",
    "rate_needed",
    "read_loan_file",
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

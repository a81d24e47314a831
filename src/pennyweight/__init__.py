"""Pennyweight weighs deals: does it pay off, by how much, and how wrong may each assumption be.

The public names are imported when they are first used, so that `import pennyweight` costs next to nothing.
"""

from __future__ import annotations

from importlib import import_module
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from pennyweight.analysis.comparing.changes import Change, Changes
    from pennyweight.analysis.comparing.comparison import Comparison
    from pennyweight.analysis.deal import Deal
    from pennyweight.analysis.explaining.why import Reason, Why
    from pennyweight.analysis.finding.found import Found
    from pennyweight.analysis.searching.outcome import Answer, Answers
    from pennyweight.analysis.varying.variation import Variation
    from pennyweight.analysis.weighing.own_tables import TableResult
    from pennyweight.analysis.weighing.turning import TurningPoint
    from pennyweight.analysis.weighing.verdict import Figure, GoalResult
    from pennyweight.analysis.weighing.weighing import Weighing
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
    from pennyweight.instruments.arrays.rate_conversions import effective_rate, nominal_rate
    from pennyweight.instruments.arrays.returns import irr, irr_outcomes
    from pennyweight.instruments.arrays.worth import discount_factors, npv
    from pennyweight.instruments.bonds.bond import Bond
    from pennyweight.instruments.bonds.bond_report import BondReport
    from pennyweight.instruments.bonds.coupon_days import Coupons
    from pennyweight.instruments.flows.account import Account
    from pennyweight.instruments.flows.cash_flows import CashFlows
    from pennyweight.instruments.flows.flows_report import FlowsReport
    from pennyweight.instruments.flows.flows_working import FlowsWorking
    from pennyweight.instruments.loans.asked.bill import Bill
    from pennyweight.instruments.loans.asked.loan_study import LoanStudy
    from pennyweight.instruments.loans.asked.what_if import Extra, Offer, Refinancing
    from pennyweight.instruments.loans.books.events import Event, PaymentHoliday, Recurring
    from pennyweight.instruments.loans.books.percentage_rate import apr
    from pennyweight.instruments.loans.books.schedule import Schedule
    from pennyweight.instruments.loans.books.timetable import Statement
    from pennyweight.instruments.loans.files.loan_file import read_loan_file
    from pennyweight.instruments.loans.loan import Loan
    from pennyweight.instruments.loans.together.loan_set import LoanSet, SparePlan
    from pennyweight.instruments.loans.together.takeover import Takeover
    from pennyweight.instruments.plans.plan import Plan, PlanWorking
    from pennyweight.instruments.plans.plans import grow, repay, withdraw
    from pennyweight.instruments.portfolios.benchmark import Benchmark
    from pennyweight.instruments.portfolios.periods import Period, Return
    from pennyweight.instruments.portfolios.portfolio import Portfolio
    from pennyweight.instruments.portfolios.returns_report import ReturnsReport
    from pennyweight.instruments.rates.rate_facts import (
        RateFacts,
        rate_facts,
        real_rate,
        simple_interest,
        years_to_multiply,
    )
    from pennyweight.quantities.dates import payment_dates
    from pennyweight.quantities.rates import KnownRate

__version__ = "0.1.0"

_HOMES = {
    "Account": "instruments.flows.account",
    "Answer": "analysis.searching.outcome",
    "Answers": "analysis.searching.outcome",
    "Benchmark": "instruments.portfolios.benchmark",
    "Bill": "instruments.loans.asked.bill",
    "Bond": "instruments.bonds.bond",
    "BondReport": "instruments.bonds.bond_report",
    "CashFlows": "instruments.flows.cash_flows",
    "Change": "analysis.comparing.changes",
    "Changes": "analysis.comparing.changes",
    "Comparison": "analysis.comparing.comparison",
    "Coupons": "instruments.bonds.coupon_days",
    "Deal": "analysis.deal",
    "Document": "documents.model",
    "Event": "instruments.loans.books.events",
    "Extra": "instruments.loans.asked.what_if",
    "Figure": "analysis.weighing.verdict",
    "FlowsReport": "instruments.flows.flows_report",
    "FlowsWorking": "instruments.flows.flows_working",
    "Found": "analysis.finding.found",
    "GoalResult": "analysis.weighing.verdict",
    "PaymentHoliday": "instruments.loans.books.events",
    "InputError": "errors",
    "IrrOutcome": "core.irr.outcome",
    "IrrOutcomes": "core.irr.outcome",
    "KnownRate": "quantities.rates",
    "Loan": "instruments.loans.loan",
    "LoanBook": "instruments.arrays.loan_book",
    "LoanEvents": "core.loans.batch_events",
    "LoanSet": "instruments.loans.together.loan_set",
    "LoanStudy": "instruments.loans.asked.loan_study",
    "NoAnswer": "errors",
    "Offer": "instruments.loans.asked.what_if",
    "PennyweightError": "errors",
    "Period": "instruments.portfolios.periods",
    "Place": "errors",
    "Plan": "instruments.plans.plan",
    "PlanWorking": "instruments.plans.plan",
    "Portfolio": "instruments.portfolios.portfolio",
    "RateFacts": "instruments.rates.rate_facts",
    "Reason": "analysis.explaining.why",
    "Recurring": "instruments.loans.books.events",
    "Refinancing": "instruments.loans.asked.what_if",
    "Return": "instruments.portfolios.periods",
    "ReturnsReport": "instruments.portfolios.returns_report",
    "Schedule": "instruments.loans.books.schedule",
    "SeveralAnswers": "errors",
    "SparePlan": "instruments.loans.together.loan_set",
    "Statement": "instruments.loans.books.timetable",
    "Takeover": "instruments.loans.together.takeover",
    "TableResult": "analysis.weighing.own_tables",
    "TurningPoint": "analysis.weighing.turning",
    "Variation": "analysis.varying.variation",
    "Weighing": "analysis.weighing.weighing",
    "Why": "analysis.explaining.why",
    "actual_actual_icma": "instruments.arrays.days",
    "amortize": "instruments.arrays.loans",
    "annuity_factor": "instruments.arrays.annuities",
    "apr": "instruments.loans.books.percentage_rate",
    "days_between": "instruments.arrays.days",
    "discount_factors": "instruments.arrays.worth",
    "effective_rate": "instruments.arrays.rate_conversions",
    "future_value": "instruments.arrays.annuities",
    "grow": "instruments.plans.plans",
    "irr": "instruments.arrays.returns",
    "irr_outcomes": "instruments.arrays.returns",
    "level_payment": "instruments.arrays.annuities",
    "nominal_rate": "instruments.arrays.rate_conversions",
    "npv": "instruments.arrays.worth",
    "payment_dates": "quantities.dates",
    "payments_needed": "instruments.arrays.annuities",
    "perpetuity_factor": "instruments.arrays.annuities",
    "present_value": "instruments.arrays.annuities",
    "rate_facts": "instruments.rates.rate_facts",
    "rate_needed": "instruments.arrays.annuities",
    "read_loan_file": "instruments.loans.files.loan_file",
    "real_rate": "instruments.rates.rate_facts",
    "repay": "instruments.plans.plans",
    "simple_interest": "instruments.rates.rate_facts",
    "withdraw": "instruments.plans.plans",
    "year_fraction": "instruments.arrays.days",
    "years_to_multiply": "instruments.rates.rate_facts",
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
    "PaymentHoliday",
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

"""`[loans.NAME]` of a deal file: its terms as formulas, those written as numbers as inputs of their own."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from pennyweight.core.loans.repayment import REPAID
from pennyweight.core.rates import nominal_rate
from pennyweight.deals.definition import DealLoan, Input
from pennyweight.deals.file.context import Context
from pennyweight.deals.file.shape import LoanShape
from pennyweight.deals.language.nodes import Name, Node, Number
from pennyweight.deals.language.parse import parse
from pennyweight.errors import InputError, nearest
from pennyweight.quantities.periods import read_per_year
from pennyweight.quantities.rates import read_rate
from pennyweight.quantities.units import read_value

__all__ = ["LOAN_TERMS", "read_loans", "terms_named"]

_UNITS = {
    "amount": "money", "rate": "rate", "years": "years", "months": "number",
    "interest_only": "years", "amortized_over": "years", "residual": "money",
}  # fmt: skip
LOAN_TERMS = tuple(_UNITS)
"""The terms that can be varied when they are written as numbers."""
_REPAID = {words: way.shape for words, way in REPAID.items() if way.in_deals}


def read_loans(context: Context, shapes: Mapping[str, LoanShape]) -> tuple[dict[str, DealLoan], dict[str, Input]]:
    """The loans of a deal, and the terms written as numbers as inputs named "loan.term", so that they can be varied."""
    loans: dict[str, DealLoan] = {}
    inputs: dict[str, Input] = {}
    for name, item in shapes.items():
        loans[name] = _loan(context, name, item, inputs)
    return loans, inputs


def terms_named(loan: DealLoan) -> dict[str, str]:
    """The units of names that stand alone for a term: an input for the rate of a loan is a rate."""
    named = {node.name: _UNITS[term] for term, node in loan.terms.items() if isinstance(node, Name) and term in _UNITS}
    return {name: unit for name, unit in named.items() if "." not in name and unit != "number"}


def _loan(context: Context, name: str, item: LoanShape, inputs: dict[str, Input]) -> DealLoan:
    where = context.where("loans", name)
    _check_together(item, where)
    if item.repaid not in _REPAID:
        place = context.where("loans", name, "repaid")
        raise InputError(
            f"{place} is '{item.repaid}'{nearest(item.repaid, _REPAID) or '.'} It must be one of {', '.join(_REPAID)}.",
            at=place,
        )
    per_year = read_per_year(item.per_year, what=context.where("loans", name, "per_year"))
    if per_year > 52:
        raise InputError(f"{where}: per_year is {per_year}; it must be from 1 to 52.", at=where)
    terms: dict[str, Node] = {}
    for term, unit in _UNITS.items():
        given = getattr(item, term)
        if given is None:
            continue
        terms[term] = _term(context, name, term, unit, given, per_year, inputs)
    if item.payment is not None:  # "bank.payment" is what is paid, so it cannot be the name of this term too
        terms["payment"] = context.parse(item.payment, "loans", name, "payment")
    paid_out = context.moment(item.paid_out, "last", "loans", name, "paid_out")
    terms["paid_out"] = paid_out if paid_out is not None else Number(0.0, "0")
    steps = []
    for moment, rate in item.rate_steps.items():
        keys = ("loans", name, "rate_steps", moment)
        first = context.moment(context.key_of(moment), "first", *keys)
        value = _read(rate, "rate", context.where(*keys), per_year)
        node = Number(value, str(rate), percent=True) if value is not None else context.parse(rate, *keys)
        if first is not None:
            steps.append((first, node))
    extra = None if item.extra is None else context.parse(item.extra, "loans", name, "extra")
    label = item.label or name.replace("_", " ")
    return DealLoan(name, terms, extra, tuple(steps), per_year, _REPAID[item.repaid], item.to_the_cent, where, label)


def _term(
    context: Context, name: str, term: str, unit: str, given: int | float | str, per_year: int, inputs: dict[str, Input]
) -> Node:
    """The formula of a term; a number becomes an input of its own."""
    where = context.where("loans", name, term)
    value = _read(given, unit, where, per_year)
    if value is None:
        return context.parse(given, "loans", name, term)
    lowest = 0.0 if unit in ("money", "rate") or term == "interest_only" else 1e-9
    if not value >= lowest:
        raise InputError(f"{where} is {given}; it is {'zero or more' if lowest == 0 else 'above zero'}.", at=where)
    dotted = f"{name}.{term}"
    label = f"{name.replace('_', ' ')}: {term.replace('_', ' ')}"
    whole = term in ("years", "months", "interest_only", "amortized_over") and float(value).is_integer()
    payment = {"years": 1 / per_year, "amortized_over": 1 / per_year, "months": 12 / per_year}.get(term, 0.0)
    least = max(payment, 1.0) if whole and payment else payment
    inputs[dotted] = Input(dotted, value, unit, label, None, None, where, str(given), whole, least)
    return Name(dotted)


def _read(given: int | float | str, unit: str, where: str, per_year: int) -> float | None:
    """The value of a term written as a number; None when it is a formula."""
    if isinstance(given, str):
        try:
            node = parse(given, where=where)
        except InputError as error:  # no formula: "4.6% half-yearly", "18 months", "86k"
            try:
                return _value(given, unit, where, per_year)
            except InputError:
                raise error from None
        if not isinstance(node, Number):
            return None
    value = _value(given, unit, where, per_year)
    if not np.isfinite(value):
        raise InputError(f"{where} is {given}, which is not a finite number.", at=where)
    return value


def _value(given: int | float | str, unit: str, where: str, per_year: int) -> float:
    if unit != "rate":
        return read_value(given, unit, what=where)
    rate = read_rate(given, what=where)
    # A bare rate is quoted, compounding as often as is paid; one that says otherwise is turned into that.
    return rate.value if rate.compounding is None else float(nominal_rate(rate.effective(), per_year))


def _check_together(item: LoanShape, where: str) -> None:
    ends = [name for name in ("years", "months", "payment") if getattr(item, name) is not None]
    if len(ends) != 1:
        said = f"gives {' and '.join(ends)}" if ends else "has no end"
        raise InputError(f"{where} {said}; give one of 'years', 'months' and 'payment'.", at=where)
    if item.amortized_over is not None and item.residual is not None:
        raise InputError(
            f"{where}: give 'amortized_over' or 'residual', not both; each of them fixes the balloon.", at=where
        )
    if item.payment is not None:
        others = [name for name in ("interest_only", "amortized_over", "residual") if getattr(item, name) is not None]
        if others or item.repaid != "level payment":
            raise InputError(
                f"{where}: with a 'payment', leave out '{(*others, 'repaid')[0]}'; give the years instead.", at=where
            )

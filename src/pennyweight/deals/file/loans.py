"""`[loans.NAME]` of a deal file: its terms as formulas, those written as numbers as inputs of their own."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace

import numpy as np

from pennyweight.core.loans.repayment import REPAID
from pennyweight.core.rate_forms import nominal_rate
from pennyweight.deals.file.context import Context
from pennyweight.deals.file.entry_shapes import TermShape
from pennyweight.deals.file.inputs import digits_of
from pennyweight.deals.file.shape import LoanShape
from pennyweight.deals.language.nodes import Name, Node, Number
from pennyweight.deals.parts import DealLoan, Input
from pennyweight.errors import InputError, nearest
from pennyweight.quantities.periods import read_per_year
from pennyweight.quantities.rates import read_rate
from pennyweight.quantities.units import read_value

__all__ = ["LOAN_TERMS", "Use", "read_loans", "terms_named"]

_UNITS = {
    "amount": "money",
    "rate": "rate",
    "years": "years",
    "months": "number",
    "interest_only": "years",
    "amortized_over": "years",
    "balloon": "years",
    "residual": "money",
    "payments_made": "number",
}
_SPANS = ("years", "months", "interest_only", "amortized_over", "balloon")
LOAN_TERMS = tuple(_UNITS)
"""The terms that can be varied when they are written as numbers."""
_REPAID = {words: way.shape for words, way in REPAID.items() if way.in_deals}


def read_loans(context: Context, shapes: Mapping[str, LoanShape]) -> tuple[dict[str, DealLoan], dict[str, Input]]:
    """The loans of a deal, and the terms written as numbers as inputs named "loan.term", so that they can be varied."""
    loans: dict[str, DealLoan] = {}
    inputs: dict[str, Input] = {}
    for name, item in shapes.items():
        with context.noting("loans", name):
            loans[name] = _loan(context, name, item, inputs)
    return loans, inputs


@dataclass(frozen=True, slots=True)
class Use:
    """What a name that stands alone for a term of a loan is: its unit, its step, the least that makes sense."""

    unit: str
    step: float | None
    least: float | None


def terms_named(loan: DealLoan) -> dict[str, Use]:
    """The names that stand alone for a term: an input for the term of a loan is as whole as one written as a number."""
    named = {node.name: term for term, node in loan.terms.items() if isinstance(node, Name) and term in _UNITS}
    return {
        name: Use(_UNITS[term], _step(term, loan.per_year), _least(term, loan.per_year))
        for name, term in named.items()
        if "." not in name
    }


def _step(term: str, per_year: int) -> float | None:
    """How far apart the values of a term are: a payment, in its unit."""
    if term == "payments_made":
        return 1.0
    if term not in _SPANS:
        return None
    return 12 / per_year if term == "months" else 1 / per_year


def _least(term: str, per_year: int) -> float:
    """The least a term can be: for a span one payment."""
    step = _step(term, per_year)
    return step if step is not None and term in ("years", "months", "amortized_over", "balloon") else 0.0


def _loan(context: Context, name: str, item: LoanShape, inputs: dict[str, Input]) -> DealLoan:
    where = context.where("loans", name)
    if name == "loans":
        raise InputError(f"{where}: 'loans' stands for all loans together; choose another name.", at=where)
    ranges = {term: one for term in _UNITS if isinstance(one := getattr(item, term), TermShape)}
    item = item.model_copy(update={term: one.value for term, one in ranges.items()})
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
        if term in ranges:
            _give_range(context, name, term, ranges[term], terms[term], per_year, inputs)
    if item.payment is not None:  # "bank.payment" is what is paid, so it cannot be the name of this term too
        terms["payment"] = context.parse(item.payment, "loans", name, "payment")
    advances = _advances(context, name, item)
    paid_out = context.moment(item.paid_out, "last", "loans", name, "paid_out")
    if advances:
        paid_out = advances[0][0]
    terms["paid_out"] = paid_out if paid_out is not None else Number(0.0, "0")
    steps = []
    for moment, rate in item.rate_steps.items():
        keys = ("loans", name, "rate_steps", moment)
        first = context.moment(context.key_of(moment), "first", *keys)
        value = _read(context, rate, "rate", keys, per_year)
        node = Number(value, str(rate), percent=True) if value is not None else context.parse(rate, *keys)
        if first is not None:
            steps.append((first, node))
    extra = None if item.extra is None else context.parse(item.extra, "loans", name, "extra")
    label = item.label or name.replace("_", " ")
    texts = {
        term: str(getattr(item, term)) for term in (*_UNITS, "payment", "extra") if getattr(item, term) is not None
    }
    return DealLoan(
        name,
        terms,
        extra,
        tuple(steps),
        tuple(advances),
        per_year,
        _REPAID[item.repaid],
        item.to_the_cent,
        where,
        label,
        texts,
        {term: context.where("loans", name, term) for term in texts},
        context.each_set(item.each, "loans", name),
    )


def _advances(context: Context, name: str, item: LoanShape) -> list[tuple[Node, float]]:
    """The stages in which a loan is drawn: (period, share of the amount)."""
    if item.advances is None:
        return []
    where = context.where("loans", name, "advances")
    if "paid_out" in item.model_fields_set or item.payments_made is not None:
        other = "paid_out" if "paid_out" in item.model_fields_set else "payments_made"
        raise InputError(
            f"{where}: with 'advances', leave out '{other}'; they say when the loan is paid out.", at=where
        )
    found: list[tuple[Node, float]] = []
    for moment, share in item.advances.items():
        keys = ("loans", name, "advances", moment)
        at = context.moment(context.key_of(moment), "last", *keys)
        value = read_value(share, "share", what=context.where(*keys))
        if not 0 < value <= 1:
            raise InputError(
                f"{context.where(*keys)} is {share}; it must be a share of the amount, such as 40%.", at=where
            )
        if at is not None:
            found.append((at, value))
    total = sum(share for _, share in found)
    if abs(total - 1) > 1e-9:
        raise InputError(f"{where} add up to {total * 100:.10g}% of the amount; they must make 100%.", at=where)
    periods = [node.value for node, _ in found if isinstance(node, Number)]
    if periods != sorted(set(periods)):
        raise InputError(f"{where}: the advances must follow one another in time, each period once.", at=where)
    return found


def _term(
    context: Context, name: str, term: str, unit: str, given: int | float | str, per_year: int, inputs: dict[str, Input]
) -> Node:
    """The formula of a term; a number becomes an input of its own."""
    keys = ("loans", name, term)
    where = context.where(*keys)
    if term == "balloon" and given == "never":
        return Number(float("inf"), "never")
    value = _read(context, given, unit, keys, per_year)
    if value is None:
        return context.parse(given, *keys)
    lowest = 0.0 if unit in ("money", "rate") or term in ("interest_only", "payments_made") else 1e-9
    if not value >= lowest:
        raise InputError(f"{where} is {given}; it is {'zero or more' if lowest == 0 else 'above zero'}.", at=where)
    dotted = f"{name}.{term}"
    label = f"{context.shape.loans[name].label or name.replace('_', ' ')}: {term.replace('_', ' ')}"
    step = _step(term, per_year)
    if step is not None and float(value).is_integer():
        step = max(step, 1.0)  # what is written in whole years is varied by whole years
    elif step is not None and abs(value / step - round(value / step)) > 1e-6:
        step = None  # it is refused when the loan is worked out
    least = max(_least(term, per_year), step or 0.0) if _least(term, per_year) else 0.0
    inputs[dotted] = Input(
        name=dotted,
        value=value,
        unit=unit,
        label=label,
        where=where,
        given=str(given),
        step=step,
        least=least,
        digits=digits_of(given, unit),
    )
    return Name(dotted)


def _give_range(
    context: Context, name: str, term: str, said: TermShape, node: Node, per_year: int, inputs: dict[str, Input]
) -> None:
    """Give a term that is a number its range."""
    where, dotted = context.where("loans", name, term), f"{name}.{term}"
    if node != Name(dotted):
        raise InputError(f"{where}: a range goes with a number; the inputs of a formula have their own.", at=where)
    item, ends = inputs[dotted], []
    for key in ("low", "high"):
        given = getattr(said, key)
        end = None if given is None else _read(context, given, item.unit, ("loans", name, term, key), per_year)
        if given is not None and (end is None or end < (item.least or 0.0)):
            raise InputError(f"{where}: {key} is {given}; it must be a number that the term may have.", at=where)
        ends.append(end)
    low, high = ends
    if said.fixed and low is None and high is None:
        raise InputError(f"{where}: a number without a range is not moved anyway; leave 'fixed' out.", at=where)
    if (low is not None and low > item.value) or (high is not None and high < item.value):
        raise InputError(f"{where}: {said.value} does not lie between low and high.", at=where)
    inputs[dotted] = replace(item, low=low, high=high, fixed=said.fixed, label=said.label or item.label)


def _read(context: Context, given: int | float | str, unit: str, keys: tuple[str, ...], per_year: int) -> float | None:
    """The value of a term written as a number; None when it is a formula."""
    where = context.where(*keys)
    if isinstance(given, str):
        try:
            node = context.parse(given, *keys)
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
    if item.balloon is not None and (item.residual is not None or (item.amortized_over is not None)):
        other = "residual" if item.residual is not None else "amortized_over"
        raise InputError(
            f"{where}: give 'balloon' or '{other}', not both; with a balloon, 'years' is the time the payment is "
            "worked out over.",
            at=where,
        )
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

"""Why a figure is undefined, for one case: down the formula to the first part that cannot be worked out."""

from __future__ import annotations

from collections.abc import Mapping
from typing import TypeAlias

import numpy as np
from numpy.typing import NDArray

from pennyweight.deals.compiler.loans import loan_problem
from pennyweight.deals.definition import Definition
from pennyweight.deals.language.functions import FUNCTIONS
from pennyweight.deals.language.names import bind
from pennyweight.deals.language.nodes import (
    Binary,
    Call,
    Choose,
    Compare,
    Logic,
    Name,
    Node,
    Number,
    Sum,
    Unary,
    children,
    show,
)
from pennyweight.deals.language.operations import OPERATIONS, choose, negate, truth_not

__all__ = ["loan_trouble", "value_of", "why_undefined"]

Floats: TypeAlias = NDArray[np.float64]


def why_undefined(deal: Definition, values: Mapping[str, Floats], name: str) -> str:
    """One clause that says why `name` is undefined; `values` holds every name of one case, width 1."""
    for table in (deal.measures, deal.values):
        if name in table and (said := table[name].undefined):
            return said
    with np.errstate(all="ignore"):
        return _Search(deal, values).of_name(name, None, frozenset())


def loan_trouble(deal: Definition, values: Mapping[str, Floats], name: str) -> str | None:
    """Why the terms of a loan make none in the one case whose names are all in `values`; None when they do."""
    loan = deal.loans[name]
    search = _Search(deal, values)
    with np.errstate(all="ignore"):
        when = search.value(loan.terms["paid_out"])
        period = float(when[0])
        if np.isinf(period) or period > deal.timeline.periods:
            return None  # it does not happen
        if np.isnan(period) or abs(period - round(period)) > 1e-6:
            return f"it is paid out in period {period:g}, which is not a whole one"
        term = {}
        for key, node in loan.terms.items():
            value = search.value(node)
            term[key] = float(value[round(period), 0] if value.ndim == 2 else value[0])
        if loan.extra is not None:
            extra = np.broadcast_to(search.value(loan.extra).T, (1, deal.timeline.rows))[0]
            below = np.flatnonzero((extra < 0) & np.isnan(values[f"{name}.extra"][:, 0]))
            if below.size:
                shown = deal.style.show(float(extra[below[0]]), "money")
                return f"its extra payment in period {below[0]} is {shown}, and it is zero or more; write max(…, 0)"
    return loan_problem(deal, loan, term)


def value_of(deal: Definition, values: Mapping[str, Floats], node: Node) -> Floats:
    """The value of any formula in the one case whose names are all in `values`, width 1."""
    with np.errstate(all="ignore"):
        return _Search(deal, values).value(node)


class _Search:
    def __init__(self, deal: Definition, values: Mapping[str, Floats]) -> None:
        self.deal, self.values = deal, values

    def of_name(self, name: str, period: int | None, seen: frozenset[str]) -> str:
        value = self.values[name]
        if period is None or value.ndim == 1:
            period = _first_undefined(value)
        loan, _, part = name.partition(".")
        if part and loan in self.deal.loans:
            return f"the loan {loan} cannot be worked out: {loan_trouble(self.deal, self.values, loan) or 'its terms'}"
        node = self._formula(name)
        shown = f"{name} in period {period}" if period is not None else name
        if name in seen or node is None:
            if name in self.deal.inputs:
                return f"{shown} has no value"
            return f"{shown} is undefined"
        inner = self.value(node)
        if not np.isnan(_rows(inner, period)).any():
            return f"the period in which '{name}' falls is not a whole one"
        reason = self.of_node(node, period, seen | {name})
        # Only the line nearest to the cause is named, not all that add it up.
        told = ": " in reason or reason.endswith("has no value")
        return reason if told or name in self.deal.measures or name in self.deal.values else f"{shown}: {reason}"

    def of_node(self, node: Node, period: int | None, seen: frozenset[str]) -> str:
        if isinstance(node, Name):
            return self.of_name(node.name, period, seen)
        for child in self._children(node, period):
            value = self.value(child)
            here = period if value.ndim == 2 and not _over_time(node) else None
            if np.isnan(_rows(value, here)).any():
                return self.of_node(child, _first_undefined(value) if here is None else here, seen)
        return self._own(node)

    def value(self, node: Node) -> Floats:
        """The value of any part of a formula in this one case."""
        match node:
            case Number():
                return np.array([node.value])
            case Name():
                return self.values[node.name]
            case Unary():
                return (negate if node.operator == "-" else truth_not)(self.value(node.operand))
            case Binary() | Compare():
                return OPERATIONS[node.operator](self.value(node.left), self.value(node.right))
            case Logic() | Sum():
                operator = node.operator if isinstance(node, Logic) else "+"
                result = self.value(node.parts[0])
                for part in node.parts[1:]:
                    result = OPERATIONS[operator](result, self.value(part))
                return result
            case Choose():
                return choose(self.value(node.condition), self.value(node.yes), self.value(node.no))
            case Call():
                return FUNCTIONS[node.function].compute(self.deal.timeline, *self._arguments(node))

    def _arguments(self, node: Call) -> list[Floats | None]:
        return [None if slot is None else self.value(slot) for slot in bind(node, "")]

    def _children(self, node: Node, period: int | None) -> tuple[Node, ...]:
        if isinstance(node, Choose):
            condition = _rows(self.value(node.condition), period)
            if np.isnan(condition).any():
                return (node.condition,)
            return (node.yes,) if (condition == 1).all() else (node.no,)
        return children(node)

    def _own(self, node: Node) -> str:
        if isinstance(node, Binary) and node.operator == "/":
            return f"'{show(node)}' divides by zero"
        if isinstance(node, Call):
            why = FUNCTIONS[node.function].why
            if why is not None:
                return why(self.deal.timeline, *self._arguments(node))
        return f"'{show(node)}' has no finite value"

    def _formula(self, name: str) -> Node | None:
        deal = self.deal
        for table in (deal.values, deal.lines, deal.levels, deal.measures):
            if name in table:
                return table[name].node
        roles = {
            "money_in": ("in",),
            "money_out": ("out",),
            "net": ("in", "out"),
            "net_before_loans": ("in", "out"),
        }
        if name in roles:
            flows = [Name(f"{loan}.flow") for loan in deal.loans] if name == "net" else []
            lines = [Name(line.name) for line in deal.lines.values() if line.role in roles[name]]
            return Sum((*lines, *flows))
        return None


def _over_time(node: Node) -> bool:
    return isinstance(node, Call) and FUNCTIONS[node.function].over_time


def _rows(value: Floats, period: int | None) -> Floats:
    return value if period is None or value.ndim == 1 else np.asarray(value[period])


def _first_undefined(value: Floats) -> int | None:
    if value.ndim == 1:
        return None
    missing = np.flatnonzero(np.isnan(value[:, 0]))
    return int(missing[0]) if missing.size else None

"""Why a figure is undefined, for one case: down the formula to the first part that cannot be worked out."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from functools import partial
from typing import Any

import numpy as np

from pennyweight.array_kinds import Floats
from pennyweight.deals.compiler.loans import Trouble, loan_problem
from pennyweight.deals.compiler.splits import split_trouble
from pennyweight.deals.definition import Definition
from pennyweight.deals.language.brackets import bracket_compute, bracket_input
from pennyweight.deals.language.finance_functions import all_yearly_rates
from pennyweight.deals.language.functions import FUNCTIONS
from pennyweight.deals.language.names import bind
from pennyweight.deals.language.nodes import Binary, Call, Choose, Name, Node, Number, Sum, children, show
from pennyweight.deals.language.operations import OPERATIONS
from pennyweight.deals.language.set_functions import OF_SETS, set_of
from pennyweight.deals.language.translation import Target
from pennyweight.deals.parts import DealLoan
from pennyweight.deals.worked_out import Whole, of_each

__all__ = [
    "each_value_of",
    "formula_of",
    "loan_named",
    "loan_trouble",
    "rates_of",
    "told_beside",
    "value_of",
    "why_undefined",
]


def why_undefined(deal: Definition, values: Mapping[str, Floats], name: str) -> str:
    """One clause that says why `name` is undefined; `values` holds every name of one case, width 1."""
    with np.errstate(all="ignore"):
        return _Search(deal, values).of_name(name, None, frozenset()).words


def loan_trouble(deal: Definition, values: Mapping[str, Floats], name: str) -> Trouble | None:
    """Why the terms of a loan make none in the one case whose names are all in `values`; None when they do."""
    loan = loan_named(deal, name)
    search = _Search(deal, values)
    with np.errstate(all="ignore"):
        when = search.translate(loan.terms["paid_out"])
        period = float(when[0])
        if np.isinf(period) or period > deal.timeline.periods:
            return None  # it does not happen
        if np.isnan(period) or abs(period - round(period)) > 1e-6:
            return Trouble(f"it is paid out in period {period:g}, which is not a whole one")
        term = {}
        for key, node in loan.terms.items():
            value = search.translate(node)
            term[key] = float(value[round(period), 0] if value.ndim == 2 else value[0])
        if loan.extra is not None:
            extra = np.broadcast_to(search.translate(loan.extra).T, (1, deal.timeline.rows))[0]
            below = np.flatnonzero((extra < 0) & np.isnan(values[f"{name}.extra"][:, 0]))
            if below.size:
                shown = deal.style.show(float(extra[below[0]]), "money")
                return Trouble(f"its extra payment in period {below[0]} is {shown}; it must be 0 or more")
    return loan_problem(deal, loan, term)


def told_beside(deal: Definition, values: Mapping[str, Floats], name: str) -> str:
    """What is to be said beside the value of a measure, in the case whose names are all in `values`; mostly nothing.

    Of several rates that bring a deal to nothing the one above zero is taken, and the others are told.
    """
    node = deal.measures[name].node
    beside = FUNCTIONS[node.function].beside if isinstance(node, Call) else None
    if beside is None or not isinstance(node, Call):
        return ""
    with np.errstate(all="ignore"):
        return beside(deal.timeline, *_Search(deal, values).arguments(node))


def rates_of(deal: Definition, values: Mapping[str, Floats], name: str) -> list[float]:
    """All yearly rates of a measure that is an internal rate of return; empty for any other."""
    node = deal.measures[name].node
    if not isinstance(node, Call) or node.function != "irr":
        return []
    with np.errstate(all="ignore"):
        return all_yearly_rates(deal.timeline, *_Search(deal, values).arguments(node))


def value_of(deal: Definition, values: Mapping[str, Floats], node: Node) -> Floats:
    """The value of any formula in the one case whose names are all in `values`, width 1."""
    with np.errstate(all="ignore"):
        return _Search(deal, values).translate(node)


@dataclass(frozen=True, slots=True)
class _Reason:
    words: str
    names_cause: bool
    """Whether the words name the line or the input that it comes from."""


class _Search(Target[Floats]):
    def __init__(self, deal: Definition, values: Mapping[str, Floats]) -> None:
        self.deal, self.values = deal, values

    def of_name(self, name: str, period: int | None, seen: frozenset[str]) -> _Reason:
        if name in self.deal.each and name in self.values:
            return self._of_things(name, self.deal.each[name], seen)
        value = self.values[name]
        if period is None or value.ndim == 1:
            period = _first_undefined(value)
        own = self.deal.own(name)
        inner_name = name if own is None else own[2]
        loan, _, part = inner_name.partition(".")
        if part and loan in self.deal.loans:
            loan = name.removesuffix(f".{part}")
            trouble = loan_trouble(self.deal, self.values, loan)
            for term in loan_named(self.deal, loan).terms.values():  # an undefined term is told by what it is made of
                if np.isnan(self.translate(term)).all() and name not in seen:
                    deeper = self.of_node(term, None, seen | {name})
                    if deeper.names_cause:
                        return deeper
            return _Reason(f"the loan {loan} cannot be worked out: {trouble.words if trouble else 'its terms'}", True)
        if self.deal.function is not None and name in self.deal.function.outputs:
            return _Reason(f"{self.deal.function.name} gives no number for {name} here", True)
        if (split := self.deal.split_parts.get(name)) is not None:
            terms = [float(self.translate(term).reshape(-1)[0]) for tier in split.tiers for term in tier.nodes]
            if said := split_trouble(split.tiers, terms):
                return _Reason(f"the split {split.name} cannot be worked out: {said}", True)
        node = formula_of(self.deal, name)
        shown = f"{name} {self.deal.timeline.within(period)}" if period is not None else name
        if name in self.deal.questions:
            return _Reason(f"the question {name} has no single answer", True)
        if name in seen or node is None:
            if name in self.deal.solved:
                sought = self.deal.solved[name]
                low, high = (self.deal.style.show(end, self.deal.unit(name)) for end in sought.between or (0.0, 0.0))
                return _Reason(f"no single {name} from {low} to {high} makes '{sought.text}' true", True)
            if name in self.deal.inputs:
                return _Reason(f"{shown} has no value", True)
            return _Reason(f"{shown} is undefined", False)
        inner = self.translate(node)
        if not np.isnan(_rows(inner, period)).any():
            return _Reason(f"the period in which '{name}' falls is not a whole one", False)
        reason = self.of_node(node, period, seen | {name})
        if said := self._own_words(name):
            return _Reason(f"{said} ({reason.words})", True)
        # Only the line nearest to the cause is named, not all that add it up.
        if reason.names_cause or name in self.deal.measures or name in self.deal.values or name[0] == "?":
            return reason
        return _Reason(f"{shown}: {reason.words}", True)

    def _of_things(self, name: str, each: str, seen: frozenset[str]) -> _Reason:
        """Why what all things of a set come to is undefined: the first of them that is."""
        things, table = self.deal.sets[each], of_each(self.values, name)
        missing = np.isnan(table) if table.ndim == 1 else np.isnan(table).any(axis=0)
        if not missing.any():
            return _Reason(f"{name} is undefined", False)
        return self.of_name(
            f"{each}.{things.things[int(np.argmax(missing))]}.{name.removeprefix(f'{each}.')}", None, seen
        )

    def _own_words(self, name: str) -> str:
        """What the deal itself says of a figure that is undefined."""
        named = self.deal.own(name)
        name = name if named is None else named[2]
        cells = {column.name: column for grid in self.deal.tables.values() for column in grid.columns.values()}
        tables = (self.deal.measures, self.deal.values, self.deal.each_figures, cells)
        return next((t[name].undefined for t in tables if name in t), None) or ""

    def of_node(self, node: Node, period: int | None, seen: frozenset[str]) -> _Reason:
        if isinstance(node, Name):
            return self.of_name(node.name, period, seen)
        if isinstance(node, Call) and node.function in OF_SETS:
            asked, things = node.arguments[0][1], self.deal.sets[set_of(node.arguments[0][1], self.deal.each, "")]
            for thing in things.things:
                one = self.deal.for_thing(asked, things.name, thing)
                if np.isnan(_rows(self.translate(one), period)).any():
                    return self.of_node(one, period, seen)
        for child in self._children(node, period):
            value = self.translate(child)
            here = period if value.ndim == 2 and not _over_time(node) else None
            if np.isnan(_rows(value, here)).any():
                return self.of_node(child, _first_undefined(value) if here is None else here, seen)
        return _Reason(self._own(node), False)

    # The value of any part of a formula in this one case.

    def number(self, value: float) -> Floats:
        """A number."""
        return np.array([value])

    def name(self, name: str) -> Floats:
        """What was worked out under a name."""
        return self.values[name]

    def nothing(self) -> Floats:
        """A line of zeros."""
        return np.zeros((self.deal.timeline.rows, 1))

    def operation(self, name: str, *parts: Floats) -> Floats:
        """An operation on values."""
        return OPERATIONS[name](*parts)

    def call(self, call: Call) -> Floats:
        """A function on values."""
        if (item := bracket_input(call, self.deal.inputs)) is not None:
            found = [self.translate(slot) for slot in bind(call, "") if slot is not None]
            return bracket_compute(call.function, item, self.deal.timeline)(found[0], found[1])
        if call.function in OF_SETS:
            found = [_Search(self.deal, Whole(self.values)).translate(node) for _, node in call.arguments]
            return FUNCTIONS[call.function].compute(self.deal.timeline, *found)
        return FUNCTIONS[call.function].compute(self.deal.timeline, *self.arguments(call))

    def arguments(self, node: Call) -> list[Any]:
        """The arguments of a call, None for what is left out."""
        return [None if slot is None else self.translate(slot) for slot in bind(node, "")]

    def _children(self, node: Node, period: int | None) -> tuple[Node, ...]:
        if isinstance(node, Choose):
            condition = _rows(self.translate(node.condition), period)
            if np.isnan(condition).any():
                return (node.condition,)
            return (node.yes,) if (condition == 1).all() else (node.no,)
        return children(node)

    def _own(self, node: Node) -> str:
        if isinstance(node, Number):
            return "its formula says undefined here"
        if isinstance(node, Binary) and node.operator == "/":
            return f"'{show(node)}' divides by zero"
        if isinstance(node, Call):
            why = FUNCTIONS[node.function].why
            if asked := self._asked_wrongly(node):
                return asked
            if (item := bracket_input(node, self.deal.inputs)) is not None:
                ends = [self.deal.style.show(key, "number") for key in (item.keys[0], item.keys[-1])]
                beyond = f"outside {ends[0]} to {ends[1]}" if node.function == "interpolated" else f"below {ends[0]}"
                return f"'{show(node)}' looks {beyond}, where {item.label} has no value"
            if why is not None:
                return why(self.deal.timeline, *self.arguments(node))
        return f"'{show(node)}' has no finite value"

    def _asked_wrongly(self, call: Call) -> str:
        """A rate, or a length of the timeline, that nothing can be worked out with; empty where there is none."""
        function, time = FUNCTIONS[call.function], self.deal.timeline
        for parameter, value in zip(function.parameters, self.arguments(call), strict=False):
            if value is None or value.size != 1:
                continue
            number = float(value.reshape(-1)[0])
            if parameter.kind == "rate" and number <= -1:
                return f"{parameter.name} is {number:.2%}; it must be above -100%"
            if parameter.kind == "years" and function.over_time and function.result == "single":
                last = number * time.per_year
                if not 0 <= last <= time.periods or abs(last - round(last)) > 1e-6:
                    most = f"0 to {time.periods / time.per_year:g}, the timeline's years, in whole periods"
                    return f"{parameter.name} is {number:g}; it must be {most}"
        return ""


def loan_named(deal: Definition, name: str) -> DealLoan:
    """A loan, or that of one thing of a set by vans.Anna.van, its terms as they stand for it."""
    if name in deal.loans:
        return deal.loans[name]
    loan = name.rpartition(".")[2]
    head, thing = deal.loans[loan].each, name.removesuffix(f".{loan}").partition(".")[2]
    own = partial(deal.for_thing, own=head, thing=thing)
    item = deal.loans[loan]
    terms = {key: own(node) for key, node in item.terms.items()}
    return replace(item, name=name, terms=terms, extra=None if item.extra is None else own(item.extra))


def each_value_of(deal: Definition, values: Mapping[str, Floats], node: Node) -> Floats:
    """The value of a formula for each thing of its set, in the one case whose names are all in `values`."""
    with np.errstate(all="ignore"):
        return _Search(deal, Whole(values)).translate(node)


def formula_of(deal: Definition, name: str) -> Node | None:
    """The formula behind a name: its own, or how a total adds up; None when it has none."""
    if (own := deal.own(name)) is not None:
        node = formula_of(deal, own[2])
        return None if node is None else deal.for_thing(node, own[0].name, own[1])
    for table in (deal.values, deal.lines, deal.levels, deal.measures, deal.each_figures):
        if name in table:
            return table[name].node
    for grid in deal.tables.values():
        for column in grid.columns.values():
            if column.name == name:
                return column.node
    if (split := deal.split_parts.get(name)) is not None:
        made_of = split.made_of(name)
        return Sum(tuple(Name(part) for part in made_of)) if made_of else split.of
    if name.startswith("loans."):
        return Sum(tuple(deal.as_one(f"{loan}.{name.partition('.')[2]}") for loan in deal.loans))
    if name in ("money_in", "money_out"):
        role = name.removeprefix("money_")
        return Sum(tuple(deal.as_one(line.name) for line in deal.lines.values() if line.role == role))
    before = Binary("-", Name("money_in"), Name("money_out"))
    if name == "net_before_loans":
        return before
    if name == "net":
        flows = [deal.as_one(f"{loan}.flow") for loan in deal.loans]
        return Sum((before, *flows)) if flows else before
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

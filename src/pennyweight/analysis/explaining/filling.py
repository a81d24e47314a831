"""Figures of one case, or two, as they are shown, and formulas with the numbers in."""

from __future__ import annotations

from collections.abc import Sequence
from functools import cached_property
from typing import TYPE_CHECKING

import numpy as np

from pennyweight.analysis.explaining.over_time import looks_over_time
from pennyweight.analysis.showing import show_base, show_figure, show_value
from pennyweight.deals.compiler.program import Program, each_name
from pennyweight.deals.definition import Definition
from pennyweight.deals.language.brackets import bracket_input, slices
from pennyweight.deals.language.functions import FUNCTIONS
from pennyweight.deals.language.nodes import (
    Binary,
    Call,
    Name,
    Node,
    Number,
    Sum,
    Unary,
    children,
    names_in,
    rebuilt,
    renamed,
    show,
    walk,
    with_parts,
)
from pennyweight.deals.parts import Input
from pennyweight.deals.undefined import value_of
from pennyweight.documents.derivation import bracketed, digits

if TYPE_CHECKING:
    from pennyweight.analysis.weighing.weighing import Weighing

__all__ = ["Filling", "outermost", "summands"]


class Filling:
    """The figures behind some weighings of one deal."""

    def __init__(self, deal: Definition, weighings: Sequence[Weighing]) -> None:
        self.deal, self.weighings = deal, weighings

    @cached_property
    def program(self) -> Program:
        """What was worked out, and which of it over time."""
        return self.weighings[0].model.program

    def is_named(self, name: str) -> bool:
        """Whether something was worked out under a name, or under that of what it means for one thing of a set."""
        return name in self.program.names or self.deal.own(name) is not None

    def given(self, name: str) -> Input | None:
        """The input of a name that is given, not worked out."""
        item: Input | None = self.deal.inputs.get(name)
        return None if item is None or item.formula else item

    def runs(self, name: str) -> bool:
        """Whether a name has a value a period."""
        if (own := self.deal.own(name)) is not None and name not in self.program.names:
            name = each_name(own[2]) if each_name(own[2]) in self.program.names else own[2]
        return self.program.over_time[self.program.names[name]]

    def value(self, weighing: Weighing, name: str, period: int | None) -> float | None:
        """The value of a name; of a question its one answer."""
        if name in self.deal.questions:
            answers = weighing.answers[name].answers
            return answers[0].value if len(answers) == 1 else None
        table = weighing.worked_out.get(name)
        if table is None:
            return None
        number = float(table[0]) if table.ndim == 1 else float(table[period or 0, 0])
        return number if np.isfinite(number) else None

    def show(self, name: str, value: float | None) -> str:
        """The value as a page shows it."""
        item = self.given(name)
        if value is None:
            return "undefined"
        if item is not None and item.keys:
            low, high = (
                self.deal.style.show(float(end), item.unit) for end in np.sort(np.asarray(item.value))[[0, -1]]
            )
            return f"{low} to {high}"
        if item is not None and not item.is_series:
            return show_base(self.deal, item, value, unit=True)
        if name == "pays_off":
            return "yes" if value else "no"
        return self.answered(name, value, unit=True)

    def filled(self, node: Node, period: int | None) -> str:
        """The formula with the numbers of the first case in; names of things looked at over time stay."""
        weighing = self.weighings[0]
        alone = isinstance(node, Call)
        if (charged := self.sliced(node, period)) is not None:
            return charged
        node = self.spared(node, period)
        calls = {call: Name(self.bare_call(call, period)) for call in _worked_out(node) if not (alone and call is node)}
        put_in = set(calls.values())
        node = rebuilt(node, lambda part: calls.get(part, part) if isinstance(part, Call) else part)
        over = {other for call in _over_time(node) for other in names_in(call)}
        names = {}
        for other in names_in(node):
            item = self.deal.inputs.get(other)
            if other in over or Name(other) in put_in or not self.is_named(other) or (item is not None and item.keys):
                continue
            table = self.runs(other)
            value = self.value(weighing, other, period if table else None)
            if table and period is None:
                continue
            names[other] = "undefined" if value is None else self.bare(other, value)
        return show(renamed(node, names)).replace("?", "")

    def sliced(self, node: Node, period: int | None) -> str | None:
        """What graduated adds up, slice by slice; None for any other formula, and for amounts of a year."""
        item = bracket_input(node, self.deal.inputs) if isinstance(node, Call) else None
        if item is None or not isinstance(node, Call) or node.function != "graduated":
            return None
        amount = self.at(node.arguments[0][1], period)
        if item.by_year and (time := self.deal.timeline).per_year > 1 and period is not None:
            inside = np.flatnonzero(time.year[:, 0] == time.year[period, 0])
            last = period == inside[-1]  # the year's sum is charged in its last period
            amount = sum(self.at(node.arguments[0][1], int(k)) for k in inside) if last else np.nan
        parts = slices(item, self.weighings[0].worked_out[item.name][:, 0], amount) if np.isfinite(amount) else []
        unit, show = self.deal.names.unit(node.arguments[0][1]), self.deal.style.show
        return " + ".join(f"{show(size, unit)} * {show(value, item.unit)}" for size, value in parts) or None

    def spared(self, node: Node, period: int | None) -> Node:
        """The formula without the terms of its sums that are 0; what is looked at over time stays as it is."""
        if isinstance(node, Call) and FUNCTIONS[node.function].over_time:
            return node
        node = self.without_nothing(node, period)
        return with_parts(node, lambda part: self.spared(part, period))

    def without_nothing(self, node: Node, period: int | None) -> Node:
        """A sum without the terms that are 0 in the first case; one of them stays where all are."""
        terms = summands(node)
        kept = [one for one in terms if isinstance(one[1], Number) or self.at(one[1], period) != 0] or terms[:1]
        if len(kept) == len(terms):
            return node
        sign, made = kept[0]
        made = made if sign > 0 else Unary("-", made)
        for sign, term in kept[1:]:
            made = Binary("+" if sign > 0 else "-", made, term)
        return made

    def at(self, node: Node, period: int | None) -> float:
        """What a part of a formula comes to in the first case; NaN where it runs over time and no period is said."""
        table = value_of(self.deal, self.weighings[0].worked_out, node)
        if table.ndim == 2 and (period is None or table.shape[0] != self.deal.timeline.rows):
            return float("nan")
        return float(table[0] if table.ndim == 1 else table[period, 0])

    def bare_call(self, call: Call, period: int | None) -> str:
        """What a call comes to, in a period where it runs over time, without its unit."""
        table = value_of(self.deal, self.weighings[0].worked_out, call)
        if table.ndim == 2 and period is None:
            return show(call)
        value, unit = float(table[0] if table.ndim == 1 else table[period, 0]), self.deal.names.unit(call)
        if not np.isfinite(value):
            return "undefined"
        factor = unit in ("number", "share") and not looks_over_time(call)
        return bracketed(digits(value, self.deal.style.mark) if factor else self.deal.style.show(value, unit))

    def bare(self, name: str, value: float) -> str:
        """A value without its unit."""
        item = self.given(name)
        if item is not None and item.choices:
            return f"'{show_base(self.deal, item, value)}'"
        if item is not None and not item.is_series:
            return show_base(self.deal, item, value)
        return self.answered(name, value, unit=False)

    def answered(self, name: str, value: float, *, unit: bool) -> str:
        """A figure; an answer is rounded to the side on which it holds, as on the page of the deal."""
        item = self.deal.varied(name) if name in self.deal.questions else None
        if item is not None:
            for answer in (one for weighing in self.weighings for one in weighing.answers[name].answers):
                if answer.value == value:
                    return show_value(self.deal, item, value, answer.kind, unit=unit)
        return show_figure(self.deal, name, value, unit=unit)


def outermost(node: Node) -> list[Call]:
    """The calls in a formula that make one figure of all periods, none within another."""
    if isinstance(node, Call) and looks_over_time(node):
        return [node]
    return list(dict.fromkeys(call for child in children(node) for call in outermost(child)))


def summands(node: Node) -> list[tuple[int, Node]]:
    """The terms of a sum with their signs; of anything else itself."""
    match node:
        case Sum():
            return [one for part in node.parts for one in summands(part)]
        case Binary(operator="+"):
            return [*summands(node.left), *summands(node.right)]
        case Binary(operator="-"):
            return [*summands(node.left), *((-sign, one) for sign, one in summands(node.right))]
        case _:
            return [(1, node)]


def _worked_out(node: Node) -> list[Call]:
    """The calls of a formula that stand in it as a number, none within another; `min`, `max`, `round`… keep theirs."""
    if isinstance(node, Call) and not FUNCTIONS[node.function].by_hand:
        return [node]
    return list(dict.fromkeys(call for child in children(node) for call in _worked_out(child)))


def _over_time(node: Node) -> list[Node]:
    """The arguments of a formula that are looked at over time."""
    found: list[Node] = []
    for part in walk(node):
        if isinstance(part, Call) and part.function in FUNCTIONS:
            for parameter, (_, argument) in zip(FUNCTIONS[part.function].parameters, part.arguments, strict=False):
                if parameter.kind in ("line", "name", "things"):
                    found.append(argument)
    return found

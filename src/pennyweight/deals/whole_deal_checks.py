"""Whether a deal makes sense as a whole: every formula checked, and the mistakes only the whole deal shows."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from contextlib import AbstractContextManager
from typing import Any, TypeAlias

from pennyweight.deals.language.names import Names, bind, current_names
from pennyweight.deals.language.nodes import Binary, Call, Choose, Compare, Name, Node, Number, Sum, Unary, show, walk
from pennyweight.deals.language.translation import folded
from pennyweight.deals.parts import TOTALS, DealLoan, Goal, Level, Line, OwnCheck, Question, Split
from pennyweight.deals.period_zero import Early
from pennyweight.errors import InputError

__all__ = [
    "all_nodes",
    "check_bare_amounts",
    "check_curves",
    "check_formulas",
    "check_goals",
    "check_nearly",
    "placed_nodes",
    "refuse_bare_rates",
]

Noting: TypeAlias = Callable[[], AbstractContextManager[None]]
"""What notes a mistake and lets the others be found."""


def check_formulas(names: Names, *groups: Mapping[str, Any], note: Noting) -> None:
    """Refuse names nobody declared, misfit arguments, and lines where one figure belongs; each is noted."""
    for group in groups:
        for item in group.values():
            with note():
                _check_item(names, item)


def _check_item(names: Names, item: Any) -> None:
    for node in _nodes_of(item):
        names.check_set(node, getattr(item, "each", ""), getattr(item, "asked_at", "") or item.where)
        if isinstance(item, Question) and item.aim == "true":
            _check_condition(names, node, item.asked_at or item.where)
            continue
        if isinstance(item, OwnCheck):
            names.with_verdict().shape(node, item.where)
            if names.unit(node) != "condition" and node != Name("pays_off"):
                raise InputError(f"{item.where}: write a condition, such as abs(bill - payment) <= 5.", at=item.where)
            continue
        if isinstance(item, Split):
            names.shape(node, item.where)
            if names.shape(node, item.where) == "line" and not any(
                node is one for one in (item.of, *item.paid_in.values())
            ):
                raise InputError(
                    f"{item.where}: a rate or a share must be a single number, but '{show(node)}' has a value for each "
                    "period.",
                    at=item.where,
                )
            continue
        where = item.asked_at if isinstance(item, Question) else item.where
        if isinstance(item, DealLoan):
            where = next(
                (item.places[term] for term, own in item.terms.items() if own is node and term in item.places), where
            )
        shape = names.shape(node, where)
        over_time = isinstance(item, Line | Level) and node is item.node
        over_time = over_time or (isinstance(item, Level) and node is item.start)
        if isinstance(item, Line | Level) and any(node is setting.node for setting in item.settings):
            over_time = True
        # The terms of a loan are read in the period of pay-out; which that is must be one figure.
        over_time = over_time or (isinstance(item, DealLoan) and node is not item.terms["paid_out"])
        if shape == "line" and not over_time:
            what = "a goal" if isinstance(item, Goal) else f"'{getattr(item, 'name', '')}'"
            raise InputError(
                f"{item.where}: {what} must be a single number, but this has a value for each period; "
                "wrap it in total(…), at(…, period) or another function over time.",
                at=item.where,
            )


def check_bare_amounts(lines: Mapping[str, Line], loans: Mapping[str, DealLoan]) -> None:
    """Refuse a bare amount beside a line of period 0: whether it is meant there too, only the writer knows."""
    early = Early(lines, loans)
    for line in lines.values():
        if line.run.said or not (named := early.named(line)):
            continue
        bare = next(_bare_terms(early, line.node), None)
        if bare is not None:
            raise InputError(
                f"{line.where}: '{show(bare)}' stands beside {named[0]}, which may run in period 0; say whether "
                "it counts there, too, with 'from', 'at' or 'every', or give it a line of its own.",
                at=line.where,
            )


def check_curves(lines: Mapping[str, Line], loans: Mapping[str, DealLoan]) -> None:
    """Refuse a line as a curve by age that does not run in period 0: its value at age 0 would be a silent 0."""
    early = Early(lines, loans)
    for line in lines.values():
        for call in (part for part in walk(line.node) if isinstance(part, Call) and part.function == "by_age"):
            curve = bind(call, line.where)[1]
            if isinstance(curve, Name) and early.is_amount(curve.name) and not early.starts(curve.name):
                raise InputError(
                    f"{line.where}: {curve.name} is a line that does not run in period 0, so that it is 0 at age 0; "
                    "give it from = 0, make it an input with steps, or write its formula here.",
                    at=line.where,
                )


def check_nearly(goals: Mapping[str, Goal], *, note: Noting) -> None:
    """Refuse a `nearly` on the wrong side of its goal; each is noted."""
    for goal in goals.values():
        bound = goal.at_least if goal.at_least is not None else goal.at_most
        if bound is None or goal.nearly is None:
            continue
        near, asked = folded(goal.nearly), folded(bound)
        if near is None or asked is None or (near < asked if goal.at_least is not None else near > asked):
            continue
        word, side = ("at_least", "below") if goal.at_least is not None else ("at_most", "above")
        with note():
            raise InputError(
                f"{goal.where}: 'nearly' is {show(goal.nearly)}; with {word} = {show(bound)} it must lie {side} that.",
                at=goal.where,
            )


def check_goals(goals: Mapping[str, Goal], names: Names, *, note: Noting) -> None:
    """Refuse a goal of 9 on a rate: that would be 900 % a year; each is noted."""
    for name, goal in goals.items():
        if names.unit_of(name) != "rate":
            continue
        for bound in (goal.at_least, goal.at_most, goal.nearly):
            if isinstance(bound, Number) and not bound.percent and abs(bound.value) >= 1:
                with note():
                    raise InputError(
                        f'{goal.where}: {bound.text} is {bound.value * 100:g}% a year; write "{bound.text}%".',
                        at=goal.where,
                    )


def refuse_bare_rates(node: Node, names: Names, where: str) -> None:
    """Refuse a comparison of a yearly rate with a bare number of 1 or more: 9 would be 900 % a year."""
    for one in walk(node):
        if not isinstance(one, Compare):
            continue
        for number, other in ((one.left, one.right), (one.right, one.left)):
            bare = isinstance(number, Number) and not number.percent and not number.unit and abs(number.value) >= 1
            if isinstance(number, Number) and bare and names.unit(other) == "rate":
                raise InputError(
                    f"{where}: {number.text} is {number.value * 100:g}% a year; write {number.text}%.", at=where
                )


def all_nodes(*groups: Mapping[str, Any]) -> Iterator[Node]:
    """Every formula of the given parts of a deal."""
    for group in groups:
        for item in group.values():
            yield from _nodes_of(item)


def placed_nodes(*groups: Mapping[str, Any]) -> Iterator[tuple[Node, str]]:
    """Every formula with where its entry stands."""
    for group in groups:
        for item in group.values():
            yield from ((node, item.where) for node in _nodes_of(item))


def _check_condition(names: Names, node: Node, where: str) -> None:
    known = names.with_verdict()
    if known.shape(node, where) == "line":
        raise InputError(
            f"{where}: a condition compares single numbers, but this one has a value for each period.", at=where
        )
    if known.unit(node) != "condition" and node != Name("pays_off"):
        raise InputError(f"{where}: write a condition, such as npv == 0 or irr >= hurdle.", at=where)


def _bare_terms(early: Early, node: Node) -> Iterator[Node]:
    if isinstance(node, Binary) and node.operator in "+-":
        yield from _bare_terms(early, node.left)
        yield from _bare_terms(early, node.right)
    elif isinstance(node, Unary):
        yield from _bare_terms(early, node.operand)
    elif isinstance(node, Choose):
        yield from _bare_terms(early, node.yes)
        yield from _bare_terms(early, node.no)
    elif isinstance(node, Number) and node.value == 0:
        return
    elif not isinstance(node, Sum) and not any(
        name in early.lines or name in TOTALS or "." in name for name in current_names(node)
    ):
        yield node


def _nodes_of(item: Any) -> Iterator[Node]:
    """Every formula of one declared thing."""
    if isinstance(item, DealLoan):
        yield from item.terms.values()
        if item.extra is not None:
            yield item.extra
        for first, rate in item.rate_steps:
            yield from (first, rate)
        yield from (first for first, _ in item.advances)
        return
    if isinstance(item, Split):
        yield from item.nodes
        return
    if isinstance(item, Goal):
        parts: list[Node | None] = [item.at_least, item.at_most, item.nearly]
    elif isinstance(item, Question):
        parts = [item.so_that]
    elif isinstance(item, Line):
        parts = [item.node, item.run.at, item.run.first, item.run.last, item.run.every]
    elif isinstance(item, Level):
        parts = [item.node, item.start]
    else:
        parts = [item.node]
    if isinstance(item, Line | Level):
        for setting in item.settings:
            parts += [setting.first, setting.last, setting.node]
    yield from (part for part in parts if part is not None)

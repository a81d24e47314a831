"""Where every figure on the page of a weighing comes from: trees of formulas, and what happens beside a turn."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

import numpy as np

from pennyweight.analysis.explaining.why import why
from pennyweight.analysis.showing import headed
from pennyweight.deals.definition import Definition, Question
from pennyweight.deals.language.nodes import Name, names_in
from pennyweight.documents import Document, Table
from pennyweight.documents.derivation import Derivation, Whys, bracketed, derivation_table, digits
from pennyweight.pages.explaining.figures_beside import beside, figures_at
from pennyweight.pages.explaining.trees import derivation_of, tree
from pennyweight.pages.weighing.line_whys import line_whys
from pennyweight.pages.weighing.own_tables import axis_value, column_title, table_blocks
from pennyweight.pages.weighing.turning_points import shown_limit, shown_turn

if TYPE_CHECKING:
    from pennyweight.analysis.weighing.own_tables import TableResult
    from pennyweight.analysis.weighing.turning import TurningPoint
    from pennyweight.analysis.weighing.verdict import GoalResult
    from pennyweight.analysis.weighing.weighing import Weighing

__all__ = ["aim_of", "column_whys", "goal_derivations", "table_whys", "watched", "weighing_whys"]

DEPTH = 3
"""How deep the tree of a figure goes."""


def weighing_whys(weighing: Weighing, document: Document) -> Whys:
    """Of every figure, goal, answer, table, turning point and line of the page."""
    deal = weighing.definition
    found: dict[tuple[str, str], Table] = {}
    for name, figure in weighing.measures.items():
        found["Figures", figure.label] = tree({weighing.scenario: weighing}, name, None, DEPTH)
    for goal in weighing.goals.values():
        label = deal.style.headed(goal.label, goal.unit)
        found["Goals", label] = derivation_table(goal.label, goal_derivations(weighing, goal))
    for name in weighing.answers:
        found["Answers", deal.questions[name].label] = _answer(weighing, name)
    for result in weighing.tables.values():
        found |= table_whys(result)
    for point in weighing.turning_points:
        if point.turns_at is not None or point.limit_below is not None or point.limit_above is not None:
            found["Turning points", headed(deal, point.input)] = _turn(weighing, point)
    return {**found, **line_whys(weighing, document)}


def goal_derivations(weighing: Weighing, goal: GoalResult) -> dict[str, Derivation]:
    """The figure of a goal, its bound, and how far both are apart."""
    deal, style = weighing.definition, weighing.definition.style
    figure = derivation_of(why({weighing.scenario: weighing}, goal.name, None, 1).reason)
    word = "at least" if goal.side == "at_least" else "at most"
    found = {
        goal.label: figure,
        "Asked": Derivation(f"{word} {style.show(goal.bound, goal.unit)}", _asked(deal, goal.name)),
    }
    if goal.slack is None or goal.value is None:
        found["State"] = Derivation(goal.state, goal.reason)
        return found
    value, bound = (style.show(one, goal.unit) for one in (goal.value, goal.bound))
    first, second = (value, bound) if goal.side == "at_least" else (bound, value)
    formula = "figure - asked" if goal.side == "at_least" else "asked - figure"
    found["To spare"] = Derivation(
        style.show(goal.slack, goal.unit, sign=True), formula, f"{first} - {bracketed(second)}"
    )
    return found


def _asked(deal: Definition, name: str) -> str:
    goal = deal.goals[name]
    bound = goal.at_least if goal.at_least is not None else goal.at_most
    known = {other: deal.label(other) for other in names_in(bound)} if bound is not None else {}
    return f"the goal as the deal sets it, by {', '.join(known.values())}" if known else "the goal as the deal sets it"


def _answer(weighing: Weighing, name: str) -> Table:
    """What is asked of a question, at its answers and just beside them."""
    deal, outcome = weighing.definition, weighing.answers[name]
    question = deal.questions[name]
    item = deal.varied(question.find)
    assert item is not None
    names, asked = watched(deal, question)
    parts: dict[str, Derivation] = {}
    values = [answer.value for answer in outcome.answers]
    if not values:
        values = [1.0 if item.is_series else float(weighing.case[item.name])]
    for value in values if names else ():
        parts |= figures_at(weighing.model, weighing.case, item, beside(item, value), names, asked)
    formula = f"looked for over {item.label}, so that {aim_of(question)}"
    if outcome.reason:
        formula = f"{formula}; {outcome.reason}"
    return derivation_table(question.label, {question.label: Derivation(outcome.told, formula, "", parts)})


def aim_of(question: Question) -> str:
    """What a question asks for, in words."""
    if question.aim != "true":
        return f"{question.text} is {'largest' if question.aim == 'most' else 'smallest'}"
    return "the deal pays off" if question.text == "pays_off" else question.text


def watched(deal: Definition, question: Question) -> tuple[list[str], str]:
    """The single figures that a question reads, and what is asked of them; of "pays off" the goals, each by its own."""
    node = question.so_that
    if node is None or node == Name("pays_off"):
        return list(deal.goals), ""
    names = [name for name in names_in(node) if name in deal.measures or name in deal.values]
    return names, f"asked: {aim_of(question)}"


def _turn(weighing: Weighing, point: TurningPoint) -> Table:
    """The goals that turn, at each turn and just beside it; and how far away the nearer one is."""
    deal = weighing.definition
    item = deal.inputs[point.input]
    names = list(point.goals or deal.goals)
    found: dict[str, Derivation] = {}
    for word, value in (("Turns below", point.below), ("Turns above", point.above)):
        if value is None:
            continue
        parts = figures_at(weighing.model, weighing.case, item, beside(item, value), names)
        shown = shown_turn(deal, point, value)
        found[word] = Derivation(shown, "here these goals are just met, all else as it stands", "", parts)
    for word, limit in (("Limit below", point.limit_below), ("Limit above", point.limit_above)):
        if limit is not None:
            found[word] = Derivation(
                f"about {shown_limit(deal, point, limit)}", "beyond it a figure of a goal is undefined"
            )
    if point.choices:
        found["Pays off"] = Derivation(
            " or ".join(point.choices), "each word was tried", "",
            figures_at(weighing.model, weighing.case, item, beside(item, 0.0), ["pays_off"], "every goal is met"),
        )  # fmt: skip
    distance = _distance(deal, point)
    return derivation_table(item.label, {**found, **({"Distance": distance} if distance else {})})


def _distance(deal: Definition, point: TurningPoint) -> Derivation | None:
    if point.turns_at is None:
        return None
    item, show = deal.inputs[point.input], deal.style.show

    def put(value: float) -> str:
        return bracketed(digits(value, deal.style.mark))

    away = f"({put(point.turns_at)} - {put(point.base)})"
    if point.of_range is not None and item.low is not None and item.high is not None:
        told = f"{away} / ({put(item.high)} - {put(item.low)})"
        return Derivation(show(point.of_range, "share", sign=True), "(turn - as it stands) / (high - low)", told)
    if point.distance is not None:
        told = f"{away} / {put(abs(point.base))}"
        return Derivation(show(point.distance, "share", sign=True), "(turn - as it stands) / as it stands", told)
    return None


# Tables


def table_whys(result: TableResult) -> Whys:
    """The formulas of a deal's own table, at its first place: of each of its tables on the page."""
    together = [list(result.columns)] if len(result.table.axes) == 1 else [[name] for name in result.columns]
    titles = [block.title for block in table_blocks(result) if isinstance(block, Table)]
    return {(title, ""): column_whys(result, names) for title, names in zip(titles, together, strict=True)}


def column_whys(result: TableResult, names: Sequence[str]) -> Table:
    """The formulas of some columns of a deal's own table, at its first place."""
    axes = result.table.axes
    at = " and ".join(f"{axis.label} at {axis_value(result, axis, float(axis.values[0]))}" for axis in axes)
    told = {}
    for name in names:
        column = result.table.columns[name]
        value = float(result.columns[name].reshape(-1)[0])
        told[f"{column_title(result, column)}, with {at}"] = Derivation(
            result.shown(name, value) if np.isfinite(value) else "undefined",
            f"{column.text or column.name}, all else as it stands",
        )
    return derivation_table(
        result.label, told, note="Every other place is worked out the same way, with its own value."
    )

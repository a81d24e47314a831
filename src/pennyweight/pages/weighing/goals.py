"""The goals of a weighing as a table, and where each comes from."""

from __future__ import annotations

from functools import partial

from pennyweight.analysis.explaining.why import why
from pennyweight.analysis.showing import show_figure
from pennyweight.analysis.weighing.verdict import GoalResult
from pennyweight.analysis.weighing.weighing import Weighing
from pennyweight.deals.definition import Definition
from pennyweight.deals.language.nodes import names_in
from pennyweight.documents import Cell, Column, Row, Table
from pennyweight.documents.derivation import Derivation, Why, bracketed
from pennyweight.pages.explaining.trees import derivation_of
from pennyweight.pages.weighing.words import STATE_TONES

__all__ = ["goals_table", "spare_of"]


def goals_table(weighing: Weighing) -> Table:
    """Each goal with its figure, what is asked, its state, and how much is to spare."""
    rows = tuple(_goal_row(weighing, goal) for goal in weighing.goals.values())
    columns = (
        Column("Goal", words=True),
        Column("Figure"),
        Column("Asked", words=True),
        Column("State", words=True),
        Column("To spare"),
    )
    figures = [weighing.measures[name] for name in weighing.goals if name in weighing.measures]
    told = [
        f"{one.label}: {'; '.join(filter(None, [one.remark, one.reason]))}."
        for one in figures
        if one.remark or one.reason
    ]
    return Table("Goals", columns, rows, " ".join(told), role="goals")


def _goal_row(weighing: Weighing, goal: GoalResult) -> Row:
    deal, style = weighing.definition, weighing.definition.style
    word = "at least" if goal.side == "at_least" else "at most"
    tone = STATE_TONES[goal.state]
    cells = (
        Cell(style.headed(goal.label, goal.unit)),
        Cell(show_figure(deal, goal.name, goal.value, unit=False)),
        Cell(f"{word} {style.show(goal.bound, goal.unit)}"),
        Cell(goal.state, tone),
        Cell("-" if goal.slack is None else style.show(goal.slack, goal.unit, sign=True), tone),
    )
    return Row(cells, Why(goal.label, partial(goal_derivations, weighing, goal)))


def goal_derivations(weighing: Weighing, goal: GoalResult) -> dict[str, Derivation]:
    """The figure of a goal, its bound, and how far both are apart."""
    figure = derivation_of(why({weighing.scenario: weighing}, goal.name, None, 1).reason)
    return {goal.label: figure, **spare_of(weighing, goal)}


def spare_of(weighing: Weighing, goal: GoalResult) -> dict[str, Derivation]:
    """What is asked of a goal, and how far its figure lies from that."""
    deal, style = weighing.definition, weighing.definition.style
    word = "at least" if goal.side == "at_least" else "at most"
    found = {
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

"""How a weighing describes itself, as a document."""

from __future__ import annotations

from collections.abc import Mapping
from typing import TYPE_CHECKING, Any, TypeAlias

import numpy as np
from numpy.typing import NDArray

from pennyweight.analysis.showing import show_figure
from pennyweight.analysis.weighing.checks import numbers_inside
from pennyweight.core import rate_forms
from pennyweight.deals.definition import Definition
from pennyweight.documents import (
    Block,
    Cell,
    Checks,
    Column,
    Document,
    FigureLine,
    Figures,
    Table,
    Text,
    Verdict,
)
from pennyweight.documents.model import Tone
from pennyweight.pages.weighing.deal_charts import weighing_charts
from pennyweight.pages.weighing.lines_by_period import Selection, period_tables
from pennyweight.pages.weighing.own_tables import table_blocks
from pennyweight.pages.weighing.turning_points import nearest_turn, turning_blocks

if TYPE_CHECKING:
    from pennyweight.analysis.weighing.verdict import Figure, GoalResult
    from pennyweight.analysis.weighing.weighing import Weighing

__all__ = ["weighing_page"]

Floats: TypeAlias = NDArray[np.float64]

_TONES: dict[str, Tone] = {"pays off": "in", "nearly": "question", "falls short": "out", "no goals": "comparison"}
_STATES: dict[str, Tone] = {"met": "in", "nearly": "question", "missed": "out"}


def weighing_page(weighing: Weighing, *, periods: Selection | None = None) -> Document:
    """The page of one weighing; `periods` adds the lines by period or year."""
    deal = weighing.definition
    blocks: list[Block] = [_verdict(weighing)]
    if weighing.goals:
        blocks.append(_goals_table(weighing))
    if weighing.measures:
        blocks.append(Figures("Figures", tuple(_figure_line(deal, f) for f in weighing.measures.values())))
    if weighing.answers:
        blocks.append(_answers(weighing))
    for table in weighing.tables.values():
        blocks += table_blocks(table)
    blocks += turning_blocks(deal, weighing.turning_points)
    if periods is not None:
        blocks += period_tables(deal, list(weighing.values), weighing.line, periods)
    blocks.append(Checks(weighing.checks))
    if deal.notes:
        blocks.append(_notes(deal))
    inside = numbers_inside(deal)
    if inside:
        blocks.append(Text(f"Not varied, because they are written inside formulas: {', '.join(inside)}.", "comparison"))
    subtitle = " ".join(filter(None, [deal.note, f"Scenario: {weighing.scenario_label}."]))
    return Document(deal.title, tuple(blocks), subtitle, weighing_charts(weighing))


def _notes(deal: Definition) -> Table:
    """What whoever wrote the deal remarks, in the order of the sections."""
    rows = tuple((Cell(_called(deal, *key)), Cell(note)) for key, note in deal.notes.items())
    return Table("Remarks of the deal", (Column("On", words=True), Column("Remark", words=True)), rows)


def _called(deal: Definition, section: str, name: str) -> str:
    own: dict[str, Mapping[str, Any]] = {
        "scenarios": deal.scenarios,
        "checks": deal.own_checks,
        "charts": deal.charts,
        "loans": deal.loans,
    }
    return str(own[section][name].label) if section in own else deal.label(name)


def _verdict(weighing: Weighing) -> Verdict:
    goals = weighing.goals.values()
    missed = [goal.label for goal in goals if goal.state == "missed"]
    nearly = [goal.label for goal in goals if goal.state == "nearly"]
    if not goals:
        sentence = "The deal sets no goals, so there are figures and no verdict."
    elif not missed and not nearly:
        words = {1: "Its goal is met.", 2: "Both goals are met."}
        sentence = words.get(len(goals), f"All {len(goals)} goals are met.")
    else:
        parts = [f"missed: {', '.join(missed)}"] if missed else []
        parts += [f"nearly met: {', '.join(nearly)}"] if nearly else []
        sentence = "; ".join(parts) + "."
    return Verdict(
        weighing.verdict.upper(),
        sentence + nearest_turn(weighing.definition, weighing.turning_points) + _failed(weighing),
        _TONES[weighing.verdict],
    )


def _failed(weighing: Weighing) -> str:
    """Checks that fail, so that nobody reads the verdict without them."""
    failed = [sentence for passed, sentence in weighing.checks if not passed]
    if not failed:
        return ""
    return f" A check fails: {failed[0]}" if len(failed) == 1 else f" {len(failed)} checks fail; the first: {failed[0]}"


def _goals_table(weighing: Weighing) -> Table:
    rows = tuple(_goal_row(weighing.definition, goal) for goal in weighing.goals.values())
    columns = (
        Column("Goal", words=True),
        Column("Figure"),
        Column("Asked", words=True),
        Column("State", words=True),
        Column("To spare"),
    )
    return Table("Goals", columns, rows)


def _goal_row(deal: Definition, goal: GoalResult) -> tuple[Cell, ...]:
    style = deal.style
    word = "at least" if goal.side == "at_least" else "at most"
    tone = _STATES[goal.state]
    return (
        Cell(style.headed(goal.label, goal.unit)),
        Cell(show_figure(deal, goal.name, goal.value, unit=False)),
        Cell(f"{word} {style.show(goal.bound, goal.unit)}"),
        Cell(goal.state, tone),
        Cell("-" if goal.slack is None else style.show(goal.slack, goal.unit, sign=True), tone),
    )


def _figure_line(deal: Definition, figure: Figure) -> FigureLine:
    shown = deal.style.with_unit(figure.value, figure.unit)
    note = figure.formula if figure.value is not None else figure.reason
    if "loan_payment(" in figure.formula and "per_year" not in figure.formula and figure.value is not None:
        note += ", paid monthly"
    if figure.unit == "rate" and figure.value is not None and deal.timeline.per_year > 1:
        quoted = float(rate_forms.nominal_rate(figure.value, deal.timeline.per_year))
        word = {4: "quarterly", 12: "monthly"}[deal.timeline.per_year]
        note += f", effective ({deal.style.show(quoted, 'rate')} {word})"
    note = "; ".join(filter(None, [figure.remark, note]))
    return FigureLine(figure.label, Cell(shown, "plain" if figure.value is not None else "out"), note)


def _answers(weighing: Weighing) -> Table:
    rows = []
    for name, outcome in weighing.answers.items():
        question = weighing.definition.questions[name]
        asked = weighing.definition.label(question.find)
        text = "the deal pays off" if question.text == "pays_off" else question.text
        said = f"{asked}, so that {text}" if question.aim == "true" else asked
        intervals = outcome.intervals() or [(outcome.told, outcome.reason)]
        for number, (text, notes) in enumerate(intervals):
            remark = "; ".join(filter(None, [said if number == 0 else "", notes]))
            label = question.label if number == 0 else "or"
            rows.append(
                (
                    Cell(label),
                    Cell(text, "question" if outcome.answers or outcome.always else "out"),
                    Cell(remark, "comparison"),
                )
            )
    columns = (Column("Question", words=True), Column("Answer", words=True), Column("What is looked for", words=True))
    return Table("Answers", columns, tuple(rows))

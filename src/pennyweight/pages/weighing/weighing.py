"""The page of a weighing: verdict, goals, figures, answers, tables, turning points, lines, checks and remarks."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from functools import partial
from typing import Any

from pennyweight.analysis.showing import show_figure
from pennyweight.analysis.weighing.asked_lines import Selection, selection
from pennyweight.analysis.weighing.checks import numbers_inside
from pennyweight.analysis.weighing.verdict import Figure
from pennyweight.analysis.weighing.weighing import Weighing
from pennyweight.core import rate_forms
from pennyweight.deals.definition import Definition
from pennyweight.deals.language.names import bind
from pennyweight.deals.language.nodes import Call, Node, walk
from pennyweight.documents import Block, Cell, Checks, Column, Document, FigureLine, Figures, Table, Text, Verdict
from pennyweight.documents.derivation import Why
from pennyweight.documents.handout import Handout
from pennyweight.pages.explaining.trees import tree
from pennyweight.pages.weighing.answers import answers_table, solved_table
from pennyweight.pages.weighing.assumed import assumed
from pennyweight.pages.weighing.charts.deal_charts import weighing_charts
from pennyweight.pages.weighing.goals import goals_table
from pennyweight.pages.weighing.lines_by_period import period_tables
from pennyweight.pages.weighing.own_tables import table_blocks
from pennyweight.pages.weighing.page_one import page_one
from pennyweight.pages.weighing.scenarios import scenario_cases, scenarios_table
from pennyweight.pages.weighing.sheets import weighing_sheets
from pennyweight.pages.weighing.things import things_tables
from pennyweight.pages.weighing.turning_points import nearest_turn, turning_blocks
from pennyweight.pages.weighing.what_if import what_if
from pennyweight.pages.weighing.words import VERDICT_TONES
from pennyweight.quantities.periods import word_for

__all__ = ["document", "handout"]

_MOST_INSIDE = 16
"""So many numbers inside formulas are told on a page."""

_DEPTH = 3
"""How deep the tree of a figure goes."""


def document(weighing: Weighing, *, periods: Selection | None = None) -> Document:
    """The page of one weighing; `periods` adds the lines by period or year."""
    deal = weighing.definition
    blocks: list[Block] = [_verdict(weighing)]
    failing = tuple(check for check in weighing.checks if not check[0])
    if failing:
        blocks.append(Checks(failing))
    if weighing.goals:
        blocks.append(goals_table(weighing))
    figures = [figure for figure in weighing.measures.values() if figure.name not in weighing.goals]
    if figures:
        blocks.append(Figures("Figures", tuple(_figure_line(weighing, figure) for figure in figures)))
    if weighing.solved:
        blocks.append(solved_table(weighing))
    if weighing.answers:
        blocks.append(answers_table(weighing))
    blocks += things_tables(weighing)
    for table in weighing.tables.values():
        blocks += table_blocks(table)
    blocks += turning_blocks(weighing)
    if periods is not None:
        blocks += period_tables(weighing, periods)
    blocks += [Text(check[1], "question") for check in weighing.checks if check.remark]
    blocks.append(Checks(tuple(check for check in weighing.checks if check[0] and not check.remark)))
    if deal.notes:
        blocks.append(_notes(deal))
    inside = numbers_inside(deal)
    if inside:
        if len(inside) > _MOST_INSIDE:
            inside = [*inside[: _MOST_INSIDE - 1], f"and {len(inside) - _MOST_INSIDE + 1} more (--format json has all)"]
        blocks.append(Text(f"Not varied, because they are plain numbers: {', '.join(inside)}.", "comparison"))
    subtitle = " ".join(filter(None, [f"Scenario: {weighing.scenario_label}.", deal.note]))
    return Document(deal.title, tuple(blocks), subtitle, weighing_charts(weighing))


def handout(weighing: Weighing, page: Document) -> Handout:
    """The weighing as it is handed over: what was assumed, and its sheets with the other scenarios beside it."""
    style, first = weighing.definition.style, page_one(weighing, page)
    named = [line.name for line in first.figures if line.name]
    return Handout(
        page,
        sheets=lambda: weighing_sheets(weighing, scenario_cases(weighing)),
        assumed=lambda: assumed(weighing),
        first=first,
        what_if=lambda: what_if(weighing, named),
        whole=lambda: tuple(_whole(weighing, page)),
        currency=style.currency,
        places=style.places,
    )


def _whole(weighing: Weighing, page: Document) -> Iterator[Table]:
    """The lines by year, where the page does not show lines already, and the scenarios side by side."""
    deal = weighing.definition
    if not any(isinstance(block, Table) and block.role == "periods" for block in page.blocks):
        yield from period_tables(weighing, selection(deal, "year"))
    if deal.scenarios:
        yield scenarios_table(weighing)


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
        sentence + nearest_turn(weighing.definition, weighing.turning_points),
        VERDICT_TONES[weighing.verdict],
    )


def _figure_line(weighing: Weighing, figure: Figure) -> FigureLine:
    deal = weighing.definition
    shown = show_figure(deal, figure.name, figure.value)
    note = figure.formula if figure.value is not None else figure.reason
    if figure.value is not None and _paid_monthly(deal.measures[figure.name].node):
        note += ", paid monthly"
    if figure.unit == "rate" and figure.value is not None and deal.timeline.per_year > 1:
        quoted = float(rate_forms.nominal_rate(figure.value, deal.timeline.per_year))
        note += f", effective ({deal.style.show(quoted, 'rate')} {word_for(deal.timeline.per_year)})"
    note = "; ".join(filter(None, [figure.remark, note]))
    return FigureLine(
        figure.label,
        Cell(shown, "plain" if figure.value is not None else "out"),
        note,
        Why(figure.label, partial(tree, {weighing.scenario: weighing}, figure.name, None, _DEPTH)),
        figure.name,
        known=figure.value is not None,
        formula=figure.value is not None,
    )


def _paid_monthly(node: Node) -> bool:
    """Whether a formula has a payment of a loan that does not say how often it is made."""
    calls = [part for part in walk(node) if isinstance(part, Call) and part.function == "loan_payment"]
    return any(bind(call, "")[3] is None for call in calls)

"""Page one of a weighing: the verdict, what fails, the goals, the figures that decide, and what turns the verdict."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace
from functools import partial

from pennyweight.analysis.showing import show_input
from pennyweight.analysis.weighing.weighing import Weighing
from pennyweight.documents import Block, Cell, Checks, Column, Document, FigureLine, Figures, Table, Verdict
from pennyweight.documents.derivation import Why
from pennyweight.documents.handout import PageOne
from pennyweight.pages.weighing.answers import answer_derivation
from pennyweight.pages.weighing.assumed import assumed, likely_range
from pennyweight.pages.weighing.turning_points import distance_of, nearest_first, turn_of

__all__ = ["page_one"]

_FIGURES, _INPUTS = 8, 12
"""So many figures and inputs stand on page one, where the deal does not say which."""


def page_one(weighing: Weighing, page: Document) -> PageOne:
    """Page one of a weighing, whose page is given."""
    lines = {line.name: line for block in page.blocks if isinstance(block, Figures) for line in block.lines}
    return PageOne(tuple(_first_blocks(page)), tuple(_figures(weighing, lines)), _decisive(weighing))


def _first_blocks(page: Document) -> Iterator[Block]:
    """The verdict, the checks that fail, and the goals."""
    for block in page.blocks:
        failing = isinstance(block, Checks) and not any(passed for passed, _ in block.items)
        if isinstance(block, Verdict) or failing or (isinstance(block, Table) and block.role == "goals"):
            yield block


def _figures(weighing: Weighing, lines: dict[str, FigureLine]) -> Iterator[FigureLine]:
    """What the deal names, else the first figures that are no goals: without their formulas, which stand further on."""
    deal = weighing.definition
    names = deal.page_one or [name for name, line in lines.items() if line.known][:_FIGURES]
    for name in names:
        if name in deal.questions:
            outcome = weighing.answers[name]
            label = deal.questions[name].label
            note = outcome.reason or deal.label(deal.questions[name].find)
            yield FigureLine(label, Cell(outcome.told), note, Why(label, partial(answer_derivation, weighing, name)))
        elif name in lines:
            line = lines[name]
            yield replace(line, note="" if line.known else line.note)
        elif name in weighing.goals:  # it stands among the goals above
            continue


def _decisive(weighing: Weighing) -> Table:
    """The inputs nearest to turning the verdict; where none does, the first of all."""
    deal = weighing.definition
    turning = nearest_first(weighing.turning_points)[:_INPUTS]
    if not turning:
        every = assumed(weighing)
        return replace(every, title="What is assumed", rows=every.rows[:_INPUTS])
    rows = tuple(
        (
            Cell(deal.label(point.input)),
            Cell(show_input(deal, deal.inputs[point.input], weighing.inputs[point.input])),
            Cell(likely_range(deal, deal.inputs[point.input]), "comparison"),
            Cell(turn_of(deal, point), "question"),
            Cell(distance_of(deal, point, words=True)),
        )
        for point in turning
    )
    columns = (
        Column("What is assumed", words=True),
        Column("Value"),
        Column("Likely", words=True),
        Column("Turns the verdict at", words=True),
        Column("Distance"),
    )
    return Table("Assumptions nearest to turning the verdict", columns, rows)

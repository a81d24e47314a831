"""The page of what was found: a line a scenario and answer, and the curve of what was asked."""

from __future__ import annotations

from functools import partial

from pennyweight.analysis.finding.found import Asked, Found
from pennyweight.analysis.searching.outcome import Answers
from pennyweight.deals.inputs import input_named
from pennyweight.documents import Cell, Column, Document, Row, Table, Text
from pennyweight.documents.derivation import Derivation, Why
from pennyweight.pages.explaining.figures_beside import beside, figures_at
from pennyweight.pages.finding.curve import curves
from pennyweight.pages.weighing.answers import aim_of, watched

__all__ = ["document"]


def document(found: Found) -> Document:
    """One line a scenario and answer."""
    rows = []
    for name, outcome in found.answers.items():
        title = found.labels.get(name, name)
        why = None if found.search is None else Why(title, partial(_explained, found.search, name, outcome))
        if not outcome.answers:
            told = Cell(outcome.told, "question" if outcome.always else "out")
            rows.append(Row((Cell(title), told, Cell(outcome.reason)), why))
        for text, notes in outcome.intervals():
            rows.append(Row((Cell(title), Cell(text, "question"), Cell(notes)), why))
    moved = ", as a multiple of its series" if found.by_scale else ", all by so many months" if found.by_months else ""
    columns = (Column("Scenario", words=True), Column(found.input), Column("Remark", words=True))
    table = Table(f"{found.label}{moved}, so that {found.so_that}", columns, tuple(rows))
    searched = Text(f"Searched between {found.looked_shown}.", "comparison")
    return Document(found.title, (table, searched), "", curves(found))


def _explained(asked: Asked, scenario: str, outcome: Answers) -> Derivation:
    """What was asked at the answers of a scenario, and just beside them; without one at the value as it stands."""
    model, question, case = asked.model, asked.question, asked.cases[scenario]
    item = input_named(model.definition, question.find)
    names, bound = watched(model.definition, question)
    standing = model.standing(case, item.name)
    parts: dict[str, Derivation] = {}
    for value in [answer.value for answer in outcome.answers] or [standing] if names else ():
        parts |= figures_at(model, case, item, beside(item, value), names, bound)
    formula = f"looked for so that {aim_of(question)}"
    if outcome.reason:
        formula = f"{formula}; {outcome.reason}"
    return Derivation(outcome.told, formula, "", parts)

"""The answers of a weighing as a table, and what is asked at each and just beside it."""

from __future__ import annotations

from functools import partial

from pennyweight.analysis.weighing.weighing import Weighing
from pennyweight.deals.definition import Definition
from pennyweight.deals.language.nodes import Name, names_in
from pennyweight.deals.parts import Question
from pennyweight.documents import Cell, Column, Row, Table
from pennyweight.documents.derivation import Derivation, Why
from pennyweight.pages.explaining.figures_beside import beside, figures_at

__all__ = ["aim_of", "answers_table", "watched"]


def answers_table(weighing: Weighing) -> Table:
    """Each question with its answers, and what is looked for."""
    rows = []
    for name, outcome in weighing.answers.items():
        question = weighing.definition.questions[name]
        asked = weighing.definition.label(question.find)
        text = question.asked
        said = f"{asked}, so that {text}" if question.aim == "true" else asked
        intervals = outcome.intervals() or [(outcome.told, outcome.reason)]
        for number, (text, notes) in enumerate(intervals):
            remark = "; ".join(filter(None, [said if number == 0 else "", notes]))
            label = question.label if number == 0 else "or"
            cells = (
                Cell(label),
                Cell(text, "question" if outcome.answers or outcome.always else "out"),
                Cell(remark, "comparison"),
            )
            why = Why(question.label, partial(_answer, weighing, name)) if number == 0 else None
            rows.append(Row(cells, why))
    columns = (Column("Question", words=True), Column("Answer", words=True), Column("What is looked for", words=True))
    return Table("Answers", columns, tuple(rows))


def _answer(weighing: Weighing, name: str) -> Derivation:
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
    return Derivation(outcome.told, formula, "", parts)


def aim_of(question: Question) -> str:
    """What a question asks for, in words."""
    if question.aim != "true":
        return f"{question.text} is {'largest' if question.aim == 'most' else 'smallest'}"
    return question.asked


def watched(deal: Definition, question: Question) -> tuple[list[str], str]:
    """The single figures that a question reads, and what is asked of them; of "pays off" the goals, each by its own."""
    node = question.so_that
    if node is None or node == Name("pays_off"):
        return list(deal.goals), ""
    names = [name for name in names_in(node) if name in deal.measures or name in deal.values]
    return names, f"asked: {aim_of(question)}"

"""The answers of a weighing as a table, and what is asked at each and just beside it."""

from __future__ import annotations

from dataclasses import replace
from functools import partial

from pennyweight.analysis.weighing.weighing import Weighing
from pennyweight.deals.definition import Definition
from pennyweight.deals.language.nodes import Name, names_in
from pennyweight.deals.parts import Question
from pennyweight.documents import Cell, Column, Row, Table
from pennyweight.documents.derivation import Derivation, Why
from pennyweight.pages.explaining.figures_beside import beside, figures_at
from pennyweight.pages.explaining.trees import tree

__all__ = ["aim_of", "answer_derivation", "answers_table", "solved_table", "watched"]


def answers_table(weighing: Weighing) -> Table:
    """Each question with its answers, and what is looked for."""
    rows: list[Row] = []
    for name, outcome in weighing.answers.items():
        question = weighing.definition.questions[name]
        said = f"{weighing.definition.label(question.find)}, so that {aim_of(question)}"
        intervals = outcome.intervals() or [(outcome.told, outcome.reason)]
        for number, (text, notes) in enumerate(intervals):
            label = question.label if number == 0 else "or"
            cells = (
                Cell(label),
                Cell(text, "question" if outcome.answers or outcome.always else "out"),
                Cell(notes, "comparison"),
                Cell(said if number == 0 else "", "comparison"),
            )
            why = Why(question.label, partial(answer_derivation, weighing, name)) if number == 0 else None
            rows.append(Row(cells, why))
    columns = [Column(title, words=True) for title in ("Question", "Answer", "Remark", "What is looked for")]
    columns[-1] = replace(columns[-1], on_screen=False)
    if not any(row[2].text for row in rows):
        columns, rows = [columns[k] for k in (0, 1, 3)], [Row((row[0], row[1], row[3]), row.why) for row in rows]
    return Table("Answers", tuple(columns), tuple(rows))


def solved_table(weighing: Weighing) -> Table:
    """What the deal finds itself: the value of each input that it solves, and by which condition."""
    rows = []
    for name, outcome in weighing.solved.items():
        question = weighing.definition.solved[name]
        single = outcome.answers[0] if len(outcome.answers) == 1 else None
        shown = outcome.told if single is None else single.shown
        remark = outcome.reason if single is None else single.note
        remark = remark or ("say with 'pick' which is meant" if len(outcome.answers) > 1 else "")
        asked = question.text + (f", the {question.pick}" if question.pick else "")
        cells = (
            Cell(question.label),
            Cell(shown, "question" if single else "out"),
            Cell(remark, "comparison"),
            Cell(asked),
        )
        rows.append(Row(cells, Why(question.label, partial(tree, {weighing.scenario: weighing}, name, None, 2))))
    columns = [Column(title, words=True) for title in ("What the deal solves", "Found", "Remark", "So that")]
    if not any(row[2].text for row in rows):
        columns, rows = [columns[k] for k in (0, 1, 3)], [Row((row[0], row[1], row[3]), row.why) for row in rows]
    return Table("Solved", tuple(columns), tuple(rows))


def answer_derivation(weighing: Weighing, name: str) -> Derivation:
    """What is asked of a question, at its answers and just beside them."""
    deal, outcome = weighing.definition, weighing.answers[name]
    question = deal.questions[name]
    item = deal.varied(question.find)
    assert item is not None
    names, asked = watched(deal, question)
    parts: dict[str, Derivation] = {}
    values = [answer.value for answer in outcome.answers]
    if not values:
        values = [weighing.model.standing(weighing.case, item.name)]
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

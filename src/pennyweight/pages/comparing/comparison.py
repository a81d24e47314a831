"""The page of a comparison: what differs, figures, answers, tables and goals, a column a scenario or deal."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from functools import partial
from typing import Any

import numpy as np

from pennyweight.analysis.comparing.comparison import Comparison
from pennyweight.analysis.explaining.why import why
from pennyweight.analysis.showing import headed, show_base, show_figure, show_input
from pennyweight.analysis.weighing.verdict import PAYS_OFF
from pennyweight.analysis.weighing.weighing import Weighing
from pennyweight.documents import Block, Cell, Checks, Column, Document, Row, Table, Text, Verdict
from pennyweight.documents.derivation import Derivation, Why, bracketed
from pennyweight.documents.handout import Handout, Sheet, SheetColumn, sheets_of
from pennyweight.pages.comparing.charts import comparison_charts
from pennyweight.pages.comparing.own_tables import compared_tables
from pennyweight.pages.comparing.weighted import weighted_blocks
from pennyweight.pages.explaining.trees import derivation_of, tree
from pennyweight.pages.weighing.goals import spare_of
from pennyweight.pages.weighing.words import GOAL_LEGEND, STATE_MARKS, STATE_TONES, VERDICT_TONES, toned

__all__ = ["document", "handout"]

_BEST = "▲ the best and ▼ the worst of a figure with a goal, ↑ the highest and ↓ the lowest of another."
_DEPTH = 2


def document(comparison: Comparison, *, tables: bool = False) -> Document:
    """The page of a comparison, a column each; `tables` shows the tables of the deals on a screen, too."""
    weighings = list(comparison.weighings.values())
    columns = (Column("", words=True), *(Column(name) for name in comparison.weighings))
    comparison.work_out()
    names_of = "; ".join(f"{name}: {label}" for name, label in comparison.labels.items())
    blocks: list[Block] = [_verdict(comparison), Text(f"{names_of}.", "comparison")]
    failing = tuple((False, f"{name}: {said}") for name, one in comparison.weighings.items() for said in _failing(one))
    if failing:
        blocks.append(Checks(failing))
    blocks.append(_goal_table(comparison, columns))
    inputs = tuple(
        Row(
            (_label(weighings, name), *(_input_cell(weighing, name, weighings[0]) for weighing in weighings)),
            _why(weighings, name, partial(_inputs, comparison, name)),
        )
        for name in comparison.differing
    )
    if inputs:
        series = any(
            isinstance(weighing.given(name), np.ndarray) and not weighing.definition.inputs[name].of
            for name in comparison.differing
            for weighing in weighings
        )
        blocks.append(
            Table("Inputs that differ", columns, inputs, "A series is shown by its average." if series else "")
        )
    blocks += weighted_blocks(comparison)
    names = dict.fromkeys(name for weighing in weighings for name in weighing.measures)
    rows = tuple(
        Row(
            (_label(weighings, name), *_figure_cells(weighings, name)),
            _why(weighings, name, partial(_figure, comparison, name)),
        )
        for name in names
    )
    blocks.append(Table("Figures", columns, rows, _BEST if len(weighings) > 1 and rows else ""))
    if comparison.against is not None:
        blocks.append(_differences(comparison, list(names)))
    questions: dict[str, str] = {}
    for weighing in weighings:
        for name, question in weighing.definition.questions.items():
            questions.setdefault(name, question.label)
    if questions:
        answers = tuple(
            Row(
                (Cell(label), *(_answer_cell(weighing, name) for weighing in weighings)),
                Why(label, partial(_answers, comparison, name)),
            )
            for name, label in questions.items()
        )
        blocks.append(Table("Answers", columns, answers))
    of_deals = compared_tables(comparison)
    if tables or not of_deals:
        blocks += of_deals
    else:
        blocks += [replace(block, on_screen=0) for block in of_deals]
        blocks.append(
            Text(f"{len(of_deals)} tables of the deal are in reports; --tables shows them here.", "comparison")
        )
    return Document(comparison.title, tuple(blocks), "", comparison_charts(comparison))


def _goal_table(comparison: Comparison, columns: tuple[Column, ...]) -> Table:
    """The verdicts, and what each goal has to spare."""
    weighings = list(comparison.weighings.values())
    goals = dict.fromkeys(name for weighing in weighings for name in weighing.goals)
    goal_rows = [
        Row(
            (_label(weighings, name), *(_goal_cell(weighing, name) for weighing in weighings)),
            _why(weighings, name, partial(_goals, comparison, name)),
        )
        for name in goals
    ]
    words = (Cell(weighing.verdict, VERDICT_TONES[weighing.verdict]) for weighing in weighings)
    goal_rows.append(Row((Cell("Verdict"), *words), Why("Verdict", partial(_verdicts, comparison))))
    return Table("Goals", columns, tuple(goal_rows), GOAL_LEGEND)


def _failing(weighing: Weighing) -> list[str]:
    return [sentence for passed, sentence in weighing.checks if not passed]


def handout(comparison: Comparison, page: Document) -> Handout:
    """The comparison as it is handed over; in its workbook each figure has the format of its unit."""
    deal = next(iter(comparison.weighings.values())).definition

    def sheets() -> tuple[Sheet, ...]:
        (sheet,) = sheets_of({"comparison": comparison._for_csv()})
        columns = tuple(SheetColumn(column.title) for column in sheet.columns)
        width = range(1, len(columns))
        units = tuple(dict.fromkeys(width, "text" if row[0] == "verdict" else deal.unit(row[0])) for row in sheet.rows)
        return (Sheet("Comparison", columns, sheet.rows, units),)

    return Handout(page, sheets, currency=deal.style.currency, places=deal.style.places)


def _verdict(comparison: Comparison) -> Verdict:
    verdicts = {name: weighing.verdict for name, weighing in comparison.weighings.items()}
    pays = [comparison.labels.get(name, name) for name, verdict in verdicts.items() if verdict == PAYS_OFF]
    if not pays:
        return Verdict("NONE PAYS OFF", f"{len(verdicts)} weighed.", "out")
    word = "ALL PAY OFF" if len(pays) == len(verdicts) else f"{len(pays)} OF {len(verdicts)} PAY OFF"
    return Verdict(word, f"{'; '.join(pays)}.", "in" if len(pays) == len(verdicts) else "question")


def _is_series(weighing: Weighing, name: str) -> bool:
    """Whether an input has a value a period, of which the average is shown."""
    return isinstance(weighing.given(name), np.ndarray) and not weighing.definition.inputs[name].of


def _heading(weighings: Sequence[Weighing], name: str) -> str:
    """What an input, a figure or a goal is called, with its unit: as the first that has it calls it."""
    owner = next(one for one in weighings if one.given(name) is not None or name in one.measures or name in one.goals)
    return headed(owner.definition, name)


def _label(weighings: Sequence[Weighing], name: str) -> Cell:
    return Cell(_heading(weighings, name))


def _why(weighings: Sequence[Weighing], name: str, make: partial[Any]) -> Why:
    return Why(_heading(weighings, name), make)


def _input_cell(weighing: Weighing, name: str, first: Weighing) -> Cell:
    value, was = weighing.given(name), first.given(name)
    if value is None:
        return Cell("-", "comparison")
    item = weighing.definition.inputs[name]
    if item.is_column:
        shown = show_input(weighing.definition, item, value)
    elif isinstance(value, np.ndarray):
        shown = weighing.definition.style.show(float(np.nanmean(value)), item.unit)
    else:
        shown = show_base(weighing.definition, item, value)
    same = was is not None and np.array_equal(np.asarray(value), np.asarray(was), equal_nan=True)
    return Cell(shown, "comparison" if same and weighing is not first else "plain")


def _figure_cells(weighings: Sequence[Weighing], name: str) -> list[Cell]:
    """A figure of each, the best and the worst marked where they differ."""
    values = [weighing.measures[name].value if name in weighing.measures else None for weighing in weighings]
    known = [value for value in values if value is not None]
    goal = next((weighing.goals[name] for weighing in weighings if name in weighing.goals), None)
    high, low = ("▲", "▼") if goal is not None else ("↑", "↓")
    if goal is not None and goal.side == "at_most":
        high, low = low, high
    cells = []
    for weighing, value in zip(weighings, values, strict=True):
        if name not in weighing.measures:
            cells.append(Cell("-", "comparison"))
            continue
        shown = show_figure(weighing.definition, name, value, unit=False)
        mark = ""
        if value is not None and len(known) > 1 and max(known) - min(known) > 1e-9 * max(map(abs, known)):
            mark = high if value == max(known) else low if value == min(known) else ""
        cells.append(Cell(f"{mark} {shown}" if mark else shown))
    return cells


def _differences(comparison: Comparison, names: list[str]) -> Table:
    against = comparison.against or ""
    weighings = list(comparison.weighings.values())
    others = {name: weighing for name, weighing in comparison.weighings.items() if name != against}
    columns = (Column("", words=True), *(Column(name) for name in others))
    rows = []
    for name in names:
        cells = []
        for key, weighing in others.items():
            difference = comparison.differences[key].get(name)
            shown = "-" if not difference else show_figure(weighing.definition, name, difference, unit=False, sign=True)
            cells.append(Cell(shown, toned(weighing.definition, name, difference) if difference else "comparison"))
        rows.append(
            Row((_label(weighings, name), *cells), _why(weighings, name, partial(_difference, comparison, name)))
        )
    return Table(f"Differences to {against}", columns, tuple(rows))


def _answer_cell(weighing: Weighing, name: str) -> Cell:
    if name not in weighing.definition.questions:
        return Cell("-", "comparison")
    outcome = weighing.answers[name]
    return Cell(outcome.told, "question" if outcome.answers or outcome.always else "out")


def _goal_cell(weighing: Weighing, name: str) -> Cell:
    if name not in weighing.goals:
        return Cell("-", "comparison")
    goal = weighing.goals[name]
    by = "" if goal.slack is None else f" {weighing.definition.style.show(goal.slack, goal.unit, sign=True)}"
    return Cell(STATE_MARKS[goal.state] + by, STATE_TONES[goal.state])


def _inputs(comparison: Comparison, name: str) -> dict[str, Derivation]:
    """An input in each case."""
    return {case: _input(weighing, name) for case, weighing in comparison.weighings.items()}


def _answers(comparison: Comparison, name: str) -> dict[str, Derivation]:
    """The answers to a question in each case that asks it."""
    found = {}
    for case, weighing in comparison.weighings.items():
        deal = weighing.definition
        if name in deal.questions:
            question, outcome = deal.questions[name], weighing.answers[name]
            looked = f"looked for over {deal.label(question.find)}, so that {question.text}"
            found[case] = Derivation(outcome.told, outcome.reason or looked)
    return found


def _goals(comparison: Comparison, name: str) -> dict[str, Derivation]:
    """A goal in each case that has it: what is asked, and what is to spare."""
    told: dict[str, Derivation] = {}
    for case, weighing in comparison.weighings.items():
        if name in weighing.goals:
            told |= {f"{label}, {case}": one for label, one in spare_of(weighing, weighing.goals[name]).items()}
    return told


def _verdicts(comparison: Comparison) -> dict[str, Derivation]:
    return {
        case: Derivation(
            weighing.verdict,
            "; ".join(f"{goal.label} {goal.state}" for goal in weighing.goals.values()) or "it sets no goals",
        )
        for case, weighing in comparison.weighings.items()
    }


def _input(weighing: Weighing, name: str) -> Derivation:
    deal, value = weighing.definition, weighing.given(name)
    if value is None:
        return Derivation("-", "this deal has no such input")
    item = deal.inputs[name]
    if item.is_column:
        return Derivation(show_input(deal, item, value), "the values of its things")
    if isinstance(value, np.ndarray):
        return Derivation(deal.style.show(float(np.nanmean(value)), item.unit), "the average of its values")
    # What is given beside the file is the same in all cases, so what differs is the scenario's or the file's.
    same = not isinstance(item.value, np.ndarray) and value == item.value
    how = "given, as the file has it" if same else f"set by the scenario {weighing.scenario_label}"
    return Derivation(show_base(deal, item, value), how)


def _figure(comparison: Comparison, name: str) -> Table | dict[str, Derivation]:
    """One tree with a column a scenario; of whole deals, whose formulas differ, a tree each."""
    having = {case: weighing for case, weighing in comparison.weighings.items() if name in weighing.measures}
    models = {id(weighing.model) for weighing in having.values()}
    if len(models) > 1:
        return {
            case: derivation_of(why({case: weighing}, name, None, _DEPTH).reason) for case, weighing in having.items()
        }
    found = tree(having, name, None, _DEPTH)
    # The formulas beside the names, so that they stay in sight however many cases there are; places are left out.
    columns = (found.columns[0], found.columns[-2], *found.columns[1:-2])
    rows = tuple((row[0], row[-2], *row[1:-2]) for row in found.rows)
    note = f"The numbers in the formulas are those of {next(iter(having))}."
    return Table(_heading(list(having.values()), name), columns, rows, note)


def _difference(comparison: Comparison, name: str) -> dict[str, Derivation]:
    against = comparison.against or ""
    base = comparison.weighings[against].measures.get(name)
    told = {}
    for case, weighing in comparison.weighings.items():
        if case == against or name not in weighing.measures:
            continue
        value = weighing.measures[name].value
        if value is None or base is None or base.value is None:
            told[case] = Derivation("-", "the figure is undefined in one of both")
            continue
        deal = weighing.definition
        shown, of = (show_figure(deal, name, one, unit=False) for one in (value, base.value))
        difference = show_figure(deal, name, value - base.value, unit=False, sign=True)
        told[case] = Derivation(difference, f"its figure - that of {against}", f"{shown} - {bracketed(of)}")
    return told

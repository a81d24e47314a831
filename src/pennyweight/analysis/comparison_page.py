"""How a comparison describes itself, as a document."""

from __future__ import annotations

from typing import TYPE_CHECKING, TypeAlias

import numpy as np
from numpy.typing import NDArray

from pennyweight.documents import (
    Block,
    Cell,
    Column,
    Document,
    Table,
    Verdict,
)
from pennyweight.documents.model import Tone

if TYPE_CHECKING:
    from pennyweight.analysis.comparison import Comparison
    from pennyweight.analysis.weighing import Weighing

__all__ = ["comparison_page"]

Floats: TypeAlias = NDArray[np.float64]

_TONES: dict[str, Tone] = {"pays off": "in", "nearly": "question", "falls short": "out", "no goals": "comparison"}
_STATES: dict[str, Tone] = {"met": "in", "nearly": "question", "missed": "out"}
_MARKS = {"met": "✓", "nearly": "≈", "missed": "✗"}
_LEGEND = "✓ met, ≈ nearly, ✗ missed; the figure shows how much is to spare, or how much is missing."


def comparison_page(comparison: Comparison) -> Document:
    """The page of a comparison: a column each."""
    names = list(comparison.weighings)
    weighings = [comparison.weighings[name] for name in names]
    columns = (Column("", words=True), *(Column(name) for name in names))
    blocks: list[Block] = [_compared_verdict(comparison)]
    inputs = tuple(
        (
            Cell(_label(weighings, name)),
            *(_input_cell(weighing, name, weighings[0]) for weighing in weighings),
        )
        for name in comparison.differing
    )
    if inputs:
        series = any(
            isinstance(weighing.inputs.get(name), np.ndarray) for name in comparison.differing for weighing in weighings
        )
        note = "A series is shown by its average." if series else ""
        blocks.append(Table("Inputs that differ", columns, inputs, note))
    figures = dict.fromkeys(name for weighing in weighings for name in weighing.measures)
    rows = tuple(
        (Cell(_figure_label(weighings, name)), *(_figure_cell(weighing, name) for weighing in weighings))
        for name in figures
    )
    blocks.append(Table("Figures", columns, rows))
    goals = dict.fromkeys(name for weighing in weighings for name in weighing.goals)
    goal_rows = [
        (Cell(_figure_label(weighings, name)), *(_goal_cell(weighing, name) for weighing in weighings))
        for name in goals
    ]
    goal_rows.append((Cell("Verdict"), *(Cell(weighing.verdict, _TONES[weighing.verdict]) for weighing in weighings)))
    blocks.append(Table("Goals", columns, tuple(goal_rows), _LEGEND))
    names_of = "; ".join(f"{name}: {label}" for name, label in comparison.labels.items())
    return Document(comparison.title, tuple(blocks), names_of)


def _compared_verdict(comparison: Comparison) -> Verdict:
    verdicts = {name: weighing.verdict for name, weighing in comparison.weighings.items()}
    pays = [name for name, verdict in verdicts.items() if verdict == "pays off"]
    if not pays:
        return Verdict("NONE PAYS OFF", f"{len(verdicts)} weighed.", "out")
    word = "ALL PAY OFF" if len(pays) == len(verdicts) else f"{len(pays)} OF {len(verdicts)} PAY OFF"
    return Verdict(word, ", ".join(pays) + ".", "in" if len(pays) == len(verdicts) else "question")


def _label(weighings: list[Weighing], name: str) -> str:
    owner = next(weighing for weighing in weighings if name in weighing.inputs)
    unit = owner.definition.unit(name)
    label = owner.definition.label(name)
    return owner.definition.style.headed(label, "money") if unit == "money" else label


def _figure_label(weighings: list[Weighing], name: str) -> str:
    owner = next(weighing for weighing in weighings if name in weighing.measures)
    figure, currency = owner.measures[name], owner.definition.style.currency
    suffix = {"money": currency, "years": "years"}.get(figure.unit, "")
    return figure.label + (f", {suffix}" if suffix else "")


def _input_cell(weighing: Weighing, name: str, first: Weighing) -> Cell:
    if name not in weighing.inputs:
        return Cell("-", "comparison")
    value = weighing.inputs[name]
    number = float(np.nanmean(value)) if isinstance(value, np.ndarray) else value
    shown = weighing.definition.style.show(number, weighing.definition.unit(name))
    same = name in first.inputs and np.array_equal(np.asarray(value), np.asarray(first.inputs[name]), equal_nan=True)
    return Cell(shown, "comparison" if same and weighing is not first else "plain")


def _figure_cell(weighing: Weighing, name: str) -> Cell:
    if name not in weighing.measures:
        return Cell("-", "comparison")
    figure = weighing.measures[name]
    return Cell(weighing.definition.style.show(figure.value, figure.unit))


def _goal_cell(weighing: Weighing, name: str) -> Cell:
    if name not in weighing.goals:
        return Cell("-", "comparison")
    goal = weighing.goals[name]
    by = "" if goal.slack is None else f" {weighing.definition.style.show(goal.slack, goal.unit, sign=True)}"
    return Cell(_MARKS[goal.state] + by, _STATES[goal.state])

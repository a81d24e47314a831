"""How a comparison describes itself, as a document."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import TYPE_CHECKING, TypeAlias

import numpy as np
from numpy.typing import NDArray

from pennyweight.analysis.showing import headed, show_base, show_figure
from pennyweight.documents import Block, Cell, Chart, Column, Document, LinesChart, Table, Verdict
from pennyweight.documents.model import Tone
from pennyweight.pages.weighing.own_tables import axis_value, table_blocks

if TYPE_CHECKING:
    from pennyweight.analysis.comparing.comparison import Comparison
    from pennyweight.analysis.weighing.weighing import Weighing

__all__ = ["comparison_page"]

Floats: TypeAlias = NDArray[np.float64]

_TONES: dict[str, Tone] = {"pays off": "in", "nearly": "question", "falls short": "out", "no goals": "comparison"}
_STATES: dict[str, Tone] = {"met": "in", "nearly": "question", "missed": "out"}
_MARKS = {"met": "✓", "nearly": "≈", "missed": "✗"}
_LEGEND = "✓ met, ≈ nearly, ✗ missed; the figure shows how much is to spare, or how much is missing."
_BEST = "▲ the best and ▼ the worst of a figure with a goal, ↑ the highest and ↓ the lowest of another."
_MOST_LINES = 8


def comparison_page(comparison: Comparison) -> Document:
    """The page of a comparison: a column each."""
    weighings = list(comparison.weighings.values())
    columns = (Column("", words=True), *(Column(name) for name in comparison.weighings))
    blocks: list[Block] = [_verdict(comparison)]
    inputs = tuple(
        (_label(weighings, name, "inputs"), *(_input_cell(weighing, name, weighings[0]) for weighing in weighings))
        for name in comparison.differing
    )
    if inputs:
        series = any(
            isinstance(weighing.inputs.get(name), np.ndarray) for name in comparison.differing for weighing in weighings
        )
        blocks.append(
            Table("Inputs that differ", columns, inputs, "A series is shown by its average." if series else "")
        )
    names = dict.fromkeys(name for weighing in weighings for name in weighing.measures)
    rows = tuple((_label(weighings, name, "measures"), *_figure_cells(weighings, name)) for name in names)
    blocks.append(Table("Figures", columns, rows, _BEST if len(weighings) > 1 and rows else ""))
    if comparison.against is not None:
        blocks.append(_differences(comparison, list(names)))
    questions = dict.fromkeys(name for weighing in weighings for name in weighing.definition.questions)
    if questions:
        answers = tuple(
            (_question_label(weighings, name), *(_answer_cell(weighing, name) for weighing in weighings))
            for name in questions
        )
        blocks.append(Table("Answers", columns, answers))
    blocks += _tables(comparison)
    goals = dict.fromkeys(name for weighing in weighings for name in weighing.goals)
    goal_rows = [
        (_label(weighings, name, "goals"), *(_goal_cell(weighing, name) for weighing in weighings)) for name in goals
    ]
    goal_rows.append((Cell("Verdict"), *(Cell(weighing.verdict, _TONES[weighing.verdict]) for weighing in weighings)))
    blocks.append(Table("Goals", columns, tuple(goal_rows), _LEGEND))
    names_of = "; ".join(f"{name}: {label}" for name, label in comparison.labels.items())
    return Document(comparison.title, tuple(blocks), names_of, _charts(comparison))


def _verdict(comparison: Comparison) -> Verdict:
    verdicts = {name: weighing.verdict for name, weighing in comparison.weighings.items()}
    pays = [comparison.labels.get(name, name) for name, verdict in verdicts.items() if verdict == "pays off"]
    if not pays:
        return Verdict("NONE PAYS OFF", f"{len(verdicts)} weighed.", "out")
    word = "ALL PAY OFF" if len(pays) == len(verdicts) else f"{len(pays)} OF {len(verdicts)} PAY OFF"
    return Verdict(word, f"{'; '.join(pays)}.", "in" if len(pays) == len(verdicts) else "question")


def _owner(weighings: Sequence[Weighing], has: Callable[[Weighing], bool]) -> Weighing:
    return next(weighing for weighing in weighings if has(weighing))


def _label(weighings: Sequence[Weighing], name: str, kind: str) -> Cell:
    owner = _owner(weighings, lambda weighing: name in getattr(weighing, kind))
    return Cell(headed(owner.definition, name))


def _question_label(weighings: Sequence[Weighing], name: str) -> Cell:
    owner = _owner(weighings, lambda weighing: name in weighing.definition.questions)
    return Cell(owner.definition.questions[name].label)


def _input_cell(weighing: Weighing, name: str, first: Weighing) -> Cell:
    if name not in weighing.inputs:
        return Cell("-", "comparison")
    value, item = weighing.inputs[name], weighing.definition.inputs[name]
    if isinstance(value, np.ndarray):
        shown = weighing.definition.style.show(float(np.nanmean(value)), item.unit)
    else:
        shown = show_base(weighing.definition, item, value)
    same = name in first.inputs and np.array_equal(np.asarray(value), np.asarray(first.inputs[name]), equal_nan=True)
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
            shown = "-" if not difference else show_figure(
                weighing.definition, name, difference, unit=False, sign=True
            )  # fmt: skip
            cells.append(Cell(shown, "comparison" if not difference else "in" if difference > 0 else "out"))
        rows.append((_label(weighings, name, "measures"), *cells))
    return Table(f"Differences to {against}", columns, tuple(rows))


def _answer_cell(weighing: Weighing, name: str) -> Cell:
    if name not in weighing.definition.questions:
        return Cell("-", "comparison")
    outcome = weighing.answers[name]
    return Cell(outcome.told, "question" if outcome.answers or outcome.always else "out")


def _tables(comparison: Comparison) -> list[Block]:
    """The deal's tables: a column of each scenario beside the others, two-way tables below one another."""
    blocks: list[Block] = []
    names = dict.fromkeys(name for weighing in comparison.weighings.values() for name in weighing.definition.tables)
    for name in names:
        having = {key: one for key, one in comparison.weighings.items() if name in one.definition.tables}
        first = next(iter(having.values())).tables[name]
        alike = all(
            len(one.tables[name].table.axes) == 1
            and list(one.tables[name].columns) == list(first.columns)
            and np.array_equal(one.tables[name].table.axes[0].values, first.table.axes[0].values)
            for one in having.values()
        )
        if not alike:
            for key, one in having.items():
                blocks += [
                    Table(f"{block.title} ({key})", block.columns, block.rows, block.note)
                    for block in table_blocks(one.tables[name])
                    if isinstance(block, Table)
                ]
            continue
        axis = first.table.axes[0]
        for column, single in first.table.columns.items():
            heads = (Column(headed(first.definition, axis.key, axis.label)), *(Column(key) for key in having))
            rows = []
            for k, value in enumerate(axis.values.tolist()):
                cells = [Cell(axis_value(first, axis, value), "question")]
                for one in having.values():
                    figure = float(one.tables[name].columns[column][k])
                    cells.append(Cell(first.shown(column, figure) if np.isfinite(figure) else "undefined"))
                rows.append(tuple(cells))
            title = f"{first.label}: {headed(first.definition, single.name, single.label)}"
            blocks.append(Table(title, heads, tuple(rows)))
    return blocks


def _goal_cell(weighing: Weighing, name: str) -> Cell:
    if name not in weighing.goals:
        return Cell("-", "comparison")
    goal = weighing.goals[name]
    by = "" if goal.slack is None else f" {weighing.definition.style.show(goal.slack, goal.unit, sign=True)}"
    return Cell(_MARKS[goal.state] + by, _STATES[goal.state])


def _charts(comparison: Comparison) -> tuple[Chart, ...]:
    """Running totals of net, and the first figure of each."""
    weighings = dict(list(comparison.weighings.items())[:_MOST_LINES])
    first = next(iter(weighings.values()))
    style = first.definition.style
    charts: list[Chart] = []
    totals = {name: np.cumsum(weighing.line("net")) for name, weighing in weighings.items()}
    spans = {weighing.definition.timeline.rows for weighing in weighings.values()}
    alike = {weighing.definition.timeline.per_year for weighing in weighings.values()}
    if len(spans) == len(alike) == 1 and any(total.any() for total in totals.values()):
        best = max(totals, key=lambda name: float(np.nan_to_num(totals[name][-1], nan=-np.inf)))
        ahead = comparison.labels.get(best, best)
        title = f"{ahead[:1].upper()}{ahead[1:]} ends highest: {style.with_unit(float(totals[best][-1]), 'money')}"
        lines = tuple((comparison.labels.get(name, name), total) for name, total in totals.items())
        money = f"{style.currency}, running total of net".strip(", ")
        charts.append(
            LinesChart("totals", title, first.definition.timeline.years, lines, "Years from the start", money)
        )
    name = next(iter(first.goals), next(iter(first.measures), ""))
    values = [weighing.measures[name].value if name in weighing.measures else None for weighing in weighings.values()]
    if any(value is not None for value in values):
        figures = np.array([np.nan if value is None else value for value in values])
        unit = first.definition.unit(name)
        best_at = int(np.nanargmax(figures))
        words = tuple(comparison.labels.get(key, key) for key in weighings)
        shown = show_figure(first.definition, name, float(figures[best_at]))
        bound = first.goals[name].bound if name in first.goals else None
        targets = () if bound is None else ((f"asked {style.show(bound, unit)}", bound),)
        y_title = {"money": style.currency, "share": "", "rate": "a year"}.get(unit, "" if unit == "number" else unit)
        charts.append(
            LinesChart(
                "figures", f"{first.definition.label(name)}: {words[best_at]} has the most, {shown}", np.empty(0),
                ((first.definition.label(name), figures),), "", y_title, "bars", targets, x_words=words,
                percent=unit in ("share", "rate"),
            )
        )  # fmt: skip
    return tuple(charts)

"""How a weighing describes itself, as a document."""

from __future__ import annotations

from typing import TYPE_CHECKING, TypeAlias

import numpy as np
from numpy.typing import NDArray

from pennyweight.analysis.checks import numbers_inside
from pennyweight.core import rates
from pennyweight.deals.definition import Definition
from pennyweight.documents import (
    Block,
    Cell,
    Chart,
    Checks,
    Column,
    Document,
    FigureLine,
    Figures,
    Table,
    Text,
    Verdict,
)
from pennyweight.documents.charts import flows_chart, rate_chart
from pennyweight.documents.model import Tone
from pennyweight.errors import InputError

if TYPE_CHECKING:
    from pennyweight.analysis.turning import TurningPoint
    from pennyweight.analysis.weighing import Figure, GoalResult, Weighing

__all__ = ["weighing_page"]

Floats: TypeAlias = NDArray[np.float64]

_TONES: dict[str, Tone] = {"pays off": "in", "nearly": "question", "falls short": "out", "no goals": "comparison"}
_STATES: dict[str, Tone] = {"met": "in", "nearly": "question", "missed": "out"}
_COLUMNS_A_BLOCK = 6


def weighing_page(weighing: Weighing, *, by: str | None = None) -> Document:
    """The page of one weighing."""
    deal = weighing.definition
    blocks: list[Block] = [_verdict(weighing)]
    if weighing.goals:
        blocks.append(_goals_table(weighing))
    if weighing.measures:
        blocks.append(Figures("Figures", tuple(_figure_line(deal, f) for f in weighing.measures.values())))
    if weighing.answers:
        blocks.append(_answers(weighing))
    if weighing.turning_points:
        blocks.append(_turning_table(weighing))
    if by is not None:
        blocks += _period_tables(weighing, by)
    blocks.append(Checks(weighing.checks))
    inside = numbers_inside(deal)
    if inside:
        blocks.append(Text(f"Not varied, because they are written inside formulas: {', '.join(inside)}.", "comparison"))
    subtitle = " ".join(filter(None, [deal.note, f"Scenario: {weighing.scenario_label}."]))
    return Document(deal.title, tuple(blocks), subtitle, weighing_charts(weighing))


def weighing_charts(weighing: Weighing) -> tuple[Chart, ...]:
    """The charts of a weighing: its flows, and its present value against the rate."""
    deal = weighing.definition
    net = weighing.values["net"]
    if not np.isfinite(net).all():
        return ()
    times = deal.timeline.years
    hurdle = next(
        (goal.bound for goal in weighing.goals.values() if goal.unit == "rate" and goal.bound is not None),
        None,
    )
    return (
        flows_chart(net, times, deal.style, money="net of each period"),
        rate_chart(net, times, deal.style, asked=hurdle),
    )


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
    return Verdict(weighing.verdict.upper(), sentence + _nearest_turn(weighing), _TONES[weighing.verdict])


def _nearest_turn(weighing: Weighing) -> str:
    turning = [point for point in weighing.turning_points if point.distance is not None]
    if not turning:
        return ""
    nearest = min(turning, key=lambda point: abs(point.distance or 0.0))
    change = weighing.definition.style.show(nearest.distance, "share", places=1, sign=True)
    return f" The nearest turning point: {weighing.definition.label(nearest.input)} {change}."


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
        Cell(style.show(goal.value, goal.unit)),
        Cell(f"{word} {style.show(goal.bound, goal.unit)}"),
        Cell(goal.state, tone),
        Cell("-" if goal.slack is None else style.show(goal.slack, goal.unit, sign=True), tone),
    )


def _figure_line(deal: Definition, figure: Figure) -> FigureLine:
    shown = deal.style.with_unit(figure.value, figure.unit)
    note = figure.formula if figure.value is not None else figure.reason
    if figure.unit == "rate" and figure.value is not None and deal.timeline.per_year > 1:
        quoted = float(rates.nominal_rate(figure.value, deal.timeline.per_year))
        word = {4: "quarterly", 12: "monthly"}[deal.timeline.per_year]
        note += f", effective ({deal.style.show(quoted, 'rate')} {word})"
    return FigureLine(figure.label, Cell(shown, "plain" if figure.value is not None else "out"), note)


def _answers(weighing: Weighing) -> Figures:
    lines = []
    for name, outcome in weighing.answers.items():
        question = weighing.definition.questions[name]
        asked = f"{question.find}, so that {question.text}"
        shown = " or ".join(("" if a.kind == "exactly" else f"{a.kind} ") + a.shown for a in outcome.answers)
        notes = [asked, *(answer.note for answer in outcome.answers if answer.note), outcome.reason]
        lines.append(FigureLine(question.label, Cell(shown or "none", "question"), "; ".join(filter(None, notes))))
    return Figures("Answers", tuple(lines))


def _turning_table(weighing: Weighing) -> Table:
    deal = weighing.definition
    points = sorted(weighing.turning_points, key=lambda p: (p.distance is None, abs(p.distance or 0.0)))
    rows = tuple(_turning_row(deal, point) for point in points)
    columns = (
        Column("Input", words=True), Column("As it stands"), Column("Turns below"), Column("Turns above"),
        Column("Distance"), Column("", words=True),
    )  # fmt: skip
    note = "Each input is changed alone. Distance: from its value to the nearer turn, in percent of its value."
    return Table("Turning points", columns, rows, note)


def _turning_row(deal: Definition, point: TurningPoint) -> tuple[Cell, ...]:
    style = deal.style
    places = 0 if deal.inputs[point.input].whole else None

    def shown(value: float | None) -> Cell:
        if value is None:
            return Cell("-", "comparison")
        if point.by_scale:
            return Cell(
                f"× {style.show(value, 'number', places=4)}",
                "question" if value == point.turns_at else "plain",
            )
        text = style.show(value, deal.unit(point.input), places=places)
        return Cell(text, "question" if value == point.turns_at else "plain")

    base = "× 1" if point.by_scale else style.show(point.base, deal.unit(point.input), places=places)
    distance = "-" if point.distance is None else style.show(point.distance, "share", places=1, sign=True)
    note = point.reason
    if point.of_range is not None:
        note = f"{style.show(abs(point.of_range), 'share', places=0)} of low to high"
    return (
        Cell(deal.label(point.input)),
        Cell(base),
        shown(point.below),
        shown(point.above),
        Cell(distance),
        Cell(note),
    )


def _period_tables(weighing: Weighing, by: str) -> list[Block]:
    deal = weighing.definition
    time = deal.timeline
    if by not in ("period", "year"):
        raise InputError(f"The table can be by 'period' or by 'year', not by '{by}'.")
    yearly = by == "year" and time.per_year > 1
    groups = time.year[:, 0] if yearly else time.t[:, 0]
    heads = np.unique(groups)
    names = [f"{'Year' if yearly or time.per_year == 1 else time.period.capitalize()} {head:.0f}" for head in heads]
    body: list[tuple[str, list[float], Tone]] = []
    for name, values in weighing.values.items():
        if "." in name and not values.any():
            continue  # a loan, or a part of one, of which there is nothing
        if deal.stands(name):
            ends = [values[groups == head][-1] for head in heads]
        else:
            ends = [float(values[groups == head].sum()) for head in heads]
        body.append((name, ends, _line_tone(deal, name)))
    tables: list[Block] = []
    for start in range(0, heads.size, _COLUMNS_A_BLOCK + 1 if _wide_blocks(heads) else _COLUMNS_A_BLOCK):
        stop = start + (_COLUMNS_A_BLOCK + 1 if _wide_blocks(heads) else _COLUMNS_A_BLOCK)
        rows = tuple(
            (
                Cell(deal.label(name)),
                *(_amount(deal, name, value, tone) for value in ends[start:stop]),
            )
            for name, ends, tone in body
        )
        columns = (Column("", words=True), *(Column(head) for head in names[start:stop]))
        title = f"By {by}, {names[start].lower()} to {names[min(stop, len(names)) - 1].lower()}"
        tables.append(Table(title, columns, rows))
    return tables


def _amount(deal: Definition, name: str, value: float, tone: Tone) -> Cell:
    """One amount of a table of periods; where nothing happens a dash keeps the eye on what does."""
    if value == 0:
        return Cell("-", "comparison")
    return Cell(deal.style.show(value, deal.unit(name)), tone)


def _wide_blocks(heads: Floats) -> bool:
    """Whether seven columns a block come out more even than six."""
    return heads.size % (_COLUMNS_A_BLOCK + 1) in (0, _COLUMNS_A_BLOCK)


def _line_tone(deal: Definition, name: str) -> Tone:
    if name in deal.lines:
        role = deal.lines[name].role
        return "comparison" if role == "other" else role
    if name in ("money_in", "money_out"):
        return "in" if name == "money_in" else "out"
    return "plain"

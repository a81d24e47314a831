"""How weighings, comparisons and variations describe themselves, as documents."""

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
    Checks,
    Column,
    Document,
    Figures,
    HeatMap,
    Line,
    Table,
    Text,
    Verdict,
)
from pennyweight.documents.flows import flows_chart, rate_chart
from pennyweight.errors import InputError

if TYPE_CHECKING:
    from pennyweight.analysis.comparison import Comparison
    from pennyweight.analysis.turning import TurningPoint
    from pennyweight.analysis.variation import Variation
    from pennyweight.analysis.weighing import Figure, GoalResult, Weighing

__all__ = ["comparison_page", "variation_page", "weighing_page"]

Floats: TypeAlias = NDArray[np.float64]

_TONES = {"pays off": "in", "nearly": "question", "falls short": "out", "no goals": "comparison"}
_STATES = {"met": "in", "nearly": "question", "missed": "out"}
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
        blocks.append(
            Text(f"Not varied, because written inside formulas: {', '.join(inside)}.", "comparison")
        )
    subtitle = " ".join(filter(None, [deal.note, f"Scenario: {weighing.scenario_label}."]))
    return Document(deal.title, tuple(blocks), subtitle, weighing_charts(weighing))


def weighing_charts(weighing: Weighing) -> tuple[object, ...]:  # type: ignore[type-arg]
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
        blocks.append(Table("Inputs that differ", columns, inputs, "A series is shown by its total."))
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
    goal_rows.append(
        (Cell("Verdict"), *(Cell(weighing.verdict, _TONES[weighing.verdict]) for weighing in weighings))  # type: ignore[arg-type]
    )
    blocks.append(
        Table("Goals", columns, tuple(goal_rows), "Behind each: how far beyond its bound, or short of it.")
    )
    names_of = "; ".join(f"{name}: {label}" for name, label in comparison.labels.items())
    return Document(comparison.title, tuple(blocks), names_of)


def variation_page(variation: Variation) -> Document:
    """A table for one input; a two-way table and a heat map for two."""
    if len(variation.inputs) == 1:
        return _one_way(variation)
    return _two_way(variation)


# Weighing.


def _verdict(weighing: Weighing) -> Verdict:
    goals = weighing.goals.values()
    missed = [goal.label for goal in goals if goal.state == "missed"]
    nearly = [goal.label for goal in goals if goal.state == "nearly"]
    if not goals:
        sentence = "The deal sets no goals, so there are figures and no verdict."
    elif not missed and not nearly:
        sentence = f"All {len(goals)} goals are met." if len(goals) > 1 else "Its goal is met."
    else:
        parts = [f"missed: {', '.join(missed)}"] if missed else []
        parts += [f"nearly met: {', '.join(nearly)}"] if nearly else []
        sentence = "; ".join(parts) + "."
    return Verdict(weighing.verdict.upper(), sentence + _nearest_turn(weighing), _TONES[weighing.verdict])  # type: ignore[arg-type]


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
        Column("", words=True),
        Column("By"),
    )
    return Table("Goals", columns, rows)


def _goal_row(deal: Definition, goal: GoalResult) -> tuple[Cell, ...]:
    style = deal.style
    word = "at least" if goal.side == "at_least" else "at most"
    tone = _STATES[goal.state]
    return (
        Cell(goal.label),
        Cell(style.show(goal.value, goal.unit)),
        Cell(f"{word} {style.show(goal.bound, goal.unit)}"),
        Cell(goal.state, tone),  # type: ignore[arg-type]
        Cell(goal.reason if goal.slack is None else style.show(goal.slack, goal.unit, sign=True), tone),  # type: ignore[arg-type]
    )


def _figure_line(deal: Definition, figure: Figure) -> Line:
    shown = deal.style.with_unit(figure.value, figure.unit)
    note = figure.formula if figure.value is not None else figure.reason
    if figure.unit == "rate" and figure.value is not None and deal.timeline.per_year > 1:
        quoted = float(rates.nominal_rate(figure.value, deal.timeline.per_year))
        word = {4: "quarterly", 12: "monthly"}[deal.timeline.per_year]
        note += f", effective ({deal.style.show(quoted, 'rate')} {word})"
    return Line(figure.label, Cell(shown, "plain" if figure.value is not None else "out"), note)


def _answers(weighing: Weighing) -> Figures:
    lines = []
    for name, outcome in weighing.answers.items():
        question = weighing.definition.questions[name]
        asked = f"{question.find}, so that {question.text}"
        shown = " or ".join(("" if a.kind == "exactly" else f"{a.kind} ") + a.shown for a in outcome.answers)
        notes = [asked, *(answer.note for answer in outcome.answers if answer.note), outcome.reason]
        lines.append(Line(question.label, Cell(shown or "none", "question"), "; ".join(filter(None, notes))))
    return Figures("Answers", tuple(lines))


def _turning_table(weighing: Weighing) -> Table:
    deal = weighing.definition
    points = sorted(weighing.turning_points, key=lambda p: (p.distance is None, abs(p.distance or 0.0)))
    rows = tuple(_turning_row(deal, point) for point in points)
    columns = (
        Column("Input", words=True), Column("As it stands"), Column("Turns below"), Column("Turns above"),
        Column("Distance"), Column("", words=True),
    )  # fmt: skip
    note = "One input moved alone. Distance: from where it stands to the nearer turn, in percent of where it stands."
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
    names = [
        f"{'Year' if yearly or time.per_year == 1 else time.period.capitalize()} {head:.0f}" for head in heads
    ]
    body: list[tuple[str, list[float], str]] = []
    for name, values in weighing.values.items():
        if name in deal.levels:
            ends = [values[groups == head][-1] for head in heads]
        else:
            ends = [float(values[groups == head].sum()) for head in heads]
        body.append((name, ends, _line_tone(deal, name)))
    tables: list[Block] = []
    for start in range(0, heads.size, _COLUMNS_A_BLOCK + 1 if start_wide(heads) else _COLUMNS_A_BLOCK):
        stop = start + (_COLUMNS_A_BLOCK + 1 if start_wide(heads) else _COLUMNS_A_BLOCK)
        rows = tuple(
            (
                Cell(deal.label(name)),
                *(Cell(deal.style.show(v, deal.unit(name)), tone) for v in ends[start:stop]),
            )  # type: ignore[arg-type]
            for name, ends, tone in body
        )
        columns = (Column("", words=True), *(Column(head) for head in names[start:stop]))
        title = f"By {by}, {names[start].lower()} to {names[min(stop, len(names)) - 1].lower()}"
        tables.append(Table(title, columns, rows))
    return tables


def start_wide(heads: Floats) -> bool:
    """Whether seven columns a block come out more even than six."""
    return heads.size % (_COLUMNS_A_BLOCK + 1) in (0, _COLUMNS_A_BLOCK)


def _line_tone(deal: Definition, name: str) -> str:
    if name in deal.lines:
        return {"in": "in", "out": "out", "other": "comparison"}[deal.lines[name].role]
    return {"money_in": "in", "money_out": "out"}.get(name, "plain")


# Comparison.


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
    return owner.definition.label(name) + (f", {owner.definition.style.currency}" if unit == "money" else "")


def _figure_label(weighings: list[Weighing], name: str) -> str:
    owner = next(weighing for weighing in weighings if name in weighing.measures)
    figure, currency = owner.measures[name], owner.definition.style.currency
    suffix = {"money": currency, "years": "years"}.get(figure.unit, "")
    return figure.label + (f", {suffix}" if suffix else "")


def _input_cell(weighing: Weighing, name: str, first: Weighing) -> Cell:
    if name not in weighing.inputs:
        return Cell("-", "comparison")
    value = weighing.inputs[name]
    number = float(np.nansum(value)) if isinstance(value, np.ndarray) else value
    shown = weighing.definition.style.show(number, weighing.definition.unit(name))
    same = name in first.inputs and np.array_equal(
        np.asarray(value), np.asarray(first.inputs[name]), equal_nan=True
    )
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
    return Cell(goal.state + by, _STATES[goal.state])  # type: ignore[arg-type]


# Variation.


def _one_way(variation: Variation) -> Document:
    deal = variation.definition
    ((name, axis),) = variation.inputs.items()
    columns = [Column(name + (f", {deal.style.currency}" if deal.unit(name) == "money" else ""))]
    columns += [Column(_short_title(deal, measure)) for measure in variation.show]
    has_verdict = "pays_off" in variation.figures
    if has_verdict:
        columns.append(Column("Verdict", words=True))
    rows = []
    for k, value in enumerate(axis):
        at_base = bool(np.isclose(value, variation.base[name], rtol=1e-12, atol=0))
        cells = [Cell(_axis_value(variation, name, value), "question" if at_base else "plain")]
        cells += [Cell(deal.style.show(float(variation.figures[m][k]), deal.unit(m))) for m in variation.show]
        if has_verdict:
            pays = variation.figures["pays_off"][k] == 1
            cells.append(Cell("pays off" if pays else "does not", "in" if pays else "out"))
        rows.append(tuple(cells))
    title = f"{', '.join(deal.label(m) for m in variation.show)} as {deal.label(name)} varies"
    return Document(
        deal.title, (Table(title, tuple(columns), tuple(rows)),), f"Scenario: {variation.scenario}."
    )


def _two_way(variation: Variation) -> Document:
    deal = variation.definition
    first, second = variation.inputs
    tables: list[Block] = []
    charts = []
    passes = variation.figures["pays_off"] == 1 if "pays_off" in variation.figures else None
    for measure in variation.show:
        values = variation.figures[measure]
        shown = [[deal.style.show(float(v), deal.unit(measure)) for v in row] for row in values]
        columns = (
            Column(f"{first} ↓  {second} →", words=False),
            *(Column(_axis_value(variation, second, v)) for v in variation.inputs[second]),
        )
        rows = tuple(
            (
                Cell(_axis_value(variation, first, value), "question"),
                *(_map_cell(shown[i][j], passes, i, j) for j in range(values.shape[1])),
            )
            for i, value in enumerate(variation.inputs[first])
        )
        title = f"{_measure_title(deal, measure)}: {deal.label(first)} down, {deal.label(second)} across"
        note = "" if passes is None else "✓ pays off, ✗ does not."
        tables.append(Table(title, columns, rows, note))
        charts.append(_heat_map(variation, measure, shown, passes))
    return Document(deal.title, tuple(tables), f"Scenario: {variation.scenario}.", tuple(charts))


def _map_cell(text: str, passes: NDArray[np.bool_] | None, i: int, j: int) -> Cell:
    if passes is None:
        return Cell(text)
    return Cell(f"✓ {text}", "in") if passes[i, j] else Cell(f"✗ {text}", "out")


def _heat_map(
    variation: Variation, measure: str, shown: list[list[str]], passes: NDArray[np.bool_] | None
) -> HeatMap:
    deal = variation.definition
    first, second = variation.inputs
    count = 0 if passes is None else int(passes.sum())
    finding = "" if passes is None else f": pays off in {count} of {passes.size} cases"
    base = None
    places = [
        np.flatnonzero(np.isclose(variation.inputs[name], variation.base[name], rtol=1e-12))
        for name in (first, second)
    ]
    if all(place.size for place in places):
        base = (int(places[0][0]), int(places[1][0]))
    return HeatMap(
        f"map_{measure}",
        f"{deal.label(measure)}{finding}",
        tuple(_axis_value(variation, second, v) for v in variation.inputs[second]),
        tuple(_axis_value(variation, first, v) for v in variation.inputs[first]),
        _axis_title(variation, second),
        _axis_title(variation, first),
        variation.figures[measure],
        tuple(tuple(row) for row in shown),
        passes,
        base,
        _measure_title(deal, measure),
    )


def _axis_title(variation: Variation, name: str) -> str:
    deal = variation.definition
    if deal.inputs[name].is_series:
        return f"{deal.label(name)}, of its series"
    unit = deal.unit(name)
    suffix = {"money": deal.style.currency, "rate": "a year", "years": "years"}.get(unit, "")
    return deal.label(name) + (f", {suffix}" if suffix else "")


def _axis_value(variation: Variation, name: str, value: float) -> str:
    deal = variation.definition
    if deal.inputs[name].is_series:
        return deal.style.show(float(value), "share", places=1)
    unit = deal.unit(name)
    whole = unit == "money" and float(value).is_integer()
    return deal.style.show(float(value), unit, places=0 if whole else None)


def _short_title(deal: Definition, measure: str) -> str:
    suffix = {"money": deal.style.currency, "years": "years"}.get(deal.unit(measure), "")
    return measure + (f", {suffix}" if suffix else "")


def _measure_title(deal: Definition, measure: str) -> str:
    suffix = {"money": deal.style.currency, "rate": "a year", "years": "years"}.get(deal.unit(measure), "")
    return deal.label(measure) + (f", {suffix}" if suffix else "")

"""The sheets of a weighing's workbook: typed values, a sheet a kind."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import numpy as np

from pennyweight.analysis.showing import headed, show_input
from pennyweight.analysis.weighing.weighing import Weighing, lines_frame
from pennyweight.deals.definition import Definition
from pennyweight.documents.handout import Sheet, SheetColumn
from pennyweight.pages.weighing.assumed import likely_range
from pennyweight.pages.weighing.charts.worth_by_line import worth_sheet
from pennyweight.pages.weighing.things import thing_sheets

__all__ = ["weighing_sheets"]


def weighing_sheets(weighing: Weighing, cases: Mapping[str, Weighing]) -> tuple[Sheet, ...]:
    """All sheets; `cases` are the deal as it stands and its scenarios, by name."""
    deal = weighing.definition
    found = [_inputs(weighing), _figures(weighing)]
    if weighing.goals:
        found.append(_goals(weighing))
    if weighing.answers:
        found.append(_answers(weighing))
    found.append(_turning_points(weighing))
    if (worth := worth_sheet(weighing)) is not None:
        found.append(worth)
    if deal.timeline.per_year > 1:
        found.append(_years(weighing))
    found.append(_periods(weighing))
    for table in weighing.tables.values():
        axes = [deal.varied(axis.key) for axis in table.table.axes]
        columns = [
            SheetColumn(
                headed(deal, axis.key, axis.label), item.unit if item is not None and not item.choices else "text"
            )
            for axis, item in zip(table.table.axes, axes, strict=True)
        ] + [SheetColumn(headed(deal, c.name, c.label), deal.unit(c.name)) for c in table.table.columns.values()]
        rows = []
        for place in np.ndindex(*(axis.values.size for axis in table.table.axes)):
            by: list[Any] = []
            for axis, item, k in zip(table.table.axes, axes, place, strict=True):
                value = float(axis.values[k])
                by.append(item.choices[round(value)] if item is not None and item.choices else value)
            rows.append((*by, *(_number(values[place]) for values in table.columns.values())))
        found.append(Sheet(table.label, tuple(columns), tuple(rows)))
    found += thing_sheets(weighing)
    if len(deal.scenarios):
        found.append(_scenarios(weighing, cases))
    found.append(
        Sheet(
            "Checks",
            (SheetColumn("Holds"), SheetColumn("Check")),
            tuple(("yes" if passed else "no", said) for passed, said in weighing.checks),
        )
    )
    return tuple(found)


def _inputs(weighing: Weighing) -> Sheet:
    deal = weighing.definition
    rows, units = [], []
    for name, item in deal.inputs.items():
        value = weighing.inputs[name]
        if isinstance(value, np.ndarray):
            shown: Any = show_input(deal, item, value)
        else:
            shown = item.choices[round(value)] if item.choices else _typed(value, item.unit)
        low, high = (None if one is None else _typed(one, item.unit) for one in (item.low, item.high))
        rows.append((item.label, name, shown, low, high, _word(deal, item.unit), likely_range(deal, item)))
        units.append({} if item.choices or item.is_series else dict.fromkeys((2, 3, 4), item.unit))
    columns = ("Label", "Name", "Value", "Low", "High", "Unit", "Remark")
    return Sheet("Inputs", tuple(map(SheetColumn, columns)), tuple(rows), tuple(units))


def _figures(weighing: Weighing) -> Sheet:
    deal, figures = weighing.definition, weighing.measures.values()
    rows = tuple((f.label, f.name, _number(f.value), _word(deal, f.unit), f.formula, f.reason) for f in figures)
    columns = ("Figure", "Name", "Value", "Unit", "How", "Why it is undefined")
    return Sheet("Figures", tuple(map(SheetColumn, columns)), rows, tuple({2: f.unit} for f in figures))


def _goals(weighing: Weighing) -> Sheet:
    goals = weighing.goals.values()
    rows = tuple(
        (g.label, g.state, _number(g.value), g.side.replace("_", " "), _number(g.bound), _number(g.slack), g.reason)
        for g in goals
    )
    columns = ("Goal", "State", "Figure", "Asked", "Bound", "To spare", "Why it is undefined")
    units = tuple(dict.fromkeys((2, 4, 5), goal.unit) for goal in goals)
    return Sheet("Goals", tuple(map(SheetColumn, columns)), rows, units)


def _answers(weighing: Weighing) -> Sheet:
    deal = weighing.definition
    rows: list[tuple[Any, ...]] = []
    units: list[Mapping[int, str]] = []
    for name, outcome in weighing.answers.items():
        question = deal.questions[name]
        item = deal.inputs[question.find]
        asked = f"that {question.asked}" if question.asks_verdict else question.text
        if not outcome.answers:
            rows.append((question.label, deal.label(question.find), None, outcome.told, asked, outcome.reason))
            units.append({})
        for answer in outcome.answers:
            value = weighing.plain_answer(name, answer.value)
            rows.append((question.label, deal.label(question.find), value, answer.kind, asked, answer.note))
            units.append({} if item.choices or item.is_series else {2: item.unit})
    columns = ("Question", "Input", "Answer", "Side", "Asked", "Remark")
    return Sheet("Answers", tuple(map(SheetColumn, columns)), tuple(rows), tuple(units))


def _turning_points(weighing: Weighing) -> Sheet:
    deal = weighing.definition
    rows: list[tuple[Any, ...]] = []
    units: list[Mapping[int, str]] = []
    for point in weighing.turning_points:
        item = deal.inputs[point.input]
        goals = ", ".join(deal.label(goal) for goal in point.goals)
        if item.choices:
            base: Any = item.choices[round(point.base)]
            rows.append((item.label, base, None, None, None, goals, f"pays off with {', '.join(point.choices)}"))
            units.append({})
            continue
        numbers = [_number(value) for value in (point.base, point.below, point.above)]
        rows.append((item.label, *numbers, _number(point.distance), goals, point.reason))
        unit = "number" if point.by_scale else item.unit
        units.append({**dict.fromkeys((1, 2, 3), unit), 4: "share"})
    columns = ("Input", "As it stands", "Turns below", "Turns above", "Distance", "What turns", "Remark")
    return Sheet("Turning points", tuple(map(SheetColumn, columns)), tuple(rows), tuple(units))


def _periods(weighing: Weighing) -> Sheet:
    deal, time = weighing.definition, weighing.definition.timeline
    names = _line_names(weighing)
    lines = [weighing.line(name) for name in names]
    first = [SheetColumn("Period", "count")] + ([] if time.dates is None else [SheetColumn("Date", "date")])
    rows = []
    for t in range(time.rows):
        when = [t] if time.dates is None else [t, time.dates[t]]
        rows.append((*when, *(_number(line[t]) for line in lines)))
    return _of_lines(deal, "By period", first, names, rows)


def _years(weighing: Weighing) -> Sheet:
    deal, names = weighing.definition, _line_names(weighing)
    frame = lines_frame(weighing, "year", lines=names)
    rows = [(year, *map(_number, row)) for year, row in zip(frame.index, frame.to_numpy().tolist(), strict=True)]
    return _of_lines(deal, "By year", [SheetColumn("Year", "count")], names, rows)


def _line_names(weighing: Weighing) -> list[str]:
    """The totals, then all lines and levels, each once."""
    return list(dict.fromkeys(["money_in", "money_out", "net", *weighing.values]))


def _of_lines(
    deal: Definition, title: str, first: list[SheetColumn], names: list[str], rows: list[tuple[Any, ...]]
) -> Sheet:
    """Lines and levels, a row a period or year; amounts add up, what stands at an end does not."""
    columns = [*first, *(SheetColumn(headed(deal, name), deal.unit(name)) for name in names)]
    summed = frozenset(
        k for k, name in enumerate(names, len(first)) if deal.unit(name) == "money" and not deal.stands(name)
    )
    return Sheet(title, tuple(columns), tuple(rows), summed=summed)


def _scenarios(weighing: Weighing, cases: Mapping[str, Weighing]) -> Sheet:
    deal = weighing.definition
    columns = [SheetColumn("Figure"), SheetColumn("Unit")]
    columns += [SheetColumn(case.scenario_label) for case in cases.values()]
    rows: list[tuple[Any, ...]] = [("Verdict", "", *(case.verdict for case in cases.values()))]
    units: list[Mapping[int, str]] = [{}]
    for name, measure in weighing.measures.items():
        values = (_number(case.measures[name].value) for case in cases.values())
        rows.append((measure.label, _word(deal, measure.unit), *values))
        units.append(dict.fromkeys(range(2, 2 + len(cases)), measure.unit))
    return Sheet("Scenarios", tuple(columns), tuple(rows), tuple(units))


def _typed(value: float, unit: str) -> Any:
    return np.datetime64(round(value), "D") if unit == "date" else float(value)


def _number(value: Any) -> float | None:
    return float(value) + 0.0 if value is not None and np.isfinite(value) else None


def _word(deal: Definition, unit: str) -> str:
    return {"money": deal.style.currency or "money", "number": "", "choice": "", "rate": "a year"}.get(unit, unit)

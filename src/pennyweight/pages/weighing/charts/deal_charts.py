"""What of a weighed deal is worth drawing: what the deal says itself, or what it is about."""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import replace
from functools import partial
from typing import Literal

import numpy as np

from pennyweight.analysis.showing import axis_kind, headed_axis, show_value
from pennyweight.analysis.weighing.own_tables import TableResult
from pennyweight.analysis.weighing.weighing import Weighing
from pennyweight.array_kinds import Floats
from pennyweight.deals.compiler.program import drawn_name
from pennyweight.deals.definition import Definition
from pennyweight.deals.language.nodes import Call, Name, Node, names_in, walk
from pennyweight.deals.parts import Input, OwnChart
from pennyweight.deals.period_zero import Early
from pennyweight.documents import Chart, LinesChart
from pennyweight.documents.charts import flows_chart, rate_chart
from pennyweight.pages.weighing.charts.by_thing import by_thing, chosen_line
from pennyweight.pages.weighing.charts.chart_titles import finding, lowest
from pennyweight.pages.weighing.charts.worth_by_line import worth_chart

__all__ = ["weighing_charts"]


_MANY = 60
"""From so many periods on they are drawn by the year."""
_MOST_LINES = 8


def weighing_charts(weighing: Weighing) -> tuple[Chart, ...]:
    """What the deal is about, and, of a deal with a present value, what each line adds to it."""
    worth, line = worth_chart(weighing), chosen_line(weighing)
    drawn = [name for chart in weighing.definition.charts.values() for name in chart.lines]
    things = (by_thing(weighing, line),) if line and line not in drawn else ()
    return _of_deal(weighing) + things + ((worth,) if worth is not None else ())


def _of_deal(weighing: Weighing) -> tuple[Chart, ...]:
    """The deal's own charts; without them flows and payback, levels over time, or course against course."""
    deal = weighing.definition
    if deal.charts:
        return tuple(_own(weighing, chart) for chart in deal.charts.values())
    net = weighing.line("net")
    moved = net[np.nonzero(net)]
    if not np.isfinite(net).all():
        return ()
    if moved.size and moved[0] < 0 and (moved > 0).any():
        hurdle = next(
            (goal.bound for goal in weighing.goals.values() if goal.unit == "rate" and goal.bound is not None), None
        )
        times = deal.timeline.years
        return (
            flows_chart(net, times, deal.style, money="net of each period"),
            rate_chart(net, times, deal.style, asked=hurdle),
        )
    levels = [name for name in deal.levels if deal.unit(name) == "money"]
    others = [name for name, line in deal.lines.items() if line.role == "other" and deal.unit(name) == "money"]
    if levels:
        return (_over_time(weighing, "levels", levels, "", "lines", None),)
    if len(others) > 1:
        return (_courses(weighing, others),)
    return (_over_time(weighing, "money", ["money_in", "money_out"], "", "bars", None),)


def _own(weighing: Weighing, chart: OwnChart) -> LinesChart:
    if chart.lines[0] in weighing.definition.tables:
        return _of_table(weighing.tables[chart.lines[0]], chart)
    if len(chart.lines) == 1 and chart.lines[0] in weighing.definition.each and chart.kind != "lines":
        return by_thing(weighing, chart.lines[0], chart.label, chart.kind)
    span = tuple(_figure(weighing, chart, key) for key in ("from", "to"))
    made = _over_time(weighing, chart.name, list(chart.lines), chart.label, chart.kind, chart.by, span)
    targets, marks = list(made.targets), list(made.marks)
    deal = weighing.definition
    value = _figure(weighing, chart, "target")
    if chart.target is not None and value is not None:
        unit = deal.names.unit(chart.target)
        shown = deal.style.with_unit(value, unit if unit != "number" else deal.unit(chart.lines[0]))
        targets.append((f"{deal.label(chart.target.name)} {shown}" if isinstance(chart.target, Name) else shown, value))
    if chart.mark is not None:
        item = deal.varied(chart.mark)
        assert item is not None
        for answer in weighing.answers[chart.mark].answers:
            label = f"{deal.questions[chart.mark].label}: {show_value(deal, item, answer.value)}"
            if item.unit == "years":
                marks.append((label, answer.value))
            elif item.unit == "period":
                marks.append((label, answer.value / deal.timeline.per_year))
            elif item.unit == "date" and deal.timeline.start is not None:
                days = float(answer.value) - float(deal.timeline.start.astype(np.int64))
                marks.append((label, days / 365.25))
            else:
                targets.append((label, answer.value))
    aim = None
    if chart.target is not None and value is not None:
        aim = (deal.label(chart.target.name) if isinstance(chart.target, Name) else targets[-1][0], value)
    much = partial(deal.style.with_unit, unit=deal.unit(chart.lines[0]))
    made = replace(made, targets=tuple(targets), marks=tuple(marks))
    told = made
    if chart.by != "period" and all(deal.stands(line) for line in chart.lines):  # what stands is told to the period
        told = _over_time(weighing, chart.name, list(chart.lines), chart.label, chart.kind, "period", span)
    titled = _titled(chart.label, told, aim, partial(_when, weighing, chart, told.x), much)
    return replace(made, title=titled.title, about=titled.about)


def _when(weighing: Weighing, chart: OwnChart, x: Floats, years: float) -> str:
    """When lines change places: as a figure of the deal says, where one does; else where they meet."""
    k = int(np.searchsorted(x, years))
    first, last = float(x[max(k - 1, 0)]), float(x[min(k, x.size - 1)])
    for figure in weighing.measures.values():
        same = figure.unit == "years" and figure.value is not None and first - 1e-9 <= figure.value <= last + 1e-9
        if same and _turns_on(weighing, weighing.definition.measures[figure.name].node, set(chart.lines)):
            return _after(weighing.definition, float(figure.value or 0.0))
    return _after(weighing.definition, years)


def _turns_on(weighing: Weighing, node: Node, lines: set[str]) -> bool:
    """Whether a formula asks from which period on something holds that reads all of the lines."""
    reads = weighing.model.program.reads
    for call in walk(node):
        if isinstance(call, Call) and call.function == "first_period":
            seen, todo = set[str](), list(names_in(call))
            while todo:
                name = todo.pop()
                if name not in seen:
                    seen.add(name)
                    todo += reads.get(name, ())
            if lines <= seen:
                return True
    return False


def _after(deal: Definition, years: float) -> str:
    return f"after {deal.style.with_unit(round(years, 2), 'years')}"


def _titled(
    label: str,
    made: LinesChart,
    aim: tuple[str, float] | None,
    where: Callable[[float], str],
    much: Callable[[float], str],
    *,
    over_time: bool = True,
) -> LinesChart:
    """The chart under what it shows; its own label stands below that, unless it says the same."""
    said = ""
    if made.kind == "area" and len(made.lines) == 2:
        (first, one), (_, other) = made.lines
        whole = float(one[-1] + other[-1])
        if whole > 0:
            said = f"Of {much(whole)} {where(float(made.x[-1]))}, {float(one[-1]) / whole:.0%} is {first}"
    elif len(made.lines) > 2 and not over_time:
        said = lowest(made.x, made.lines, where)
    elif made.x.size:
        said = finding(made.x, made.lines, aim, where, much, standing=made.kind == "lines")
    return replace(made, title=said or label or made.title, about="" if not said or _is_said(label, said) else label)


def _is_said(label: str, said: str) -> bool:
    """Whether a label says nothing that is not said already: most of its words stand there."""
    words, told = (set(re.findall(r"[^\W\d_]+", text.lower())) for text in (label, said))
    return len(words & told) >= 0.7 * len(words)


def _figure(weighing: Weighing, chart: OwnChart, key: str) -> float | None:
    """A figure of a chart, None where it has none or it is undefined."""
    found = weighing.worked_out.get(drawn_name(chart.name, key))
    return None if found is None or not np.isfinite(found[0]) else float(found[0])


def _over_time(
    weighing: Weighing,
    name: str,
    lines: list[str],
    label: str,
    kind: Literal["lines", "area", "bars"],
    by: str | None,
    span: tuple[float | None, ...] = (None, None),
) -> LinesChart:
    """Lines and levels by period, or by the year where there are many; amounts that begin in period 1 from there."""
    deal = weighing.definition
    time = deal.timeline
    yearly = time.per_year > 1 and (by == "year" or (by is None and time.periods > _MANY))
    lines = lines[:_MOST_LINES]
    early = Early(deal.lines, deal.loans)
    late = [early.is_amount(line) and not early.starts(line) for line in lines]
    drawn = []
    for line, begins_late in zip(lines, late, strict=True):
        values = weighing.line(line)
        if yearly:
            year = time.year[:, 0].astype(np.intp)
            ends = np.flatnonzero(np.append(np.diff(year), 1))
            how = deal.year_shows(line)
            values = values[ends] if how == "last" else np.bincount(year, weights=values).astype(np.float64)
            values = values / np.bincount(year) if how == "average" else values
        if begins_late:
            values = np.concatenate([[np.nan], values[1:]])
        drawn.append((deal.label(line), values))
    x = np.unique(time.year[:, 0]) if yearly else time.years
    low, high = (None if period is None else period / time.per_year for period in span)
    low = 1.0 / (1 if yearly else time.per_year) if low is None and all(late) else low
    shown_part = (x >= (-np.inf if low is None else low) - 1e-9) & (x <= (np.inf if high is None else high) + 1e-9)
    if shown_part.any():
        x, drawn = x[shown_part], [(text, values[shown_part]) for text, values in drawn]
    units = {deal.unit(line) for line in lines}
    unit = units.pop() if len(units) == 1 else ""
    if not label:
        label, values = drawn[0]
        standing = deal.stands(lines[0])
        amount = deal.style.with_unit(float(values[-1] if standing else np.nansum(values)), deal.unit(lines[0]))
        label = f"{label}: {amount} {'after' if standing else 'in'} {deal.style.with_unit(float(x[-1]), 'years')}"
    shown: dict[str, str] = {"money": deal.style.currency, "share": "", "rate": ""}
    suffix = " a year" if yearly and not any(deal.stands(line) for line in lines) else ""
    return LinesChart(
        name,
        label,
        x,
        tuple(drawn),
        "Years from the start",
        (shown.get(unit, unit) + suffix).strip(),
        kind,
        percent=unit in ("share", "rate"),
    )


def _courses(weighing: Weighing, lines: list[str]) -> LinesChart:
    """Running totals of the lines of a deal that sets one course against another."""
    deal = weighing.definition
    drawn = [(deal.label(name), np.cumsum(weighing.line(name))) for name in lines[:_MOST_LINES]]
    best = max(drawn, key=lambda one: float(one[1][-1]))
    title = f"{best[0]} comes to most: {deal.style.with_unit(float(best[1][-1]), 'money')}"
    y_title = f"{deal.style.currency} since the start".strip()
    return LinesChart("courses", title, deal.timeline.years, tuple(drawn), "Years from the start", y_title)


def _of_table(table: TableResult, chart: OwnChart) -> LinesChart:
    """The columns of a table over what it goes by; of two names the second is a line each."""
    deal: Definition = table.definition
    first = table.table.axes[0]
    item = deal.varied(first.key)
    assert item is not None
    unit_of = {name: deal.unit(column.name) for name, column in table.table.columns.items()}
    unit = next(iter(unit_of.values()))
    if len(table.table.axes) == 1:
        names = [name for name in table.columns if unit_of[name] == unit]
        lines = tuple((table.table.columns[name].label, table.columns[name]) for name in names[:_MOST_LINES])
    else:
        second = table.table.axes[1]
        other = deal.varied(second.key)
        assert other is not None
        name = next(iter(table.columns))
        lines = tuple(
            (f"{second.label} {show_value(deal, other, value)}", table.columns[name][:, k])
            for k, value in enumerate(second.values[:_MOST_LINES].tolist())
        )
    words = tuple(item.choices[round(value)] for value in first.values.tolist()) if item.choices else ()
    y_title = {"money": deal.style.currency, "share": "", "rate": "a year"}.get(unit, unit)
    made = LinesChart(
        chart.name,
        chart.label or table.label,
        first.values,
        lines,
        headed_axis(deal, item, first.label),
        y_title,
        chart.kind,
        x_words=words,
        percent=unit in ("share", "rate"),
        x_kind=axis_kind(item),
    )
    if words:
        return made
    much = partial(deal.style.with_unit, unit=unit)
    where = partial(_at, deal, item)
    return _titled(made.title, made, None, where, much, over_time=False)


def _at(deal: Definition, item: Input, value: float) -> str:
    return f"at {show_value(deal, item, value)}"

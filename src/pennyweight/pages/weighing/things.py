"""What each thing of a set has, on a page: a row a thing, its columns and its figures."""

from __future__ import annotations

from functools import partial

import numpy as np

from pennyweight.analysis.explaining.why import why
from pennyweight.analysis.plain_values import plain_value
from pennyweight.analysis.showing import headed
from pennyweight.analysis.weighing.asked_lines import selection
from pennyweight.analysis.weighing.things import each_lines, things_frame
from pennyweight.analysis.weighing.weighing import Weighing
from pennyweight.deals.assumptions import ThingSet
from pennyweight.deals.worked_out import of_each
from pennyweight.documents import Cell, Column, Row, Table
from pennyweight.documents.derivation import Derivation, Why
from pennyweight.documents.handout import Sheet, SheetColumn
from pennyweight.pages.explaining.trees import derivation_of
from pennyweight.pages.weighing.own_tables import MOST_ROWS

__all__ = ["shown_of_thing", "thing_sheets", "things_tables"]

_MOST_ON_SCREEN = 20


def things_tables(weighing: Weighing) -> list[Table]:
    """A table for each set that has figures of its own, where the deal has no table by that set."""
    deal = weighing.definition
    own = {axis.key for grid in deal.tables.values() for axis in grid.axes}
    figured = {item.each for item in deal.each_measures.values()}
    return [_table(weighing, things) for name, things in deal.sets.items() if name in figured and name not in own]


def _table(weighing: Weighing, things: ThingSet) -> Table:
    deal = weighing.definition
    names = [name for name, item in deal.each_figures.items() if item.each == things.name]
    values = {name: np.broadcast_to(of_each(weighing.worked_out, name), (things.size,)) for name in names}
    places = list(range(things.size))
    note = ""
    if things.size > MOST_ROWS:
        first = next(name for name, item in deal.each_measures.items() if item.each == things.name)
        order = np.argsort(-np.nan_to_num(values[first], nan=-np.inf), kind="stable")[:MOST_ROWS]
        places = sorted(order.tolist())
        note = (
            f"The {MOST_ROWS} of {things.size:,} with the largest {deal.label(first)}; a workbook has all of them "
            "(--output deal.xlsx), and --format json."
        )
    columns = (Column(things.label, words=True), *(Column(headed(deal, name)) for name in names))
    rows = []
    for place in places:
        thing = things.things[place]
        cells = (Cell(thing), *(shown_of_thing(weighing, name, float(values[name][place])) for name in names))
        rows.append(Row(cells, Why(thing, partial(_told, weighing, things.name, thing, names))))
    return Table(f"Each of {things.label}", columns, tuple(rows), note, on_screen=_MOST_ON_SCREEN)


def shown_of_thing(weighing: Weighing, name: str, value: float) -> Cell:
    """A figure of one thing."""
    deal = weighing.definition
    plain = plain_value(deal, name, value)
    if plain is None:
        return Cell("undefined", "out")
    return Cell(plain if isinstance(plain, str) else deal.style.show(value, deal.unit(name)))


def _told(weighing: Weighing, things: str, thing: str, names: list[str]) -> dict[str, Derivation]:
    """Where the figures of one thing come from."""
    own = {name: f"{things}.{thing}.{name}" for name in names}
    told = {name: why({weighing.scenario: weighing}, one, None, 1).reason for name, one in own.items()}
    return {weighing.definition.label(name): derivation_of(reason) for name, reason in told.items()}


def thing_sheets(weighing: Weighing) -> list[Sheet]:
    """Of each set a sheet of its figures, a row a thing, and one of its lines in long form."""
    deal, found = weighing.definition, []
    for name, things in deal.sets.items():
        columns = [f"{name}.{column}" for column in things.columns if f"{name}.{column}" in deal.inputs]
        figures = [*columns, *(one for one, item in deal.each_figures.items() if item.each == name)]
        heads = [SheetColumn(things.label)] + [
            SheetColumn(
                headed(deal, one), "text" if one in deal.inputs and deal.inputs[one].choices else deal.unit(one)
            )
            for one in figures
        ]
        tables = [np.broadcast_to(of_each(weighing.worked_out, one), (things.size,)) for one in figures]
        rows = [
            (thing, *(_typed(weighing, one, float(table[k])) for one, table in zip(figures, tables, strict=True)))
            for k, thing in enumerate(things.things)
        ]
        if figures:
            found.append(Sheet(things.label.capitalize(), tuple(heads), tuple(rows)))
        lines = each_lines(deal, name)
        if lines:
            found.append(_long_sheet(weighing, things, len(lines)))
    return found


def _long_sheet(weighing: Weighing, things: ThingSet, lines: int) -> Sheet:
    """The lines of each thing: a row a thing, line and period; by the year where these are too many."""
    deal, time = weighing.definition, weighing.definition.timeline
    by = "period" if things.size * time.rows * lines <= _MOST_ROWS else "year"
    title = f"{things.label.capitalize()} by {by}"
    if things.size * (time.periods / time.per_year + 1) * lines > _MOST_ROWS:
        said = f"More than {_MOST_ROWS:,} rows; a CSV has them: weigh --by year --each {things.name} --output lines.csv"
        return Sheet(title, (SheetColumn("Left out"),), ((said,),))
    frame = things_frame(deal, weighing.worked_out, things.name, selection(deal, by))
    kind = "date" if frame.columns[2] == "date" else "count"
    columns = ("Thing", "Line", frame.columns[2].capitalize(), "Value")
    rows = [
        (thing, line, when.to_datetime64().astype("datetime64[D]") if kind == "date" else when, _number(value))
        for thing, line, when, value in frame.itertuples(index=False, name=None)
    ]
    units = {line: {2: kind, 3: deal.unit(line)} for line in dict.fromkeys(frame["line"])}
    return Sheet(title, tuple(map(SheetColumn, columns)), tuple(rows), tuple(units[row[1]] for row in rows))


_MOST_ROWS = 60_000


def _typed(weighing: Weighing, name: str, value: float) -> object:
    plain = plain_value(weighing.definition, name, value)
    if isinstance(plain, str) and weighing.definition.unit(name) == "date" and plain != "never":
        return np.datetime64(plain, "D")
    return plain


def _number(value: float) -> float | None:
    return value + 0.0 if np.isfinite(value) else None

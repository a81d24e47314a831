"""How a variation describes itself, as a document: a table, or a two-way table and its map."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from functools import partial

import numpy as np
from numpy.typing import NDArray

from pennyweight.analysis.showing import axis_kind, headed, headed_axis, show_base, show_figure
from pennyweight.analysis.varying.variation import Variation
from pennyweight.analysis.weighing.verdict import PAYS_OFF, VerdictWord
from pennyweight.array_kinds import Floats
from pennyweight.deals.definition import Definition
from pennyweight.deals.language.nodes import Number
from pennyweight.deals.language.translation import folded
from pennyweight.documents import (
    Block,
    Cell,
    Column,
    Document,
    HeatMap,
    LinesChart,
    Table,
    Text,
)
from pennyweight.documents.derivation import Derivation, Why
from pennyweight.documents.handout import Handout, sheets_of
from pennyweight.pages.weighing.words import VERDICT_LEGEND, VERDICT_MARKS, VERDICT_TONES, good_side

__all__ = ["document", "handout"]


def document(variation: Variation) -> Document:
    """A table for one input; a two-way table and a heat map for two."""
    page = _one_way(variation) if len(variation.inputs) == 1 else _two_way(variation)
    if variation.worked_by is None:
        return page
    told = [Text(said, "comparison") for said in variation.worked_by.sentences]
    return replace(page, blocks=(*page.blocks, *told))


def handout(variation: Variation, page: Document) -> Handout:
    """The variation as it is handed over; in its workbook each column has the format of its unit."""
    deal = variation.definition
    named = [*variation.inputs, *(name for name in variation.figures if name != "pays_off")]
    units = {name.replace(" ", "_"): deal.unit(name) for name in named}
    return Handout(
        page,
        lambda: sheets_of({"cases": variation.frame}, units),
        currency=deal.style.currency,
        places=deal.style.places,
    )


def _one_way(variation: Variation) -> Document:
    deal = variation.definition
    ((name, axis),) = variation.inputs.items()
    columns = [Column(headed_axis(deal, deal.inputs[name]))]
    columns += [Column(headed(deal, measure)) for measure in variation.show]
    if variation.verdicts is not None:
        columns.append(Column("Verdict", words=True))
    rows = []
    for k, value in enumerate(axis):
        at_base = bool(np.isclose(value, variation.base[name], rtol=1e-12, atol=0))
        cells = [Cell(_axis_value(variation, name, value), "question" if at_base else "plain")]
        cells += [Cell(show_figure(deal, m, float(variation.figures[m][k]), unit=False)) for m in variation.show]
        if variation.verdicts is not None:
            word: VerdictWord = variation.verdicts[k]
            cells.append(Cell(word, VERDICT_TONES[word]))
        rows.append(tuple(cells))
    title = f"{', '.join(deal.label(m) for m in variation.show)} as {deal.label(name)} varies"
    table = Table(title, tuple(columns), tuple(rows), why=_why(variation, variation.show))
    charts = tuple(_chart(variation, measure) for measure in variation.show[:4])
    return Document(deal.title, (table,), f"Scenario: {deal.scenario_label(variation.scenario)}.", charts)


def _chart(variation: Variation, measure: str) -> LinesChart:
    """A figure over the input that is varied, its goal across, the deal as it stands marked."""
    deal = variation.definition
    ((name, axis),) = variation.inputs.items()
    item, unit = deal.inputs[name], deal.unit(measure)
    goal = deal.goals.get(measure)
    bound = None if goal is None else folded(goal.at_least or goal.at_most or Number(0.0, "0"))
    word = "at least" if goal is not None and goal.at_least is not None else "at most"
    targets = () if bound is None else ((f"{word} {deal.style.show(bound, unit)}", bound),)
    known = variation.figures[measure][np.isfinite(variation.figures[measure])]
    title = f"{deal.label(measure)} {_span(deal, measure, known)}"
    base = variation.base[name]
    inside = not item.choices and bool(axis.min() <= base <= axis.max())
    return LinesChart(
        f"line_{measure}",
        title,
        axis,
        ((deal.label(measure), variation.figures[measure]),),
        headed_axis(deal, deal.inputs[name]),
        {"money": deal.style.currency, "share": "", "rate": "a year"}.get(unit, "" if unit == "number" else unit),
        targets=targets,
        marks=(("as it stands", base),) if inside else (),
        x_words=tuple(item.choices[round(v)] for v in axis.tolist()) if item.choices else (),
        percent=unit in ("share", "rate"),
        x_kind=axis_kind(item),
    )


def _span(deal: Definition, measure: str, known: Floats) -> str:
    """Between what a figure runs."""
    if not known.size:
        return "is undefined at every value"
    low, high = (show_figure(deal, measure, float(end)) for end in (known.min(), known.max()))
    return f"runs from {low} to {high}" if low != high else f"is {low} at every value"


def _two_way(variation: Variation) -> Document:
    deal = variation.definition
    first, second = variation.inputs
    tables: list[Block] = []
    charts = []
    passes = variation.figures["pays_off"] == 1 if "pays_off" in variation.figures else None
    for measure in variation.show:
        values = variation.figures[measure]
        shown = [[show_figure(deal, measure, float(v), unit=False) for v in row] for row in values]
        columns = (
            Column(f"{first} ↓  {second} →", words=False),
            *(Column(_axis_value(variation, second, v)) for v in variation.inputs[second]),
        )
        rows = tuple(
            (
                Cell(_axis_value(variation, first, value), "question"),
                *(_map_cell(variation, shown[i][j], i, j) for j in range(values.shape[1])),
            )
            for i, value in enumerate(variation.inputs[first])
        )
        title = f"{_measure_title(deal, measure)}: {deal.label(first)} down, {deal.label(second)} across"
        note = "" if passes is None else VERDICT_LEGEND
        tables.append(Table(title, columns, rows, note, why=_why(variation, [measure])))
        charts.append(_heat_map(variation, measure, passes))
    return Document(deal.title, tuple(tables), f"Scenario: {deal.scenario_label(variation.scenario)}.", tuple(charts))


def _map_cell(variation: Variation, text: str, i: int, j: int) -> Cell:
    if variation.verdicts is None:
        return Cell(text)
    word: VerdictWord = variation.verdicts[i, j]
    return Cell(f"{VERDICT_MARKS[word]} {text}", VERDICT_TONES[word])


def _heat_map(variation: Variation, measure: str, passes: NDArray[np.bool_] | None) -> HeatMap:
    deal = variation.definition
    first, second = variation.inputs
    values = variation.figures[measure]
    count = 0 if passes is None else int(passes.sum())
    goal = deal.goals.get(measure)
    known = values[np.isfinite(values)]
    whole = deal.unit(measure) == "money" and known.size and float(np.abs(known).max()) >= 10_000
    shown = [
        [deal.style.show(float(v), deal.unit(measure), places=0 if whole else None) for v in row] for row in values
    ]
    finding = "" if passes is None else f": {PAYS_OFF} in {count} of {passes.size} cases"
    base = None
    places = [
        np.flatnonzero(np.isclose(variation.inputs[name], variation.base[name], rtol=1e-12)) for name in (first, second)
    ]
    if all(place.size for place in places):
        base = (int(places[0][0]), int(places[1][0]))
    return HeatMap(
        f"map_{measure}",
        f"{deal.label(measure)}{finding}",
        tuple(_axis_value(variation, second, v) for v in variation.inputs[second]),
        tuple(_axis_value(variation, first, v) for v in variation.inputs[first]),
        headed_axis(deal, deal.inputs[second]),
        headed_axis(deal, deal.inputs[first]),
        values,
        tuple(tuple(row) for row in shown),
        passes,
        base,
        good_side(deal, measure),
        None if goal is None else folded(goal.at_least or goal.at_most or Number(0.0, "0")),
    )


def _axis_value(variation: Variation, name: str, value: float) -> str:
    """A value of an input that is varied; of a series the share of it."""
    deal = variation.definition
    if deal.inputs[name].by_scale:
        return deal.style.show(float(value), "share", places=1)
    return show_base(deal, deal.inputs[name], float(value))


def _measure_title(deal: Definition, measure: str) -> str:
    suffix = {"money": deal.style.currency, "rate": "a year", "years": "years"}.get(deal.unit(measure), "")
    return deal.label(measure) + (f", {suffix}" if suffix else "")


def _at_first(variation: Variation) -> str:
    """The first value of each input."""
    return " and ".join(
        f"{variation.definition.label(name)} {_axis_value(variation, name, float(axis[0]))}"
        for name, axis in variation.inputs.items()
    )


def _why(variation: Variation, measures: Sequence[str]) -> Why:
    note = "Every other place is worked out the same way, with its own value."
    return Why(f"With {_at_first(variation)}", partial(_told, variation, measures), note)


def _told(variation: Variation, measures: Sequence[str]) -> dict[str, Derivation]:
    """The formulas of some measures, and their first values as examples."""
    deal, at = variation.definition, _at_first(variation)
    formulas = {**deal.measures, **deal.values}
    found = {}
    for measure in measures:
        value = float(variation.figures[measure].reshape(-1)[0])
        how = formulas[measure].text if measure in formulas else f"the answer to '{measure}'"
        found[f"{deal.label(measure)}, with {at}"] = Derivation(
            show_figure(deal, measure, value if value == value else None), f"{how or measure}, all else as it stands"
        )
    return found

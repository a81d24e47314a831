"""How a variation describes itself, as a document: a table, or a two-way table and its map."""

from __future__ import annotations

from typing import TYPE_CHECKING, TypeAlias

import numpy as np
from numpy.typing import NDArray

from pennyweight.deals.definition import Definition
from pennyweight.documents import (
    Block,
    Cell,
    Column,
    Document,
    HeatMap,
    Table,
)

if TYPE_CHECKING:
    from pennyweight.analysis.variation import Variation

__all__ = ["variation_page"]

Floats: TypeAlias = NDArray[np.float64]


def variation_page(variation: Variation) -> Document:
    """A table for one input; a two-way table and a heat map for two."""
    if len(variation.inputs) == 1:
        return _one_way(variation)
    return _two_way(variation)


def _one_way(variation: Variation) -> Document:
    deal = variation.definition
    ((name, axis),) = variation.inputs.items()
    columns = [Column(deal.style.headed(name, "money") if deal.unit(name) == "money" else name)]
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
    return Document(deal.title, (Table(title, tuple(columns), tuple(rows)),), f"Scenario: {variation.scenario}.")


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
        charts.append(_heat_map(variation, measure, passes))
    return Document(deal.title, tuple(tables), f"Scenario: {variation.scenario}.", tuple(charts))


def _map_cell(text: str, passes: NDArray[np.bool_] | None, i: int, j: int) -> Cell:
    if passes is None:
        return Cell(text)
    return Cell(f"✓ {text}", "in") if passes[i, j] else Cell(f"✗ {text}", "out")


def _heat_map(variation: Variation, measure: str, passes: NDArray[np.bool_] | None) -> HeatMap:
    deal = variation.definition
    first, second = variation.inputs
    values = variation.figures[measure]
    count = 0 if passes is None else int(passes.sum())
    known = values[np.isfinite(values)]
    whole = deal.unit(measure) == "money" and known.size and float(np.abs(known).max()) >= 10_000
    shown = [
        [deal.style.show(float(v), deal.unit(measure), places=0 if whole else None) for v in row] for row in values
    ]
    finding = "" if passes is None else f": pays off in {count} of {passes.size} cases"
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
        _axis_title(variation, second),
        _axis_title(variation, first),
        values,
        tuple(tuple(row) for row in shown),
        passes,
        base,
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

"""How a break-even line describes itself: its pairs as a table, and the chart with the scenarios marked."""

from __future__ import annotations

from functools import partial

import numpy as np

from pennyweight.analysis.finding.break_even import Branch, BreakEven
from pennyweight.analysis.finding.finding import sets_itself
from pennyweight.analysis.showing import axis_kind, headed_axis, show_base, show_value
from pennyweight.documents import Block, Cell, Column, CurvesChart, Document, Row, Table, Text
from pennyweight.documents.derivation import Derivation, Why
from pennyweight.pages.explaining.figures_beside import beside as near
from pennyweight.pages.explaining.figures_beside import figures_at
from pennyweight.pages.weighing.answers import aim_of, watched

__all__ = ["document"]

_MOST_ROWS = 30


def document(found: BreakEven) -> Document:
    """A column a branch, a row a value along; then where branches begin and end."""
    deal = found.definition
    blocks: list[Block] = []
    if found.branches:
        blocks.append(_pairs(found))
        blocks += _ends(found)
    for scenario, reason in found.reasons.items():
        blocks.append(Text(f"{deal.scenario_label(scenario)}: nothing found; {reason}.", "out"))
    for name in dict.fromkeys([*(branch.scenario for branch in found.branches), *found.reasons]):
        own = [one for one in (found.input, found.along) if sets_itself(deal, name, one)]
        if own:
            said, label = " and ".join(_label(found, one) for one in own), deal.scenario_label(name)
            blocks.append(Text(f"{label}: the scenario's own {said} is overridden.", "comparison"))
    charts = (_chart(found),) if found.branches else ()
    return Document(deal.title, tuple(blocks), f"{_label(found, found.input)} so that {found.so_that}", charts)


def _label(found: BreakEven, name: str) -> str:
    return found.definition.label(name)


def _named(found: BreakEven, number: int) -> str:
    """How a branch is called: by its scenario, and its number where there are several."""
    own = [branch for branch in found.branches if branch.scenario == found.branches[number].scenario]
    label = found.definition.scenario_label(found.branches[number].scenario)
    place = own.index(found.branches[number]) + 1
    return f"{label}, line {place}" if len(own) > 1 else label


def _pairs(found: BreakEven) -> Table:
    deal = found.definition
    item, beside = deal.inputs[found.input], deal.inputs[found.along]
    places = found.places if found.places.size <= _MOST_ROWS else found.places[:: -(-found.places.size // _MOST_ROWS)]

    def at(branch: Branch, place: float) -> str:
        here = np.flatnonzero(branch.along == place)
        return show_value(deal, item, float(branch.values[here[0]])) if here.size else ""

    rows = tuple(
        Row(
            (
                Cell(show_base(deal, beside, float(place))),
                *(Cell(at(one, place), "question") for one in found.branches),
            ),
            Why(show_base(deal, beside, float(place)), partial(_explained, found, float(place))),
        )
        for place in places
    )
    columns = (Column(headed_axis(deal, beside)), *(Column(_named(found, k)) for k in range(len(found.branches))))
    title = f"{_label(found, found.input)} at which it just holds, along {_label(found, found.along)}"
    return Table(title, columns, rows)


def _explained(found: BreakEven, place: float) -> dict[str, Derivation]:
    """What was asked at each pair with this value along, and just beside it."""
    asked, told = found.search, dict[str, Derivation]()
    if asked is None:
        return told
    deal, model = found.definition, asked.model
    item, along = deal.inputs[found.input], deal.inputs[found.along]
    names, bound = watched(model.definition, asked.question)
    for k, branch in enumerate(found.branches):
        for value in branch.values[branch.along == place].tolist():
            case = model.moved(asked.cases[branch.scenario], found.along, place)
            parts = figures_at(model, case, item, near(item, value), names, bound) if names else {}
            formula = f"looked for so that {aim_of(asked.question)}, with {along.label} {show_base(deal, along, place)}"
            told[_named(found, k)] = Derivation(show_value(deal, item, value), formula, "", parts)
    return told


def _ends(found: BreakEven) -> list[Text]:
    deal, told = found.definition, []
    item, beside = deal.inputs[found.input], deal.inputs[found.along]
    for k, branch in enumerate(found.branches):
        for inside, place, word in ((branch.begins, 0, "begins"), (branch.ends, -1, "ends")):
            if inside:
                x, y = float(branch.along[place]), float(branch.values[place])
                at = f"{_label(found, found.along)} {show_value(deal, beside, x)}"
                told.append(Text(f"{_named(found, k)} {word} at {at}, near {show_value(deal, item, y)}.", "comparison"))
    return told


def _chart(found: BreakEven) -> CurvesChart:
    deal = found.definition
    item, beside = deal.inputs[found.input], deal.inputs[found.along]
    lines = tuple((_named(found, k), one.along, one.values) for k, one in enumerate(found.branches))
    low, high = float(found.places.min()), float(found.places.max())
    every = np.concatenate([one.values for one in found.branches])
    bottom, top = float(every.min()), float(every.max())
    room = 0.6 * (top - bottom or abs(top) or 1.0)
    standing: dict[tuple[float, float], list[str]] = {}
    for name, (x, y) in found.points.items():
        if low <= x <= high and bottom - room <= y <= top + room:
            standing.setdefault((x, y), []).append(deal.scenario_label(name))
    points = tuple(
        (f"{labels[0]} and {len(labels) - 1} more" if len(labels) > 1 else labels[0], x, y)
        for (x, y), labels in standing.items()
    )
    return CurvesChart(
        f"line_{found.input}",
        f"{_label(found, found.input)} and {_label(found, found.along)}, so that {found.so_that}",
        lines,
        points,
        headed_axis(deal, beside),
        headed_axis(deal, item),
        axis_kind(beside),
        axis_kind(item),
    )

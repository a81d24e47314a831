"""The charts of a simulation: where a figure falls, how often it reaches what, how a line spreads over time."""

from __future__ import annotations

import numpy as np

from pennyweight.analysis.showing import headed, show_figure
from pennyweight.analysis.simulating.simulation import Simulation
from pennyweight.analysis.simulating.tally import BANDS
from pennyweight.array_kinds import Floats
from pennyweight.deals.definition import Definition
from pennyweight.deals.language.translation import folded
from pennyweight.documents import Chart, FanChart, HistogramChart, LinesChart
from pennyweight.documents.chart_kinds import AxisKind

__all__ = ["charts_of"]

_BARS = 40
_PLACES = 200


def charts_of(simulation: Simulation) -> tuple[Chart, ...]:
    """The deciding figure twice, as bars and as a curve, then every line that was asked for."""
    deal = simulation.definition
    goals = [name for name in deal.goals if name in simulation.values]
    name = next(iter([*goals, *simulation.values]))
    values = simulation.values[name]
    known = values[np.isfinite(values)]
    found: list[Chart] = []
    if known.size and np.ptp(known) > 0:
        found += [_histogram(simulation, name, known), _reached(simulation, name, known, values.size)]
    return (*found, *(_fan(simulation, line, rows) for line, rows in simulation.fans.items()))


def _bound(deal: Definition, name: str) -> tuple[str, float, bool] | None:
    """(what is asked in words, the bound, whether more is better)."""
    goal = deal.goals.get(name)
    if goal is None:
        return None
    upward = goal.at_least is not None
    node = goal.at_least if goal.at_least is not None else goal.at_most
    value = None if node is None else folded(node)
    if value is None:
        return None
    return f"asked: {'at least' if upward else 'at most'} {show_figure(deal, name, value)}", value, upward


def _histogram(simulation: Simulation, name: str, known: Floats) -> HistogramChart:
    deal, bound = simulation.definition, _bound(simulation.definition, name)
    low, high = np.quantile(known, [0.001, 0.999])
    low, high = (low, high) if high > low else (float(known.min()), float(known.max()))
    edges = np.linspace(low, high, _BARS + 1)
    if bound is not None and low < bound[1] < high:  # a bar ends where what is asked begins
        width = edges[1] - edges[0]
        edges = bound[1] + width * np.arange(np.floor((low - bound[1]) / width), np.ceil((high - bound[1]) / width) + 1)
    counts, _ = np.histogram(np.clip(known, edges[0], edges[-1]), edges)
    shares = counts / simulation.values[name].size
    missed = np.zeros(shares.size, dtype=np.bool_)
    if bound is not None:
        middle = (edges[1:] + edges[:-1]) / 2
        missed = middle < bound[1] if bound[2] else middle > bound[1]
    spread = simulation.spreads[name]
    ends = [show_figure(deal, name, spread.percentiles[level]) for level in (5, 95)]
    title = f"{deal.label(name)}: in 90 of 100 cases between {ends[0]} and {ends[1]}"
    base = simulation.base[name]
    inside = np.isfinite(base) and edges[0] <= base <= edges[-1]
    shown = None if bound is None or not edges[0] <= bound[1] <= edges[-1] else (bound[0], bound[1])
    kind: AxisKind = "percent" if deal.unit(name) in ("rate", "share") else "number"
    return HistogramChart(
        f"histogram_{name}",
        title,
        edges,
        shares,
        missed,
        headed(deal, name),
        shown,
        base if inside else None,
        kind,
    )


def _reached(simulation: Simulation, name: str, known: Floats, count: int) -> LinesChart:
    """In which share of the cases a figure is this or more; of one that must be at most something, this or less."""
    deal, bound = simulation.definition, _bound(simulation.definition, name)
    upward = bound is None or bound[2]
    ordered = np.sort(known)
    first, last = (float(end) for end in np.quantile(ordered, [0.001, 0.999]))
    x = np.linspace(first, last, _PLACES)
    if upward:
        shares = (ordered.size - np.searchsorted(ordered, x, side="left")) / count
    else:
        shares = np.searchsorted(ordered, x, side="right") / count
    marks = [("as it stands", simulation.base[name])]
    if bound is not None:
        marks.insert(0, (bound[0], bound[1]))
    inside = tuple((label, place) for label, place in marks if np.isfinite(place) and x[0] <= place <= x[-1])
    word = "more" if upward else "less"
    return LinesChart(
        f"reached_{name}",
        f"{deal.label(name)}: in how many cases it is so much or {word}",
        x,
        ((f"this or {word}", shares),),
        headed(deal, name),
        "Of all cases",
        marks=inside,
        percent=True,
        x_kind="percent" if deal.unit(name) in ("rate", "share") else "number",
    )


def _fan(simulation: Simulation, name: str, rows: Floats) -> FanChart:
    deal = simulation.definition
    years = deal.timeline.years
    by_level = dict(zip(BANDS, rows, strict=True))
    last = rows[:, -1]
    # Counted by leading bits, so that three digits are what is known.
    ends = [show_figure(deal, name, float(f"{one:.3g}")) for one in (last[0], last[-1])]
    title = f"{deal.label(name)} ends in 90 of 100 cases between about {ends[0]} and {ends[1]}"
    return FanChart(
        f"fan_{name}",
        title,
        years,
        (("90 of 100 cases", by_level[5], by_level[95]), ("50 of 100 cases", by_level[25], by_level[75])),
        ("the middle", by_level[50]),
        "Years from the start",
        headed(deal, name),
        percent=deal.unit(name) in ("rate", "share"),
    )

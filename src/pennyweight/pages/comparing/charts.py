"""The charts of a comparison."""

from __future__ import annotations

import numpy as np

from pennyweight.analysis.comparing.comparison import Comparison
from pennyweight.analysis.showing import show_figure
from pennyweight.documents import Chart, LinesChart

__all__ = ["comparison_charts"]

_MOST_LINES = 8


def comparison_charts(comparison: Comparison) -> tuple[Chart, ...]:
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
                "figures",
                f"{first.definition.label(name)}: {words[best_at]} has the most, {shown}",
                np.empty(0),
                ((first.definition.label(name), figures),),
                "",
                y_title,
                "bars",
                targets,
                x_words=words,
                percent=unit in ("share", "rate"),
            )
        )
    return tuple(charts)

"""What each thing of a set adds to a line over the years: the largest seven, and the rest together."""

from __future__ import annotations

from typing import Literal

import numpy as np

from pennyweight.analysis.weighing.weighing import Weighing
from pennyweight.array_kinds import Floats
from pennyweight.deals.parts import COUNTED
from pennyweight.deals.worked_out import of_each
from pennyweight.documents import LinesChart

__all__ = ["by_thing", "chosen_line"]

_LARGEST = 7


def chosen_line(weighing: Weighing) -> str:
    """The line of money in, of each thing of a set, that brings most; empty where there is none."""
    deal = weighing.definition
    lines = [name for name, line in deal.lines.items() if line.each and line.role == "in"]
    sums = {name: float(_counted(weighing, name).sum()) for name in lines if deal.sets[deal.each[name]].size > 1}
    return max(sums, key=lambda name: sums[name], default="")


def by_thing(weighing: Weighing, name: str, label: str = "", kind: Literal["area", "bars"] = "area") -> LinesChart:
    """The chart of a line or level; areas on one another where nothing lies below zero, else lines."""
    deal, time = weighing.definition, weighing.definition.timeline
    things, table = deal.sets[deal.each[name]], _counted(weighing, name)
    year = time.year[:, 0].astype(np.intp)
    ends = np.flatnonzero(np.append(np.diff(year), 1))
    stands = deal.stands(name)
    values = table[ends] if stands else np.add.reduceat(table, np.append(0, ends[:-1] + 1), axis=0)
    sizes = np.abs(values).sum(axis=0)
    order = np.argsort(-sizes, kind="stable")
    lines: list[tuple[str, Floats]] = [(things.things[k], values[:, k]) for k in order[:_LARGEST].tolist()]
    if order.size > _LARGEST:
        rest = order[_LARGEST:]
        lines.append((f"the other {rest.size:,} {things.label}", values[:, rest].sum(axis=1)))
    x = np.unique(time.year[:, 0])
    if not stands and not values[0].any():
        x, lines = x[1:], [(text, one[1:]) for text, one in lines]
    total, largest = float(values[-1].sum() if stands else values.sum()), order[0]
    own = float(values[-1, largest] if stands else values[:, largest].sum())
    shown = deal.style.with_unit(own, deal.unit(name))
    title = f"{deal.label(name)}: most is {things.things[largest]}, {shown}"
    title += f" of {deal.style.with_unit(total, deal.unit(name))}" if total > own else ""
    suffix = "" if stands else " a year"
    unit = deal.style.currency if deal.unit(name) == "money" else deal.unit(name)
    below = bool((values < 0).any())
    return LinesChart(
        f"{name} by thing",
        title,
        x,
        tuple(lines),
        "Years from the start",
        f"{unit}{suffix}".strip(),
        "lines" if below and kind == "area" else kind,
        about=label,
    )


def _counted(weighing: Weighing, name: str) -> Floats:
    """What each thing has; of money in and out nothing after the period to which the deal is counted."""
    deal, table = weighing.definition, np.nan_to_num(of_each(weighing.worked_out, name))
    if deal.counted_to is None or name not in deal.lines or deal.lines[name].role == "other":
        return table
    last = round(float(weighing.worked_out[COUNTED][0]))
    return np.where(np.arange(table.shape[0])[:, None] <= last, table, 0.0)

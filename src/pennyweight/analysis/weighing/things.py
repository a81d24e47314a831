"""What each thing of a set has in one case: its figures, and its lines and levels in long form."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import TYPE_CHECKING, Any

import numpy as np

from pennyweight.analysis.plain_values import plain_value
from pennyweight.analysis.weighing.asked_lines import Selection
from pennyweight.array_kinds import Floats
from pennyweight.deals.definition import Definition
from pennyweight.deals.worked_out import of_each

if TYPE_CHECKING:
    import pandas as pd

__all__ = ["each_lines", "figures_of_things", "things_frame"]


def each_lines(deal: Definition, things: str) -> list[str]:
    """The lines, levels and parts of loans that are worked out for each thing of a set."""
    own = [name for name, each in deal.each.items() if each == things]
    return [name for name in (*deal.lines, *deal.levels) if name in own] + [
        name for name in own if name.partition(".")[0] in deal.loans and name.partition(".")[2] in deal.loan_parts
    ]


def figures_of_things(deal: Definition, worked_out: Mapping[str, Floats]) -> dict[str, dict[str, dict[str, Any]]]:
    """By set, column, value or measure, and thing: what programs take."""
    found = {}
    for name, things in deal.sets.items():
        columns = [f"{name}.{column}" for column in things.columns if f"{name}.{column}" in deal.inputs]
        figures = [*columns, *(one for one, item in deal.each_figures.items() if item.each == name)]
        found[name] = {
            figure.removeprefix(f"{name}."): {
                thing: plain_value(deal, figure, float(value))
                for thing, value in zip(
                    things.things, np.broadcast_to(of_each(worked_out, figure), (things.size,)), strict=True
                )
            }
            for figure in figures
        }
    return found


def things_frame(
    deal: Definition,
    worked_out: Mapping[str, Floats],
    things: str,
    wanted: Selection,
    lines: Sequence[str] | None = None,
) -> pd.DataFrame:
    """Lines and levels of each thing of a set, a row a thing, line and period (or year): thing, line, period, value."""
    import pandas as pd

    own = deal.sets[things]
    time, shown = deal.timeline, np.arange(wanted.first, wanted.last + 1)
    yearly = wanted.by == "year"
    year = time.year[shown, 0].astype(np.int64)
    ends = np.flatnonzero(np.append(np.diff(year), 1))
    heads: Any = year[ends] if yearly else shown if time.dates is None else time.dates[shown]
    parts = []
    for name in each_lines(deal, things) if lines is None else lines:
        table = of_each(worked_out, name)[shown]
        how = deal.year_shows(name) if yearly else ""
        if how == "last":
            table = table[ends]
        elif how:
            first = np.append(0, ends[:-1] + 1)
            table = np.add.reduceat(table, first, axis=0)
            table = table / (ends - first + 1)[:, None] if how == "average" else table
        parts.append(
            pd.DataFrame(
                {
                    "thing": np.repeat(np.array(own.things, dtype=object), len(heads)),
                    "line": name,
                    "year" if yearly else "period" if time.dates is None else "date": np.tile(heads, own.size),
                    "value": table.T.reshape(-1),
                }
            )
        )
    return pd.concat(parts, ignore_index=True) if parts else pd.DataFrame(columns=["thing", "line", "period", "value"])

"""The tables of deals that are compared."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from pennyweight.analysis.comparing.comparison import Comparison
from pennyweight.analysis.showing import headed
from pennyweight.documents import Cell, Column, Table
from pennyweight.pages.weighing.own_tables import axis_value, columns_why, table_blocks

__all__ = ["compared_tables"]


def compared_tables(comparison: Comparison) -> list[Table]:
    """The deal's tables: a column of each scenario beside the others, two-way tables below one another."""
    blocks: list[Table] = []
    names = dict.fromkeys(name for weighing in comparison.weighings.values() for name in weighing.definition.tables)
    for name in names:
        having = {key: one for key, one in comparison.weighings.items() if name in one.definition.tables}
        first = next(iter(having.values())).tables[name]
        alike = all(
            len(one.tables[name].table.axes) == 1
            and list(one.tables[name].columns) == list(first.columns)
            and np.array_equal(one.tables[name].table.axes[0].values, first.table.axes[0].values)
            for one in having.values()
        )
        if not alike:
            for key, one in having.items():
                blocks += [
                    replace(block, title=f"{block.title} ({key})")
                    for block in table_blocks(one.tables[name])
                    if isinstance(block, Table)
                ]
            continue
        axis = first.table.axes[0]
        for column, single in first.table.columns.items():
            heads = (Column(headed(first.definition, axis.key, axis.label)), *(Column(key) for key in having))
            rows = []
            for k, value in enumerate(axis.values.tolist()):
                cells = [Cell(axis_value(first, axis, value), "question")]
                for one in having.values():
                    figure = float(one.tables[name].columns[column][k])
                    cells.append(Cell(first.shown(column, figure) if np.isfinite(figure) else "undefined"))
                rows.append(tuple(cells))
            title = f"{first.label}: {headed(first.definition, single.name, single.label)}"
            blocks.append(Table(title, heads, tuple(rows), why=columns_why(first, [column])))
    return blocks

"""A deal's own table on a page: a row each, or, for two names, one two-way table a column."""

from __future__ import annotations

from collections.abc import Sequence
from functools import partial

import numpy as np

from pennyweight.analysis.showing import headed, show_base
from pennyweight.analysis.weighing.own_tables import TableResult
from pennyweight.deals.parts import Axis, Single
from pennyweight.documents import Block, Cell, Column, Table
from pennyweight.documents.derivation import Derivation, Why

__all__ = ["MOST_ROWS", "axis_value", "column_title", "columns_why", "table_blocks"]

MOST_ROWS = 200
"""A page lists so many rows of a table; a workbook and the forms for programs have all."""
_ON_SCREEN = 40


def table_blocks(result: TableResult) -> list[Block]:
    """The table, or a two-way table for each of its columns; why cells are undefined stands below."""
    if len(result.table.axes) == 1:
        return [_one_way(result)]
    return [_two_way(result, name) for name in result.table.columns]


def axis_value(result: TableResult, axis: Axis, value: float) -> str:
    """A value of what the table goes by."""
    item = result.definition.varied(axis.key)
    assert item is not None
    return show_base(result.definition, item, value)


def _one_way(result: TableResult) -> Table:
    deal, axis = result.definition, result.table.axes[0]
    columns = [Column(headed(deal, axis.key, axis.label), words=axis.key in deal.sets)]
    columns += [
        Column(column_title(result, column), words=deal.unit(column.name) in ("date", "choice"))
        for column in result.table.columns.values()
    ]
    rows = []
    note = _note(result, None)
    if axis.values.size > MOST_ROWS:
        more = f"{axis.values.size - MOST_ROWS:,} more {axis.label}"
        note = " ".join([*filter(None, [note]), f"{more} are in a workbook (--output deal.xlsx) and in --format json."])
    for k, value in enumerate(axis.values[:MOST_ROWS].tolist()):
        cells = [Cell(axis_value(result, axis, value), "question")]
        cells += [_cell(result, name, (k,)) for name in result.table.columns]
        rows.append(tuple(cells))
    return Table(
        result.label,
        tuple(columns),
        tuple(rows),
        note,
        why=columns_why(result, list(result.columns)),
        on_screen=_ON_SCREEN if axis.key in deal.sets else None,
    )


def _two_way(result: TableResult, name: str) -> Table:
    deal, (down, across) = result.definition, result.table.axes
    head = f"{headed(deal, down.key, down.label)} ↓  {headed(deal, across.key, across.label)} →"
    columns = (
        Column(head, words=down.key in deal.sets),
        *(Column(axis_value(result, across, v)) for v in across.values.tolist()),
    )
    rows = tuple(
        (
            Cell(axis_value(result, down, value), "question"),
            *(_cell(result, name, (i, j)) for j in range(across.values.size)),
        )
        for i, value in enumerate(down.values.tolist())
    )
    title = f"{result.label}: {column_title(result, result.table.columns[name])}"
    return Table(
        title if len(result.table.columns) > 1 else result.label,
        columns,
        rows,
        _note(result, name),
        why=columns_why(result, [name]),
    )


def column_title(result: TableResult, column: Single) -> str:
    """The heading of a column: its label with its unit."""
    return headed(result.definition, column.name, column.label)


def _cell(result: TableResult, name: str, place: tuple[int, ...]) -> Cell:
    value = float(result.columns[name][place])
    if not np.isfinite(value) and result.shown(name, value) != "never":
        return Cell("undefined", "out")
    return Cell(result.shown(name, value))


def _note(result: TableResult, only: str | None) -> str:
    """What the deal says of the table, and why figures in it are undefined, each reason once."""
    places: dict[tuple[str, str], list[str]] = {}
    for (name, place), reason in result.reasons.items():
        if only in (None, name):
            at = " and ".join(
                f"{axis.label} {axis_value(result, axis, float(axis.values[k]))}"
                for axis, k in zip(result.table.axes, place, strict=True)
            )
            places.setdefault((name, reason), []).append(at)
    told = []
    for (name, reason), cells in list(places.items())[:4]:
        where = ", ".join(cells[:2]) + (f" and {len(cells) - 2} more" if len(cells) > 2 else "")
        told.append(f"Undefined, {result.table.columns[name].label} at {where}: {reason}.")
    return " ".join([*filter(None, [result.table.note]), *told])


def columns_why(result: TableResult, names: Sequence[str]) -> Why:
    """The formulas of some columns, at the first place."""
    note = "Every other place is worked out the same way, with its own value."
    return Why(result.label, partial(_told_columns, result, names), note)


def _told_columns(result: TableResult, names: Sequence[str]) -> dict[str, Derivation]:
    """The formulas of some columns of a deal's own table, at its first place."""
    axes = result.table.axes
    at = " and ".join(f"{axis.label} at {axis_value(result, axis, float(axis.values[0]))}" for axis in axes)
    told = {}
    for name in names:
        column = result.table.columns[name]
        value = float(result.columns[name].reshape(-1)[0])
        told[f"{column_title(result, column)}, with {at}"] = Derivation(
            result.shown(name, value) if np.isfinite(value) else "undefined",
            f"{column.text or column.name}, all else as it stands",
        )
    return told

"""The tables of a deal in one case: its columns for every value of what they go by."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Any, ClassVar

import numpy as np

from pennyweight.analysis.cases import Model
from pennyweight.analysis.plain_values import plain_value
from pennyweight.analysis.showing import show_figure
from pennyweight.array_kinds import Floats
from pennyweight.deals.compiler.program import each_name
from pennyweight.deals.definition import Definition
from pennyweight.deals.inputs import Inputs, moved_by, stack
from pennyweight.deals.language.nodes import Name
from pennyweight.deals.parts import Axis, Grid, Input
from pennyweight.deals.undefined import why_undefined
from pennyweight.described import Described

if TYPE_CHECKING:
    import pandas as pd

__all__ = ["TableResult", "table_of"]


_MOST_REASONS = 40


@dataclass(frozen=True, eq=False, slots=True, repr=False)
class TableResult(Described):
    """A table of a deal, worked out: `by` holds the values it goes by, `columns` the figures, (first,)
    or (first, second).

    Notes
    -----
    A figure that is undefined is NaN, and `reasons` says why, by column and place.

    Examples
    --------
    >>> from pennyweight import Deal
    >>> deal = Deal.from_dict({
    ...     "deal": "Kiln",
    ...     "timeline": {"period": "year", "periods": 4},
    ...     "money_in": {"pots": 4_000},
    ...     "money_out": {"kiln": {"formula": 9_000, "at": 0}},
    ...     "tables": {"kept": {"by": {"held": [2, 4]}, "columns": {"return": "irr(net, years=held)"}}},
    ... })
    >>> deal.weigh().tables["kept"].columns["return"].round(4).tolist()
    [-0.075, 0.2777]
    """

    INTERNAL: ClassVar[tuple[str, ...]] = ("definition", "table", "cells")

    name: str
    label: str
    by: Mapping[str, Floats]
    columns: Mapping[str, Floats]
    reasons: Mapping[tuple[str, tuple[int, ...]], str]
    table: Grid = field(repr=False)
    definition: Definition = field(repr=False)

    def shown(self, column: str, value: float) -> str:
        """A figure of a column as a page shows it, without its unit: a word where the column is the answer to a choice.

        Parameters
        ----------
        column : str
            Its name.
        value : float
            The figure.

        Returns
        -------
        str
            A figure of a column as a page shows it, without its unit: a word where the column is the answer to a
            choice.

        Examples
        --------
        >>> from pennyweight import Deal
        >>> deal = Deal.starter("four-flats")
        >>> deal.weigh().tables["sold_after"].shown("received", 12_345.678)
        '12,345.68'
        """
        node = self.table.columns[column].node
        if isinstance(node, Name) and node.name in self.definition.inputs and node.name not in self.definition.values:
            item = self.definition.inputs[node.name]
            if np.isposinf(value):
                return "never"
            if item.choices:
                return item.choices[round(value)]
        if isinstance(node, Name) and node.name in self.definition.questions:
            return show_figure(self.definition, node.name, value, unit=False)
        return self.definition.style.show(value, self.definition.unit(self.table.columns[column].name))

    def cells(self) -> list[tuple[str, object, str, str]]:
        """Every cell in a row: "kept: cash, held 2", its value, its unit, why it is undefined.

        Returns
        -------
        list[tuple[str, object, str, str]]
            Every cell in a row: "kept: cash, held 2", its value, its unit, why it is undefined.

        Examples
        --------
        >>> from pennyweight import Deal
        >>> deal = Deal.starter("four-flats")
        >>> deal.weigh().tables["sold_after"].cells()[0][0]
        'sold_after: received, years_held 1'
        """
        found: list[tuple[str, object, str, str]] = []
        for place in np.ndindex(*(axis.size for axis in self.by.values())):
            at = ", ".join(
                f"{axis.name} {self._said(axis, float(axis.values[k]))}"
                for axis, k in zip(self.table.axes, place, strict=True)
            )
            for name, values in self.columns.items():
                unit = self.definition.unit(self.table.columns[name].name)
                reason = self.reasons.get((name, place), "")
                found.append((f"{self.name}: {name}, {at}", self._figure(name, float(values[place])), unit, reason))
        return found

    def _said(self, axis: Axis, value: float) -> str:
        word = self._word(axis, value)
        return f"{word:g}" if isinstance(word, float) else str(word)

    @property
    def frame(self) -> pd.DataFrame:
        """One row a cell: what the table goes by, then its columns."""
        import pandas as pd

        mesh = np.meshgrid(*self.by.values(), indexing="ij")
        rows: dict[str, Any] = {
            name: [self._word(axis, value) for value in grid.reshape(-1)]
            for (name, grid), axis in zip(zip(self.by, mesh, strict=True), self.table.axes, strict=True)
        }
        rows.update({name: values.reshape(-1) for name, values in self.columns.items()})
        return pd.DataFrame(rows)

    def as_dict(self) -> dict[str, Any]:
        """Plain values for JSON: a row each, and why a figure is undefined.

        Returns
        -------
        dict[str, Any]
            Plain values for JSON: a row each, and why a figure is undefined.
        """
        rows = []
        for place in np.ndindex(*(axis.size for axis in self.by.values())):
            row: dict[str, Any] = {
                axis.name: self._word(axis, float(axis.values[k]))
                for axis, k in zip(self.table.axes, place, strict=True)
            }
            for name, values in self.columns.items():
                row[name] = self._figure(name, float(values[place]))
            rows.append(row)
        why = [
            {
                "column": column,
                "row": int(np.ravel_multi_index(place, next(iter(self.columns.values())).shape)),
                "reason": said,
            }
            for (column, place), said in self.reasons.items()
        ]
        return {"label": self.label, "rows": rows, "undefined": why}

    def _figure(self, column: str, value: float) -> Any:
        """A figure of a column as programs take it; of a column of a set a word, a day or "never" where it is one."""
        node = self.table.columns[column].node
        named = isinstance(node, Name) and node.name in self.definition.inputs
        return (
            plain_value(self.definition, node.name, value)
            if isinstance(node, Name) and named
            else self._word(None, value)
        )

    def _word(self, axis: Axis | None, value: float) -> Any:
        """A value as programs take it: the word of a choice, a day, a number, or nothing."""
        if not np.isfinite(value):
            return None
        item = None if axis is None else self.definition.varied(axis.key)
        if item is not None and item.choices:
            return item.choices[round(value)]
        return value


def table_of(model: Model, table: Grid, case: Inputs) -> TableResult:
    """Work out a table in one case, all its cells in one batch."""
    deal = model.definition
    base = stack(deal, [case])
    others = [axis for axis in table.axes if axis.key not in deal.sets]
    mesh = np.meshgrid(*(axis.values for axis in others), indexing="ij")
    changes = {axis.key: grid.reshape(-1) for axis, grid in zip(others, mesh, strict=True)}
    cases = mesh[0].size if mesh else 1
    names = [each_name(column.name) if column.each else column.name for column in table.columns.values()]
    figures = model.sweep(base, np.zeros(cases, np.intp), changes, names)
    columns = {
        name: _laid_out(deal, table, np.array(figures[asked]))
        for (name, column), asked in zip(table.columns.items(), names, strict=True)
    }
    reasons: dict[tuple[str, tuple[int, ...]], str] = {}
    for name, values in columns.items():
        for place in list(zip(*np.nonzero(np.isnan(values) | np.isneginf(values)), strict=True))[:_MOST_REASONS]:
            where = tuple(int(k) for k in place)
            reasons[name, where] = _reason(model, table, case, name, where)
    by = {axis.name: axis.values for axis in table.axes}
    return TableResult(table.name, table.label, by, columns, reasons, table, deal)


def _laid_out(deal: Definition, table: Grid, values: Floats) -> Floats:
    """A column by what the table goes by: of a set only the things that it names."""
    shape = [axis.values.size for axis in table.axes if axis.key not in deal.sets]
    for k, axis in enumerate(table.axes):
        if axis.key in deal.sets:
            whole = values.reshape(-1, *shape)[axis.values.astype(np.intp)]
            return np.moveaxis(whole, 0, k)
    return values.reshape(shape)


def _reason(model: Model, table: Grid, case: Inputs, name: str, place: tuple[int, ...]) -> str:
    column = table.columns[name]
    moved = dict(case)
    asked_name = column.name
    for axis, k in zip(table.axes, place, strict=True):
        value = float(axis.values[k])
        if axis.key in model.definition.sets:
            asked_name = f"{axis.key}.{model.definition.sets[axis.key].things[int(value)]}.{column.name}"
            continue
        item = model.definition.varied(axis.key)
        moved[axis.key] = _moved(item, moved[axis.key], value)
    reached = model.program.depends[model.program.names[column.name]]
    asked = [question for question in model.definition.questions if reached & model.program.bits[question]]
    wanted = [column.name, *([each_name(column.name)] if column.each else []), *asked]
    values = model.with_figures(model.everything(moved), moved, wanted)
    if np.isinf(values[asked_name][0]):
        return "it is larger than any number can hold"
    return why_undefined(model.definition, values, asked_name)


def _moved(item: Input | None, was: Any, value: float) -> Any:
    """What a table's value makes of an input."""
    if item is None or not item.is_series:
        return value
    return moved_by(item, np.asarray(was)[:, None], np.array([value]))[:, 0]

"""The page of the working of cash flows: formula, table, sum, and how far the hand's answer is from the exact one."""

from __future__ import annotations

from functools import partial
from typing import Literal

import numpy as np

from pennyweight.documents import Block, Cell, Checks, Column, Document, Row, Table, Text
from pennyweight.documents.derivation import Why
from pennyweight.documents.tables import ends, rows_at
from pennyweight.instruments.flows.flows_working import FlowsWorking
from pennyweight.pages.flows.flow_derivations import row_derivations
from pennyweight.quantities.units import Style

__all__ = ["document"]

_PLACES = 8
"""Decimals of an exact factor in the table."""


def document(working: FlowsWorking) -> Document:
    """Formula, table, sum, and how far the hand's answer is from the exact one."""
    flows, style = working.flows, Style(working.flows.currency)
    dated, running = flows.dates is not None, np.cumsum(flows.amounts)
    places = working.places
    columns = (Column("Date" if dated else flows.period.capitalize(), words=True), Column("Years"), Column("Flow"))

    def row(k: int) -> tuple[Cell, ...]:
        amount, factor = float(flows.amounts[k]), float(working.factors[k])
        way: Literal["in", "out"] = "in" if amount >= 0 else "out"
        when = str(flows.dates[k]) if flows.dates is not None else str(k)
        told = f"{factor:.{_PLACES if places is None else places}f}"
        before = float(running[k - 1]) if k else 0.0
        make = partial(row_derivations, flows, k, before, working.rate, (factor, told), places)
        cells = (
            Cell(when),
            Cell(f"{flows.times[k]:.4f}", "comparison"),
            Cell(style.show(amount, "money"), way),
            Cell(told, "comparison"),
            Cell(style.show(amount * factor, "money"), way),
        )
        return Row(cells, Why(f"The row of {when}", make))

    count = flows.amounts.size
    shown, note = rows_at(count, ends(count, 12, spared=6), row, "flows")
    table = Table("Step by step", (*columns, Column("Factor"), Column("Present value")), shown, note, role="working")
    total = style.with_unit(working.by_hand, "money")
    blocks: list[Block] = [
        Text(f"Formula: npv = sum of flow × (1 + r)^-t, with r = {working.rate:.4%} a year, effective."),
        table,
        Text(f"The present values add up to {total}."),
    ]
    if places is not None:
        away = style.show(working.by_hand - working.answer, "money", sign=True)
        exact = style.with_unit(working.answer, "money")
        blocks.append(Text(f"With exact factors it is {exact}; rounding them to {places} places makes {away}."))
        return Document("Present value, worked out", tuple(blocks))
    size = float(np.abs(flows.amounts * working.factors).sum()) or 1.0
    agrees = bool(abs(working.by_hand - working.answer) <= 1e-9 * size)
    return Document("Present value, worked out", (*blocks, Checks(((agrees, "The sum is the NPV."),))))

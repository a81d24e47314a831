"""The present value of flows step by step, with exact factors or factors rounded as by hand."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import TYPE_CHECKING, Any, Literal, TypeAlias

import numpy as np
from numpy.typing import NDArray

from pennyweight.documents import Block, Cell, Checks, Column, Document, Table, Text
from pennyweight.documents.derivation import Whys
from pennyweight.documents.shown import Shown
from pennyweight.documents.tables import ends, rows_at
from pennyweight.quantities.numbers import whole
from pennyweight.quantities.units import Style

if TYPE_CHECKING:
    import pandas as pd

    from pennyweight.instruments.flows.cash_flows import CashFlows

__all__ = ["FlowsWorking"]

Floats: TypeAlias = NDArray[np.float64]

_PLACES = 8
"""Decimals of an exact factor in the table."""


@dataclass(frozen=True, eq=False, repr=False)
class FlowsWorking(Shown):
    """NPV = sum of flow * (1 + r) ** -t, every part of it shown. `places`: decimals of the factors; None: exact.

    >>> from pennyweight import CashFlows
    >>> CashFlows([-1_000, 500, 700]).working("7%", places=4).factors.tolist()
    [1.0, 0.9346, 0.8734]
    """

    flows: CashFlows
    rate: float
    places: int | None

    def __post_init__(self) -> None:
        super().__post_init__()
        if self.places is not None:
            object.__setattr__(self, "places", whole(self.places, what="places", least=0, most=12))

    @cached_property
    def factors(self) -> Floats:
        """One factor a flow, rounded when places are given."""
        exact = self.flows.discount_factors(self.rate)
        return exact if self.places is None else np.round(exact, self.places)

    @property
    def answer(self) -> float:
        """The exact present value."""
        return self.flows.npv(self.rate)

    @property
    def by_hand(self) -> float:
        """The sum of the present values as they stand in the table."""
        return float((self.factors * self.flows.amounts).sum())

    @property
    def frame(self) -> pd.DataFrame:
        """One row a flow: years, amount, factor, present value."""
        frame = self.flows.frame.drop(columns="running")
        frame["factor"] = self.factors
        frame["present_value"] = self.factors * self.flows.amounts
        return frame

    def as_dict(self) -> dict[str, Any]:
        """Plain values for JSON."""
        return {
            "format": 1,
            "rate": self.rate,
            "npv": self.answer,
            "places": self.places,
            "by_hand": self.by_hand,
            "difference": self.by_hand - self.answer,
            "formula": "npv = sum of flow × (1 + r)^-t",
            "steps": [
                {"years": float(t), "flow": float(flow), "factor": float(factor), "present_value": float(flow * factor)}
                for t, flow, factor in zip(self.flows.times, self.flows.amounts, self.factors, strict=True)
            ],
        }

    def _whys(self) -> Whys:
        from pennyweight.pages.flows.flow_whys import row_whys

        shown = ends(self.flows.amounts.size, 12, spared=6)
        return row_whys(
            "Step by step", self.flows, self.rate, self.factors, shown=shown, digits_shown=_PLACES, places=self.places
        )

    def document(self) -> Document:
        """Formula, table, sum, and how far the hand's answer is from the exact one."""
        flows, style = self.flows, Style(self.flows.currency)
        dated = flows.dates is not None
        columns = (Column("Date" if dated else flows.period.capitalize(), words=True), Column("Years"), Column("Flow"))

        def row(k: int) -> tuple[Cell, ...]:
            amount, factor = float(flows.amounts[k]), float(self.factors[k])
            way: Literal["in", "out"] = "in" if amount >= 0 else "out"
            return (
                Cell(str(flows.dates[k]) if flows.dates is not None else str(k)),
                Cell(f"{flows.times[k]:.4f}", "comparison"),
                Cell(style.show(amount, "money"), way),
                Cell(f"{factor:.{_PLACES if self.places is None else self.places}f}", "comparison"),
                Cell(style.show(amount * factor, "money"), way),
            )

        count = flows.amounts.size
        shown, note = rows_at(count, ends(count, 12, spared=6), row, "flows")
        table = Table("Step by step", (*columns, Column("Factor"), Column("Present value")), shown, note)
        total = style.with_unit(self.by_hand, "money")
        blocks: list[Block] = [
            Text(f"Formula: npv = sum of flow × (1 + r)^-t, with r = {self.rate:.4%} a year, effective."),
            table,
            Text(f"The present values add up to {total}."),
        ]
        if self.places is not None:
            away = style.show(self.by_hand - self.answer, "money", sign=True)
            exact = style.with_unit(self.answer, "money")
            blocks.append(
                Text(f"With exact factors it is {exact}; rounding them to {self.places} places makes {away}.")
            )
            return Document("Present value, worked out", tuple(blocks))
        size = float(np.abs(flows.amounts * self.factors).sum()) or 1.0
        agrees = bool(abs(self.by_hand - self.answer) <= 1e-9 * size)
        return Document("Present value, worked out", (*blocks, Checks(((agrees, "The sum is the NPV."),))))

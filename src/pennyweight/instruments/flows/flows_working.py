"""The present value of flows step by step, with exact factors or factors rounded as by hand."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import TYPE_CHECKING, Any

import numpy as np

from pennyweight.array_kinds import Floats
from pennyweight.documents.shown import Shown
from pennyweight.instruments.flows.measured_flows import MeasuredFlows
from pennyweight.quantities.numbers import whole

if TYPE_CHECKING:
    import pandas as pd

__all__ = ["FlowsWorking"]


@dataclass(frozen=True, eq=False, repr=False)
class FlowsWorking(Shown):
    """NPV = sum of flow * (1 + r) ** -t, every part of it shown. `places`: decimals of the factors; None: exact.

    Examples
    --------
    >>> from pennyweight import CashFlows
    >>> CashFlows([-1_000, 500, 700]).working("7%", places=4).factors.tolist()
    [1.0, 0.9346, 0.8734]
    """

    flows: MeasuredFlows
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
        """Plain values for JSON.

        Returns
        -------
        dict[str, Any]
            Plain values for JSON.
        """
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

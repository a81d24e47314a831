"""What a call over time looks at: its amounts and factors over the periods, in one case or two."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import TypeAlias

import numpy as np
from numpy.typing import NDArray

from pennyweight.analysis.explaining.splitting import over_periods, split
from pennyweight.array_kinds import Floats
from pennyweight.core import rate_forms
from pennyweight.deals.definition import Definition
from pennyweight.deals.language.finance_functions import cut, when_of
from pennyweight.deals.language.nodes import Node
from pennyweight.deals.language.windows import kept_flows
from pennyweight.deals.undefined import value_of

__all__ = ["CallRows", "Places", "Rows", "added", "masked"]

Rows: TypeAlias = tuple[Floats, ...]
"""Amounts over the periods, (rows,) for each case."""
Places: TypeAlias = tuple[NDArray[np.bool_], ...]
"""Which periods count, (rows,) for each case."""


@dataclass(frozen=True, eq=False)
class CallRows:
    """The rows of one call; `slots` are its arguments by name, `over` the one it looks at over time."""

    deal: Definition
    cases: Sequence[Mapping[str, Floats]]
    slots: Mapping[str, Node | None]
    over: Node

    def over_time(self, name: str) -> bool:
        """Whether a name has a value a period."""
        return name in self.cases[0] and self.cases[0][name].ndim == 2

    def rows(self, node: Node) -> Rows:
        """A formula over the periods."""
        return tuple(over_periods(self.deal, value_of(self.deal, case, node)) for case in self.cases)

    def terms(self, node: Node) -> dict[Node, Rows]:
        """The terms of a formula in every case; one that a case does not have is nothing there."""
        split_up = [split(self.deal, case, node) for case in self.cases]
        none = np.zeros(self.deal.timeline.rows)
        terms = dict.fromkeys(term for one in split_up for term in one)
        return {term: tuple(one.get(term, none) for one in split_up) for term in terms}

    def slot(self, name: str) -> list[Floats | None]:
        """The value of an argument in each case; None where it is left out."""
        node = self.slots.get(name)
        return [None if node is None else value_of(self.deal, case, node) for case in self.cases]

    def flows(self) -> Rows:
        """What is looked at, until `years`, with `plus`."""
        given = zip(self.cases, self.slot("years"), self.slot("plus"), self.slot("where"), strict=True)
        flows = []
        for case, years, plus, where in given:
            row = kept_flows(over_periods(self.deal, value_of(self.deal, case, self.over))[:, None], where)
            flows.append(cut(self.deal.timeline, row, years, plus)[0][:, 0])
        return tuple(flows)

    def ends(self) -> Places:
        """Which periods count, until `years`."""
        t = self.deal.timeline.t[:, 0]
        return tuple(here & (t <= last) for last, here in zip(self.lasts(), self.counted(), strict=True))

    def lasts(self) -> list[float]:
        """The last period, by `years`."""
        time = self.deal.timeline
        return [float(cut(time, time.t, years, None)[1][0]) for years in self.slot("years")]

    def counted(self) -> Places:
        """Which periods `where` leaves in."""
        every = np.ones(self.deal.timeline.rows, dtype=np.bool_)
        return tuple(every if where is None else over_periods(self.deal, where) == 1 for where in self.slot("where"))

    def inside(self, least: int) -> Places:
        """Which periods lie between `first` and `last`, both in."""
        t, found = self.deal.timeline.t[:, 0], []
        for first, last, here in zip(self.slot("first"), self.slot("last"), self.counted(), strict=True):
            low = float(least) if first is None else float(first.reshape(-1)[0])
            high = float(t[-1]) if last is None else float(last.reshape(-1)[0])
            found.append(here & (t >= low - 1e-6) & (t <= high + 1e-6))
        return tuple(found)

    def factors(self, name: str) -> Rows:
        """The discount factor of each period at the rate of an argument."""
        rates = [np.nan if rate is None else float(rate.reshape(-1)[0]) for rate in self.slot(name)]
        return self.at(rates)

    def at(self, rates: Sequence[float]) -> Rows:
        """The discount factor of each period at a yearly rate."""
        time = self.deal.timeline
        if self.slots.get("paid") is not None or self.slots.get("counted") is not None:
            paid, counted = self.slot("paid")[0], self.slot("counted")[0]
            when = when_of(time, paid, counted)
            return tuple((1.0 + rate) ** -when for rate in rates)
        with np.errstate(all="ignore"):
            each = [float(rate_forms.per_period(np.array([rate]), time.per_year)[0]) for rate in rates]
            return tuple((1.0 + rate) ** -time.t[:, 0] for rate in each)


def masked(rows: Rows, where: Places) -> Rows:
    """The rows where they count, 0 elsewhere."""
    return tuple(np.where(here, one, 0.0) for one, here in zip(rows, where, strict=True))


def added(some: Rows | None, more: Rows) -> Rows:
    """Two terms as one."""
    return more if some is None else tuple(a + b for a, b in zip(some, more, strict=True))

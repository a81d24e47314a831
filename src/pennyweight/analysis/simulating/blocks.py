"""Blocks of drawn cases, each worked out for itself: here one after another, or by the workers of a cluster."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

import numpy as np

from pennyweight.analysis.cases import Model
from pennyweight.analysis.simulating.draws import BATCHES, Draws, Points
from pennyweight.analysis.simulating.falls import Falling
from pennyweight.analysis.simulating.tally import Tally
from pennyweight.array_kinds import Floats
from pennyweight.deals.inputs import stack
from pennyweight.deals.uncertain import moves_of

__all__ = ["Block", "Blocks", "block_of"]

_ATTAINED = 1_024
"""The rank correlations that are attained are told of one of the blocks before so many cases of a batch."""


@dataclass(frozen=True, slots=True)
class Block:
    """What came of a block, and the rank correlations that its values have, where it tells them."""

    tally: Tally
    moved: dict[tuple[str, str], tuple[float, float]]


@dataclass
class Blocks:
    """What is the same for all blocks of a simulation."""

    model: Model
    falling: Sequence[Falling]
    case: Mapping[str, Any]
    measures: Sequence[str]
    fan: Sequence[str]
    wanted: Sequence[str]
    seed: int
    plain: bool
    counted: bool = False
    """Whether there are too many cases to keep their figures."""
    _kept: dict[str, Any] = field(default_factory=dict, repr=False)

    def __getstate__(self) -> dict[str, Any]:
        return {**self.__dict__, "_kept": {}}

    def tally(self) -> Tally:
        """Nothing yet."""
        return Tally(
            self.model.definition, self.falling, self.measures, self.fan, counted=self.counted, batches=BATCHES
        )

    @property
    def draws(self) -> Draws:
        """What inputs become at points of the cube."""
        if "draws" not in self._kept:
            self._kept["draws"] = Draws(self.model.definition, self.falling, self.case)
        found: Draws = self._kept["draws"]
        return found

    def points_at(self, start: int) -> Points:
        """The points from one on."""
        points: Points | None = self._kept.get("points")
        if points is None or points.position != start:
            points = Points(self.draws.width, seed=self.seed, plain=self.plain)
            points.skip(start)
            self._kept["points"] = points
        return points

    def worked_out(self, start: int, count: int, points: Points | None = None) -> Block:
        """The cases from `start` on, `count` of each batch."""
        drawn = self.draws.values((points or self.points_at(start)).take(count))
        moved = self._attained(drawn) if start < _ATTAINED else {}
        base = stack(self.model.definition, [dict(self.case)])
        found = self.model.evaluate({**base, **drawn}, self.wanted, cases=count * BATCHES)
        tally = self.tally()
        tally.add(drawn, found, BATCHES)
        return Block(tally, moved)

    def _attained(self, drawn: Mapping[str, Floats]) -> dict[tuple[str, str], tuple[float, float]]:
        """The rank correlations that the drawn values have: discrete ones attain less than is asked."""
        from scipy.stats import rankdata

        items = {one.item.name: one.item for one in self.falling if one.item.fall is not None}
        names, ranks = moves_of(self.draws.moving_items(items))
        years = self.draws.years
        first = int(np.flatnonzero(years >= 1)[0]) if years.max() else 0
        rows, moved = {}, {}
        for name in names:
            values = drawn[name]
            rows[name] = rankdata(values if values.ndim == 1 else values[min(first, values.shape[0] - 1)])
        for a, one in enumerate(names):
            for b in range(a):
                if ranks[a, b]:
                    attained = float(np.corrcoef(rows[names[b]], rows[one])[0, 1])
                    moved[names[b], one] = (float(ranks[a, b]), attained)
        return moved


def block_of(blocks: Blocks, span: tuple[int, int]) -> Block:
    """A block as a worker does it: several of its threads share `blocks`, so that each takes points of its own."""
    points = Points(blocks.draws.width, seed=blocks.seed, plain=blocks.plain)
    points.skip(span[0])
    return blocks.worked_out(*span, points)

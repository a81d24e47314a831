"""Inputs drawn: points that fill the cube of all inputs evenly, block by block, made values of the inputs."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import Any

import numpy as np

from pennyweight.analysis.simulating.falls import Falling, place_of
from pennyweight.array_kinds import Floats
from pennyweight.core.correlations import factor_of, normal_correlations
from pennyweight.core.quantiles import ranks_to_normals, shares_of_normals
from pennyweight.deals.definition import Definition
from pennyweight.deals.inputs import Inputs
from pennyweight.deals.uncertain import moves_of

__all__ = ["BATCHES", "Draws", "Points"]

BATCHES = 16
"""So many sets of points, each scrambled for itself, whose scatter tells the error."""
_MOST_SPREAD = 1_000
"""So many numbers a case are spread evenly; what needs more takes plain ones."""
_EDGE = 2.0**-33
"""No share lies nearer to 0 or 1, where a bell curve ends nowhere."""


class Points:
    """Shares between 0 and 1 that fill a cube evenly: Sobol's points in batches that are scrambled one by one; or plain
    numbers.

    Source of the points: I. M. Sobol, USSR Computational Mathematics and Mathematical Physics 7, 1967, 86-112; of the
    scrambling: A. B. Owen, "Randomly permuted (t,m,s)-nets", 1995, as linear matrix scrambling with a digital shift
    (J. Matoušek, Journal of Complexity 14, 1998).
    """

    def __init__(self, width: int, *, seed: int, plain: bool = False, batches: int = BATCHES) -> None:
        self.width, self.batches = width, batches
        self.position = 0
        seeds = np.random.SeedSequence(seed).spawn(2 * batches)
        self.plain = [np.random.Generator(np.random.PCG64(one)) for one in seeds[batches:]]
        self.spread: list[Any] = []
        spread = 0 if plain else min(width, _MOST_SPREAD)
        if spread:
            from scipy.stats import qmc

            self.spread = [
                qmc.Sobol(spread, scramble=True, bits=32, rng=np.random.Generator(np.random.PCG64(one)))
                for one in seeds[:batches]
            ]

    def skip(self, count: int) -> None:
        """Leave out the next `count` points of every batch."""
        if not count:
            return
        for k in range(self.batches):
            spread = self.spread[k].d if self.spread else 0
            if spread:
                self.spread[k].fast_forward(count)
            generator = self.plain[k].bit_generator
            assert isinstance(generator, np.random.PCG64)
            generator.advance(count * (self.width - spread))
        self.position += count

    def take(self, count: int) -> Floats:
        """The next `count` points of every batch, batch after batch, (points, width)."""
        self.position += count
        shares = np.empty((self.batches * count, self.width))
        for k in range(self.batches):
            here = shares[k * count : (k + 1) * count]
            spread = self.spread[k].d if self.spread else 0
            if spread:
                here[:, :spread] = self.spread[k].random(count)
            if spread < self.width:
                here[:, spread:] = self.plain[k].random((count, self.width - spread))
        np.clip(shares, _EDGE, 1.0 - _EDGE, out=shares)
        return shares


class Draws:
    """What inputs become at points of the cube: each takes one number of a point, or one for each year or thing."""

    def __init__(self, deal: Definition, falling: Sequence[Falling], case: Inputs) -> None:
        self.falling, self.case = list(falling), case
        time = deal.timeline
        self.years = np.maximum(time.year[:, 0].astype(np.intp), 0)
        self.count_of_years = int(self.years.max())
        self.things = {one.item.name: np.size(one.item.value) for one in falling}
        self.places: dict[str, slice] = {}
        start = 0
        for one in falling:
            width = self._width(one)
            self.places[one.item.name] = slice(start, start + width)
            start += width
        self.width = start
        self.moving = self._moving({one.item.name: one.item for one in falling})

    def _width(self, one: Falling) -> int:
        """How many numbers a case an input takes."""
        if one.fall.shape == "wanders":
            return self.count_of_years
        if one.fall.shape == "blocks":
            return -(-self.count_of_years // one.fall.blocks)
        return self.things[one.item.name] if one.fall.each else 1

    def _moving(self, items: Mapping[str, Any]) -> list[tuple[list[slice], Floats]]:
        """(the places of inputs that move together, what makes independent normals move like this)."""
        kept = {name: item for name, item in items.items() if item.fall is not None}  # others by their range alone
        names, ranks = moves_of(self.moving_items(kept))
        found = []
        for by_year in (False, True):
            own = [k for k, name in enumerate(names) if (kept[name].fall.shape == "wanders") == by_year]
            if len(own) > 1:
                factor = factor_of(normal_correlations(ranks[np.ix_(own, own)]))
                found.append(([self.places[names[k]] for k in own], factor))
        return found

    @staticmethod
    def moving_items(items: Mapping[str, Any]) -> dict[str, Any]:
        """Inputs that fall, each moving with those alone that are drawn too."""
        return {
            name: replace(
                item,
                fall=replace(
                    item.fall, moves_with={other: by for other, by in item.fall.moves_with.items() if other in items}
                ),
            )
            for name, item in items.items()
        }

    def values(self, shares: Floats) -> dict[str, Floats]:
        """Inputs at points, (points, width): (cases,), (periods + 1, cases) of series, (things, cases) of columns.

        The points themselves are changed where inputs move together.
        """
        for places, factor in self.moving:
            for year in range(places[0].stop - places[0].start):
                columns = [place.start + year for place in places]
                shares[:, columns] = shares_of_normals(ranks_to_normals(shares[:, columns]) @ factor.T)
        return {one.item.name: self._values(one, shares[:, self.places[one.item.name]].T) for one in self.falling}

    def _values(self, one: Falling, shares: Floats) -> Floats:
        """What shares, (numbers, cases), make of an input."""
        item, fall, name = one.item, one.fall, one.item.name
        given = np.asarray(self.case[name], dtype=np.float64)
        if not item.is_series:
            return place_of(one, shares[0], float(given))
        if one.by_year:
            return self._by_year(one, shares, given[:, None])
        if fall.shape == "together" and item.unit in ("rate", "share"):
            return given[:, None] + fall.deviation * ranks_to_normals(shares)
        return given[:, None] * place_of(one, shares, 1.0)

    def _by_year(self, one: Falling, shares: Floats, given: Floats) -> Floats:
        """A series that moves from year to year; what it is in period 0 is known."""
        fall, added = one.fall, one.item.unit in ("rate", "share")
        if fall.shape == "wanders":
            steps, now = fall.deviation * ranks_to_normals(shares), np.zeros(shares.shape[1])
            moves, variance = np.empty((self.count_of_years + 1, shares.shape[1])), 0.0
            moves[0] = 0.0 if added else 1.0
            for year in range(1, self.count_of_years + 1):
                now = fall.persists * now + steps[year - 1]
                variance = fall.persists**2 * variance + fall.deviation**2
                moves[year] = now if added else np.exp(now - variance / 2)
        else:
            changes = np.asarray(fall.values)
            first = np.minimum((shares * changes.size).astype(np.intp), changes.size - 1)
            moves = np.zeros((self.count_of_years + 1, shares.shape[1])) + (0.0 if added else 1.0)
            for year in range(1, self.count_of_years + 1):
                block, inside = divmod(year - 1, fall.blocks)
                change = changes[(first[block] + inside) % changes.size]
                moves[year] = moves[year - 1] + change if added else moves[year - 1] * change
        found = given + moves[self.years] if added else given * moves[self.years]
        return np.clip(found, 0.0, 1.0) if one.item.unit == "share" else found

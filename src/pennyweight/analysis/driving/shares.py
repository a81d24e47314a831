"""What share of a figure's variance comes from which input, alone and together with others."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from pennyweight.analysis.cases import Model
from pennyweight.analysis.simulating.chances import error_of
from pennyweight.analysis.simulating.draws import BATCHES, Draws, Points
from pennyweight.array_kinds import Floats
from pennyweight.cluster import Cluster
from pennyweight.deals.inputs import stack
from pennyweight.described import Described
from pennyweight.progress import listening, teller

__all__ = ["Share", "Shares", "shares_of"]

_MOST_UNDEFINED = 0.01
_MOST_VALUES = 2**24
_BLOCK = 256
"""So many points of each batch make a block."""


@dataclass(frozen=True, slots=True, repr=False)
class Share(Described):
    """The share of variance that comes from an input, or from several that move together.

    Notes
    -----
    `alone` is the first-order share, `in_all` the total one, with all that it does together with others; each with how
    far it may be off in 95 of 100 runs.

    Examples
    --------
    >>> Share(("price",), 0.6, 0.01, 0.7, 0.01).inputs
    ('price',)
    """

    inputs: tuple[str, ...]
    alone: float
    alone_error: float
    in_all: float
    in_all_error: float


@dataclass(frozen=True, slots=True, repr=False)
class Shares(Described):
    """The shares of one figure, the largest total first; `undefined` is the share of cases left out.

    Notes
    -----
    `refused` says why there are none.

    Examples
    --------
    >>> Shares("npv", (), 0.2, "it is undefined in 20% of the cases", 0.0).refused
    'it is undefined in 20% of the cases'
    """

    figure: str
    shares: tuple[Share, ...]
    undefined: float
    refused: str
    deviation: float
    """The standard deviation of the figure over the cases."""


def shares_of(
    model: Model,
    case: Mapping[str, Any],
    draws: Draws,
    figures: Sequence[str],
    *,
    seed: int,
    per_batch: int,
    cluster: Cluster | None = None,
) -> dict[str, Shares]:
    """The shares of several figures from the same cases.

    Two sets of points, A and B; for each input a third, A with that input's numbers out of B. With f the figure and V
    its variance, the share alone is mean(f(B) (f(AB) - f(A))) / V, the one in all mean((f(A) - f(AB))²) / 2 V. Errors
    come from the scatter of scramblings. Sources: A. Saltelli and others, Computer Physics Communications 181, 2010,
    259-270; M. J. W. Jansen, Computer Physics Communications 117, 1999, 35-43.
    """
    # Blocks small enough for series and columns; each batch's points are dealt out over the blocks alike.
    rows = max([draws.width, *draws.things.values()])
    block = max(1, min(per_batch, _BLOCK, _MOST_VALUES // (rows * BATCHES)))
    block = 1 << (block.bit_length() - 1)
    groups, outer = _groups(draws), teller()
    standing = model.figures([dict(case)], figures)
    near = {name: value if np.isfinite(value := float(standing[name][0])) else 0.0 for name in figures}
    blocks = _Blocks(model, dict(case), draws, [columns for _, columns in groups], near, seed)
    spans = [(start, block) for start in range(0, per_batch, block)]
    sums: dict[str, _Sums] = {}
    with listening(lambda *told: None):
        found = (_sums_of(blocks, span) for span in spans) if cluster is None else cluster.map(_sums_of, blocks, spans)
        for k, some in enumerate(found, start=1):
            sums = {name: one.joined(sums.get(name)) for name, one in some.items()}
            outer("blocks", k, len(spans))
    return {name: _shares(name, one, [names for names, _ in groups]) for name, one in sums.items()}


@dataclass(frozen=True)
class _Blocks:
    """What is the same for all blocks."""

    model: Model
    case: Mapping[str, Any]
    draws: Draws
    columns: Sequence[Sequence[int]]
    near: Mapping[str, float]
    """A figure that each measure is near to; sums of differences from it lose no digits."""
    seed: int


@dataclass(frozen=True)
class _Sums:
    """Sums over the cases of a block in which all sets are defined, by batch: f of A and of B, their squares, and for
    each group what its change is, times f of B, and squared; f less what it is near to."""

    near: float
    cases: int
    defined: Floats
    """How many cases of A and of B are defined, (2, batches)."""
    count: Floats
    first: Floats
    """(2, batches)."""
    second: Floats
    change: Floats
    """(groups, batches)."""
    beside: Floats
    square: Floats

    def joined(self, before: _Sums | None) -> _Sums:
        """These and those of the blocks before."""
        if before is None:
            return self
        names = ("defined", "count", "first", "second", "change", "beside", "square")
        added = {name: getattr(before, name) + getattr(self, name) for name in names}
        return _Sums(self.near, before.cases + self.cases, **added)


def _sums_of(blocks: _Blocks, span: tuple[int, int]) -> dict[str, _Sums]:
    """The sums of a block: the points from one on, so many of each batch."""
    start, count = span
    draws, model = blocks.draws, blocks.model
    points = Points(2 * draws.width, seed=blocks.seed)
    points.skip(start)
    both = points.take(count)
    a, b = both[:, : draws.width], both[:, draws.width :]
    base = stack(model.definition, [dict(blocks.case)])

    def figures(place: Floats) -> dict[str, Floats]:
        got = model.evaluate({**base, **draws.values(place.copy())}, list(blocks.near), cases=place.shape[0])
        return {
            name: np.asarray(got[name], dtype=np.float64).reshape(BATCHES, -1) - near
            for name, near in blocks.near.items()
        }

    of_a, of_b = figures(a), figures(b)
    mixed = [figures(_mixed(a, b, columns)) for columns in blocks.columns]
    return {
        name: _added_up(near, of_a[name], of_b[name], [one[name] for one in mixed])
        for name, near in blocks.near.items()
    }


def _added_up(near: float, a: Floats, b: Floats, mixed: Sequence[Floats]) -> _Sums:
    defined = np.array([np.isfinite(one).sum(axis=1) for one in (a, b)], dtype=np.float64)
    known = np.isfinite(a) & np.isfinite(b)
    for one in mixed:
        known &= np.isfinite(one)
    a, b = np.where(known, a, 0.0), np.where(known, b, 0.0)
    changes = [np.where(known, one, 0.0) - a for one in mixed]
    return _Sums(
        near, a.shape[1], defined, known.sum(axis=1).astype(np.float64),
        np.array([a.sum(axis=1), b.sum(axis=1)]), np.array([(a * a).sum(axis=1), (b * b).sum(axis=1)]),
        np.array([one.sum(axis=1) for one in changes]), np.array([(b * one).sum(axis=1) for one in changes]),
        np.array([(one * one).sum(axis=1) for one in changes]),
    )  # fmt: skip


def _mixed(a: Floats, b: Floats, columns: Sequence[int]) -> Floats:
    found = a.copy()
    found[:, columns] = b[:, columns]
    return found


def _groups(draws: Draws) -> list[tuple[tuple[str, ...], list[int]]]:
    """Each input with its numbers; those that move together are one."""
    together: list[set[str]] = []
    by_place = {place.start: name for name, place in draws.places.items()}
    for places, factor in draws.moving:
        names = [by_place[place.start] for place in places]
        left = set(names)
        while left:  # who is linked, over however many others
            group, todo = set(), [left.pop()]
            while todo:
                one = todo.pop()
                group.add(one)
                matrix = factor @ factor.T
                linked = {names[k] for k in np.flatnonzero(np.abs(matrix[names.index(one)]) > 1e-9)} & left
                left -= linked
                todo += linked
            together.append(group)
    found, taken = [], set()
    for name in draws.places:
        if name in taken:
            continue
        group = next((one for one in together if name in one), {name})
        own = tuple(other for other in draws.places if other in group)
        taken |= group
        columns = [k for other in own for k in range(draws.places[other].start, draws.places[other].stop)]
        found.append((own, columns))
    return found


def _shares(figure: str, sums: _Sums, groups: Sequence[tuple[str, ...]]) -> Shares:
    """Shares by the sums of all blocks."""
    undefined = float(1 - sums.defined.sum() / (2 * BATCHES * sums.cases))
    if undefined > _MOST_UNDEFINED:
        said = f"it is undefined in {undefined * 100:.1f}% of the cases, and shares of variance need every case"
        return Shares(figure, (), undefined, said, float("nan"))
    every = 2 * float(sums.count.sum())
    middle = float(sums.first.sum()) / every
    variance = float(sums.second.sum()) / every - middle * middle
    if not variance > 1e-24 * max((middle + sums.near) ** 2, 1e-300):
        return Shares(figure, (), undefined, "it is the same in every case", 0.0)
    found = []
    for k, names in enumerate(groups):
        alone = (sums.beside[k] - middle * sums.change[k]) / sums.count / variance
        in_all = sums.square[k] / sums.count / (2.0 * variance)
        found.append(Share(names, float(alone.mean()), error_of(alone), float(in_all.mean()), error_of(in_all)))
    return Shares(figure, tuple(sorted(found, key=lambda one: -one.in_all)), undefined, "", float(np.sqrt(variance)))

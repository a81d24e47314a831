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
from pennyweight.deals.inputs import stack
from pennyweight.described import Described
from pennyweight.progress import listening, teller

__all__ = ["Share", "Shares", "shares_of"]

_MOST_UNDEFINED = 0.01
_MOST_VALUES = 2**24


@dataclass(frozen=True, slots=True, repr=False)
class Share(Described):
    """The share of variance that comes from an input, or from several that move together.

    `alone` is the first-order share, `in_all` the total one, with all that it does together with others; each with how
    far it may be off in 95 of 100 runs.

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

    `refused` says why there are none.

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
) -> dict[str, Shares]:
    """The shares of several figures from the same cases.

    Two sets of points, A and B; for each input a third, A with that input's numbers out of B. With f the figure and V
    its variance, the share alone is mean(f(B) (f(AB) - f(A))) / V, the one in all mean((f(A) - f(AB))²) / 2 V. Errors
    come from the scatter of scramblings. Sources: A. Saltelli and others, Computer Physics Communications 181, 2010,
    259-270; M. J. W. Jansen, Computer Physics Communications 117, 1999, 35-43.
    """
    points = Points(2 * draws.width, seed=seed)
    groups = _groups(draws)
    # Blocks small enough for series and columns; each batch's points are dealt out over the blocks alike.
    rows = max([draws.width, *draws.things.values()])
    block = max(1, min(per_batch, _MOST_VALUES // (rows * BATCHES)))
    block = 1 << (block.bit_length() - 1)
    base, outer = stack(model.definition, [dict(case)]), teller()
    found: dict[str, list[list[Floats]]] = {name: [[] for _ in range(len(groups) + 2)] for name in figures}
    done, steps = 0, -(-per_batch // block) * (len(groups) + 2)
    with listening(lambda *told: None):
        for _ in range(0, per_batch, block):
            both = points.take(block)
            a, b = both[:, : draws.width], both[:, draws.width :]
            mixed = [a, b, *(_mixed(a, b, columns) for _, columns in groups)]
            for k, place in enumerate(mixed):
                got = model.evaluate({**base, **draws.values(place.copy())}, list(figures), cases=place.shape[0])
                for name in figures:
                    found[name][k].append(np.asarray(got[name], dtype=np.float64).reshape(BATCHES, -1))
                done += 1
                outer("steps", done, steps)
    return {
        name: _shares(name, [np.concatenate(one, axis=1) for one in sets], [names for names, _ in groups])
        for name, sets in found.items()
    }


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


def _shares(figure: str, sets: list[Floats], groups: Sequence[tuple[str, ...]]) -> Shares:
    """Shares by the figures in A, in B, and in A with each group out of B, (batches, cases) each."""
    known = np.isfinite(sets[0])
    for one in sets[1:]:
        known &= np.isfinite(one)
    undefined = float(1 - np.mean([np.isfinite(one).mean() for one in sets[:2]]))
    if undefined > _MOST_UNDEFINED:
        said = f"it is undefined in {undefined * 100:.1f}% of the cases, and shares of variance need every case"
        return Shares(figure, (), undefined, said, float("nan"))
    a, b = (np.where(known, one, 0.0) for one in sets[:2])
    count = known.sum(axis=1)
    both = np.concatenate([a[known], b[known]])
    middle = both.mean()
    variance = float(((both - middle) ** 2).mean())
    if not variance > 1e-24 * max(middle * middle, 1e-300):
        return Shares(figure, (), undefined, "it is the same in every case", 0.0)
    found = []
    for names, mixed in zip(groups, sets[2:], strict=True):
        change = np.where(known, np.where(known, mixed, 0.0) - a, 0.0)
        alone = (np.where(known, b - middle, 0.0) * change).sum(axis=1) / count / variance
        in_all = (change * change).sum(axis=1) / count / (2.0 * variance)
        found.append(Share(names, float(alone.mean()), error_of(alone), float(in_all.mean()), error_of(in_all)))
    return Shares(figure, tuple(sorted(found, key=lambda one: -one.in_all)), undefined, "", float(np.sqrt(variance)))

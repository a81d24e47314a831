"""What a deal solves itself, in all cases at once: brackets on a grid, closed until nothing is between.

Each case goes its own way, so that it comes to the same alone or among others.
"""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np
from numpy.typing import NDArray

from pennyweight.analysis.searching.lockstep_search import Sweep
from pennyweight.array_kinds import Floats
from pennyweight.deals.compiler.program import Program
from pennyweight.deals.parts import Question

__all__ = ["FIRST", "solve_plainly"]

FIRST = 13
"""So many places are tried first, evenly between the ends."""
_ROUNDS = 80
_CLOSE = 2e-14


def solve_plainly(
    program: Program, sweep: Sweep, question: Question, known: Mapping[str, Floats], cases: int
) -> tuple[Floats, NDArray[np.bool_]]:
    """(the value in each case, NaN where there is none or several; which cases need the search that tells everything).

    The plain way serves where the condition has a slack that is defined at every place tried first, and does not bend
    towards zero between them.
    """
    slacks = program.slacks[question.name]
    ends = question.between
    if not slacks or ends is None:
        return np.full(cases, np.nan), np.ones(cases, np.bool_)
    solver = _Solver(sweep, question, known, slacks)
    places = np.linspace(*ends, FIRST)
    owner = np.repeat(np.arange(cases), FIRST)
    figures = solver.at(owner, np.tile(places, cases)).reshape(cases, FIRST)
    odd = ~np.isfinite(figures).all(axis=1) | _bends(figures)
    good = figures >= 0
    turns = good[:, 1:] != good[:, :-1]
    found = np.full(cases, np.nan)
    if question.pick is None:
        single = turns.sum(axis=1) == 1
        chosen = np.argmax(turns, axis=1)
    else:
        last = question.pick == "largest"
        edge = good[:, -1 if last else 0]
        found[edge] = ends[1 if last else 0]
        single = turns.any(axis=1) & ~edge
        chosen = FIRST - 2 - np.argmax(turns[:, ::-1], axis=1) if last else np.argmax(turns, axis=1)
    mine = np.flatnonzero(single & ~odd)
    if mine.size:
        k = chosen[mine]
        beyond = np.where(k > 0, k - 1, np.minimum(k + 2, FIRST - 1))
        points = np.array([k, k + 1, beyond])
        found[mine] = solver.close(mine, places[points], figures[mine, points], ends[1] - ends[0])
    found[odd] = np.nan
    return found, odd


def _bends(figures: Floats) -> NDArray[np.bool_]:
    """Whether a slack comes nearer to zero at a place than beside it: it may turn between two places unseen."""
    before, here, after = figures[:, :-2], figures[:, 1:-1], figures[:, 2:]
    below = (here < 0) & (here > before) & (here > after)
    above = (here >= 0) & (here < before) & (here < after)
    return np.asarray((below | above).any(axis=1))


class _Solver:
    """One question in many cases."""

    def __init__(self, sweep: Sweep, question: Question, known: Mapping[str, Floats], slacks: tuple[str, ...]) -> None:
        self.sweep, self.question, self.known, self.slacks = sweep, question, known, slacks

    def at(self, owner: NDArray[np.intp], places: Floats) -> Floats:
        """The slack that decides, of cases at places."""
        found = self.sweep(self.known, owner, {self.question.find: places}, self.slacks)
        return np.asarray(np.array([found[name] for name in self.slacks]).min(axis=0))

    def close(self, owner: NDArray[np.intp], points: Floats, heights: Floats, span: float) -> Floats:
        """The value on the side that holds, where nothing is left between it and the one that does not.

        The slack turns between the first two `points`, (3, cases); the third lies beside. A call costs more than a few
        places more in it, so that three are tried a round: where the slack is expected to vanish, and to either side.
        """
        left = np.arange(owner.size)
        for _ in range(_ROUNDS):
            first, last = points[0, left], points[1, left]
            width = np.abs(last - first)
            room = _CLOSE * np.maximum(np.abs(first), np.abs(last))
            left = left[(width > room) & (heights[0, left] != 0)]
            if not left.size:
                break
            first, last = points[:2, left]
            width = np.abs(last - first)
            share = np.clip(_vanishes(points[:, left], heights[:, left]), 0.0, 1.0)
            # As interpolation errs by the cube of the bracket, the places beside lie closer the smaller that is.
            beside = np.maximum(0.1 * width / span, 0.25 * _CLOSE * np.maximum(np.abs(first), np.abs(last)) / width)
            beside = np.minimum(beside, 0.25)
            shares = np.clip(np.array([share - beside, share, share + beside]), 0.25 * beside, 1 - 0.25 * beside)
            places = first + shares * (last - first)
            found = self.at(np.tile(owner[left], 3), places.reshape(-1)).reshape(3, -1)
            row = np.concatenate([points[:1, left], places, points[1:2, left]])
            high = np.concatenate([heights[:1, left], found, heights[1:2, left]])
            turned = (high >= 0) != (high[0] >= 0)
            j = np.argmax(turned, axis=0)
            k = np.arange(left.size)
            third = np.where(j >= 2, j - 2, np.minimum(j + 1, 4))
            points[:, left] = row[j - 1, k], row[j, k], row[third, k]
            heights[:, left] = high[j - 1, k], high[j, k], high[third, k]
        return np.asarray(np.where(heights[0] >= 0, points[0], points[1]))


def _vanishes(points: Floats, heights: Floats) -> Floats:
    """Where the slack is expected to vanish, as a share of the way from the first to the second of three points.

    Inverse quadratic interpolation where it may be trusted (Chandrupatla 1997), else a straight line.
    """
    (a, b, c), (fa, fb, fc) = points, heights
    with np.errstate(all="ignore"):
        xi, phi = (a - b) / (c - b), (fa - fb) / (fc - fb)
        trusted = (phi**2 < xi) & ((1 - phi) ** 2 < 1 - xi)
        t = fa / (fb - fa) * fc / (fb - fc) + (c - a) / (b - a) * fa / (fc - fa) * fb / (fc - fb)
        line = fa / (fa - fb)
    known = np.where(trusted & np.isfinite(t), t, line)
    return np.where(np.isfinite(known), known, 0.5)

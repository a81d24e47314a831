"""What a deal solves itself, in all cases at once: brackets on a grid, closed until nothing is between.

Each case goes its own way, so that it comes to the same alone or among others.
"""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np
from numpy.typing import NDArray

from pennyweight.analysis.searching.lockstep_search import Sweep
from pennyweight.analysis.searching.margins import FLAT, nearness, noises, widened
from pennyweight.array_kinds import Floats
from pennyweight.deals.compiler.program import Program
from pennyweight.deals.parts import Question

__all__ = ["FIRST", "solve_plainly"]

FIRST = 13
"""So many places are tried first, evenly between the ends."""
_ROUNDS = 120
_CLOSE = 2e-14
_QUARTERS = np.array([[0.25], [0.5], [0.75]])


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
    middle = np.full(cases, places[FIRST // 2])
    noise = noises(program, sweep, known, question.find, middle, slacks)
    solver.near = nearness(program, slacks, noise)
    owner = np.repeat(np.arange(cases), FIRST)
    figures, exact = solver.first(owner, np.tile(places, cases), program)
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
        found[mine], unclosed = solver.found(mine, places[points], exact[mine, points], figures[mine, points])
        odd[mine[unclosed]] = True
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
        self.near: Floats = np.zeros((len(slacks), 1))

    def rows(self, owner: NDArray[np.intp], places: Floats) -> Floats:
        """All slacks of cases at places, (slacks, places)."""
        found = self.sweep(self.known, owner, {self.question.find: places}, self.slacks)
        return np.array([found[name] for name in self.slacks])

    def first(self, owner: NDArray[np.intp], places: Floats, program: Program) -> tuple[Floats, Floats]:
        """The slack that decides at the places tried first, (cases, FIRST): with what counts as zero, and without."""
        rows = self.rows(owner, places).reshape(len(self.slacks), -1, FIRST)
        for case in np.flatnonzero((rows + self.near[:, :, None] < 0).all(axis=2).any(axis=0)).tolist():
            self.near[:, case] = widened(program, self.slacks, self.near[:, case], rows[:, case])
        return np.asarray((rows + self.near[:, :, None]).min(axis=0)), np.asarray(rows.min(axis=0))

    def at(self, owner: NDArray[np.intp], places: Floats, near: Floats) -> Floats:
        """The slack that decides, of cases at places."""
        return np.asarray((self.rows(owner, places) + near[:, owner]).min(axis=0))

    def found(
        self, owner: NDArray[np.intp], points: Floats, exact: Floats, heights: Floats
    ) -> tuple[Floats, NDArray[np.bool_]]:
        """The value on the side that holds, and where that was not closed in on.

        It lies where the slack is zero; where that is so, but for rounding, over a stretch beyond, at its end.
        """
        span = float(np.ptp(self.question.between or (0.0, 1.0)))
        side = np.where(heights[0] >= 0, 1.0, -1.0)
        values, unclosed = np.empty(owner.size), np.zeros(owner.size, np.bool_)
        clear = (exact[0] >= 0) != (exact[1] >= 0)
        mine = np.flatnonzero(clear)
        if mine.size:
            values[mine], unclosed[mine] = self.close(owner[mine], points[:, mine], exact[:, mine], span, 0 * self.near)
            beyond = values[mine] + side[mine] * FLAT * span
            inside = (beyond - points[0, mine]) * (beyond - points[1, mine]) < 0
            here = np.where(inside, beyond, values[mine])
            further = self.at(owner[mine], here, self.near)
            clear[mine[inside & (further >= 0)]] = False
            points, heights = points.copy(), heights.copy()
            good = np.where(side[mine] > 0, 0, 1)
            stretch = ~clear[mine]
            points[good[stretch], mine[stretch]] = here[stretch]
            heights[good[stretch], mine[stretch]] = further[stretch]
        mine = np.flatnonzero(~clear)
        if mine.size:
            values[mine], unclosed[mine] = self.close(owner[mine], points[:, mine], heights[:, mine], span, self.near)
        return values, unclosed

    def close(
        self, owner: NDArray[np.intp], points: Floats, heights: Floats, span: float, near: Floats
    ) -> tuple[Floats, NDArray[np.bool_]]:
        """The value on the side that holds, where nothing lies between it and the other; and what is not closed in on.

        The slack turns between the first two `points`, (3, cases); the third lies beside. A call costs more than a few
        places more in it, so that three are tried a round: where the slack is expected to vanish, and to either side.
        Where a slack is flat on one side or jumps no interpolation closes in: what did not shrink to a quarter is cut.
        """
        left = np.arange(owner.size)
        before = np.full(owner.size, np.inf)
        for _ in range(_ROUNDS):
            first, last = points[0, left], points[1, left]
            width = np.abs(last - first)
            room = _CLOSE * np.maximum(np.abs(first), np.abs(last))
            left = left[width > room]
            if not left.size:
                break
            first, last = points[:2, left]
            width = np.abs(last - first)
            share = np.clip(_vanishes(points[:, left], heights[:, left]), 0.0, 1.0)
            # As interpolation errs by the cube of the bracket, the places beside lie closer the smaller that is.
            beside = np.maximum(0.1 * width / span, 0.25 * _CLOSE * np.maximum(np.abs(first), np.abs(last)) / width)
            beside = np.minimum(beside, 0.25)
            shares = np.clip(np.array([share - beside, share, share + beside]), 0.25 * beside, 1 - 0.25 * beside)
            shares = np.where(width > 0.25 * before[left], _cut(points[:, left], heights[:, left], beside), shares)
            before[left] = width
            places = first + shares * (last - first)
            found = self.at(np.tile(owner[left], 3), places.reshape(-1), near).reshape(3, -1)
            row = np.concatenate([points[:1, left], places, points[1:2, left]])
            high = np.concatenate([heights[:1, left], found, heights[1:2, left]])
            turned = (high >= 0) != (high[0] >= 0)
            j = np.argmax(turned, axis=0)
            k = np.arange(left.size)
            third = np.where(j >= 2, j - 2, np.minimum(j + 1, 4))
            points[:, left] = row[j - 1, k], row[j, k], row[third, k]
            heights[:, left] = high[j - 1, k], high[j, k], high[third, k]
        unclosed = np.zeros(owner.size, np.bool_)
        unclosed[left] = True
        return np.asarray(np.where(heights[0] >= 0, points[0], points[1])), unclosed


def _cut(points: Floats, heights: Floats, beside: Floats) -> Floats:
    """Shares at which a bracket is cut: its middle, and about where a line through the two points of one side vanishes.

    Without such a point two more quarters, so that a bracket at least halves.
    """
    (a, b, c), (fa, fb, fc) = points, heights
    with np.errstate(all="ignore"):
        from_last = (fc >= 0) == (fb >= 0)
        near, height = np.where(from_last, b, a), np.where(from_last, fb, fa)
        share = (near - height * (near - c) / (height - fc) - a) / (b - a)
    serves = np.isfinite(share) & (share > 0) & (share < 1)
    low, high = np.clip(share - beside, 0.25 * beside, 1.0), np.clip(share + beside, 0.0, 1 - 0.25 * beside)
    cut = np.sort(
        np.array([np.where(serves, low, 0.25), np.full_like(share, 0.5), np.where(serves, high, 0.75)]), axis=0
    )
    return np.asarray(np.where(np.diff(cut, axis=0).min(axis=0) > 0, cut, _QUARTERS))


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

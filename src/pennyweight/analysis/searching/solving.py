"""What a deal solves itself, in all cases at once: brackets on a grid, closed until nothing is between.

Each case goes its own way, so that it comes to the same alone or among others. The method is that of Chandrupatla
(1997): inverse quadratic interpolation where it may be trusted, else halves.
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

FIRST = 9
"""So many places are tried first, evenly between the ends."""
_ROUNDS = 80
_CLOSE = 4e-16


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
        low, high = places[k], places[k + 1]
        found[mine] = solver.close(mine, low, high, figures[mine, k], figures[mine, k + 1])
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

    def close(self, owner: NDArray[np.intp], a: Floats, b: Floats, fa: Floats, fb: Floats) -> Floats:
        """The value on the side that holds, where nothing is left between it and the one that does not."""
        a, b, fa, fb = a.copy(), b.copy(), fa.copy(), fb.copy()
        c, fc = a.copy(), fa.copy()
        step = np.full(a.size, 0.5)
        left = np.arange(a.size)
        for _ in range(_ROUNDS):
            # A hair of the bracket at least, so that its far side closes in too.
            room = np.maximum(_CLOSE * np.maximum(np.abs(a[left]), np.abs(b[left])), np.finfo(float).tiny)
            width = np.abs(b[left] - a[left])
            share = np.clip(step[left], room / width, 1 - room / width)
            x = a[left] + share * (b[left] - a[left])
            inside = (x != a[left]) & (x != b[left])
            left, x = left[inside], x[inside]
            if not left.size:
                break
            f = self.at(owner[left], x)
            same = (f >= 0) == (fa[left] >= 0)
            c[left] = np.where(same, a[left], b[left])
            fc[left] = np.where(same, fa[left], fb[left])
            b[left] = np.where(same, b[left], a[left])
            fb[left] = np.where(same, fb[left], fa[left])
            a[left], fa[left] = x, f
            step[left] = _next_step(a[left], b[left], c[left], fa[left], fb[left], fc[left])
            near = np.abs(b[left] - a[left]) > _CLOSE * np.maximum(np.abs(a[left]), np.abs(b[left]))
            left = left[near & (fa[left] != 0)]
            if not left.size:
                break
        return np.where(fa >= 0, a, b)


def _next_step(a: Floats, b: Floats, c: Floats, fa: Floats, fb: Floats, fc: Floats) -> Floats:
    """Where to look next, as a share of the way from a to b."""
    with np.errstate(all="ignore"):
        xi, phi = (a - b) / (c - b), (fa - fb) / (fc - fb)
        trusted = (phi**2 < xi) & ((1 - phi) ** 2 < 1 - xi)
        t = fa / (fb - fa) * fc / (fb - fc) + (c - a) / (b - a) * fa / (fc - fa) * fb / (fc - fb)
    return np.where(trusted & np.isfinite(t), t, 0.5)

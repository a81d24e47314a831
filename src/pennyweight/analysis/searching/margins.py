"""How near to zero a slack is zero: what rounding may have moved it, or what the goal that it serves tolerates.

A value that was found lies where the slack is zero. Only where it is zero, but for rounding, over a stretch (`FLAT`),
does what rounding may have moved it say where that ends.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence

import numpy as np
from numpy.typing import NDArray

from pennyweight.analysis.searching.lockstep_search import Known, Search, Sweep, narrowed
from pennyweight.array_kinds import Floats
from pennyweight.deals.compiler.program import Program

__all__ = ["FLAT", "narrowed_by", "nearness", "noises", "widened"]

FLAT = 1e-7
"""What is alike over more than this part of what is looked through is flat there, and not one place."""


def noises(
    program: Program, sweep: Sweep, known: Mapping[str, Floats], key: str, places: Floats, watched: Sequence[str]
) -> Floats:
    """For each figure that decides, in each case, how far rounding may have moved it, (watched, cases).

    The amounts that it is made of are looked at where the input stands at `places`, one a case.
    """
    names = [program.margins[name].noise for name in watched if name in program.margins]
    found = sweep(known, np.arange(places.size), {key: places}, names) if names else {}
    rows = [
        found[program.margins[name].noise] if name in program.margins else np.zeros(places.size) for name in watched
    ]
    return np.array(rows).reshape(len(watched), places.size)


def nearness(program: Program, watched: Sequence[str], noise: Floats) -> Floats:
    """What is added to each slack so that its sign decides: what rounding may have taken, no more than its goal allows.

    Where zero itself does not do, as much is taken away.
    """
    limits = [program.margins.get(name) for name in watched]
    most = np.array([np.inf if limit is None else limit.most for limit in limits]).reshape(-1, *[1] * (noise.ndim - 1))
    sign = np.array([-1.0 if limit is not None and limit.strict else 1.0 for limit in limits])
    return np.asarray(sign.reshape(most.shape) * np.minimum(noise, most))


def widened(program: Program, watched: Sequence[str], near: Floats, slacks: Floats, *, always: bool = False) -> Floats:
    """The same, for a row of slacks that never is more than just below zero: its goal tolerates that everywhere.

    Elsewhere it turns where the figure meets its bound, and not where the goal's tolerance ends; `always`: in steps
    nothing lies between, so that the tolerance decides as it does for the verdict.
    """
    if not watched:
        return near
    most = np.array([program.margins[name].most if name in program.margins else 0.0 for name in watched])
    loose = np.array([name in program.margins and not program.margins[name].strict for name in watched])
    with np.errstate(all="ignore"):
        best = np.where(np.isnan(slacks), -np.inf, slacks).max(axis=1, initial=-np.inf)
    flat = (best + near < 0) & (best + most >= 0)
    return np.asarray(np.where(loose & np.isfinite(most) & (flat | always), np.maximum(near, most), near))


def narrowed_by(
    known: Known,
    low: float,
    high: float,
    slack: Callable[[Floats], Floats],
    near: Floats,
    reach: float,
    step: float | None = None,
) -> Search[tuple[float, float]]:
    """Shrink a bracket around a change of state (see `narrowed`) to where the slacks are zero, or to a stretch's end.

    `slack` gives from figures the slacks, (some, n); `near` is what is added to each. With it, the state is known to
    change between the two; `reach` is how far beyond where it changes without it a stretch begins.
    """

    def within(figures: Floats) -> Floats:
        return np.asarray(slack(figures) + near[:, None])

    def state(figures: Floats) -> NDArray[np.bool_]:
        return np.asarray((within(figures) >= 0).all(axis=0))

    def exact(figures: Floats) -> NDArray[np.bool_]:
        return np.asarray((slack(figures) >= 0).all(axis=0))

    ends = known.figures[:, np.searchsorted(known.x, [low, high])]
    at_ends = exact(ends)
    if at_ends[0] == at_ends[1] or step or (near <= 0).all():
        return (yield from narrowed(known, low, high, state, within, step))
    good_low = bool(at_ends[0])
    first, last = yield from narrowed(known, low, high, exact, slack, step)
    beyond = last + reach if good_low else first - reach
    if not low < beyond < high:
        return first, last
    span = (last, beyond) if good_low else (beyond, first)
    looked = (known.x >= span[0]) & (known.x <= span[1])
    if not state(known.figures[:, looked]).all():
        return first, last
    known.add(np.array([beyond]), (yield np.array([beyond])))
    if not state(known.figures[:, np.searchsorted(known.x, [beyond])])[0]:
        return first, last
    return (yield from narrowed(known, *((beyond, high) if good_low else (low, beyond)), state, within))

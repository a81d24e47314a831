"""Looking for values of an input: where to look, and how to close in on several at once.

Every round evaluates all brackets at a row of places in one batch and keeps the cell in which the state
changes, so a bracket shrinks seventeenfold a round, whatever the function looks like inside.
"""

from __future__ import annotations

from collections.abc import Callable
from math import ceil, floor
from typing import TypeAlias

import numpy as np
from numpy.typing import NDArray

from pennyweight.core.dates import Days
from pennyweight.deals.definition import Input

__all__ = ["close_in", "default_range", "places_of", "smallest", "touching", "wider"]

Floats: TypeAlias = NDArray[np.float64]
Evaluate: TypeAlias = Callable[[Floats, NDArray[np.intp]], Floats]
"""(values of the input, number of the case each belongs to) to what is looked at."""

_PLACES = 16
_ROUNDS = 15
_EPS = float(np.finfo(np.float64).eps)
_MOST_WHOLE = 20_000
"""Up to so many whole values every one is tried."""


def default_range(
    item: Input, base: float, years: float, periods: int, days: Days | None = None
) -> tuple[float, float]:
    """Where to look for a value of this input when the asker does not say.

    Money, counts and plain numbers from 0 to four times the base, shares 0 to 100 %, rates -50 % to 100 %, spans 0 to
    the end, series from 0 to four times their size, choices all, days those of the timeline. low and high of the input
    widen it, never narrow it.
    """
    if item.is_series:
        return 0.0, 4.0
    if item.choices:
        return 0.0, len(item.choices) - 1.0
    if item.unit == "date":
        low, high = (base - 3_653.0, base + 3_653.0) if days is None else days[[0, -1]].astype(np.int64).tolist()
        return min(low, base), max(high, base)
    if item.unit == "rate":
        low, high = -0.5, 1.0
    elif item.unit == "share":
        low, high = 0.0, 1.0
    elif item.unit == "years":  # a span within the timeline, or an age beyond its length
        low, high = 0.0, years if base <= years else max(2.0 * base, base + years)
    elif item.unit == "period":
        low, high = 0.0, float(periods)
    else:
        low, high = min(0.0, 4.0 * base), max(0.0, 4.0 * base)
        if low == high:
            low, high = -1_000.0, 1_000.0
    bounds = [bound for bound in (item.low, item.high, base) if bound is not None]
    low = min(low, *bounds)
    return low if item.least is None else max(low, item.least), max(high, *bounds)


def wider(item: Input, low: float, high: float) -> tuple[float, float] | None:
    """The range to try when the first held nothing; only money and numbers have one."""
    if item.is_series:
        return 0.0, 100.0
    if item.unit in ("rate", "share", "years", "period", "choice", "date"):
        return None
    reach = 100.0 * max(abs(low), abs(high))
    return -reach if item.least is None else item.least, reach


def places_of(item: Input, limits: tuple[float, float], base: float, count: int) -> Floats:
    """Where an input is tried first: a grid, or for whole inputs every value, and of very many a grid of whole ones."""
    if item.step is None:
        return grid(*limits, base, count)
    hair = 1e-9
    first, last = ceil(limits[0] / item.step - hair), floor(limits[1] / item.step + hair)
    if last - first <= _MOST_WHOLE:
        return np.arange(first, last + 1, dtype=np.float64) * item.step
    wanted = grid(first, last, base / item.step, 8 * count)
    return np.unique(np.clip(np.round(wanted), first, last)) * item.step


def grid(low: float, high: float, base: float, count: int) -> Floats:
    """Places from low to high, dense around the base and with it among them, denser still close to it."""
    steps = np.linspace(0.0, 1.0, count)
    curve = np.concatenate([0.25 * steps + 0.75 * steps**2, 0.5 ** np.arange(8.0, 44.0, 2.0)])
    inside = min(max(base, low), high)
    return np.unique(np.concatenate([inside + (high - inside) * curve, inside - (inside - low) * curve]))


def close_in(
    evaluate: Evaluate,
    owner: NDArray[np.intp],
    low: Floats,
    high: Floats,
    *,
    signs: bool,
    steps: Floats | None = None,
) -> tuple[Floats, Floats]:
    """Shrink every bracket around the change of state in it.

    State is the sign of the function with `signs`, else whether it is 1 (a condition that holds). Returns
    (low, high), a last digit or so apart; where there are `steps`, the two multiples of it between which it changes.
    """
    low, high = low.copy(), high.copy()
    if not owner.size:
        return low, high
    start = _state(evaluate(low, owner), signs)
    share = np.arange(1, _PLACES + 1) / (_PLACES + 1)
    steps = np.zeros(owner.size) if steps is None else steps
    for _ in range(_ROUNDS):
        apart = np.where(steps > 0, 1.000001 * steps, 4 * _EPS * np.maximum(np.abs(low), np.abs(high)))
        open_ = np.flatnonzero(np.abs(high - low) > apart)
        if not open_.size:
            break
        places = low[open_, None] + (high - low)[open_, None] * share
        step = np.where(steps > 0, steps, 1.0)[open_, None]
        places = np.where(steps[open_, None] > 0, np.round(places / step) * step, places)
        states = _state(evaluate(places.reshape(-1), np.repeat(owner[open_], _PLACES)), signs)
        same = states.reshape(-1, _PLACES) == start[open_, None]
        first = np.where(same.all(axis=1), _PLACES, np.argmin(same, axis=1))
        edges = np.column_stack([low[open_], places, high[open_]])
        rows = np.arange(open_.size)
        low[open_], high[open_] = edges[rows, first], edges[rows, first + 1]
    return low, high


def touching(evaluate: Evaluate, owner: NDArray[np.intp], low: Floats, high: Floats) -> tuple[Floats, Floats]:
    """The place of the smallest |function| between low and high, and that smallest size."""
    low, high = low.copy(), high.copy()
    share = np.linspace(0.0, 1.0, _PLACES + 2)
    rows = np.arange(low.size)
    for _ in range(_ROUNDS):
        places = low[:, None] + (high - low)[:, None] * share
        size = np.abs(evaluate(places.reshape(-1), np.repeat(owner, share.size))).reshape(places.shape)
        best = np.argmin(np.where(np.isnan(size), np.inf, size), axis=1)
        low, high = places[rows, np.maximum(best - 1, 0)], places[rows, np.minimum(best + 1, share.size - 1)]
    middle = (low + high) / 2
    return middle, np.abs(evaluate(middle, owner))


def smallest(evaluate: Evaluate, owner: NDArray[np.intp], low: Floats, high: Floats) -> tuple[Floats, Floats]:
    """The place of the smallest value of the function between low and high, and that value."""
    low, high = low.copy(), high.copy()
    share = np.linspace(0.0, 1.0, _PLACES + 2)
    rows = np.arange(low.size)
    at, least = low, np.full(low.size, np.inf)
    for _ in range(_ROUNDS):
        places = low[:, None] + (high - low)[:, None] * share
        values = evaluate(places.reshape(-1), np.repeat(owner, share.size)).reshape(places.shape)
        best = np.argmin(values, axis=1)
        better = values[rows, best] < least
        at, least = np.where(better, places[rows, best], at), np.where(better, values[rows, best], least)
        low, high = places[rows, np.maximum(best - 1, 0)], places[rows, np.minimum(best + 1, share.size - 1)]
    return at, least


def _state(values: Floats, signs: bool) -> Floats:
    return np.sign(values) if signs else (values == 1).astype(np.float64)

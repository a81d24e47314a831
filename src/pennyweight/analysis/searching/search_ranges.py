"""Where to look for values of an input: its range, a wider one, and the places that are tried first."""

from __future__ import annotations

from math import ceil, floor

import numpy as np

from pennyweight.array_kinds import Floats
from pennyweight.core.dates import Days
from pennyweight.deals.definition import Definition
from pennyweight.deals.language.nodes import names_in
from pennyweight.deals.parts import Input

__all__ = ["default_range", "is_moment", "places_of", "wider"]

_MOST_WHOLE = 20_000
"""Up to so many whole values every one is tried."""


def default_range(
    item: Input, base: float, years: float, periods: int, days: Days | None = None
) -> tuple[float, float]:
    """Where to look for a value of this input when the asker does not say.

    Money, counts and plain numbers from 0 to four times the base, shares 0 to 100 %, rates -50 % to 100 %, spans 0 to
    the end, series from 0 to four times their size, choices all, days those of the timeline, a column of
    days as many months to either side as the timeline has. low and high of the input
    widen it, never narrow it.
    """
    if item.by_months:
        return -float(ceil(12 * years)), float(ceil(12 * years))
    if item.by_steps:
        reach = max(float(np.nanmax(np.abs(np.where(np.isfinite(item.value), item.value, 0.0)), initial=0.0)), 12.0)
        return -reach, reach
    if item.is_series:
        return 0.0, 4.0
    if item.choices:
        return 0.0, len(item.choices) - 1.0
    if not np.isfinite(base):  # "never": what lies within the timeline is looked at
        base = float(days[-1].astype(np.int64)) if item.unit == "date" and days is not None else float(periods)
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


def wider(item: Input, low: float, high: float, *, is_moment: bool = False) -> tuple[float, float] | None:
    """The range to try when the first held nothing; rates, shares, choices and moments of the timeline have none.

    A span may be an age or the term of a loan, beyond the timeline; a day may lie before or after it.
    """
    if item.is_series and not item.adds:
        return 0.0, 100.0
    if item.adds or item.unit in ("rate", "share", "choice") or is_moment:
        return None
    if item.unit in ("years", "period"):
        return low, max(4.0 * high, high + 100.0)
    if item.unit == "date":
        return low - 7_305.0, high + 7_305.0  # twenty years to either side
    reach = 100.0 * max(abs(low), abs(high))
    if low >= 0.0 and item.unit != "number":  # a price or a number of users below zero would answer nothing
        return low, reach
    return -reach if item.least is None else item.least, reach


def is_moment(deal: Definition, name: str) -> bool:
    """Whether an input alone says when a line runs: beyond the timeline its money would fall nowhere."""
    runs = [line.run for line in deal.lines.values()]
    nodes = [node for run in runs for node in (run.at, run.first, run.last, run.every) if node is not None]
    nodes += [loan.terms["paid_out"] for loan in deal.loans.values()]
    return any(names_in(node) - {"end", "per_year", "t"} == {name} for node in nodes)


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
    curve = np.concatenate([0.25 * steps + 0.75 * steps**2, 0.5 ** np.array([8.0, 12.0, 18.0, 28.0, 40.0])])
    inside = min(max(base, low), high)
    return np.unique(np.concatenate([inside + (high - inside) * curve, inside - (inside - low) * curve]))

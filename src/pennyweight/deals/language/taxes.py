"""What the functions of the deal language make of losses and write-offs; like `arithmetic`."""

from __future__ import annotations

import numpy as np

from pennyweight.array_kinds import Floats
from pennyweight.deals.language.arithmetic import whole
from pennyweight.deals.timeline import Timeline

__all__ = ["after_losses", "declining_balance", "losses_left", "straight_line", "why_share", "why_years", "written_off"]

WHOLE = 1e-6


# Losses carried forward (26 USC 172(a)(2); German EStG 10d(2) sets such a share, too).


def after_losses(time: Timeline, profit: Floats, share: Floats | None = None) -> Floats:
    """The profit left to be taxed when earlier losses are used up against it, to a share of it."""
    return _carried(profit, share)[0]


def losses_left(time: Timeline, profit: Floats, share: Floats | None = None) -> Floats:
    """The losses that stand at a period's end, to be used later."""
    return _carried(profit, share)[1]


def _carried(profit: Floats, share: Floats | None) -> tuple[Floats, Floats]:
    """(what is taxed, what is left of losses), (periods + 1, width) each."""
    part = np.ones(1) if share is None else np.where((share >= 0) & (share <= 1), share, np.nan)
    width = max(profit.shape[1], part.size)
    taxed, left = np.empty((profit.shape[0], width)), np.empty((profit.shape[0], width))
    pool = np.zeros(width)
    for t in range(profit.shape[0]):
        gain = np.maximum(profit[t], 0.0)
        used = np.minimum(pool, part * gain)
        taxed[t] = gain - used
        pool = pool - used + np.maximum(-profit[t], 0.0)
        left[t] = pool
    return taxed, left


def why_share(time: Timeline, profit: Floats, share: Floats | None = None) -> str:
    """The share is none."""
    return f"the share of profit is {float(share[0]):.2%}; it must be 0% to 100%" if share is not None else ""


# Write-offs.


def written_off(time: Timeline, spent: Floats, years: Floats) -> Floats:
    """What is spent in each period, written off in equal parts over so many years from the next period on."""
    count = years * time.per_year
    known = whole(count) & (count >= 1 - WHOLE)
    parts = np.where(known, np.round(np.where(known, count, 1)), 1).astype(np.intp)
    width = max(spent.shape[1], parts.size)
    spent = np.broadcast_to(spent, (spent.shape[0], width))
    until = np.concatenate([np.zeros((1, width)), np.cumsum(spent, axis=0)])  # until[t]: spent before period t
    first = np.maximum(np.arange(spent.shape[0])[:, None] - np.broadcast_to(parts, width)[None, :], 0)
    begun = np.take_along_axis(until, first, axis=0)
    return np.where(known, (until[:-1] - begun) / parts, np.nan)


def straight_line(time: Timeline, cost: Floats, residual: Floats, years: Floats) -> Floats:
    """Depreciation in equal parts."""
    runs = (time.t >= 1) & (time.t <= years * time.per_year + WHOLE)
    with np.errstate(divide="ignore", invalid="ignore"):
        share = np.where(years > 0, (cost - residual) / (years * time.per_year), np.nan)
    return np.where(runs, share, np.where(np.isnan(share), np.nan, 0.0))


def declining_balance(time: Timeline, cost: Floats, rate: Floats, years: Floats | None = None) -> Floats:
    """Depreciation by a share of what is left each year; with `years` it goes over to equal parts where these are more.

    The change of method is that of 26 USC 168(b)(1)(B) and of German EStG 7(3).
    """
    if years is None:
        left = cost * (1.0 - rate) ** np.maximum(time.year - 1, 0)
        return np.where(time.t >= 1, left * rate / time.per_year, 0.0)
    known = whole(years) & (years >= 1 - WHOLE)
    life = np.where(known, np.round(np.where(known, years, 1)), 1)
    width = np.broadcast_shapes(cost.shape, rate.shape, life.shape)
    left, by_year = np.broadcast_to(cost, width).astype(np.float64), [np.zeros(width)]
    for year in range(1, int(time.year[-1, 0]) + 1):
        remaining = np.maximum(life - year + 1, 1.0)
        taken = np.where(year <= life, np.maximum(left * rate, left / remaining), 0.0)
        by_year.append(taken)
        left = left - taken
    table = np.stack(by_year)[time.year[:, 0].astype(np.intp)] / time.per_year
    return np.where(known, table, np.nan)


def why_years(time: Timeline, x: Floats, *asked: Floats | None) -> str:
    """The years are no whole number of periods, or none at all."""
    years = float(asked[-1][0]) if asked and asked[-1] is not None else 0.0
    return f"{years:g} years are not a whole number of {time.period}s of one at least"

"""Any rows, periodic or dated, with any changes of sign: every root found, then the outcome read off."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from pennyweight.array_kinds import Floats
from pennyweight.core.irr import exact
from pennyweight.core.irr.above_zero import has_one_above_zero
from pennyweight.core.irr.outcome import IrrOutcome

__all__ = ["any_rows"]


def any_rows(rows: Floats, times: Floats | None) -> tuple[Floats, NDArray[np.int8]]:
    """Return (rate, outcome) of each row, (rows, n); times (n,), (rows, n), or None for 0, 1, 2…."""
    rate = np.full(rows.shape[0], np.nan)
    outcome = np.full(rows.shape[0], IrrOutcome.NONE, dtype=np.int8)
    finite = np.isfinite(rows).all(axis=1)
    one_sign = finite & ~((rows > 0).any(axis=1) & (rows < 0).any(axis=1))
    work = np.flatnonzero(finite & ~one_sign)
    # Flows so far apart that no number holds their ratio: the smaller vanish beside the largest.
    scaled = rows[work] / exact.power_of_two(rows[work])[:, None]
    apart = work[~((scaled > 0).any(axis=1) & (scaled < 0).any(axis=1))]
    found = exact.solve_rows(rows[work], times if times is None or times.ndim == 1 else times[work])
    with np.errstate(over="ignore"):
        at = np.expm1(-found.x) + 0.0
    edge = ~np.isfinite(at) | (at <= -1)
    row = work[found.row]
    crossing = np.bincount(row[~found.touches & ~edge], minlength=rows.shape[0])
    touching = np.bincount(row[found.touches & ~edge], minlength=rows.shape[0])
    at_edge = np.bincount(row[edge], minlength=rows.shape[0])
    outcome[at_edge > 0] = IrrOutcome.EDGE
    outcome[apart] = IrrOutcome.EDGE
    outcome[touching > 0] = IrrOutcome.TOUCHES
    outcome[crossing == 1] = IrrOutcome.ONE
    outcome[crossing + touching > 1] = IrrOutcome.SEVERAL
    several = np.flatnonzero(outcome == IrrOutcome.SEVERAL)
    if several.size:
        above = np.bincount(row[~found.touches & ~edge & (at > 0)], minlength=rows.shape[0])
        settled = several[has_one_above_zero(rows[several]) & (above[several] == 1)]
        outcome[settled] = IrrOutcome.ONE_ABOVE_ZERO
    outcome[one_sign] = IrrOutcome.ONE_SIGN
    outcome[~finite] = IrrOutcome.UNDEFINED
    chosen = ~found.touches & ~edge & (outcome[row] == IrrOutcome.ONE)
    rate[row[chosen]] = at[chosen]
    chosen = ~found.touches & ~edge & (at > 0) & (outcome[row] == IrrOutcome.ONE_ABOVE_ZERO)
    rate[row[chosen]] = at[chosen]
    return rate, outcome

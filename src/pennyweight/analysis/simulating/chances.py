"""Chances, percentiles and means of drawn cases, each with its error: how far the batches lie apart."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from pennyweight.analysis.simulating.tally import Counted
from pennyweight.array_kinds import Floats
from pennyweight.described import Described

__all__ = ["PERCENTILES", "Chance", "Spread", "chance_of", "error_of", "spread_of"]

PERCENTILES = (1, 5, 10, 25, 50, 75, 90, 95, 99)
_SURE = 0.975
"""Errors are told so that they hold in 95 of 100 runs."""
WORST = 0.05


@dataclass(frozen=True, slots=True, repr=False)
class Chance(Described):
    """In which share of the cases something is met, nearly met and missed, and how far each may be off.

    Examples
    --------
    >>> Chance("npv", 0.8, 0.05, 0.15, 0.004, 0.002, 0.003).met
    0.8
    """

    name: str
    met: float
    nearly: float
    missed: float
    met_error: float
    nearly_error: float
    missed_error: float


@dataclass(frozen=True, slots=True, repr=False)
class Spread(Described):
    """How a measure falls over the cases in which it is defined; NaN where there are none.

    Notes
    -----
    `percentiles` and `errors` are by percent, `worst` is the mean of the worst 5 %: the lowest, of what must be at most
    something the highest.

    Examples
    --------
    >>> Spread("npv", 1.0, {50: 10.0}, {50: 0.1}, 9.0, 0.1, 2.0, "lowest", ()).percentiles[50]
    10.0
    """

    name: str
    defined: float
    """The share of cases in which it is defined."""
    percentiles: dict[int, float]
    errors: dict[int, float]
    mean: float
    mean_error: float
    worst: float
    worst_side: str
    """Which side is the worst: "lowest" or "highest"."""
    reasons: tuple[str, ...]
    """Why it is undefined in the other cases: what some of them say."""


_UNSEEN = 3.0
"""What was seen in none of n cases may have a chance of three in n: to 95 %, as exp(-3) is 5 %."""


def error_of(by_batch: Floats) -> float:
    """How far the mean of batches may be off: Student's t for 95 % times the standard error of their mean.

    >>> error_of(np.array([1.0, 1.0, 1.0]))
    0.0
    """
    from scipy.special import stdtrit

    count = by_batch.size
    if count < 2 or not np.isfinite(by_batch).all():
        return float("nan")
    return float(stdtrit(count - 1, _SURE)) * float(by_batch.std(ddof=1)) / float(np.sqrt(count))


def chance_of(name: str, met: Floats, nearly: Floats, count: int) -> Chance:
    """The chances of one thing by its counts in each batch of `count` cases."""
    shares = met / count, nearly / count, (count - met - nearly) / count
    values = [float(one.mean()) for one in shares]
    cases = count * met.size
    errors = [max(error_of(one), _UNSEEN / cases if one.std() == 0 else 0.0) for one in shares]
    return Chance(name, *values, *errors)


def spread_of(
    name: str, values: Floats, *, highest_is_worst: bool, reasons: Sequence[str], counted: Counted | None = None
) -> Spread:
    """How a measure falls, (batches, cases) of it; `counted` has what the values stand for, where they are not all."""
    # Sorted once, what is undefined comes last; larger than any number is no figure either.
    rows = np.sort(np.where(np.isfinite(values), values, np.nan), axis=1)
    counts = rows.shape[1] - np.isnan(rows).sum(axis=1)
    every = np.sort(rows, axis=None)[: int(counts.sum())]
    share = every.size / values.size if counted is None else counted.defined
    side = "highest" if highest_is_worst else "lowest"
    if not every.size:
        nan = float("nan")
        none = dict.fromkeys(PERCENTILES, nan)
        return Spread(name, share, none, none, nan, nan, nan, side, tuple(reasons))
    levels = np.array(PERCENTILES) / 100
    found = _read_off(every, levels)
    batches = [row[:count] for row, count in zip(rows, counts.tolist(), strict=True)]
    enough = bool(counts.all())
    by_batch = np.array([_read_off(one, levels) for one in batches]) if enough else np.full((2, levels.size), np.nan)
    means = np.array([one.mean() for one in batches]) if enough else np.full(2, np.nan)
    mean = float(every.mean())
    if counted is not None:
        mean = float(counted.sums.sum() / counted.known.sum())
        means = counted.means if enough else means
    count = max(1, int(np.ceil(WORST * every.size)))
    ends = every[-count:] if highest_is_worst else every[:count]
    return Spread(
        name,
        share,
        dict(zip(PERCENTILES, found.tolist(), strict=True)),
        {level: error_of(by_batch[:, k]) for k, level in enumerate(PERCENTILES)},
        mean,
        error_of(means),
        float(ends.mean()),
        side,
        tuple(reasons),
    )


def _read_off(ordered: Floats, levels: Floats) -> Floats:
    """Percentiles of ordered values, straight between the two that are nearest."""
    place = levels * (ordered.size - 1)
    low = np.floor(place).astype(np.intp)
    high = np.minimum(low + 1, ordered.size - 1)
    return np.asarray(ordered[low] + (place - low) * (ordered[high] - ordered[low]))

"""Turning points: how far each input may move, alone, before the verdict turns."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TypeAlias

import numpy as np
from numpy.typing import NDArray

from pennyweight.analysis.cases import Model
from pennyweight.analysis.search import close_in, default_range, places_of
from pennyweight.deals.compiler.program import met_name
from pennyweight.deals.definition import Input
from pennyweight.deals.inputs import Inputs, stack
from pennyweight.described import Described

__all__ = ["TurningPoint", "turning_points"]

Floats: TypeAlias = NDArray[np.float64]

_GRID = 49
_BLOCK = 64


@dataclass(frozen=True, slots=True, repr=False)
class TurningPoint(Described):
    """Where the verdict turns when one input moves alone.

    `base` and `turns_at` are in the input's unit, or multiples of itself for a series (`by_scale`). `below` and
    `above` are the nearest turns on each side, on the side that pays off; `turns_at` is the nearer. `distance`
    is how far, as a fraction of the base; `of_range` as a fraction of low…high, when those are given.

    >>> from importlib.resources import files
    >>> from pennyweight import Deal
    >>> deal = Deal.read(str(files("pennyweight.starters") / "taxi/taxi.toml"))
    >>> point = deal.turning_points()[0]
    >>> point.input, round(point.turns_at, 2), round(point.distance, 4)
    ('hull', 465195.15, 0.1076)
    """

    input: str
    base: float
    below: float | None
    above: float | None
    turns_at: float | None
    distance: float | None
    of_range: float | None
    by_scale: bool
    reason: str


def turning_points(model: Model, inputs: Inputs) -> list[TurningPoint]:
    """The turning points of every input, around one case."""
    deal = model.definition
    if not deal.goals:
        return []
    idle = _idle_terms(model, inputs)
    items = [item for item in deal.inputs.values() if item.name not in idle and not item.fixed]
    # By blocks: every input of a block is moved in every case of it, so memory grows with the square of its size.
    return [
        point
        for start in range(0, len(items), _BLOCK)
        for point in _block(model, inputs, items[start : start + _BLOCK])
    ]


def _block(model: Model, inputs: Inputs, items: list[Input]) -> list[TurningPoint]:
    deal = model.definition
    base = stack(deal, [inputs])
    years = deal.timeline.periods / deal.timeline.per_year
    bases = np.array([1.0 if item.is_series else float(inputs[item.name]) for item in items])
    ranges = [default_range(item, base, years, deal.timeline.periods) for item, base in zip(items, bases, strict=True)]
    places = [places_of(item, limits, base, _GRID) for item, limits, base in zip(items, ranges, bases, strict=True)]
    mover = np.repeat(np.arange(len(items)), [place.size for place in places])
    x = np.concatenate(places)

    def evaluate(values: Floats, moved: NDArray[np.intp], wanted: list[str]) -> dict[str, Floats]:
        changes = {
            item.name: np.where(moved == k, values, bases[k]) for k, item in enumerate(items) if (moved == k).any()
        }
        return model.sweep(base, np.zeros(moved.size, np.intp), changes, wanted)

    goals = [met_name(name) for name in deal.goals]
    figures = evaluate(x, mover, ["pays_off", *goals])
    pays = figures["pays_off"] == 1
    left = np.flatnonzero((mover[1:] == mover[:-1]) & (pays[1:] != pays[:-1]))
    low, high = close_in(
        lambda values, moved: evaluate(values, moved, ["pays_off"])["pays_off"],
        mover[left],
        x[left],
        x[left + 1],
        signs=False,
        steps=np.array([item.step or 0.0 for item in items])[mover[left]],
    )
    turns = np.where(pays[left], low, high)
    # What turns only at the very edge of the range (a price of nothing) is no turn anyone asks about.
    lowest, highest = np.array(ranges)[mover[left]].T if left.size else (np.empty(0), np.empty(0))
    hair = 1e-9 * (highest - lowest)
    inner = (high - lowest > hair) & (highest - low > hair)
    points = []
    for k, item in enumerate(items):
        mine = turns[(mover[left] == k) & inner]
        own = slice(*np.searchsorted(mover, [k, k + 1]))
        reason = ""
        if not mine.size and not (always := bool(pays[own][1:-1].all())):
            blocked = [goal for goal in deal.goals if not (figures[met_name(goal)][own] == 1).any()]
            reason = _reason(always, blocked)
        elif not mine.size:
            reason = _reason(True, [])
        points.append(_point(item.name, float(bases[k]), mine, item.low, item.high, item.is_series, reason))
    return points


def _point(
    name: str, base: float, turns: Floats, low: float | None, high: float | None, by_scale: bool, reason: str
) -> TurningPoint:
    under, over = turns[turns <= base], turns[turns > base]
    below = float(under.max()) if under.size else None
    above = float(over.min()) if over.size else None
    sides = [side for side in (below, above) if side is not None]
    nearest = min(sides, key=lambda side: abs(side - base)) if sides else None
    distance = of_range = None
    if nearest is not None:
        with np.errstate(all="ignore"):
            away = (nearest - base) / abs(base) if base else np.inf
        distance = float(away) if np.isfinite(away) else None
        if low is not None and high is not None and high > low and not by_scale:
            of_range = (nearest - base) / (high - low)
    return TurningPoint(name, base, below, above, nearest, distance, of_range, by_scale, reason)


def _reason(always: bool, blocked: list[str]) -> str:
    if always:
        return "pays off at every value"
    if blocked:
        return f"{' and '.join(blocked)} missed at every value"
    return "no value meets all goals at once"


def _idle_terms(model: Model, inputs: Inputs) -> set[str]:
    """The terms of loans of which nothing is paid out in this case: they turn nothing."""
    deal = model.definition
    drawn = model.figures([inputs], [f"{loan}.drawn" for loan in deal.loans]) if deal.loans else {}
    idle = [name.partition(".")[0] for name, value in drawn.items() if not value.any()]
    return {
        name for name in deal.inputs for loan in idle if name.startswith(f"{loan}.") and not name.endswith(".amount")
    }

"""What becomes of a deal when one input moves alone along its range: worked out beforehand, for readers of a page."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from pennyweight.analysis.weighing.turning import TurningPoint
from pennyweight.analysis.weighing.verdict import State, VerdictWord, judged_together, states_along
from pennyweight.analysis.weighing.weighing import Weighing
from pennyweight.array_kinds import Floats
from pennyweight.deals.compiler.program import met_name, nearly_name
from pennyweight.deals.inputs import stack
from pennyweight.deals.parts import Input

__all__ = ["MovedInput", "moved_inputs"]

PLACES, MOST = 21, 40
"""So many values of so many inputs are looked at."""
_POINTS = 0.05
"""How far a rate or a share without a range moves to either side: five points."""


@dataclass(frozen=True, slots=True)
class MovedInput:
    """One input along its range, all else as it stands: (places,) each; a series is moved by multiples of itself."""

    input: str
    places: Floats
    base: int
    """Which of the places is the deal as it stands."""
    figures: Mapping[str, Floats]
    """By name, not-a-number where undefined."""
    states: Mapping[str, tuple[State, ...]]
    """By goal."""
    verdicts: tuple[VerdictWord, ...]


def moved_inputs(weighing: Weighing, figures: Sequence[str]) -> tuple[MovedInput, ...]:
    """The inputs nearest to turning the verdict, each along its range; figures are those that are told.

    From low to high where there are both, else from half to one and a half of the value, of rates and shares five
    points to either side, of a choice every word. Answers to questions stay as they are. An input of zero without a
    range has nowhere to go, and a fact does not move.
    """
    deal, model = weighing.definition, weighing.model
    names = list(dict.fromkeys([*deal.goals, *figures]))
    base = stack(deal, [weighing.case])
    for name, outcome in weighing.answers.items():
        single = outcome.answers[0].value if len(outcome.answers) == 1 else np.nan
        base[name] = np.array([single])
    states = [key for goal in deal.goals for key in (met_name(goal), nearly_name(goal)) if key in model.program.names]
    found: list[MovedInput] = []
    for item in _nearest(weighing):
        value = item.neutral if item.is_series else float(weighing.case[item.name])
        places = _places(item, value)
        if places.size < 2:
            continue
        got = model.sweep(base, np.zeros(places.size, np.intp), {item.name: places}, [*names, *states])
        told = states_along(deal, got)
        verdicts = tuple(judged_together({own[k] for own in told.values()}) for k in range(places.size))
        kept = {name: np.asarray(got[name], dtype=np.float64).reshape(-1) for name in names}
        found.append(MovedInput(item.name, places, int(np.argmin(np.abs(places - value))), kept, told, verdicts))
        if len(found) == MOST:
            break
    return tuple(found)


def _nearest(weighing: Weighing) -> list[Input]:
    """All inputs that may move, the nearest to turning the verdict first, then in the order of the file."""
    deal = weighing.definition

    def near(point: TurningPoint) -> tuple[bool, float]:
        return (point.nearness is None, point.nearness or 0.0)

    order = [point.input for point in sorted(weighing.turning_points, key=near)]
    names = dict.fromkeys([*(name for name in order if name in deal.inputs), *deal.inputs])
    return [deal.inputs[name] for name in names if not deal.inputs[name].fixed]


def _places(item: Input, value: float) -> Floats:
    """Where an input is looked at, its value among the places."""
    if item.choices:
        return np.arange(len(item.choices), dtype=np.float64)
    low, high = item.low, item.high
    if item.is_series:
        low, high = (usual if end is None else end for end, usual in zip((low, high), (0.5, 1.5), strict=True))
    elif low is None or high is None:
        if item.unit == "date":
            return np.array([value])
        if item.unit in ("rate", "share"):
            low, high = value - _POINTS, value + _POINTS
            low = max(low, 0.0) if value >= 0 else low
            high = min(high, 1.0) if item.unit == "share" and value <= 1 else high
        else:
            low, high = sorted((0.5 * value, 1.5 * value))
        low = low if item.least is None else max(low, item.least)
    low, high = min(low, value), max(high, value)
    places = np.linspace(low, high, PLACES)
    if item.step is not None:
        places = np.unique(np.clip(np.round(places / item.step) * item.step, low, high))
    if not np.isin(value, places):
        inside = slice(1, -1) if places.size > 2 else slice(None)
        nearest = int(np.argmin(np.abs(places[inside] - value))) + (1 if places.size > 2 else 0)
        places[nearest] = value
    return np.unique(places)

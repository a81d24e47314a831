"""How far a figure swings as each input moves alone, from one end to the other."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from pennyweight.analysis.cases import Model
from pennyweight.analysis.weighing.verdict import VerdictWord, judged_together, states_along
from pennyweight.array_kinds import Floats
from pennyweight.deals.compiler.program import met_name, nearly_name
from pennyweight.deals.inputs import stack
from pennyweight.deals.parts import Input
from pennyweight.described import Described

__all__ = ["Swing", "swings"]

_SAME = 1e-12


@dataclass(frozen=True, slots=True, repr=False)
class Swing(Described):
    """One input from low to high, all else as it stands: the figure and the verdict at each end; NaN undefined.

    Notes
    -----
    `low` and `high` are values, of a series or a column multiples, of a choice the words (by place) at which the figure
    is lowest and highest. `idle` says why nothing moves, where nothing does.

    Examples
    --------
    >>> Swing("price", 1.0, 2.0, 5.0, 3.0, "", "", "").size
    2.0
    """

    input: str
    low: float
    high: float
    at_low: float
    at_high: float
    verdict_low: VerdictWord | str
    verdict_high: VerdictWord | str
    idle: str

    @property
    def size(self) -> float:
        """How far the figure lies apart at the two ends; NaN where it is undefined at one."""
        return abs(self.at_high - self.at_low)


def swings(
    model: Model, case: Mapping[str, Any], measure: str, items: Sequence[Input], moved: float | None
) -> list[Swing]:
    """The swing of a measure for each input, the largest first; what is undefined at an end comes before all."""
    found = [_swing(model, case, measure, item, *_ends(model, case, item, moved)) for item in items]
    found = [_explained(model, case, measure, one) if one.size <= _SAME else one for one in found]
    return sorted(found, key=lambda one: -one.size if one.size == one.size else -np.inf)


def _ends(model: Model, case: Mapping[str, Any], item: Input, moved: float | None) -> Floats:
    """The ends of an input, or every word of a choice."""
    if item.choices:
        return np.arange(len(item.choices), dtype=np.float64)[None, :]
    value = model.standing(dict(case), item.name)
    if moved is None:
        assert item.low is not None
        assert item.high is not None
        ends = [item.low, item.high]
    else:
        ends = sorted(float(f"{value * (1 + part):.12g}") for part in (-moved, moved))
        if item.step is not None:
            ends = [np.floor(ends[0] / item.step) * item.step, np.ceil(ends[1] / item.step) * item.step]
        if item.least is not None:
            ends = [max(end, item.least) for end in ends]
        if item.unit == "share" and not item.is_series and 0 <= value <= 1:
            ends = [min(end, 1.0) for end in ends]
    return np.array([ends])


def _swing(model: Model, case: Mapping[str, Any], measure: str, item: Input, places: Floats) -> Swing:
    figures, verdicts = _at(model, case, measure, {item.name: places})
    if item.choices:
        order = np.argsort(np.where(np.isnan(figures), -np.inf, figures), kind="stable")
        low, high = int(order[0]), int(order[-1])
    else:
        low, high = 0, 1
    ends = (float(places[low]), float(places[high]), float(figures[low]), float(figures[high]))
    return Swing(item.name, *ends, verdicts[low], verdicts[high], "")


def _at(
    model: Model, case: Mapping[str, Any], measure: str, changes: Mapping[str, Floats]
) -> tuple[Floats, list[VerdictWord | str]]:
    """(the measure, the verdict) at places of inputs."""
    deal, program = model.definition, model.program
    states = [key for goal in deal.goals for key in (met_name(goal), nearly_name(goal)) if key in program.names]
    count = next(iter(changes.values())).size
    got = model.sweep(stack(deal, [dict(case)]), np.zeros(count, np.intp), changes, [measure, *states])
    if not deal.goals:
        return np.array(got[measure], dtype=np.float64), [""] * count
    told = states_along(deal, got)
    return np.array(got[measure], dtype=np.float64), [
        judged_together({one[k] for one in told.values()}) for k in range(count)
    ]


def _explained(model: Model, case: Mapping[str, Any], measure: str, one: Swing) -> Swing:
    """An input that moves nothing, with another that keeps it from moving anything: one of zero, or a word."""
    deal = model.definition
    for other in deal.inputs.values():
        if other.name == one.input or other.solved or other.formula or (other.is_series and not other.choices):
            continue
        value = case.get(other.name, 1.0)
        if other.choices and not other.is_column:
            now = round(float(np.asarray(value)))
            aways = [float(k) for k in range(len(other.choices)) if k != now]
            said = f"as long as {other.label} is {other.choices[now]}"
        elif not other.is_series and float(np.asarray(value)) == 0:
            aways = [other.high or other.low or {"rate": 0.05, "share": 0.5, "money": 1_000.0}.get(other.unit, 1.0)]
            said = f"as long as {other.label} is zero"
        else:
            continue
        for away in aways:
            places = {one.input: np.array([one.low, one.high]), other.name: np.full(2, away)}
            figures, _ = _at(model, case, measure, places)
            if abs(float(figures[1] - figures[0])) > _SAME:
                return replace(one, idle=f"moves nothing {said}")
    return replace(one, idle=f"moves nothing: {deal.label(measure)} does not hang on it here")

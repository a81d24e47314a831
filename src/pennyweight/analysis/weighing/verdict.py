"""One case judged: its measures, its goals, the verdict, and what makes it no case at all."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from dataclasses import dataclass
from typing import Final, Literal

import numpy as np

from pennyweight.array_kinds import Floats
from pennyweight.deals.compiler.program import bound_name, met_name, nearly_name
from pennyweight.deals.definition import Definition
from pennyweight.deals.language.nodes import show
from pennyweight.deals.parts import COUNTED, Goal
from pennyweight.deals.undefined import each_value_of, loan_named, loan_trouble, told_beside, value_of, why_undefined
from pennyweight.deals.worked_out import of_each
from pennyweight.described import Described
from pennyweight.errors import InputError, NoAnswer

__all__ = [
    "FALLS_SHORT",
    "NEARLY",
    "NO_GOALS",
    "PAYS_OFF",
    "Figure",
    "GoalResult",
    "State",
    "VerdictWord",
    "figure_of",
    "judged",
    "judged_together",
    "refuse_broken_loans",
    "refuse_broken_periods",
    "states_along",
    "verdict_of",
]

VerdictWord = Literal["pays off", "nearly", "falls short", "no goals"]
PAYS_OFF: Final = "pays off"
NEARLY: Final = "nearly"
FALLS_SHORT: Final = "falls short"
NO_GOALS: Final = "no goals"
"""The verdicts, as they are told everywhere."""

State = Literal["met", "nearly", "missed"]
"""How a goal fares."""


@dataclass(frozen=True, slots=True, repr=False)
class Figure(Described):
    """One measure: its value, or None with the reason why it is undefined.

    Examples
    --------
    >>> from pennyweight import Deal
    >>> deal = Deal.starter("taxi")
    >>> figure = deal.weigh().measures["payback"]
    >>> round(figure.value, 4), figure.unit, figure.reason
    (7.4644, 'years', '')
    """

    name: str
    label: str
    value: float | None
    unit: str
    reason: str
    formula: str
    remark: str = ""
    """What is to be said beside its value: of several rates which one it is, and the others."""


@dataclass(frozen=True, slots=True, repr=False)
class GoalResult(Described):
    """How a goal fares. `slack` is how far the value lies beyond the bound: below zero it misses by as much.

    Examples
    --------
    >>> from pennyweight import Deal
    >>> deal = Deal.starter("taxi")
    >>> goal = deal.weigh().goals["npv"]
    >>> goal.state, goal.side, goal.bound, round(goal.slack, 2)
    ('met', 'at_least', 0.0, 79556.59)
    """

    name: str
    label: str
    state: State
    value: float | None
    side: Literal["at_least", "at_most"]
    bound: float | None
    slack: float | None
    unit: str
    reason: str


def figure_of(deal: Definition, values: Mapping[str, Floats], name: str) -> Figure:
    """One measure of a case whose names are all in `values`."""
    item = deal.measures[name]
    number = float(values[name][0])
    defined = bool(np.isfinite(number))
    if defined:
        reason = ""
    elif np.isinf(number):
        reason = "it is larger than any number can hold"
    else:
        reason = why_undefined(deal, values, name)
    remark = told_beside(deal, values, name) if defined else ""
    formula = item.text or show(item.node)
    return Figure(name, item.label, number if defined else None, deal.unit(name), reason, formula, remark)


def judged(deal: Definition, goal: Goal, values: Mapping[str, Floats]) -> GoalResult:
    """How a goal fares in such a case."""
    name = goal.measure
    side: Literal["at_least", "at_most"] = "at_least" if goal.at_least is not None else "at_most"
    value, bound = float(values[name][0]), float(values[bound_name(name, side)][0])
    met = values[met_name(name)][0] == 1
    near = nearly_name(name) in values and values[nearly_name(name)][0] == 1
    reason = ""
    slack: float | None = None
    if np.isfinite(value) and np.isfinite(bound):
        slack = value - bound if side == "at_least" else bound - value
    elif not np.isfinite(value):
        reason = why_undefined(deal, values, name)
    else:
        reason = "its bound is undefined"
    label = deal.label(name)
    if how := deal.together(name):
        label += f", {how} of {deal.sets[deal.each[name]].label}{_whose(deal, values, name, value)}"
    return GoalResult(
        name,
        label,
        "met" if met else "nearly" if near else "missed",
        value if np.isfinite(value) else None,
        side,
        bound if np.isfinite(bound) else None,
        slack,
        deal.unit(name),
        reason,
    )


def _whose(deal: Definition, values: Mapping[str, Floats], name: str, value: float) -> str:
    """Which thing of a set a figure is that of, in brackets."""
    same = np.flatnonzero(of_each(values, name) == value)
    return f" ({deal.sets[deal.each[name]].things[same[0]]})" if same.size else ""


def states_along(deal: Definition, values: Mapping[str, Floats]) -> dict[str, tuple[State, ...]]:
    """How each goal fares in each of several cases."""
    found: dict[str, tuple[State, ...]] = {}
    for name in deal.goals:
        met = np.atleast_1d(values[met_name(name)]) == 1
        near = np.atleast_1d(values[nearly_name(name)]) == 1 if nearly_name(name) in values else np.zeros_like(met)
        found[name] = tuple(
            "met" if one else "nearly" if other else "missed" for one, other in zip(met, near, strict=True)
        )
    return found


def verdict_of(goals: Mapping[str, GoalResult]) -> VerdictWord:
    """The verdict: pays off when every goal is met."""
    return judged_together({goal.state for goal in goals.values()})


def judged_together(states: Collection[State]) -> VerdictWord:
    """The verdict on goals of which these are the states.

    >>> judged_together({"met"}), judged_together({"met", "nearly"}), judged_together({"nearly", "missed"})
    ('pays off', 'nearly', 'falls short')
    """
    if not states:
        return NO_GOALS
    if set(states) == {"met"}:
        return PAYS_OFF
    return FALLS_SHORT if "missed" in states else NEARLY


def refuse_broken_periods(deal: Definition, values: Mapping[str, Floats]) -> None:
    """A period that a formula works out must be whole: 12 x 0.7 is refused, not missed."""

    if deal.counted_to is not None:
        last, end = float(values[COUNTED][0]), deal.timeline.periods
        if not (0 <= last <= end and abs(last - round(last)) <= 1e-6):
            where = deal.source.where("timeline", "counted_to")
            raise InputError(f"{where} is period {last:g}; it must be a whole one from 0 to {end}.", at=where)
    for name, line in deal.lines.items():
        for key, node in (("at", line.run.at), ("from", line.run.first), ("to", line.run.last)):
            if node is None:
                continue
            when = each_value_of(deal, values, node) if line.each else value_of(deal, values, node)
            known = np.where(np.isfinite(when), when, 0.0)
            broken = np.flatnonzero(np.abs(known - np.round(known)) > 1e-6)
            if broken.size:
                whose = f" for {deal.sets[line.each].things[broken[0]]}" if line.each else ""
                raise InputError(
                    f"{line.where}: '{key}' of {name}{whose} is period {when[broken[0]]:g}, which is not a whole one.",
                    at=line.where,
                )


def refuse_broken_loans(deal: Definition, values: Mapping[str, Floats]) -> None:
    """Terms that make no loan are an error when one case is asked; in a batch they leave the case undefined.

    Where the deal itself finds no value for an input, what hangs on it is undefined, and that is told.
    """
    if any(np.isnan(values[name]).any() for name in deal.solved):
        return
    for name in (one for loan in deal.loans for one in _loans_like(deal, values, loan)):
        if problem := loan_trouble(deal, values, name):
            where = loan_named(deal, name).where
            whose = f" of {name.partition('.')[2].rpartition('.')[0]}" if name not in deal.loans else ""
            raise (NoAnswer if problem.never_ends else InputError)(f"{where}{whose}: {problem.words}.", at=where)


def _loans_like(deal: Definition, values: Mapping[str, Floats], name: str) -> list[str]:
    """A loan, or those of the things of a set that cannot be worked out."""
    each = deal.loans[name].each
    if not each:
        return [name]
    broken = np.flatnonzero(np.isnan(of_each(values, f"{name}.balance")).any(axis=0))
    return [f"{each}.{deal.sets[each].things[k]}.{name}" for k in broken]

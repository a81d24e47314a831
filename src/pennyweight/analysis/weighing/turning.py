"""Turning points: how far each input may move, alone, before the verdict turns, and which goal turns it."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray

from pennyweight.analysis.cases import Model
from pennyweight.analysis.searching.answers import probes_of, series_of
from pennyweight.analysis.searching.lockstep_search import Known, Probe, Search, in_step, narrowed
from pennyweight.analysis.searching.margins import FLAT, narrowed_by, nearness, widened
from pennyweight.analysis.searching.outcome import Answers
from pennyweight.analysis.searching.search_ranges import default_range, places_of
from pennyweight.array_kinds import Floats
from pennyweight.deals.compiler.program import asked_name, met_name, slack_name
from pennyweight.deals.definition import Definition
from pennyweight.deals.inputs import Inputs, stack
from pennyweight.deals.parts import Input
from pennyweight.described import Described
from pennyweight.plain_text import listed

__all__ = ["Idle", "TurningPoint", "answers_and_turns", "turning_points"]


_NEAR = (0.003, 0.02, 0.06, 0.15)
"""Where each side of an input's range is looked at first, as parts of it."""
_FAR = (0.3, 0.55, 1.0)
"""Where it is looked at next, on a side without a turn."""
_BLOCK = 64
"""How many searches go together: each input is moved in every case, so memory grows with the square."""


Idle = Literal["", "always", "blocked", "apart"]
"""Why nothing turns: it pays off at every value, some goals are missed at every one, or all are not met by the same."""

_WORDS: dict[Idle, str] = {
    "": "",
    "always": "pays off at every value",
    "blocked": "{blocked} missed at every value",
    "apart": "no value meets all goals at once",
}


@dataclass(frozen=True, slots=True, repr=False)
class TurningPoint(Described):
    """Where the verdict turns when one input moves alone.

    Notes
    -----
    `base` and `turns_at` are in the input's unit, or multiples of itself for a series (`by_scale`). `below` and
    `above` are the nearest turns on each side, on the side that pays off; `turns_at` is the nearer. `distance`
    is how far, as a fraction of the base; `of_range` as a fraction of low…high, when those are given. `goals` are the
    goals that turn there. `limit_below` and `limit_above` are values beyond which a goal's figure is undefined, so that
    nothing turns there. Of an input that takes one of several words, `choices` are those with which the deal pays off.

    Examples
    --------
    >>> from pennyweight import Deal
    >>> deal = Deal.starter("taxi")
    >>> point = deal.turning_points()[0]
    >>> point.input, round(point.turns_at, 2), round(point.distance, 4), point.goals
    ('hull', 465195.15, 0.1076, ('payback',))
    """

    input: str
    base: float
    below: float | None
    above: float | None
    turns_at: float | None
    distance: float | None
    of_range: float | None
    by_scale: bool
    idle: Idle = ""
    """Why nothing turns; empty where something does."""
    goals: tuple[str, ...] = ()
    limit_below: float | None = None
    limit_above: float | None = None

    choices: tuple[str, ...] = ()
    blocked: tuple[str, ...] = ()
    """The goals that are missed at every value, so that nothing turns."""

    @property
    def reason(self) -> str:
        """The same in words."""
        return _WORDS[self.idle].format(blocked=listed(self.blocked))

    @property
    def nearness(self) -> float | None:
        """How near the turn is: in parts of low…high where there is a range, else of the base; None without a turn."""
        if self.turns_at is None:
            return None
        return (
            abs(self.of_range) if self.of_range is not None else None if self.distance is None else abs(self.distance)
        )

    @property
    def limited(self) -> bool:
        """Whether a figure stops existing on a side, be it at exactly zero."""
        return self.limit_below is not None or self.limit_above is not None


def turning_points(model: Model, inputs: Inputs) -> list[TurningPoint]:
    """The turning points of every input, around one case."""
    return list(answers_and_turns(model, [inputs], turns=True, asks=False)[0][1])


def answers_and_turns(
    model: Model, cases: Sequence[Inputs], *, turns: bool, asks: bool = True
) -> list[tuple[dict[str, Answers], tuple[TurningPoint, ...]]]:
    """For each case the answers to all questions of a deal, and its turning points, all searched for together."""
    deal, program = model.definition, model.program
    base = stack(deal, cases)
    questions = deal.questions if asks else {}
    alone = [name for name in questions if not model.needs_answers(name)]
    probes: list[Probe[Any]] = []
    for name in alone:
        probes += probes_of(deal, program, model.sweep, questions[name], base, len(cases))
    moved = [turning_probes(model, inputs, case) for case, inputs in enumerate(cases)] if turns else []
    probes += [probe for own in moved for probe in own]
    found: list[Any] = []
    for start in range(0, len(probes), _BLOCK):
        found += in_step(model.sweep, base, series_of(deal), probes[start : start + _BLOCK])
    answers: dict[str, list[Answers]] = {
        name: found[k * len(cases) : (k + 1) * len(cases)] for k, name in enumerate(alone)
    }
    for name, question in questions.items():
        if name not in answers:
            answers[name] = model.answers(question, base, len(cases))
    points, start = [], len(alone) * len(cases)
    for own in moved or [[] for _ in cases]:
        points.append(tuple(found[start : start + len(own)]))
        start += len(own)
    return [({name: answers[name][case] for name in questions}, points[case]) for case in range(len(cases))]


def turning_probes(model: Model, inputs: Inputs, case: int = 0) -> list[Probe[TurningPoint]]:
    """A search for each input that may turn the verdict; facts and terms of loans that are not drawn are left alone."""
    deal = model.definition
    if not deal.goals:
        return []
    idle = _idle_terms(model, inputs)
    program = model.program
    margins = {goal: program.margins[slack_name(goal)] for goal in deal.goals}
    at_base = model.figures([inputs], [*map(met_name, deal.goals), *(one.noise for one in margins.values())])
    missed = [goal for goal in deal.goals if at_base[met_name(goal)][0] != 1]
    by_input, found = _goals_reached(model), []
    for item in deal.inputs.values():
        plain_term = item.name.partition(".")[0] in deal.loans and item.low is None and item.high is None
        if item.name in idle or item.fixed or plain_term:  # a number among a loan's terms is no assumption
            continue
        reached = by_input.get(item.name, [])
        watched = tuple(name for goal in reached for name in (met_name(goal), slack_name(goal)))
        rest = tuple(goal for goal in missed if goal not in reached)
        base = item.neutral if item.is_series else float(np.asarray(inputs[item.name]))
        slacks = [slack_name(goal) for goal in reached]
        noise = np.array([at_base[margins[goal].noise][0] for goal in reached])
        near = nearness(program, slacks, noise)

        def flat(found: Floats, slacks: list[str] = slacks, near: Floats = near) -> Floats:
            return widened(program, slacks, near, found)

        found.append(Probe(case, item.name, watched, _turns(deal, item, base, reached, rest, flat)))
    return found


def _goals_reached(model: Model) -> dict[str, list[str]]:
    """By input the goals that move with it, directly or by the answer to a question; the others need not be asked."""
    program, deal = model.program, model.definition
    named = {bit.bit_length(): name for name, bit in program.bits.items()}

    def read_by(slot: int) -> set[str]:
        """The inputs and answers that a slot reads."""
        found, mask = set(), program.depends[slot]
        while mask:
            lowest = mask & -mask
            found.add(named[lowest.bit_length()])
            mask ^= lowest
        return found

    asked = {name: read_by(program.names[asked_name(name)]) for name in deal.sought}
    reached: dict[str, list[str]] = {}
    for goal in deal.goals:
        todo = read_by(program.names[met_name(goal)]) | read_by(program.names[slack_name(goal)])
        seen: set[str] = set()
        while todo:
            name = todo.pop()
            seen.add(name)
            todo |= asked.get(name, set()) - seen
        for name in seen:
            reached.setdefault(name, []).append(goal)
    return reached


@dataclass(slots=True)
class _Goals:
    """What the figures of a probe say: truths and slacks of the goals, one after the other."""

    names: Sequence[str]
    shift: Floats
    """For a goal that is met within its tolerance alone, how far; for others what rounding may take."""
    exact: bool
    rest: tuple[str, ...] = ()
    """Goals that the input does not reach and that are missed: as long as there are any, nothing turns the verdict."""

    def met(self, figures: Floats) -> NDArray[np.bool_]:
        """Which goals are met, (goals, n)."""
        if not self.exact:
            return np.asarray(figures[0::2] == 1)
        return np.asarray(self.slack(figures) >= 0)

    def pays(self, figures: Floats) -> NDArray[np.bool_]:
        """Where all are."""
        return np.asarray(self.met(figures).all(axis=0)) & (not self.rest)

    def slack(self, figures: Floats) -> Floats:
        """How far each lies beyond its bound."""
        return figures[1::2] + self.shift[:, None]


def _turns(
    deal: Definition,
    item: Input,
    base: float,
    reached: list[str],
    rest: tuple[str, ...],
    margins: Callable[[Floats], Floats],
) -> Search[TurningPoint]:
    if not reached and not item.choices:  # nothing moves with it
        return _point(item, base, {}, "blocked" if rest else "always", rest)
    years = deal.timeline.periods / deal.timeline.per_year
    limits = default_range(item, base, years, deal.timeline.periods, deal.timeline.dates)
    places = _places(item, limits, base, _NEAR)
    known = Known(places, (yield places))
    at_base = int(np.searchsorted(known.x, base)) if base in known.x else int(np.argmin(np.abs(known.x - base)))
    slack, met = known.figures[1::2, at_base], known.figures[0::2, at_base] == 1
    tolerated = met & (slack < 0)
    margin = margins(known.figures[1::2])
    goals = _Goals(reached, np.where(tolerated, np.maximum(margin, -slack), margin), item.step is None, rest)
    if item.choices:
        return _of_choices(item, base, known, goals)
    pays = goals.pays(known.figures)
    further = np.setdiff1d(_places(item, limits, base, (*_NEAR, *_FAR)), known.x)
    for near in (known.x <= base, known.x >= base):
        if near.any() and not pays[near].all() and pays[near].any():  # it turns on this side already
            further = further[further > base] if near[0] else further[further < base]
    if further.size:
        known.add(further, (yield further))
    x, pays = known.x, goals.pays(known.figures)
    hair = 1e-9 * (limits[1] - limits[0])
    sides: dict[str, tuple[float, tuple[str, ...], bool]] = {}
    changes = np.flatnonzero(pays[1:] != pays[:-1])
    for side, nearest in (("below", changes[x[changes + 1] <= base][-1:]), ("above", changes[x[changes] >= base][:1])):
        for k in nearest.tolist():
            ends = float(x[k]), float(x[k + 1])
            if goals.exact:
                reach = FLAT * (limits[1] - limits[0])
                low, high = yield from narrowed_by(known, *ends, lambda figures: figures[1::2], goals.shift, reach)
            else:
                low, high = yield from narrowed(known, *ends, goals.pays, goals.slack, item.step)
            # What turns only at the very edge of the range (a price of nothing) is no turn anyone asks about.
            if high - limits[0] <= hair or limits[1] - low <= hair:
                continue
            good, bad = (low, high) if pays[k] else (high, low)
            at_good, at_bad = (known.figures[:, np.searchsorted(known.x, end)][:, None] for end in (good, bad))
            failing = ~goals.met(at_bad)[:, 0]
            if goals.exact:  # a turn lies where a slack is zero, to the last digit
                beyond = known.figures[:, np.searchsorted(known.x, ends[1] if pays[k] else ends[0])][:, None]
                turned = (at_good[1::2, 0] >= 0) & (at_bad[1::2, 0] < 0)
                failing |= turned & ~goals.met(beyond)[:, 0]
                failing = failing if failing.any() else at_bad[1::2, 0] < 0
            lost = ~np.isfinite(goals.slack(at_bad)[:, 0])
            gained = ~np.isfinite(goals.slack(at_good)[:, 0]) & ~lost
            # Where a figure stops existing nothing turns: it is a limit of what can be asked.
            limit = bool((failing & ~lost).sum() == 0 or gained.any())
            if limit and min(high - limits[0], limits[1] - low) <= 1e-5 * (limits[1] - limits[0]):
                continue
            names = tuple(name for name, fails in zip(goals.names, failing & ~lost, strict=True) if fails)
            sides[side] = (good, names, limit)
    return _point(item, base, sides, _reason(goals, known, sides), _never(goals, known))


def _places(item: Input, limits: tuple[float, float], base: float, parts: tuple[float, ...]) -> Floats:
    """Places at these parts of each side of an input's range, its base among them; all of a few whole values."""
    if item.step is not None:
        every = places_of(item, limits, base, 49)
        if every.size <= 16:
            return np.union1d(every, [base])
        spread = np.unique(np.round(_spread(limits, base, parts) / item.step)) * item.step
        beside = base + np.array([-item.step, item.step])
        spread = np.concatenate([spread, beside])
        return np.union1d(spread[(spread >= limits[0]) & (spread <= limits[1])], [base])
    return _spread(limits, base, parts)


def _spread(limits: tuple[float, float], base: float, parts: tuple[float, ...]) -> Floats:
    share = np.array(parts)
    inside = min(max(base, limits[0]), limits[1])
    above, below = inside + (limits[1] - inside) * share, inside - (inside - limits[0]) * share
    return np.unique(np.concatenate([below, [inside], above]))


def _of_choices(item: Input, base: float, known: Known, goals: _Goals) -> TurningPoint:
    pays = goals.pays(known.figures)
    good = tuple(item.choices[round(k)] for k, holds in zip(known.x.tolist(), pays, strict=True) if holds)
    turning = next((k for k, holds in zip(known.x.tolist(), pays, strict=True) if holds != pays[round(base)]), None)
    idle: Idle = "always" if pays.all() else "" if good else _blocked(goals, known)
    return TurningPoint(
        item.name,
        base,
        None,
        None,
        turning,
        None,
        None,
        False,
        idle,
        choices=good if turning is not None else (),
        blocked=() if good else _never(goals, known),
    )


def _point(
    item: Input,
    base: float,
    sides: Mapping[str, tuple[float, tuple[str, ...], bool]],
    idle: Idle,
    blocked: tuple[str, ...],
) -> TurningPoint:
    turns = {side: found for side, found in sides.items() if not found[2]}
    limits = {side: found[0] for side, found in sides.items() if found[2]}
    nearest = min(turns.values(), key=lambda found: abs(found[0] - base)) if turns else None
    distance = of_range = None
    if nearest is not None:
        with np.errstate(all="ignore"):
            away = (nearest[0] - base) / abs(base) if base else np.inf
        distance = float(away) if np.isfinite(away) else None
        if item.low is not None and item.high is not None and item.high > item.low:
            of_range = (nearest[0] - base) / (item.high - item.low)
    below, above = turns.get("below"), turns.get("above")
    return TurningPoint(
        item.name,
        base,
        below[0] if below else None,
        above[0] if above else None,
        nearest[0] if nearest else None,
        distance,
        of_range,
        item.by_scale,
        "" if nearest else idle,
        nearest[1] if nearest else (),
        limits.get("below"),
        limits.get("above"),
        (),
        blocked if nearest is None else (),
    )


def _reason(goals: _Goals, known: Known, sides: Mapping[str, tuple[float, tuple[str, ...], bool]]) -> Idle:
    pays = goals.pays(known.figures)
    always = bool(pays.all() if pays.size <= 2 else pays[1:-1].all())
    if always or (sides and all(limit for _, _, limit in sides.values()) and pays.any()):
        return "always"
    return _blocked(goals, known)


def _blocked(goals: _Goals, known: Known) -> Idle:
    return "blocked" if _never(goals, known) else "apart"


def _never(goals: _Goals, known: Known) -> tuple[str, ...]:
    """The goals that no place meets."""
    met = goals.met(known.figures)
    return (*(name for name, row in zip(goals.names, met, strict=True) if not row.any()), *goals.rest)


def _idle_terms(model: Model, inputs: Inputs) -> set[str]:
    """The terms of loans of which nothing is paid out in this case: they turn nothing."""
    deal = model.definition
    drawn = model.figures([inputs], [f"{loan}.drawn" for loan in deal.loans]) if deal.loans else {}
    idle = [name.partition(".")[0] for name, value in drawn.items() if not value.any()]
    return {
        name for name in deal.inputs for loan in idle if name.startswith(f"{loan}.") and not name.endswith(".amount")
    }

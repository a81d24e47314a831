"""The answers to a question in many cases at once: where a condition turns, or where a figure is largest."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import replace
from math import inf
from typing import Any, TypeAlias

import numpy as np
from numpy.typing import NDArray

from pennyweight.analysis.found import Answer, Answers, Side
from pennyweight.analysis.search import close_in, default_range, places_of, smallest, touching, wider
from pennyweight.analysis.showing import show_value
from pennyweight.deals.compiler.program import asked_name
from pennyweight.deals.definition import Definition, Input, Question
from pennyweight.deals.language.nodes import Compare, Name, Node, show
from pennyweight.errors import InputError

__all__ = ["answers_of", "asks_exactly", "refuse_equality"]

Floats: TypeAlias = NDArray[np.float64]
Sweep: TypeAlias = Callable[
    [Mapping[str, Floats], NDArray[np.intp], Mapping[str, Floats], Sequence[str]], dict[str, Floats]
]
"""`Model.sweep`: figures of cases that start from those side by side, some inputs replaced."""

_GRID = 97
_EDGE = "at the edge of what was looked at"


def answers_of(
    deal: Definition, sweep: Sweep, question: Question, known: Mapping[str, Floats], cases: int
) -> list[Answers]:
    """The answers in each case; each widens its own range, so that they are the same whichever are asked together."""
    item = deal.varied(question.find)
    assert item is not None
    watched = asked_name(question.name)

    def evaluate(x: Floats, owner: NDArray[np.intp]) -> Floats:
        return sweep(known, owner, {item.name: x}, [watched])[watched] if x.size else x

    years = deal.timeline.periods / deal.timeline.per_year
    base = np.ones(1) if item.is_series else known[item.name]
    bases = np.broadcast_to(base, (cases,)).tolist()
    days = deal.timeline.dates
    looked = [question.between or default_range(item, one, years, deal.timeline.periods, days) for one in bases]
    look = _look_for_best if question.aim != "true" else _look
    outcomes = look(deal, item, question, evaluate, bases, looked, np.arange(cases))
    if question.between is None:
        again = [k for k in range(cases) if not outcomes[k].answers or (question.aim != "true" and outcomes[k].edge)]
        further = {k: reach for k in again if (reach := wider(item, *looked[k])) is not None}
        if further:
            chosen = np.array(list(further))
            second = look(deal, item, question, evaluate, [bases[k] for k in further], list(further.values()), chosen)
            for k, outcome in zip(further, second, strict=True):
                if outcome.answers:
                    outcomes[k] = outcome
    return [_picked(outcome, question.pick) for outcome in outcomes]


def asks_exactly(question: Question) -> bool:
    """Whether it asks two figures to be equal."""
    node = question.so_that
    return question.aim == "true" and isinstance(node, Compare) and node.operator == "=="


def refuse_equality(question: Question, item: Input) -> None:
    """Refuse to make two figures equal with an input that takes single values only."""
    if asks_exactly(question) and item.whole:
        raise InputError(
            f"{question.where}: '{item.name}' takes {'one of several words' if item.choices else 'whole values'}, "
            "which rarely make two figures equal; ask with >= or <= instead of ==.",
            at=question.where,
        )


def _picked(outcome: Answers, pick: str | None) -> Answers:
    """Only the largest or the smallest answer, when the question asks for it."""
    if pick is None or not outcome.answers:
        return outcome
    chosen = max if pick == "largest" else min
    return replace(outcome, answers=(chosen(outcome.answers, key=lambda answer: answer.value),))


def _look(
    deal: Definition,
    item: Input,
    question: Question,
    evaluate: Any,
    bases: Sequence[float],
    ranges: Sequence[tuple[float, float]],
    numbers: NDArray[np.intp],
) -> list[Answers]:
    """The outcomes of the cases with these numbers, each looked for in its own range."""
    exact, node, pick = asks_exactly(question), question.so_that or Name("pays_off"), question.pick
    places = [places_of(item, limits, base, _GRID) for limits, base in zip(ranges, bases, strict=True)]
    owner = np.repeat(numbers, [place.size for place in places])
    x = np.concatenate(places)
    values = evaluate(x, owner)
    state = np.sign(values) if exact else (values == 1).astype(np.float64)
    left = np.flatnonzero((owner[1:] == owner[:-1]) & (state[1:] != state[:-1]))
    if exact:
        left = left[state[left] * state[left + 1] < 0]
    low, high = x[left], x[left + 1]
    steps = np.full(left.size, item.step or 0.0)
    low, high = close_in(evaluate, owner[left], low, high, signs=exact, steps=steps)
    outcomes = []
    if exact:
        at_low, at_high = np.abs(evaluate(low, owner[left])), np.abs(evaluate(high, owner[left]))
        before = np.maximum(np.abs(values[left]), np.abs(values[left + 1]))
        jumps = ~(np.maximum(at_low, at_high) <= 1e-6 * before)
        root = np.where(at_low <= at_high, low, high)
        touch_owner, touch_at = _touches(evaluate, owner, x, values, state)
        for k, limits in zip(numbers, ranges, strict=True):
            mine = owner[left] == k
            roots = [*root[mine & ~jumps], *x[(owner == k) & (state == 0)], *touch_at[touch_owner == k]]
            answers = [_answer(deal, item, float(value), "exactly", limits) for value in sorted(set(roots))]
            reason = ""
            if not answers:
                closest = _closest(evaluate, int(k), x[owner == k], values[owner == k])
                reason = _why_none(deal, item, node, values[owner == k], closest, root[mine & jumps])
            outcomes.append(Answers(tuple(_distinct(answers)), reason, limits))
        return outcomes
    for k, limits, base in zip(numbers, ranges, bases, strict=True):
        # What turns only at the very edge of the range is a limit of the question, not of the deal.
        hair = min(1e-9 * (limits[1] - limits[0]), 1e-6 * abs(base) or np.inf)
        at_edge = (high - limits[0] <= hair) | (limits[1] - low <= hair)
        mine = np.flatnonzero((owner[left] == k) & ~at_edge)
        answers = []
        for j in mine:
            holds_below = state[left[j]] == 1
            value = float(low[j] if holds_below else high[j])
            answers.append(_answer(deal, item, value, "at most" if holds_below else "at least", limits))
        own = values[owner == k] == 1
        answers += [
            Answer(float(edge), "exactly", show_value(deal, item, float(edge)), _EDGE)
            for edge, holds, side in ((limits[0], own[0], "smallest"), (limits[1], own[-1], "largest"))
            if holds and pick == side
        ]
        always = None if answers else bool((values[owner == k][1:-1] == 1).all())
        reason = "" if always is None else _why_always(deal, item, always, limits)
        outcomes.append(Answers(tuple(answers), reason, limits, always=always))
    return outcomes


def _look_for_best(
    deal: Definition,
    item: Input,
    question: Question,
    evaluate: Any,
    bases: Sequence[float],
    ranges: Sequence[tuple[float, float]],
    numbers: NDArray[np.intp],
) -> list[Answers]:
    """In each case the value at which the figure is largest (or smallest); the first of several that are alike."""
    sign = -1.0 if question.aim == "most" else 1.0

    def worse(x: Floats, owner: NDArray[np.intp]) -> Floats:
        figures = sign * evaluate(x, owner)
        return np.where(np.isnan(figures), inf, figures)

    places = [places_of(item, limits, base, _GRID) for limits, base in zip(ranges, bases, strict=True)]
    owner = np.repeat(numbers, [place.size for place in places])
    x = np.concatenate(places)
    size = worse(x, owner)
    starts = np.searchsorted(owner, numbers) if (np.diff(numbers) > 0).all() else np.zeros(1, np.intp)
    best, low, high, least = [], [], [], []
    for start, place in zip(starts, places, strict=True):
        own = size[start : start + place.size]
        k = int(np.argmin(own))
        best.append(place[k])
        least.append(own[k])
        low.append(place[max(k - 1, 0)])
        high.append(place[min(k + 1, place.size - 1)])
    found, value = np.array(best), np.array(least)
    if item.step is None:
        at, size_at = smallest(worse, numbers, np.array(low), np.array(high))
        found, value = np.where(size_at < value, at, found), np.minimum(size_at, value)
    outcomes = []
    for place, figure, limits in zip(found, value, ranges, strict=True):
        if not np.isfinite(figure):
            outcomes.append(Answers((), f"{question.text} is undefined for every value looked at", limits))
            continue
        edge = item.choices == () and bool(place in limits)
        answer = _answer(deal, item, float(place), "exactly", limits)
        word = "largest" if question.aim == "most" else "smallest"
        shown = deal.style.with_unit(float(sign * figure), deal.names.unit(question.so_that or Name("pays_off")))
        note = "; ".join(filter(None, [f"{question.text} is {word}, {shown}", answer.note if not item.choices else ""]))
        outcomes.append(Answers((replace(answer, note=note),), "", limits, edge=edge))
    return outcomes


def _touches(
    evaluate: Any, owner: NDArray[np.intp], x: Floats, values: Floats, state: Floats
) -> tuple[NDArray[np.intp], Floats]:
    """Places between grid points where the function reaches zero without crossing it."""
    size = np.abs(values)
    inner = np.arange(1, x.size - 1)
    same = (
        (owner[inner - 1] == owner[inner + 1]) & (state[inner - 1] == state[inner]) & (state[inner] == state[inner + 1])
    )
    low_point = inner[same & (size[inner] < size[inner - 1]) & (size[inner] < size[inner + 1]) & (size[inner] > 0)]
    if not low_point.size:
        return np.empty(0, np.intp), np.empty(0)
    at, least = touching(evaluate, owner[low_point], x[low_point - 1], x[low_point + 1])
    zero = least <= 1e-12 * np.maximum(size[low_point - 1], size[low_point + 1])
    return owner[low_point][zero], at[zero]


def _distinct(answers: list[Answer]) -> list[Answer]:
    return [a for k, a in enumerate(answers) if k == 0 or abs(a.value - answers[k - 1].value) > 1e-9 * abs(a.value)]


def _answer(deal: Definition, item: Input, value: float, kind: Side, limits: tuple[float, float]) -> Answer:
    notes = []
    if value in limits:
        notes.append(_EDGE)
    if not item.is_series:
        if item.low is not None and value < item.low:
            notes.append(f"below the low of {show_value(deal, item, item.low)}")
        if item.high is not None and value > item.high:
            notes.append(f"above the high of {show_value(deal, item, item.high)}")
    return Answer(value, kind, show_value(deal, item, value, kind), "; ".join(notes))


def _closest(evaluate: Any, case: int, x: Floats, values: Floats) -> float:
    """The place of the smallest |function|, looked for between the neighbours of the smallest on the grid."""
    size = np.where(np.isnan(values), np.inf, np.abs(values))
    place = int(np.argmin(size))
    if not 0 < place < x.size - 1:
        return float(x[place])
    at, _ = touching(evaluate, np.array([case]), x[place - 1 : place], x[place + 1 : place + 2])
    return float(at[0])


def _why_none(deal: Definition, item: Input, node: Node, values: Floats, closest: float, jumps: Floats) -> str:
    known = np.isfinite(values)
    if not known.any():
        why = "undefined" if np.isnan(values).all() else "undefined, or larger than can be worked out,"
        return f"what is asked is {why} for every value looked at"
    if jumps.size:
        return f"it jumps over it at {show_value(deal, item, float(jumps[0]))}, without a value at which it is equal"
    values = values[known]
    left = node.left if isinstance(node, Compare) else node
    right = node.right if isinstance(node, Compare) else node
    return (
        f"{show(left)} - {show(right)} runs from {values.min():,.4g} to {values.max():,.4g} "
        f"and comes closest at {show_value(deal, item, closest)}"
    )


def _why_always(deal: Definition, item: Input, always: bool, limits: tuple[float, float]) -> str:
    low = show_value(deal, item, limits[0], unit=item.unit == "money")
    span = f"between {low} and {show_value(deal, item, limits[1])}"
    return f"true for every value {span}" if always else f"true for no value {span}"

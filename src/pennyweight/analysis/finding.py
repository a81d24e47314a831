"""The value of an input that makes something come true, over scenarios at once."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from math import ceil, floor
from typing import Any, TypeAlias

import numpy as np
from numpy.typing import NDArray

from pennyweight.analysis.cases import Model
from pennyweight.analysis.found import Answer, Answers, Found, Side
from pennyweight.analysis.search import close_in, default_range, places_of, touching, wider
from pennyweight.deals.definition import Definition, Input
from pennyweight.deals.inputs import Inputs, input_named, inputs_of
from pennyweight.deals.language.nodes import Binary, Compare, Name, Node, show
from pennyweight.deals.language.parse import parse
from pennyweight.errors import InputError
from pennyweight.quantities.units import read_value

__all__ = ["condition_of", "find", "search"]

Floats: TypeAlias = NDArray[np.float64]

_GRID = 97
_ASKED = "?asked"
_EDGE = "at the edge of what was looked at"


def find(
    model: Model,
    name: str,
    so_that: str | None = None,
    *,
    scenarios: Sequence[str] = ("base",),
    between: tuple[str | float, str | float] | None = None,
    inputs: Mapping[str, object] | None = None,
) -> Found:
    """Find the values of an input at which a condition becomes true; see `Deal.find`."""
    deal = model.definition
    item = input_named(deal, name)
    if so_that is None and not deal.goals:
        raise InputError("Say what must come true, such as 'npv == 0': the deal has no goals to meet.")
    node = condition_of(deal, so_that) if so_that else Name("pays_off")
    if inputs and name in inputs:
        raise InputError(f"'{name}' is the input to find, so it cannot be given a value too.")
    cases = [inputs_of(deal, scenario, inputs) for scenario in scenarios]
    limits = None if between is None else _limits(item, between)
    outcomes = search(model, item, node, cases, limits)
    looked = min(one.looked[0] for one in outcomes), max(one.looked[1] for one in outcomes)
    overridden = [s for s in scenarios if s != "base" and _sets(deal, s, name)]
    shown = [_with_note(o, s in overridden, name) for s, o in zip(scenarios, outcomes, strict=True)]
    labels = {s: deal.scenarios[s].label if s in deal.scenarios else "as it stands" for s in scenarios}
    return Found(
        deal.title,
        name,
        item.label,
        so_that or "the deal pays off",
        item.is_series,
        looked,
        f"{_show(deal, item, looked[0])} and {_show(deal, item, looked[1])}",
        dict(zip(scenarios, shown, strict=True)),
        labels,
    )


def condition_of(deal: Definition, text: str) -> Node:
    """Parse and check a condition typed by an asker."""
    where = f"the condition '{text}'"
    node = parse(text, where=where)
    names = deal.names.with_verdict()
    if names.shape(node, where) == "line":
        raise InputError(
            f"{where} has a value for each period; ask about a single number, such as at(net, 3) >= 0.", at=where
        )
    if names.unit(node) != "condition" and node != Name("pays_off"):
        raise InputError(f"{where} must compare two values, such as npv == 0 or irr >= hurdle.", at=where)
    return node


def search(
    model: Model,
    item: Input,
    node: Node,
    cases: Sequence[Inputs],
    limits: tuple[float, float] | None = None,
    pick: str | None = None,
) -> list[Answers]:
    """The outcome of each case; each widens its own range, so that it is the same whichever are asked together."""
    deal = model.definition
    exact = isinstance(node, Compare) and node.operator == "=="
    if exact and item.whole:
        raise InputError(
            f"'{item.name}' takes whole values, which rarely make two figures equal; ask with >= or <= instead of ==."
        )
    if isinstance(node, Compare) and node.operator == "==":
        asked = model.asking(_ASKED, Binary("-", node.left, node.right), "the condition")
        watched = _ASKED
    elif node == Name("pays_off"):
        asked, watched = model, "pays_off"
    else:
        asked, watched = model.asking(_ASKED, node, "the condition"), _ASKED

    def evaluate(x: Floats, owner: NDArray[np.intp]) -> Floats:
        if not x.size:
            return x
        if x.size == 1:  # one case would be broadcast away; ask it twice
            return asked.sweep(cases, owner.repeat(2), {item.name: x.repeat(2)}, [watched])[watched][:1]
        return asked.sweep(cases, owner, {item.name: x}, [watched])[watched]

    years = deal.timeline.periods / deal.timeline.per_year
    bases = [1.0 if item.is_series else float(case[item.name]) for case in cases]
    numbers = np.arange(len(bases))
    looked = [limits or default_range(item, base, years, deal.timeline.periods) for base in bases]
    outcomes = _look(deal, item, evaluate, exact, bases, looked, numbers, node, pick)
    if limits is None:
        again = [k for k in range(len(bases)) if not outcomes[k].answers]
        further = {k: reach for k in again if (reach := wider(item, *looked[k])) is not None}
        if further:
            chosen = np.array(list(further))
            second = _look(
                deal, item, evaluate, exact, [bases[k] for k in further], list(further.values()), chosen, node, pick
            )
            for k, outcome in zip(further, second, strict=True):
                if outcome.answers:
                    outcomes[k] = outcome
    return outcomes


def _look(
    deal: Definition,
    item: Input,
    evaluate: Any,
    exact: bool,
    bases: Sequence[float],
    ranges: Sequence[tuple[float, float]],
    numbers: NDArray[np.intp],
    node: Node,
    pick: str | None,
) -> list[Answers]:
    """The outcomes of the cases with these numbers, each looked for in its own range."""
    places = [places_of(item, limits, base, _GRID) for limits, base in zip(ranges, bases, strict=True)]
    owner = np.repeat(numbers, [place.size for place in places])
    x = np.concatenate(places)
    values = evaluate(x, owner)
    state = np.sign(values) if exact else (values == 1).astype(np.float64)
    left = np.flatnonzero((owner[1:] == owner[:-1]) & (state[1:] != state[:-1]))
    if exact:
        left = left[state[left] * state[left + 1] < 0]
    low, high = x[left], x[left + 1]
    whole = np.full(left.size, item.whole)
    low, high = close_in(evaluate, owner[left], low, high, signs=exact, whole=whole)
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
            Answer(float(edge), "exactly", _show(deal, item, float(edge)), _EDGE)
            for edge, holds, side in ((limits[0], own[0], "smallest"), (limits[1], own[-1], "largest"))
            if holds and pick == side
        ]
        always = None if answers else bool((values[owner == k][1:-1] == 1).all())
        reason = "" if always is None else _why_always(deal, item, always, limits)
        outcomes.append(Answers(tuple(answers), reason, limits, always))
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
            notes.append(f"below the low of {_show(deal, item, item.low)}")
        if item.high is not None and value > item.high:
            notes.append(f"above the high of {_show(deal, item, item.high)}")
    return Answer(value, kind, _show(deal, item, value, kind), "; ".join(notes))


def _show(deal: Definition, item: Input, value: float, kind: Side = "exactly") -> str:
    """The value in its own places, rounded to the side on which the condition holds."""
    unit = "number" if item.is_series else item.unit
    places = 0 if item.whole else {"money": deal.style.places, "rate": 2, "share": 2, "years": 2}.get(unit, 4)
    scale = 10.0 ** (places + (2 if unit in ("rate", "share") else 0))
    hair = 1e-9 * abs(value * scale)  # what is whole to nine digits stays itself
    if kind == "at most":
        value = floor(value * scale + hair) / scale
    elif kind == "at least":
        value = ceil(value * scale - hair) / scale
    shown = deal.style.show(value, unit, places=places)
    if item.is_series:
        return f"{shown} × {item.name}"
    return deal.style.with_unit(value, "money", places=places) if unit == "money" else shown


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
        return f"it jumps over it at {_show(deal, item, float(jumps[0]))}, without a value at which it is equal"
    values = values[known]
    left = node.left if isinstance(node, Compare) else node
    right = node.right if isinstance(node, Compare) else node
    return (
        f"{show(left)} - {show(right)} runs from {values.min():,.4g} to {values.max():,.4g} "
        f"and comes closest at {_show(deal, item, closest)}"
    )


def _why_always(deal: Definition, item: Input, always: bool, limits: tuple[float, float]) -> str:
    span = f"between {_show(deal, item, limits[0])} and {_show(deal, item, limits[1])}"
    return f"true for every value {span}" if always else f"true for no value {span}"


def _limits(item: Input, between: tuple[str | float, str | float]) -> tuple[float, float]:
    unit = "number" if item.is_series else item.unit
    low, high = (read_value(end, unit, what=f"the range of {item.name}") for end in between)
    if not low < high:
        raise InputError(f"The range of {item.name} runs from {between[0]} to {between[1]}; write the smaller first.")
    if item.whole and floor(high) < ceil(low):
        raise InputError(
            f"{item.name} takes whole values, and between {between[0]} and {between[1]} there is none; widen the range."
        )
    return low, high


def _sets(deal: Definition, scenario: str, name: str) -> bool:
    current: str | None = scenario
    while current is not None and current in deal.scenarios:
        if name in deal.scenarios[current].changes:
            return True
        current = deal.scenarios[current].based_on
    return False


def _with_note(outcome: Answers, overridden: bool, name: str) -> Answers:
    if not overridden:
        return outcome
    said = f"the scenario's own {name} is overridden"
    answers = tuple(Answer(a.value, a.kind, a.shown, "; ".join(filter(None, [a.note, said]))) for a in outcome.answers)
    return replace(outcome, answers=answers)

"""The answers to a question in many cases at once: where a condition turns, or where a figure is largest."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from math import inf
from typing import TypeAlias

import numpy as np
from numpy.typing import NDArray

from pennyweight.analysis.searching.lockstep_search import (
    Known,
    Probe,
    Search,
    Sweep,
    in_step,
    lowest_between,
    narrowed,
)
from pennyweight.analysis.searching.margins import FLAT, narrowed_by, nearness, noises, widened
from pennyweight.analysis.searching.outcome import Answer, Answers
from pennyweight.analysis.searching.search_ranges import default_range, is_moment, places_of, wider
from pennyweight.analysis.searching.solving import FIRST
from pennyweight.analysis.showing import Side, show_about, show_base, show_value
from pennyweight.array_kinds import Floats
from pennyweight.deals.compiler.program import Program, asked_name
from pennyweight.deals.definition import Definition
from pennyweight.deals.evaluation import evaluate
from pennyweight.deals.inputs import put_together, value_in
from pennyweight.deals.language.nodes import Compare, Name, Node, show
from pennyweight.deals.parts import Input, Question
from pennyweight.errors import InputError

__all__ = ["answers_of", "asks_exactly", "probes_of", "refuse_equality", "series_of"]

Look: TypeAlias = Callable[["_Asked", float, tuple[float, float]], Search[Answers]]

_GRID = 21
_EDGE = "at the edge of what was looked at"


@dataclass(frozen=True, slots=True)
class _Asked:
    """What is asked in one case: how near to zero each figure that decides is zero goes with it."""

    deal: Definition
    item: Input
    question: Question
    program: Program
    decides: tuple[str, ...]
    noise: Floats


def answers_of(
    deal: Definition, program: Program, sweep: Sweep, question: Question, known: Mapping[str, Floats], cases: int
) -> list[Answers]:
    """The answers in each case; each widens its own range, so that they are the same whichever are asked together."""
    probes = probes_of(deal, program, sweep, question, known, cases)
    found: list[Answers] = in_step(sweep, known, series_of(deal), probes)
    return found


def probes_of(
    deal: Definition, program: Program, sweep: Sweep, question: Question, known: Mapping[str, Floats], cases: int
) -> list[Probe[Answers]]:
    """A search for each case."""
    item = deal.varied(question.find)
    assert item is not None
    base = np.full(1, item.neutral) if item.is_series else value_in(deal, known, item.name)
    if item.formula and item.name not in known:  # what its formula comes to
        base = evaluate(program, put_together(deal, known), [item.name])[item.name]
    bases = np.broadcast_to(base, (cases,))
    watched = (asked_name(question.name), *program.slacks[question.name])
    look = _best if question.aim != "true" else _exact if asks_exactly(question) else _condition
    decides = watched[1:] if look is _condition else watched
    middle = 0.5 * sum(question.between) if question.between else 0.0
    places = np.where(np.isfinite(bases), bases, middle)
    noise = noises(program, sweep, known, item.name, places, decides)
    return [
        Probe(
            case,
            item.name,
            watched,
            _widening(_Asked(deal, item, question, program, decides, noise[:, case]), look, one),
        )
        for case, one in enumerate(bases.tolist())
    ]


def series_of(deal: Definition) -> dict[str, float]:
    """The inputs that are moved as a whole, by their scale or by months, and what moves each nowhere."""
    return {name: item.neutral for name, item in deal.inputs.items() if item.is_series}


def _widening(asked: _Asked, look: Look, base: float) -> Search[Answers]:
    """Look in the usual range, and in a wider one when that held nothing."""
    deal, item, question = asked.deal, asked.item, asked.question
    years = deal.timeline.periods / deal.timeline.per_year
    limits = question.between or default_range(item, base, years, deal.timeline.periods, deal.timeline.dates)
    ranged = question.aim != "true" and item.low is not None and item.high is not None
    if ranged and not question.between:  # the best of what is likely; a "best" far beyond it is no plan
        limits = min(item.low or 0.0, base), max(item.high or 0.0, base)
    found = yield from look(asked, base, limits)
    further = None if question.between or ranged else wider(item, *limits, is_moment=is_moment(deal, item.name))
    if further is not None and (not found.answers or found.edge):
        second = yield from look(asked, base, further)
        if second.answers and not (found.answers and second.edge):
            found = second
    return _picked(found, question.pick)


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


def _condition(asked: _Asked, base: float, limits: tuple[float, float]) -> Search[Answers]:
    """The values between which a condition holds: figures are its truth, then its slacks."""
    deal, item, question = asked.deal, asked.item, asked.question
    # What the deal solves is looked for in every case of everything, so that fewer places must do.
    few = item.solved and question.name == item.name
    places = _few(item, limits) if few else places_of(item, limits, base, _GRID)
    known = Known(places, (yield places))

    # Where a slack decides, it does to the last digit, so that an answer is the one that `==` gives.
    smooth = item.step is None and known.figures.shape[0] > 1
    near = nearness(asked.program, asked.decides, asked.noise)
    near = widened(asked.program, asked.decides, near, known.figures[1:], always=item.step is not None)

    def state(figures: Floats) -> NDArray[np.bool_]:
        return np.asarray((slacks >= 0).all(axis=0) if (slacks := slack(figures)) is not None else figures[0] == 1)

    def slack(figures: Floats) -> Floats | None:
        return figures[1:] + near[:, None] if figures.shape[0] > 1 else None

    if smooth:
        yield from _islands(known, near)
    # What turns only at the very edge of the range is a limit of the question, not of the deal.
    hair = min(1e-9 * (limits[1] - limits[0]), 1e-6 * abs(base) or inf)
    x, good = known.x, state(known.figures)
    answers: list[Answer] = []
    bounds: list[str] = []
    for k in np.flatnonzero(good[1:] != good[:-1]).tolist():
        ends = float(x[k]), float(x[k + 1])
        if smooth:
            reach = FLAT * (limits[1] - limits[0])
            low, high = yield from narrowed_by(known, *ends, lambda figures: figures[1:], near, reach)
        else:
            low, high = yield from narrowed(known, *ends, state, slack, item.step)
        if high - limits[0] <= hair or limits[1] - low <= hair:
            continue
        value, beyond = (low, high) if good[k] else (high, low)
        answer = _answer(deal, item, value, "at most" if good[k] else "at least", limits)
        outside = known.figures[1:, np.searchsorted(known.x, beyond)]
        if np.isnan(outside).any():  # where a figure stops existing nothing turns: a limit, no answer
            if min(abs(value), value - limits[0], limits[1] - value) <= 1e-5 * (limits[1] - limits[0]):
                continue  # nobody asks what lies beyond nothing, or beyond the range
            side = "above" if good[k] else "below"
            bounds.append(f"{side} about {show_about(deal, item, value)} a figure is undefined")
            continue
        answers.append(answer)
    if item.choices:
        answers = [_answer(deal, item, float(k), "exactly", (-1.0, -1.0)) for k in x[good]] if not good.all() else []
    answers += [
        Answer(float(edge), "exactly", show_value(deal, item, float(edge)), _EDGE)
        for edge, holds, side in ((limits[0], good[0], "smallest"), (limits[1], good[-1], "largest"))
        if holds and question.pick == side
    ]
    if answers and bounds:
        notes = "; ".join(filter(None, [answers[0].note, *bounds]))
        answers[0] = replace(answers[0], note=notes)
    if answers:
        return Answers(tuple(answers), "", limits)
    inner = slice(None) if good.size <= 2 else slice(1, -1)
    has_figures = ~np.isnan(known.figures[1:, np.searchsorted(known.x, x)]).any(axis=0)
    always = bool((good | ~has_figures)[inner].all() and good.any()) if bounds else bool(good[inner].all())
    if bounds and not always:
        return Answers((), "; ".join(["it turns only where figures stop existing", *bounds]), limits)
    said = _why_always(deal, item, always, limits) + (" that has its figures" if bounds else "")
    if not always and not bounds and smooth:
        said += _nearest(deal, item, question, known)
    return Answers((), "; ".join([said, *bounds]), limits, always=always)


def _nearest(deal: Definition, item: Input, question: Question, known: Known) -> str:
    """Where a condition that never holds comes nearest, and by how much it misses there."""
    worst = known.figures[1:].min(axis=0)
    if not isinstance(question.so_that, Compare) or not np.isfinite(worst).any():
        return ""
    k = int(np.nanargmax(worst))
    missing = deal.style.with_unit(-float(worst[k]), deal.names.unit(question.so_that.left))
    return f"; nearest at {show_about(deal, item, float(known.x[k]))}, where it misses by {missing}"


def _few(item: Input, limits: tuple[float, float]) -> Floats:
    """Where a solved input is tried first: evenly between the ends, a whole one at every value."""
    return np.linspace(*limits, FIRST) if item.step is None else places_of(item, limits, limits[0], _GRID)


def _islands(known: Known, near: Floats) -> Search[None]:
    """Look closer where a slack bends towards zero between places of one state: a condition may hold just there."""
    worst = (known.figures[1:] + near[:, None]).min(axis=0)
    inner = np.arange(1, known.x.size - 1)
    bends = ((worst[inner] < 0) & (worst[inner] > worst[inner - 1]) & (worst[inner] > worst[inner + 1])) | (
        (worst[inner] >= 0) & (worst[inner] < worst[inner - 1]) & (worst[inner] < worst[inner + 1])
    )
    for k in inner[bends].tolist():
        low, high = float(known.x[k - 1]), float(known.x[k + 1])
        side = -1.0 if worst[k] < 0 else 1.0
        for _ in range(3):
            places = np.linspace(low, high, 10)[1:-1]
            figures = yield places
            height = side * (figures[1:] + near[:, None]).min(axis=0)
            known.add(places, figures)
            if (height < 0).any() or not np.isfinite(height).any():
                break
            at = int(np.nanargmin(height))
            low, high = float(places[max(at - 1, 0)]), float(places[min(at + 1, places.size - 1)])


def _exact(asked: _Asked, base: float, limits: tuple[float, float]) -> Search[Answers]:
    """The values at which two figures are equal: the figure is their difference.

    Where it is zero over a stretch, the stretch is told by its two ends.
    """
    deal, item, question = asked.deal, asked.item, asked.question
    places = places_of(item, limits, base, _GRID)
    known = Known(places, (yield places))
    x, values = known.x, known.figures[0]
    near = float(nearness(asked.program, asked.decides, asked.noise)[0])
    if isinstance(question.so_that, Compare) and np.isfinite(values).all():
        hair = max(1e-3 * deal.style.tolerance(deal.names.unit(question.so_that.left)), near)
        if np.abs(values).max() <= hair:  # the same two figures, told apart by rounding alone
            return Answers((), _why_always(deal, item, True, limits), limits, always=True)
    sign = np.sign(values)
    sign[np.abs(values) <= near] = 0
    roots: list[float] = []
    jumps: list[float] = []
    flats: list[Answer] = []

    def alike(figures: Floats) -> NDArray[np.bool_]:
        return np.asarray(np.abs(figures[0]) <= near)

    for first, last in _runs(sign == 0):
        if x[last] - x[first] <= FLAT * (limits[1] - limits[0]):
            roots.append(float(x[first + int(np.argmin(np.abs(values[first : last + 1])))]))
            continue
        if first:
            _, low = yield from narrowed(known, float(x[first - 1]), float(x[first]), alike, lambda figures: None)
            flats.append(_answer(deal, item, low, "at least", limits))
        if last < x.size - 1:
            high, _ = yield from narrowed(known, float(x[last]), float(x[last + 1]), alike, lambda figures: None)
            flats.append(_answer(deal, item, high, "at most", limits))

    def state(figures: Floats) -> NDArray[np.bool_]:
        return np.asarray(figures[0] >= 0)

    def height(figures: Floats) -> Floats:
        return np.asarray(np.abs(figures[0]))

    for k in np.flatnonzero(sign[1:] * sign[:-1] < 0).tolist():
        low, high = yield from narrowed(known, float(x[k]), float(x[k + 1]), state, lambda figures: figures)
        at_low, at_high = (abs(float(known.figures[0, np.searchsorted(known.x, end)])) for end in (low, high))
        before = max(abs(float(values[k])), abs(float(values[k + 1])))
        (roots if max(at_low, at_high) <= 1e-6 * before else jumps).append(low if at_low <= at_high else high)
    size = np.abs(values)
    inner = np.arange(1, x.size - 1)
    beside = (sign[inner - 1] == sign[inner]) & (sign[inner] == sign[inner + 1]) & (sign[inner] != 0)
    for k in inner[beside & (size[inner] < size[inner - 1]) & (size[inner] < size[inner + 1])].tolist():
        at, least = yield from lowest_between(float(x[k - 1]), float(x[k + 1]), height)
        if least <= 1e-12 * max(size[k - 1], size[k + 1]):
            roots.append(at)
    answers = _distinct([_answer(deal, item, float(value), "exactly", limits) for value in sorted(set(roots))])
    answers = sorted([*answers, *flats], key=lambda answer: answer.value)
    reason = ""
    if not answers:
        known_size = np.where(np.isnan(values), inf, size)
        k = int(np.argmin(known_size))
        closest = float(x[k])
        if 0 < k < x.size - 1 and np.isfinite(values).any() and not jumps:
            closest, _ = yield from lowest_between(float(x[k - 1]), float(x[k + 1]), height)
        node = question.so_that or Name("pays_off")
        reason = _why_none(deal, item, node, values, closest, np.array(jumps))
    return Answers(tuple(answers), reason, limits)


def _best(asked: _Asked, base: float, limits: tuple[float, float]) -> Search[Answers]:
    """The value at which the figure is largest (or smallest); the first of several that are alike."""
    deal, item, question = asked.deal, asked.item, asked.question
    sign = -1.0 if question.aim == "most" else 1.0

    def height(figures: Floats) -> Floats:
        return np.where(np.isnan(figures[0]), inf, sign * figures[0])

    places = places_of(item, limits, base, _GRID)
    size = height((yield places))
    k = int(np.argmin(size))
    same = np.flatnonzero(size <= size[k] + asked.noise[0]) if np.isfinite(size[k]) else np.array([k])
    if places[same[-1]] - places[same[0]] > FLAT * (limits[1] - limits[0]):
        k = int(same[0])
    at, least = float(places[k]), float(size[k])
    if not np.isfinite(least):
        return Answers((), f"{question.text} is undefined for every value looked at", limits)
    if item.step is None:
        low, high = float(places[max(k - 1, 0)]), float(places[min(k + 1, places.size - 1)])
        closer, lower = yield from lowest_between(low, high, height)
        if lower < least - (asked.noise[0] if same.size > 1 and k == same[0] else 0.0):
            at, least = closer, lower
    edge = not item.choices and (at in limits)
    answer = _answer(deal, item, at, "exactly", (-1.0, -1.0) if item.choices else limits)
    word = "largest" if question.aim == "most" else "smallest"
    unit = deal.names.unit(question.so_that or Name("pays_off"))
    name = question.so_that.name if isinstance(question.so_that, Name) else ""
    said = f"{deal.label(name) if name else question.text} is {word}, {deal.style.with_unit(sign * least, unit)}"
    note = "; ".join(filter(None, [said, answer.note]))
    return Answers((replace(answer, note=note),), "", limits, edge=edge)


def _runs(holds: NDArray[np.bool_]) -> list[tuple[int, int]]:
    """The first and the last place of every stretch in which something holds."""
    edges = np.flatnonzero(np.diff(np.concatenate([[False], holds, [False]]).astype(np.int8)))
    return [(int(first), int(end) - 1) for first, end in zip(edges[::2], edges[1::2], strict=True)]


def _distinct(answers: list[Answer]) -> list[Answer]:
    return [a for k, a in enumerate(answers) if k == 0 or abs(a.value - answers[k - 1].value) > 1e-9 * abs(a.value)]


def _answer(deal: Definition, item: Input, value: float, kind: Side, limits: tuple[float, float]) -> Answer:
    notes = []
    if value in limits:
        notes.append(_EDGE)
    if not item.is_series:
        if item.low is not None and value < item.low:
            notes.append(f"below the low of {show_base(deal, item, item.low, unit=True)}")
        if item.high is not None and value > item.high:
            notes.append(f"above the high of {show_base(deal, item, item.high, unit=True)}")
    return Answer(value, kind, show_value(deal, item, value, kind), "; ".join(notes))


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

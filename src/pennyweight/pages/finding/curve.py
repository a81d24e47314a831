"""The curve of what was asked over the input that was looked for."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace

import numpy as np

from pennyweight.analysis.cases import Model
from pennyweight.analysis.finding.found import Found
from pennyweight.analysis.searching.outcome import Answers
from pennyweight.analysis.showing import axis_kind, headed, headed_axis
from pennyweight.array_kinds import Floats
from pennyweight.deals.inputs import Inputs, input_named, stack
from pennyweight.deals.language.nodes import Compare, Name, Node
from pennyweight.deals.language.translation import folded
from pennyweight.deals.parts import Input, Question
from pennyweight.documents import LinesChart

__all__ = ["curves"]


_PLACES = 81
_MOST_LINES = 6


def curves(found: Found) -> tuple[LinesChart, ...]:
    """The curve with its answers marked, looked at near them; none where nothing can be drawn."""
    if found.search is None:
        return ()
    model, question, cases = found.search.model, found.search.question, list(found.search.cases.values())
    deal, outcomes = model.definition, list(found.answers.values())
    item = input_named(deal, question.find)
    drawn = _turning_goal(model, question, stack(deal, cases), outcomes)
    near, scenarios = (
        _near(model, outcomes, found.looked, cases, item),
        list(found.search.cases)[:_MOST_LINES],
    )
    made = _curve(model, drawn, item, stack(deal, cases[:_MOST_LINES]), near, scenarios)
    if made is None:
        return ()
    marks = tuple({one.shown: (one.shown, one.value) for item in outcomes for one in item.answers}.values())
    title = f"{found.label}: {outcomes[0].shown or 'no value'}, so that {found.so_that}"
    return (replace(made, title=title, marks=marks[:8]),)


def _turning_goal(
    model: Model, question: Question, base: Mapping[str, Floats], outcomes: Sequence[Answers]
) -> Question:
    """What is drawn of a question: where the whole verdict is asked, the goal that turns at the first answer."""
    deal, places = model.definition, [(k, one.answers[0].value) for k, one in enumerate(outcomes) if one.answers]
    if not question.asks_verdict or not places or not deal.goals:
        return question
    (case, value), slacks = places[0], [f"?slack {name}" for name in deal.goals]
    figures = model.sweep(base, np.array([case]), {question.find: np.array([value])}, slacks)
    goal = min(deal.goals, key=lambda name: abs(float(np.nan_to_num(figures[f"?slack {name}"][0], nan=np.inf))))
    wanted = deal.goals[goal]
    bound = wanted.at_least or wanted.at_most
    if bound is None:
        return question
    word = ">=" if wanted.at_least is not None else "<="
    text = f"{deal.label(goal)}, {'at most' if wanted.at_least is None else 'at least'}"
    return replace(question, so_that=Compare(word, Name(goal), bound), text=text)


def _curve(
    model: Model,
    question: Question,
    item: Input,
    base: Mapping[str, Floats],
    looked: tuple[float, float],
    scenarios: Sequence[str],
) -> LinesChart | None:
    """What is asked over the input: the side of the condition that moves, and where it turns."""
    deal, node = model.definition, question.so_that
    if item.choices or not (question.aim != "true" or isinstance(node, Compare)):
        return None
    x = np.linspace(*looked, _PLACES)
    if item.step is not None:
        x = np.unique(np.round(x / item.step) * item.step)
    left = node.left if isinstance(node, Compare) else node
    right = node.right if isinstance(node, Compare) else None
    bound = None if right is None else folded(right)
    names = [name for name in (_side(left), _side(right)) if name and name in model.program.names]
    if not names or model.program.over_time[model.program.names[names[0]]]:
        return None
    owner = np.repeat(np.arange(len(scenarios)), x.size)
    figures = model.sweep(base, owner, {item.name: np.tile(x, len(scenarios))}, names)
    # A side that stays the same all along is a level to be reached, not a line.
    level = {name: float(figures[name][0]) for name in names[1:] if np.ptp(np.nan_to_num(figures[name])) == 0}
    lines = []
    for place, scenario in enumerate(scenarios):
        part = slice(place * x.size, (place + 1) * x.size)
        label = deal.scenarios[scenario].label if scenario in deal.scenarios else "as it stands"
        for name in names:
            if name in level:
                continue
            said = label if len(names) == 1 else f"{deal.label(name)}, {label}"
            alone = len(names) - len(level) == 1
            said = (
                said
                if len(scenarios) > 1 and alone
                else f"{deal.label(name)}, {label}"
                if not alone
                else deal.label(name)
            )
            lines.append((label if len(scenarios) > 1 and alone else said, figures[name][part]))
    unit = deal.unit(names[0])
    targets = tuple((deal.label(name), value) for name, value in level.items())
    targets += () if bound is None else ((question.text, bound),)
    y_title = {"money": deal.style.currency, "share": "", "rate": "a year"}.get(unit, "" if unit == "number" else unit)
    return LinesChart(
        "find",
        "",
        x,
        tuple(lines[:_MOST_LINES]),
        headed_axis(deal, item),
        headed(deal, names[0]) if y_title else "",
        targets=targets,
        percent=unit in ("share", "rate"),
        x_kind=axis_kind(item),
    )


def _near(
    model: Model, outcomes: Sequence[Answers], looked: tuple[float, float], cases: Sequence[Inputs], item: Input
) -> tuple[float, float]:
    """What is drawn: where the answers and the values as they stand lie, with some room, or all that was looked at."""
    places = [answer.value for one in outcomes for answer in one.answers]
    if not places:
        return looked
    places += [one for case in cases if np.isfinite(one := model.standing(case, item.name))]
    room = 0.4 * max(max(places) - min(places), 0.1 * max(map(abs, places)))
    return max(min(places) - room, looked[0]), min(max(places) + room, looked[1])


def _side(node: Node | None) -> str:
    return node.name if isinstance(node, Name) else ""

"""The value of an input that makes something come true, over scenarios at once."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from functools import partial
from math import ceil, floor
from typing import Literal, TypeAlias

import numpy as np
from numpy.typing import NDArray

from pennyweight.analysis.cases import Model
from pennyweight.analysis.finding.found import Answer, Answers, Found
from pennyweight.analysis.searching.answers import refuse_equality
from pennyweight.analysis.showing import headed, show_value
from pennyweight.deals.definition import Definition, Input, Question
from pennyweight.deals.inputs import Inputs, based, input_named, stack
from pennyweight.deals.language.nodes import Compare, Name, Node
from pennyweight.deals.language.parse import parse
from pennyweight.deals.language.translation import folded
from pennyweight.documents import LinesChart
from pennyweight.errors import InputError
from pennyweight.pages.finding.found_whys import explained
from pennyweight.quantities.units import read_value

__all__ = ["condition_of", "figure_of", "find"]

Floats: TypeAlias = NDArray[np.float64]

_ASKED = "?find"
_PLACES = 81
_MOST_LINES = 6


def find(
    model: Model,
    name: str,
    so_that: str | None = None,
    *,
    aim: Literal["true", "most", "least"] = "true",
    scenarios: Sequence[str] = ("base",),
    between: tuple[str | float, str | float] | None = None,
    inputs: Mapping[str, object] | None = None,
) -> Found:
    """Find the values of an input at which a condition becomes true; see `Deal.find`."""
    deal = model.definition
    item = input_named(deal, name)
    if so_that is None and not deal.goals:
        raise InputError("Say what must come true, such as 'npv == 0': the deal has no goals to meet.")
    if aim != "true":
        node: Node | None = figure_of(deal, so_that or "")
    else:
        node = condition_of(deal, so_that) if so_that else None
    if inputs and name in inputs:
        raise InputError(f"'{name}' is the input to find, so it cannot be given a value too.")
    limits = None if between is None else _limits(item, between)
    where = f"the condition '{so_that}'"
    question = Question(_ASKED, name, node, so_that or "pays_off", None, "", where, aim, where, limits)
    refuse_equality(question, item)
    asked = Model.of(replace(deal, questions={**deal.questions, _ASKED: question}))
    cases = [asked.inputs_of(scenario, inputs) for scenario in scenarios]
    outcomes = asked.answers(question, stack(deal, cases), len(cases))
    looked = min(one.looked[0] for one in outcomes), max(one.looked[1] for one in outcomes)
    overridden = [s for s in scenarios if s != "base" and _sets(deal, s, name)]
    shown = [_with_note(o, s in overridden, name) for s, o in zip(scenarios, outcomes, strict=True)]
    labels = {s: deal.scenario_label(s) for s in scenarios}
    drawn = _turning_goal(asked, question, stack(deal, cases), outcomes)
    curve = _curve(asked, drawn, item, stack(deal, cases[:_MOST_LINES]), _near(outcomes, looked, cases, item),
                   list(scenarios)[:_MOST_LINES])  # fmt: skip
    words = {
        "true": "the deal pays off" if so_that in (None, "pays_off") else so_that,
        "most": f"{so_that} is largest",
        "least": f"{so_that} is smallest",
    }
    ends = show_value(deal, item, looked[0], unit=item.unit == "money"), show_value(deal, item, looked[1])
    found = dict(zip(scenarios, shown, strict=True))
    return Found(
        deal.title, name, item.label, words[aim], item.is_series, looked,
        f"all of {', '.join(item.choices)}" if item.choices else f"{ends[0]} and {ends[1]}",
        found, labels, item.choices, curve, partial(explained, asked, question, found, labels, inputs),
    )  # fmt: skip


def _turning_goal(
    model: Model, question: Question, base: Mapping[str, Floats], outcomes: Sequence[Answers]
) -> Question:
    """What is drawn of a question: where the whole verdict is asked, the goal that turns at the first answer."""
    deal, places = model.definition, [(k, one.answers[0].value) for k, one in enumerate(outcomes) if one.answers]
    if question.aim != "true" or question.so_that not in (None, Name("pays_off")) or not places or not deal.goals:
        return question
    (case, value), slacks = places[0], [f"?slack {name}" for name in deal.goals]
    figures = model.sweep(base, np.array([case]), {question.find: np.array([value])}, slacks)
    goal = min(deal.goals, key=lambda name: abs(float(np.nan_to_num(figures[f"?slack {name}"][0], nan=np.inf))))
    wanted = deal.goals[goal]
    bound = wanted.at_least or wanted.at_most
    if bound is None:
        return question
    word = ">=" if wanted.at_least is not None else "<="
    text = f"{deal.label(goal)}, {'at least' if word == '>=' else 'at most'}"
    return replace(question, so_that=Compare(word, Name(goal), bound), text=text)


def _curve(
    model: Model, question: Question, item: Input, base: Mapping[str, Floats], looked: tuple[float, float],
    scenarios: Sequence[str],
) -> LinesChart | None:  # fmt: skip
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
        "find", "", x, tuple(lines[:_MOST_LINES]), headed(deal, item.name), headed(deal, names[0]) if y_title else "",
        targets=targets, percent=unit in ("share", "rate"), x_percent=item.unit in ("share", "rate"),
    )  # fmt: skip


def _near(
    outcomes: Sequence[Answers], looked: tuple[float, float], cases: Sequence[Inputs], item: Input
) -> tuple[float, float]:
    """What is drawn: where the answers and the values as they stand lie, with some room, or all that was looked at."""
    places = [answer.value for one in outcomes for answer in one.answers]
    if not places:
        return looked
    places += [1.0 if item.is_series else float(np.asarray(case[item.name])) for case in cases]
    room = 0.4 * max(max(places) - min(places), 0.1 * max(map(abs, places)))
    return max(min(places) - room, looked[0]), min(max(places) + room, looked[1])


def _side(node: Node | None) -> str:
    return node.name if isinstance(node, Name) else ""


def condition_of(deal: Definition, text: str) -> Node:
    """Parse and check a condition typed by an asker."""
    where = f"the condition '{text}'"
    node = parse(text, where=where, choices=deal.choices)
    names = deal.names.with_verdict()
    if names.shape(node, where) == "line":
        raise InputError(
            f"{where} has a value for each period; ask about a single number, such as at(net, 3) >= 0.", at=where
        )
    if names.unit(node) != "condition" and node != Name("pays_off"):
        raise InputError(f"{where} must compare two values, such as npv == 0 or irr >= hurdle.", at=where)
    return node


def figure_of(deal: Definition, text: str) -> Node:
    """Parse and check a figure typed by an asker."""
    where = f"the figure '{text}'"
    node = parse(text, where=where, choices=deal.choices)
    if deal.names.shape(node, where) == "line":
        raise InputError(
            f"{where} has a value for each period; ask about a single number, such as total(net).", at=where
        )
    return node


def _limits(item: Input, between: tuple[str | float, str | float]) -> tuple[float, float]:
    if item.choices:
        raise InputError(f"All choices of {item.name} are tried; leave the range out.", at="between")
    if item.is_series:
        low, high = (read_value(end, "number", what=f"the range of {item.name}") for end in between)
    else:
        low, high = (item.read(end, what=f"the range of {item.name}") for end in between)
    if not low < high:
        raise InputError(f"The range of {item.name} runs from {between[0]} to {between[1]}; write the smaller first.")
    if item.step is not None and floor(high / item.step + 1e-9) < ceil(low / item.step - 1e-9):
        raise InputError(
            f"{item.name} takes whole values, and between {between[0]} and {between[1]} there is none; widen the range."
        )
    return low, high


def _sets(deal: Definition, scenario: str, name: str) -> bool:
    return any(name in deal.scenarios[one].changes for one in based(deal, scenario))


def _with_note(outcome: Answers, overridden: bool, name: str) -> Answers:
    if not overridden:
        return outcome
    said = f"the scenario's own {name} is overridden"
    answers = tuple(Answer(a.value, a.kind, a.shown, "; ".join(filter(None, [a.note, said]))) for a in outcome.answers)
    return replace(outcome, answers=answers)

"""The value of an input that makes something come true, over scenarios at once."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from math import ceil, floor
from typing import Literal

from pennyweight.analysis.cases import Model
from pennyweight.analysis.finding.found import Asked, Found
from pennyweight.analysis.searching.answers import refuse_equality
from pennyweight.analysis.searching.outcome import Answer, Answers
from pennyweight.analysis.showing import show_value
from pennyweight.deals.definition import Definition
from pennyweight.deals.inputs import based, input_named, stack
from pennyweight.deals.language.nodes import Name, Node
from pennyweight.deals.parts import Input, Question
from pennyweight.deals.whole_deal_checks import refuse_bare_rates
from pennyweight.errors import InputError

__all__ = ["condition_of", "figure_of", "find", "limits_of", "sets_itself"]


_ASKED = "?find"


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
    limits = None if between is None else limits_of(item, between)
    where = f"the condition '{so_that}'"
    question = Question(_ASKED, name, node, so_that or "pays_off", None, "", where, aim, where, limits)
    refuse_equality(question, item)
    asked = Model.of(replace(deal, questions={**deal.questions, _ASKED: question}))
    cases = [asked.inputs_of(scenario, inputs) for scenario in scenarios]
    outcomes = asked.answers(question, stack(deal, cases), len(cases))
    looked = min(one.looked[0] for one in outcomes), max(one.looked[1] for one in outcomes)
    overridden = [s for s in scenarios if s != "base" and sets_itself(deal, s, name)]
    shown = [_with_note(o, s in overridden, name) for s, o in zip(scenarios, outcomes, strict=True)]
    labels = {s: deal.scenario_label(s) for s in scenarios}
    words = {"true": question.asked, "most": f"{so_that} is largest", "least": f"{so_that} is smallest"}
    ends = show_value(deal, item, looked[0], unit=item.unit == "money"), show_value(deal, item, looked[1])
    found = dict(zip(scenarios, shown, strict=True))
    return Found(
        deal.title,
        name,
        item.label,
        words[aim],
        item.by_scale,
        looked,
        f"all of {', '.join(item.choices)}" if item.choices else f"{ends[0]} and {ends[1]}",
        found,
        labels,
        item.choices,
        item.by_months,
        Asked(asked, question, dict(zip(scenarios, cases, strict=True))),
    )


def condition_of(deal: Definition, text: str) -> Node:
    """Parse and check a condition typed by an asker."""
    where = f"the condition '{text}'"
    node = deal.parsed(text, where)
    names = deal.names.with_verdict()
    names.check_set(node, "", where)
    if names.shape(node, where) == "line":
        raise InputError(
            f"{where} has a value for each period; ask about a single number, such as at(net, 3) >= 0.", at=where
        )
    if names.unit(node) != "condition" and node != Name("pays_off"):
        raise InputError(f"{where} must compare two values, such as npv == 0 or irr >= hurdle.", at=where)
    refuse_bare_rates(node, names, where)
    return node


def figure_of(deal: Definition, text: str) -> Node:
    """Parse and check a figure typed by an asker."""
    where = f"the figure '{text}'"
    node = deal.parsed(text, where)
    deal.names.check_set(node, "", where)
    if deal.names.shape(node, where) == "line":
        raise InputError(
            f"{where} has a value for each period; ask about a single number, such as total(net).", at=where
        )
    return node


def limits_of(item: Input, between: tuple[str | float, str | float]) -> tuple[float, float]:
    """The two ends of where a value is looked for, as an asker types them."""
    if item.choices:
        raise InputError(f"All choices of {item.name} are tried; leave the range out.", at="between")
    low, high = (item.read_move(end, what=f"the range of {item.name}") for end in between)
    if not low < high:
        raise InputError(f"The range of {item.name} runs from {between[0]} to {between[1]}; write the smaller first.")
    if item.step is not None and floor(high / item.step + 1e-9) < ceil(low / item.step - 1e-9):
        raise InputError(
            f"{item.name} takes whole values, and between {between[0]} and {between[1]} there is none; widen the range."
        )
    return low, high


def sets_itself(deal: Definition, scenario: str, name: str) -> bool:
    """Whether a scenario, or one it is based on, sets this input."""
    return any(name in deal.scenarios[one].changes for one in based(deal, scenario))


def _with_note(outcome: Answers, overridden: bool, name: str) -> Answers:
    if not overridden:
        return outcome
    said = f"the scenario's own {name} is overridden"
    answers = tuple(Answer(a.value, a.kind, a.shown, "; ".join(filter(None, [a.note, said]))) for a in outcome.answers)
    return replace(outcome, answers=answers)

"""What figures are at the values that were found, and just beside them."""

from __future__ import annotations

from collections.abc import Mapping

from pennyweight.analysis.cases import Model
from pennyweight.analysis.finding.found import Answers
from pennyweight.analysis.weighing.weighing import weigh
from pennyweight.deals.definition import Question
from pennyweight.deals.inputs import input_named
from pennyweight.documents.derivation import Derivation
from pennyweight.pages.explaining.figures_beside import beside, figures_at
from pennyweight.pages.weighing.weighing_whys import aim_of, watched

__all__ = ["explained"]


def explained(
    model: Model,
    question: Question,
    outcomes: Mapping[str, Answers],
    labels: Mapping[str, str],
    inputs: Mapping[str, object] | None,
) -> dict[str, Derivation]:
    """For each scenario, by its label, what was asked at its answers; without one at the value as it stands."""
    item = input_named(model.definition, question.find)
    found = {}
    for scenario, outcome in outcomes.items():
        weighing = weigh(model, scenario, inputs)
        names, asked = watched(model.definition, question)
        standing = 1.0 if item.is_series else float(weighing.case[item.name])
        values = [answer.value for answer in outcome.answers] or [standing]
        parts: dict[str, Derivation] = {}
        for value in values if names else ():
            parts |= figures_at(model, weighing.case, item, beside(item, value), names, asked)
        formula = f"looked for so that {aim_of(question)}"
        if outcome.reason:
            formula = f"{formula}; {outcome.reason}"
        found[labels.get(scenario, scenario)] = Derivation(outcome.told, formula, "", parts)
    return found

"""Scenarios weighted by their probabilities: the mean of each figure, the chance of each goal."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from pennyweight.analysis.weighing.verdict import NEARLY, PAYS_OFF
from pennyweight.analysis.weighing.weighing import Weighing
from pennyweight.deals.inputs import BASE
from pennyweight.described import Described

__all__ = ["Weighted", "weighted_by"]


@dataclass(frozen=True, slots=True, repr=False)
class Weighted(Described):
    """Figures over scenarios, each as likely as the deal says; the deal as it stands takes what is left of 100 %.

    Notes
    -----
    A mean is None where the figure is undefined in a scenario that may come; `reasons` says in which. `chances` are
    those of each goal, and of all ("pays_off"), to be met, nearly met and missed.

    Examples
    --------
    >>> from pennyweight import Deal
    >>> deal = Deal.from_dict({
    ...     "deal": "Kiln", "inputs": {"sales": 100}, "measures": {"gain": "sales - 90"},
    ...     "goals": {"gain": {"at_least": 0}}, "scenarios": {"poor": {"sales": 60, "probability": "25%"}},
    ... })
    >>> found = deal.compare().weighted
    >>> found.means["gain"], found.chances["pays_off"]
    (0.0, (0.75, 0.0, 0.25))
    """

    weights: Mapping[str, float]
    means: Mapping[str, float | None]
    reasons: Mapping[str, str]
    chances: Mapping[str, tuple[float, float, float]]
    missing: tuple[str, ...]
    """Scenarios with a probability that are not among those compared, so that there are no means and no chances."""

    def as_dict(self) -> dict[str, Any]:
        """Plain values for JSON.

        Returns
        -------
        dict[str, Any]
            Plain values for JSON.
        """
        return {
            "weights": dict(self.weights),
            "means": dict(self.means),
            "chances": {
                name: dict(zip(("met", "nearly", "missed"), one, strict=True)) for name, one in self.chances.items()
            },
            "missing": list(self.missing),
        }


def weighted_by(weighings: Mapping[str, Weighing]) -> Weighted | None:
    """Weigh the scenarios of one deal by their probabilities; None where the deal gives none."""
    deals = {id(one.definition): one.definition for one in weighings.values()}
    if len(deals) != 1:
        return None
    (deal,) = deals.values()
    said = {name: one.probability for name, one in deal.scenarios.items() if one.probability is not None}
    if not said:
        return None
    rest = max(0.0, 1.0 - sum(said.values()))
    weights = {BASE: rest if rest > 1e-9 else 0.0, **said}
    weights = {name: weight for name, weight in weights.items() if weight > 0}
    missing = tuple(name for name in weights if name not in weighings)
    if missing:
        return Weighted(weights, {}, {}, {}, missing)
    own = {name: weighings[name] for name in weights}
    means: dict[str, float | None] = {}
    reasons: dict[str, str] = {}
    for figure in deal.measures:
        values = {name: one.measures[figure].value for name, one in own.items()}
        undefined = [name for name, value in values.items() if value is None]
        if undefined:
            means[figure], reasons[figure] = None, f"undefined in {', '.join(undefined)}"
        else:
            means[figure] = sum(weights[name] * (value or 0.0) for name, value in values.items())
    chances = {}
    for goal in deal.goals:
        states = {name: one.goals[goal].state for name, one in own.items()}
        chances[goal] = _three(
            {name: _place(state == "met", state == "nearly") for name, state in states.items()}, weights
        )
    if deal.goals:
        words = {name: one.verdict for name, one in own.items()}
        places = {name: _place(word == PAYS_OFF, word == NEARLY) for name, word in words.items()}
        chances["pays_off"] = _three(places, weights)
    return Weighted(weights, means, reasons, chances, ())


def _place(met: bool, nearly: bool) -> int:
    return 0 if met else 1 if nearly else 2


def _three(places: Mapping[str, int], weights: Mapping[str, float]) -> tuple[float, float, float]:
    found = [0.0, 0.0, 0.0]
    for name, place in places.items():
        found[place] += weights[name]
    return found[0], found[1], found[2]

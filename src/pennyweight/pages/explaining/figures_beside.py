"""What figures are when one input is moved: at the values that are told, and just beside them."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from pennyweight.analysis.cases import Model
from pennyweight.analysis.showing import show_base, show_figure
from pennyweight.deals.compiler.program import slack_name
from pennyweight.deals.definition import Definition
from pennyweight.deals.inputs import Inputs, stack
from pennyweight.deals.parts import Input
from pennyweight.documents.derivation import Derivation

__all__ = ["beside", "figures_at"]


_PART = 0.01
"""How far beside a value it is looked at again, as a part of it: a hundredth."""


def beside(item: Input, value: float) -> list[float]:
    """A value with those just below and above it: a step, or a hundredth of it; of a choice all its words."""
    if item.choices:
        return [float(k) for k in range(len(item.choices))]
    step = item.step or abs(value) * _PART or _PART
    return [value - step, value, value + step]


def figures_at(
    model: Model, case: Inputs, item: Input, values: Sequence[float], names: Sequence[str], asked: str = ""
) -> dict[str, Derivation]:
    """Each named figure at each value of an input, all else as in `case`.

    `asked` says what is asked of them; left out, they are goals, and each is told with its bound there.
    """
    deal = model.definition
    given = {item.name: np.array(values, dtype=np.float64)}
    slacks = [] if asked else [slack_name(name) for name in names]
    figures = model.sweep(stack(deal, [case]), np.zeros(len(values), np.intp), given, [*names, *slacks])
    found = {}
    for name in names:
        for k, value in enumerate(values):
            figure = float(np.asarray(figures[name]).reshape(-1)[k])
            how = asked or _asked(deal, name, figure, float(np.asarray(figures[slack_name(name)]).reshape(-1)[k]))
            label = f"{_named(deal, name)}, with {item.label} {_said(deal, item, value)}"
            found[label] = Derivation(_figure(deal, name, figure if np.isfinite(figure) else None), how)
    return found


def _asked(deal: Definition, name: str, figure: float, slack: float) -> str:
    """The bound of a goal where its figure has so much to spare."""
    at_least = deal.goals[name].at_least is not None
    word = "at least" if at_least else "at most"
    bound = figure - slack if at_least else figure + slack
    return f"asked: {word} {deal.style.show(bound, deal.unit(name))}" if np.isfinite(bound) else "a goal"


def _named(deal: Definition, name: str) -> str:
    return "Pays off" if name == "pays_off" else deal.label(name)


def _figure(deal: Definition, name: str, value: float | None) -> str:
    if name == "pays_off" and value is not None:
        return "yes" if value else "no"
    return show_figure(deal, name, value)


def _said(deal: Definition, item: Input, value: float) -> str:
    """A value of the input, with digits enough to tell it from those beside it."""
    if item.adds:
        return show_base(deal, item, value)
    if item.is_series:
        return f"× {value:.6g}".replace(".", deal.style.mark)
    if item.choices or item.unit == "date":
        return show_base(deal, item, value)
    typed = show_base(deal, item, value, unit=True)
    scale = 100 if item.unit in ("rate", "share") else 1
    if float(value * scale).is_integer():
        return typed
    places = 4 if item.unit in ("rate", "share", "years", "number") else max(deal.style.places, item.digits)
    return deal.style.with_unit(value, item.unit, places=places)

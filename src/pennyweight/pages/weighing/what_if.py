"""What becomes of a weighed deal when one assumption moves, in words."""

from __future__ import annotations

from math import isfinite

from pennyweight.analysis.showing import headed, show_figure, show_value
from pennyweight.analysis.weighing.weighing import Weighing
from pennyweight.analysis.weighing.what_if import MovedInput, moved_inputs
from pennyweight.deals.definition import Definition
from pennyweight.documents.what_if import Assumption, WhatIf
from pennyweight.pages.weighing.words import STATE_MARKS, VERDICT_TONES

__all__ = ["what_if"]


def what_if(weighing: Weighing, figures: list[str]) -> WhatIf | None:
    """Goals and the figures that decide, for each input along its range; None where nothing can be moved."""
    deal = weighing.definition
    names = list(dict.fromkeys([*deal.goals, *figures]))
    if not names:
        return None
    moved = moved_inputs(weighing, names)
    labels = tuple(headed(deal, name) for name in names)
    return WhatIf(labels, tuple(_told(weighing, one, names) for one in moved)) if moved else None


def _told(weighing: Weighing, moved: MovedInput, names: list[str]) -> Assumption:
    deal = weighing.definition
    marks = {name: tuple(f"{STATE_MARKS[one]} {one}" for one in states) for name, states in moved.states.items()}
    nothing = ("",) * moved.places.size
    return Assumption(
        deal.label(moved.input),
        tuple(_place(deal, moved, k) for k in range(moved.places.size)),
        moved.base,
        tuple((word.upper(), VERDICT_TONES[word]) for word in moved.verdicts),
        tuple(tuple(_figure(deal, name, value) for value in moved.figures[name].tolist()) for name in names),
        tuple(marks.get(name, nothing) for name in names),
    )


def _place(deal: Definition, moved: MovedInput, k: int) -> str:
    item, value = deal.inputs[moved.input], float(moved.places[k])
    if item.is_series:
        return f"× {value:.2f}".replace(".", deal.style.mark)
    return show_value(deal, item, value)


def _figure(deal: Definition, name: str, value: float) -> str:
    return show_figure(deal, name, value if isfinite(value) else None, unit=False)

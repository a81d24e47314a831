"""The tree of a name as a table, and as a derivation that stands among others."""

from __future__ import annotations

from collections.abc import Mapping

from pennyweight.analysis.explaining.why import Reason, why
from pennyweight.analysis.weighing.weighing import Weighing
from pennyweight.documents import Table
from pennyweight.documents.derivation import Derivation
from pennyweight.pages.explaining.why import tree_table

__all__ = ["derivation_of", "tree"]


def tree(weighings: Mapping[str, Weighing], name: str, period: int | None, depth: int) -> Table:
    """The tree of one name, as `why` shows it."""
    return tree_table(why(weighings, name, period, depth))


def derivation_of(reason: Reason) -> Derivation:
    """A reason of one case as a derivation."""
    formula, filled = reason.formula or "given", "" if reason.told or reason.filled == reason.formula else reason.filled
    if reason.told:
        formula = f"{formula} (told above)"
    below: dict[str, Derivation] = {}
    for one in reason.below:  # an input and a line may be called the same
        label = one.label if one.label not in below else f"{one.label} ({one.name})"
        below[label] = derivation_of(one)
    return Derivation(reason.shown[0], formula, filled, below)

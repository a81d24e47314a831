"""The tree of a name as a table, and as a derivation that stands among others."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from itertools import count

from pennyweight.analysis.explaining.reason import Reason
from pennyweight.analysis.explaining.why import why
from pennyweight.analysis.weighing.weighing import Weighing
from pennyweight.documents import Table
from pennyweight.documents.derivation import Derivation
from pennyweight.pages.explaining.why import how_of, tree_table

__all__ = ["derivation_of", "tree"]


def tree(weighings: Mapping[str, Weighing], name: str, period: int | None, depth: int) -> Table:
    """The tree of one name, as `why` shows it."""
    return tree_table(why(weighings, name, period, depth))


def derivation_of(reason: Reason) -> Derivation:
    """A reason of one case as a derivation."""
    formula, filled = how_of(reason)
    below: dict[str, Derivation] = {}
    for one in reason.below:  # an input and a line may be called the same
        when = "" if one.period is None else f", {one.when}"
        label = next(text for text in _labels(one, when) if text not in below)
        below[label] = derivation_of(one)
    return Derivation(reason.shown[0], formula, filled, below)


def _labels(reason: Reason, when: str) -> Iterator[str]:
    """What it may be called, the shortest first."""
    yield reason.label
    yield f"{reason.label} ({reason.name})"
    yield f"{reason.label} ({reason.name}){when}"
    yield from (f"{reason.label} ({reason.name}){when}, {k}" for k in count(2))

"""Windows of functions over time that reach beyond the timeline: they are cut to it, and that is told."""

from __future__ import annotations

from collections.abc import Iterator, Mapping

import numpy as np

from pennyweight.analysis.weighing.told import Remark
from pennyweight.array_kinds import Floats
from pennyweight.deals.definition import Definition
from pennyweight.deals.language.functions import FUNCTIONS
from pennyweight.deals.language.nodes import Call, Node, names_in, show, walk
from pennyweight.deals.undefined import value_of
from pennyweight.deals.whole_deal_checks import all_nodes

__all__ = ["windows_outside_of"]


def windows_outside_of(deal: Definition, values: Mapping[str, Floats]) -> Iterator[tuple[bool, str]]:
    """A sentence for each window that is one for all periods and that the timeline cuts.

    A window that runs with time is undefined where it reaches beyond the end, and says so by itself.
    """
    told: set[Node] = set()
    for group in (deal.values, deal.lines, deal.levels, deal.measures, deal.goals, deal.questions, deal.own_checks):
        for name, item in group.items():
            if getattr(item, "each", ""):
                continue  # its window may be another one for each thing
            for call in (part for node in all_nodes({name: item}) for part in walk(node) if isinstance(part, Call)):
                said = "" if call in told else _cut(deal, values, call)
                if said:
                    told.add(call)
                    yield True, Remark(f"{deal.label(name)}: {said}")


def _cut(deal: Definition, values: Mapping[str, Floats], call: Call) -> str:
    """What is to be said of one call, if anything."""
    parameters = [parameter.name for parameter in FUNCTIONS[call.function].parameters]
    if "last" not in parameters:
        return ""
    given = {key or parameters[k]: node for k, (key, node) in enumerate(call.arguments)}
    first, last = (_number(deal, values, given.get(one)) for one in ("first", "last"))
    end = deal.timeline.periods
    if first is not None and first < 0:
        return f"{show(call)} begins in period {first:g}; the timeline begins in period 0, and so does its window."
    if last is not None and last > end:
        return f"{show(call)} ends in period {last:g}; the timeline ends in period {end}, and so does its window."
    return ""


def _number(deal: Definition, values: Mapping[str, Floats], node: Node | None) -> float | None:
    """One finite number; None of nothing, of what runs over time or things, and of what is undefined or never."""
    if node is None or names_in(node) & deal.each.keys():
        return None
    value = value_of(deal, values, node)
    return float(value[0]) if value.ndim == 1 and np.isfinite(value[0]) else None

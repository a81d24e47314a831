"""Windows that run with time, as they stand in one period."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from pennyweight.array_kinds import Floats
from pennyweight.deals.definition import Definition
from pennyweight.deals.language.functions import FUNCTIONS
from pennyweight.deals.language.names import bind, runs_with_time
from pennyweight.deals.language.nodes import Call, Node, Number, rebuilt
from pennyweight.deals.undefined import value_of

__all__ = ["standing_in"]


def standing_in(deal: Definition, case: Mapping[str, Floats], node: Node, period: int) -> Node:
    """The formula with the periods in place of each window that runs with time: total(x, t - 11, t) is total(x, 1, 12).

    A window that begins before the function may is cut, as it is worked out; one that ends beyond the timeline stays.
    """

    def fixed(part: Node) -> Node:
        if not isinstance(part, Call) or part.function not in FUNCTIONS or not runs_with_time(part):
            return part
        parameters = FUNCTIONS[part.function].parameters
        slots = zip(parameters, bind(part, ""), strict=False)
        least = 0 if part.function == "total" else 1
        arguments: list[tuple[str | None, Node]] = []
        gap = False
        for parameter, slot in slots:
            if slot is None:
                gap = True
                continue
            if parameter.kind == "window":
                place = np.round(value_of(deal, case, slot).reshape(-1))
                found = float(place[period if place.size > 1 else 0])
                found = max(found, least) if parameter.name == "first" else found
                slot = Number(found, f"{found:g}")
            arguments.append((parameter.name if gap else None, slot))
        return Call(part.function, tuple(arguments))

    return rebuilt(node, fixed)

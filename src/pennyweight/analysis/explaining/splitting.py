"""What a formula over time is a sum of: its lines, through sums, differences and the names of these."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from pennyweight.array_kinds import Floats
from pennyweight.deals.definition import Definition
from pennyweight.deals.language.nodes import Binary, Call, Choose, Name, Node, Number, Sum, Unary
from pennyweight.deals.undefined import formula_of, value_of

__all__ = ["over_periods", "split"]


def split(deal: Definition, worked_out: Mapping[str, Floats], node: Node) -> dict[Node, Floats]:
    """The terms of a formula, each with its amounts over the periods (rows,), which add up to the formula's own.

    Sums, differences and choices are split, and names as far as these are such; a line of money in or out, a part of a
    loan and whatever else is worked out (a product, a `max`) is a term. What is undefined is one term.
    """
    whole = over_periods(deal, value_of(deal, worked_out, node))
    if not np.isfinite(whole).all():
        return {node: whole}
    found: dict[Node, Floats] = {}
    _gather(deal, worked_out, node, np.ones(whole.shape), frozenset(), found)
    terms = {term: amounts for term, amounts in found.items() if term != Number(0.0, "0")}
    total = sum(terms.values(), np.zeros(whole.shape))
    size = sum((np.abs(one) for one in terms.values()), np.abs(whole))
    return terms if terms and bool((np.abs(total - whole) <= 1e-9 * size).all()) else {node: whole}


def over_periods(deal: Definition, value: Floats) -> Floats:
    """A value of one case as a row over the periods; what is one figure is the same in all."""
    return np.array(np.broadcast_to(value.reshape(-1), (deal.timeline.rows,)))


def _gather(
    deal: Definition,
    worked_out: Mapping[str, Floats],
    node: Node,
    share: Floats,
    through: frozenset[str],
    found: dict[Node, Floats],
) -> None:
    """Add the terms of a formula, each times `share`: 1, -1 where it is taken off, 0 where it does not count."""

    def value(part: Node) -> Floats:
        return over_periods(deal, value_of(deal, worked_out, part))

    def gather(part: Node, times: Floats, name: str = "") -> None:
        _gather(deal, worked_out, part, times, through | {name} if name else through, found)

    match node:
        case Sum():
            for part in node.parts:
                gather(part, share)
            return
        case Binary(operator="+" | "-" as operator):
            gather(node.left, share)
            gather(node.right, share if operator == "+" else -share)
            return
        case Unary(operator="-"):
            gather(node.operand, -share)
            return
        case Choose():
            holds = value(node.condition)
            if not np.isnan(holds).any():
                gather(node.yes, share * (holds == 1))
                gather(node.no, share * (holds != 1))
                return
        case Call(function="sum_of", arguments=((None, Name(name)),)) if deal.together(name) == "sum":
            gather(Name(name), share)
            return
        case Name(name) if name not in through:
            inner = _sum_behind(deal, name)
            if inner is not None:
                own, made = value(node), value(inner)
                runs = np.isclose(own, made, rtol=1e-12, atol=1e-12)
                if bool((runs | (own == 0)).all()):  # it does not run in the others; else it is `set` there
                    gather(inner, share * runs, name)
                    return
    amounts = np.where(share == 0, 0.0, share * value(node))
    found[node] = found[node] + amounts if node in found else amounts


def _sum_behind(deal: Definition, name: str) -> Node | None:
    """The formula of a name that is a sum and no line of its own among money in and out; else None."""
    own = deal.own(name)
    line = deal.lines.get(name if own is None else own[2])
    if name in deal.levels or (line is not None and line.role != "other"):
        return None
    node = formula_of(deal, name)
    if isinstance(node, Name | Sum | Choose) or (isinstance(node, Binary) and node.operator in ("+", "-")):
        return node
    return node if isinstance(node, Unary) and node.operator == "-" else None

"""The parts of a deal's loan in one period, each out of the others: with numbers where these come to it."""

from __future__ import annotations

from collections.abc import Mapping

from pennyweight.array_kinds import Floats
from pennyweight.deals.definition import Definition
from pennyweight.deals.language.set_functions import for_thing
from pennyweight.deals.undefined import value_of
from pennyweight.documents.derivation import bracketed

__all__ = ["loan_numbers"]


_WAYS = {
    "payment": (("interest", "+"), ("principal", "+"), ("extra", "-")),
    "principal": (("payment", "+"), ("interest", "-"), ("extra", "+")),
    "balance": (("owed before", "+"), ("drawn", "+"), ("principal", "-")),
    "flow": (("drawn", "+"), ("payment", "-"), ("extra", "-")),
}
"""Each part as a sum of others; what is nothing in the period is left out."""


def loan_numbers(deal: Definition, worked_out: Mapping[str, Floats], name: str, period: int) -> str:
    """How a part of a loan, "bank.balance", comes about in a period; empty where it is no sum of the others.

    Interest is told where the periods of the deal are those of the loan; else several payments lie in one.
    """
    loan, _, part = name.rpartition(".")
    own = deal.own(name)

    def at(other: str, when: int = period) -> float:
        return float(worked_out[f"{loan}.{other}"][when, 0]) if when >= 0 else 0.0

    def shown(value: float) -> str:
        return bracketed(deal.style.show(value, "money"))

    value, before = at(part), at("balance", period - 1)
    near = 1e-9 * max(abs(value), before, 1.0)
    if part == "interest":
        node = deal.loans[loan.rpartition(".")[2]].terms["rate"]
        node = node if own is None else for_thing(node, deal.each, own[0].name, own[1])
        yearly = value_of(deal, worked_out, node).reshape(-1)[0]
        often = deal.timeline.per_year
        if abs(before * yearly / often - value) > near:
            return ""
        rate = deal.style.show(float(yearly), "rate", places=4)
        return f"owed before * rate / {often} = {shown(before)} * {rate} / {often}"
    terms = [(word, sign, before if word == "owed before" else at(word)) for word, sign in _WAYS.get(part, ())]
    terms = [one for one in terms if one[2] or one[0] == terms[0][0]]
    if not terms or abs(sum(number if sign == "+" else -number for _, sign, number in terms) - value) > near:
        return ""
    words = "".join(f" {sign} {word}" for word, sign, _ in terms).removeprefix(" + ")
    numbers = "".join(f" {sign} {shown(number)}" for _, sign, number in terms).removeprefix(" + ")
    return f"{words} = {numbers}"

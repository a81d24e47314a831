"""Where a figure comes from: its formula, the numbers in it, and each name in it the same way, down to the inputs."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from functools import cached_property
from typing import TYPE_CHECKING, Any

import numpy as np

from pennyweight.analysis.explaining.filling import Filling, outermost, summands
from pennyweight.analysis.explaining.function_calls import called_with
from pennyweight.analysis.explaining.loan_parts import loan_numbers
from pennyweight.analysis.explaining.over_time import OverTime, looks_over_time
from pennyweight.analysis.explaining.reason import Reason
from pennyweight.analysis.explaining.running_windows import standing_in
from pennyweight.deals.definition import Definition
from pennyweight.deals.language.functions import FUNCTIONS
from pennyweight.deals.language.names import bind
from pennyweight.deals.language.nodes import (
    Call,
    Compare,
    Logic,
    Name,
    Node,
    Number,
    Sum,
    children,
    names_in,
    show,
)
from pennyweight.deals.language.set_functions import set_of
from pennyweight.deals.parts import COUNTED, DealLoan, Level, Line, PythonFunction
from pennyweight.deals.undefined import formula_of, value_of, why_undefined
from pennyweight.deals.worked_out import of_each
from pennyweight.documents.derivation import bracketed
from pennyweight.documents.shown import Shown
from pennyweight.errors import InputError, nearest

if TYPE_CHECKING:
    import pandas as pd

    from pennyweight.analysis.weighing.weighing import Weighing

__all__ = ["Reason", "Why", "why"]


_DEEPEST = 40
_MOST_THINGS = 7


@dataclass(frozen=True, eq=False, repr=False)
class Why(Shown):
    """Where a figure comes from, in one case or in two beside each other.

    Examples
    --------
    >>> from pennyweight import Deal
    >>> deal = Deal.starter("taxi")
    >>> print(deal.why("resale_value"))  # doctest: +ELLIPSIS
    Electric water-taxi for the quay
    ...
    Resale after twelve years = EUR 84,000.00
    ...
    """

    title: str
    scenarios: tuple[str, ...]
    reason: Reason
    depth: int

    def __repr__(self) -> str:
        return f"Why({self.reason.name!r}, {' and '.join(self.scenarios)})"

    @cached_property
    def rows(self) -> list[tuple[int, Reason]]:
        """Every reason with how deep it lies, from the top."""
        found: list[tuple[int, Reason]] = []

        def walk(reason: Reason, depth: int) -> None:
            found.append((depth, reason))
            for one in reason.below:
                walk(one, depth + 1)

        walk(self.reason, 0)
        return found

    @property
    def frame(self) -> pd.DataFrame:
        """One row a name: how deep, its period, its values, its formula, where it stands, its role, the sum so far."""
        import pandas as pd

        names = ["depth", "name", "period", *self.scenarios, "formula", "filled", "where", "role", "so_far"]
        rows = [
            (depth, one.name, one.period, *one.values, one.formula, one.filled, one.where, one.role, one.so_far)
            for depth, one in self.rows
        ]
        return pd.DataFrame(rows, columns=names).astype({"period": "Int64"})

    def as_dict(self) -> dict[str, Any]:
        """Plain values for JSON, as a tree.

        Returns
        -------
        dict[str, Any]
            Plain values for JSON, as a tree.
        """
        return {"format": 1, "deal": self.title, "scenarios": list(self.scenarios), "why": self._plain(self.reason)}

    def _plain(self, reason: Reason) -> dict[str, Any]:
        return {
            "name": reason.name,
            "label": reason.label,
            "values": dict(zip(self.scenarios, reason.values, strict=True)),
            "unit": reason.unit,
            "period": reason.period,
            "formula": reason.formula,
            "filled": reason.filled,
            "where": reason.where,
            **({"role": reason.role} if reason.role != "name" else {}),
            **({"so_far": reason.so_far} if reason.so_far else {}),
            **({"note": reason.note} if reason.note else {}),
            "below": [self._plain(one) for one in reason.below],
        }


def why(
    weighings: Mapping[str, Weighing], name: str, period: int | None, depth: int, *, by_period: bool = False
) -> Why:
    """Explain a name in one weighing, or in two of one deal; see `Deal.why`."""
    first = next(iter(weighings.values()))
    deal, program = first.definition, first.model.program
    known = [one for one in program.names if one[0] != "?"]
    own = deal.own(name)
    if name not in known and own is None:
        raise InputError(f"Nothing is named '{name}'{nearest(name, known) or '.'}", at="name")
    over_time = Filling(deal, [first]).runs(name)
    if period is not None and not over_time:
        raise InputError(f"{name} is a single figure; leave the period out.", at="period")
    teller = _Teller(deal, list(weighings.values()), min(depth, _DEEPEST), by_period)
    chosen = period
    if over_time and period is None:
        chosen = teller.most_different(name) if len(weighings) > 1 else deal.timeline.periods
    reason = teller.of(name, chosen, 0)
    if by_period and not teller.over_time.told_by_time:
        raise InputError(f"{name} is not told by year here, so 'period' changes nothing; leave it out.", at="by")
    return Why(deal.title, tuple(weighings), reason, depth)


class _Teller(Filling):
    def __init__(self, deal: Definition, weighings: list[Weighing], depth: int, by_period: bool) -> None:
        super().__init__(deal, weighings)
        self.depth = depth
        self.over_time = OverTime(deal, [one.worked_out for one in weighings], self.of, depth, by_period)
        self.told: set[tuple[str, int | None]] = set()

    def of(self, name: str, period: int | None, depth: int) -> Reason:
        """A name, and all below it."""
        deal = self.deal
        if deal.together(name):
            return self.of_things(name, period, depth)
        values = tuple(self.value(weighing, name, period) for weighing in self.weighings)
        shown = tuple(self.show(name, value) for value in values)
        item, node, text = self.source(name)
        where = getattr(item, "where", "")
        seen = (name, period) in self.told
        filled = ""
        below: tuple[Reason, ...] = ()
        if node is not None:
            filled = self.filled(node, period)
            if isinstance(item, PythonFunction):
                filled = called_with(deal, item, self.weighings[0].inputs)
            if isinstance(item, DealLoan):
                filled = loan_numbers(deal, self.weighings[0].worked_out, name, period or 0)
            idle = self.idle(item, node, name, period)
            if idle:
                text, filled = f"{text} ({idle})", ""
            if not idle and not seen and depth < self.depth:
                self.told.add((name, period))
                numbers, below = self.below(node, name, period, depth + 1)
                filled = numbers or filled
        return Reason(
            name,
            deal.label(name),
            values,
            shown,
            deal.unit(name),
            period,
            text,
            filled,
            str(where),
            below,
            seen and node is not None,
            note=self.remark(name, values) if depth == 0 else deal.note_on(name),
            when="" if period is None else deal.timeline.named(period),
        )

    def of_things(self, name: str, period: int | None, depth: int) -> Reason:
        """What all things of a set come to: the largest of them, the first with what it is worked out of."""
        deal, things = self.deal, self.deal.sets[self.deal.each[name]]
        values = tuple(self.value(weighing, name, period) for weighing in self.weighings)
        table = of_each(self.weighings[0].worked_out, name)
        row = table if table.ndim == 1 else table[period or 0]
        how, seen = deal.together(name), (name, period) in self.told
        below: list[Reason] = []
        if depth < self.depth and not seen:
            self.told.add((name, period))
            order = np.argsort(row if how == "lowest" else -row if how == "highest" else -np.abs(row), kind="stable")
            idle = int((row == 0).sum()) if how == "sum" and period is not None else 0
            order = order[: row.size - idle] if idle else order
            inner = name.removeprefix(f"{things.name}.")
            for k in order[:_MOST_THINGS].tolist():
                one = f"{things.name}.{things.things[k]}.{inner}"
                below.append(self.of(one, period, depth + 1 if not below else self.depth))
            left = order[_MOST_THINGS:]
            if left.size:
                rest = (float(row[left].sum()) if how == "sum" else None,) + (None,) * (len(self.weighings) - 1)
                shown = tuple("" if one is None else self.show(name, one) for one in rest)
                said = f"the other {left.size} of {things.label}"
                below.append(Reason("The others", "The others", rest, shown, deal.unit(name), None, said, "", "", ()))
            if idle:
                below.append(self.nothing(idle, name))
        return Reason(
            name,
            deal.label(name),
            values,
            tuple(self.show(name, value) for value in values),
            deal.unit(name),
            period,
            f"{how} of {things.size:,} {things.label}",
            "",
            "",
            tuple(below),
            seen,
            note=self.remark(name, values) if depth == 0 else deal.note_on(name),
            when="" if period is None else deal.timeline.named(period),
        )

    def remark(self, name: str, values: tuple[float | None, ...]) -> str:
        """What is to be said of the figure asked for: why it is undefined, and what the deal remarks on it."""
        deal, note = self.deal, self.deal.note_on(name)
        undefined = [one for one, value in zip(self.weighings, values, strict=True) if value is None]
        if not undefined or name in deal.questions or self.runs(name):
            return note
        why = f"undefined, because {why_undefined(deal, undefined[0].worked_out, name)}"
        return f"{why}. {note}" if note else why

    def idle(self, item: Any, node: Node, name: str, period: int | None) -> str:
        """What stands in the place of a formula in this period: nothing outside a run, a start, a `set`; else empty."""
        if period is None or not isinstance(item, Line | Level):
            return ""
        worked_out = self.weighings[0].worked_out
        inner = value_of(self.deal, worked_out, node)
        given = float(inner[period, 0] if inner.ndim == 2 else inner[0])
        value = float(worked_out[name][period, 0])
        if given == value or (np.isnan(given) and np.isnan(value)):
            return ""
        if isinstance(item, Level) and period == 0 and item.start is not None:
            return f"starts at {show(item.start)}"
        return "does not run in this period" if value == 0 else "set for this period"

    def source(self, name: str) -> tuple[Any, Node | None, str]:
        """(what was declared, its formula, the same as it was typed)."""
        deal = self.deal
        if deal.function is not None and name in deal.function.outputs:
            return deal.function, Sum(tuple(map(Name, deal.function.inputs))), deal.function.called
        if (own := deal.own(name)) is not None:
            item, node, text = self.source(own[2])
            return item, None if node is None else deal.for_thing(node, own[0].name, own[1]), text
        if name in deal.values and name in self.weighings[0].case:
            return deal.values[name], None, f"given, instead of {deal.values[name].text}"
        for table in (deal.measures, deal.values, deal.lines, deal.levels, deal.each_figures):
            if name in table:
                item = table[name]
                return item, item.node, item.text or show(item.node)
        if name in deal.solved and name not in self.weighings[0].case:
            question = deal.solved[name]
            which = f", the {question.pick}" if question.pick else ""
            return question, question.so_that, f"found so that {question.text}{which}"
        if name in deal.inputs:
            return deal.inputs[name], None, ""
        if name in deal.questions:
            question = deal.questions[name]
            aim = f"so that {question.text}" if question.aim == "true" else f"with the {question.aim} {question.text}"
            return question, question.so_that, f"the {question.find} {aim}"
        if (split := deal.split_parts.get(name)) is not None:
            node = formula_of(deal, name)
            how = "its tiers" if split.made_of(name) else f"split of {split.text}, tier by tier"
            return split, node, how
        loan, dot, part = name.partition(".")
        if dot and loan in deal.loans:
            terms = ", ".join(f"{key} {text}" for key, text in deal.loans[loan].texts.items())
            named = {other for node in deal.loans[loan].terms.values() for other in names_in(node)}
            read = Sum(tuple(Name(other) for other in sorted(named)))
            return deal.loans[loan], read, f"{part} of a loan: {terms}"
        if name == "pays_off" and deal.goals:
            met: list[Node] = []
            for goal in deal.goals.values():
                bound = goal.at_least if goal.at_least is not None else goal.at_most
                if bound is not None:
                    met.append(Compare(">=" if goal.at_least is not None else "<=", Name(goal.measure), bound))
            return None, Logic("and", tuple(met)), "every goal is met"
        node = formula_of(deal, name)
        return None, node, "" if node is None else show(node)

    def below(self, node: Node, name: str, period: int | None, depth: int) -> tuple[str, tuple[Reason, ...]]:
        """(the numbers, where what is looked at over time has them; what stands below a formula).

        A call over time is told by its lines, its years and the period that matters; each other name by itself, the
        most different first.
        """
        numbers, found, typed = "", [], node
        if period is not None:
            node = standing_in(self.deal, self.weighings[0].worked_out, node, period)
        calls = outermost(node)
        for call in calls:
            if len(calls) == 1 and (
                call is node or node is typed
            ):  # what it comes to stands in the numbers of the formula
                own, told = self.over_time.told(call, depth, years=depth == 1)
                numbers = own if call is node else ""
                found += told
            else:
                found.append(self.call(call, depth))
        if isinstance(node, Call) and node.function == "running" and period:
            earlier, now = (self.value(self.weighings[0], name, k) for k in (period - 1, period))
            if earlier is not None and now is not None:
                unit = self.deal.unit(name)
                numbers = (
                    f"{self.deal.style.show(earlier, unit)} + {bracketed(self.deal.style.show(now - earlier, unit))}"
                )
        names = [one for one in dict.fromkeys(self.parts(node, period)) if one != (name, period)]
        if len(self.weighings) > 1:
            names.sort(key=lambda one: -self.gap(*one))
        terms = {term.name for _, term in summands(node) if isinstance(term, Name)} if period is not None else set()
        idle = [one for one in names if one[0] in terms and not any(self.value(w, *one) != 0 for w in self.weighings)]
        found += [self.of(other, at, depth) for other, at in names if (other, at) not in idle]
        if idle:
            found.append(self.nothing(len(idle), name))
        return numbers, tuple(found)

    def nothing(self, count: int, name: str) -> Reason:
        """How many terms of a sum are nothing in the period that is looked at."""
        unit, zeros = self.deal.unit(name), (0.0,) * len(self.weighings)
        shown = tuple(self.deal.style.with_unit(zero, unit) for zero in zeros)
        said = f"{count} {'is' if count == 1 else 'are'} nothing here"
        return Reason("The others", "The others", zeros, shown, unit, None, said, "", "", (), role="side")

    def call(self, call: Call, depth: int) -> Reason:
        """A call over time that stands in a longer formula."""
        values = tuple(float(value_of(self.deal, one.worked_out, call)[0]) for one in self.weighings)
        known = tuple(value if np.isfinite(value) else None for value in values)
        unit = self.deal.names.unit(call)
        shown = tuple("undefined" if one is None else self.deal.style.with_unit(one, unit) for one in known)
        asked = self.over_time.by_period  # else several calls would each bring their years
        numbers, told = self.over_time.told(call, depth + 1, years=asked) if depth < self.depth else ("", [])
        text = show(call)
        return Reason(text, text, known, shown, unit, None, text, numbers, "", tuple(told), role="side")

    def parts(self, node: Node, period: int | None) -> list[tuple[str, int | None]]:
        """The names in a formula, each with the period it is looked at in; calls over time tell theirs themselves."""
        if isinstance(node, Name):
            if not self.is_named(node.name) or node.name in ("t", "year", "end", "per_year", COUNTED):
                return []
            if not self.runs(node.name):
                return [(node.name, None)]
            return [] if period is None else [(node.name, period)]
        if isinstance(node, Call) and node.function == "one_of":
            (_, asked), (_, named_one) = node.arguments
            things = self.deal.sets[set_of(asked, self.deal.each, "")]
            assert isinstance(named_one, Number)
            return self.parts(self.deal.for_thing(asked, things.name, things.things[round(named_one.value)]), period)
        if isinstance(node, Call) and FUNCTIONS[node.function].over_time:
            slots = zip(FUNCTIONS[node.function].parameters, bind(node, ""), strict=False)
            named = {parameter.name: (parameter.kind, slot) for parameter, slot in slots if slot is not None}
            at = period
            if node.function == "prior" and period is not None:
                if period == 0:
                    return []
                at = period - 1
            if node.function == "at":
                when = value_of(self.deal, self.weighings[0].worked_out, named["period"][1]).reshape(-1)
                place = float(when[(period or 0) if when.size > 1 else 0])
                at = round(place) if 0 <= place <= self.deal.timeline.periods else None
            alone = looks_over_time(node)
            found: list[tuple[str, int | None]] = []
            for kind, slot in named.values():
                if kind in ("line", "name"):
                    found += [] if alone else self.parts(slot, at)
                else:
                    found += self.parts(slot, period)
            return found
        return [one for child in children(node) for one in self.parts(child, period)]

    def gap(self, name: str, period: int | None) -> float:
        """How far the two cases lie apart, as a part of the first."""
        a, b = (self.value(weighing, name, period) for weighing in self.weighings[:2])
        if a is None or b is None:
            return 0.0 if a is b else float("inf")
        return abs(b - a) / max(abs(a), 1e-12)

    def most_different(self, name: str) -> int:
        """The period in which the two cases lie furthest apart."""
        a, b = (weighing.worked_out[name][:, 0] for weighing in self.weighings[:2])
        gap = np.abs(np.nan_to_num(b - a))
        return int(np.argmax(gap)) if gap.any() else self.deal.timeline.periods

"""Where a figure comes from: its formula, the numbers in it, and each name in it the same way, down to the inputs."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from functools import cached_property
from typing import TYPE_CHECKING, Any

import numpy as np

from pennyweight.analysis.explaining.loan_parts import loan_numbers
from pennyweight.analysis.showing import show_base, show_figure, show_value
from pennyweight.deals.definition import Definition
from pennyweight.deals.language.functions import FUNCTIONS
from pennyweight.deals.language.names import bind
from pennyweight.deals.language.nodes import Call, Compare, Logic, Name, Node, Sum, names_in, renamed, show, walk
from pennyweight.deals.parts import DealLoan, Level, Line
from pennyweight.deals.undefined import formula_of, value_of
from pennyweight.described import Described
from pennyweight.documents.shown import Shown
from pennyweight.errors import InputError, nearest

if TYPE_CHECKING:
    import pandas as pd

    from pennyweight.analysis.weighing.weighing import Weighing

__all__ = ["Reason", "Why", "why"]


_DEEPEST = 40


@dataclass(frozen=True, slots=True, repr=False)
class Reason(Described):
    """A name with its value, and what it is worked out of.

    `values` are the figure in each case asked for (one, or two set against each other), None where undefined. `period`
    is the period it is looked at in; None for a single figure. `formula` is as it was typed, `filled` the same with the
    numbers in; both are empty for an input. `where` is the file and line. `below` are the names in the formula; `told`
    says that they were told further up.

    >>> from pennyweight import Deal
    >>> reason = Deal.starter("taxi").why("resale_value").reason
    >>> reason.formula, reason.filled, [one.name for one in reason.below]
    ('0.2 * hull', '0.2 * 420,000', ['hull'])
    """

    name: str
    label: str
    values: tuple[float | None, ...]
    shown: tuple[str, ...]
    unit: str
    period: int | None
    formula: str
    filled: str
    where: str
    below: tuple[Reason, ...]
    told: bool = False
    note: str = ""
    """What the deal remarks on it."""


@dataclass(frozen=True, eq=False, repr=False)
class Why(Shown):
    """Where a figure comes from, in one case or in two beside each other.

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
        """One row a name: how deep, its values, its formula, where it stands."""
        import pandas as pd

        return pd.DataFrame(
            [
                (depth, one.name, one.period, *one.values, one.formula, one.filled, one.where)
                for depth, one in self.rows
            ],
            columns=["depth", "name", "period", *self.scenarios, "formula", "filled", "where"],
        )

    def as_dict(self) -> dict[str, Any]:
        """Plain values for JSON, as a tree."""
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
            **({"note": reason.note} if reason.note else {}),
            "below": [self._plain(one) for one in reason.below],
        }


def why(weighings: Mapping[str, Weighing], name: str, period: int | None, depth: int) -> Why:
    """Explain a name in one weighing, or in two of one deal; see `Deal.why`."""
    first = next(iter(weighings.values()))
    deal, program = first.definition, first.model.program
    known = [one for one in program.names if one[0] != "?"]
    if name not in known:
        raise InputError(f"Nothing is named '{name}'{nearest(name, known) or '.'}", at="name")
    over_time = program.over_time[program.names[name]]
    if period is not None and not over_time:
        raise InputError(f"{name} is a single figure; leave the period out.", at="period")
    teller = _Teller(deal, list(weighings.values()), depth)
    chosen = period
    if over_time and period is None:
        chosen = teller.most_different(name) if len(weighings) > 1 else deal.timeline.periods
    return Why(deal.title, tuple(weighings), teller.of(name, chosen, 0), depth)


class _Teller:
    def __init__(self, deal: Definition, weighings: list[Weighing], depth: int) -> None:
        self.deal, self.weighings, self.depth = deal, weighings, depth
        self.told: set[tuple[str, int | None]] = set()
        self.program = weighings[0].model.program

    def of(self, name: str, period: int | None, depth: int) -> Reason:
        """A name, and all below it."""
        deal = self.deal
        values = tuple(self.value(weighing, name, period) for weighing in self.weighings)
        shown = tuple(self.show(name, value) for value in values)
        item, node, text = self.source(name)
        where = getattr(item, "where", "")
        seen = (name, period) in self.told
        filled = ""
        below: tuple[Reason, ...] = ()
        if node is not None:
            filled = self.filled(node, period)
            if isinstance(item, DealLoan):
                filled = loan_numbers(deal, self.weighings[0].worked_out, name, period or 0)
            idle = self.idle(item, node, name, period)
            if idle:
                text, filled = f"{text} ({idle})", ""
            if not idle and not seen and depth < min(self.depth, _DEEPEST):
                self.told.add((name, period))
                below = tuple(self.of(other, at, depth + 1) for other, at in self.parts(node, name, period))
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
            deal.note_on(name),
        )

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

    def value(self, weighing: Weighing, name: str, period: int | None) -> float | None:
        """The value of a name; of a question its one answer."""
        if name in self.deal.questions:
            answers = weighing.answers[name].answers
            return answers[0].value if len(answers) == 1 else None
        table = weighing.worked_out.get(name)
        if table is None:
            return None
        number = float(table[0]) if table.ndim == 1 else float(table[period or 0, 0])
        return number if np.isfinite(number) else None

    def show(self, name: str, value: float | None) -> str:
        """The value as a page shows it."""
        item = self.deal.inputs.get(name)
        if value is None:
            return "undefined"
        if item is not None and not item.is_series:
            return show_base(self.deal, item, value, unit=True)
        if name == "pays_off":
            return "yes" if value else "no"
        return self.answered(name, value, unit=True)

    def source(self, name: str) -> tuple[Any, Node | None, str]:
        """(what was declared, its formula, the same as it was typed)."""
        deal = self.deal
        for table in (deal.measures, deal.values, deal.lines, deal.levels):
            if name in table:
                item = table[name]
                return item, item.node, item.text or show(item.node)
        if name in deal.inputs:
            return deal.inputs[name], None, ""
        if name in deal.questions:
            question = deal.questions[name]
            aim = f"so that {question.text}" if question.aim == "true" else f"with the {question.aim} {question.text}"
            return question, question.so_that, f"the {question.find} {aim}"
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

    def parts(self, node: Node, name: str, period: int | None) -> list[tuple[str, int | None]]:
        """The names in a formula, each with the period it is looked at in, the most different first."""
        before = {other for call in _calls(node, "prior") for other in names_in(call)}
        found = []
        for other in dict.fromkeys(_in_order(node)):
            if other not in self.program.names:
                continue
            if not self.program.over_time[self.program.names[other]]:
                at: int | None = None
            elif period is None:  # a function over time looks at all of it
                at = self.most_different(other) if len(self.weighings) > 1 else self.looked_at(node, other)
            else:
                at = max(period - 1, 0) if other in before else period
            if other == name and at == period:
                continue
            if other in ("t", "year", "end", "per_year"):
                continue
            found.append((other, at))
        if len(self.weighings) > 1:
            found.sort(key=lambda one: -self.gap(*one))
        return found

    def looked_at(self, node: Node, name: str) -> int:
        """The period of a line that a function over time is told by: its lowest or highest, the last it looks at."""
        end, worked_out = self.deal.timeline.periods, self.weighings[0].worked_out
        for call in [part for part in walk(node) if isinstance(part, Call) and name in names_in(part)]:
            slots = bind(call, "")
            given = dict(zip((one.name for one in FUNCTIONS[call.function].parameters), slots, strict=False))
            found: dict[str, int] = {}
            for key, scale in (("first", 1), ("last", 1), ("years", self.deal.timeline.per_year), ("period", 1)):
                slot = given.get(key)
                if slot is not None:
                    number = value_of(self.deal, worked_out, slot).reshape(-1)[0] * scale
                    if np.isfinite(number) and 0 <= number <= end:
                        found[key] = round(float(number))
            first, last = found.get("first", 1), found.get("last", found.get("years", found.get("period", end)))
            if call.function in ("lowest", "highest") and first <= last:
                line = worked_out[name][first : last + 1, 0]
                pick = np.argmin if call.function == "lowest" else np.argmax
                return first + int(pick(np.nan_to_num(line)))
            return last
        return end

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

    def filled(self, node: Node, period: int | None) -> str:
        """The formula with the numbers of the first case in; names of things looked at over time stay."""
        weighing = self.weighings[0]
        over = {other for call in _over_time(node) for other in names_in(call)}
        names = {}
        for other in names_in(node):
            if other in over or other not in self.program.names:
                continue
            table = self.program.over_time[self.program.names[other]]
            value = self.value(weighing, other, period if table else None)
            if table and period is None:
                continue
            names[other] = "undefined" if value is None else self.bare(other, value)
        return show(renamed(node, names)).replace("?", "")

    def bare(self, name: str, value: float) -> str:
        """A value without its unit."""
        item = self.deal.inputs.get(name)
        if item is not None and not item.is_series:
            return show_base(self.deal, item, value)
        return self.answered(name, value, unit=False)

    def answered(self, name: str, value: float, *, unit: bool) -> str:
        """A figure; an answer is rounded to the side on which it holds, as on the page of the deal."""
        item = self.deal.varied(name) if name in self.deal.questions else None
        if item is not None:
            for answer in (one for weighing in self.weighings for one in weighing.answers[name].answers):
                if answer.value == value:
                    return show_value(self.deal, item, value, answer.kind, unit=unit)
        return show_figure(self.deal, name, value, unit=unit)


def _calls(node: Node, function: str) -> list[Call]:
    return [part for part in walk(node) if isinstance(part, Call) and part.function == function]


def _over_time(node: Node) -> list[Node]:
    """The arguments of a formula that are looked at over time."""
    found: list[Node] = []
    for part in walk(node):
        if isinstance(part, Call) and part.function in FUNCTIONS:
            for parameter, (_, argument) in zip(FUNCTIONS[part.function].parameters, part.arguments, strict=False):
                if parameter.kind in ("line", "name"):
                    found.append(argument)
    return found


def _in_order(node: Node) -> list[str]:
    return [part.name for part in walk(node) if isinstance(part, Name)]

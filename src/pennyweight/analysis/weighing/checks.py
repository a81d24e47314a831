"""What a weighing checks of itself and of the deal, each a sentence that passed or did not."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass
from typing import TypeAlias

import numpy as np

from pennyweight.analysis.cases import Model
from pennyweight.analysis.weighing.money_outside import outside_of
from pennyweight.analysis.weighing.told import Remark
from pennyweight.analysis.weighing.windows_outside import windows_outside_of
from pennyweight.array_kinds import Floats
from pennyweight.core import flows
from pennyweight.deals.compiler.program import aside_names, check_name, each_name
from pennyweight.deals.definition import Definition
from pennyweight.deals.inputs import Inputs, as_used
from pennyweight.deals.language.functions import FUNCTIONS
from pennyweight.deals.language.names import bind
from pennyweight.deals.language.nodes import Binary, Call, Name, Node, Number, children, names_in
from pennyweight.deals.parts import COUNTED, Goal, Input, Line
from pennyweight.deals.undefined import value_of

__all__ = ["CHECKS", "Case", "Check", "checks_of", "numbers_inside"]

Told: TypeAlias = tuple[bool, str]


class Check(tuple[bool, str]):
    """Whether it holds and the sentence that says so; `code` tells for programs which check it is.

    >>> check = Check(True, "Every balance ends at zero.", "loans")
    >>> passed, sentence = check
    >>> passed, check.code
    (True, 'loans')
    """

    code: str

    @property
    def remark(self) -> bool:
        """Whether it tells something and tests nothing."""
        return isinstance(self[1], Remark)

    def __new__(cls, passed: bool, sentence: str, code: str) -> Check:
        """Put the two in a pair."""
        made = super().__new__(cls, (passed, sentence))
        made.code = code
        return made

    def __getnewargs__(self) -> tuple[bool, str, str]:
        """What a copy is made of."""
        return (*self, self.code)


@dataclass(frozen=True, slots=True)
class Case:
    """What a check looks at: the deal, its inputs in one case, and every name worked out for it."""

    model: Model
    inputs: Inputs
    values: Mapping[str, Floats]
    scenario: str = "base"

    @property
    def deal(self) -> Definition:
        """The deal as it was read."""
        return self.model.definition


def checks_of(model: Model, inputs: Inputs, values: Mapping[str, Floats], scenario: str = "base") -> tuple[Check, ...]:
    """All checks of one case, in the order of `CHECKS`."""
    case = Case(model, inputs, values, scenario)
    return tuple(Check(*told, look.__name__.removeprefix("_")) for look in CHECKS for told in look(case))


def numbers_inside(deal: Definition) -> list[str]:
    """Numbers inside formulas and loans, which nothing varies: "0.2 in resale_value"; the months of a year are none."""
    found: list[str] = []
    for loan in deal.loans.values():
        formulas = {term: node for term, node in loan.terms.items() if term != "paid_out"} | (
            {} if loan.extra is None else {"extra": loan.extra}
        )
        plain = [deal.inputs[f"{loan.name}.{term}"] for term in loan.terms if f"{loan.name}.{term}" in deal.inputs]
        found += [f"{item.given} in {item.name}" for item in plain if item.low is None and item.high is None]
        for term, node in formulas.items():
            found += [f"{number.text} in {loan.name}.{term}" for number in _numbers(node)]
    for table in (deal.values, deal.each_values, deal.lines, deal.levels):
        for name, item in table.items():
            found += [f"{number.text} in {name}" for number in _numbers(item.node)]
    return list(dict.fromkeys(found))


def _numbers(node: Node) -> list[Number]:
    """The numbers in a formula that somebody has assumed: not those that count periods or turn units into others."""
    found = [node] if isinstance(node, Number) and _is_guess(node) else []
    return found + [number for part in children(node) if not _counts(node, part) for number in _numbers(part)]


def _is_guess(number: Number) -> bool:
    return number.value not in _NO_GUESS and not np.isnan(number.value) and not number.unit


_NO_GUESS = (0.0, 1.0, 12.0, 100.0, float("inf"))
_TIME = (Name("t"), Name("year"), Name("end"))


def _counts(node: Node, part: Node) -> bool:
    """Whether a part of a node says which period is meant: the 4 of `t - 4`, the 13 of `total(rents, 13, 24)`."""
    if isinstance(node, Binary) and node.operator in ("+", "-"):
        return isinstance(part, Number) and (node.left in _TIME or node.right in _TIME)
    if isinstance(node, Call) and isinstance(part, Number):
        slots = zip(FUNCTIONS[node.function].parameters, bind(node, ""), strict=False)
        return any(slot is part for parameter, slot in slots if parameter.kind in ("period", "window"))
    return False


def _adds_up(case: Case) -> Iterator[Told]:
    values = case.values
    money_in, money_out, net = (values[name][:, 0] for name in ("money_in", "money_out", "net"))
    size = np.nansum(np.abs(money_in)) + np.nansum(np.abs(money_out))
    loans = [values[f"{name}.flow"][:, 0] for name in case.deal.loans]
    size += sum(float(np.nansum(np.abs(flow))) for flow in loans)
    if not np.isfinite(size):
        yield False, "Money in or out is larger than can be worked out; whether it adds up to net was not checked."
        return
    gap = abs(np.nansum(money_in) - np.nansum(money_out) + sum(np.nansum(flow) for flow in loans) - np.nansum(net))
    more = ", with what loans bring and take," if loans else ""
    yield bool(gap <= 1e-9 * max(size, 1.0)), f"Money in less money out{more} adds up to net."


def _loans(case: Case) -> Iterator[Told]:
    """Does each loan add up, and is it paid off by the end?"""
    deal, values = case.deal, case.values
    for name in deal.loans:
        part = {key: values[f"{name}.{key}"][:, 0] for key in ("drawn", "principal", "extra", "balance")}
        if not np.isfinite(part["balance"]).all():
            continue
        drawn, left = float(part["drawn"].sum()), float(part["balance"][-1])
        gap = abs(drawn - float(part["principal"].sum() + part["extra"].sum()) - left)
        yield gap <= 1e-9 * max(drawn, 1.0), f"{deal.loans[name].label}: what is paid out is repaid or still owed."
        if left > 0.005:
            shown = deal.style.with_unit(left, "money")
            yield True, Remark(f"{deal.loans[name].label}: {shown} is still owed at the end of the timeline.")


def _vanishing(case: Case) -> Iterator[Told]:
    """Does the present value vanish at each IRR that is a measure?"""
    deal, values = case.deal, case.values
    for name, item in deal.measures.items():
        node = item.node
        if not (isinstance(node, Call) and node.function == "irr" and len(node.arguments) == 1):
            continue
        rate = float(values[name][0])
        if not np.isfinite(rate) or name.startswith("?"):
            continue
        line = value_of(deal, values, node.arguments[0][1])[:, 0]
        left = abs(float(flows.npv(line, rate, times=deal.timeline.years)))
        passed = bool(left <= 1e-9 * float(flows.npv(np.abs(line), rate, times=deal.timeline.years)))
        yield passed, f"The present value at {deal.label(name)} is zero to within {deal.style.within(left)}."


def _paybacks(case: Case) -> Iterator[Told]:
    """The first crossing, where it is not the payback itself."""
    deal, values = case.deal, case.values
    for name, item in deal.measures.items():
        node = item.node
        if not (isinstance(node, Call) and node.function == "payback" and not name.startswith("?")):
            continue
        slots = bind(node, "")
        line = value_of(deal, values, node.arguments[0][1])[:, 0]
        rate = None if slots[1] is None else float(value_of(deal, values, slots[1])[0])
        first = float(flows.payback(line, rate=rate, times=deal.timeline.years, first=True))
        last = float(values[name][0])
        if np.isfinite(first) and np.isfinite(last) and abs(first - last) > 1e-9:
            yield (
                True,
                Remark(
                    f"{deal.label(name)}: the running total first reaches zero after {first:.2f} years, is lost again, "
                    f"and stays above zero from {last:.2f} years on."
                ),
            )


def _outside(case: Case) -> Iterator[Told]:
    """Money that an input moves outside the timeline; runs and windows that its ends cut."""
    yield from outside_of(case.deal, case.values)
    yield from windows_outside_of(case.deal, case.values)


def _splits(case: Case) -> Iterator[Told]:
    """Does each split give what there is?"""
    for split in case.deal.splits.values():
        of = value_of(case.deal, case.values, split.of)
        given = sum(case.values[f"{split.name}.{party}"][:, 0] for party in split.paid_in)
        there = of[:, 0] if of.ndim == 2 else np.full(case.deal.timeline.rows, of[0])
        if (there < 0).any():
            k = int(np.flatnonzero(there < 0)[0])
            shown, when = case.deal.style.with_unit(float(there[k]), "money"), case.deal.timeline.named(k)
            yield False, f"{split.label}: {shown} in {when} cannot be split; write of = 'max(0, …)'."
            continue
        gap = float(np.nanmax(np.abs(given - there), initial=0.0))
        yield gap <= 1e-9 * max(float(np.nansum(there)), 1.0), f"{split.label}: what the parties get is what there is."


def _counted(case: Case) -> Iterator[Told]:
    """To which period the deal is counted, and what lies after it."""
    deal = case.deal
    if deal.counted_to is None:
        return
    last = round(float(case.values[COUNTED][0]))
    if last < deal.timeline.periods:
        yield (
            True,
            Remark(
                f"Money in and out, net and loans are counted to {deal.timeline.named(last)}; lines go on after it."
            ),
        )
    for name, line in deal.lines.items():
        if line.run.at is None or line.role == "other" or line.each:
            continue
        when = float(value_of(deal, case.values, line.run.at)[0])
        lost = float(case.values[name][round(when), 0]) if last < when <= deal.timeline.periods else 0.0
        if lost:
            amount = deal.style.with_unit(lost, "money")
            yield (
                False,
                f"{deal.label(name)}: {amount} fall in {deal.timeline.named(round(when))}, after the deal has ended.",
            )
    for loan in deal.loans.values():
        when = float(value_of(deal, case.values, loan.terms["paid_out"]).reshape(-1)[0])
        if last < when <= deal.timeline.periods and not loan.each:
            yield False, f"{loan.label} is paid out in {deal.timeline.named(round(when))}, after the deal has ended."


def _starts(case: Case) -> Iterator[Told]:
    """Amounts in period 0 that a level with a start of its own leaves out."""
    deal, values = case.deal, case.values
    for name, level in deal.levels.items():
        if level.start is None or (level.each and deal.sets[level.each].born):
            continue
        worth = value_of(deal, values, level.node)
        formula = float(worth[0, 0] if worth.ndim == 2 else worth[0])
        start = float(values[name][0, 0])
        if abs(formula - start) <= 1e-9 * max(abs(start), 1.0):  # its start says the same in other words
            continue
        for other in sorted((names_in(level.node) - names_in(level.start)) & deal.lines.keys()):
            if abs(float(values[other][0, 0])) > 0:
                yield (
                    False,
                    f"{deal.label(name)} starts at a value of its own and leaves out {deal.label(other)} of period 0.",
                )


def _ranges(case: Case) -> Iterator[Told]:
    """Does each input lie within its low and its high?"""
    deal, inputs = case.deal, case.inputs
    for name, item in deal.inputs.items():
        value = as_used(deal, inputs, name)
        style = deal.style
        if isinstance(value, np.ndarray):
            yield from _range_of_all(deal, item, value)
            continue
        if value is None:
            continue
        if item.low is not None and value < item.low:
            yield False, f"{item.label} lies below its low of {style.with_unit(item.low, item.unit)}."
        if item.high is not None and value > item.high:
            yield False, f"{item.label} lies above its high of {style.with_unit(item.high, item.unit)}."


def _range_of_all(deal: Definition, item: Input, value: Floats) -> Iterator[Told]:
    """The same for a series or a column, whose low and high are multiples of what the deal has."""
    if item.unit in ("date", "condition") or item.choices or np.shape(item.value) != value.shape:
        return
    for bound, word, beyond in ((item.low, "low", np.less), (item.high, "high", np.greater)):
        if bound is None:
            continue
        limit = bound * np.asarray(item.value)
        places = np.flatnonzero(beyond(value, limit) & (np.abs(value - limit) > 1e-9 * np.abs(limit)))
        if not places.size:
            continue
        first, had = int(places[0]), np.asarray(item.value)
        named = deal.sets[item.of].things[first] if item.of in deal.sets else deal.timeline.named(first)
        now, before = (deal.style.with_unit(float(one), item.unit) for one in (value[first], had[first]))
        side = "below" if word == "low" else "above"
        alike = " A multiple is written 'scale 0.95'." if value.size > 1 and np.ptp(value) == 0 else ""
        said = f"{item.label} lies {side} its {word} of {bound:g} times what the deal has: {named} has {now}, not"
        yield False, f"{said} {before}.{alike}"


def _set_aside(case: Case) -> Iterator[Told]:
    """Values that a number or a scale stands instead of."""
    deal = case.deal
    for name, item in deal.values.items():
        _, times, more = aside_names(name)
        shown = deal.style.with_unit(float(case.values[name][0]), deal.unit(name))
        if name in case.inputs:
            yield True, Remark(f"{item.label} is {shown}, as given; its formula {item.text} is set aside.")
        elif times in case.inputs or more in case.inputs:
            yield True, Remark(f"{item.label} is {shown}: its formula {item.text}, changed as the scenario says.")


def _solved(case: Case) -> Iterator[Told]:
    """Does the deal find a value for everything that it solves itself?"""
    for name, question in case.deal.solved.items():
        if name in case.inputs or np.isfinite(case.values[name][0]):
            continue
        found = case.model.solved(case.inputs)[name]
        rest = "" if not found.answers else f"there are several: {found.shown}; say with 'pick' which is meant"
        yield False, f"{question.label} is undefined, and all that hangs on it: {rest or found.reason}."


def _unreached(case: Case) -> Iterator[Told]:
    """Inputs and lines that no measure, goal or question reads, directly or through others."""
    deal, reads = case.deal, case.model.program.reads
    reached: set[str] = set()
    todo = [*deal.measures, *deal.each_measures]
    todo += [name for item in (*deal.goals.values(), *deal.sought.values()) for name in _named_by(item)]
    todo += [column.name for table in deal.tables.values() for column in table.columns.values()]
    todo += [name for check in deal.own_checks.values() for name in names_in(check.node)]
    todo += [name for chart in deal.charts.values() for name in chart.lines]
    while todo:
        name = todo.pop()
        if name not in reached:
            reached.add(name)
            todo += reads.get(name, ())
    if deal.function is not None:  # it reads all that it takes, and what it gives is there to be read
        reached |= {*deal.function.inputs, *deal.function.lines}
    idle = [name for name in (*deal.inputs, *deal.lines) if name not in reached]
    idle += [name for name in deal.loans if f"{name}.balance" not in reached]
    idle = [name for name in idle if not _is_subtotal(deal, name)]
    if idle:
        yield False, f"No measure, goal or question reaches {', '.join(idle)}."


def _ends(case: Case) -> Iterator[Told]:
    """Which inputs a scenario of the worst or best ends leaves where they are."""
    yield from ((True, Remark(sentence)) for sentence in case.model.told_ends(case.scenario))


def _own(case: Case) -> Iterator[Told]:
    """The checks the deal itself asks for."""
    for name, check in case.deal.own_checks.items():
        own = each_name(check_name(name))
        table = np.atleast_1d(case.values[own if own in case.values else check_name(name)])
        holds = table if table.ndim == 1 else table.min(axis=1)
        if (table == 1).all():
            yield True, f"{check.label}."
            continue
        whose = ""
        if check.each:
            things = case.deal.sets[check.each]
            missed = np.flatnonzero((table != 1) if table.ndim == 1 else (table != 1).any(axis=0))
            whose = f" for {things.things[missed[0]]}" + (f" and {missed.size - 1} more" if missed.size > 1 else "")
            holds = table[missed[:1]] if table.ndim == 1 else table[:, missed[0]]
        broken = int(np.flatnonzero(holds != 1)[0])
        when = (f" {case.deal.timeline.within(broken)}" if holds.size > 1 else "") + whose
        word = "is undefined" if np.isnan(holds[broken]) else "does not hold"
        yield False, f"{check.label}: {check.text} {word}{when}."


def _remarks(case: Case) -> Iterator[Told]:
    """What was remarked when the deal was read."""
    yield from ((True, Remark(remark)) for remark in case.deal.remarks)


CHECKS: tuple[Callable[[Case], Iterator[Told]], ...] = (
    _adds_up,
    _vanishing,
    _paybacks,
    _outside,
    _counted,
    _splits,
    _starts,
    _loans,
    _ranges,
    _set_aside,
    _solved,
    _unreached,
    _ends,
    _own,
    _remarks,
)
"""Every check in the order in which they are shown; one more is a function, and a line here."""


def _is_subtotal(deal: Definition, name: str) -> bool:
    """A line of `lines` is there to be looked at, so it may stand unread."""
    line = deal.lines.get(name)
    return isinstance(line, Line) and line.role == "other"


def _named_by(item: object) -> set[str]:
    if isinstance(item, Goal):
        nodes: list[Node | None] = [item.at_least, item.at_most, item.nearly]
        return {item.measure}.union(*(names_in(node) for node in nodes if node is not None))
    node = getattr(item, "so_that", None)
    names = names_in(node) if node is not None else set()
    return names | {getattr(item, "find", "")}

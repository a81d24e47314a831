"""A checked deal becomes a list of array operations, in an order in which each finds its arguments ready.

Every value is a numbered slot, worked out once however often it is used. Names that only look back in time are
ordinary operations; only true recursions (groups of names that reach themselves through an earlier period) are
stepped, as one instruction for the whole group (see `recursion`).
"""

from __future__ import annotations

from collections.abc import Mapping
from graphlib import CycleError, TopologicalSorter

import numpy as np

from pennyweight.array_kinds import Floats
from pennyweight.deals.compiler import masks
from pennyweight.deals.compiler.goals import compile_goals, compile_question, compile_slacks
from pennyweight.deals.compiler.loans import compile_undisturbed, parts_of, reads, reads_now, settle, undisturbed
from pennyweight.deals.compiler.program import (
    Program,
    aside_names,
    asked_name,
    check_name,
    drawn_name,
    each_name,
)
from pennyweight.deals.compiler.python_functions import compile_function
from pennyweight.deals.compiler.recursion import compile_group
from pennyweight.deals.compiler.rows import LookingBack, seen_now
from pennyweight.deals.compiler.slots import Slots
from pennyweight.deals.compiler.splits import compile_split
from pennyweight.deals.definition import Definition
from pennyweight.deals.language.names import current_names
from pennyweight.deals.language.nodes import (
    Binary,
    Name,
    Node,
    Sum,
    names_in,
    show,
)
from pennyweight.deals.language.set_functions import set_of
from pennyweight.deals.parts import COUNTED, SETTLED, TOTALS, DealLoan, Level, Line, Question
from pennyweight.errors import InputError

__all__ = ["compile_deal"]


def compile_deal(definition: Definition) -> Program:
    """Compile a checked deal; InputError when a name needs itself within one period."""
    return _Compiler(definition).program()


class _Compiler(Slots):
    def __init__(self, definition: Definition) -> None:
        loans = parts_of(definition)
        super().__init__(definition, _all_nodes(definition, loans), loans)
        given = {**definition.inputs, **definition.parameters}
        aside = [name for value in definition.values for name in aside_names(value)]
        self.bits = {name: 1 << k for k, name in enumerate([*given, *definition.questions, *aside])}
        for name in self.bits:  # an answer is worked out apart and put in like an input
            item = given.get(name)
            over_time = item is not None and item.is_series and not item.of and not item.keys
            self.names[name] = self.slot(over_time, self.bits[name], item.of if item is not None else "")
        nothing = (
            np.full(1, np.nan),
            np.ones(1),
            np.zeros(1),
        )  # formulas stand, unless something is put in their place
        for value in definition.values:
            self.constants.update(zip((self.names[name] for name in aside_names(value)), nothing, strict=True))
        self.split_of = definition.split_parts
        self._built_in()
        if definition.function is not None:
            compile_function(self, definition.function)
        self._look_back()
        for group in _groups(self._edges()):
            self._compile_group(group)
        compile_goals(self)
        self.slacks: dict[str, tuple[str, ...]] = {}
        for name, question in definition.sought.items():
            self.names[asked_name(name)] = compile_question(self, question)
            self.slacks[name] = compile_slacks(self, question)
            self._refuse_idle(name, question)
        for name, check in definition.own_checks.items():
            self.names[check_name(name)] = self.for_each(self.translate(check.node), check.each)
        for name, chart in definition.charts.items():
            for key, node in (("target", chart.target), ("from", chart.first), ("to", chart.last)):
                if node is not None:
                    self.names[drawn_name(name, key)] = self.translate(node)
        self._take_together()

    def program(self) -> Program:
        """What was compiled."""
        return Program(
            time=self.time,
            instructions=tuple(self.instructions),
            constants=self.constants,
            over_time=tuple(self.over_time),
            depends=tuple(self.depends),
            space=tuple(self.space),
            counts=self.counts,
            bits=self.bits,
            names=self.names,
            reads={name: frozenset(self._edges_of(name)) for name in self.nodes},
            questions=self._order_of_questions(),
            slacks=self.slacks,
            margins=self.margins,
        )

    def _order_of_questions(self) -> tuple[str, ...]:
        """Every question after those it needs the answers of; InputError when one needs itself."""
        questions, solved = self.definition.sought, self.definition.solved
        needs = {
            name: [
                other
                for other in questions
                if self.depends[self.names[asked_name(name)]] & self.bits[other]
                and not (other == name and name in solved)
            ]
            for name in questions
        }
        try:
            return tuple(TopologicalSorter(needs).static_order())
        except CycleError as error:
            circle = list(error.args[1])[::-1]
            where = questions[circle[0]].where
            if set(circle) <= solved.keys():
                raise InputError(
                    f"{where}: its value is found with that of {circle[1]}, and the other way round: "
                    f"{' needs '.join(circle)}. Give one of them a value, or a formula under [values].",
                    at=where,
                ) from None
            raise InputError(f"{where}: the answer needs itself: {' needs '.join(circle)}.", at=where) from None

    def _refuse_idle(self, name: str, question: Question) -> None:
        """Refuse a solved input whose own condition does not hang on it: no value of it would change anything."""
        if name in self.definition.solved and not self.depends[self.names[asked_name(name)]] & self.bits[name]:
            raise InputError(
                f"{question.where}: '{question.text}' does not hang on {name}, so that no value of it makes it true; "
                "write the condition with a figure that it changes.",
                at=question.where,
            )

    # What is there without being declared.

    def _built_in(self) -> None:
        time = self.time
        self.names["t"] = self.constant(time.t)
        self.names["year"] = self.constant(time.year)
        self.names["end"] = self.number(time.periods)
        self.names["per_year"] = self.number(time.per_year)
        for name, own in self.definition.sets.items():
            if own.born:
                born = np.arange(float(time.rows))
                self.names[f"{name}.born"] = self.constant(born, name)
                self.names[f"{name}.age"] = self.constant(time.t - born, name)

    def _edges(self) -> dict[str, set[str]]:
        """Every name, and the names its formula, its run and its settings read."""
        edges = {name: names_in(node) & self.nodes.keys() for name, node in self.nodes.items()}
        for name, line in self.definition.lines.items():
            edges[name] |= _read_around(line) & self.nodes.keys()
        for name, level in self.definition.levels.items():
            edges[name] |= _read_around(level) & self.nodes.keys()
        if self.definition.counted_to is not None:
            for name in ("money_in", "money_out", *self.loan_parts):
                edges[name] |= {COUNTED}
            for loan in self.definition.loans:
                edges[f"{loan}.{SETTLED}"] = {f"{loan}.balance"}
        return edges

    def _look_back(self) -> None:
        """Make what functions look back at within a recursion hidden members of it."""
        deal, edges = self.definition, self._edges()
        back = LookingBack(lambda node: set_of(node, deal.each, ""))
        for group in _groups(edges):
            if len(group) > 1 or group[0] in edges[group[0]]:
                own = [name for name in group if name not in self.loan_parts]
                self.nodes.update({name: back.made_over(self.nodes[name], group) for name in own})
        self.nodes.update(back.hidden)
        self.hidden_each, self.hidden_texts = back.each, back.texts

    def _is_born(self, each: str) -> bool:
        """Whether things of a set begin one after the other."""
        return bool(each) and self.definition.sets[each].born

    def _take_together(self) -> None:
        """Give what is worked out for each thing a name of its own, and its old name to what all come to together."""
        each = {name: slot for name, slot in self.names.items() if self.space[slot] and not self._is_column(name)}
        for name, slot in each.items():
            self.names[each_name(name)] = slot
            del self.names[name]
            how = "lowest" if name.startswith("?") else self.definition.together(name)
            self.names[name] = self.over_things(f"{how}_of", slot)

    def _is_column(self, name: str) -> bool:
        return name.partition(".")[0] in self.definition.sets

    # Groups of names.

    def _compile_group(self, group: list[str]) -> None:
        name, split_of = group[0], self.split_of
        if name.endswith(f".{SETTLED}") and name not in self.nodes:
            return
        if (split := next((split_of[one] for one in group if one in split_of), None)) is not None:
            if len(group) > 1:
                raise InputError(
                    f"{split.where}: {split.name} stands in a circle: {' needs '.join(group)}.", at=split.where
                )
            if name not in self.names:
                compile_split(self, split)
            return
        if len(group) == 1 and name not in self._edges_of(name):
            self.names[name] = self._compile_name(name)
            return
        self._refuse_circle(group)
        figures = (self.definition.values, self.definition.measures, self.definition.each_figures)
        singles = [member for member in group if any(member in table for table in figures)]
        if singles:
            circle = " needs ".join(_circle(group, self._edges()))
            where = self._where(singles[0])
            raise InputError(f"{where}: '{singles[0]}' needs itself: {circle}.", at=where)
        loan = self.loan_parts.get(name, (None, ""))[0]
        alone = loan is not None and all(member.startswith(f"{loan.name}.") for member in group)
        if loan is not None and alone and undisturbed(self, loan, group):
            compile_undisturbed(self, loan, group)
        else:
            compile_group(self, self._now_order(group))
        if self.definition.counted_to is not None:
            for one in dict.fromkeys(self.loan_parts[member][0].name for member in group if member in self.loan_parts):
                settle(self, one, self.names[COUNTED])

    def _edges_of(self, name: str) -> set[str]:
        item = self.definition.lines.get(name) or self.definition.levels.get(name)
        around = _read_around(item) if item is not None else set()
        return names_in(self.nodes[name]) | around

    def _now_edges(self, group: list[str]) -> dict[str, set[str]]:
        members = set(group)
        edges = {}
        for name in group:
            if name in self.loan_parts:
                edges[name] = reads_now(*self.loan_parts[name]) & members
                continue
            item = self.definition.lines.get(name) or self.definition.levels.get(name)
            around = _read_around(item) if item is not None else set()
            edges[name] = (current_names(self.nodes[name]) | seen_now(self.nodes[name]) | around) & members
        return edges

    def _refuse_circle(self, group: list[str]) -> None:
        try:
            list(TopologicalSorter(self._now_edges(group)).static_order())
        except CycleError as error:
            circle = list(error.args[1])[::-1]
            circle = [show(self.hidden_texts[name]) if name in self.hidden_texts else name for name in circle]
            shown = [name for name in circle if name not in TOTALS and name in self.nodes] or circle
            where = self._where(shown[0])
            raise InputError(
                f"{where}: '{shown[0]}' needs itself within one period: "
                f"{' needs '.join(circle)}. Let one of them look back with prior(…).",
                at=where,
            ) from None

    def _now_order(self, group: list[str]) -> list[str]:
        return list(TopologicalSorter(self._now_edges(group)).static_order())

    def _where(self, name: str) -> str:
        deal = self.definition
        for table in (deal.lines, deal.levels, deal.values, deal.measures, deal.each_figures):
            if name in table:
                return table[name].where
        if name in self.loan_parts:
            return self.loan_parts[name][0].where
        for grid in deal.tables.values():
            if name.startswith(f"?{grid.name}."):
                return grid.where
        return deal.source.where()

    def _compile_name(self, name: str) -> int:
        deal = self.definition
        slot = self.for_each(self.translate(self.nodes[name]), self.each_of(name))
        if name in deal.lines:
            line = deal.lines[name]
            self.masks[name] = masks.mask_of(self, line)
            return masks.settled(self, masks.masked(self, slot, self.masks[name]), line.settings)
        if name in TOTALS or name.startswith("loans."):
            slot = masks.over_time(self, slot)
            ends = deal.counted_to is not None and name in ("money_in", "money_out")
            return masks.masked(self, slot, masks.until(self, self.names[COUNTED])) if ends else slot
        if name in deal.values:
            return self.emit("aside", _aside, [slot, *(self.names[one] for one in aside_names(name))], False)
        if name in deal.levels:
            level = deal.levels[name]
            slot = masks.over_time(self, slot)
            if level.start is not None:
                start = self.translate(level.start)
                if self._is_born(level.each):
                    begins = self.operation("==", self.names[f"{level.each}.age"], self.number(0.0))
                    slot = self.emit("set", masks.replaced, [slot, begins, start], True)
                else:
                    slot = self.emit("start", masks.with_first, [slot, start], True)
            if self._is_born(level.each):
                slot = masks.masked(self, slot, masks.born_yet(self, level.each))
            return masks.settled(self, slot, level.settings)
        return slot


def _all_nodes(deal: Definition, loans: Mapping[str, tuple[DealLoan, str]]) -> dict[str, Node]:
    """The formula of every name, those of the totals and of the parts of loans among them."""
    nodes: dict[str, Node] = {name: item.node for name, item in deal.values.items()}
    nodes.update((name, item.node) for name, item in deal.lines.items())
    nodes.update((name, item.node) for name, item in deal.levels.items())
    nodes.update((name, item.node) for name, item in deal.measures.items())
    nodes.update((name, item.node) for name, item in deal.each_figures.items())
    nodes.update((item.name, item.node) for table in deal.tables.values() for item in table.columns.values())
    for total, role in (("money_in", "in"), ("money_out", "out")):
        nodes[total] = Sum(tuple(deal.as_one(name) for name, line in deal.lines.items() if line.role == role))
    nodes["net_before_loans"] = Binary("-", Name("money_in"), Name("money_out"))
    flows = tuple(deal.as_one(f"{loan}.flow") for loan in deal.loans)
    nodes["net"] = Sum((Name("net_before_loans"), *flows)) if flows else Name("net_before_loans")
    if deal.loans:
        for part in deal.loan_parts:
            nodes[f"loans.{part}"] = Sum(tuple(deal.as_one(f"{loan}.{part}") for loan in deal.loans))
    for name, split in deal.split_parts.items():
        nodes[name] = Sum(tuple(Name(other) for node in split.nodes for other in sorted(names_in(node))))
    if deal.counted_to is not None:
        nodes[COUNTED] = deal.counted_to
    for name, (loan, part) in loans.items():
        nodes[name] = Sum(tuple(Name(other) for other in sorted(reads(loan, part))))
    return nodes


def _aside(formula: Floats, instead: Floats, times: Floats, more: Floats) -> Floats:
    """A value: as its formula has it, scaled or shifted, or what was given in its place."""
    if max(instead.size, times.size, more.size) == 1 and np.isnan(instead[0]) and times[0] == 1 and more[0] == 0:
        return formula
    return np.where(np.isnan(instead), formula * times + more, instead)


def _read_around(item: Line | Level) -> set[str]:
    """The names that a line's run, a level's start and the settings of either read."""
    nodes: list[Node | None] = [node for setting in item.settings for node in setting.nodes]
    if isinstance(item, Line):
        nodes += [item.run.at, item.run.first, item.run.last, item.run.every]
    else:
        nodes.append(item.start)
    return set().union(*(names_in(node) for node in nodes if node is not None)) if nodes else set()


def _groups(edges: Mapping[str, set[str]]) -> list[list[str]]:
    """Strongly connected groups, each after those it reads (Tarjan's algorithm, without recursion)."""
    number: dict[str, int] = {}
    low: dict[str, int] = {}
    on_stack: set[str] = set()
    stack: list[str] = []
    groups: list[list[str]] = []
    for root in edges:
        if root in number:
            continue
        path = [(root, iter(sorted(edges[root])))]
        number[root] = low[root] = len(number)
        stack.append(root)
        on_stack.add(root)
        while path:
            name, following = path[-1]
            for other in following:
                if other not in number:
                    number[other] = low[other] = len(number)
                    stack.append(other)
                    on_stack.add(other)
                    path.append((other, iter(sorted(edges[other]))))
                    break
                if other in on_stack:
                    low[name] = min(low[name], number[other])
            else:
                path.pop()
                if path:
                    low[path[-1][0]] = min(low[path[-1][0]], low[name])
                if low[name] == number[name]:
                    place = stack.index(name)
                    groups.append(stack[place:])
                    on_stack.difference_update(stack[place:])
                    del stack[place:]
    return groups


def _circle(group: list[str], edges: Mapping[str, set[str]]) -> list[str]:
    """One way round the group, from its first name back to it."""
    circle, seen = [group[0]], {group[0]}
    while True:
        following = [name for name in sorted(edges[circle[-1]]) if name in group]
        fresh = [name for name in following if name not in seen]
        if group[0] in following and (len(circle) > 1 or not fresh):
            return [*circle, group[0]]
        if not fresh:
            return [*circle, following[0]]
        circle.append(fresh[0])
        seen.add(fresh[0])

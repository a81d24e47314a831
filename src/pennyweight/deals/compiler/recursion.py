"""True recursions, stepped through time: names that reach themselves through an earlier period.

Whatever in their formulas does not read a member of the group is worked out once, for all periods, before; what is
left is a short list of operations on one period's row, repeated period by period.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import partial
from typing import Any

import numpy as np

from pennyweight.array_kinds import Floats
from pennyweight.deals.compiler import masks
from pennyweight.deals.compiler.loans import add_part
from pennyweight.deals.compiler.plain import OPERATORS, ROWS, Walk, source_of, translated
from pennyweight.deals.compiler.rows import (
    WINDOWS,
    ends_after,
    plain_at_or,
    plain_window,
    row_at,
    row_at_or,
    row_mask,
    row_set,
    row_start,
    row_window,
)
from pennyweight.deals.compiler.slots import Instruction, Slots
from pennyweight.deals.language.brackets import bracket_compute, bracket_input
from pennyweight.deals.language.functions import FUNCTIONS
from pennyweight.deals.language.names import bind
from pennyweight.deals.language.nodes import Call, Name, Node, names_in, show
from pennyweight.deals.language.operations import OPERATIONS
from pennyweight.deals.language.set_functions import OF_SETS, over_things
from pennyweight.deals.language.translation import Target, folded
from pennyweight.deals.parts import COUNTED, Level, Line
from pennyweight.errors import InputError

__all__ = ["Group", "compile_group"]


@dataclass(frozen=True, slots=True)
class _Step:
    """cells[out] = compute(*cells[args]) in one period; `text` is the same in plain floats, or empty."""

    compute: Callable[..., Any]
    args: tuple[int, ...]
    out: int
    text: str = ""
    plain: Callable[..., Any] | None = None
    """Or a function that does it, where there is more to it than numbers."""
    spread: int = 0
    """In a group of which some members are of a set: how often to repeat arguments that have one value a case."""


def compile_group(program: Slots, members: list[str]) -> None:
    """Add the one instruction that works out all members, given in the order within a period."""
    group = Group(program, members)
    for member in members:
        group.add(member)
    args = tuple(group.outside)
    depends = 0
    for arg in args:
        depends |= program.depends[arg]
    outs = tuple(program.slot(True, depends, space) for space in group.spaces)
    compute = partial(_run, group.plan([program.over_time[arg] for arg in args], program.time.rows))
    program.instructions.append(Instruction(compute, args, outs, steps=True, mixed=group.mixed))
    for member, out in zip(members, outs, strict=True):
        program.names[member] = out


@dataclass(slots=True)
class _Plain:
    """The walk in plain floats, translated when it is first needed."""

    walk: Walk | None = None


@dataclass(frozen=True, slots=True)
class _Walk:
    rows: int
    cells: int
    outside: tuple[tuple[int, bool], ...]
    """The cell of each argument, and whether it runs over time."""
    members: int
    priors: tuple[tuple[int, int], ...]
    """(cell, member) of each look one period back."""
    steps: tuple[tuple[int, tuple[_Step, ...], int], ...]
    """For each member in order: its number, its steps, the cell of its result."""
    cell_of_member: tuple[int, ...]
    pasts: tuple[tuple[int, int], ...]
    """(cell, member): the whole past of a member, for at(member, k)."""
    plain: _Plain
    things: tuple[int, ...]
    """How many values each member has a case: one, or one for each thing of its set."""
    outside_things: tuple[int, ...]
    """The same of each argument."""
    mixed: bool
    tables: bool
    """Whether a step goes by brackets."""


class Group(Target[int]):
    """The cells and steps of one group while it is being compiled."""

    def __init__(self, program: Slots, members: list[str]) -> None:
        self.program, self.members = program, members
        self.set = set(members)
        self.outside: dict[int, int] = {}
        self.cell_spaces: list[str] = []
        """For each cell the set for each of whose things it has a value."""
        self.spaces = [program.each_of(member) for member in members]
        self.space = next(filter(None, self.spaces), "")
        """The set of the member at hand, or of any."""
        self.mixed = len(set(self.spaces)) > 1
        self.tables = False
        self.member_cells = [self.cell(space) for space in self.spaces]
        self.prior_cells: dict[int, int] = {}
        self.past_cells: dict[int, int] = {}
        self.member_steps: list[tuple[int, tuple[_Step, ...], int]] = []
        self.steps: list[_Step] = []
        self.where: str = program.definition.source.where()
        self.period = self.from_outside(program.names["t"])
        for space in filter(None, dict.fromkeys(self.spaces)):  # so that a row is never narrower than the set
            self.from_outside(program.constant(np.zeros(program.counts[space]), space))
        self.ledgers: dict[str, int] = {}
        """The cell of each loan's ledger."""

    @property
    def count(self) -> int:
        return len(self.cell_spaces)

    def cell(self, space: str = "") -> int:
        self.cell_spaces.append(space)
        return len(self.cell_spaces) - 1

    def from_outside(self, slot: int) -> int:
        if slot not in self.outside:
            self.outside[slot] = self.cell(self.program.space[slot])
        return self.outside[slot]

    def add(self, name: str) -> None:
        """Compile one member: formula, run, start, set."""
        deal = self.program.definition
        self.steps = []
        self.space = self.program.each_of(name)
        if name in self.program.loan_parts:
            self.add_loan_part(name)
            return
        item: Line | Level | None = deal.lines.get(name) or deal.levels.get(name)
        self.where = item.where if item is not None else deal.source.where()
        cell = self.translate(self.program.nodes[name])
        if isinstance(item, Line):
            mask = masks.mask_of(self.program, item)
            self.program.masks[name] = mask
            if not isinstance(mask, int):
                mask = self.program.constant(mask.astype(np.float64)[:, None])
            cell = self.step(row_mask, [cell, self.from_outside(mask)], ROWS["mask"])
        if deal.counted_to is not None and name in ("money_in", "money_out"):
            ends = masks.until(self.program, self.program.names[COUNTED])
            cell = self.step(row_mask, [cell, self.from_outside(ends)], ROWS["mask"])
        own = deal.sets.get(self.space)
        if isinstance(item, Level) and item.start is not None:
            start = self.translate(item.start)
            if own is not None and own.born:
                age = self.program.names[f"{self.space}.age"]
                begins = self.program.operation("==", age, self.program.number(0.0))
                cell = self.step(row_set, [cell, self.from_outside(begins), start], ROWS["set"])
            else:
                cell = self.step(row_start, [cell, start, self.period], ROWS["start"])
        if isinstance(item, Level) and own is not None and own.born:
            cell = self.step(
                row_mask, [cell, self.from_outside(masks.born_yet(self.program, self.space))], ROWS["mask"]
            )
        if item is not None:
            for setting in item.settings:
                chosen = self.from_outside(masks.setting_mask(self.program, setting))
                cell = self.step(row_set, [cell, chosen, self.translate(setting.node)], ROWS["set"])
        if self.mixed and self.space and not self.cell_spaces[cell]:
            cell = self.step(_as_it_is, [cell], space=self.space)
        self.member_steps.append((self.members.index(name), tuple(self.steps), cell))

    def add_loan_part(self, name: str) -> None:
        """Compile one part of a loan; it runs in every period, and a line that names it runs when it may be there."""
        loan, part = self.program.loan_parts[name]
        self.where = loan.where
        if loan.name not in self.ledgers:
            self.ledgers[loan.name] = self.cell(self.space)
        early = part in ("drawn", "flow", "balance")
        self.program.masks[name] = self.program.time.t[:, 0] >= (0 if early else 1)
        cell = add_part(self, loan, part, self.ledgers[loan.name])
        self.member_steps.append((self.members.index(name), tuple(self.steps), cell))

    def step_into(
        self, cell: int, compute: Callable[..., Any], args: list[int], plain: Callable[..., Any] | None = None
    ) -> None:
        """A step whose result takes the place of a cell."""
        self.steps.append(_Step(compute, tuple(args), cell, "", plain, self._spread(self.cell_spaces[cell])))

    def step(
        self,
        compute: Callable[..., Floats],
        args: list[int],
        text: str = "",
        plain: Callable[..., Any] | None = None,
        *,
        space: str | None = None,
    ) -> int:
        """A step whose result is a new cell, of the set of its arguments."""
        own = next((self.cell_spaces[arg] for arg in args if self.cell_spaces[arg]), "") if space is None else space
        out = self.cell(own)
        self.steps.append(_Step(compute, tuple(args), out, text, plain, self._spread(own)))
        return out

    def _spread(self, space: str) -> int:
        return self.program.counts[space] if self.mixed and space else 0

    # A formula becomes a cell; what reads no member is worked out before, for all periods at once.

    def translate(self, node: Node) -> int:
        """The cell of a formula."""
        if not names_in(node) & self.set:
            return self.from_outside(self.program.translate(node))
        return super().translate(node)

    def number(self, value: float) -> int:
        """A number is the same in every period."""
        return self.from_outside(self.program.number(value))

    def name(self, name: str) -> int:
        """The cell of a member."""
        return self.member_cells[self.members.index(name)]

    def _refuse_ahead(self, call: Call, name: str, asked: Node) -> None:
        """Refuse a look at a period of a member of the circle that is not worked out yet, where it can be told."""
        here = [folded(asked, {"t": t, "end": float(self.program.time.periods)}) for t in (1.0, 2.0)]
        if here[0] is not None and here[1] is not None and here[1] - here[0] == 1.0 and here[0] >= 1.0:
            when = "itself in the same period" if here[0] == 1.0 else f"itself {here[0] - 1:g} period ahead"
            raise InputError(
                f"{self.where}: '{show(call)}' looks at {when}, because {name} is worked out of it; look back "
                "instead, with "
                f"prior({name}) or at({name}, t - 1).",
                at=self.where,
            )

    def nothing(self) -> int:
        """A line of zeros."""
        return self.from_outside(self.program.nothing())

    def operation(self, name: str, *parts: int) -> int:
        """One more step."""
        return self.step(OPERATIONS[name], list(parts), OPERATORS[name])

    def call(self, call: Call) -> int:
        """A function on this period's values, or a look at a member's past."""
        where = self.where
        slots = bind(call, where)
        first = slots[0]
        if call.function == "prior" and isinstance(first, Name):
            member = self.members.index(first.name)
            if member not in self.prior_cells:
                self.prior_cells[member] = self.cell(self.spaces[member])
            return self.prior_cells[member]
        if call.function == "at" and isinstance(first, Name) and slots[1] is not None:
            self._refuse_ahead(call, first.name, slots[1])
            member = self.members.index(first.name)
            if member not in self.past_cells:
                self.past_cells[member] = self.cell(self.spaces[member])
            asked = self.translate(slots[1])
            if slots[2] is not None:
                args = [self.past_cells[member], asked, self.period, self.translate(slots[2])]
                end = self.program.time.periods
                return self.step(partial(row_at_or, end), args, "", partial(plain_at_or, end))
            return self.step(row_at, [self.past_cells[member], asked, self.period], ROWS["at"])
        if call.function in OF_SETS:
            args = [self.translate(slot) for slot in slots if slot is not None]
            things = self.program.counts[self.cell_spaces[args[0]]]
            return self.step(partial(over_things, call.function, things), args, space="")
        if (item := bracket_input(call, self.program.definition.inputs)) is not None:
            if call.function == "graduated" and item.by_year and self.program.time.per_year > 1:
                read = ", ".join(sorted(names_in(call) & self.set))
                said = f"{item.name} goes by the year, which is not over yet where {read} needs it"
                raise InputError(f"{where}: {said}; let one of them look back with prior(…).", at=where)
            args = [self.translate(slot) for slot in slots if slot is not None]
            self.tables = True
            return self.step(bracket_compute(call.function, item, self.program.time), args)
        if call.function in WINDOWS and isinstance(first, Name) and first.name in self.set:
            return self._window(call, slots, first.name)
        function = FUNCTIONS[call.function]
        if function.over_time or function.result == "line":
            read = ", ".join(self._written(name) for name in sorted(names_in(call) & self.set))
            raise InputError(
                f"{where}: {call.function} looks at all periods, and {read} is worked out of it, period by period; use "
                "what has gone by: prior(…), at(…, an earlier period), total(…, 0, t - 1).",
                at=where,
            )
        args = [self.translate(slot) for slot in slots if slot is not None]
        text = ROWS.get(call.function, "") if len(args) <= 2 else ""
        return self.step(partial(function.compute, self.program.time), args, text)

    def _window(self, call: Call, slots: list[Node | None], name: str) -> int:
        """A function of some periods that have gone by."""
        first, last = slots[1:3]
        if last is None or ends_after(last) == "ahead":
            said = "all periods" if last is None else "periods to come"
            raise InputError(
                f"{self.where}: {call.function} looks at {said}, and {self._written(name)} is worked out of it, period "
                f"by period; give it a window that has gone by, as in {call.function}({self._written(name)}, t - 3, "
                "t - 1).",
                at=self.where,
            )
        member = self.members.index(name)
        if member not in self.past_cells:
            self.past_cells[member] = self.cell(self.spaces[member])
        args = [self.past_cells[member], self.period, self.translate(last)]
        args += [] if first is None else [self.translate(first)]
        return self.step(partial(row_window, call.function), args, "", partial(plain_window, call.function))

    def _written(self, name: str) -> str:
        """A name as it was written."""
        return show(self.program.hidden_texts[name]) if name in self.program.hidden_texts else name

    def plan(self, over_time: list[bool], rows: int) -> _Walk:
        return _Walk(
            rows,
            self.count,
            tuple(zip(self.outside.values(), over_time, strict=True)),
            len(self.members),
            tuple((cell, member) for member, cell in self.prior_cells.items()),
            tuple(self.member_steps),
            tuple(self.member_cells),
            tuple((cell, member) for member, cell in self.past_cells.items()),
            _Plain(),
            tuple(self.program.counts.get(space, 1) for space in self.spaces),
            tuple(self.program.counts.get(self.cell_spaces[cell], 1) for cell in self.outside.values()),
            self.mixed,
            self.tables,
        )


def _run(plan: _Walk, *arguments: Floats) -> tuple[Floats, ...]:
    width = max((argument.shape[-1] for argument in arguments), default=1)
    if plan.mixed:
        width = max(argument.shape[-1] // own for argument, own in zip(arguments, plan.outside_things, strict=True))
    elif width <= _FEW and not plan.tables:
        return _run_plainly(plan, arguments, width)
    results = [np.empty((plan.rows, width * own if plan.mixed else width)) for own in plan.things]
    for _, member in plan.pasts:  # at(member, k) may ask for a row that is not written yet: undefined
        results[member][...] = np.nan
    cells: list[Any] = [np.zeros(width)] * plan.cells
    moving: list[tuple[int, list[Floats]]] = []
    for (cell, over_time), argument in zip(plan.outside, arguments, strict=True):
        if over_time:
            moving.append((cell, list(argument)))
        else:
            cells[cell] = argument
    for cell, member in plan.pasts:
        cells[cell] = results[member]
    before = [np.zeros(result.shape[1]) for result in results]
    for t in range(plan.rows):
        for cell, rows in moving:
            cells[cell] = rows[t]
        for cell, member in plan.priors:
            cells[cell] = results[member][t - 1] if t else before[member]
        for member, steps, result in plan.steps:
            for step in steps:
                values = [cells[arg] for arg in step.args]
                if step.spread and width > 1:
                    values = [_repeated(value, width, step.spread) for value in values]
                cells[step.out] = step.compute(*values)
            row = results[member][t]
            row[...] = cells[result]
            cells[plan.cell_of_member[member]] = row
    return tuple(results)


def _repeated(value: Any, width: int, things: int) -> Any:
    """A row with one value a case, repeated for each thing; any other argument as it is."""
    if isinstance(value, np.ndarray) and value.shape[-1] == width:
        return np.tile(value, things)
    return value


def _as_it_is(x: Floats) -> Floats:
    return x


_FEW = 8
"""Up to so many cases go one by one in plain floats."""


def _run_plainly(plan: _Walk, arguments: tuple[Floats, ...], width: int) -> tuple[Floats, ...]:
    """Case by case in plain floats."""
    plain = plan.plain
    if plain.walk is None:
        functions: dict[str, Callable[..., Any]] = {}
        members = []
        for member, steps, result in plan.steps:
            written = []
            for step in steps:
                text = step.text
                if not text:  # a function that is rare enough to be called as it is
                    name = f"f{len(functions)}"
                    functions[name] = step.plain or _called(step.compute)
                    text = f"{name}({', '.join(f'{{{k}}}' for k in range(len(step.args)))})"
                written.append((step.out, text.format(*(f"c{arg}" for arg in step.args))))
            members.append((member, written, result, plan.cell_of_member[member]))
        plain.walk = translated(source_of(plan.outside, plan.priors, plan.pasts, members), functions)
    found = [np.empty((plan.rows, width)) for _ in range(plan.members)]
    for case in range(width):
        outside = [
            argument[..., case if argument.shape[-1] > 1 else 0].tolist()
            if moves
            else float(argument[..., case if argument.shape[-1] > 1 else 0])
            for (_, moves), argument in zip(plan.outside, arguments, strict=True)
        ]
        results: list[list[float]] = [[] for _ in range(plan.members)]
        plain.walk(plan.rows, outside, results)
        for table, column in zip(found, results, strict=True):
            table[:, case] = column
    return tuple(found)


def _called(compute: Callable[..., Any]) -> Callable[..., float]:
    """An array function on plain floats."""

    def plain(*values: float) -> float:
        with np.errstate(all="ignore"):
            return float(np.asarray(compute(*(np.array([value]) for value in values))).reshape(-1)[0])

    return plain

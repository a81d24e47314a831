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
from pennyweight.deals.compiler.slots import Instruction, Slots
from pennyweight.deals.language.arithmetic import WHOLE
from pennyweight.deals.language.functions import FUNCTIONS
from pennyweight.deals.language.names import bind
from pennyweight.deals.language.nodes import Call, Name, Node, names_in, show
from pennyweight.deals.language.operations import OPERATIONS
from pennyweight.deals.language.translation import Target, folded
from pennyweight.deals.parts import Level, Line
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


def compile_group(program: Slots, members: list[str]) -> None:
    """Add the one instruction that works out all members, given in the order within a period."""
    group = Group(program, members)
    for member in members:
        group.add(member)
    args = tuple(group.outside)
    depends = 0
    for arg in args:
        depends |= program.depends[arg]
    outs = tuple(program.slot(True, depends) for _ in members)
    compute = partial(_run, group.plan([program.over_time[arg] for arg in args], program.time.rows))
    program.instructions.append(Instruction(compute, args, outs, steps=True))
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


class Group(Target[int]):
    """The cells and steps of one group while it is being compiled."""

    def __init__(self, program: Slots, members: list[str]) -> None:
        self.program, self.members = program, members
        self.set = set(members)
        self.outside: dict[int, int] = {}
        self.count = 0
        self.member_cells = [self.cell() for _ in members]
        self.prior_cells: dict[int, int] = {}
        self.past_cells: dict[int, int] = {}
        self.member_steps: list[tuple[int, tuple[_Step, ...], int]] = []
        self.steps: list[_Step] = []
        self.where: str = program.definition.source.where()
        """Where the formula at hand stands."""
        self.period = self.from_outside(program.names["t"])
        self.ledgers: dict[str, int] = {}
        """The cell of each loan's ledger."""

    def cell(self) -> int:
        self.count += 1
        return self.count - 1

    def from_outside(self, slot: int) -> int:
        if slot not in self.outside:
            self.outside[slot] = self.cell()
        return self.outside[slot]

    def add(self, name: str) -> None:
        """Compile one member: formula, run, start, set."""
        deal = self.program.definition
        self.steps = []
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
            cell = self.step(_row_mask, [cell, self.from_outside(mask)], ROWS["mask"])
        if isinstance(item, Level) and item.start is not None:
            start = self.translate(item.start)
            cell = self.step(_row_start, [cell, start, self.period], ROWS["start"])
        if item is not None:
            for setting in item.settings:
                chosen = self.from_outside(masks.setting_mask(self.program, setting))
                cell = self.step(_row_set, [cell, chosen, self.translate(setting.node)], ROWS["set"])
        self.member_steps.append((self.members.index(name), tuple(self.steps), cell))

    def add_loan_part(self, name: str) -> None:
        """Compile one part of a loan; it runs in every period, and a line that names it runs when it may be there."""
        loan, part = self.program.loan_parts[name]
        self.where = loan.where
        if loan.name not in self.ledgers:
            self.ledgers[loan.name] = self.cell()
        early = part in ("drawn", "flow", "balance")
        self.program.masks[name] = self.program.time.t[:, 0] >= (0 if early else 1)
        cell = add_part(self, loan, part, self.ledgers[loan.name])
        self.member_steps.append((self.members.index(name), tuple(self.steps), cell))

    def step_into(
        self, cell: int, compute: Callable[..., Any], args: list[int], plain: Callable[..., Any] | None = None
    ) -> None:
        """A step whose result takes the place of a cell."""
        self.steps.append(_Step(compute, tuple(args), cell, "", plain))

    def step(
        self, compute: Callable[..., Floats], args: list[int], text: str = "", plain: Callable[..., Any] | None = None
    ) -> int:
        """A step whose result is a new cell."""
        out = self.cell()
        self.steps.append(_Step(compute, tuple(args), out, text, plain))
        return out

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
            return self.prior_cells.setdefault(member, self.prior_cells.get(member) or self.cell())
        if call.function == "at" and isinstance(first, Name) and slots[1] is not None:
            self._refuse_ahead(call, first.name, slots[1])
            member = self.members.index(first.name)
            if member not in self.past_cells:
                self.past_cells[member] = self.cell()
            asked = self.translate(slots[1])
            if slots[2] is not None:
                args = [self.past_cells[member], asked, self.period, self.translate(slots[2])]
                end = self.program.time.periods
                return self.step(partial(_row_at_or, end), args, "", partial(_plain_at_or, end))
            return self.step(_row_at, [self.past_cells[member], asked, self.period], ROWS["at"])
        function = FUNCTIONS[call.function]
        if function.over_time or function.result == "line":
            raise InputError(
                f"{where}: {call.function} looks at periods that are not worked out yet, because "
                f"{', '.join(sorted(names_in(call) & self.set))} needs it; use prior(…) or at(…, an earlier period).",
                at=where,
            )
        args = [self.translate(slot) for slot in slots if slot is not None]
        text = ROWS.get(call.function, "") if len(args) <= 2 else ""
        return self.step(partial(function.compute, self.program.time), args, text)

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
        )


def _run(plan: _Walk, *arguments: Floats) -> tuple[Floats, ...]:
    width = max((argument.shape[-1] for argument in arguments), default=1)
    if width <= _FEW:
        return _run_plainly(plan, arguments, width)
    results = [np.empty((plan.rows, width)) for _ in range(plan.members)]
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
    before = np.zeros(width)
    for t in range(plan.rows):
        for cell, rows in moving:
            cells[cell] = rows[t]
        for cell, member in plan.priors:
            cells[cell] = results[member][t - 1] if t else before
        for member, steps, result in plan.steps:
            for step in steps:
                cells[step.out] = step.compute(*[cells[arg] for arg in step.args])
            row = results[member][t]
            row[...] = cells[result]
            cells[plan.cell_of_member[member]] = row
    return tuple(results)


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


def _row_mask(x: Floats, mask: Floats) -> Floats:
    if mask.size == 1:
        return x if mask[0] == 1 else x * 0.0 + mask if np.isnan(mask[0]) else np.zeros(x.shape)
    return np.where(mask == 1, x, np.where(np.isnan(mask), np.nan, 0.0))


def _row_start(x: Floats, start: Floats, period: Floats) -> Floats:
    return start if period[0] == 0 else x


def _row_set(x: Floats, mask: Floats, value: Floats) -> Floats:
    return np.where(mask == 1, value, np.where(np.isnan(mask), np.nan, x))


def _row_at_or(end: int, past: Floats, asked: Floats, period: Floats, otherwise: Floats) -> Floats:
    """The same, with what is said otherwise outside the timeline."""
    known = np.abs(asked - np.round(asked)) <= WHOLE
    outside = known & ((asked < -WHOLE) | (asked > end + WHOLE))
    return np.where(outside, otherwise, _row_at(past, asked, period))


def _plain_at_or(end: int, past: list[float], asked: float, t: float, otherwise: float) -> float:
    if not abs(asked) < _FARTHEST or abs(asked - round(asked)) > WHOLE:
        return float("nan")
    place = round(asked)
    if not 0 <= place <= end:
        return otherwise
    return past[place] if place < len(past) else float("nan")


_FARTHEST = 1e15


def _row_at(past: Floats, asked: Floats, period: Floats) -> Floats:
    """The value of a member in an earlier period, or in this one once it is there; later ones are undefined."""
    inside = (np.abs(asked - np.round(asked)) <= WHOLE) & (asked >= -WHOLE) & (asked <= period[0] + WHOLE)
    index = np.broadcast_to(np.where(inside, np.round(asked), 0).astype(np.intp), past.shape[1:])
    taken = np.take_along_axis(past, index[None, :], axis=0)[0]
    return np.where(inside, taken, np.nan)

"""One evaluation on arrays of cases: what no varied input reaches once, the rest block by block.

A block of cases is worked out in two stages. First everything period by period, in chunks so small that the few
registers in use stay in the cache; then what looks over time (npv, irr, payback and their kin, and whatever
follows from them), on the whole block at once, because it is bound by the number of calls. Block and chunk
sizes are fixed, so a figure is the same to the last bit for any number of threads.
"""

from __future__ import annotations

import os
from collections.abc import Iterable, Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass

import numpy as np

from pennyweight.array_kinds import Floats
from pennyweight.deals.compiler.program import Program
from pennyweight.deals.compiler.slots import Instruction
from pennyweight.progress import teller

__all__ = ["evaluate"]


_BLOCK = 2_048
_ELEMENTS = 2**25  # a quarter of a gigabyte in one block
_CHUNK_ELEMENTS = 40_960  # times eight bytes: an array over time that leaves room for others in the cache


def evaluate(
    program: Program,
    inputs: Mapping[str, Floats],
    wanted: Sequence[str],
    *,
    threads: int | None = None,
) -> dict[str, Floats]:
    """Work out the wanted names for all cases at once.

    Args:
        inputs: every input by name; single ones (1,) or (cases,), series (periods + 1, 1) or
            (periods + 1, cases).
        wanted: names of values, lines, levels, measures; what they do not need is not worked out.
        threads: how many to use; left out: as many as there are processors, when it pays.

    Returns:
        One figure a case, (cases,), or lines (periods + 1, cases); NaN is undefined.
    """
    cases = max((value.shape[-1] for value in inputs.values()), default=1)
    varied = frozenset(name for name, value in inputs.items() if value.shape[-1] > 1)
    plan = _plan(program, varied, tuple(dict.fromkeys(wanted)))
    with np.errstate(all="ignore"):
        fixed: dict[int, Floats] = dict(program.constants)
        for name, value in inputs.items():
            fixed[program.names[name]] = value
        for instruction in plan.fixed:
            _execute(instruction, fixed)
    if not (plan.stepped or plan.by_period or plan.over_time):
        return {name: _wide(fixed[program.names[name]], cases) for name in plan.wanted}
    results = {
        name: np.empty((program.time.rows, cases) if program.over_time[program.names[name]] else cases)
        for name in plan.wanted
    }
    _Evaluation(program, plan, fixed, inputs, results, cases).all_blocks(threads)
    return results


@dataclass(frozen=True)
class _Stages:
    wanted: tuple[str, ...]
    fixed: list[Instruction]
    """What no varied input reaches, once, one case wide."""
    stepped: list[Instruction]
    """What steps through time, and what that needs: on a whole block, because it is bound by the number of calls."""
    stepped_kept: tuple[int, ...]
    """Its slots that later stages or the asker take."""
    by_period: list[Instruction]
    """The first stage, in chunks."""
    registers: list[int | None]
    """For each of these: the register its result goes to, when it can."""
    register_count: int
    drops: list[tuple[int, ...]]
    """For each of these: the slots nobody needs after it."""
    collected: tuple[int, ...]
    """The slots the second stage, or the asker, takes from the first."""
    over_time: list[Instruction]
    """The second stage, on a whole block."""


def _plan(program: Program, varied: frozenset[str], wanted: tuple[str, ...]) -> _Stages:
    key = (varied, wanted)
    if key not in program.plans:
        program.plans[key] = _make_plan(program, varied, wanted)
    plan = program.plans[key]
    assert isinstance(plan, _Stages)
    return plan


def _make_plan(program: Program, varied: frozenset[str], wanted: tuple[str, ...]) -> _Stages:
    mask = sum(program.bits[name] for name in varied)
    targets = [program.names[name] for name in wanted]
    needed = _in_order_of_need(program, targets)
    fixed = [item for item in needed if not program.depends[item.outs[0]] & mask]
    moving = [item for item in needed if program.depends[item.outs[0]] & mask]

    by_period: list[Instruction] = []
    over_time: list[Instruction] = []
    late: set[int] = set()
    for item in moving:
        reduces = any(program.over_time[arg] for arg in item.args) and not program.over_time[item.outs[0]]
        if reduces or late.intersection(item.args):
            over_time.append(item)
            late.update(item.outs)
        else:
            by_period.append(item)
    stepped, by_period = _apart(by_period)
    taken = {slot for item in over_time for slot in item.args} | set(targets)
    early = {slot for item in stepped for slot in item.outs}
    kept = tuple(sorted(early & (taken | {slot for item in by_period for slot in item.args})))
    made = {slot for item in by_period for slot in item.outs}
    collected = tuple(sorted(made & taken))
    registers, count, drops = _allot(program, by_period, made, set(collected))
    return _Stages(wanted, fixed, stepped, kept, by_period, registers, count, drops, collected, over_time)


def _apart(items: list[Instruction]) -> tuple[list[Instruction], list[Instruction]]:
    """(what steps through time with everything it needs, the rest), each in order."""
    needed: set[int] = set()
    early: list[Instruction] = []
    late: list[Instruction] = []
    for item in reversed(items):
        if item.steps or needed.intersection(item.outs):
            needed.update(item.args)
            early.append(item)
        else:
            late.append(item)
    return early[::-1], late[::-1]


def _in_order_of_need(program: Program, targets: Iterable[int]) -> list[Instruction]:
    """The instructions behind the targets, each as late as it can be, so that little is alive at a time."""
    maker = {slot: item for item in program.instructions for slot in item.outs}
    order: list[Instruction] = []
    done: set[int] = set()
    stack = [(slot, False) for slot in reversed(list(targets))]
    while stack:
        slot, ready = stack.pop()
        if slot not in maker or slot in done:
            continue
        item = maker[slot]
        if ready:
            order.append(item)
            done.update(item.outs)
        else:
            stack.append((slot, True))
            stack += [(arg, False) for arg in reversed(item.args) if arg not in done]
    return order


def _allot(
    program: Program, items: list[Instruction], made: set[int], kept: set[int]
) -> tuple[list[int | None], int, list[tuple[int, ...]]]:
    """(register of each instruction, how many registers, slots to drop after each)."""
    last_use = {slot: k for k, item in enumerate(items) for slot in (*item.args, *item.outs)}
    register_of: dict[int, int] = {}
    free: list[int] = []
    count = 0
    registers: list[int | None] = []
    drops: list[tuple[int, ...]] = []
    for k, item in enumerate(items):
        slots = {*item.args, *item.outs}
        dying = tuple(slot for slot in slots if last_use[slot] == k and slot in made and slot not in kept)
        # An argument that dies here hands its register on, so the operation works in place.
        free += [register_of.pop(slot) for slot in dying if slot in register_of and slot in item.args]
        register = None
        out = item.outs[0]
        if item.into and program.over_time[out] and out not in kept:
            if not free:
                free.append(count)
                count += 1
            register = free.pop()
            if out in dying:
                free.append(register)
            else:
                register_of[out] = register
        registers.append(register)
        drops.append(dying)
    return registers, count, drops


class _Evaluation:
    """One evaluation under way."""

    def __init__(
        self,
        program: Program,
        plan: _Stages,
        fixed: Mapping[int, Floats],
        inputs: Mapping[str, Floats],
        results: Mapping[str, Floats],
        cases: int,
    ) -> None:
        self.program, self.plan, self.fixed, self.results, self.cases = program, plan, fixed, results, cases
        self.varied = [(program.names[name], value) for name, value in inputs.items() if value.shape[-1] > 1]
        self.rows = program.time.rows
        self.done, self.tell = 0, teller()
        self.block_size = _block_size(program, plan)
        self.chunk = min(self.block_size, max(64, _CHUNK_ELEMENTS // self.rows))

    def all_blocks(self, threads: int | None) -> None:
        """Every block, shared out among threads."""
        size = self.block_size
        spans = [(start, min(start + size, self.cases)) for start in range(0, self.cases, size)]
        workers = min(threads or os.cpu_count() or 1, len(spans))
        if workers <= 1:
            self.blocks(spans)
            return
        with ThreadPoolExecutor(workers) as executor:
            list(executor.map(self.blocks, [spans[k::workers] for k in range(workers)]))

    def blocks(self, spans: list[tuple[int, int]]) -> None:
        """One thread's share."""
        over_time, size = self.program.over_time, self.block_size
        pool = [np.empty((self.rows, self.chunk)) for _ in range(self.plan.register_count)]
        gathered = {slot: np.empty((self.rows, size) if over_time[slot] else size) for slot in self.plan.collected}
        with np.errstate(all="ignore"):
            for start, stop in spans:
                self.block(start, stop, pool, gathered)
                self.done += stop - start
                if self.cases > size:
                    self.tell("cases", self.done, self.cases)

    def block(self, start: int, stop: int, pool: list[Floats], gathered: Mapping[int, Floats]) -> None:
        """Both stages for one block, and its results put in their place."""
        here = {slot: array[..., : stop - start] for slot, array in gathered.items()}
        early = self.stepped_stage(start, stop)
        for low in range(start, stop, self.chunk):
            high = min(low + self.chunk, stop)
            part = slice(low - start, high - start)
            self.first_stage(
                low,
                high,
                pool,
                {slot: array[..., part] for slot, array in here.items()},
                {slot: array if array.shape[-1] == 1 else array[..., part] for slot, array in early.items()},
            )
        values = dict(self.fixed)
        values.update((slot, value[..., start:stop]) for slot, value in self.varied)
        values.update(here)
        values.update(early)
        for instruction in self.plan.over_time:
            _execute(instruction, values)
        for name, result in self.results.items():
            result[..., start:stop] = values[self.program.names[name]]

    def stepped_stage(self, start: int, stop: int) -> dict[int, Floats]:
        """What steps through time, on the whole block."""
        if not self.plan.stepped:
            return {}
        values = dict(self.fixed)
        values.update((slot, value[..., start:stop]) for slot, value in self.varied)
        for instruction in self.plan.stepped:
            _execute(instruction, values)
        return {slot: values[slot] for slot in self.plan.stepped_kept}

    def first_stage(
        self, low: int, high: int, pool: list[Floats], into: Mapping[int, Floats], early: Mapping[int, Floats]
    ) -> None:
        """The period-by-period instructions for one chunk; what is collected is written where it belongs."""
        values = dict(self.fixed)
        values.update((slot, value[..., low:high]) for slot, value in self.varied)
        values.update(early)
        plan = self.plan
        for instruction, register, drops in zip(plan.by_period, plan.registers, plan.drops, strict=True):
            out = instruction.outs[0]
            if register is not None:
                arguments = [values[arg] for arg in instruction.args]
                values[out] = instruction.compute(*arguments, out=pool[register][:, : high - low])
            elif instruction.into and out in into and self.program.over_time[out]:
                values[out] = instruction.compute(*[values[arg] for arg in instruction.args], out=into[out])
            else:
                _execute(instruction, values)
                for slot in instruction.outs:
                    if slot in into:
                        into[slot][...] = values[slot]
            for slot in drops:
                del values[slot]


def _block_size(program: Program, plan: _Stages) -> int:
    """How many cases go together: fewer where a deal of many lines and periods would take too much memory."""
    tables = sum(program.over_time[slot] for item in plan.stepped for slot in item.outs)
    tables += plan.register_count + sum(program.over_time[slot] for slot in plan.collected) + 1
    size = _BLOCK
    while size > 16 and size * program.time.rows * tables > _ELEMENTS:
        size //= 2
    return size


def _execute(instruction: Instruction, values: dict[int, Floats]) -> None:
    result = instruction.compute(*[values[arg] for arg in instruction.args])
    if isinstance(result, tuple):
        values.update(zip(instruction.outs, result, strict=True))
    else:
        values[instruction.outs[0]] = result


def _wide(value: Floats, cases: int) -> Floats:
    return np.broadcast_to(value, (*value.shape[:-1], cases))

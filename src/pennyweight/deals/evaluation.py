"""One evaluation on arrays of cases: what no varied input reaches once, the rest chunk by chunk.

The chunk size is fixed, so a figure is the same to the last bit for any number of threads. Within a chunk,
arrays over time live in a few reused registers, chosen by when each value is used for the last time.
"""

from __future__ import annotations

import os
from collections.abc import Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from typing import TypeAlias

import numpy as np
from numpy.typing import NDArray

from pennyweight.deals.program import Instruction, Program

__all__ = ["evaluate"]

Floats: TypeAlias = NDArray[np.float64]

_ELEMENTS = 65_536  # an array over time that stays in the cache
_STEPPED = 2_048  # recursions are bound by the number of calls, not by memory


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
        if not plan.moving:
            return {name: _wide(fixed[program.names[name]], cases) for name in plan.wanted}
        results = {
            name: np.empty((program.time.rows, cases) if program.over_time[program.names[name]] else cases)
            for name in plan.wanted
        }
        width = _STEPPED if program.has_groups else max(64, _ELEMENTS // program.time.rows)
        spans = [(start, min(start + width, cases)) for start in range(0, cases, width)]
        _run_spans(plan, program, fixed, inputs, results, spans, width, threads)
    return results


@dataclass(frozen=True)
class _Plan:
    wanted: tuple[str, ...]
    fixed: list[Instruction]
    moving: list[Instruction]
    registers: list[int | None]
    """For each moving instruction that writes into one: the register of its result."""
    register_count: int
    drops: list[tuple[int, ...]]
    """Slots not needed any more after each moving instruction."""


def _plan(program: Program, varied: frozenset[str], wanted: tuple[str, ...]) -> _Plan:
    plans: dict[object, _Plan] = program.__dict__.setdefault("plans", {})
    key = (varied, wanted)
    if key not in plans:
        plans[key] = _make_plan(program, varied, wanted)
    return plans[key]


def _make_plan(program: Program, varied: frozenset[str], wanted: tuple[str, ...]) -> _Plan:
    mask = sum(program.bits[name] for name in varied)
    targets = {program.names[name] for name in wanted}
    needed = set(targets)
    chosen: list[Instruction] = []
    for instruction in reversed(program.instructions):
        if needed.intersection(instruction.outs):
            chosen.append(instruction)
            needed.update(instruction.args)
    chosen.reverse()
    fixed = [item for item in chosen if not program.depends[item.outs[0]] & mask]
    moving = [item for item in chosen if program.depends[item.outs[0]] & mask]

    last_use: dict[int, int] = {}
    for k, item in enumerate(moving):
        for slot in (*item.args, *item.outs):
            last_use[slot] = k
    made = {slot for item in moving for slot in item.outs}
    register_of: dict[int, int] = {}
    free: list[int] = []
    count = 0
    registers: list[int | None] = []
    drops: list[tuple[int, ...]] = []
    for k, item in enumerate(moving):
        dying = tuple(
            slot for slot in {*item.args, *item.outs} if last_use[slot] == k and slot in made and slot not in targets
        )
        # An argument that dies here hands its register on, so the operation works in place.
        free += [register_of.pop(slot) for slot in dying if slot in register_of and slot in item.args]
        register = None
        if item.into and program.over_time[item.outs[0]] and item.outs[0] not in targets:
            if not free:
                free.append(count)
                count += 1
            register = free.pop()
            if item.outs[0] in dying:
                free.append(register)
            else:
                register_of[item.outs[0]] = register
        registers.append(register)
        drops.append(dying)
    return _Plan(wanted, fixed, moving, registers, count, drops)


def _execute(instruction: Instruction, values: dict[int, Floats]) -> None:
    result = instruction.compute(*[values[arg] for arg in instruction.args])
    if len(instruction.outs) == 1 and not isinstance(result, tuple):
        values[instruction.outs[0]] = result
    else:
        values.update(zip(instruction.outs, result, strict=True))


def _run_spans(
    plan: _Plan,
    program: Program,
    fixed: Mapping[int, Floats],
    inputs: Mapping[str, Floats],
    results: Mapping[str, Floats],
    spans: list[tuple[int, int]],
    width: int,
    threads: int | None,
) -> None:
    workers = min(threads or os.cpu_count() or 1, len(spans))
    varied = [(program.names[name], value) for name, value in inputs.items() if value.shape[-1] > 1]

    def work(share: list[tuple[int, int]]) -> None:
        pool = [np.empty((program.time.rows, width)) for _ in range(plan.register_count)]
        with np.errstate(all="ignore"):
            for start, stop in share:
                values = dict(fixed)
                for slot, value in varied:
                    values[slot] = value[..., start:stop]
                _run_chunk(plan, values, [register[:, : stop - start] for register in pool], stop - start)
                for name, result in results.items():
                    result[..., start:stop] = values[program.names[name]]

    if workers <= 1:
        work(spans)
        return
    with ThreadPoolExecutor(workers) as executor:
        list(executor.map(work, [spans[k::workers] for k in range(workers)]))


def _run_chunk(plan: _Plan, values: dict[int, Floats], pool: list[Floats], width: int) -> None:
    for instruction, register, drops in zip(plan.moving, plan.registers, plan.drops, strict=True):
        if register is None:
            _execute(instruction, values)
        else:
            arguments = [values[arg] for arg in instruction.args]
            out = pool[register]
            if width > 1 or all(argument.shape[-1] == 1 for argument in arguments):
                values[instruction.outs[0]] = instruction.compute(*arguments, out=out)
            else:
                _execute(instruction, values)
        for slot in drops:
            del values[slot]


def _wide(value: Floats, cases: int) -> Floats:
    return np.broadcast_to(value, (*value.shape[:-1], cases))

"""One evaluation on arrays of cases: what no varied input reaches once, the rest block by block.

A block of cases is worked out in two stages. First everything period by period, in chunks so small that the few
registers in use stay in the cache; then what looks over time (npv, irr, payback and their kin, and whatever
follows from them), on the whole block at once, because it is bound by the number of calls. Block and chunk
sizes are fixed, so a figure is the same to the last bit for any number of threads.
"""

from __future__ import annotations

import os
from collections.abc import Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor

import numpy as np

from pennyweight.array_kinds import Floats
from pennyweight.cluster import is_worker
from pennyweight.deals.compiler.program import Program
from pennyweight.deals.compiler.python_functions import CallsDiffer
from pennyweight.deals.compiler.slots import Instruction
from pennyweight.deals.compiler.stages import Stages, planned
from pennyweight.deals.set_stage import run_sets, shape_of
from pennyweight.progress import teller

__all__ = ["evaluate"]


_BLOCK = 2_048
_ELEMENTS = 2**25  # a quarter of a gigabyte in one block
_LEAST_ROWS = 60
_CHUNK_ELEMENTS = 40_960  # times eight bytes: an array over time that leaves room for others in the cache


def evaluate(
    program: Program,
    inputs: Mapping[str, Floats],
    wanted: Sequence[str],
    *,
    threads: int | None = None,
) -> dict[str, Floats]:
    """Work out the wanted names for all cases at once.

    Parameters
    ----------
    inputs : Mapping[str, array of float]
        Every input by name; single ones (1,) or (cases,), series (periods + 1, 1) or (periods + 1, cases), columns of
        sets (things, 1) or (things, cases).
    wanted : Sequence[str]
        Names of values, lines, levels, measures; what they do not need is not worked out.
    threads : int | None, optional
        How many to use; left out: as many as there are processors, when it pays.

    Returns
    -------
    dict[str, Floats]
        One figure a case, (cases,), or lines (periods + 1, cases); of what has a value for each thing of a set
        (things, cases) and (periods + 1, things, cases). NaN is undefined.
    """
    try:
        return _evaluated(program, inputs, wanted, threads)
    except CallsDiffer:  # a function of Python is called for each case alone from now on
        return _evaluated(program, inputs, wanted, threads)


def _evaluated(
    program: Program, inputs: Mapping[str, Floats], wanted: Sequence[str], threads: int | None
) -> dict[str, Floats]:
    cases = max((value.shape[-1] for value in inputs.values()), default=1)
    varied = frozenset(name for name, value in inputs.items() if value.shape[-1] > 1)
    plan = planned(program, varied, tuple(dict.fromkeys(wanted)))
    with np.errstate(all="ignore"):
        fixed: dict[int, Floats] = dict(program.constants)
        for name, value in inputs.items():
            slot = program.names[name]
            fixed[slot] = value.reshape(-1) if program.space[slot] and value.shape[-1] == 1 else value
        for instruction, drops in zip(plan.fixed, plan.fixed_drops, strict=True):
            _execute(instruction, fixed)
            for slot in drops:
                del fixed[slot]
    if not (plan.stepped or plan.by_period or plan.phases or plan.over_time):
        return {name: _wide(program, program.names[name], fixed, cases) for name in plan.wanted}
    results = {name: np.empty((*shape_of(program, program.names[name]), cases)) for name in plan.wanted}
    _Evaluation(program, plan, fixed, inputs, results, cases).all_blocks(threads)
    return results


class _Evaluation:
    """One evaluation under way."""

    def __init__(
        self,
        program: Program,
        plan: Stages,
        fixed: Mapping[int, Floats],
        inputs: Mapping[str, Floats],
        results: Mapping[str, Floats],
        cases: int,
    ) -> None:
        self.program, self.plan, self.fixed, self.results, self.cases = program, plan, fixed, results, cases
        self.varied = [(program.names[name], value) for name, value in inputs.items() if value.shape[-1] > 1]
        self.rows = program.time.rows
        self.done, self.tell, self.stopped = 0, teller(), False
        self.block_size = _block_size(program, plan)
        if plan.phases:  # few cases of many things are work enough for every processor
            self.block_size = min(self.block_size, max(1, -(-cases // (2 * (os.cpu_count() or 1)))))
        self.chunk = min(self.block_size, max(64, _CHUNK_ELEMENTS // self.rows))

    def all_blocks(self, threads: int | None) -> None:
        """Every block, shared out among threads."""
        size = self.block_size
        spans = [(start, min(start + size, self.cases)) for start in range(0, self.cases, size)]
        # Over few periods every call takes microseconds, and threads only hand the interpreter's lock to and fro: the
        # water-taxi took twice as long on two.
        able = (os.cpu_count() or 1) if self.rows >= _LEAST_ROWS or self.plan.phases else 1
        able = 1 if is_worker() else able
        workers = min(threads or able, len(spans))
        if workers <= 1:
            self.blocks(spans)
            return
        with ThreadPoolExecutor(workers) as executor:
            try:
                list(executor.map(self.blocks, [spans[k::workers] for k in range(workers)]))
            except BaseException:  # broken off: every thread ends with the block it is at
                self.stopped = True
                raise

    def blocks(self, spans: list[tuple[int, int]]) -> None:
        """One thread's share."""
        over_time, size = self.program.over_time, self.block_size
        pool = [np.empty((self.rows, self.chunk)) for _ in range(self.plan.register_count)]
        gathered = {slot: np.empty((self.rows, size) if over_time[slot] else size) for slot in self.plan.collected}
        with np.errstate(all="ignore"):
            for start, stop in spans:
                if self.stopped:
                    return
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
        if self.plan.phases:
            values.update(run_sets(self.program, self.plan, values, stop - start))
        for instruction in self.plan.over_time:
            _execute(instruction, values)
        for name, result in self.results.items():
            slot = self.program.names[name]
            value = values[slot]
            if self.program.space[slot] and value.ndim < result.ndim:
                value = value.reshape(*result.shape[:-1], -1)
            result[..., start:stop] = value

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


def _block_size(program: Program, plan: Stages) -> int:
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


def _wide(program: Program, slot: int, fixed: Mapping[int, Floats], cases: int) -> Floats:
    value = fixed[slot].reshape(*shape_of(program, slot), 1) if program.space[slot] else fixed[slot]
    return np.broadcast_to(value, (*value.shape[:-1], cases))

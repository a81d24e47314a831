"""What has a value for each thing of a set: worked out in blocks of things and cases that stay in the cache.

A set's values lie side by side, thing after thing, the cases of a thing together. What takes all things together is
worked out block by block and put together in the order of the blocks, whose size is fixed; what the things need of
that comes in a later phase.
"""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from pennyweight.array_kinds import Floats
from pennyweight.deals.compiler.program import Program
from pennyweight.deals.compiler.slots import Instruction, repeated
from pennyweight.deals.compiler.stages import Phase, Stages
from pennyweight.deals.language.set_functions import BLOCK, over_things, put_together

__all__ = ["run_sets", "shape_of"]

_ELEMENTS = 2**18
"""An array over time for all things of a block, in one chunk of cases."""


def run_sets(program: Program, plan: Stages, values: Mapping[int, Floats], count: int) -> dict[int, Floats]:
    """The slots that are kept, the things apart: (…, things, count), and (…, count) of what has one value a case."""
    kept = {slot: np.empty((*shape_of(program, slot), count)) for slot in plan.set_kept}
    step = max(1, _ELEMENTS // (program.time.rows * plan.most_things))
    for low in range(0, count, step):
        high = min(low + step, count)
        chunk = _Chunk(program, values, low, high)
        for phase in plan.phases:
            chunk.work_out(phase)
        for slot, whole in kept.items():
            whole[..., low:high] = chunk.whole[slot]
    return kept


def shape_of(program: Program, slot: int) -> tuple[int, ...]:
    """The shape of a slot but for its cases."""
    space = program.space[slot]
    return (*((program.time.rows,) if program.over_time[slot] else ()), *((program.counts[space],) if space else ()))


class _Chunk:
    """Some cases, phase by phase."""

    def __init__(self, program: Program, values: Mapping[int, Floats], low: int, high: int) -> None:
        self.program, self.values, self.low, self.high = program, values, low, high
        self.cases = high - low
        self.whole: dict[int, Floats] = {}
        """What earlier phases made: (…, things, cases), or (…, cases)."""

    def work_out(self, phase: Phase) -> None:
        """A phase: what each set's things have, block by block, then what has one value a case."""
        for space, items, drops, kept in phase.things:
            size = self.program.counts[space]
            wide = {slot: np.empty((*shape_of(self.program, slot), self.cases)) for slot in kept}
            parts: dict[int, list[Floats]] = {}
            for first in range(0, size, BLOCK):
                block = _Block(self, space, first, min(first + BLOCK, size))
                block.run(items, drops, parts)
                for slot, whole in wide.items():
                    whole[..., first : block.last, :] = block.apart(slot)
            self.whole.update(wide)
            for item in items:
                if item.over:
                    self.whole[item.outs[0]] = put_together(item.over, size, parts[item.outs[0]])
        for item in phase.others:
            self.alone(item)

    def alone(self, instruction: Instruction) -> None:
        """An instruction whose results have one value a case, or that lays out the things by itself."""
        result = instruction.compute(*(self.of_all(slot) for slot in instruction.args))
        results = result if isinstance(result, tuple) else (result,)
        for slot, value in zip(instruction.outs, results, strict=True):
            space = self.program.space[slot]
            self.whole[slot] = value.reshape(*shape_of(self.program, slot), -1) if space else value

    def of_all(self, slot: int) -> Floats:
        """A value for these cases, all things side by side."""
        if not self.program.space[slot]:
            return self.of_case(slot)
        table = self.table(slot)
        wide = np.broadcast_to(table, (*table.shape[:-1], self.cases))
        return np.ascontiguousarray(wide).reshape(*table.shape[:-2], -1)

    def of_case(self, slot: int) -> Floats:
        """A value that every case has once."""
        if slot in self.whole:
            return self.whole[slot]
        found = self.values[slot]
        return found if found.shape[-1] == 1 else found[..., self.low : self.high]

    def table(self, slot: int) -> Floats:
        """What each thing has, (…, things, cases), or (…, things, 1) where it is the same in all cases."""
        if slot in self.whole:
            return self.whole[slot]
        found = self.values[slot]
        if found.ndim == len(shape_of(self.program, slot)):
            return found[..., None]
        return found[..., self.low : self.high]


class _Block:
    """Some things of a set, for some cases."""

    def __init__(self, chunk: _Chunk, space: str, first: int, last: int) -> None:
        self.chunk, self.space, self.first, self.last = chunk, space, first, last
        self.size, self.cases = last - first, chunk.cases
        self.program = chunk.program
        self.made: dict[int, Floats] = {}
        self.laid_out: dict[int, Floats] = {}

    def run(
        self, items: tuple[Instruction, ...], drops: tuple[tuple[int, ...], ...], parts: dict[int, list[Floats]]
    ) -> None:
        """Every instruction; what takes the things together adds its part for these."""
        for item, dying in zip(items, drops, strict=True):
            self.execute(item, dying, parts)
            for slot in dying:
                self.made.pop(slot, None)
                self.laid_out.pop(slot, None)

    def execute(self, item: Instruction, dying: tuple[int, ...], parts: dict[int, list[Floats]]) -> None:
        """One instruction, its arguments as wide as its results; it may write over one that nobody needs after it."""
        if item.over:
            things = self.value(item.args[0])
            asked = [self.chunk.of_case(slot) for slot in item.args[1:]]
            asked = [place - self.first for place in asked]  # the one that is asked for, counted in this block
            parts.setdefault(item.outs[0], []).append(over_things(item.over, self.size, things, *asked, part=True))
            return
        values = [self.value(slot) for slot in item.args]
        out = item.outs[0]
        if item.repeats:
            self.made[out] = repeated(self.size, values[0])
            return
        free = next((slot for slot in item.args if item.into and slot in dying and slot in self.made), None)
        if free is not None and values[item.args.index(free)] is self.made[free] and self._is_full(self.made[free]):
            self.made[out] = item.compute(*values, out=self.made[free])
            return
        result = item.compute(*values)
        if isinstance(result, tuple):
            self.made.update(zip(item.outs, result, strict=True))
        else:
            self.made[out] = result

    def _is_full(self, found: Floats) -> bool:
        """Whether a value is an array over time with one for every thing and case, that can be written to."""
        own = found.flags.owndata and found.flags.writeable
        return found.ndim == 2 and found.shape[1] == self.size * self.cases and own

    def value(self, slot: int) -> Floats:
        """A value as wide as the block: of each thing and case, or one wide where it is the same for all."""
        if slot in self.made:
            return self.made[slot]
        if slot in self.laid_out:
            return self.laid_out[slot]
        if self.program.space[slot]:
            table = self.chunk.table(slot)[..., self.first : self.last, :]
            wide = np.broadcast_to(table, (*table.shape[:-1], self.cases))
            found = np.ascontiguousarray(wide).reshape(*table.shape[:-2], -1)
        else:
            found = self.chunk.of_case(slot)
            if found.shape[-1] > 1:
                found = np.tile(found, self.size)
        self.laid_out[slot] = found
        return found

    def apart(self, slot: int) -> Floats:
        """What was made, with the things apart from the cases."""
        found = self.made[slot]
        return found.reshape(*found.shape[:-1], self.size, -1)

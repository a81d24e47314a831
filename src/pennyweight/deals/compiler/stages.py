"""In which order the instructions of a program are worked out, by what is varied and what is wanted."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass
from functools import partial

from pennyweight.deals.compiler.program import Program
from pennyweight.deals.compiler.slots import Instruction

__all__ = ["Phase", "Stages", "planned"]


@dataclass(frozen=True)
class Phase:
    """What is worked out of sets without waiting for all things of one."""

    things: tuple[tuple[str, tuple[Instruction, ...], tuple[tuple[int, ...], ...], tuple[int, ...]], ...]
    """By set: its instructions, for each the slots nobody needs after it in this phase, the slots that outlast it."""
    others: tuple[Instruction, ...]
    """What has one value a case, or reads and makes both kinds, after these."""


@dataclass(frozen=True)
class Stages:
    """What is worked out in which stage, and what each hands on."""

    wanted: tuple[str, ...]
    fixed: list[Instruction]
    """What no varied input reaches, once, one case wide."""
    fixed_drops: list[tuple[int, ...]]
    """For each of these: the slots nobody needs after it, so that their memory serves the next."""
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
    phases: tuple[Phase, ...]
    """What has a value for each thing of a set, and what that needs of the next stage."""
    set_kept: tuple[int, ...]
    """Its slots that the next stage or the asker takes."""
    most_things: int
    over_time: list[Instruction]
    """The last stage, on a whole block."""


def planned(program: Program, varied: frozenset[str], wanted: tuple[str, ...]) -> Stages:
    """The stages of a program for what is varied and what is wanted; made once."""
    key = (varied, wanted)
    if key not in program.plans:
        program.plans[key] = _make_plan(program, varied, wanted)
    plan = program.plans[key]
    assert isinstance(plan, Stages)
    return plan


def _make_plan(program: Program, varied: frozenset[str], wanted: tuple[str, ...]) -> Stages:
    mask = sum(program.bits[name] for name in varied)
    targets = [program.names[name] for name in wanted]
    needed = _in_order_of_need(program, targets)
    fixed = [item for item in needed if not program.depends[item.outs[0]] & mask]
    moving = [item for item in needed if program.depends[item.outs[0]] & mask]

    fixed_made = {slot for item in fixed for slot in item.outs} - {slot for item in moving for slot in item.args}
    by_period: list[Instruction] = []
    over_time: list[Instruction] = []
    late: set[int] = set()
    for item in moving:
        reduces = any(program.over_time[arg] for arg in item.args) and not program.over_time[item.outs[0]]
        if reduces or late.intersection(item.args) or _of_sets(program, item):
            over_time.append(item)
            late.update(item.outs)
        else:
            by_period.append(item)
    stepped, by_period = _apart(by_period, lambda item: item.steps)
    taken = {slot for item in over_time for slot in item.args} | set(targets)
    of_sets, over_time = _apart(over_time, partial(_of_sets, program))
    set_made = {slot for item in of_sets for slot in item.outs}
    set_kept = tuple(sorted(set_made & ({slot for item in over_time for slot in item.args} | set(targets))))
    most = max((program.counts.get(program.space[slot], 1) for slot in set_made), default=1)
    early = {slot for item in stepped for slot in item.outs}
    kept = tuple(sorted(early & (taken | {slot for item in by_period for slot in item.args})))
    made = {slot for item in by_period for slot in item.outs}
    collected = tuple(sorted(made & taken))
    registers, count, drops = _allot(program, by_period, made, set(collected))
    return Stages(
        wanted=wanted,
        fixed=fixed,
        fixed_drops=_last_uses(fixed, fixed_made - set(targets)),
        stepped=stepped,
        stepped_kept=kept,
        by_period=by_period,
        registers=registers,
        register_count=count,
        drops=drops,
        collected=collected,
        phases=_phases(program, of_sets, set(set_kept)),
        set_kept=set_kept,
        most_things=most,
        over_time=over_time,
    )


def _phases(program: Program, items: list[Instruction], kept: set[int]) -> tuple[Phase, ...]:
    """What can be worked out thing by thing together; what waits for all things of a set comes in a later one."""
    made: dict[int, int] = {}  # the phase in which a slot is made
    phase_of: list[int] = []
    for item in items:
        each = any(program.space[slot] for slot in item.outs)
        number = 0
        for slot in item.args:
            if slot in made:
                waits = item.mixed or (bool(program.space[slot]) != (each or bool(item.over)))
                # An ordinary instruction may follow what its own phase took together; things wait for the next.
                later = waits and (bool(program.space[slot]) or each or bool(item.over))
                number = max(number, made[slot] + later)
        phase_of.append(number)
        # What lays out the things itself comes after those of its phase.
        made.update({slot: number + (item.mixed and bool(program.space[slot])) for slot in item.outs})
    used = {slot: max(n for n, item in zip(phase_of, items, strict=True) if slot in item.args or slot in item.outs)
            for slot in made}  # fmt: skip
    phases = []
    for number in range(max(phase_of, default=-1) + 1):
        here = [item for n, item in zip(phase_of, items, strict=True) if n == number]
        spaces = dict.fromkeys(own for item in here if not item.mixed and (own := _space(program, item)))
        groups = []
        for space in spaces:
            own_items = tuple(item for item in here if not item.mixed and _space(program, item) == space)
            outs = [slot for item in own_items for slot in item.outs if program.space[slot]]
            lasting = tuple(slot for slot in outs if slot in kept or used[slot] > number)
            drops = _last_uses(list(own_items), set(outs) - set(lasting))
            groups.append((space, own_items, tuple(drops), lasting))
        others = tuple(item for item in here if item.mixed or not _space(program, item))
        phases.append(Phase(tuple(groups), others))
    return tuple(phases)


def _space(program: Program, item: Instruction) -> str:
    """The set for whose things an instruction works, also where it takes them together."""
    return next((program.space[slot] for slot in (*item.outs, *item.args) if program.space[slot]), "")


def _of_sets(program: Program, item: Instruction) -> bool:
    """Whether an instruction takes or gives values for each thing of a set."""
    return any(program.space[slot] for slot in (*item.args, *item.outs))


def _last_uses(items: list[Instruction], made: set[int]) -> list[tuple[int, ...]]:
    """For each instruction the slots that nobody needs after it."""
    last_use = {slot: k for k, item in enumerate(items) for slot in (*item.args, *item.outs)}
    drops: list[list[int]] = [[] for _ in items]
    for slot, k in last_use.items():
        if slot in made:
            drops[k].append(slot)
    return [tuple(own) for own in drops]


def _apart(
    items: list[Instruction], first: Callable[[Instruction], bool]
) -> tuple[list[Instruction], list[Instruction]]:
    """(those that come `first` with everything they need of the others, the rest), each in order."""
    needed: set[int] = set()
    early: list[Instruction] = []
    late: list[Instruction] = []
    for item in reversed(items):
        if first(item) or needed.intersection(item.outs):
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

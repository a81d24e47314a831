"""In which periods a line runs: masks over the periods, fixed where they can be, worked out where inputs decide."""

from __future__ import annotations

from functools import partial

import numpy as np
from numpy.typing import NDArray

from pennyweight.array_kinds import Floats
from pennyweight.deals.compiler.slots import Mask, Slots
from pennyweight.deals.language.arithmetic import WHOLE
from pennyweight.deals.language.names import current_names
from pennyweight.deals.language.nodes import Call, Name, Node, children
from pennyweight.deals.language.set_functions import OF_SETS
from pennyweight.deals.parts import TOTALS, Line, Run, Setting
from pennyweight.deals.timeline import Timeline

__all__ = ["born_yet", "mask_of", "masked", "over_time", "replaced", "setting_mask", "settled", "until", "with_first"]


def mask_of(program: Slots, line: Line) -> Mask:
    """The mask of a line: as its run says, else as the lines it names, else 1…end."""
    own = program.definition.sets.get(line.each)
    if own is not None and own.born:
        return _since_birth(program, line)
    if line.run.said:
        return _said(program, line.run)
    named = _named(program, line)
    if not named:
        return program.time.t[:, 0] >= 1
    fixed = [mask for mask in named if not isinstance(mask, int)]
    moving = sorted({mask for mask in named if isinstance(mask, int)})
    union = np.logical_or.reduce(fixed) if fixed else np.zeros(program.time.rows, np.bool_)
    if not moving or union.all():
        return union
    slots = [program.constant(union.astype(np.float64)[:, None]), *moving]
    result = slots[0]
    for slot in slots[1:]:
        result = program.emit("either", np.maximum, [result, slot], True)
    return result


def masked(program: Slots, slot: int, mask: Mask) -> int:
    """The slot with zero where the mask does not run."""
    if isinstance(mask, int):
        return program.emit("masked", _by_mask, [slot, mask], True, into=True)
    if mask.all():
        return over_time(program, slot)
    compute = partial(_by_fixed_mask, ~mask, program.time.rows)
    return program.emit(("masked", mask.tobytes()), compute, [slot], True, into=True)


def until(program: Slots, last: int) -> int:
    """The slot of the mask that is 1 up to a period."""
    compute = partial(_run_mask, program.time, (False, True, True, False))
    return program.emit("between", compute, [program.number(0.0), last], True)


def over_time(program: Slots, slot: int) -> int:
    """The slot as a line, the same in every period when it is one figure."""
    if program.over_time[slot]:
        return slot
    return program.emit("spread", partial(_spread, program.time.rows), [slot], True)


def settled(program: Slots, slot: int, settings: tuple[Setting, ...]) -> int:
    """The slot with what `set` puts in its place in single periods."""
    for setting in settings:
        mask = setting_mask(program, setting)
        slot = program.emit("set", replaced, [slot, mask, program.translate(setting.node)], True)
    return slot


def setting_mask(program: Slots, setting: Setting) -> int:
    """The slot of the mask first…last, 0 throughout where the setting is switched off."""
    args = [program.translate(setting.first), program.translate(setting.last)]
    mask = program.emit("between", partial(_run_mask, program.time, (False, True, True, False)), args, True)
    return mask if setting.switch is None else program.operation("*", mask, program.translate(setting.switch))


def with_first(line: Floats, start: Floats) -> Floats:
    """The line with its value in period 0 replaced."""
    width = max(line.shape[1], start.shape[-1])
    result = np.array(np.broadcast_to(line, (line.shape[0], width)))
    result[0] = start[0] if start.ndim == 2 else start
    return result


def _named(program: Slots, line: Line) -> list[Mask]:
    """The masks of the lines a line names; what takes the things of a set together runs when one of them does."""
    own = _own_names(line.node) if line.each else set()
    found: list[Mask] = []
    for name in sorted(current_names(line.node)):
        for mask in _masks_named(program, name):
            apart = (
                isinstance(mask, int) and program.space[mask] and not (name in own and program.space[mask] == line.each)
            )
            found.append(program.over_things("highest_of", mask) if apart and isinstance(mask, int) else mask)
    return found


def _own_names(node: Node) -> set[str]:
    """The names a formula reads outside of the functions that take the things of a set together."""
    if isinstance(node, Name):
        return {node.name}
    if isinstance(node, Call) and node.function in OF_SETS:
        return set()
    return set().union(*map(_own_names, children(node))) if children(node) else set()


def _since_birth(program: Slots, line: Line) -> Mask:
    """The mask of a line of cohorts: as its run says, or as the lines it names, and never before a cohort begins."""
    alive = born_yet(program, line.each)
    said = [_said(program, line.run)] if line.run.said else _named(program, line)
    if not said:
        return alive
    runs = _as_slot(program, said[0])
    for other in said[1:]:
        runs = program.emit("either", np.maximum, [runs, _as_slot(program, other)], True)
    return program.emit("both", np.minimum, [alive, runs], True)


def born_yet(program: Slots, space: str) -> int:
    """The slot of the mask of cohorts: 1 from the period in which each begins."""
    return program.operation(">=", program.names[f"{space}.age"], program.number(0.0))


def _as_slot(program: Slots, mask: Mask) -> int:
    return mask if isinstance(mask, int) else program.constant(mask.astype(np.float64)[:, None])


def _said(program: Slots, run: Run) -> Mask:
    parts = (run.at, run.first, run.last, run.every)
    present = tuple(part is not None for part in parts)
    args = [program.translate(part) for part in parts if part is not None]
    compute = partial(_run_mask, program.time, present)
    if all(program.depends[arg] == 0 and arg in program.constants for arg in args):
        fixed = compute(*(program.constants[arg] for arg in args))
        return np.asarray(fixed[:, 0] == 1)
    return program.emit(("run", present), compute, args, True)


def _run_mask(time: Timeline, present: tuple[bool, ...], *args: Floats) -> Floats:
    """1 where a line runs, 0 where not, NaN where a period it depends on is not a whole one."""
    given = iter(args)
    at, first, last, every = (next(given) if there else None for there in present)
    t = time.t
    if at is not None:
        return _known([at], np.abs(t - at) <= WHOLE)
    if first is None:
        first = every if every is not None else np.ones(1)
    if last is None:
        last = np.full(1, float(time.periods))
    runs = (t >= first - WHOLE) & (t <= last + WHOLE)
    if every is not None:
        step = np.where(every >= 1, np.round(every), np.nan)
        since = t - np.round(first)
        with np.errstate(invalid="ignore"):
            runs &= np.abs(since - step * np.round(since / step)) <= WHOLE
        return _known([first, last, np.where(every >= 1, every, np.nan)], runs)
    return _known([first, last], runs)


def _known(periods: list[Floats], runs: NDArray[np.bool_]) -> Floats:
    whole = np.ones(1, np.bool_)
    for period in periods:
        never = np.isposinf(period)
        whole = whole & (never | (np.abs(period - np.round(np.where(never, 0.0, period))) <= WHOLE))
    return np.where(whole, runs.astype(np.float64), np.nan)


def _masks_named(program: Slots, name: str) -> list[Mask]:
    if name in TOTALS:
        lines = program.definition.lines.values()
        roles = {"money_in": ("in",), "money_out": ("out",)}.get(name, ("in", "out"))
        loans = [f"{loan}.flow" for loan in program.definition.loans] if name == "net" else []
        named = [line.name for line in lines if line.role in roles] + loans
        return [program.masks[other] for other in named if other in program.masks]
    if name.startswith("loans."):
        named = [f"{loan}.{name.partition('.')[2]}" for loan in program.definition.loans]
        return [program.masks[other] for other in named if other in program.masks]
    return [program.masks[name]] if name in program.masks else []


def _by_mask(x: Floats, mask: Floats, out: Floats | None = None) -> Floats:
    if mask.shape[1] == 1:  # the same periods in all cases
        if out is None:
            out = np.empty((mask.shape[0], x.shape[-1]))
        if out is not x:
            np.copyto(out, x)
        rest = mask[:, 0] != 1
        out[rest] = np.where(np.isnan(mask[rest]), np.nan, 0.0)
        return out
    if out is not x:
        shown = np.where(mask == 1, x, 0.0)
        out = shown if out is None else out
        if out is not shown:
            np.copyto(out, shown)
    else:
        np.putmask(out, np.broadcast_to(mask != 1, out.shape), 0.0)
    if np.isnan(np.add.reduce(mask, axis=None)):
        np.copyto(out, np.nan, where=np.isnan(mask))
    return out


def _by_fixed_mask(rest: NDArray[np.bool_], rows: int, x: Floats, out: Floats | None = None) -> Floats:
    if out is None:
        out = np.empty((rows, x.shape[-1]))
    if out is not x:
        np.copyto(out, x)
    out[rest] = 0.0
    return out


def _spread(rows: int, x: Floats) -> Floats:
    return np.array(np.broadcast_to(x, (rows, x.shape[-1])))


def replaced(x: Floats, mask: Floats, value: Floats) -> Floats:
    """The line with another value where the mask is 1, undefined where it is."""
    return np.where(mask == 1, value, np.where(np.isnan(mask), np.nan, x))

"""In which periods a line runs: masks over the periods, fixed where they can be, worked out where inputs decide."""

from __future__ import annotations

from functools import partial

import numpy as np
from numpy.typing import NDArray

from pennyweight.array_kinds import Floats
from pennyweight.deals.compiler.slots import Mask, Slots
from pennyweight.deals.language.arithmetic import WHOLE
from pennyweight.deals.language.names import current_names
from pennyweight.deals.parts import TOTALS, Line, Run, Setting
from pennyweight.deals.timeline import Timeline

__all__ = ["mask_of", "masked", "over_time", "setting_mask", "settled", "with_first"]


def mask_of(program: Slots, line: Line) -> Mask:
    """The mask of a line: as its run says, else as the lines it names, else 1…end."""
    if line.run.said:
        return _said(program, line.run)
    named = [mask for name in sorted(current_names(line.node)) for mask in _masks_named(program, name)]
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


def over_time(program: Slots, slot: int) -> int:
    """The slot as a line, the same in every period when it is one figure."""
    if program.over_time[slot]:
        return slot
    return program.emit("spread", partial(_spread, program.time.rows), [slot], True)


def settled(program: Slots, slot: int, settings: tuple[Setting, ...]) -> int:
    """The slot with what `set` puts in its place in single periods."""
    for setting in settings:
        mask = setting_mask(program, setting)
        slot = program.emit("set", _replace, [slot, mask, program.translate(setting.node)], True)
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
    shown = np.where(mask == 1, x, 0.0)
    unknown = np.isnan(mask)
    if unknown.any():
        shown[np.broadcast_to(unknown, shown.shape)] = np.nan
    if out is None:
        return shown
    np.copyto(out, shown)
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


def _replace(x: Floats, mask: Floats, value: Floats) -> Floats:
    return np.where(mask == 1, value, np.where(np.isnan(mask), np.nan, x))

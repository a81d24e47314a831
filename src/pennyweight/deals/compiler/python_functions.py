"""A function of Python as one instruction: called once with arrays where it can be, else case by case."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

import numpy as np

from pennyweight.array_kinds import Floats, Ints
from pennyweight.deals.compiler.slots import Instruction, Slots
from pennyweight.deals.parts import PythonFunction, result_name
from pennyweight.errors import InputError
from pennyweight.reading.text_files import note_remark

__all__ = ["CallsDiffer", "compile_function", "results_of"]

_TRIED = 16
"""Of so many cases of every block both ways are tried."""
_CLOSE = 1e-12
_ROUNDING = 1e-7
"""What differs by less was added up in another order: nobody need be told."""


def compile_function(program: Slots, function: PythonFunction) -> None:
    """What a function gives, as slots that formulas name."""
    args = tuple(program.names[name] for name in function.inputs)
    depends = 0
    for arg in args:
        depends |= program.depends[arg]
    outs = [program.slot(name in function.lines, depends) for name in function.outputs]
    caller = _Caller(function, program.time.rows)
    program.instructions.append(Instruction(caller, args, tuple(outs), steps=True))
    for name, slot in zip(function.outputs, outs, strict=True):
        program.names[result_name(name)] = slot
        if name in function.lines:
            program.masks[result_name(name)] = np.ones(program.time.rows, np.bool_)


def results_of(function: PythonFunction, given: Mapping[str, Any], rows: int) -> dict[str, Any]:
    """What one call gives, each a number or (periods + 1,); what cannot be worked out is not-a-number.

    InputError where it gives something else, or breaks on something that is no arithmetic.
    """
    try:
        with np.errstate(all="ignore"):
            found = function.function(**given)
    except (ArithmeticError, ValueError):
        return {name: np.full(rows, np.nan) if name in function.lines else np.nan for name in function.outputs}
    except Exception as error:
        said = f"{type(error).__name__}: {error}"
        raise InputError(f"{function.called} breaks with {said}", at=function.name) from error
    if not isinstance(found, Mapping):
        raise InputError(
            f"{function.name} gives {type(found).__name__}; it must give figures by name.", at=function.name
        )
    missing = [name for name in function.outputs if name not in found]
    if missing:
        raise InputError(f"{function.name} gives no '{missing[0]}' here, which it gave before.", at=function.name)
    return {name: np.nan if found[name] is None else found[name] for name in function.outputs}


class CallsDiffer(Exception):
    """A call with arrays gave other figures than calls one by one: all is worked out anew, case by case."""


class _Caller:
    """Calls the function for a block of cases: with arrays, as long as that gives what single calls give."""

    def __init__(self, function: PythonFunction, rows: int) -> None:
        self.function, self.rows = function, rows
        self.one_by_one: set[frozenset[str]] = set()
        """The sets of inputs that vary with which calls with arrays have differed."""

    def __call__(self, *values: Floats) -> tuple[Floats, ...]:
        width = max((value.shape[-1] for value in values), default=1)
        given = dict(zip(self.function.inputs, values, strict=True))
        varied = frozenset(name for name, value in given.items() if value.shape[-1] > 1)
        alone = width == 1 or self.function.each_alone or varied in self.one_by_one
        together = None if alone else self._together(given, width)
        if together is None:
            return self._one_by_one(given, width, range(width))
        some = self._some(given, width)
        part = {name: value if value.shape[-1] == 1 else value[..., some] for name, value in given.items()}
        singly = self._one_by_one(part, some.size, range(some.size))
        pairs = [(one[..., some], other) for one, other in zip(together, singly, strict=True)]
        if all(np.allclose(one, other, rtol=_CLOSE, atol=0.0, equal_nan=True) for one, other in pairs):
            return together
        self.one_by_one.add(varied)
        if not all(np.allclose(one, other, rtol=_ROUNDING, atol=_ROUNDING, equal_nan=True) for one, other in pairs):
            note_remark(
                f"{self.function.called} gives other figures for many cases at once than for each alone, so that it is "
                "called for each; say each_alone=True, and it is from the start."
            )
        raise CallsDiffer

    @staticmethod
    def _some(given: Mapping[str, Floats], width: int) -> Ints:
        """Cases of a block that are called alone too: spread over it, and those with the least and most of an input."""
        found = [np.linspace(0, width - 1, min(_TRIED, width)).round().astype(np.intp)]
        for value in given.values():
            if value.shape[-1] > 1:
                size = value.reshape(-1, width).sum(axis=0)
                found.append(
                    np.array([np.nanargmin(size), np.nanargmax(size)]) if np.isfinite(size).any() else found[0]
                )
        return np.unique(np.concatenate(found))

    def _together(self, given: Mapping[str, Floats], width: int) -> tuple[Floats, ...] | None:
        """One call with arrays; None where it breaks or gives another shape."""
        arrays = {name: _bare(value, 0) if value.shape[-1] == 1 else value for name, value in given.items()}
        try:
            with np.errstate(all="ignore"):
                found = self.function.function(**arrays)
        except Exception:
            return None
        laid_out = []
        for name in self.function.outputs:
            value: Any = dict(found).get(name)
            shape = (self.rows, width) if name in self.function.lines else (width,)
            try:
                array = np.asarray(value, dtype=np.float64)
                if name in self.function.lines and array.shape == (self.rows,):
                    array = array[:, None]
                laid_out.append(np.array(np.broadcast_to(array, shape)))
            except (TypeError, ValueError):
                return None
        return tuple(laid_out)

    def _one_by_one(self, given: Mapping[str, Floats], width: int, cases: Sequence[int]) -> tuple[Floats, ...]:
        function = self.function
        found = [np.empty((self.rows, width) if name in function.lines else width) for name in function.outputs]
        for k in cases:
            one = {name: _bare(value, k) for name, value in given.items()}
            results = results_of(function, one, self.rows)
            for array, name in zip(found, function.outputs, strict=True):
                try:
                    array[..., k] = np.asarray(results[name], dtype=np.float64)
                except (TypeError, ValueError):
                    wanted = f"{self.rows} values, one a period" if name in function.lines else "one number"
                    raise InputError(
                        f"{function.name} gives {results[name]!r:.60} for {name}; it must give {wanted}.", at=name
                    ) from None
        return tuple(found)


def _bare(value: Floats, k: int) -> Any:
    """One case of an input: a number, or its values a period."""
    own = value[..., 0 if value.shape[-1] == 1 else k]
    return float(own) if own.ndim == 0 else own

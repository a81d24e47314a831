"""A deal out of a function of Python: its inputs go in by keyword, measures and lines come out by name."""

from __future__ import annotations

import inspect
from collections.abc import Callable, Mapping
from dataclasses import replace
from typing import Any

import numpy as np

from pennyweight.analysis.cases import Model
from pennyweight.deals.compiler.python_functions import results_of
from pennyweight.deals.definition import Definition
from pennyweight.deals.file.sections import define
from pennyweight.deals.language.names import Extent
from pennyweight.deals.language.nodes import Name
from pennyweight.deals.parts import PythonFunction, result_name
from pennyweight.errors import InputError, nearest

__all__ = ["definition_of"]

_NOTHING = "what_the_function_gives"
_OTHER = ("scenarios", "questions", "tables", "charts", "checks", "page_one", "note", "currency", "locale")


def definition_of(
    function: Callable[..., Mapping[str, Any]],
    inputs: Mapping[str, Any],
    *,
    goals: Mapping[str, Any],
    measures: Mapping[str, Any],
    lines: Mapping[str, Any],
    timeline: Mapping[str, Any],
    title: str,
    each_alone: bool,
    more: Mapping[str, Any],
) -> Definition:
    """The definition of a deal that is a function; see `Deal.from_function`."""
    name = getattr(function, "__name__", "the function")
    taken = _check_inputs(function, name, inputs)
    for key in more:
        if key not in _OTHER:
            raise InputError(f"There is no section '{key}'{nearest(key, _OTHER) or '.'}", at=key)
    head = {"deal": title, "timeline": dict(timeline), "inputs": dict(inputs)}
    shown = {key: more[key] for key in ("currency", "locale") if key in more}
    base = define({**head, **shown, "measures": {_NOTHING: 0}})
    given = {key: value for key, value in Model.of(base).inputs_of().items() if key in taken}
    rows = base.timeline.rows
    found = results_of(PythonFunction(name, function, tuple(taken), (), ()), given, rows)
    found = _first_call(function, name, given, found)
    over_time = [key for key, value in found.items() if np.ndim(value)]
    single = [key for key in found if key not in over_time]
    for key in over_time:
        if np.shape(found[key]) != (rows,):
            raise InputError(
                f"{name} gives {np.shape(found[key])} values for {key}; a line has {rows}, periods 0 to {rows - 1}.",
                at=key,
            )
    for key in (*measures, *lines):
        if key not in found:
            raise InputError(f"{name} gives no '{key}'{nearest(key, found) or '.'}", at=key)
        if "formula" in {**measures, **lines}[key]:
            raise InputError(f"{name} gives '{key}', so that it takes no 'formula'; leave it out.", at=key)
    document = {
        **head,
        "measures": {key: {"formula": 0, **dict(measures.get(key, {}))} for key in single},
        "lines": {key: {"formula": 0, "from": 0, **dict(lines.get(key, {}))} for key in over_time},
        **({"goals": dict(goals)} if goals else {}),
        **more,
    }
    read = define(document)
    own = PythonFunction(name, function, tuple(taken), tuple(single), tuple(over_time), each_alone)
    shapes: dict[str, Extent] = {result_name(key): "line" if key in over_time else "single" for key in found}
    names = replace(
        read.names,
        shapes={**read.names.shapes, **shapes},
        said_units={**read.names.said_units, **{result_name(key): read.unit(key) for key in found}},
        nodes={key: node for key, node in read.names.nodes.items() if key not in found},
    )
    return replace(
        read,
        names=names,
        measures={key: _put_in(item, found) for key, item in read.measures.items()},
        lines={key: _put_in(item, found) for key, item in read.lines.items()},
        function=own,
    )


def _put_in(item: Any, found: Mapping[str, Any]) -> Any:
    """A measure or a line that reads what the function gives."""
    if item.name not in found:
        return item
    return replace(item, node=Name(result_name(item.name)), text="given by the function")


def _check_inputs(function: Callable[..., Any], name: str, inputs: Mapping[str, Any]) -> list[str]:
    """The inputs that the function takes by keyword."""
    if not callable(function):
        raise InputError(f"function is {type(function).__name__}; it must be a function.", at="function")
    try:
        parameters = inspect.signature(function).parameters.values()
    except (ValueError, TypeError):  # one that is built in may not say what it takes
        raise InputError(
            f"{name} does not say what it takes, so that inputs cannot be given to it by name; write a function of "
            "your own that calls it.",
            at="function",
        ) from None
    every = any(one.kind is one.VAR_KEYWORD for one in parameters)
    able = [one for one in parameters if one.kind in (one.POSITIONAL_OR_KEYWORD, one.KEYWORD_ONLY)]
    only = [one.name for one in parameters if one.kind is one.POSITIONAL_ONLY]
    if only:
        raise InputError(f"{name} takes {only[0]} by its place alone; inputs are given by name.", at="function")
    missing = [one.name for one in able if one.default is one.empty and one.name not in inputs]
    if missing:
        raise InputError(f"{name} takes '{missing[0]}', and there is no such input; name it under inputs.", at="inputs")
    known = [one.name for one in able]
    unknown = [one for one in inputs if one not in known]
    if unknown and not every:
        raise InputError(
            f"{name} does not take '{unknown[0]}'{nearest(unknown[0], known) or '.'} It takes {', '.join(known)}.",
            at="inputs",
        )
    return [one for one in inputs if every or one in known]


def _first_call(
    function: Callable[..., Any], name: str, given: Mapping[str, Any], found: Mapping[str, Any]
) -> dict[str, Any]:
    """What the function gives for the inputs as they stand, by name; every figure a number, or one a period."""
    with np.errstate(all="ignore"):
        try:
            results = function(**given)
        except (ArithmeticError, ValueError) as error:
            raise InputError(
                f"{name} gives nothing for the inputs as they stand: {type(error).__name__}: {error}. What it gives "
                "there says which figures there are.",
                at="function",
            ) from error
    if not results:
        raise InputError(f"{name} gives no figures; it must give them by name, such as {{'npv': 5.0}}.", at="function")
    for key, value in results.items():
        if not isinstance(key, str) or not key.isidentifier():
            raise InputError(f"{name} gives a figure called {key!r}; a name has letters, digits and _.", at="function")
        array = np.asarray(value, dtype=object if value is None else None)
        if value is not None and (array.dtype.kind not in "fiub" or array.ndim > 1):
            raise InputError(
                f"{name} gives {type(value).__name__} for {key}; it must give a number, or one a period.", at="function"
            )
    return dict(results)

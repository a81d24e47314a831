"""`uncertain` of an input: how it falls where cases are drawn, read and checked."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any

import numpy as np

from pennyweight.array_kinds import Floats
from pennyweight.core.correlations import is_possible, nearest_possible, normal_correlations, rank_correlations
from pennyweight.deals.assumptions import Fall, Input, Shape
from pennyweight.errors import InputError, nearest
from pennyweight.plain_text import listed
from pennyweight.quantities.units import read_value

__all__ = ["check_moves", "moves_of", "read_fall"]

_RANGED: tuple[Shape, ...] = ("triangular", "uniform", "pert")
_SPREAD: tuple[Shape, ...] = ("normal", "lognormal")
_KEYS = {
    "shape": ("deviation",),
    "yearly": ("persists",),
    "all_years": (),
    "file": ("column", "sheet", "blocks"),
}
"""What a table may begin with, and which keys go with it."""
_FEWEST = 5


def read_fall(
    given: object,
    moves_with: Mapping[str, Any] | None,
    item: Input,
    history: Callable[[str, str, str | None], Floats],
) -> Fall | None:
    """How an input falls; `history` reads a column of a file. None where the deal does not say.

    InputError says what does not go with the input, and what would.
    """
    where = f"{item.where}: {item.name}" if item.is_column else item.where
    if given is None and not moves_with:
        return None
    if given is None:
        raise InputError(f"{where}: 'moves_with' goes with 'uncertain', which says how it falls.", at=where)
    if item.decision:
        raise InputError(f"{where}: a decision is not uncertain; leave out 'decision' or 'uncertain'.", at=where)
    if item.fixed:
        raise InputError(f"{where}: a fact is not uncertain; leave out 'fixed' or 'uncertain'.", at=where)
    if item.solved:
        raise InputError(f"{where}: its value is found in every case, so that it takes no 'uncertain'.", at=where)
    if item.unit == "date":
        raise InputError(f"{where}: a day takes no 'uncertain'; make the months it comes later an input.", at=where)
    moves = {name: _between(value, f"{where}, moves_with {name}") for name, value in (moves_with or {}).items()}
    table = {"shape": given} if isinstance(given, str) else dict(given) if isinstance(given, Mapping) else None
    if table is None:
        raise InputError(f"{where}: 'uncertain' is {given!r}; write \"triangular\" or a table.", at=where)
    each = table.pop("each", False)
    if each is not False and not (each is True and item.is_column):
        raise InputError(f"{where}: 'each' is true for a column of a set alone.", at=where)
    fall = _of_table(table, item, where, history)
    return Fall(
        shape=fall.shape,
        deviation=fall.deviation,
        persists=fall.persists,
        values=fall.values,
        weights=fall.weights,
        blocks=fall.blocks,
        source=fall.source,
        each=bool(each),
        moves_with=moves,
    )


def check_moves(inputs: Mapping[str, Input]) -> None:
    """Refuse what moves with something that does not fall, and moves that contradict each other."""
    for name, item in inputs.items():
        for other, value in (item.fall.moves_with if item.fall else {}).items():
            _check_move(inputs, name, other, value)
    names, ranks = moves_of(inputs)
    if names and not is_possible(matrix := normal_correlations(ranks)):
        near = rank_correlations(nearest_possible(matrix))
        told = [
            f"{names[a]} with {names[b]} {near[a, b]:.2f}"
            for a in range(len(names))
            for b in range(a)
            if abs(near[a, b] - ranks[a, b]) > 0.005
        ]
        where = inputs[names[0]].where
        raise InputError(
            f"{where}: the 'moves_with' of {listed(names)} contradict each other: nothing moves like this. The "
            f"nearest that do: {', '.join(told)}.",
            at=where,
        )


def moves_of(inputs: Mapping[str, Input]) -> tuple[list[str], Floats]:
    """The inputs that move with others, and their rank correlations, 0 where nothing is said."""
    said = {
        (name, other): value
        for name, item in inputs.items()
        if item.fall
        for other, value in item.fall.moves_with.items()
    }
    names = [name for name in inputs if any(name in pair for pair in said)]
    ranks = np.eye(len(names))
    for (one, other), value in said.items():
        a, b = names.index(one), names.index(other)
        ranks[a, b] = ranks[b, a] = value
    return names, ranks


def _check_move(inputs: Mapping[str, Input], name: str, other: str, value: float) -> None:
    item, partner = inputs[name], inputs.get(other)
    where = f"{item.where}: moves_with"
    if partner is None:
        raise InputError(f"{where}: there is no input '{other}'{nearest(other, inputs) or '.'}", at=item.where)
    if other == name:
        raise InputError(f"{where} names {name} itself; leave it out.", at=item.where)
    if partner.fall is None or item.fall is None:
        raise InputError(f"{where}: {other} is not uncertain, so that nothing moves with it.", at=item.where)
    back = partner.fall.moves_with.get(name, value)
    if back != value:
        raise InputError(f"{where} {other} is {value:g}, and the other way round {back:g}.", at=item.where)
    falls = {name: item.fall, other: partner.fall}
    for one, fall in falls.items():
        if fall.each or fall.shape == "blocks":
            said = "every thing of it falls for itself" if fall.each else "it moves as a history did"
            raise InputError(f"{where}: {one} moves with nothing else, because {said}.", at=item.where)
    wide = [one for one, fall in falls.items() if fall.shape == "wanders"]
    if len(wide) == 1:
        single = other if wide[0] == name else name
        raise InputError(
            f"{where}: {wide[0]} wanders from year to year, {single} does not; let both wander, or write all_years for "
            f"{wide[0]}.",
            at=item.where,
        )


def _of_table(table: dict[str, Any], item: Input, where: str, history: Callable[..., Floats]) -> Fall:
    if item.choices or item.whole:
        if item.choices and item.is_column:
            raise InputError(f"{where}: a column of words takes no 'uncertain'.", at=where)
        return _weights(table, item, where)
    starts = [key for key in _KEYS if key in table]
    if len(starts) != 1:
        said = f"has {' and '.join(starts)}" if starts else f"has {', '.join(table) or 'nothing'}"
        raise InputError(
            f"{where}: 'uncertain' {said}; write one of \"triangular\", {{ shape = 'normal', deviation = … }}, "
            "{ yearly = … }, { all_years = … } and { file = …, column = … }.",
            at=where,
        )
    (kind,) = starts
    other = [key for key in table if key not in (kind, *_KEYS[kind])]
    if other:
        known = ", ".join((kind, *_KEYS[kind]))
        raise InputError(f"{where}: 'uncertain' has no '{other[0]}' beside '{kind}'; the keys are {known}.", at=where)
    return {"shape": _shaped, "yearly": _yearly, "all_years": _together, "file": _history}[kind](
        table, item, where, history
    )


def _shaped(table: dict[str, Any], item: Input, where: str, history: object) -> Fall:
    shape = table["shape"]
    known = (*_RANGED, *_SPREAD)
    if shape not in known:
        hint = nearest(str(shape), known) or "."
        raise InputError(
            f"{where}: 'uncertain' is '{shape}'{hint} The shapes are {', '.join(known)}; a series also takes yearly, "
            "all_years or a history.",
            at=where,
        )
    moved = item.is_series
    if shape in _SPREAD:
        if "deviation" not in table:
            raise InputError(f"{where}: {shape} needs 'deviation', the standard deviation of the value.", at=where)
        unit = "share" if moved else item.unit
        deviation = read_value(table["deviation"], unit, what=f"{where}, deviation")
        if not deviation > 0:
            raise InputError(f"{where}: the deviation is {table['deviation']}; it must be above 0.", at=where)
        if shape == "lognormal" and not moved and not float(np.asarray(item.value)) > 0:
            raise InputError(f"{where}: lognormal needs a value above 0, not {item.given}; write normal.", at=where)
        return Fall(shape=shape, deviation=deviation)
    if "deviation" in table:
        raise InputError(f"{where}: {shape} goes from low to high; leave out 'deviation', or write normal.", at=where)
    low, high, value = item.low, item.high, 1.0 if moved else float(np.asarray(item.value))
    if low is None or high is None:
        missing = "low and high" if low is None and high is None else "low" if low is None else "high"
        raise InputError(f"{where}: {shape} needs {missing}.", at=where)
    if not low <= value <= high:
        raise InputError(
            f"{where}: the value, {item.given if not moved else '1, the series as it is'}, lies outside low and high; "
            f"{shape} needs it between them.",
            at=where,
        )
    if low == high:
        raise InputError(f"{where}: low and high are the same, so that nothing is uncertain; leave it out.", at=where)
    return Fall(shape=shape)


def _yearly(table: dict[str, Any], item: Input, where: str, history: object) -> Fall:
    if not item.is_series or item.is_column:
        raise InputError(
            f"{where}: 'yearly' says how a series wanders from year to year, and this is one value; write "
            f"steps = {{ 1 = {item.given} }} for its value.",
            at=where,
        )
    deviation = read_value(table["yearly"], "share", what=f"{where}, yearly")
    if not 0 < deviation <= 2:
        raise InputError(f"{where}: yearly is {table['yearly']}; write a percentage above 0, such as 10%.", at=where)
    persists = read_value(table.get("persists", 0), "share", what=f"{where}, persists")
    if not 0 <= persists <= 1:
        raise InputError(f"{where}: persists is {table['persists']}; it must be 0% to 100%.", at=where)
    return Fall(shape="wanders", deviation=deviation, persists=persists)


def _together(table: dict[str, Any], item: Input, where: str, history: object) -> Fall:
    if not item.is_series:
        raise InputError(
            f"{where}: 'all_years' moves a whole series; of one value write {{ shape = 'normal', deviation = … }}.",
            at=where,
        )
    deviation = read_value(table["all_years"], "share", what=f"{where}, all_years")
    if not 0 < deviation <= 2:
        raise InputError(f"{where}: all_years is {table['all_years']}; write a percentage above 0.", at=where)
    return Fall(shape="together", deviation=deviation)


def _history(table: dict[str, Any], item: Input, where: str, history: Callable[..., Floats]) -> Fall:
    file, column, sheet = table["file"], table.get("column"), table.get("sheet")
    if not isinstance(file, str) or not isinstance(column, str):
        raise InputError(f"{where}: a history is read from a file; name its 'file' and 'column'.", at=where)
    values = history(file, column, sheet)
    if values.size < _FEWEST:
        raise InputError(f"{where}: {file} has {values.size} values of '{column}'; write {_FEWEST} or more.", at=where)
    source = f"{file}, column {column}"
    if item.is_column:
        raise InputError(f"{where}: a column of a set takes multiples of its values, not those of a file.", at=where)
    if not item.is_series:
        if "blocks" in table:
            raise InputError(f"{where}: 'blocks' are years of a series, and this is one value; leave it out.", at=where)
        return Fall(shape="history", values=tuple(values.tolist()), source=source)
    blocks = table.get("blocks", 1)
    if isinstance(blocks, bool) or not isinstance(blocks, int) or not 1 <= blocks < values.size:
        raise InputError(f"{where}: blocks is {blocks}; it must be whole years, 1 to {values.size - 1}.", at=where)
    if item.unit in ("rate", "share"):
        changes = np.diff(values)
        changes = changes - changes.mean()
    else:
        if (values <= 0).any():
            raise InputError(f"{where}: {source} has values of 0 or less, of which there is no change.", at=where)
        changes = values[1:] / values[:-1]
        changes = changes / changes.mean()
    return Fall(shape="blocks", values=tuple(changes.tolist()), blocks=blocks, source=source)


def _weights(table: dict[str, Any], item: Input, where: str) -> Fall:
    kind = "one of several words" if item.choices else "whole values"
    if set(table) & set(_KEYS):
        example = "{ own = 3, rented = 1 }" if item.choices else "{ 6 = 1, 7 = 3, 9 = 1 }"
        raise InputError(f"{where}: it takes {kind}, which fall by weights, such as {example}.", at=where)
    if len(table) < 2:
        raise InputError(f"{where}: 'uncertain' needs two weights or more.", at=where)
    values, weights = [], []
    for key, given in table.items():
        value = item.read(key, what=f"{where}, uncertain")
        if item.step is not None and abs(value / item.step - round(value / item.step)) > 1e-6:
            raise InputError(f"{where}: 'uncertain' has {key}, and it takes {kind}.", at=where)
        weight = read_value(given, "number", what=f"{where}, the weight of {key}")
        if weight < 0:
            raise InputError(f"{where}: the weight of {key} is {given}; it must be 0 or more.", at=where)
        values.append(value)
        weights.append(weight)
    total = sum(weights)
    if not total > 0:
        raise InputError(f"{where}: the weights add up to nothing; one of them must be above 0.", at=where)
    order = np.argsort(values, kind="stable")
    return Fall(
        shape="weights",
        values=tuple(values[k] for k in order),
        weights=tuple(weights[k] / total for k in order),
    )


def _between(given: object, what: str) -> float:
    value = read_value(given, "number", what=what)
    if not -1 < value < 1:
        raise InputError(f"{what} is {given}; it must lie between -1 and 1.", at=what)
    return value

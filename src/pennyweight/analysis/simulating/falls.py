"""Which inputs are drawn, how each falls, and the same in words."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import dataclass

import numpy as np

from pennyweight.analysis.cases import Model
from pennyweight.analysis.showing import show_base
from pennyweight.array_kinds import Floats
from pennyweight.core.quantiles import lognormal, normal, normal_between, one_of, pert, triangular, uniform
from pennyweight.deals.assumptions import Fall
from pennyweight.deals.definition import Definition
from pennyweight.deals.inputs import based
from pennyweight.deals.parts import Input
from pennyweight.errors import InputError, nearest

__all__ = ["Falling", "falling_inputs", "how_it_falls", "parted", "place_of"]


@dataclass(frozen=True, slots=True)
class Falling:
    """An input that is drawn, and how it falls."""

    item: Input
    fall: Fall

    @property
    def by_year(self) -> bool:
        """Whether it takes a draw for each year."""
        return self.fall.shape in ("wanders", "blocks")


def falling_inputs(
    model: Model, scenario: str, given: Collection[str], *, hold: Sequence[str], only: Sequence[str]
) -> tuple[list[Falling], list[str], bool]:
    """(the inputs that are drawn, those held and why, whether ranges were taken because nothing is `uncertain`).

    What the scenario or the asker sets is held; so are decisions, what a question finds, facts, words and whole values
    without weights, and what the deal solves.
    """
    deal = model.definition
    for name in (*hold, *only):
        if name not in deal.inputs:
            raise InputError(f"There is no input '{name}'{nearest(name, deal.inputs) or '.'}", at=name)
    if hold and only:
        raise InputError("Name the inputs to hold, or the only ones to draw, not both.", at="only")
    marked = {name for name, item in deal.inputs.items() if item.fall is not None}
    stands, said = model.inputs_of(), model.inputs_of(scenario)
    set_by = {name for one in based(deal, scenario) for name in deal.scenarios[one].changes}
    set_by |= {
        name
        for name, value in said.items()
        if name in deal.inputs and not (name in stands and np.array_equal(value, stands[name], equal_nan=True))
    }  # all_inputs = "worst"
    asked = {question.find for question in deal.questions.values()}
    found, held = [], list[str]()
    for name, item in deal.inputs.items():
        fall = item.fall if marked else _of_range(item)
        if fall is None:
            if name in only:
                raise InputError(_why_not(item, bool(marked)), at=name)
            if name in hold:
                raise InputError(f"{name} is not drawn anyway; leave it out of what is held.", at=name)
            continue
        reason = (
            "a value was given for it" if name in given
            else f"the scenario {scenario} sets it" if name in set_by
            else "it is a decision" if item.decision
            else "a question looks for it" if name in asked and not marked
            else ""
        )  # fmt: skip
        if reason and name in only:
            raise InputError(f"{name} cannot be drawn: {reason}.", at=name)
        if reason and name in hold:
            raise InputError(f"{name} is not drawn anyway: {reason}; leave it out of what is held.", at=name)
        if reason or name in hold or (only and name not in only):
            held.append(f"{item.label} ({reason})" if reason else item.label)
            continue
        found.append(Falling(item, fall))
    if not found:
        raise InputError(
            "Nothing is drawn: no input says 'uncertain', and none that may be drawn has a low and a high. Write "
            'uncertain = "triangular" beside low and high of an input.'
            if not held
            else f"Nothing is left to be drawn: {', '.join(held)} are held."
        )
    return found, held, not marked


def parted(deal: Definition, falling: Sequence[Falling]) -> list[str]:
    """Of inputs that move together and of which one is held: that the other falls alone."""
    drawn = {one.item.name for one in falling}
    pairs = {
        frozenset((name, other)): (name, other)
        for name, item in deal.inputs.items()
        for other in (item.fall.moves_with if item.fall else {})
    }
    found = []
    for one, other in pairs.values():
        if (one in drawn) != (other in drawn):
            alone, kept = (one, other) if one in drawn else (other, one)
            found.append(f"{deal.label(alone)} moves with {deal.label(kept)}, which is held, so that it falls alone.")
    return found


def _of_range(item: Input) -> Fall | None:
    """A range alone, as a triangle about the value."""
    ranged = item.low is not None and item.high is not None and item.low < item.high
    if not ranged or item.fixed or item.choices or item.whole or item.solved or item.decision or item.unit == "date":
        return None
    value = 1.0 if item.is_series else float(np.asarray(item.value))
    assert item.low is not None
    assert item.high is not None
    return Fall(shape="triangular") if item.low <= value <= item.high else None


def _why_not(item: Input, marked: bool) -> str:
    if item.solved:
        return f"{item.name} cannot be drawn: the deal finds its value in every case."
    if item.choices or item.whole:
        example = "{ own = 3, rented = 1 }" if item.choices else "{ 6 = 1, 7 = 3 }"
        return f"{item.name} cannot be drawn: it needs weights, such as uncertain = {example}."
    if marked:
        return f"{item.name} cannot be drawn: it says no 'uncertain', as other inputs do."
    return f"{item.name} cannot be drawn: it has no low and high about its value, and says no 'uncertain'."


def place_of(one: Falling, shares: Floats, value: float) -> Floats:
    """Values of a single input, or multiples of a series, by shares between 0 and 1, (cases,)."""
    item, fall = one.item, one.fall
    middle = 1.0 if item.is_series else value
    if fall.shape in ("triangular", "uniform", "pert"):
        low, high = min(item.low or 0.0, middle), max(item.high or 0.0, middle)
        if fall.shape == "uniform":
            return uniform(shares, low, high)
        return (pert if fall.shape == "pert" else triangular)(shares, low, middle, high)
    if fall.shape == "normal":
        low, high = _bounds(item)
        if np.isfinite([low, high]).any():
            return normal_between(shares, middle, fall.deviation, low, high)
        return normal(shares, middle, fall.deviation)
    if fall.shape in ("lognormal", "together"):
        return lognormal(shares, middle, fall.deviation)
    return one_of(shares, fall.values, fall.weights or None)


def _bounds(item: Input) -> tuple[float, float]:
    """Between which values an input means anything."""
    if item.is_series:
        return 0.0, np.inf
    if item.unit == "share":
        return 0.0, 1.0
    return (-np.inf if item.least is None else item.least), np.inf


def how_it_falls(deal: Definition, one: Falling) -> str:
    """In words how an input falls, and what it moves with."""
    moves = [f"{deal.label(name)} ({by:g})" for name, by in one.fall.moves_with.items()]
    return "; ".join([_falls(deal, one), *([f"moves with {' and '.join(moves)}"] if moves else [])])


def _falls(deal: Definition, one: Falling) -> str:
    item, fall = one.item, one.fall

    def value(number: float) -> str:
        if item.is_series:
            return f"{deal.style.show(number, 'number', places=2)} times"
        return show_base(deal, item, number, unit=True)

    def share(number: float) -> str:
        return deal.style.show(number, "share", places=0 if round(number * 100, 6).is_integer() else 1)

    each = ", each for itself" if fall.each else ""
    if fall.shape in ("triangular", "pert", "uniform"):
        ends = f"between {value(item.low or 0.0)} and {value(item.high or 0.0)}"
        if fall.shape == "uniform":
            return f"anywhere {ends}{each} (uniform)"
        middle = "its own values" if item.is_series else value(float(np.asarray(item.value)))
        return f"likeliest {middle}, {ends} ({fall.shape}){each}"
    if fall.shape in ("normal", "lognormal"):
        spread = share(fall.deviation) if item.is_series else deal.style.with_unit(fall.deviation, item.unit)
        middle = "its own values" if item.is_series else value(float(np.asarray(item.value)))
        low, high = _bounds(item)
        again = ""
        if fall.shape == "normal" and np.isfinite([low, high]).any():
            again = f", drawn again {'outside 0% to 100%' if np.isfinite(high) else f'below {value(low)}'}"
        return f"about {middle}, with a standard deviation of {spread} ({fall.shape}){again}{each}"
    if fall.shape == "weights":
        parts = [f"{_plain(item, v)} in {share(w)}" for v, w in zip(fall.values, fall.weights, strict=True)]
        return f"{', '.join(parts)} of the cases"
    if fall.shape == "history":
        return f"one of the {len(fall.values)} values of {fall.source}{each}"
    kept = ", and is kept between 0% and 100%" if item.unit == "share" else ""
    if fall.shape == "wanders":
        unit = "points" if item.unit in ("rate", "share") else ""
        step = f"{share(fall.deviation)[:-1]} points" if unit else share(fall.deviation)
        lasts = f", of which {share(fall.persists)} lasts into the next" if fall.persists else ""
        return f"wanders about its own values by {step} a year{lasts}{kept}"
    if fall.shape == "together":
        return f"all its values up or down together, by {share(fall.deviation)} of them"
    years = f"{fall.blocks} years" if fall.blocks > 1 else "a year"
    return f"moves from year to year as {fall.source} did, {years} at a time{kept}"


def _plain(item: Input, value: float) -> str:
    return item.choices[round(value)] if item.choices else f"{value:g}"

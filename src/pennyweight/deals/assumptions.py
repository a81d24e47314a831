"""What an analyst assumes: inputs, the columns of sets, and what a scenario puts in their place."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import Any, Literal, TypeAlias

import numpy as np

from pennyweight.array_kinds import Floats
from pennyweight.errors import InputError, choice
from pennyweight.quantities.units import read_value, refuse_bare_percent

__all__ = ["Fall", "Input", "InputChange", "KnownInputs", "Shape", "ThingSet", "choices_of", "read_months"]

Shape: TypeAlias = Literal[
    "triangular", "uniform", "pert", "normal", "lognormal", "weights", "history", "wanders", "together", "blocks"
]
"""How an uncertain value falls; the last three are of series: from year to year, all years alike, as a history did."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Fall:
    """How an input falls where cases are drawn: its value is the likeliest, or the mean."""

    shape: Shape
    deviation: float = 0.0
    """The standard deviation of the value itself; of what wanders that of a year's step, as a share of amounts."""
    persists: float = 0.0
    """How much of where it stands lasts into the next year."""
    values: tuple[float, ...] = ()
    """What it takes one of: values with `weights`, those of a history, or its changes from year to year."""
    weights: tuple[float, ...] = ()
    blocks: int = 1
    """How many years of a history come together."""
    source: str = ""
    """Where a history stands: its file and column."""
    each: bool = False
    """Of a column whether every thing falls for itself."""
    moves_with: Mapping[str, float] = field(default_factory=dict)
    """By name of another uncertain input the rank correlation (Spearman's) with it."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Input:
    """What the analyst assumes: one value, or a series over the periods (periods + 1,), NaN undefined.

    A choice is the place of its word among the `choices`, a date the days since 1970.
    """

    name: str
    value: float | Floats
    unit: str
    label: str
    where: str
    given: str
    """How the value was typed."""
    low: float | None = None
    high: float | None = None
    step: float | None = None
    """What its values are multiples of: 1 for whole ones (said, or because it decides when something happens)."""
    least: float | None = None
    """Below it the input means nothing (the rate of a loan is 0 or more), so nothing looks there."""
    choices: tuple[str, ...] = ()
    fixed: bool = False
    """A fact, an age or a switch: turning points and the like leave it alone."""
    digits: int = 0
    """Decimals it was typed with, as it is shown: 4.125% has three."""
    of: str = ""
    """The set it is a column of, with a value for each of its things; or the set one of whose things it is."""
    whole_each: bool = False
    """Of a column whether its things take whole values alone, as days are; a multiple of them all may be any."""
    place: int | None = None
    """Of one thing's own value: which of the set's things it is."""
    keys: tuple[float, ...] = ()
    """Of brackets the amounts from which on its values hold."""
    by_year: bool = False
    """Of brackets whether their amounts are those of a year."""
    formula: bool = False
    """Whether it is a value under [values], whose formula is set aside where a number is given for it."""
    solved: bool = False
    """Whether the deal finds its value itself, in every case anew."""
    fall: Fall | None = None
    """How it falls where cases are drawn; None: it does not, or as triangular over its range where nothing does."""
    decision: bool = False
    """Whether one decides on it oneself, so that it is never drawn."""

    @property
    def is_series(self) -> bool:
        """Whether it has a value a period."""
        return isinstance(self.value, np.ndarray)

    @property
    def is_column(self) -> bool:
        """Whether it has a value for each thing of a set."""
        return bool(self.of) and self.place is None

    @property
    def by_months(self) -> bool:
        """Whether it is a column of days, which all move by the same months: no multiple of a day means anything."""
        return self.is_column and self.unit == "date"

    @property
    def by_steps(self) -> bool:
        """Whether it is a column of whole values, which all move by so much: no part of one means anything."""
        plain = self.low is None and self.high is None and not self.choices
        return self.is_column and self.whole_each and self.unit != "date" and plain

    @property
    def adds(self) -> bool:
        """Whether it is moved by adding to it."""
        return self.by_months or self.by_steps

    @property
    def by_scale(self) -> bool:
        """Whether it is moved by a multiple of itself."""
        return self.is_series and not self.adds and not self.choices

    @property
    def neutral(self) -> float:
        """What leaves a series or a column as it is: a multiple of 1, or 0 months or whole steps."""
        return 0.0 if self.adds else 1.0

    @property
    def column(self) -> str:
        """Of one thing's own value: the column it stands in; else the name."""
        return f"{self.of}.{self.name.rpartition('.')[2]}" if self.place is not None else self.name

    @property
    def whole(self) -> bool:
        """Whether only certain values make sense, a `step` apart, so that nothing is looked for between them."""
        return self.step is not None

    def read_move(self, given: object, *, what: str) -> float:
        """Where a search or a table puts it: a value, of a series a multiple, of days or whole values so many more."""
        if self.by_months:
            return float(read_months(given, what=what))
        if self.by_steps:
            return read_value(given, "number", what=what)
        return read_value(given, "share", what=what) if self.by_scale else self.read(given, what=what)

    def read(self, given: object, *, what: str) -> float:
        """A value of this input as an analyst types it; InputError says what it takes."""
        if self.choices:
            return float(self.choices.index(choice(given, self.choices, what)))
        value = read_value(given, self.unit, what=what)
        if self.unit == "share":
            known = [
                np.nanmax(np.abs(one), initial=1.0) for one in (self.value, self.low, self.high) if one is not None
            ]
            refuse_bare_percent(given, value, what=what, most=float(max(known)))
        return value


@dataclass(frozen=True)
class ThingSet:
    """Many of the same: their names in order, and the columns that formulas read."""

    name: str
    label: str
    things: tuple[str, ...]
    where: str
    columns: tuple[str, ...] = ()
    born: bool = False
    """Whether they are cohorts: one begins in every period."""

    @property
    def size(self) -> int:
        """How many there are."""
        return len(self.things)

    @cached_property
    def as_input(self) -> Input:
        """The things as something that takes one of several words."""
        return Input(
            name=self.name,
            value=0.0,
            unit="choice",
            label=self.label,
            where=self.where,
            given="",
            step=1.0,
            choices=self.things,
            fixed=True,
        )

    @cached_property
    def places(self) -> dict[str, int]:
        """The place of each thing by its name."""
        return {thing: place for place, thing in enumerate(self.things)}


class KnownInputs(dict[str, Input]):
    """Inputs by name; values, and what one thing of a set has (tenants.Bakery.rent), are found when asked for, and not
    listed: a number may stand in the place of their formula or column."""

    def __init__(
        self,
        inputs: Mapping[str, Input],
        sets: Mapping[str, ThingSet],
        values: Mapping[str, Any] | None = None,
        unit: Callable[[str], str] = str,
    ) -> None:
        super().__init__(inputs)
        self.sets, self.values_of, self.unit = sets, values or {}, unit

    def __missing__(self, name: str) -> Input:
        found = self._own(name)
        if found is None:
            raise KeyError(name)
        return found

    def __contains__(self, name: object) -> bool:
        return super().__contains__(name) or (isinstance(name, str) and self._own(name) is not None)

    def get(self, name: str, default: Any = None) -> Any:
        """The input, or the default."""
        try:
            return self[name]
        except KeyError:
            return default

    def _own(self, name: str) -> Input | None:
        if name in self.values_of:
            item = self.values_of[name]
            said = f"instead of {item.text}"
            return Input(
                name=name,
                value=float("nan"),
                unit=self.unit(name),
                label=item.label,
                where=item.where,
                given=said,
                formula=True,
            )
        head, _, rest = name.partition(".")
        thing, dot, column = rest.rpartition(".")
        whole = super().get(f"{head}.{column}")
        if not dot or whole is None or not whole.is_column or thing not in self.sets[head].places:
            return None
        place = self.sets[head].places[thing]
        value = float(np.asarray(whole.value)[place])
        label = f"{thing}: {whole.label.removeprefix(f'{self.sets[head].label}: ')}"
        step = 1.0 if whole.whole_each else None
        return replace(
            whole, name=name, value=value, label=label, place=place, low=None, high=None, step=step, fall=None
        )


@dataclass(frozen=True, slots=True)
class InputChange:
    """What a scenario does to one input."""

    kind: Literal["replace", "scale", "shift"]
    value: float | Floats
    given: str
    where: str


def choices_of(inputs: Mapping[str, Any], questions: Mapping[str, Any]) -> dict[str, tuple[str, ...]]:
    """The words of the inputs that take one of several, and of the questions that look for one of these."""
    found = {name: tuple(item.choices) for name, item in inputs.items() if getattr(item, "choices", None)}
    found.update({name: found[item.find] for name, item in questions.items() if item.find in found})
    return found


def read_months(given: object, *, what: str) -> int:
    """How many months days are moved by: "3 months", "-1 year", or a number of months."""
    words = str(given).split()
    counts = {"month": 1, "months": 1, "year": 12, "years": 12}
    try:
        count = read_value(words[0] if len(words) == 2 else given, "number", what=what)
        count *= counts[words[1]] if len(words) == 2 else 1
    except (InputError, KeyError):
        count = 0.5
    if count != round(count) or abs(count) > _MOST_MONTHS:
        raise InputError(f"{what} is {given}; write whole months, such as 3 months.", at=what)
    return round(count)


_MOST_MONTHS = 12_000

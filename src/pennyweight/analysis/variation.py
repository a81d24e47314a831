"""One or two inputs varied, everything else as it stands."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any, TypeAlias

import numpy as np
from numpy.typing import NDArray

from pennyweight.analysis.cases import Model
from pennyweight.analysis.variation_page import variation_page
from pennyweight.deals.definition import Definition, Input
from pennyweight.deals.inputs import input_named, inputs_of
from pennyweight.documents import Document
from pennyweight.documents.shown import Shown
from pennyweight.errors import InputError, nearest
from pennyweight.quantities.amounts import read_amount
from pennyweight.quantities.given import a_list
from pennyweight.quantities.units import read_value

if TYPE_CHECKING:
    import pandas as pd

__all__ = ["Variation", "read_places", "vary"]

Floats: TypeAlias = NDArray[np.float64]

_MOST = 1_000_000
_SEPARATOR = re.compile(r";|(?<!\d),|,(?!\d{3}(?![\dA-Za-z%]))")
"""Between listed values: a comma, unless it groups thousands as in 380,000."""


@dataclass(frozen=True, eq=False, repr=False)
class Variation(Shown):
    """Measures over one or two inputs. Values of a series are multiples of it.

    `figures` holds each measure, and `pays_off` when the deal has goals, with shape (len(first), len(second))
    or (len(first),).

    >>> from importlib.resources import files
    >>> from pennyweight import Deal
    >>> deal = Deal.read(str(files("pennyweight.starters") / "taxi/taxi.toml"))
    >>> table = deal.vary({"hurdle": ["8%", "10%"]}, show=["npv"])
    >>> table.figures["npv"].round(2).tolist()
    [103794.57, 57370.49]
    """

    deal: str
    scenario: str
    inputs: Mapping[str, Floats]
    figures: Mapping[str, Floats]
    show: tuple[str, ...]
    base: Mapping[str, float]
    definition: Definition

    @property
    def frame(self) -> pd.DataFrame:
        """One row a case: the inputs, then the measures."""
        import pandas as pd

        mesh = np.meshgrid(*self.inputs.values(), indexing="ij")
        columns: dict[str, Any] = {name: grid.reshape(-1) for name, grid in zip(self.inputs, mesh, strict=True)}
        columns.update({name: values.reshape(-1) for name, values in self.figures.items()})
        if "pays_off" in columns:
            columns["pays_off"] = columns["pays_off"] == 1
        return pd.DataFrame(columns)

    def as_dict(self) -> dict[str, Any]:
        """Plain values for JSON."""
        rows = [{key: _plain(value) for key, value in row.items()} for row in self.frame.to_dict(orient="records")]
        return {"format": 1, "deal": self.deal, "scenario": self.scenario, "rows": rows}

    def document(self) -> Document:
        """A table, and a heat map for two inputs."""
        return variation_page(self)


def vary(
    model: Model,
    places: Mapping[str, object],
    *,
    show: Sequence[str] | None = None,
    scenario: str = "base",
    inputs: Mapping[str, object] | None = None,
) -> Variation:
    """Vary one or two inputs; see `Deal.vary`."""
    deal = model.definition
    if not 1 <= len(places) <= 2:
        raise InputError("Name one input to vary, or two.")
    axes = {name: read_places(input_named(deal, name), given) for name, given in places.items()}
    cases = int(np.prod([axis.size for axis in axes.values()]))
    if cases > _MOST:
        raise InputError(f"That makes {cases:,} cases; the most is {_MOST:,}. Take fewer steps.")
    wanted = list(show) if show else _default_measures(deal, len(axes))
    known = [name for name in (*deal.measures, *deal.values) if not name.startswith("?")]
    for name in wanted:
        if name not in known:
            raise InputError(f"There is no measure '{name}'{nearest(name, known) or '.'} There are {', '.join(known)}.")
    base = inputs_of(deal, scenario, inputs)
    mesh = np.meshgrid(*axes.values(), indexing="ij")
    changes = {name: grid.reshape(-1) for name, grid in zip(axes, mesh, strict=True)}
    asked = [*wanted, "pays_off"] if deal.goals else wanted
    if cases == 1:
        changes = {name: grid.repeat(2) for name, grid in changes.items()}
    figures = model.sweep([base], np.zeros(max(cases, 2), np.intp), changes, asked)
    shape = tuple(axis.size for axis in axes.values())
    return Variation(
        deal.title,
        scenario,
        axes,
        {name: np.array(values[:cases]).reshape(shape) for name, values in figures.items()},
        tuple(wanted),
        {name: 1.0 if deal.inputs[name].is_series else float(base[name]) for name in axes},
        deal,
    )


def read_places(item: Input, given: object) -> Floats:
    """The values an input takes: a list, or "380k..460k/9" (how many), "6%..12%:1%" (how far apart), "7,8,9"."""
    unit = "share" if item.is_series else item.unit
    what = f"{item.name}"
    if isinstance(given, str):
        return _read_text(given.strip(), unit, what)
    values = [
        read_value(value, unit, what=what) for value in a_list(given, what=what, of="values, or a range in a text")
    ]
    if not values:
        raise InputError(f"{what} has no values.", at=what)
    return np.array(values, dtype=np.float64)


def _read_text(text: str, unit: str, what: str) -> Floats:
    if ".." not in text:
        parts = [part.strip() for part in _SEPARATOR.split(text)]
        return np.array([read_value(part, unit, what=what) for part in parts])
    match = re.fullmatch(r"(.+?)\.\.(.+?)(?:/(?P<count>[^:/]+)|:(?P<step>[^:/]+))?", text)
    if not match:
        raise InputError(f"{what} is '{text}'; write a range as 380k..460k/9 or 6%..12%:1%.", at=what)
    low, high = read_value(match[1], unit, what=what), read_value(match[2], unit, what=what)
    if match["step"]:
        return _stepped(low, high, read_value(match["step"], unit, what=f"the step of {what}"), text, what)
    count = 9 if match["count"] is None else read_amount(match["count"], what=f"the number of values of {what}")
    if count != round(count) or not 2 <= count <= _MOST:
        raise InputError(f"{what} is '{text}'; write how many values after the /, 2 or more.", at=what)
    return np.linspace(low, high, int(count))


def _stepped(low: float, high: float, step: float, text: str, what: str) -> Floats:
    if step == 0 or (high - low) / step < 0:
        raise InputError(f"{what} is '{text}'; a step of {step:g} never comes from {low:g} to {high:g}.", at=what)
    count = (high - low) / step
    if abs(count - round(count)) > 1e-6:
        raise InputError(
            f"{what} is '{text}'; the last step does not land on the end; both ends are part of the range.", at=what
        )
    if count > _MOST:
        raise InputError(f"{what} is '{text}', which makes {count:,.0f} values; the most is {_MOST:,}.", at=what)
    return np.linspace(low, high, round(count) + 1)


def _default_measures(deal: Definition, axes: int) -> list[str]:
    names = [name for name in deal.measures if not name.startswith("?")]
    if not names:
        raise InputError("The deal has no measures to show; declare one under [measures].")
    return names if axes == 1 else names[:1]


def _plain(value: Any) -> Any:
    if isinstance(value, bool | np.bool_):
        return bool(value)
    number = float(value)
    return number if np.isfinite(number) else None

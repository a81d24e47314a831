"""One or two inputs varied, everything else as it stands."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from contextlib import nullcontext
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any, ClassVar

import numpy as np
from numpy.typing import NDArray

from pennyweight.analysis.cases import Model
from pennyweight.analysis.plain_values import plain_place
from pennyweight.analysis.weighing.verdict import FALLS_SHORT, NEARLY, PAYS_OFF
from pennyweight.array_kinds import Floats
from pennyweight.cluster import WorkedBy, cluster_of
from pennyweight.deals.axis_values import MOST as _MOST
from pennyweight.deals.axis_values import read_places
from pennyweight.deals.compiler.program import met_name, nearly_name
from pennyweight.deals.definition import Definition
from pennyweight.deals.inputs import input_named, stack
from pennyweight.documents.shown import Shown
from pennyweight.errors import InputError, nearest

if TYPE_CHECKING:
    import pandas as pd

__all__ = ["Variation", "vary"]

_CASES = 100_000
"""So many cases are worked out at a time."""
_AT_A_WORKER = 16_384
"""So many by a worker of a cluster; a case's figures do not hang on the others."""


@dataclass(frozen=True, eq=False, repr=False)
class Variation(Shown):
    """Measures over one or two inputs. Values of a series are multiples of it.

    Notes
    -----
    `figures` holds each measure, and `pays_off` when the deal has goals, with shape (len(first), len(second))
    or (len(first),).

    Examples
    --------
    >>> from pennyweight import Deal
    >>> deal = Deal.starter("taxi")
    >>> table = deal.vary({"hurdle": ["8%", "10%"]}, show=["npv"])
    >>> table.figures["npv"].round(2).tolist()
    [103794.57, 57370.49]
    """

    INTERNAL: ClassVar[tuple[str, ...]] = ("definition",)

    title: str
    scenario: str
    inputs: Mapping[str, Floats]
    figures: Mapping[str, Floats]
    show: tuple[str, ...]
    base: Mapping[str, float]
    definition: Definition
    verdicts: NDArray[np.object_] | None = None
    """The verdict of each case, when the deal has goals."""
    worked_by: WorkedBy | None = None
    """The cluster that worked it out; None where that was done here."""

    @property
    def frame(self) -> pd.DataFrame:
        """One row a case: the inputs, then the measures."""
        import pandas as pd

        mesh = np.meshgrid(*self.inputs.values(), indexing="ij")
        columns: dict[str, Any] = {
            name: self._words(name, grid.reshape(-1)) for name, grid in zip(self.inputs, mesh, strict=True)
        }
        columns.update({name: values.reshape(-1) for name, values in self.figures.items()})
        if "pays_off" in columns:
            columns["pays_off"] = columns["pays_off"] == 1
        if self.verdicts is not None:
            columns["verdict"] = self.verdicts.reshape(-1)
        return pd.DataFrame(columns)

    def _words(self, name: str, values: Floats) -> Any:
        """Values as they are written: numbers, days, or the words of a choice."""
        item = self.definition.inputs[name]
        plain = not item.choices and item.unit != "date"
        return values if plain else [plain_place(item, value) for value in values.tolist()]

    def as_dict(self) -> dict[str, Any]:
        """Plain values for JSON.

        Returns
        -------
        dict[str, Any]
            Plain values for JSON.
        """
        rows = [{key: _plain(value) for key, value in row.items()} for row in self.frame.to_dict(orient="records")]
        return {"format": 1, "deal": self.title, "scenario": self.scenario, "rows": rows}


def vary(
    model: Model,
    places: Mapping[str, object],
    *,
    show: Sequence[str] | None = None,
    scenario: str = "base",
    inputs: Mapping[str, object] | None = None,
    on: object = None,
) -> Variation:
    """Vary one or two inputs; see `Deal.vary`."""
    deal = model.definition
    if not 1 <= len(places) <= 2:
        raise InputError("Name one input to vary, or two.")
    axes = {name: read_places(input_named(deal, name), given, what=name) for name, given in places.items()}
    cases = int(np.prod([axis.size for axis in axes.values()]))
    if cases > _MOST:
        raise InputError(f"That makes {cases:,} cases; the most is {_MOST:,}. Take fewer steps.")
    wanted = list(show) if show else _default_measures(deal, len(axes))
    known = [*deal.measures, *deal.values, *deal.questions]
    for name in wanted:
        if name not in known:
            raise InputError(f"There is no measure '{name}'{nearest(name, known) or '.'} There are {', '.join(known)}.")
    base = model.inputs_of(scenario, inputs)
    mesh = np.meshgrid(*axes.values(), indexing="ij")
    changes = {name: grid.reshape(-1) for name, grid in zip(axes, mesh, strict=True)}
    states = [key for goal in deal.goals for key in (met_name(goal), nearly_name(goal)) if key in model.program.names]
    asked = [*wanted, "pays_off", *states] if deal.goals else wanted
    kept = wanted if not deal.goals else [*wanted, "pays_off"]
    figures = {name: np.empty(cases) for name in kept}
    verdicts = np.empty(cases if deal.goals else 0, dtype=object)
    step = _CASES if on is None else _AT_A_WORKER
    spans = [(start, min(start + step, cases)) for start in range(0, cases, step)]
    parts = [{name: values[first:stop] for name, values in changes.items()} for first, stop in spans]
    varied = _Varied(model, base, asked, kept)
    with nullcontext(None) if on is None else cluster_of(on) as cluster:
        worked = (_part_of(varied, part) for part in parts) if cluster is None else cluster.map(_part_of, varied, parts)
        for (first, stop), (found, told) in zip(spans, worked, strict=True):
            for name in kept:
                figures[name][first:stop] = found[name]
            if deal.goals:
                verdicts[first:stop] = told
    shape = tuple(axis.size for axis in axes.values())
    return Variation(
        deal.title,
        scenario,
        axes,
        {name: values.reshape(shape) for name, values in figures.items()},
        tuple(wanted),
        {name: model.standing(base, name) for name in axes},
        deal,
        verdicts.reshape(shape) if deal.goals else None,
        None if cluster is None else cluster.worked_by,
    )


@dataclass(frozen=True)
class _Varied:
    """What is the same for all parts of the cases."""

    model: Model
    base: Mapping[str, Any]
    asked: Sequence[str]
    kept: Sequence[str]


def _part_of(varied: _Varied, changes: Mapping[str, Floats]) -> tuple[dict[str, Floats], NDArray[np.object_] | None]:
    """(the figures, the verdicts) of some cases."""
    deal, count = varied.model.definition, next(iter(changes.values())).size
    found = varied.model.sweep(stack(deal, [varied.base]), np.zeros(count, np.intp), changes, varied.asked)
    return {name: found[name] for name in varied.kept}, _verdicts(deal, found) if deal.goals else None


def _verdicts(deal: Definition, figures: Mapping[str, Floats]) -> NDArray[np.object_]:
    """The verdict of each case in words."""
    met = [figures[met_name(goal)] == 1 for goal in deal.goals]
    near = [
        figures[nearly_name(goal)] == 1 if nearly_name(goal) in figures else np.zeros_like(one)
        for goal, one in zip(deal.goals, met, strict=True)
    ]
    all_met = np.logical_and.reduce(met)
    all_near = np.logical_and.reduce([one | other for one, other in zip(met, near, strict=True)])
    return np.where(all_met, PAYS_OFF, np.where(all_near, NEARLY, FALLS_SHORT)).astype(object)


def _default_measures(deal: Definition, axes: int) -> list[str]:
    names = list(deal.measures)
    if not names:
        raise InputError("The deal has no measures to show; declare one under [measures].")
    return names if axes == 1 else names[:1]


def _plain(value: Any) -> Any:
    if isinstance(value, bool | np.bool_ | str):
        return value if isinstance(value, str) else bool(value)
    number = float(value)
    return number if np.isfinite(number) else None

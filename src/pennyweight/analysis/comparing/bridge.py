"""What made the difference between two cases of a deal, or between two versions of it: each change's share of it."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any, ClassVar

import numpy as np
from numpy.typing import NDArray

from pennyweight.analysis.cases import Model
from pennyweight.analysis.comparing.game import Division, divided
from pennyweight.analysis.showing import show_input
from pennyweight.array_kinds import Floats
from pennyweight.deals.compiler.program import aside_names
from pennyweight.deals.definition import Definition
from pennyweight.deals.inputs import scenario_names
from pennyweight.deals.undefined import why_undefined
from pennyweight.described import Described
from pennyweight.documents.shown import Shown
from pennyweight.errors import InputError, choice, nearest

if TYPE_CHECKING:
    import pandas as pd

__all__ = ["Bridge", "Player", "Step", "bridge_of_scenarios", "check_measure", "divided_among", "made_bridge"]


@dataclass(frozen=True, slots=True, repr=False)
class Step(Described):
    """One thing that differs, and its share of the difference, whatever the order.

    Notes
    -----
    `alone` is what it does with all else as before, `last` with all else as after; `error` says how far the
    share may be off where orders were drawn.

    Examples
    --------
    >>> Step("price", "Price", "90", "95", -4.0, 0.0, -4.0, -4.0).share
    -4.0
    """

    name: str
    label: str
    before: str
    after: str
    share: float
    error: float
    alone: float
    last: float


@dataclass(frozen=True, eq=False, repr=False)
class Bridge(Shown):
    """What made the difference of a measure between two cases: steps from one to the other that add up to it.

    Examples
    --------
    >>> from pennyweight import Deal
    >>> found = Deal.starter("taxi").bridge("base", "wet_summers", "npv")
    >>> [one.name for one in found.steps], round(sum(one.share for one in found.steps), 2)
    (['trips'], -134754.5)
    """

    INTERNAL: ClassVar[tuple[str, ...]] = ("definition",)

    title: str
    measure: str
    first: str
    second: str
    labels: tuple[str, str]
    before: float
    after: float
    steps: tuple[Step, ...]
    """The largest share first."""
    together: Mapping[tuple[str, str], float]
    """By two steps what they do together beyond what each does alone, where it matters."""
    orders: int
    """How many orders were drawn; 0: every one was taken."""
    remarks: tuple[str, ...]
    definition: Definition

    @property
    def frame(self) -> pd.DataFrame:
        """One row a step: what it was and is, its share, how far that may be off, what it does alone and last."""
        import pandas as pd

        rows = [(one.name, one.before, one.after, one.share, one.error, one.alone, one.last) for one in self.steps]
        return pd.DataFrame(rows, columns=["step", "before", "after", "share", "error", "alone", "last"])

    def as_dict(self) -> dict[str, Any]:
        """Plain values for JSON.

        Returns
        -------
        dict[str, Any]
            Plain values for JSON.
        """
        return {
            "format": 1,
            "deal": self.title,
            "measure": self.measure,
            "from": self.first,
            "to": self.second,
            "before": self.before,
            "after": self.after,
            "steps": [
                {
                    "name": one.name, "before": one.before, "after": one.after, "share": one.share,
                    "error": one.error, "alone": one.alone, "last": one.last,
                }
                for one in self.steps
            ],
            "together": [{"steps": list(pair), "amount": value} for pair, value in self.together.items()],
            "orders": self.orders,
            "remarks": list(self.remarks),
        }  # fmt: skip


@dataclass(frozen=True)
class Player:
    """What differs: an input by its values, or entries of the file that go together."""

    name: str
    label: str
    before: str
    after: str


def bridge_of_scenarios(
    model: Model,
    first: str,
    second: str,
    measure: str,
    inputs: Mapping[str, object] | None = None,
) -> Bridge:
    """What made the difference between two scenarios; see `Deal.bridge`."""
    deal = model.definition
    for name in (first, second):
        choice(name, scenario_names(deal), "scenario")
    if first == second:
        raise InputError(f"'{first}' stands on both sides; name two scenarios.", at="second")
    check_measure(deal, measure)
    old, new = (dict(model.inputs_of(name, inputs)) for name in (first, second))
    players, keys = _players(deal, old, new)
    labels = (deal.scenario_label(first), deal.scenario_label(second))
    if not players:
        raise InputError(f"{first} and {second} do not differ in any input, so that there is nothing to bridge.")

    def corners(masks: NDArray[np.bool_]) -> Floats:
        return np.array(model.figures([_mixed(old, new, keys, mask) for mask in masks], [measure])[measure])

    def explain(mask: NDArray[np.bool_]) -> str:
        return why_undefined(deal, model.everything(_mixed(old, new, keys, mask)), measure)

    division = divided_among(deal, measure, players, corners, explain, labels)
    return made_bridge(deal, measure, (first, second), labels, players, division, ())


def check_measure(deal: Definition, measure: str) -> None:
    """InputError for a measure that the deal does not have."""
    known = [*deal.measures, *deal.values]
    if measure not in known:
        raise InputError(
            f"There is no measure '{measure}'{nearest(measure, known) or '.'} There are {', '.join(known)}.",
            at="measure",
        )


def _players(deal: Definition, old: Mapping[str, Any], new: Mapping[str, Any]) -> tuple[list[Player], list[list[str]]]:
    """(the inputs that differ, the keys of a case that each moves)."""
    differing = [
        name
        for name in dict.fromkeys([*old, *new])
        if not (name in old and name in new and np.array_equal(old[name], new[name], equal_nan=True))
    ]
    aside = {part: value for value in deal.values for part in aside_names(value)}
    players, keys = [], []
    for name in dict.fromkeys(aside.get(name, name) for name in differing):
        own = [one for one in differing if aside.get(one, one) == name]
        shown = []
        for case in (old, new):
            if name in case:
                shown.append(
                    show_input(deal, deal.inputs[name], case[name]) if name in deal.inputs else _switch(case[name])
                )
            elif name in deal.values:
                shown.append("by its formula" if not any(one in case for one in own) else "its formula, moved")
            else:
                shown.append("as its column" if name.count(".") > 1 else "found by the deal")
        players.append(Player(name, deal.label(name), *shown))
        keys.append(own)
    return players, keys


def _switch(value: Any) -> str:
    """A switch of a scenario, such as what it undoes."""
    return "on" if float(np.asarray(value)) else "off"


def _mixed(
    old: Mapping[str, Any], new: Mapping[str, Any], keys: Sequence[Sequence[str]], mask: NDArray[np.bool_]
) -> dict[str, Any]:
    """The old case with the new values of some players."""
    found = dict(old)
    for on, own in zip(mask.tolist(), keys, strict=True):
        if on:
            for key in own:
                if key in new:
                    found[key] = new[key]
                else:
                    found.pop(key, None)
    return found


def divided_among(
    deal: Definition,
    measure: str,
    players: Sequence[Player],
    corners: Callable[[NDArray[np.bool_]], Floats],
    explain: Callable[[NDArray[np.bool_]], str],
    labels: tuple[str, str],
) -> Division:
    """How the difference falls to the players; InputError where the measure is undefined on the way."""

    def known(masks: NDArray[np.bool_]) -> Floats:
        found = corners(masks)
        bad = np.flatnonzero(~np.isfinite(found))
        if bad.size:
            corner = masks[int(bad[0])]
            moved = [player.label for player, on in zip(players, corner.tolist(), strict=True) if on]
            where = f"with {', '.join(moved)} as in '{labels[1]}' and all else as in '{labels[0]}'"
            where = f"in '{labels[1]}'" if corner.all() else where if moved else f"in '{labels[0]}'"
            raise InputError(
                f"{deal.label(measure)} is undefined {where}, because {explain(corner)}: there is no way from one to "
                "the other.",
                at="measure",
            )
        return found

    return divided(len(players), known)


_MATTERS = 0.01
_MOST_PAIRS = 3


def made_bridge(
    deal: Definition,
    measure: str,
    names: tuple[str, str],
    labels: tuple[str, str],
    players: Sequence[Player],
    division: Division,
    remarks: Sequence[str],
) -> Bridge:
    """The bridge of a division, its steps the largest first."""
    shares = division.shares.copy()
    shares[int(np.argmax(np.abs(shares)))] += (division.after - division.before) - float(shares.sum())
    steps = [
        Step(one.name, one.label, one.before, one.after, *(float(x) for x in row))
        for one, *row in zip(players, shares, division.errors, division.alone, division.last, strict=True)
    ]
    movement = float(np.abs(shares).sum())
    pairs = sorted(division.pairs.items(), key=lambda pair: -abs(pair[1]))
    together = {
        (players[a].name, players[b].name): value
        for (a, b), value in pairs[:_MOST_PAIRS]
        if abs(value) > _MATTERS * movement
    }
    ordered = tuple(sorted(steps, key=lambda one: -abs(one.share)))
    return Bridge(
        deal.title, measure, *names, labels, division.before, division.after, ordered, together, division.orders,
        tuple(remarks), deal,
    )  # fmt: skip

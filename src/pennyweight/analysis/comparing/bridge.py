"""What made the difference between two cases of a deal, or between two versions of it: each change's share of it."""

from __future__ import annotations

import copy
import re
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any, ClassVar

import numpy as np
from numpy.typing import NDArray

from pennyweight.analysis.cases import Model
from pennyweight.analysis.comparing.changes import TELLING, entries_of, telling_of, texts_of
from pennyweight.analysis.comparing.game import Division, UndefinedCornerError, divided
from pennyweight.analysis.showing import show_input
from pennyweight.array_kinds import Floats
from pennyweight.deals.compiler.program import aside_names
from pennyweight.deals.definition import Definition
from pennyweight.deals.inputs import scenario_names
from pennyweight.deals.undefined import why_undefined
from pennyweight.described import Described
from pennyweight.documents.shown import Shown
from pennyweight.errors import InputError, PennyweightError, choice, nearest

if TYPE_CHECKING:
    import pandas as pd

__all__ = ["Bridge", "Step", "bridge_of_scenarios", "bridge_of_versions"]

_MOST_FORMULAS = 6
_WORD = re.compile(r"[A-Za-z_]\w*(?:\.\w+)*")


@dataclass(frozen=True, slots=True, repr=False)
class Step(Described):
    """One thing that differs, and its share of the difference, whatever the order.

    `alone` is what it does with all else as before, `last` with all else as after; `error` says how far the
    share may be off where orders were drawn.

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

    >>> from pennyweight import Deal
    >>> found = Deal.starter("taxi").bridge("base", "wet_summers", "npv")
    >>> [one.name for one in found.steps], round(sum(one.share for one in found.steps), 2)
    (['trips'], -87186.39)
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
        """Plain values for JSON."""
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
class _Player:
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
    _check_measure(deal, measure)
    old, new = (dict(model.inputs_of(name, inputs)) for name in (first, second))
    players, keys = _players(deal, old, new)
    labels = (deal.scenario_label(first), deal.scenario_label(second))
    if not players:
        raise InputError(f"{first} and {second} do not differ in any input, so that there is nothing to bridge.")

    def corners(masks: NDArray[np.bool_]) -> Floats:
        return np.array(model.figures([_mixed(old, new, keys, mask) for mask in masks], [measure])[measure])

    def explain(mask: NDArray[np.bool_]) -> str:
        return why_undefined(deal, model.everything(_mixed(old, new, keys, mask)), measure)

    division = _divided(deal, measure, players, corners, explain, labels)
    return _bridge(deal, measure, (first, second), labels, players, division, ())


def bridge_of_versions(
    old: Model,
    new: Model,
    measure: str,
    scenario: str,
    read: Callable[[dict[str, Any]], Model],
    names: tuple[str, str] = ("before", "now"),
) -> Bridge:
    """What made the difference between two versions of a file; `read` makes a model of a document."""
    for model in (old, new):
        _check_measure(model.definition, measure)
    documents = [model.definition.source.document for model in (old, new)]
    groups, plain = _differing(*documents)
    remarks = []
    if len(groups) > _MOST_FORMULAS:
        remarks.append(f"{len(groups)} formulas and series differ, more than {_MOST_FORMULAS}: they are one step.")
        groups = [[entry for group in groups for entry in group]]
    made: dict[tuple[bool, ...], Model] = {}

    def model_at(mask: Sequence[bool]) -> Model:
        key = tuple(bool(one) for one in mask)
        if key not in made:
            chosen = [group for group, on in zip(groups, key, strict=True) if on]
            made[key] = read(_put_together(documents[0], documents[1], chosen))
        return made[key]

    try:
        for number in range(1 << len(groups)):
            model_at([bool(number >> k & 1) for k in range(len(groups))])
    except PennyweightError:
        if len(groups) > 1:
            remarks.append("The formulas that differ cannot stand without one another: they are one step.")
        groups, made = [[entry for group in groups for entry in group]], {}

    def scenario_of(model: Model) -> str:
        return scenario if scenario in model.definition.scenarios else "base"

    cases = [dict(model.inputs_of(scenario_of(model))) for model in (old, new)]
    plain = [name for name in plain if name in cases[0] and name in cases[1]]
    plain = [name for name in plain if not np.array_equal(cases[0][name], cases[1][name], equal_nan=True)]
    players = []
    for name in plain:
        shown = (
            show_input(m.definition, m.definition.inputs[name], c[name]) for m, c in zip((old, new), cases, strict=True)
        )
        players.append(_Player(name, new.definition.label(name), *shown))
    keys = [[player.name] for player in players]
    players += [_of_group(group, documents) for group in groups if group]
    groups = [group for group in groups if group]
    if not players:
        raise InputError("The two versions do not differ in anything that moves a figure.")

    def case_at(mask: NDArray[np.bool_]) -> tuple[Model, dict[str, Any]]:
        model = model_at(mask[len(keys) :].tolist())
        case = dict(model.inputs_of(scenario_of(model)))
        for on, (name,) in zip(mask.tolist(), keys, strict=False):
            if name in case:
                case[name] = cases[1 if on else 0][name]
        return model, case

    def corners(masks: NDArray[np.bool_]) -> Floats:
        found = np.empty(len(masks))
        together: dict[int, tuple[Model, list[int], list[dict[str, Any]]]] = {}
        for k, mask in enumerate(masks):
            model, case = case_at(mask)
            kept = together.setdefault(id(model), (model, [], []))
            kept[1].append(k)
            kept[2].append(case)
        for model, places, own in together.values():
            found[places] = model.figures(own, [measure])[measure]
        return found

    def explain(mask: NDArray[np.bool_]) -> str:
        model, case = case_at(mask)
        return why_undefined(model.definition, model.everything(case), measure)

    division = _divided(new.definition, measure, players, corners, explain, names)
    return _bridge(new.definition, measure, names, names, players, division, remarks)


def _check_measure(deal: Definition, measure: str) -> None:
    known = [*deal.measures, *deal.values]
    if measure not in known:
        raise InputError(
            f"There is no measure '{measure}'{nearest(measure, known) or '.'} There are {', '.join(known)}.",
            at="measure",
        )


def _players(deal: Definition, old: Mapping[str, Any], new: Mapping[str, Any]) -> tuple[list[_Player], list[list[str]]]:
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
        players.append(_Player(name, deal.label(name), *shown))
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


def _divided(
    deal: Definition,
    measure: str,
    players: Sequence[_Player],
    corners: Callable[[NDArray[np.bool_]], Floats],
    explain: Callable[[NDArray[np.bool_]], str],
    labels: tuple[str, str],
) -> Division:
    try:
        return divided(len(players), corners)
    except UndefinedCornerError as error:
        moved = [player.label for player, on in zip(players, error.corner.tolist(), strict=True) if on]
        where = f"with {', '.join(moved)} as in '{labels[1]}' and all else as in '{labels[0]}'" if moved else ""
        where = f"in '{labels[1]}'" if error.corner.all() else where or f"in '{labels[0]}'"
        raise InputError(
            f"{deal.label(measure)} is undefined {where}, because {explain(error.corner)}: there is no way from one to "
            "the other.",
            at="measure",
        ) from None


_MATTERS = 0.01
_MOST_PAIRS = 3


def _bridge(
    deal: Definition,
    measure: str,
    names: tuple[str, str],
    labels: tuple[str, str],
    players: Sequence[_Player],
    division: Division,
    remarks: Sequence[str],
) -> Bridge:
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


Entry = tuple[str, str]


def _differing(old: Mapping[str, Any], new: Mapping[str, Any]) -> tuple[list[list[Entry]], list[str]]:
    """(entries of the file that differ, those together that cannot stand alone; inputs that differ in their number)."""
    entries: list[Entry] = []
    plain: list[str] = []
    added: set[str] = set()
    texts: dict[Entry, set[str]] = {}
    for section in (*TELLING, "sets", "brackets", "splits"):
        was, now = (entries_of(document.get(section), section) for document in (old, new))
        for name in dict.fromkeys([*was, *now]):
            before, after = telling_of(was.get(name)), telling_of(now.get(name))
            if before == after:
                continue
            single = section == "inputs" and before is not None and after is not None and _single(before, after)
            if single:
                plain.append(name)
                continue
            entries.append((section, name))
            texts[section, name] = set(_WORD.findall(f"{before} {after}"))
            if before is None or after is None:
                added.add(name)
    groups: list[list[Entry]] = []
    for entry in entries:
        linked = [group for group in groups if any(_linked(entry, other, texts, added) for other in group)]
        merged = [entry] if not linked else [*(one for group in linked for one in group), entry]
        groups = [group for group in groups if group not in linked] + [merged]
    return groups, plain


def _linked(one: Entry, other: Entry, texts: Mapping[Entry, set[str]], added: set[str]) -> bool:
    """Whether one names what the other brings or takes away."""
    return (one[1] in added and _names(texts[other], one[1])) or (other[1] in added and _names(texts[one], other[1]))


def _names(words: set[str], name: str) -> bool:
    return any(word == name or word.startswith(f"{name}.") for word in words)


def _single(before: Mapping[str, Any], after: Mapping[str, Any]) -> bool:
    """Whether two entries of an input differ in their number alone."""
    keys = [key for key in {*before, *after} if before.get(key) != after.get(key)]
    return keys == ["value"] and "value" in before and "value" in after


def _put_together(old: Mapping[str, Any], new: Mapping[str, Any], groups: Sequence[Sequence[Entry]]) -> dict[str, Any]:
    """The old document with entries of the new one in it."""
    document = copy.deepcopy(dict(old))
    for section, name in (entry for group in groups for entry in group):
        part = document.setdefault(section, {})
        whole = new.get(section, {})
        if name in whole:
            part[name] = copy.deepcopy(whole[name])
        else:
            part.pop(name, None)
            if not part:
                document.pop(section)
    return document


def _of_group(group: Sequence[Entry], documents: Sequence[Mapping[str, Any]]) -> _Player:
    """Entries that go together as one step."""
    names = " and ".join(name for _, name in group)
    said = []
    for section, name in group:
        was, now = (entries_of(document.get(section), section).get(name) for document in documents)
        said.append(texts_of(was, now))
    sides = ("; ".join(one[k] for one in said) for k in (0, 1))
    return _Player(names, names, *sides)

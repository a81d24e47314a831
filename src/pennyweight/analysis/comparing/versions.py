"""What made the difference between two versions of a deal's file: inputs and formulas that differ, as steps."""

from __future__ import annotations

import copy
import re
from collections.abc import Callable, Mapping, Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray

from pennyweight.analysis.cases import Model
from pennyweight.analysis.comparing.bridge import Bridge, Player, check_measure, divided_among, made_bridge
from pennyweight.analysis.comparing.changes import TELLING, entries_of, telling_of, texts_of
from pennyweight.analysis.showing import show_input
from pennyweight.array_kinds import Floats
from pennyweight.deals.undefined import why_undefined
from pennyweight.errors import InputError, PennyweightError

__all__ = ["bridge_of_versions"]

_MOST_FORMULAS = 6
_WORD = re.compile(r"[A-Za-z_]\w*(?:\.\w+)*")


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
        check_measure(model.definition, measure)
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
        players.append(Player(name, new.definition.label(name), *shown))
    keys = [[player.name] for player in players]
    labels = [model.definition.label for model in (new, old)]
    players += [_of_group(group, documents, labels) for group in groups if group]
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

    division = divided_among(new.definition, measure, players, corners, explain, names)
    return made_bridge(new.definition, measure, names, names, players, division, remarks)


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


def _of_group(
    group: Sequence[Entry], documents: Sequence[Mapping[str, Any]], labels: Sequence[Callable[[str], str]]
) -> Player:
    """Entries that go together as one step, each as the version calls it that has it."""
    names = " and ".join(name for _, name in group)
    called = [next((told for label in labels if (told := label(name)) != name), name) for _, name in group]
    said = []
    for section, name in group:
        was, now = (entries_of(document.get(section), section).get(name) for document in documents)
        said.append(texts_of(was, now))
    sides = ("; ".join(one[k] for one in said) for k in (0, 1))
    return Player(names, " and ".join(called), *sides)

"""Where the figures of a comparison come from: a tree for each case, what a goal leaves to spare, what differs."""

from __future__ import annotations

from collections.abc import Mapping
from typing import TYPE_CHECKING

import numpy as np

from pennyweight.analysis.explaining.why import why
from pennyweight.analysis.showing import headed, show_base, show_figure
from pennyweight.documents.derivation import Derivation, Whys, bracketed, derivation_table
from pennyweight.documents.model import Table
from pennyweight.pages.explaining.trees import derivation_of, tree
from pennyweight.pages.weighing.own_tables import column_title
from pennyweight.pages.weighing.weighing_whys import column_whys, goal_derivations, table_whys

if TYPE_CHECKING:
    from pennyweight.analysis.comparing.changes import Changes
    from pennyweight.analysis.comparing.comparison import Comparison
    from pennyweight.analysis.weighing.weighing import Weighing

__all__ = ["change_whys", "comparison_whys"]

_DEPTH = 2


def comparison_whys(comparison: Comparison) -> Whys:
    """Every row of the page: inputs, figures, differences, answers, goals, and the formulas of the deal's tables."""
    found: dict[tuple[str, str], Table] = {}
    cases = comparison.weighings
    for name in comparison.differing:
        found["Inputs that differ", _label(cases, name)] = derivation_table(
            _label(cases, name), {case: _input(weighing, name) for case, weighing in cases.items()}
        )
    for name in dict.fromkeys(name for weighing in cases.values() for name in weighing.measures):
        label = _label(cases, name)
        having = {case: weighing for case, weighing in cases.items() if name in weighing.measures}
        found["Figures", label] = _figure(having, name)
        if comparison.against is not None:
            found[f"Differences to {comparison.against}", label] = _difference(comparison, having, name)
    for name in dict.fromkeys(name for weighing in cases.values() for name in weighing.definition.questions):
        asked = {case: weighing for case, weighing in cases.items() if name in weighing.definition.questions}
        label = next(iter(asked.values())).definition.questions[name].label
        found["Answers", label] = derivation_table(label, {
            case: Derivation(weighing.answers[name].told, weighing.answers[name].reason or f"looked for over "
                             f"{weighing.definition.label(weighing.definition.questions[name].find)}, so that "
                             f"{weighing.definition.questions[name].text}")
            for case, weighing in asked.items()
        })  # fmt: skip
    found |= _goals(comparison)
    return {**found, **_tables(comparison)}


def _tables(comparison: Comparison) -> Whys:
    """The formulas of the deal's tables: of one case each, or of one figure in all cases, as the page has them."""
    found: dict[tuple[str, str], Table] = {}
    for case, weighing in comparison.weighings.items():
        for result in weighing.tables.values():
            for (title, _), table in table_whys(result).items():
                found[f"{title} ({case})", ""] = table
            for name, column in result.table.columns.items():
                title = f"{result.label}: {column_title(result, column)}"
                found.setdefault((title, ""), column_whys(result, [name]))
    return found


def _label(cases: Mapping[str, Weighing], name: str) -> str:
    owner = next(one for one in cases.values() if name in one.inputs or name in one.measures or name in one.goals)
    return headed(owner.definition, name)


def _input(weighing: Weighing, name: str) -> Derivation:
    if name not in weighing.inputs:
        return Derivation("-", "this deal has no such input")
    deal, value = weighing.definition, weighing.inputs[name]
    item = deal.inputs[name]
    if isinstance(value, np.ndarray):
        return Derivation(deal.style.show(float(np.nanmean(value)), item.unit), "the average of its values")
    # What is given beside the file is the same in all cases, so what differs is the scenario's or the file's.
    same = not isinstance(item.value, np.ndarray) and value == item.value
    how = "given, as the file has it" if same else f"set by the scenario {weighing.scenario_label}"
    return Derivation(show_base(deal, item, value), how)


def _figure(having: Mapping[str, Weighing], name: str) -> Table:
    """One tree with a column a scenario; of whole deals, whose formulas differ, a tree each."""
    models = {id(weighing.model) for weighing in having.values()}
    if len(models) == 1:
        found = tree(having, name, None, _DEPTH)
        # The formulas beside the names, so that they stay in sight however many cases there are; places are left out.
        columns = (found.columns[0], found.columns[-2], *found.columns[1:-2])
        rows = tuple((row[0], row[-2], *row[1:-2]) for row in found.rows)
        note = f"The numbers in the formulas are those of {next(iter(having))}."
        return Table(_label(having, name), columns, rows, note)
    return derivation_table(_label(having, name), {
        case: derivation_of(why({case: weighing}, name, None, _DEPTH).reason) for case, weighing in having.items()
    })  # fmt: skip


def _difference(comparison: Comparison, having: Mapping[str, Weighing], name: str) -> Table:
    against = comparison.against or ""
    base = comparison.weighings[against].measures.get(name)
    told = {}
    for case, weighing in having.items():
        value = weighing.measures[name].value
        if case == against:
            continue
        if value is None or base is None or base.value is None:
            told[case] = Derivation("-", "the figure is undefined in one of both")
            continue
        deal = weighing.definition
        shown, of = (show_figure(deal, name, one, unit=False) for one in (value, base.value))
        difference = show_figure(deal, name, value - base.value, unit=False, sign=True)
        told[case] = Derivation(difference, f"its figure - that of {against}", f"{shown} - {bracketed(of)}")
    return derivation_table(_label(having, name), told)


def _goals(comparison: Comparison) -> Whys:
    found = {}
    cases = comparison.weighings
    for name in dict.fromkeys(name for weighing in cases.values() for name in weighing.goals):
        told: dict[str, Derivation] = {}
        for case, weighing in cases.items():
            if name in weighing.goals:
                lines = goal_derivations(weighing, weighing.goals[name])
                told |= {
                    f"{label}, {case}": one for label, one in lines.items() if label in ("Asked", "To spare", "State")
                }
        found["Goals", _label(cases, name)] = derivation_table(_label(cases, name), told)
    verdicts = {
        case: Derivation(weighing.verdict, "; ".join(f"{goal.label} {goal.state}" for goal in weighing.goals.values())
                         or "it sets no goals")
        for case, weighing in cases.items()
    }  # fmt: skip
    found["Goals", "Verdict"] = derivation_table("Verdict", verdicts)
    return found


def change_whys(changes: Changes) -> Whys:
    """Of each change what it alone does to each figure of the old version."""
    before = next(iter(changes.comparison.weighings.values()))
    deal = before.definition
    found = {}
    for one in changes.changes:
        told = {}
        for name, moved in one.effects.items():
            value = before.measures[name].value
            if moved is None or value is None:
                told[deal.label(name)] = Derivation("undefined", "the figure is undefined before or with it")
                continue
            with_it, of = (show_figure(deal, name, figure, unit=False) for figure in (value + moved, value))
            told[deal.label(name)] = Derivation(
                show_figure(deal, name, moved, unit=False, sign=True), "with this change alone - before",
                f"{with_it} - {bracketed(of)}",
            )  # fmt: skip
        said = {"money_in": "money in", "money_out": "money out"}.get(one.section, one.section)
        if told:
            title = f"{said}: {one.name}"
            found["What differs between the two versions", title] = derivation_table(title, told)
    return found

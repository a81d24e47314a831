"""How a simulation describes itself: the chance that it pays off, how figures fall, what the missed cases share."""

from __future__ import annotations

from functools import partial

from pennyweight.analysis.showing import headed, show_base, show_figure
from pennyweight.analysis.simulating.chances import Chance, Spread
from pennyweight.analysis.simulating.falls import how_it_falls, parted
from pennyweight.analysis.simulating.simulation import Simulation
from pennyweight.analysis.simulating.tally import Common
from pennyweight.deals.definition import Definition
from pennyweight.deals.language.nodes import show
from pennyweight.deals.language.translation import folded
from pennyweight.documents import Block, Cell, Column, Document, Row, Table, Text
from pennyweight.documents.derivation import Derivation, Why
from pennyweight.documents.handout import Handout, sheets_of
from pennyweight.pages.simulating.charts import charts_of
from pennyweight.pages.weighing.words import good_side

__all__ = ["document", "handout"]

_SHOWN = (5, 25, 50, 75, 95)
_MOST_COMMON = 5
_LEAST_APART = 0.1
"""Inputs that lie less than a tenth of a standard deviation apart have nothing to do with missing."""


def document(simulation: Simulation) -> Document:
    """Chances, figures, what the missed cases have in common, what was drawn."""
    deal = simulation.definition
    blocks: list[Block] = []
    if simulation.chances:
        blocks.append(_chances(simulation))
    blocks += [_figures(simulation), *_undefined(simulation)]
    if common := _in_common(simulation):
        blocks.append(common)
    blocks.append(_drawn(simulation))
    if simulation.moved_together:
        blocks.append(_moved(simulation))
    blocks += [Text(told, "comparison") for told in _told(simulation)]
    said = f"{simulation.cases:,} cases, seed {simulation.seed}"
    subtitle = f"Scenario: {deal.scenario_label(simulation.scenario)}. {said}."
    return Document(deal.title, tuple(blocks), subtitle, charts_of(simulation), headline=_headline(simulation))


def handout(simulation: Simulation, page: Document) -> Handout:
    """The simulation as it is handed over: in its workbook a row a measure, in the unit of each."""
    deal = simulation.definition
    return Handout(page, lambda: sheets_of(simulation.frames), currency=deal.style.currency, places=deal.style.places)


def _headline(simulation: Simulation) -> str:
    if not simulation.chances:
        return ""
    chance = simulation.chances["pays_off"]
    nearly = f"; it nearly does in {_share(simulation, chance.nearly)}" if chance.nearly else ""
    met, off = _share(simulation, chance.met), _error(simulation, chance.met_error)
    return f"It pays off in {met} of the cases ({off}){nearly}."


def _share(simulation: Simulation, value: float) -> str:
    return simulation.definition.style.show(value, "share", places=1)


def _error(simulation: Simulation, value: float) -> str:
    """How far a share may be off, with digits enough to be more than nothing."""
    places = 1 if value >= 0.0005 or value == 0 else 2 if value >= 0.00005 else 3
    return f"± {simulation.definition.style.show(value, 'share', places=places)}"


def _chances(simulation: Simulation) -> Table:
    deal = simulation.definition

    def row(name: str, one: Chance) -> tuple[Cell, ...]:
        label = "The deal pays off" if name == "pays_off" else f"{deal.label(name)} {_asked(deal, name)}"
        return (
            Cell(label),
            Cell(f"✓ {_share(simulation, one.met)}", "in"),
            Cell(f"≈ {_share(simulation, one.nearly)}", "question"),
            Cell(f"✗ {_share(simulation, one.missed)}", "out"),
            Cell(_error(simulation, one.met_error), "comparison"),
        )

    columns = [Column("In how many cases", words=True), Column("met"), Column("nearly"), Column("missed"), Column("±")]
    rows = [Row(row(name, one), _chance_why(simulation, one)) for name, one in simulation.chances.items()]
    if not any(one.nearly for one in simulation.chances.values()):
        columns = [*columns[:2], *columns[3:]]
        rows = [Row((*one[:2], *one[3:]), one.why) for one in rows]
    note = "± is how far 'met' may be off by the draws alone, in 95 of 100 runs."
    return Table("Chances", tuple(columns), tuple(rows), note)


def _chance_why(simulation: Simulation, one: Chance) -> Why:
    label = "The deal pays off" if one.name == "pays_off" else simulation.definition.label(one.name)
    return Why(label, partial(_chance_told, simulation, one))


def _chance_told(simulation: Simulation, one: Chance) -> dict[str, Derivation]:
    """Which cases were counted, and where the error comes from."""
    found = {}
    for word, share in (("Met", one.met), ("Nearly", one.nearly), ("Missed", one.missed)):
        numbers = f"{round(share * simulation.cases)} / {simulation.cases}"
        shown = simulation.definition.style.show(share, "share", places=1)
        found[word] = Derivation(shown, "cases in which it is so / all cases", numbers)
    how = f"t for 95% * the standard error of the means of {simulation.batches} batches, each drawn for itself"
    return {**found, "How far 'met' may be off": Derivation(_error(simulation, one.met_error), how)}


def _spread_why(simulation: Simulation, name: str, one: Spread) -> Why:
    return Why(simulation.definition.label(name), partial(_spread_told, simulation, name, one))


def _spread_told(simulation: Simulation, name: str, one: Spread) -> dict[str, Derivation]:
    """From which cases the percentiles and the mean of the worst are read off."""
    deal = simulation.definition
    count = round(one.defined * simulation.cases)

    def told(value: float, how: str) -> Derivation:
        return Derivation(show_figure(deal, name, value if value == value else None), how)

    found = {"As it stands": told(simulation.base[name], deal.measures[name].text if name in deal.measures else "")}
    worst = max(1, -(-count // 20))
    found["Worst 5, mean"] = told(one.worst, f"the mean of the {worst:,} {one.worst_side} of {count:,} figures")
    for level in _SHOWN:
        how = f"{count:,} figures in order, read off at {level}% of the way"
        found[f"{level} of 100 lie below"] = told(one.percentiles[level], how)
    return found


def _asked(deal: Definition, name: str) -> str:
    goal = deal.goals[name]
    bound = goal.at_least if goal.at_least is not None else goal.at_most
    value = None if bound is None else folded(bound)
    word = "at least" if goal.at_least is not None else "at most"
    return f"{word} {show(bound) if value is None else show_figure(deal, name, value)}" if bound is not None else ""


def _figures(simulation: Simulation) -> Table:
    deal = simulation.definition

    def shown(name: str, value: float) -> str:
        return show_figure(deal, name, value if value == value else None, unit=False)

    def row(name: str, one: Spread) -> tuple[Cell, ...]:
        return (
            Cell(headed(deal, name)),
            Cell(shown(name, simulation.base[name]), "comparison"),
            Cell(shown(name, one.worst), "out" if good_side(deal, name) else "plain"),
            *(Cell(shown(name, one.percentiles[level])) for level in _SHOWN),
            Cell("" if one.defined == 1 else _share(simulation, one.defined)),
        )

    judged = [bool(good_side(deal, name)) for name in simulation.spreads]
    worst = "Worst 5, mean" if all(judged) else "Tail 5, mean" if any(judged) else "Lowest 5, mean"
    columns = [Column("Figure", words=True), Column("As it stands"), Column(worst)]
    columns += [*(Column(f"{level}") for level in _SHOWN), Column("Defined in")]
    rows = [Row(row(name, one), _spread_why(simulation, name, one)) for name, one in simulation.spreads.items()]
    if all(one.defined == 1 for one in simulation.spreads.values()):
        columns, rows = columns[:-1], [Row(one[:-1], one.why) for one in rows]
    errors = [(name, one.errors[50]) for name, one in simulation.spreads.items()]
    shown_errors = [(name, _about(deal, name, error)) for name, error in errors if error == error]
    off = [f"{deal.label(name)} {error}" for name, error in shown_errors if any(mark in "123456789" for mark in error)]
    note = f"The middle may be off, by the draws alone: {'; '.join(off)}." if off else ""
    if any(judged) and not all(judged):
        note = f"Tail: the worst five of 100 cases; of a figure without a goal the lowest. {note}".strip()
    return Table("Figures, and below which so many of 100 cases lie", tuple(columns), tuple(rows), note)


def _about(deal: Definition, name: str, error: float) -> str:
    """An error in the unit of its figure, of money whole amounts."""
    unit = deal.unit(name)
    if unit == "money" and error >= 10:
        return "± " + deal.style.with_unit(error, unit, places=0)
    if unit in ("rate", "share"):
        return "± " + deal.style.show(error, unit, places=2 if error >= 0.00005 or error == 0 else 4)
    return "± " + deal.style.with_unit(error, unit)


def _undefined(simulation: Simulation) -> list[Text]:
    found = []
    for name, one in simulation.spreads.items():
        if one.defined < 1 and one.reasons:
            said = "; or ".join(one.reasons)
            found.append(
                Text(
                    f"{simulation.definition.label(name)} is undefined in {_share(simulation, 1 - one.defined)} of the "
                    f"cases, in some because {said}. Its percentiles are those of the other cases.",
                    "out",
                )
            )
    return found


def _in_common(simulation: Simulation) -> Table | None:
    deal = simulation.definition
    kept = [one for one in simulation.in_common if abs(one.apart) >= _LEAST_APART][:_MOST_COMMON]
    if not kept:
        return None

    def shown(one: Common, value: float) -> str:
        item = deal.inputs[one.input]
        if one.word:
            return f"{one.word} in {_share(simulation, value)}"
        if item.is_series:
            return f"{deal.style.show(value, 'number', places=3)} × its own values"
        return show_base(deal, item, value, unit=True)

    rows = tuple(
        (
            Cell(deal.label(one.input)),
            Cell(shown(one, one.missed), "out"),
            Cell(shown(one, one.others)),
            Cell(f"{'+' if one.apart > 0 else '-'}{deal.style.show(abs(one.apart), 'number', places=1)}", "comparison"),
        )
        for one in kept
    )
    columns = (
        Column("On average", words=True), Column("in the missed cases"), Column("in the others"), Column("Apart"),
    )  # fmt: skip
    note = "Apart: the difference in standard deviations of the input."
    return Table("What the missed cases have in common", columns, rows, note)


def _drawn(simulation: Simulation) -> Table:
    deal = simulation.definition
    rows = tuple((Cell(one.item.label), Cell(how_it_falls(deal, one), "comparison")) for one in simulation.falling)
    return Table("What is drawn", (Column("Input", words=True), Column("How it falls", words=True)), rows)


def _moved(simulation: Simulation) -> Table:
    deal = simulation.definition
    rows = tuple(
        (
            Cell(f"{deal.label(one)} with {deal.label(other)}"),
            Cell(deal.style.show(asked, "number", places=2)),
            Cell(deal.style.show(got, "number", places=2)),
        )
        for (one, other), (asked, got) in simulation.moved_together.items()
    )
    columns = (Column("Moves together (rank correlation)", words=True), Column("asked"), Column("attained"))
    return Table(
        "What moves together", columns, rows, "Values and words that fall by weights attain less than is asked."
    )


def _told(simulation: Simulation) -> list[str]:
    told = []
    if simulation.by_range:
        told.append(
            "No input says 'uncertain', so that every input with a low and a high was taken as triangular about its "
            "value. A range says how far a figure may go, not how it falls: write 'uncertain' where you know better."
        )
    if simulation.held:
        told.append(f"Held as they stand: {'; '.join(simulation.held)}.")
    told += parted(simulation.definition, simulation.falling)
    if simulation.broken_off:
        told.append(f"Broken off: these are the {simulation.cases:,} cases that were done.")
    elif simulation.until is not None:
        told.append(_how_sure(simulation, simulation.until))
    elif simulation.cases != simulation.asked:
        told.append(
            f"{simulation.asked:,} cases were asked for; {simulation.cases:,} were drawn, {simulation.batches} times a "
            "power of two, which spreads them evenly."
        )
    if simulation.counted:
        told.append(
            "There are too many cases to keep: they are counted by the leading bits of their figures, so that "
            "percentiles and the worst are right to 0.025%. Chances and means are exact."
        )
    told += simulation.worked_by.sentences if simulation.worked_by is not None else []
    return told


def _how_sure(simulation: Simulation, until: float) -> str:
    """Whether the chance is known as well as was asked for, and after how many cases."""
    error = simulation.chances["pays_off"].met_error
    known, asked = _error(simulation, error), _error(simulation, until)
    if error <= until:
        reached, only = f"{simulation.cases:,} cases", ""
    else:
        reached, only = f"{simulation.cases:,} cases, the most that are drawn,", " only"
    return f"After {reached} the chance that it pays off is known to {known}{only}; {asked} was asked for."

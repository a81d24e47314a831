"""How a bridge describes itself: each step's share, what steps do together, and the steps as bars."""

from __future__ import annotations

from functools import partial

from pennyweight.analysis.comparing.bridge import Bridge, Step
from pennyweight.analysis.showing import show_figure
from pennyweight.documents import Block, Cell, Column, Document, Row, StepsChart, Table, Text
from pennyweight.documents.derivation import Derivation, Why, bracketed, digits
from pennyweight.documents.handout import Handout, sheets_of
from pennyweight.pages.weighing.words import good_side, toned

__all__ = ["document", "handout"]

_MATTERS = 0.01
_MOST_BARS = 14
_LONG = 28
"""A text longer than this is one of words, and broken."""


def document(bridge: Bridge) -> Document:
    """The steps from one case to the other, and their chart."""
    deal = bridge.definition
    blocks: list[Block] = [_steps(bridge), *_together(bridge)]
    if bridge.orders:
        count = f"{len(bridge.steps)} things differ, more than ten"
        told = f"{count}: {bridge.orders:,} orders were drawn; ± is how far a share may be off."
        blocks.append(Text(told, "comparison"))
    blocks += [Text(one, "comparison") for one in bridge.remarks]
    return Document(
        deal.title,
        tuple(blocks),
        f"From {bridge.labels[0]} to {bridge.labels[1]}.",
        (_chart(bridge),),
        _headline(bridge),
    )


def handout(bridge: Bridge, page: Document) -> Handout:
    """The bridge as it is handed over: a row a step, in the unit of its measure."""
    deal, unit = bridge.definition, bridge.definition.unit(bridge.measure)
    units = dict.fromkeys(("share", "error", "alone", "last"), unit)
    return Handout(
        page, lambda: sheets_of({"steps": bridge.frame}, units), currency=deal.style.currency, places=deal.style.places
    )


def _moved(bridge: Bridge, value: float) -> str:
    return show_figure(bridge.definition, bridge.measure, value, unit=False, sign=True)


def _figure(bridge: Bridge, value: float) -> str:
    return show_figure(bridge.definition, bridge.measure, value)


def _headline(bridge: Bridge) -> str:
    deal, first = bridge.definition, bridge.steps[0]
    ends = f"from {_figure(bridge, bridge.before)} to {_figure(bridge, bridge.after)}"
    difference = bridge.after - bridge.before
    word = "rises" if difference > 0 else "falls" if difference < 0 else "stays"
    if not difference:
        return f"{deal.label(bridge.measure)} stays at {_figure(bridge, bridge.before)}."
    share = deal.style.show(first.share / difference, "share", places=0)
    if len(bridge.steps) == 1:
        return f"{deal.label(bridge.measure)} {word} {ends}, all of it by {first.label}."
    return f"{deal.label(bridge.measure)} {word} {ends}; {first.label} makes {share} of the difference."


def _steps(bridge: Bridge) -> Table:
    deal = bridge.definition
    apart = _interact(bridge)

    def row(one: Step) -> tuple[Cell, ...]:
        cells = [
            Cell(one.label),
            Cell(one.before),
            Cell(one.after),
            Cell(_moved(bridge, one.share), toned(deal, bridge.measure, one.share)),
        ]
        if bridge.orders:
            cells.append(Cell(f"± {show_figure(deal, bridge.measure, one.error, unit=False)}", "comparison"))
        if apart:
            cells += [Cell(_moved(bridge, one.alone), "comparison"), Cell(_moved(bridge, one.last), "comparison")]
        return tuple(cells)

    long = any(len(text) > _LONG for one in bridge.steps for text in (one.before, one.after))
    sides = [Column(label, words=long) for label in bridge.labels]
    columns = [Column("What differs", words=True), *sides, Column("Its share")]
    columns += [Column("±")] if bridge.orders else []
    columns += [Column("first"), Column("last")] if apart else []
    blank = Cell("")
    total = [Cell("Together"), blank, blank, Cell(_moved(bridge, bridge.after - bridge.before), "question")]
    if bridge.orders:
        total.append(blank)
    if apart:
        total += [Cell(_moved(bridge, sum(one.alone for one in bridge.steps)), "comparison"), blank]
    note = "A share is the mean over all orders in which the changes may come."
    if apart:
        note += " First: with all else as before. Last: with all else as after."
    title = (
        f"{deal.label(bridge.measure)}: {_figure(bridge, bridge.before)} in {bridge.labels[0]}, "
        f"{_figure(bridge, bridge.after)} in {bridge.labels[1]}"
    )
    steps = [Row(row(one), Why(one.label, partial(_step_told, bridge, one))) for one in bridge.steps]
    return Table(title, tuple(columns), (*steps, tuple(total)), note)


def _step_told(bridge: Bridge, one: Step) -> Derivation:
    """How a share comes about: what the change does over all orders, the first and the last of them told."""
    first = "in all orders" if not bridge.orders else f"in {bridge.orders:,} orders drawn"
    alone, last = _moved(bridge, one.alone), _moved(bridge, one.last)
    parts = {
        "First, all else as before": Derivation(alone, "the figure with this change alone less that before"),
        "Last, all else as after": Derivation(last, "the figure after less that without this change"),
    }
    numbers = ""
    if len(bridge.steps) == 2:
        mark = bridge.definition.style.mark
        numbers = f"({digits(one.alone, mark)} + {bracketed(digits(one.last, mark))}) / 2"
    return Derivation(_moved(bridge, one.share), f"the mean of what it does {first}", numbers, parts)


def _interact(bridge: Bridge) -> bool:
    """Whether what each does alone and what it does last lie apart."""
    movement = sum(abs(one.share) for one in bridge.steps)
    return any(abs(one.alone - one.last) > _MATTERS * movement for one in bridge.steps)


def _together(bridge: Bridge) -> list[Text]:
    labels = {one.name: one.label for one in bridge.steps}
    return [
        Text(
            f"{labels[a]} and {labels[b]} together do {_moved(bridge, value)} beyond what each does alone.",
            "comparison",
        )
        for (a, b), value in bridge.together.items()
    ]


def _chart(bridge: Bridge) -> StepsChart:
    deal = bridge.definition
    shown = list(bridge.steps[:_MOST_BARS])
    parts = [(one.label, one.share) for one in shown]
    if rest := bridge.steps[_MOST_BARS:]:
        parts.append((f"{len(rest)} more", sum(one.share for one in rest)))
    unit = deal.unit(bridge.measure)
    suffix = {"money": f", {deal.style.currency}", "rate": " a year", "years": ", years"}.get(unit, "")
    moved = _figure(bridge, abs(bridge.after - bridge.before))
    word = "more" if bridge.after > bridge.before else "less"
    return StepsChart(
        f"bridge_{bridge.measure}",
        f"{deal.label(bridge.measure)}: {moved} {word} in {bridge.labels[1]}",
        ((bridge.labels[0], bridge.before), *parts),
        bridge.after,
        bridge.labels[1],
        f"{deal.label(bridge.measure)}{suffix}",
        opens=True,
        percent=unit in ("rate", "share"),
        good=good_side(deal, bridge.measure),
    )

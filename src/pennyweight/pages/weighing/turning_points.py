"""Turning points on a page: what turns, what is nearest, and what never does."""

from __future__ import annotations

from collections.abc import Sequence
from functools import partial

from pennyweight.analysis.showing import Side, headed, show_about, show_base, show_value
from pennyweight.analysis.weighing.turning import TurningPoint
from pennyweight.analysis.weighing.weighing import Weighing
from pennyweight.deals.definition import Definition
from pennyweight.documents import Block, Cell, Column, Row, Table, Text
from pennyweight.documents.derivation import Derivation, Why, bracketed, digits
from pennyweight.pages.explaining.figures_beside import beside, figures_at
from pennyweight.plain_text import counted, listed

__all__ = ["distance_of", "nearest_first", "nearest_turn", "turn_of", "turning_blocks"]


def turning_blocks(weighing: Weighing) -> list[Block]:
    """A table of the inputs that turn the verdict, nearest first, and a line for those that do not."""
    deal, points = weighing.definition, weighing.turning_points
    turning = nearest_first(points)
    blocks: list[Block] = []
    if turning:
        columns = (
            Column("Input", words=True),
            Column("As it stands"),
            Column("Turns"),
            Column("Distance"),
            Column("What turns", words=True, cut=True),
        )
        note = "Each input is changed alone. Distance: to the nearer turn, in percent of its low-high range."
        rows = [_row(deal, point) for point in turning]
        whys = [Why(deal.inputs[point.input].label, partial(_told, weighing, point)) for point in turning]
        kept = len(columns) if any(row[-1].text for row in rows) else len(columns) - 1  # one goal alone needs no name
        shown = tuple(Row(row[:kept], why) for row, why in zip(rows, whys, strict=True))
        far = "turn it too, farther away" if len(rows) > _NEAREST else ""
        blocks.append(Table("Turning points", columns[:kept], shown, note, on_screen=_NEAREST, beyond=far))
    for reason, named in _idle(deal, points).items():
        blocks.append(Text(f"{reason}: {counted(named, width=70)}.", "comparison"))
    return blocks


_NEAREST = 5
"""So many turning points stand on a screen."""


def nearest_first(points: Sequence[TurningPoint]) -> list[TurningPoint]:
    """The inputs that turn the verdict, or have a limit beyond which a figure is undefined; the nearest first."""
    turning = [point for point in points if point.turns_at is not None or point.limited]
    return sorted(turning, key=lambda point: (point.nearness is None, point.nearness or 0.0))


def turn_of(deal: Definition, point: TurningPoint) -> str:
    """Where an input turns the verdict, in words."""
    if point.choices:
        return f"pays off with {listed(point.choices, 'or')}"
    sides = (("below", point.below), ("above", point.above))
    told = [f"{word} {shown_turn(deal, point, value, unit=True)}" for word, value in sides if value is not None]
    limits = (("below", point.limit_below), ("above", point.limit_above))
    told += [f"limit {word} {shown_limit(deal, point, value)}" for word, value in limits if value is not None]
    return ", ".join(told)


def nearest_turn(deal: Definition, points: Sequence[TurningPoint]) -> str:
    """One sentence on the input nearest to its turn; nothing when none turns."""
    turning = [point for point in points if point.nearness is not None]
    if not turning:
        return ""
    nearest = min(turning, key=lambda point: point.nearness or 0.0)
    where = _turn(deal, nearest, nearest.turns_at, unit=True).text
    goals = _goals(deal, nearest)
    by = f", by {goals}" if goals and len(deal.goals) > 1 else ""
    label = deal.label(nearest.input)
    if _is_last(deal, nearest):
        return f" Nearest to turning it: {label}, {where} is the {_end(nearest)}{by}."
    return f" Nearest to turning it: {label} at {where}, {distance_of(deal, nearest, words=True)}{by}."


def _row(deal: Definition, point: TurningPoint) -> tuple[Cell, ...]:
    item = deal.inputs[point.input]
    base = "× 1" if point.by_scale else show_base(deal, item, point.base)
    what = _goals(deal, point) if len(deal.goals) > 1 else ""  # with one goal there is nothing to tell apart
    if point.choices:
        what = f"pays off with {listed(point.choices, 'or')}"
    elif point.limited:
        limits = (("below", point.limit_below), ("above", point.limit_above))
        told = [f"{word} {shown_limit(deal, point, value)}" for word, value in limits if value is not None]
        what = "; ".join(filter(None, [what, f"a figure is undefined {listed(told, 'or')}"]))
    sides = (("below", point.below), ("above", point.above))
    turns = [f"{word} {shown_turn(deal, point, value)}" for word, value in sides if value is not None]
    distance = f"{_turn(deal, point, point.turns_at).text} is the {_end(point)}" if _is_last(deal, point) else ""
    return (
        Cell(headed(deal, point.input)),
        Cell(base),
        Cell(", ".join(turns), "question") if turns else Cell("-", "comparison"),
        Cell(distance or distance_of(deal, point)),
        Cell(what),
    )


def _goals(deal: Definition, point: TurningPoint) -> str:
    """The goals that turn there, by name unless there are many."""
    if len(point.goals) > 2 and len(point.goals) == len(deal.goals):
        return f"all {len(point.goals)} goals"
    return listed([deal.label(name) for name in point.goals])


def shown_limit(deal: Definition, point: TurningPoint, limit: float) -> str:
    """Roughly where figures stop existing."""
    item = deal.inputs[point.input]
    return f"× {limit:.2g}" if point.by_scale else show_about(deal, item, limit)


def _turn(deal: Definition, point: TurningPoint, value: float | None, *, unit: bool = False) -> Cell:
    if value is None:
        return Cell("-", "comparison")
    return Cell(shown_turn(deal, point, value, unit=unit), "question" if value == point.turns_at else "plain")


def shown_turn(deal: Definition, point: TurningPoint, value: float, *, unit: bool = False) -> str:
    """A value at which it turns, rounded to the side on which the deal pays off."""
    if point.by_scale:
        return f"× {deal.style.show(value, 'number', places=4)}"
    kind: Side = "at least" if value == point.below else "at most" if value == point.above else "exactly"
    return show_value(deal, deal.inputs[point.input], value, kind, unit=unit)


def distance_of(deal: Definition, point: TurningPoint, *, words: bool = False) -> str:
    """How far an input is from its turn: of its range, where it has one, else of its value."""
    if point.of_range is not None:
        return deal.style.show(point.of_range, "share", places=0, sign=True) + (" of its range" if words else "")
    if point.distance is not None:
        return f"{deal.style.show(point.distance, 'share', places=1, sign=True)} of its value"
    return "-"


def _is_last(deal: Definition, point: TurningPoint) -> bool:
    """Whether a whole input stands at its last good value already."""
    return deal.inputs[point.input].whole and point.turns_at == point.base and not point.choices


def _end(point: TurningPoint) -> str:
    return "lowest" if point.below == point.base else "highest"


def _idle(deal: Definition, points: Sequence[TurningPoint]) -> dict[str, list[str]]:
    """The inputs that turn nothing, by what they leave as it is."""
    found: dict[str, list[str]] = {}
    for point in points:
        if point.turns_at is None and not point.limited:
            if point.idle == "always":
                said = "It pays off at every value looked at of"
            elif point.idle == "blocked":
                said = f"{listed([deal.label(name) for name in point.blocked])} missed at every value looked at of"
            else:
                said = "No value meets all goals at once of"
            found.setdefault(said, []).append(deal.label(point.input))
    return found


def _told(weighing: Weighing, point: TurningPoint) -> dict[str, Derivation]:
    """The goals that turn, at each turn and just beside it; and how far away the nearer one is."""
    deal = weighing.definition
    item = deal.inputs[point.input]
    names = list(point.goals or deal.goals)
    found: dict[str, Derivation] = {}
    for word, value in (("Turns below", point.below), ("Turns above", point.above)):
        if value is None:
            continue
        parts = figures_at(weighing.model, weighing.case, item, beside(item, value), names)
        shown = shown_turn(deal, point, value)
        found[word] = Derivation(shown, "here these goals are just met, all else as it stands", "", parts)
    for word, limit in (("Limit below", point.limit_below), ("Limit above", point.limit_above)):
        if limit is not None:
            found[word] = Derivation(
                f"about {shown_limit(deal, point, limit)}", "beyond it a figure of a goal is undefined"
            )
    if point.choices:
        found["Pays off"] = Derivation(
            " or ".join(point.choices),
            "each word was tried",
            "",
            figures_at(weighing.model, weighing.case, item, beside(item, 0.0), ["pays_off"], "every goal is met"),
        )
    distance = _told_distance(deal, point)
    return {**found, **({"Distance": distance} if distance else {})}


def _told_distance(deal: Definition, point: TurningPoint) -> Derivation | None:
    if point.turns_at is None:
        return None
    item, show = deal.inputs[point.input], deal.style.show

    def put(value: float) -> str:
        return bracketed(digits(value, deal.style.mark))

    away = f"({put(point.turns_at)} - {put(point.base)})"
    if point.of_range is not None and item.low is not None and item.high is not None:
        told = f"{away} / ({put(item.high)} - {put(item.low)})"
        return Derivation(show(point.of_range, "share", sign=True), "(turn - as it stands) / (high - low)", told)
    if point.distance is not None:
        told = f"{away} / {put(abs(point.base))}"
        return Derivation(show(point.distance, "share", sign=True), "(turn - as it stands) / as it stands", told)
    return None

"""How drivers describe themselves: the swing of each input alone, and the shares of all together."""

from __future__ import annotations

from functools import partial

import numpy as np

from pennyweight.analysis.driving.drivers import VERDICT, Drivers
from pennyweight.analysis.driving.shares import Share, Shares
from pennyweight.analysis.driving.swings import Swing
from pennyweight.analysis.showing import show_base, show_figure
from pennyweight.analysis.simulating.falls import how_it_falls, parted
from pennyweight.deals.language.translation import folded
from pennyweight.documents import Block, Cell, Column, Document, Row, SwingsChart, Table, Text
from pennyweight.documents.derivation import Derivation, Why, bracketed, digits
from pennyweight.documents.handout import Handout, sheets_of
from pennyweight.documents.model import Tone
from pennyweight.pages.weighing.words import VERDICT_MARKS, VERDICT_TONES, good_side

__all__ = ["document", "handout"]

_MOST_BARS = 12
_SMALL = 0.001


def document(drivers: Drivers) -> Document:
    """One table of swings, one of shares, what is drawn, and the chart of the swings."""
    deal = drivers.definition
    blocks: list[Block] = [_one_at_a_time(drivers)]
    told = [*_idle(drivers), *parted(deal, drivers.falling), *([drivers.no_shares] if drivers.no_shares else [])]
    if drivers.shares is not None:
        if drivers.shares.shares:
            blocks += [_together(drivers), _drawn(drivers)]
        else:
            told.append(f"Shares of variance of {_label(drivers)} are not told: {drivers.shares.refused}.")
        if drivers.shares.shares and drivers.shares.undefined:
            left = deal.style.show(drivers.shares.undefined, "share", places=2)
            told.append(f"{_label(drivers)} is undefined in {left} of the cases, which are left out.")
    if drivers.left_out:
        why = "have no low and high" if drivers.moved is None else "are zero, or take a value that the deal finds"
        told.append(f"Not moved, because they {why}: {', '.join(drivers.left_out)}.")
    told += drivers.worked_by.sentences if drivers.worked_by is not None else []
    blocks += [Text(one, "comparison") for one in told]
    return Document(
        deal.title,
        tuple(blocks),
        f"Scenario: {deal.scenario_label(drivers.scenario)}.",
        (_chart(drivers),) if any(np.isfinite(one.size) and one.size > 0 for one in drivers.swings) else (),
        headline=_headline(drivers),
    )


def handout(drivers: Drivers, page: Document) -> Handout:
    """The drivers as they are handed over: swings and shares as sheets."""
    deal = drivers.definition
    units = {name: deal.unit(drivers.measure) for name in ("at_low", "at_high", "swing")}
    units |= dict.fromkeys(("alone", "alone_error", "in_all", "in_all_error"), "share")
    return Handout(
        page, lambda: sheets_of(drivers.frames, units), currency=deal.style.currency, places=deal.style.places
    )


def _label(drivers: Drivers) -> str:
    return "The verdict" if drivers.measure == VERDICT else drivers.definition.label(drivers.measure)


def _figure(drivers: Drivers, value: float) -> str:
    if drivers.measure == VERDICT:
        return "pays off" if value == 1 else "does not"
    return show_figure(drivers.definition, drivers.measure, value if np.isfinite(value) else None, unit=False)


def _headline(drivers: Drivers) -> str:
    moving = [one for one in drivers.swings if np.isfinite(one.size) and one.size > 0]
    if not moving:
        return f"{_label(drivers)} is moved by no input."
    first = drivers.definition.label(moving[0].input)
    if drivers.shares is not None and drivers.shares.shares:
        share = drivers.shares.shares[0]
        names = " and ".join(drivers.definition.label(name) for name in share.inputs)
        part = drivers.definition.style.show(share.in_all, "share", places=0)
        if share.inputs == (moving[0].input,):
            return f"{first} drives {_label(drivers)} most: it has a part in {part} of its variance."
        most = f"of all together, {names} has a part in {part} of its variance"
        return f"{first} swings {_label(drivers)} most alone; {most}."
    return f"{first} swings {_label(drivers)} most."


def _end(drivers: Drivers, one: Swing, value: float) -> str:
    deal = drivers.definition
    item = deal.inputs[one.input]
    if item.by_scale:
        return f"× {deal.style.show(value, 'number', places=2)}"
    return show_base(deal, item, value)


def _one_at_a_time(drivers: Drivers) -> Table:
    deal = drivers.definition

    def at(one: Swing, value: float, figure: float, verdict: str) -> tuple[Cell, Cell]:
        mark = next((f"{mark} " for word, mark in VERDICT_MARKS.items() if word == verdict), "")
        tone: Tone = next((tone for word, tone in VERDICT_TONES.items() if word == verdict), "plain")
        return Cell(_end(drivers, one, value)), Cell(f"{mark}{_figure(drivers, figure)}", tone)

    rows: list[Row] = []
    for one in drivers.swings:
        if one.idle:
            continue
        unit = deal.unit(drivers.measure)
        size = "" if drivers.measure == VERDICT else deal.style.show(one.size, unit) if one.size == one.size else ""
        cells = (
            Cell(deal.label(one.input)),
            *at(one, one.low, one.at_low, one.verdict_low),
            *at(one, one.high, one.at_high, one.verdict_high),
            Cell(size, "question"),
        )
        rows.append(Row(cells, Why(deal.label(one.input), partial(_swing_told, drivers, one))))
    columns = [
        Column("Input", words=True), Column("Low"), Column(f"{_label(drivers)} there"), Column("High"),
        Column(f"{_label(drivers)} there"), Column("Swing"),
    ]  # fmt: skip
    how = (
        "from low to high"
        if drivers.moved is None
        else f"by {deal.style.show(drivers.moved, 'share', places=0)} to both sides"
    )
    title = f"One input at a time, {how}: {_label(drivers)}, {_figure(drivers, drivers.base)} as it stands"
    note = "✓ pays off, ≈ nearly, ✗ falls short." if deal.goals else ""
    return Table(title, tuple(columns), tuple(rows), note)


def _swing_told(drivers: Drivers, one: Swing) -> Derivation:
    """How a swing comes about: the figure at both ends, all else as it stands."""
    deal = drivers.definition

    def at(place: float, figure: float) -> tuple[str, Derivation]:
        label = f"{_label(drivers)}, with {deal.label(one.input)} {_end(drivers, one, place)}"
        return label, Derivation(_figure(drivers, figure), "weighed there, all else as it stands")

    numbers = ""
    if np.isfinite(one.size):
        high, low = sorted((one.at_high, one.at_low), reverse=True)
        numbers = f"{digits(high, deal.style.mark)} - {bracketed(digits(low, deal.style.mark))}"
    parts = dict([at(one.low, one.at_low), at(one.high, one.at_high)])
    size = _figure(drivers, one.size) if drivers.measure != VERDICT else f"{one.size:g}"
    return Derivation(size, "the figure at one end less that at the other", numbers, parts)


def _share_told(drivers: Drivers, one: Share) -> dict[str, Derivation]:
    """How shares come about: points A and B, and A with the numbers of one input out of B."""
    shown = drivers.definition.style.show
    how = f"of {drivers.cases:,} points A and B; AB is A with this input out of B, V the variance"
    return {
        "Alone": Derivation(shown(one.alone, "share", places=2), f"mean(f(B) * (f(AB) - f(A))) / V, {how}"),
        "With others": Derivation(shown(one.in_all, "share", places=2), f"mean((f(A) - f(AB)) ** 2) / (2 * V), {how}"),
    }


def _idle(drivers: Drivers) -> list[str]:
    """Inputs that move nothing, together by the reason."""
    by_reason: dict[str, list[str]] = {}
    for one in drivers.swings:
        if one.idle:
            by_reason.setdefault(one.idle, []).append(drivers.definition.label(one.input))
    told = []
    for reason, labels in by_reason.items():
        said = (
            reason
            if len(labels) == 1
            else reason.replace("moves nothing", "move nothing").replace(" it here", " them here")
        )
        told.append(f"{'; '.join(labels)}: {said}.")
    return told


def _together(drivers: Drivers) -> Table:
    deal, shares = drivers.definition, drivers.shares
    assert shares is not None
    verdict = drivers.verdict_shares
    known = {one.inputs: one for one in verdict.shares} if verdict is not None else {}

    def part(value: float, error: float) -> str:
        places = 1 if error >= 0.0005 or error == 0 else 2
        return f"{deal.style.show(value, 'share', places=1)} ± {deal.style.show(error, 'share', places=places)}"

    def row(one: Share) -> Row:
        return Row(cells_of(one), Why(" and ".join(map(deal.label, one.inputs)), partial(_share_told, drivers, one)))

    def cells_of(one: Share) -> tuple[Cell, ...]:
        names = " and ".join(deal.label(name) for name in one.inputs)
        cells = (
            Cell(f"{names} (move together)" if len(one.inputs) > 1 else names),
            Cell(part(one.alone, one.alone_error)),
            Cell(part(one.in_all, one.in_all_error), "question"),
        )
        if not known:
            return cells
        of = known[one.inputs]
        return (*cells, Cell(part(of.alone, of.alone_error)), Cell(part(of.in_all, of.in_all_error), "question"))

    columns = [Column("Of the variance", words=True), Column("alone"), Column("with others")]
    if known:
        columns += [Column("of the verdict: alone"), Column("with others")]
    note = (
        "Alone: the part that goes if this input is known. With others: the part that stays if it alone is unknown. "
        f"{drivers.cases:,} points, seed {drivers.seed}."
    )
    kept, small = _by_size(drivers)
    if small:
        note += f" Less than 0.1% each: {'; '.join(small)}."
    title = f"All together: {_label(drivers)}{_spread(drivers, shares)}"
    return Table(title, tuple(columns), tuple(map(row, kept)), note)


def _by_size(drivers: Drivers) -> tuple[list[Share], list[str]]:
    """(the shares worth a row, the labels of all others)."""
    shares, verdict = drivers.shares, drivers.verdict_shares
    assert shares is not None
    of_verdict = {one.inputs: one.in_all for one in verdict.shares} if verdict is not None else {}
    kept = [one for one in shares.shares if max(one.in_all, of_verdict.get(one.inputs, 0.0)) >= _SMALL]
    left = [one for one in shares.shares if one not in kept]
    return kept, [drivers.definition.label(name) for one in left for name in one.inputs]


def _spread(drivers: Drivers, shares: Shares) -> str:
    if drivers.measure == VERDICT:
        return ""
    shown = drivers.definition.style.with_unit(shares.deviation, drivers.definition.unit(drivers.measure))
    return f", with a standard deviation of {shown}"


def _drawn(drivers: Drivers) -> Table:
    deal = drivers.definition
    told = {name for share in _by_size(drivers)[0] for name in share.inputs}
    shown = [one for one in drivers.falling if one.item.name in told]
    rows = tuple((Cell(one.item.label), Cell(how_it_falls(deal, one), "comparison")) for one in shown)
    return Table("What is drawn", (Column("Input", words=True), Column("How it falls", words=True)), rows)


def _chart(drivers: Drivers) -> SwingsChart:
    deal = drivers.definition
    moving = [one for one in drivers.swings if not one.size <= 0][:_MOST_BARS]
    rows = tuple(
        (
            deal.label(one.input),
            one.at_low,
            one.at_high,
            _end(drivers, one, one.low),
            _end(drivers, one, one.high),
        )
        for one in moving
    )
    goal = deal.goals.get(drivers.measure)
    node = None if goal is None else goal.at_least if goal.at_least is not None else goal.at_most
    bound = None if node is None else folded(node)
    side = "at least" if goal is not None and goal.at_least is not None else "at most"
    unit = deal.unit(drivers.measure)
    suffix = {"money": f", {deal.style.currency}", "rate": " a year", "years": ", years"}.get(unit, "")
    return SwingsChart(
        f"drivers_{drivers.measure}",
        f"{deal.label(moving[0].input)} swings {_label(drivers)} most",
        rows,
        drivers.base,
        f"{_label(drivers)}{suffix}",
        None if bound is None else (f"asked: {side} {show_figure(deal, drivers.measure, bound)}", bound),
        "percent" if unit in ("rate", "share") else "number",
        good=good_side(deal, drivers.measure),
    )

"""The page of two versions of a deal: what differs and what each difference did, then both side by side."""

from __future__ import annotations

from functools import partial

from pennyweight.analysis.comparing.changes import TELLING, Change, Changes
from pennyweight.analysis.showing import show_figure
from pennyweight.analysis.weighing.weighing import Weighing
from pennyweight.documents import Block, Cell, Column, Document, Row, Table, Text
from pennyweight.documents.derivation import Derivation, Why, bracketed
from pennyweight.pages.comparing import comparison

__all__ = ["document"]

_MOST = 60


def document(changes: Changes) -> Document:
    """What differs first, then both versions side by side."""
    page = comparison.document(changes.comparison)
    return Document(changes.title, (*_blocks(changes), *page.blocks), page.subtitle, page.charts)


def _blocks(changes: Changes) -> list[Block]:
    if not changes.changes:
        return [Text("The two versions say the same.")]
    before = next(iter(changes.comparison.weighings.values()))
    deal = before.definition
    shown = [name for name in before.goals if name in before.measures] or list(before.measures)[:3]
    words = ("What differs", "Before", "Now", "Verdict with it alone")
    figures = (Column(deal.style.headed(deal.label(name), deal.unit(name))) for name in shown)
    columns = (*(Column(word, words=True) for word in words), *figures)
    rows = []
    for one in changes.changes[:_MOST]:
        cells = []
        for name in shown:
            if not one.alone:
                cells.append(Cell("-", "comparison"))
            elif name not in one.effects:
                cells.append(Cell("="))
            else:
                moved = one.effects[name]
                cells.append(Cell("undefined" if moved is None else deal.style.show(moved, deal.unit(name), sign=True)))
        verdict = one.verdict or ("only with others" if one.section in TELLING else "-")
        label = f"{one.section.replace('_', ' ')}: {one.name}"
        why = Why(label, partial(_effects, before, one)) if one.effects else None
        rows.append(Row((Cell(label), Cell(one.old), Cell(one.new, "question"), Cell(verdict), *cells), why))
    note = "What each figure moves by when this change alone is made in the old version; = is no move."
    if len(changes.changes) > _MOST:
        note += f" {len(changes.changes) - _MOST} more are in CSV and JSON."
    return [Table("What differs between the two versions", columns, tuple(rows), note)]


def _effects(before: Weighing, one: Change) -> dict[str, Derivation]:
    """What a change alone does to each figure of the old version."""
    deal = before.definition
    told = {}
    for name, moved in one.effects.items():
        value = before.measures[name].value
        if moved is None or value is None:
            told[deal.label(name)] = Derivation("undefined", "the figure is undefined before or with it")
            continue
        with_it, of = (show_figure(deal, name, figure, unit=False) for figure in (value + moved, value))
        told[deal.label(name)] = Derivation(
            show_figure(deal, name, moved, unit=False, sign=True),
            "with this change alone - before",
            f"{with_it} - {bracketed(of)}",
        )
    return told

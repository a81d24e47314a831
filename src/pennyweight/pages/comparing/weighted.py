"""What scenarios come to when each is as likely as the deal says."""

from __future__ import annotations

from pennyweight.analysis.comparing.comparison import Comparison
from pennyweight.analysis.comparing.weighted import Weighted
from pennyweight.analysis.showing import headed, show_figure
from pennyweight.deals.definition import Definition
from pennyweight.documents import Block, Cell, Column, Table, Text
from pennyweight.documents.model import Tone

__all__ = ["weighted_blocks"]


def weighted_blocks(comparison: Comparison) -> list[Block]:
    """The mean of each figure and the chance of each goal; nothing where no scenario has a probability."""
    found = comparison.weighted
    if found is None:
        return []
    deal = next(iter(comparison.weighings.values())).definition
    shares = {name: deal.style.show(weight, "share", places=0) for name, weight in found.weights.items()}
    if found.missing:
        said = ", ".join(f"{name} ({shares[name]})" for name in found.missing)
        return [Text(f"No means over the scenarios: {said} may come, too, and are not compared here.", "comparison")]
    told = ", ".join(f"{name} {share}" for name, share in shares.items())
    blocks: list[Block] = []
    note = f"{told}."
    if found.chances:
        blocks.append(_chances(deal, found, note))
        note = ""
    rows: list[tuple[Cell, ...]] = []
    for name, value in found.means.items():
        cells = [Cell(headed(deal, name)), Cell(show_figure(deal, name, value, unit=False))]
        rows.append((*cells, Cell(found.reasons.get(name, ""))) if found.reasons else tuple(cells))
    columns = [Column("Figure", words=True), Column("Mean"), Column("Remark", words=True)]
    kept = tuple(columns if found.reasons else columns[:2])
    return [*blocks, Table("Means, by the probabilities of the scenarios", kept, tuple(rows), note)]


_MARKS: tuple[tuple[str, Tone], ...] = (("✓", "in"), ("≈", "question"), ("✗", "out"))


def _chances(deal: Definition, found: Weighted, note: str) -> Table:
    rows = []
    for name, three in found.chances.items():
        shown = [deal.style.show(value, "share", places=0) for value in three]
        cells = [Cell(f"{mark} {value}", tone) for (mark, tone), value in zip(_MARKS, shown, strict=True)]
        rows.append((Cell("The deal pays off" if name == "pays_off" else deal.label(name)), *cells))
    columns = (Column("Chance of", words=True), Column("met"), Column("nearly"), Column("missed"))
    return Table("Chances, by the probabilities of the scenarios", columns, tuple(rows), note)

"""Where the figures of a variation come from: the formula of each, worked out anew at every value."""

from __future__ import annotations

from typing import TYPE_CHECKING

from pennyweight.analysis.showing import show_figure
from pennyweight.documents.derivation import Derivation, Whys, derivation_table
from pennyweight.documents.model import Document, Table
from pennyweight.pages.varying.variation import axis_value

if TYPE_CHECKING:
    from pennyweight.analysis.varying.variation import Variation

__all__ = ["variation_whys"]


def variation_whys(variation: Variation, document: Document) -> Whys:
    """How the figures of each table come about: their formulas, and their first values as examples."""
    deal = variation.definition
    at = " and ".join(
        f"{deal.label(name)} {axis_value(variation, name, float(axis[0]))}" for name, axis in variation.inputs.items()
    )
    formulas = {**deal.measures, **deal.values}
    told = {}
    for measure in variation.show:
        value = float(variation.figures[measure].reshape(-1)[0])
        known = value if value == value else None
        how = formulas[measure].text if measure in formulas else f"the answer to '{measure}'"
        told[measure] = {f"{deal.label(measure)}, with {at}": Derivation(
            show_figure(deal, measure, known), f"{how or measure}, all else as it stands"
        )}  # fmt: skip
    tables = [block for block in document.blocks if isinstance(block, Table)]
    note = "Every other place is worked out the same way, with its own value."
    if len(variation.inputs) == 1:
        lines = {label: one for own in told.values() for label, one in own.items()}
        return {(tables[0].title, ""): derivation_table(f"With {at}", lines, note=note)}
    return {
        (table.title, ""): derivation_table(f"With {at}", told[measure], note=note)
        for table, measure in zip(tables, variation.show, strict=True)
    }

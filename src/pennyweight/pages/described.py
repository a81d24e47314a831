"""The page of anything that says what it is and has no page of its own: what was given of it, a line each."""

from __future__ import annotations

from pennyweight.described import Described
from pennyweight.documents import Cell, Column, Document, Table

__all__ = ["document"]


def document(thing: Described) -> Document:
    """Its fields as they read."""
    rows = tuple((Cell(name), Cell(text)) for name, text in thing.listed_fields().items())
    columns = (Column("What", words=True), Column("As given", words=True))
    return Document(type(thing).__name__, (Table("", columns, rows),))

"""`pennyweight functions`"""

from __future__ import annotations

import click

__all__ = ["command"]


@click.command("functions")
def command() -> None:
    """List every function that formulas can use.

    Example: pennyweight functions
    """
    from pennyweight.deals.language.functions import FUNCTIONS
    from pennyweight.documents import Cell, Column, Document, Table
    from pennyweight.report.terminal import print_document

    rows: list[tuple[Cell, ...]] = []
    for function in FUNCTIONS.values():
        rows += [(Cell(function.signature, "question"),), (Cell(f"    {function.summary}"),)]
        rows.append((Cell(f"    as in {function.example}", "comparison"),))
    note = "Arguments in brackets may be left out. Rates are yearly, spans in years, first and last are periods."
    table = Table("", (Column("", words=True),), tuple(rows), note)
    print_document(Document("Functions of the deal language", (table,)))

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

    rows = tuple(
        (Cell(function.signature, "question"), Cell(function.summary), Cell(function.example))
        for function in FUNCTIONS.values()
    )
    columns = (
        Column("Function", words=True, kept=True),
        Column("What it gives", words=True),
        Column("As in", words=True),
    )
    note = "Arguments in brackets may be left out. Rates are yearly, spans in years, first and last are periods."
    print_document(Document("Functions of the deal language", (Table("", columns, rows, note),)))

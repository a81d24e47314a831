"""A document in the terminal, with rich, in the palette of the house."""

from __future__ import annotations

from rich.console import Console, Group, RenderableType
from rich.padding import Padding
from rich.table import Table as RichTable
from rich.text import Text as RichText

from pennyweight.documents import Block, Cell, Checks, Document, Figures, Table, Text, Verdict
from pennyweight.documents.text import aligned

__all__ = ["STYLES", "print_document", "renderable"]

STYLES = {
    "plain": "",
    "in": "#2F7F79",
    "out": "#A8452F",
    "question": "#B5852B",
    "comparison": "#7C8A94",
}
"""Tones as terminal styles; text stays in the terminal's own color, so that it reads on any ground."""


def print_document(document: Document, console: Console | None = None) -> None:
    """Print a document; without a terminal (a pipe, a file) plain text of a fixed width, without color."""
    target = console or Console(highlight=False)
    if console is None and not target.is_terminal:
        target = Console(highlight=False, width=140, color_system=None)
    target.print(renderable(document, target.width))


def renderable(document: Document, width: int = 100) -> RenderableType:
    """The document as one rich renderable."""
    parts: list[RenderableType] = [RichText(document.title, style="bold")]
    if document.subtitle:
        parts.append(RichText(document.subtitle, style=STYLES["comparison"]))
    for block in document.blocks:
        shown = _block(block)
        if shown is not None:
            parts += [RichText(""), shown]
    return Group(*parts)


def _block(block: Block) -> RenderableType | None:
    match block:
        case Text():
            return RichText(block.text, style=STYLES[block.tone])
        case Verdict():
            line = RichText()
            line.append(f" {block.word} ", style=f"bold reverse {STYLES[block.tone]}")
            return line.append("  ").append(block.sentence)
        case Checks():
            lines = RichText()
            for number, (passed, sentence) in enumerate(block.items):
                mark, style = ("✓ ", STYLES["in"]) if passed else ("✗ ", STYLES["out"])
                lines.append("\n" if number else "").append(mark, style=style).append(sentence)
            return lines
        case Figures():
            return _figures(block)
        case Table():
            return _table(block)
        case _:
            return None


def _figures(block: Figures) -> RenderableType:
    grid = RichTable.grid(padding=(0, 2))
    grid.add_column()
    grid.add_column(justify="left", no_wrap=True)
    grid.add_column(style=STYLES["comparison"], overflow="fold")
    values = aligned([line.value.text for line in block.lines], words=False)
    for line, value in zip(block.lines, values, strict=True):
        grid.add_row(line.label, RichText(value, style=STYLES[line.value.tone]), RichText(line.note))
    return Group(RichText(block.title, style="bold"), Padding(grid, (0, 0, 0, 2)))


def _table(block: Table) -> RenderableType:
    table = RichTable(box=None, pad_edge=False, padding=(0, 2, 0, 0), header_style=STYLES["comparison"])
    columns: list[list[str]] = []
    for number, column in enumerate(block.columns):
        texts = aligned([row[number].text for row in block.rows], words=column.words)
        if column.words:
            table.add_column(column.title, justify="left", overflow="fold")
        else:
            # Padded by hand: justified to the right, rich would drop the blanks that keep the points in line.
            width = max([len(column.title), *map(len, texts)])
            texts = [text.rjust(width) for text in texts]
            table.add_column(column.title.rjust(width), justify="left", no_wrap=len(column.title) <= 16)
        columns.append(texts)
    for number, row in enumerate(block.rows):
        table.add_row(*(_cell(cell, columns[k][number]) for k, cell in enumerate(row)))
    parts: list[RenderableType] = [RichText(block.title, style="bold"), table]
    if block.note:
        parts.append(RichText(block.note, style=STYLES["comparison"]))
    return Group(*parts)


def _cell(cell: Cell, text: str) -> RichText:
    return RichText(text, style=STYLES[cell.tone])

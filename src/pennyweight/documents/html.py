"""A document as an HTML fragment, for notebooks: one element, its own few styles, nothing from outside."""

from __future__ import annotations

from html import escape

from pennyweight.documents.model import Block, Cell, Checks, Document, Figures, Table, Text, Verdict
from pennyweight.documents.palette import INK, PARCHMENT, TEXT
from pennyweight.documents.text import aligned

__all__ = ["render"]


def render(document: Document) -> str:
    """The document as one <div>.

    >>> render(Document("A & B", ())).count("A &amp; B")
    1
    """
    style = f"font-family:Georgia,serif;color:{INK};background:{PARCHMENT};padding:1em"
    parts = [f'<div style="{style}"><h3 style="margin:0">{escape(document.title)}</h3>']
    if document.subtitle:
        parts.append(f"<p>{escape(document.subtitle)}</p>")
    parts += [_block(block) for block in document.blocks]
    return "".join(parts) + "</div>"


def _block(block: Block) -> str:
    match block:
        case Text():
            return f"<p{_color(block.tone)}>{escape(block.text)}</p>"
        case Verdict():
            return f"<p><b{_color(block.tone)}>{escape(block.word)}</b> {escape(block.sentence)}</p>"
        case Checks():
            items = "".join(
                f"<li>{'✓' if passed else '✗ failed:'} {escape(sentence)}</li>" for passed, sentence in block.items
            )
            return f'<ul style="list-style:none;padding-left:0">{items}</ul>'
        case Figures():
            shown = aligned([line.value.text for line in block.lines], words=False)
            rows = "".join(
                f"<tr><td>{escape(line.label)}</td>{_cell(line.value, text)}<td>{escape(line.note)}</td></tr>"
                for line, text in zip(block.lines, shown, strict=True)
            )
            return f"<p><b>{escape(block.title)}</b></p><table>{rows}</table>"
        case Table():
            return _table(block)
        case _:
            return ""


def _table(block: Table) -> str:
    sides = ["left" if column.words else "right" for column in block.columns]
    head = "".join(
        f'<th style="text-align:{side}">{escape(column.title)}</th>'
        for side, column in zip(sides, block.columns, strict=True)
    )
    columns = [
        None if column.words else aligned([row[k].text for row in block.rows], words=False)
        for k, column in enumerate(block.columns)
    ]
    body = "".join(
        "<tr>"
        + "".join(_cell(cell, None if own is None else own[n]) for cell, own in zip(row, columns, strict=True))
        + "</tr>"
        for n, row in enumerate(block.rows)
    )
    note = f"<p>{escape(block.note)}</p>" if block.note else ""
    return f"<p><b>{escape(block.title)}</b></p><table><tr>{head}</tr>{body}</table>{note}"


def _cell(cell: Cell, figure: str | None = None) -> str:
    """A cell of words, or of a figure already padded to stand on its column's decimal point."""
    if figure is None:
        return f'<td style="color:{TEXT[cell.tone]}">{escape(cell.text)}</td>'
    style = f"text-align:right;white-space:pre;font-family:ui-monospace,monospace;color:{TEXT[cell.tone]}"
    return f'<td style="{style}">{escape(figure)}</td>'


def _color(tone: str) -> str:
    return f' style="color:{TEXT[tone]}"'

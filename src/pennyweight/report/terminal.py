"""A document in the terminal, with rich, in the palette of the house."""

from __future__ import annotations

from collections.abc import Callable
from textwrap import wrap

from rich.console import Console, Group, RenderableType
from rich.table import Table as RichTable
from rich.text import Text as RichText

from pennyweight.documents import Block, Cell, Checks, Document, Figures, Table, Text, Verdict
from pennyweight.documents.palette import TONES
from pennyweight.documents.text import aligned
from pennyweight.plain_text import spelled

__all__ = ["STYLES", "print_document", "renderable"]

STYLES = {**TONES, "plain": ""}
"""Tones as terminal styles; plain text stays in the terminal's own color, so that it reads on any ground."""

_GAP = 2
_WORDS = 18  # a column of words may be wrapped down to this many characters


def print_document(document: Document, console: Console | None = None) -> None:
    """Print a document; without a terminal (a pipe, a file) plain text of a fixed width, without color."""
    target = console or Console(highlight=False)
    if console is None and not target.is_terminal:
        target = Console(highlight=False, width=140, color_system=None)
    encoding = target.encoding
    page = _Page(target.width, lambda text: spelled(text, encoding))
    target.print(page.whole(document), soft_wrap=page.needed > target.width, markup=False, emoji=False)


def renderable(document: Document, width: int = 100) -> RenderableType:
    """The document as one rich renderable."""
    return _Page(width, str).whole(document)


class _Page:
    """One page being laid out; texts are texts, never markup."""

    def __init__(self, width: int, spell: Callable[[str], str]) -> None:
        self.width, self.spell = width, spell
        self.needed = 0
        """The widest table, which a narrow terminal has to wrap: a figure is never cut."""

    def whole(self, document: Document) -> RenderableType:
        parts: list[RenderableType] = [self.text(document.title, "bold")]
        if document.subtitle:
            parts.append(self.text(document.subtitle, STYLES["comparison"]))
        for block in document.blocks:
            shown = self.block(block)
            if shown is not None:
                parts += [RichText(""), shown]
        return Group(*parts)

    def text(self, text: str, style: str = "") -> RichText:
        return RichText(self.spell(text), style=style)

    def block(self, block: Block) -> RenderableType | None:
        match block:
            case Text():
                return self.text(block.text, STYLES[block.tone])
            case Verdict():
                line = RichText()
                line.append(f" {self.spell(block.word)} ", style=f"bold reverse {STYLES[block.tone]}")
                return line.append("  ").append(self.spell(block.sentence))
            case Checks():
                lines = RichText()
                for number, (passed, sentence) in enumerate(block.items):
                    mark, style = ("✓ ", STYLES["in"]) if passed else ("✗ ", STYLES["out"])
                    lines.append("\n" if number else "").append(self.spell(mark), style=style)
                    lines.append(self.spell(sentence))
                return lines
            case Figures():
                return self.figures(block)
            case Table():
                return self.table(block)
            case _:
                return None

    def figures(self, block: Figures) -> RenderableType:
        """Label, figure and note; labels and notes are wrapped by hand, a figure never is."""
        values = aligned([self.spell(line.value.text) for line in block.lines], words=False)
        labels, notes = ([self.spell(getattr(line, name)) for line in block.lines] for name in ("label", "note"))
        label_width, value_width = max(map(len, labels), default=0), max(map(len, values), default=0)
        if label_width + value_width + 3 * _GAP + _WORDS > self.width:
            label_width = min(label_width, _WORDS)
        note_width = max(self.width - label_width - value_width - 3 * _GAP, _WORDS)
        self.needed = max(self.needed, label_width + value_width + note_width + 3 * _GAP)
        shown = RichText().append(self.spell(block.title), style="bold")
        for label, value, note, line in zip(labels, values, notes, block.lines, strict=True):
            heads, tails = (wrap(text, width) or [""] for text, width in ((label, label_width), (note, note_width)))
            for k in range(max(len(heads), len(tails))):
                head, tail = (part[k] if k < len(part) else "" for part in (heads, tails))
                shown.append(f"\n  {head.ljust(label_width)}  ")
                shown.append(value if k == 0 else " " * value_width, style=STYLES[line.value.tone])
                shown.append(f"  {tail}" if tail else "", style=STYLES["comparison"])
        return shown

    def table(self, block: Table) -> RenderableType:
        columns = [
            aligned([self.spell(row[k].text) for row in block.rows], words=column.words)
            for k, column in enumerate(block.columns)
        ]
        titles = [self.spell(column.title) for column in block.columns]
        widths = [
            max([len(title) if column.words else _longest_word(title), *map(len, texts)])
            for title, column, texts in zip(titles, block.columns, columns, strict=True)
        ]
        least = [min(width, _WORDS) if block.columns[k].words else width for k, width in enumerate(widths)]
        parts: list[RenderableType] = [self.text(block.title, "bold")] if block.title else []
        for number, group in enumerate(_dealt_out(least, self.width)):
            self.needed = max(self.needed, sum(least[k] + _GAP for k in group))
            if number:
                parts += [RichText(""), self.text(f"{block.title} (continued)".strip(), "bold")]
            parts.append(self.one_table(block, group, titles, columns, widths, least))
        if block.note:
            parts.append(self.text(block.note, STYLES["comparison"]))
        return Group(*parts)

    def one_table(
        self,
        block: Table,
        group: list[int],
        titles: list[str],
        columns: list[list[str]],
        widths: list[int],
        least: list[int],
    ) -> RenderableType:
        table = RichTable(box=None, pad_edge=False, padding=(0, _GAP, 0, 0), header_style=STYLES["comparison"])
        for k in group:
            if block.columns[k].words:
                table.add_column(RichText(titles[k]), justify="left", overflow="fold", min_width=least[k])
            else:
                # Padded by hand: justified to the right, rich would drop the blanks that keep the points in line.
                title = RichText(titles[k].rjust(widths[k]))
                table.add_column(title, justify="left", min_width=widths[k], overflow="fold")
        for number, row in enumerate(block.rows):
            table.add_row(
                *(_cell(row[k], columns[k][number].rjust(0 if block.columns[k].words else widths[k])) for k in group)
            )
        return table


def _dealt_out(least: list[int], width: int) -> list[list[int]]:
    """The columns in groups that fit the width, the first column in each."""
    groups: list[list[int]] = []
    taken = width
    for k in range(1, len(least)):
        if taken + _GAP + least[k] > width and (not groups or len(groups[-1]) > 1):
            groups.append([0])
            taken = least[0]
        groups[-1].append(k)
        taken += _GAP + least[k]
    return groups or [[0]]


def _longest_word(title: str) -> int:
    """A heading of several words may stand on several lines; a short one is kept whole."""
    return len(title) if len(title) <= 16 else max(map(len, title.split()))


def _cell(cell: Cell, text: str) -> RichText:
    return RichText(text, style=STYLES[cell.tone])

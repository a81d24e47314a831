"""A document in the terminal, with rich, in the palette of the house."""

from __future__ import annotations

import os
from collections.abc import Callable
from dataclasses import replace
from textwrap import wrap

from rich.console import Console, Group, RenderableType
from rich.table import Table as RichTable
from rich.text import Text as RichText

from pennyweight.documents import Block, Cell, Checks, Column, Document, FigureLine, Figures, Table, Text, Verdict
from pennyweight.documents.palette import TONES
from pennyweight.documents.text import aligned
from pennyweight.plain_text import counted, spelled

__all__ = ["STYLES", "print_document", "renderable"]

STYLES = {**TONES, "plain": ""}
"""Tones as terminal styles; plain text stays in the terminal's own color, so that it reads on any ground."""

_GAP = 2
_STORY = 2  # lines of what a page says of itself
_REMARKS = (Text, Checks)  # short lines that stand together
_ABREAST = 6  # from so many formulas on, figures stand two by two without them
_WORDS = 18  # a column of words may be wrapped down to this many characters


def print_document(document: Document, console: Console | None = None) -> None:
    """Print a document; without a terminal (a pipe, a file) plain text of a fixed width, without color."""
    target = console or Console(highlight=False)
    if console is None and not target.is_terminal:
        target = Console(highlight=False, width=_piped_width(), color_system=None)
    encoding = target.encoding
    page = _Page(target.width, lambda text: spelled(text, encoding))
    target.print(page.whole(document), soft_wrap=page.needed > target.width, markup=False, emoji=False)


def _piped_width() -> int:
    """The width of output that goes to a pipe or a file: that of COLUMNS, where it says one."""
    said = os.environ.get("COLUMNS", "")
    return max(int(said), _NARROWEST) if said.isdecimal() and len(said) < 5 else _PIPED


_PIPED, _NARROWEST = 140, 40


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
            parts.append(self.text(self.story(document.subtitle), STYLES["comparison"]))
        if document.headline:
            parts += [RichText(""), self.text(document.headline, "bold")]
        before: Block | None = None
        for block in document.blocks:
            shown = self.block(block)
            if shown is not None:
                apart = not (isinstance(block, _REMARKS) and isinstance(before, _REMARKS))
                parts += [RichText(""), shown] if apart else [shown]
                before = block
        return Group(*parts)

    def story(self, text: str) -> str:
        """What a page says of itself, in two lines at most: who works with it knows the rest."""
        lines = wrap(self.spell(text), max(self.width, _WORDS))
        if len(lines) <= _STORY:
            return text
        return "\n".join([*lines[: _STORY - 1], f"{lines[_STORY - 1][: self.width - 1].rstrip()}…"])

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
                return self.checks(block)
            case Figures():
                return self.figures(block)
            case Table():
                return None if block.on_screen == 0 else self.table(block)
            case _:
                return None

    def checks(self, block: Checks) -> RenderableType:
        """Each check that fails, and how many hold; a page and JSON tell them all."""
        holding = [sentence for passed, sentence in block.items if passed]
        told = [("✗ ", "out", sentence) for passed, sentence in block.items if not passed]
        if len(holding) > 1:
            told.append(("✓ ", "in", f"{len(holding)} checks hold; --format json and reports list them."))
        else:
            told += [("✓ ", "in", sentence) for sentence in holding]
        lines = RichText()
        for number, (mark, tone, sentence) in enumerate(told):
            lines.append("\n" if number else "").append(self.spell(mark), style=STYLES[tone])
            lines.append(self.spell(sentence))
        return lines

    def figures(self, block: Figures) -> RenderableType:
        """Label, figure and note; labels are wrapped by hand, a figure never is, and a long note ends in dots."""
        known = [line for line in block.lines if line.formula]
        if len(known) > _ABREAST and (abreast := self.abreast(block.title, known)) is not None:
            rest = replace(block, title="", lines=tuple(line for line in block.lines if not line.formula))
            return Group(abreast, self.figures(rest)) if rest.lines else abreast
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
            if line.formula and len(tails) > 1:
                tails = [f"{note[: note_width - 1].rstrip()}…"]
            for k in range(max(len(heads), len(tails))):
                head, tail = (part[k] if k < len(part) else "" for part in (heads, tails))
                shown.append("\n" if shown.plain else "").append(f"  {head.ljust(label_width)}  ")
                shown.append(value if k == 0 else " " * value_width, style=STYLES[line.value.tone])
                shown.append(f"  {tail}" if tail else "", style=STYLES["comparison"])
        return shown

    def abreast(self, title: str, lines: list[FigureLine]) -> RichText | None:
        """Figures with formulas two by two, without these; None where there is no room for two."""
        texts = [self.spell(line.value.text) for line in lines]
        value = max(map(len, texts))
        room = (self.width - _GAP) // 2 - value - _GAP
        if room < 2 * _WORDS:
            return None
        half = (len(lines) + 1) // 2
        shown = RichText().append(self.spell(title), style="bold")
        for k in range(half):
            sides = [(wrap(self.spell(lines[n].label), room), texts[n]) for n in (k, k + half) if n < len(lines)]
            for row in range(max(len(heads) for heads, _ in sides)):
                parts = []
                for heads, text in sides:
                    head = heads[row] if row < len(heads) else ""
                    parts.append(f"  {head.ljust(room)}{(text if not row else '').rjust(value)}")
                shown.append(f"\n{''.join(parts)}".rstrip(" "))
        return shown

    def table(self, block: Table) -> RenderableType:
        left: list[str] = []
        if block.beyond and block.on_screen is not None:
            left = [row[0].text for row in block.rows[block.on_screen :]]
            block = replace(block, rows=block.rows[: block.on_screen])
        kept = [k for k, column in enumerate(block.columns) if column.on_screen]
        if len(kept) < len(block.columns):
            rows = tuple(tuple(row[k] for k in kept) for row in block.rows)
            block = replace(block, columns=tuple(block.columns[k] for k in kept), rows=rows)
        columns = [
            aligned([self.spell(row[k].text) for row in block.rows], words=column.words)
            for k, column in enumerate(block.columns)
        ]
        titles = [self.spell(column.title) for column in block.columns]
        widths = [max([len(title), *map(len, texts)]) for title, texts in zip(titles, columns, strict=True)]
        least = [
            min(width, _WORDS) if column.words else max([_longest_word(title), *map(len, texts)])
            for width, column, title, texts in zip(widths, block.columns, titles, columns, strict=True)
        ]
        parts: list[RenderableType] = [self.text(block.title, "bold")] if block.title else []
        for number, group in enumerate(_dealt_out(least, self.width)):
            self.needed = max(self.needed, sum(least[k] + _GAP for k in group))
            if number:
                parts += [RichText(""), self.text(f"{block.title} (continued)".strip(), "bold")]
            parts.append(self.one_table(block, group, titles, columns, widths, least))
        if left:
            named = counted(left, width=min(self.width, 120) - len(block.beyond) - _WORDS)
            parts.append(self.text(f"{named} {block.beyond}.", STYLES["comparison"]))
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
        cut = [k for k in group if block.columns[k].cut]
        fitted = _fitted({k: widths[k] for k in group}, {k: least[k] for k in group}, cut, self.width)
        for k in group:
            # Figures are padded by hand: justified to the right, rich would drop the blanks that align the points.
            words = block.columns[k].words
            title = titles[k] if words else "\n".join(part.rjust(fitted[k]) for part in wrap(titles[k], fitted[k]))
            table.add_column(RichText(title), justify="left", min_width=fitted[k], max_width=fitted[k], overflow="fold")
        for number, row in enumerate(block.rows):
            table.add_row(*(_cell(row[k], _in_width(columns[k][number], block.columns[k], fitted[k])) for k in group))
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


def _in_width(text: str, column: Column, width: int) -> str:
    """A figure padded to its column's width; words that may be cut ended in dots."""
    if not column.words:
        return text.rjust(width)
    return f"{text[: width - 1].rstrip()}…" if column.cut and len(text.rstrip()) > width else text


def _fitted(widths: dict[int, int], least: dict[int, int], cut: list[int], width: int) -> dict[int, int]:
    """The widths of columns that go on a line: those that may be cut give way first, then the widest that may wrap."""
    found = dict(widths)
    while sum(found.values()) + _GAP * (len(found) - 1) > width:
        giving = [k for k in cut if found[k] > least[k]] or [k for k in found if found[k] > least[k]]
        if not giving:
            break
        found[max(giving, key=found.__getitem__)] -= 1
    return found


def _longest_word(title: str) -> int:
    """A heading of several words may stand on several lines; a short one is kept whole."""
    return len(title) if len(title) <= 16 else max(map(len, title.split()))


def _cell(cell: Cell, text: str) -> RichText:
    return RichText(text, style=STYLES[cell.tone])

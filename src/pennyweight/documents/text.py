"""A document as plain text: for print(), logs and files."""

from __future__ import annotations

import re
from textwrap import fill

from pennyweight.documents.model import Block, Checks, Column, Document, Figures, Table, Text, Verdict

__all__ = ["aligned", "render", "sort_key"]

_WIDTH = 100


def render(document: Document) -> str:
    """The document as lines of plain text.

    >>> print(render(Document("Taxi", (Verdict("PAYS OFF", "Every goal is met.", "in"),))))
    Taxi
    ====
    PAYS OFF: Every goal is met.
    """
    lines = [document.title, "=" * len(document.title)]
    if document.subtitle:
        lines.append(document.subtitle)
    if document.headline:
        lines += ["", *fill(document.headline, _WIDTH).split("\n")]
    for block in document.blocks:
        shown = _block(block)
        if len(lines) > 2 and shown:
            lines.append("")
        lines += shown
    return "\n".join(line.rstrip() for line in lines)


def aligned(texts: list[str], *, words: bool) -> list[str]:
    """Pad texts of one column to one width: words to the left, figures on their decimal point.

    >>> aligned(["1.5", "12", "n/a"], words=False)
    ['  1.5', ' 12  ', 'n/a  ']
    """
    if words:
        width = max(map(len, texts), default=0)
        return [text.ljust(width) for text in texts]
    split = [_at_point(text) for text in texts]
    before = max((len(a) for a, _ in split), default=0)
    after = max((len(b) for _, b in split), default=0)
    return [a.rjust(before) + b.ljust(after) for a, b in split]


def sort_key(text: str) -> float | None:
    """The number a shown figure sorts by: its first one, with its sign; None where there is none.

    >>> sort_key("EUR -1,250.50"), sort_key("12.5% a year"), sort_key("1.234,50"), sort_key("undefined")
    (-1250.5, 12.5, 1234.5, None)
    """
    number = _FIRST_NUMBER.search(text)
    if number is None:
        return None
    before, after = _at_point(text)
    digits = re.sub(r"\D", "", before[number.start() :])
    broken = re.match(r"[.,](\d+)", after)
    size = float(f"{digits or 0}.{broken[1] if broken else 0}")
    return -size if text[: number.start()].rstrip().endswith(("-", "−")) else size


_FIRST_NUMBER = re.compile(r"\d[\d.,]*")


def _at_point(text: str) -> tuple[str, str]:
    """Split before the decimal point of the first number (its last mark, unless that groups three digits), else
    behind its digits."""
    number = _FIRST_NUMBER.search(text)
    if number is None:
        return text, ""
    digits = number.group().rstrip(".,")
    end = number.start() + len(digits)
    place = max(digits.rfind("."), digits.rfind(","))
    if place > 0 and not (digits[place] == "," and len(digits) - place - 1 == 3):
        end = number.start() + place
    return text[:end], text[end:]


def _block(block: Block) -> list[str]:
    match block:
        case Text():
            return fill(block.text, _WIDTH).split("\n")
        case Verdict():
            return fill(f"{block.word}: {block.sentence}", _WIDTH).split("\n")
        case Checks():
            return [f"{'ok ' if passed else 'NO '} {sentence}" for passed, sentence in block.items]
        case Figures():
            return _figures(block)
        case Table():
            return _table(block)
        case _:
            return []


def _figures(block: Figures) -> list[str]:
    labels = aligned([line.label for line in block.lines], words=True)
    values = aligned([line.value.text for line in block.lines], words=False)
    return [block.title] + [
        f"  {label}  {value}  {line.note}" for label, value, line in zip(labels, values, block.lines, strict=True)
    ]


def _table(block: Table) -> list[str]:
    columns = [_column(column, [row[k].text for row in block.rows]) for k, column in enumerate(block.columns)]
    lines = ["  ".join(parts) for parts in zip(*columns, strict=True)]
    rule = "-" * len(lines[0])
    note = fill(block.note, _WIDTH).split("\n") if block.note else []
    return [block.title, lines[0], rule, *lines[1:], *note]


def _column(column: Column, texts: list[str]) -> list[str]:
    body = aligned(texts, words=column.words)
    width = max([len(column.title), *map(len, body)])
    if column.words:
        return [column.title.ljust(width), *(text.ljust(width) for text in body)]
    return [column.title.rjust(width), *(text.rjust(width) for text in body)]

"""What can be shown, described once: every renderer (terminal, text, HTML, charts) reads these.

Texts are ready to show; nothing below computes or formats figures. A tone is a meaning, not a color, and never
the only sign of it: a word, a sign or a dash pattern says the same.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, field
from importlib import import_module
from typing import Literal, TypeAlias

from pennyweight.documents.chart_kinds import Chart, keep_visible
from pennyweight.documents.derivation import Why
from pennyweight.plain_text import visible

__all__ = [
    "Block",
    "Cell",
    "Checks",
    "Column",
    "Document",
    "FigureLine",
    "Figures",
    "Role",
    "Row",
    "Span",
    "Table",
    "Text",
    "Tone",
    "Verdict",
]

Tone = Literal["plain", "in", "out", "question", "comparison"]


@dataclass(frozen=True, slots=True)
class Cell:
    """One shown value."""

    text: str
    tone: Tone = "plain"

    def __post_init__(self) -> None:
        keep_visible(self, "text")


@dataclass(frozen=True, slots=True)
class Column:
    """A column's heading; figures align right, on the decimal point, words left."""

    title: str
    words: bool = False
    on_screen: bool = True
    """Whether a terminal shows it, too."""
    cut: bool = False
    """Whether a terminal may end its words in dots, so that a row is a line."""

    def __post_init__(self) -> None:
        keep_visible(self, "title")


@dataclass(frozen=True, slots=True)
class Text:
    """A paragraph."""

    text: str
    tone: Tone = "plain"

    def __post_init__(self) -> None:
        keep_visible(self, "text")


@dataclass(frozen=True, slots=True)
class FigureLine:
    """A label, its figure, and what is to be known about it."""

    label: str
    value: Cell
    note: str = ""
    why: Why | None = field(default=None, compare=False, repr=False)
    """Where it comes from."""
    name: str = ""
    """The name of the figure in its deal, for whoever looks for it."""
    known: bool = True
    """Whether there is such a figure: False where it is undefined."""
    formula: bool = False
    """Whether the note is a formula, which may be cut where a screen has no room for it."""

    def __post_init__(self) -> None:
        keep_visible(self, "label", "note")


@dataclass(frozen=True, slots=True)
class Figures:
    """A list of labelled figures."""

    title: str
    lines: tuple[FigureLine, ...]

    def __post_init__(self) -> None:
        keep_visible(self, "title")


class Row(tuple[Cell, ...]):
    """The cells of a row, and where its figures come from.

    >>> row = Row([Cell("Rent"), Cell("1,200.00")], Why("Rent", dict))
    >>> row[0].text, row.why.title
    ('Rent', 'Rent')
    """

    why: Why | None

    def __new__(cls, cells: Iterable[Cell], why: Why | None = None) -> Row:
        """Put cells in a row."""
        made = super().__new__(cls, cells)
        made.why = why
        return made


Role = Literal["", "goals", "periods", "working"]
"""What a table is for, where somebody treats it in its own way."""


@dataclass(frozen=True, slots=True)
class Span:
    """What a table of periods runs over: from the first to the last "period" or "year", both in."""

    by: str
    first: int
    last: int


@dataclass(frozen=True, slots=True)
class Table:
    """Rows of cells under columns; `note` says how to read them. A `Row` says where its figures come from."""

    title: str
    columns: tuple[Column, ...]
    rows: tuple[tuple[Cell, ...], ...]
    note: str = ""
    role: Role = ""
    span: Span | None = None
    why: Why | None = field(default=None, compare=False, repr=False)
    """How all of its figures come about, where its rows do not say it each."""
    on_screen: int | None = None
    """How many of its rows a screen shows, where it does not show all; with 0 it does not show the table."""
    beyond: str = ""
    """What is said there of the others, after their names."""

    def __post_init__(self) -> None:
        keep_visible(self, "title", "note")


@dataclass(frozen=True, slots=True)
class Verdict:
    """The finding, in a word or two and a sentence."""

    word: str
    sentence: str
    tone: Tone

    def __post_init__(self) -> None:
        keep_visible(self, "word", "sentence")


@dataclass(frozen=True, slots=True)
class Checks:
    """What the result checked of itself: (passed, sentence)."""

    items: tuple[tuple[bool, str], ...]

    def __post_init__(self) -> None:
        object.__setattr__(self, "items", tuple((passed, visible(sentence)) for passed, sentence in self.items))


Block: TypeAlias = Text | Figures | Table | Verdict | Checks | Chart


@dataclass(frozen=True, slots=True)
class Document:
    """A title and what stands under it, in order.

    Examples
    --------
    >>> from pennyweight import Loan
    >>> Loan(1_000, "6%", years=1).document().title
    'A loan of 1,000.00'
    """

    title: str
    blocks: tuple[Block, ...]
    subtitle: str = ""
    charts: tuple[Chart, ...] = field(default=())
    """Charts that a page or a file shows and a terminal leaves out."""
    headline: str = ""
    """What came out, in a sentence; where there is a verdict, that says it."""

    def _repr_html_(self) -> str:
        shown: str = import_module("pennyweight.documents.drawing").notebook_page(self)
        return shown

    def __post_init__(self) -> None:
        keep_visible(self, "title", "subtitle", "headline")

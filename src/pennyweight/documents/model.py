"""What can be shown, described once: every renderer (terminal, text, HTML, charts) reads these.

Texts are ready to show; nothing below computes or formats figures. A tone is a meaning, not a color, and never
the only sign of it: a word, a sign or a dash pattern says the same.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, field
from importlib import import_module
from typing import Literal, TypeAlias

import numpy as np
from numpy.typing import NDArray

from pennyweight.array_kinds import Floats
from pennyweight.documents.derivation import Why
from pennyweight.plain_text import visible

__all__ = [
    "BalanceChart",
    "Block",
    "Cell",
    "Chart",
    "Checks",
    "Column",
    "Document",
    "FigureLine",
    "Figures",
    "FlowsChart",
    "GrowthChart",
    "HeatMap",
    "LinesChart",
    "RateChart",
    "Role",
    "Row",
    "Span",
    "SplitChart",
    "StepsChart",
    "Table",
    "Text",
    "Tone",
    "Verdict",
]

Tone = Literal["plain", "in", "out", "question", "comparison"]


def _keep_visible(owner: object, *names: str) -> None:
    """Text from files is text: control characters are shown, not sent, whoever renders them."""
    for name in names:
        text = getattr(owner, name)
        if not text.isprintable():
            object.__setattr__(owner, name, visible(text))


@dataclass(frozen=True, slots=True)
class Cell:
    """One shown value."""

    text: str
    tone: Tone = "plain"

    def __post_init__(self) -> None:
        _keep_visible(self, "text")


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
        _keep_visible(self, "title")


@dataclass(frozen=True, slots=True)
class Text:
    """A paragraph."""

    text: str
    tone: Tone = "plain"

    def __post_init__(self) -> None:
        _keep_visible(self, "text")


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
        _keep_visible(self, "label", "note")


@dataclass(frozen=True, slots=True)
class Figures:
    """A list of labelled figures."""

    title: str
    lines: tuple[FigureLine, ...]

    def __post_init__(self) -> None:
        _keep_visible(self, "title")


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
        _keep_visible(self, "title", "note")


@dataclass(frozen=True, slots=True)
class Verdict:
    """The finding, in a word or two and a sentence."""

    word: str
    sentence: str
    tone: Tone

    def __post_init__(self) -> None:
        _keep_visible(self, "word", "sentence")


@dataclass(frozen=True, slots=True)
class Checks:
    """What the result checked of itself: (passed, sentence)."""

    items: tuple[tuple[bool, str], ...]

    def __post_init__(self) -> None:
        object.__setattr__(self, "items", tuple((passed, visible(sentence)) for passed, sentence in self.items))


@dataclass(frozen=True, slots=True)
class FlowsChart:
    """Flows as bars, their running total as a line, the payback point marked."""

    name: str
    title: str
    times: Floats
    flows: Floats
    running: Floats
    payback: float | None
    time_title: str
    money_title: str
    spread: bool = True

    def __post_init__(self) -> None:
        _keep_visible(self, "title", "time_title", "money_title")


@dataclass(frozen=True, slots=True)
class RateChart:
    """Present value against the rate, every rate at which it is zero marked, and the rate asked of it."""

    name: str
    title: str
    rates: Floats
    values: Floats
    zeros: tuple[float, ...]
    asked: float | None
    money_title: str

    def __post_init__(self) -> None:
        _keep_visible(self, "title", "money_title")


@dataclass(frozen=True, slots=True)
class HeatMap:
    """A measure over two inputs: values (y, x), `passes` where the verdict is "pays off"."""

    name: str
    title: str
    x: tuple[str, ...]
    y: tuple[str, ...]
    x_title: str
    y_title: str
    values: Floats
    cells: tuple[tuple[str, ...], ...]
    passes: NDArray[np.bool_] | None
    base: tuple[int, int] | None = None

    def __post_init__(self) -> None:
        _keep_visible(self, "title", "x_title", "y_title")
        for name in ("x", "y"):
            object.__setattr__(self, name, tuple(map(visible, getattr(self, name))))
        object.__setattr__(self, "cells", tuple(tuple(map(visible, row)) for row in self.cells))


@dataclass(frozen=True, slots=True)
class GrowthChart:
    """Growth of 100 over time beside a benchmark, with the flows marked."""

    name: str
    title: str
    dates: NDArray[np.datetime64]
    growth: Floats
    benchmark: Floats | None
    flow_dates: NDArray[np.datetime64]
    flows: Floats

    def __post_init__(self) -> None:
        _keep_visible(self, "title")


@dataclass(frozen=True, slots=True)
class BalanceChart:
    """What is owed over time, as agreed (dashed when it is otherwise) and as it is; statements and today marked."""

    name: str
    title: str
    agreed_times: Floats
    agreed: Floats
    times: Floats
    balance: Floats
    changed: bool
    time_title: str
    money_title: str
    statements: tuple[tuple[float, float], ...] = ()
    today: float | None = None

    def __post_init__(self) -> None:
        _keep_visible(self, "title", "time_title", "money_title")


@dataclass(frozen=True, slots=True)
class SplitChart:
    """Interest and principal paid, a stacked bar a year."""

    name: str
    title: str
    years: Floats
    interest: Floats
    principal: Floats
    time_title: str
    money_title: str

    def __post_init__(self) -> None:
        _keep_visible(self, "title", "time_title", "money_title")


@dataclass(frozen=True, slots=True)
class StepsChart:
    """What each part, (label, amount), adds to a total, in the order in which they are drawn."""

    name: str
    title: str
    parts: tuple[tuple[str, float], ...]
    total: float
    total_label: str
    money_title: str

    def __post_init__(self) -> None:
        _keep_visible(self, "title", "total_label", "money_title")
        object.__setattr__(self, "parts", tuple((visible(label), value) for label, value in self.parts))


AxisKind: TypeAlias = Literal["number", "percent", "days"]
"""What the figures along an axis are; days are those since 1970."""


@dataclass(frozen=True, slots=True)
class LinesChart:
    """Lines over time or over an input: (label, values) each; `targets` and `marks` are (label, place).

    Over the words of a choice `x_words` holds these and `x` is empty.
    """

    name: str
    title: str
    x: Floats
    lines: tuple[tuple[str, Floats], ...]
    x_title: str
    y_title: str
    kind: Literal["lines", "area", "bars"] = "lines"
    targets: tuple[tuple[str, float], ...] = ()
    marks: tuple[tuple[str, float], ...] = ()
    x_words: tuple[str, ...] = ()
    percent: bool = False
    x_kind: AxisKind = "number"
    about: str = ""
    """What the chart is about, where its title does not say it."""

    def __post_init__(self) -> None:
        _keep_visible(self, "title", "x_title", "y_title", "about")
        object.__setattr__(self, "lines", tuple((visible(label), values) for label, values in self.lines))
        object.__setattr__(self, "x_words", tuple(map(visible, self.x_words)))
        for name in ("targets", "marks"):
            object.__setattr__(self, name, tuple((visible(label), place) for label, place in getattr(self, name)))


Chart: TypeAlias = FlowsChart | RateChart | HeatMap | GrowthChart | BalanceChart | SplitChart | StepsChart | LinesChart
Block: TypeAlias = Text | Figures | Table | Verdict | Checks | Chart


@dataclass(frozen=True, slots=True)
class Document:
    """A title and what stands under it, in order.

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
        _keep_visible(self, "title", "subtitle", "headline")

"""What is handed over of a result: page one, its page, what was assumed, what stands in full, and typed sheets."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Any, TypeAlias

from pennyweight.documents.model import Block, Document, FigureLine, Figures, Table
from pennyweight.documents.what_if import WhatIf

if TYPE_CHECKING:
    import pandas as pd

__all__ = ["Handout", "PageOne", "Sheet", "SheetColumn", "page_one_of", "sheets_of"]

Value: TypeAlias = Any
"""A number, a text, a day (NumPy's or Python's), a truth, or None."""


@dataclass(frozen=True, slots=True)
class SheetColumn:
    """A column of a sheet; `unit` decides how its numbers look: money, rate, share, years, period, count, number, date,
    text, or a word."""

    title: str
    unit: str = "text"


@dataclass(frozen=True, slots=True)
class Sheet:
    """A table of typed values, for a workbook. A row may name the unit of its values in `units`, by column."""

    title: str
    columns: tuple[SheetColumn, ...]
    rows: tuple[tuple[Value, ...], ...]
    units: tuple[Mapping[int, str], ...] = ()
    note: str = ""
    summed: frozenset[int] = frozenset()
    """Columns whose values add up to something: their sums stand below."""


@dataclass(frozen=True, slots=True)
class PageOne:
    """What whoever has to decide reads first, above the page's first chart.

    >>> PageOne().figures
    ()
    """

    blocks: tuple[Block, ...] = ()
    """The verdict, checks that fail, goals: blocks that stand there whole, and nowhere else."""
    figures: tuple[FigureLine, ...] = ()
    """The key figures."""
    given: Table | None = None
    """What was put in, or of it what decides."""
    told: tuple[Block, ...] = ()
    """Blocks all of whose figures are key figures, so that they stand nowhere else."""

    def rest(self, document: Document) -> list[Block]:
        """What of a document does not stand on page one."""
        return [block for block in document.blocks if not any(block is one for one in (*self.blocks, *self.told))]


def page_one_of(document: Document) -> PageOne:
    """Page one of a document that says nothing of it: its first figures.

    >>> from pennyweight import rate_facts
    >>> [line.label for line in page_one_of(rate_facts("6%").document()).figures][:2]
    ['Effective', 'Quoted']
    """
    first = next((block for block in document.blocks if isinstance(block, Figures)), None)
    if first is None:
        return PageOne()
    told = (first,) if len(first.lines) <= _KEY_FIGURES else ()
    return PageOne(figures=first.lines[:_KEY_FIGURES], told=told)


_KEY_FIGURES = 12


@dataclass(frozen=True, slots=True)
class Handout:
    """A result as it is handed over; what costs something is worked out when a form asks for it.

    >>> from pennyweight import Loan
    >>> handed = Loan(1_000, "6%", years=1, start="2027-01-31").handout()
    >>> handed.document.title, [sheet.title for sheet in handed.sheets()][:1]
    ('A loan of 1,000.00', ['Payments'])
    """

    document: Document
    sheets: Callable[[], tuple[Sheet, ...]] = field(default=tuple)
    assumed: Callable[[], Table | None] = field(default=lambda: None)
    """All that went in, for the end."""
    first: PageOne | None = None
    """Page one; without it that of the document."""
    whole: Callable[[], tuple[Table, ...]] = field(default=tuple)
    """Tables in full that the page of a screen cuts short or leaves out."""
    what_if: Callable[[], WhatIf | None] = field(default=lambda: None)
    """What becomes of it when one assumption moves, for a page that is read in a browser."""
    currency: str = ""
    places: int = 2
    """Decimal places of amounts."""

    @property
    def page_one(self) -> PageOne:
        """What stands on page one."""
        return self.first or page_one_of(self.document)


def sheets_of(frames: Mapping[str, pd.DataFrame], units: Mapping[str, str] | None = None) -> tuple[Sheet, ...]:
    """A sheet for each frame, the units said by name, else told by the kinds of its columns and their names."""
    return tuple(_sheet(name, frame, units or {}) for name, frame in frames.items())


def _sheet(name: str, frame: pd.DataFrame, units: Mapping[str, str]) -> Sheet:
    kept = frame.reset_index() if frame.index.name is not None else frame
    columns = tuple(
        SheetColumn(_heading(str(column)), units.get(str(column)) or _unit(str(column), kept[column]))
        for column in kept.columns
    )
    rows = tuple(tuple(row) for row in kept.astype(object).itertuples(index=False, name=None))
    summed = frozenset(k for k, column in enumerate(kept.columns) if column in _SUMMED and len(rows) > 1)
    return Sheet(_heading(name), columns, rows, summed=summed)


def _heading(name: str) -> str:
    """A name as a heading: its first letter is large, as on the page."""
    words = name.replace("_", " ")
    return words[:1].upper() + words[1:]


_SUMMED = (
    *("amount", "payment", "payments", "interest", "principal", "extra", "fee", "correction"),
    *("flow", "present_value", "coupon", "face", "put_in", "gain"),
)
"""Columns of schedules and flows that add up."""


_PARTS = ("rate", "yield", "share", "return", "hurdle", "simple", "dietz", "weighted", "annualized", "over span", "irr")
_NUMBERS = ("factor", "duration", "convexity", "index", "growth", "years", "accrual", "payback", "span")


def _unit(name: str, column: pd.Series[Any]) -> str:
    if column.dtype.kind == "M":
        return "date"
    if column.dtype.kind in "iub":
        return "count"
    if column.dtype.kind != "f":
        return "text"
    words = name.lower().replace("_", " ")
    if any(part in words for part in _NUMBERS):
        return "number"
    return "rate" if any(part in words for part in _PARTS) else "money"

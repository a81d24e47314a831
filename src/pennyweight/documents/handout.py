"""What is handed over of a result: its page, what was assumed, and typed sheets."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Any, TypeAlias

from pennyweight.documents.model import Document, Table

if TYPE_CHECKING:
    import pandas as pd

__all__ = ["Handout", "Sheet", "SheetColumn", "sheets_of"]

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
    """What went in, for the first page."""
    currency: str = ""
    places: int = 2
    """Decimal places of amounts."""


def sheets_of(frames: Mapping[str, pd.DataFrame], units: Mapping[str, str] | None = None) -> tuple[Sheet, ...]:
    """A sheet for each frame, the units said by name, else told by the kinds of its columns and their names."""
    return tuple(_sheet(name, frame, units or {}) for name, frame in frames.items())


def _sheet(name: str, frame: pd.DataFrame, units: Mapping[str, str]) -> Sheet:
    kept = frame.reset_index() if frame.index.name is not None else frame
    columns = tuple(
        SheetColumn(str(column).replace("_", " "), units.get(str(column)) or _unit(str(column), kept[column]))
        for column in kept.columns
    )
    rows = tuple(tuple(row) for row in kept.astype(object).itertuples(index=False, name=None))
    return Sheet(name.replace("_", " ").capitalize(), columns, rows)


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

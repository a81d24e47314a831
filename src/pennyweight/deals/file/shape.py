"""The shape of a deal file: which sections there are, and what an entry of each may say; no meaning yet."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated, Any, Literal, get_args, get_origin

from pydantic import BaseModel

from pennyweight.deals.file.entry_shapes import (
    AxisShape,
    BracketsShape,
    ChartShape,
    CheckShape,
    ColumnShape,
    GoalShape,
    InputShape,
    LevelShape,
    LineShape,
    LoanShape,
    MeasureShape,
    OverrideShape,
    QuestionShape,
    ScenarioShape,
    SetShape,
    SplitShape,
    TableShape,
    TimelineShape,
    _as_table,
    _said,
    _Shape,
)
from pennyweight.errors import InputError
from pennyweight.reading.toml_files import Source, keys_of, read_toml, shaped_in_part

__all__ = [
    "NAMING",
    "SECTIONS",
    "AxisShape",
    "BracketsShape",
    "ChartShape",
    "CheckShape",
    "ColumnShape",
    "DealShape",
    "GoalShape",
    "InputShape",
    "LevelShape",
    "LineShape",
    "LoanShape",
    "MeasureShape",
    "OverrideShape",
    "QuestionShape",
    "ScenarioShape",
    "SetShape",
    "SplitShape",
    "TableShape",
    "TimelineShape",
    "read_shape",
    "shape_of",
]


class DealShape(_Shape):
    """A whole deal file."""

    format: Literal[1] = _said("1; written by us, assumed when absent.", 1)
    deal: str = _said("The title of the deal.", ...)
    currency: str = _said("Three letters, such as EUR.", "")
    locale: str = _said("How numbers are shown, such as en or de_DE.", "en")
    note: str | None = _said("A remark, for whoever reads the file.")
    page_one: list[str] = _said("The figures that decide, for page one: names of measures and questions, in order.", [])
    timeline: TimelineShape = _said("How long the deal runs, and in which steps.", TimelineShape(periods=10))
    inputs: dict[str, Annotated[InputShape, _as_table("value")]] = _said(
        "What is assumed: one value, steps over time, a column of a CSV file, a date, or one of several words.", {}
    )
    sets: dict[str, SetShape] = _said(
        "Many of the same: a row each, from a file or written here; formulas with `each` are worked out for each.", {}
    )
    brackets: dict[str, BracketsShape] = _said(
        "Values by the slice or the step in which an amount lies: taxes, fees, curves.", {}
    )
    values: dict[str, Annotated[MeasureShape, _as_table("formula")]] = _said(
        "One value each, worked out of inputs and of one another.", {}
    )
    loans: dict[str, LoanShape] = _said(
        "Loans; formulas can name bank.drawn, .payment, .interest, .principal, .extra, .balance and .flow, "
        "and loans.payment and so on over all of them.",
        {},
    )
    money_in: dict[str, Annotated[LineShape, _as_table("formula")]] = _said(
        "Amounts that come in, all positive; together they make money_in.", {}
    )
    money_out: dict[str, Annotated[LineShape, _as_table("formula")]] = _said(
        "Amounts that go out, positive too; together they make money_out.", {}
    )
    lines: dict[str, Annotated[LineShape, _as_table("formula")]] = _said(
        "Other amounts in a period: subtotals, somebody else's share; any sign.", {}
    )
    levels: dict[str, Annotated[LevelShape, _as_table("formula")]] = _said(
        "What stands at the end of a period; never added up.", {}
    )
    measures: dict[str, Annotated[MeasureShape, _as_table("formula")]] = _said(
        "One value each: the figures of the deal.", {}
    )
    splits: dict[str, SplitShape] = _said(
        "Proceeds split among parties: back with a return, a catch-up, shares until a return, shares of the rest.", {}
    )
    goals: dict[str, GoalShape] = _said(
        "What must come true: the deal pays off when every goal is met. Each bears the name of a measure, "
        "value or question.",
        {},
    )
    scenarios: dict[str, ScenarioShape] = _said(
        'The same deal with other inputs; every other key is an input: its value, "low", "high", or '
        "{ scale = 0.85 }, { shift = 500 }.",
        {},
    )
    questions: dict[str, QuestionShape] = _said(
        "What to find on every weighing. The answer is a figure with a name.", {}
    )
    tables: dict[str, TableShape] = _said("The same figures for several values of one name, or of two.", {})
    checks: dict[str, Annotated[CheckShape, _as_table("formula")]] = _said(
        "Conditions the deal itself wants to hold, in every period when they have a value for each.", {}
    )
    charts: dict[str, ChartShape] = _said("What to draw; without it the page chooses what the deal is about.", {})


def _shape_inside(annotation: Any) -> type[BaseModel]:
    """The shape of the entries of a section, from dict[str, Annotated[Shape, …]]."""
    entry = get_args(annotation)[1]
    shape: type[BaseModel] = entry if isinstance(entry, type) else get_args(entry)[0]
    return shape


SECTIONS: dict[str, type[BaseModel]] = {
    name: _shape_inside(field.annotation)
    for name, field in DealShape.model_fields.items()
    if get_origin(field.annotation) is dict
}
"""Every section that holds things by name, and the shape of one; a field of `DealShape` is a section."""

NAMING = tuple(name for name in SECTIONS if name not in ("goals", "scenarios", "checks", "charts"))
"""The sections that share one space of names; goals bear the names of figures, the others are asked for by name."""


def read_shape(path: Path) -> tuple[DealShape, Source, list[InputError], set[tuple[str, ...]]]:
    """Read a deal file: its shape, where it stands, and what of it is no deal, see `shape_of`."""
    document, source = read_toml(path)
    shape, mistakes, broken = shape_of(document, source)
    return shape, source, mistakes, broken


def shape_of(document: dict[str, Any], source: Source) -> tuple[DealShape, list[InputError], set[tuple[str, ...]]]:
    """The shape of a deal given as nested dictionaries, its mistakes, and the (section, name) of what has one."""
    if "loan" in document and "deal" not in document:
        where = source.where("loan")
        raise InputError(f"{where}: this is a loan file; use 'pennyweight loan', or read_loan_file.", at=where)
    return shaped_in_part(DealShape, document, source, _keys_at, SECTIONS)


def _keys_at(path: tuple[str, ...]) -> list[str]:
    """The keys known at a place of the file."""
    if not path:
        return keys_of(DealShape)
    if path[0] == "timeline":
        return keys_of(TimelineShape)
    if path[0] == "scenarios" and len(path) > 2:
        return keys_of(OverrideShape)
    return keys_of(SECTIONS.get(path[0], DealShape))

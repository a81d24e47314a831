"""The shape of a deal file: which keys there are and what kind of value each takes; no meaning yet."""

from __future__ import annotations

import datetime as dt
from pathlib import Path
from typing import Annotated, Any, Literal, TypeAlias, get_args, get_origin

from pydantic import BaseModel, BeforeValidator, ConfigDict, Field

from pennyweight.errors import InputError
from pennyweight.reading.toml_files import Source, keys_of, read_toml, shaped_in_part

__all__ = [
    "NAMING",
    "SECTIONS",
    "AxisShape",
    "ChartShape",
    "CheckShape",
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
    "TableShape",
    "read_shape",
]

Scalar: TypeAlias = int | float | str
Moment: TypeAlias = int | str | dt.date


def _as_table(key: str) -> BeforeValidator:
    return BeforeValidator(lambda given: given if isinstance(given, dict) else {key: given})


class _Shape(BaseModel):
    model_config = ConfigDict(extra="forbid", strict=True, frozen=True, populate_by_name=False)


class TimelineShape(_Shape):
    """`[timeline]`"""

    period: Literal["year", "quarter", "month"] = "year"
    periods: int
    start: dt.date | None = None


class InputShape(_Shape):
    """An input: one value, steps, or a column of a CSV file."""

    value: Scalar | dt.date | None = None
    steps: dict[str, Scalar] | None = None
    file: str | None = None
    column: str | None = None
    sheet: str | None = None
    choices: list[str] | None = None
    unit: str | None = None
    label: str | None = None
    note: str | None = None
    low: Scalar | dt.date | None = None
    high: Scalar | dt.date | None = None
    whole: bool = False
    fixed: bool = False


class LineShape(_Shape):
    """A line: an amount in a period."""

    formula: Scalar
    at: Moment | None = None
    from_: Moment | None = Field(None, alias="from")
    to: Moment | None = None
    every: int | str | None = None
    set: dict[str, Scalar] | None = None
    group: str | None = None
    label: str | None = None
    unit: str | None = None
    note: str | None = None


class LevelShape(_Shape):
    """A level: what stands at the end of a period."""

    formula: Scalar
    start: Scalar | None = None
    set: dict[str, Scalar] | None = None
    group: str | None = None
    label: str | None = None
    unit: str | None = None
    note: str | None = None


class MeasureShape(_Shape):
    """A measure or a value: one figure."""

    formula: Scalar
    label: str | None = None
    unit: str | None = None
    undefined: str | None = None
    note: str | None = None


class LoanShape(_Shape):
    """A loan; every term may be a formula, or a number that can then be varied."""

    amount: Scalar
    rate: Scalar
    years: Scalar | None = None
    months: Scalar | None = None
    payment: Scalar | None = None
    paid_out: Moment = 0
    advances: dict[str, Scalar] | None = None
    payments_made: Scalar | None = None
    balloon: Scalar | None = None
    per_year: int | str = 12
    repaid: str = "level payment"
    interest_only: Scalar | None = None
    amortized_over: Scalar | None = None
    residual: Scalar | None = None
    rate_steps: dict[str, Scalar] = {}
    extra: Scalar | None = None
    to_the_cent: bool = False
    label: str | None = None
    note: str | None = None


class GoalShape(_Shape):
    """A goal on a measure."""

    at_least: Scalar | None = None
    at_most: Scalar | None = None
    nearly: Scalar | None = None
    undefined: Literal["met"] | None = None


class OverrideShape(_Shape):
    """What a scenario does to an input."""

    value: Scalar | dt.date | None = None
    scale: Scalar | None = None
    shift: Scalar | None = None
    steps: dict[str, Scalar] | None = None
    file: str | None = None
    column: str | None = None
    sheet: str | None = None


class ScenarioShape(_Shape):
    """A scenario; every other key is an input."""

    model_config = ConfigDict(extra="allow", strict=True, frozen=True)
    __pydantic_extra__: dict[str, Annotated[OverrideShape, _as_table("value")] | dict[str, Any]]
    label: str | None = None
    note: str | None = None
    based_on: str | list[str] | None = None
    all_inputs: Literal["low", "high", "worst", "best"] | None = None
    judged_by: str | None = None
    undo: list[str] | None = None


class QuestionShape(_Shape):
    """What to find, asked on every weighing; the answer is a figure with a name."""

    find: str
    so_that: str | None = None
    most: str | None = None
    least: str | None = None
    between: list[Scalar | dt.date] | None = None
    pick: Literal["largest", "smallest"] | None = None
    label: str | None = None
    note: str | None = None


class AxisShape(_Shape):
    """What a table goes by: a name of its own or an input, and its values."""

    values: list[Scalar | dt.date] | str
    unit: str | None = None
    label: str | None = None


class TableShape(_Shape):
    """The same figures for several values of one name, or of two."""

    by: dict[str, Annotated[AxisShape, _as_table("values")]]
    columns: dict[str, Annotated[MeasureShape, _as_table("formula")]]
    label: str | None = None
    note: str | None = None


class CheckShape(_Shape):
    """A check of the deal's own: a condition, and what it says."""

    formula: Scalar
    label: str | None = None
    note: str | None = None


class ChartShape(_Shape):
    """What to draw."""

    lines: list[str]
    as_: Literal["lines", "area", "bars"] = Field("lines", alias="as")
    by: Literal["period", "year"] | None = None
    from_: Moment | None = Field(None, alias="from")
    to: Moment | None = None
    target: Scalar | None = None
    mark: str | None = None
    label: str | None = None
    note: str | None = None


class DealShape(_Shape):
    """A whole deal file."""

    format: Literal[1] = 1
    deal: str
    currency: str = ""
    locale: str = "en"
    note: str | None = None
    timeline: TimelineShape = TimelineShape(periods=10)
    inputs: dict[str, Annotated[InputShape, _as_table("value")]] = {}
    values: dict[str, Annotated[MeasureShape, _as_table("formula")]] = {}
    loans: dict[str, LoanShape] = {}
    money_in: dict[str, Annotated[LineShape, _as_table("formula")]] = {}
    money_out: dict[str, Annotated[LineShape, _as_table("formula")]] = {}
    lines: dict[str, Annotated[LineShape, _as_table("formula")]] = {}
    levels: dict[str, Annotated[LevelShape, _as_table("formula")]] = {}
    measures: dict[str, Annotated[MeasureShape, _as_table("formula")]] = {}
    goals: dict[str, GoalShape] = {}
    scenarios: dict[str, ScenarioShape] = {}
    questions: dict[str, QuestionShape] = {}
    tables: dict[str, TableShape] = {}
    checks: dict[str, Annotated[CheckShape, _as_table("formula")]] = {}
    charts: dict[str, ChartShape] = {}


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

"""The shape of a deal file: which keys there are and what kind of value each takes; no meaning yet."""

from __future__ import annotations

import datetime as dt
import tomllib
from pathlib import Path
from typing import Annotated, Any, Literal, TypeAlias

from pydantic import BaseModel, BeforeValidator, ConfigDict, Field, ValidationError

from pennyweight.deals.positions import line_of, positions
from pennyweight.errors import InputError, nearest

__all__ = [
    "DealShape",
    "GoalShape",
    "InputShape",
    "LevelShape",
    "LineShape",
    "MeasureShape",
    "OverrideShape",
    "QuestionShape",
    "ScenarioShape",
    "Source",
    "read_shape",
]

Scalar: TypeAlias = int | float | str
Moment: TypeAlias = int | str | dt.date
_LARGEST = 4 * 1024 * 1024

_LATER = {"loans", "tables", "choices"}
"""Parts of the language that this version does not read yet, so that the message can say so."""


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

    value: Scalar | None = None
    steps: dict[str, Scalar] | None = None
    file: str | None = None
    column: str | None = None
    unit: str | None = None
    label: str | None = None
    note: str | None = None
    low: Scalar | None = None
    high: Scalar | None = None
    whole: bool = False


class LineShape(_Shape):
    """A line: an amount in a period."""

    formula: Scalar
    at: Moment | None = None
    from_: Moment | None = Field(None, alias="from")
    to: Moment | None = None
    every: int | str | None = None
    set: dict[str, Scalar] | None = None
    label: str | None = None
    unit: str | None = None
    note: str | None = None


class LevelShape(_Shape):
    """A level: what stands at the end of a period."""

    formula: Scalar
    start: Scalar | None = None
    set: dict[str, Scalar] | None = None
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


class GoalShape(_Shape):
    """A goal on a measure."""

    at_least: Scalar | None = None
    at_most: Scalar | None = None
    nearly: Scalar | None = None
    undefined: Literal["met"] | None = None


class OverrideShape(_Shape):
    """What a scenario does to an input."""

    value: Scalar | None = None
    scale: Scalar | None = None
    shift: Scalar | None = None
    steps: dict[str, Scalar] | None = None
    file: str | None = None
    column: str | None = None


class ScenarioShape(_Shape):
    """A scenario; every other key is an input."""

    model_config = ConfigDict(extra="allow", strict=True, frozen=True)
    __pydantic_extra__: dict[str, Annotated[OverrideShape, _as_table("value")]]
    label: str | None = None
    note: str | None = None
    based_on: str | None = None


class QuestionShape(_Shape):
    """What to find, asked on every weighing."""

    find: str
    so_that: str | None = None
    pick: Literal["largest", "smallest"] | None = None
    label: str | None = None


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
    money_in: dict[str, Annotated[LineShape, _as_table("formula")]] = {}
    money_out: dict[str, Annotated[LineShape, _as_table("formula")]] = {}
    lines: dict[str, Annotated[LineShape, _as_table("formula")]] = {}
    levels: dict[str, Annotated[LevelShape, _as_table("formula")]] = {}
    measures: dict[str, Annotated[MeasureShape, _as_table("formula")]] = {}
    goals: dict[str, GoalShape] = {}
    scenarios: dict[str, ScenarioShape] = {}
    questions: dict[str, QuestionShape] = {}


class Source:
    """Where a deal came from: its file, and the line of each key, for messages."""

    def __init__(self, path: Path | None, name: str, lines: dict[tuple[str, ...], int]) -> None:
        self.path, self.name, self._lines = path, name, lines

    def where(self, *keys: str) -> str:
        """ "taxi.toml, line 31, [money_in] fares" """
        line = line_of(self._lines, keys)
        place = self.name if line is None else f"{self.name}, line {line}"
        if not keys:
            return place
        head = f"[{keys[0]}]" if len(keys) > 1 else keys[0]
        return f"{place}, {' '.join([head, *keys[1:]])}"


def read_shape(path: Path) -> tuple[DealShape, Source]:
    """Read and check the shape of a deal file; InputError with file and line when it is not one."""
    text = _text_of(path)
    try:
        document = tomllib.loads(text)
    except (tomllib.TOMLDecodeError, ValueError, RecursionError) as error:
        raise InputError(f"{path.name} is not valid TOML: {_toml_error(error)}.") from None
    source = Source(path, path.name, positions(text))
    return shape_of(document, source), source


def shape_of(document: dict[str, Any], source: Source) -> DealShape:
    """Check the shape of a deal given as nested dictionaries."""
    try:
        return DealShape.model_validate(document)
    except ValidationError as error:
        raise _explain(error, document, source) from None


def _text_of(path: Path) -> str:
    try:
        if path.is_dir():
            raise InputError(f"{path} is a folder; name the deal file in it.")
        if path.stat().st_size > _LARGEST:
            raise InputError(f"{path} is larger than 4 MB, which no deal file is.")
        return path.read_text(encoding="utf-8-sig").replace("\r\n", "\n")
    except FileNotFoundError:
        beside = [entry.name for entry in path.parent.glob("*.toml")] if path.parent.is_dir() else []
        raise InputError(f"There is no file {path}{nearest(path.name, beside) or '.'}") from None
    except UnicodeDecodeError:
        raise InputError(f"{path.name} is not text in UTF-8.") from None
    except OSError as error:
        raise InputError(f"{path} cannot be read: {error.strerror}.") from None


def _toml_error(error: Exception) -> str:
    if isinstance(error, RecursionError):
        return "it is nested too deep"
    message = str(error).rstrip(".")
    if message.startswith("Cannot overwrite a value") or "more than once" in message:
        message = message.replace("Cannot overwrite a value", "a key stands there twice")
    return message[:1].lower() + message[1:]


def _explain(error: ValidationError, document: dict[str, Any], source: Source) -> InputError:
    """The first complaint as one sentence with its place."""
    complaints = error.errors(include_url=False)
    first = min(complaints, key=lambda c: (c["type"] != "extra_forbidden", -len(c["loc"])))
    keys = _real_keys(tuple(str(part) for part in first["loc"]), document)
    parent, key = keys[:-1], keys[-1] if keys else ""
    where = source.where(*keys)
    given = first.get("input")
    shown = given if isinstance(given, str | int | float) else type(given).__name__
    kind = first["type"]
    if kind == "extra_forbidden":
        known = _keys_at(parent)
        if key in _LATER:
            return InputError(f"{where}: '{key}' is part of the language but not read by this version yet.")
        return InputError(
            f"{where}: there is no key '{key}'{nearest(key, known) or '.'} Known here are {', '.join(known)}."
        )
    if kind == "missing":
        return InputError(f"{source.where(*parent) if parent else source.name}: '{key}' is missing.")
    if kind == "literal_error":
        return InputError(f"{where} is '{shown}'; it must be {first['ctx']['expected']}.")
    others = {c["type"] for c in complaints if _real_keys(tuple(map(str, c["loc"])), document) == keys}
    expected = _EXPECTED[kind] if others == {kind} and kind in _EXPECTED else "a number or a text"
    if key in ("at", "from", "to"):
        expected = "a period, such as 3, 'year 2' or 'end'"
    if kind == "date_type" or key == "start":
        expected = "a date, such as 2027-01-01, without quotes" if parent[:1] == ("timeline",) else expected
    return InputError(f"{where} is {shown!r}; it must be {expected}.")


_EXPECTED = {
    "int_type": "a whole number",
    "string_type": "a text in quotes",
    "dict_type": "a table, with a name and a value on each line",
    "model_type": "a table",
    "model_attributes_type": "a table",
}


def _real_keys(loc: tuple[str, ...], document: dict[str, Any]) -> tuple[str, ...]:
    """The part of a location that names keys of the file; the rest are the reader's own tags."""
    keys: list[str] = []
    place: Any = document
    for number, part in enumerate(loc):
        if isinstance(place, dict) and part in place:
            keys.append(part)
            place = place[part]
        elif isinstance(place, dict) and number == len(loc) - 1 and part not in _TAGS:
            keys.append(part)
    return tuple(keys)


_TAGS = {"int", "float", "str", "date", "function-before"}


def _keys_at(path: tuple[str, ...]) -> list[str]:
    """The keys known at a place of the file."""
    if not path:
        return _names(DealShape)
    if path[0] == "timeline":
        return _names(TimelineShape)
    if path[0] == "scenarios" and len(path) > 2:
        return _names(OverrideShape)
    return _names(_SECTIONS.get(path[0], DealShape))


_SECTIONS: dict[str, type[BaseModel]] = {
    "inputs": InputShape,
    "values": MeasureShape,
    "money_in": LineShape,
    "money_out": LineShape,
    "lines": LineShape,
    "levels": LevelShape,
    "measures": MeasureShape,
    "goals": GoalShape,
    "scenarios": ScenarioShape,
    "questions": QuestionShape,
}


def _names(shape: type[BaseModel]) -> list[str]:
    return [field.alias or name for name, field in shape.model_fields.items()]

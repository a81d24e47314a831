"""Files in TOML: read with exact complaints, and checked against a shape with the line of what is wrong."""

from __future__ import annotations

import re
import tomllib
from collections.abc import Callable, Collection, Mapping, Sequence
from pathlib import Path
from typing import Any, TypeVar

from pydantic import BaseModel, ValidationError

from pennyweight.errors import InputError, Place, nearest
from pennyweight.quantities.numbers import is_whole_text
from pennyweight.reading.text_files import read_text
from pennyweight.reading.toml_positions import line_of, positions

__all__ = ["Source", "keys_of", "read_toml", "shaped", "shaped_in_part"]

Model = TypeVar("Model", bound=BaseModel)

_LARGEST = 4 * 2**20
_DEEPEST = 40
_MOST_MISTAKES = 60
_DEEP_KEY = re.compile(rf"(?:[\w\"'-]++[ \t]*+\.[ \t]*+){{{_DEEPEST}}}")


class Source:
    """Where a document came from: its file, and the line of each key, for messages."""

    def __init__(
        self, path: Path | None, name: str, lines: dict[tuple[str, ...], int], document: Mapping[str, Any] | None = None
    ) -> None:
        self.path, self.name, self._lines = path, name, lines
        self.document: Mapping[str, Any] = document or {}
        """What stands there, as TOML says it."""

    def where(self, *keys: str) -> Place:
        """ "taxi.toml, line 31, [money_in] fares" """
        line = line_of(self._lines, keys)
        words = self.name if line is None else f"{self.name}, line {line}"
        if keys:
            head = [f"[{keys[0]}]" if len(keys) > 1 else keys[0]]
            rest = keys[1:]
            if rest and is_whole_text(rest[0]):  # one of several [[tables]]
                head, rest = [f"[[{keys[0]}]] number {int(rest[0]) + 1}"], rest[1:]
            words = f"{words}, {' '.join([*head, *rest])}"
        return Place(words, file=self.name, line=line, keys=keys)

    def knows(self, *keys: str) -> bool:
        """Whether the key itself stands in the file."""
        return keys in self._lines


def read_toml(path: Path) -> tuple[dict[str, Any], Source]:
    """Read a TOML file; InputError with file and line when it is none."""
    text = read_text(path, largest=_LARGEST)
    if _DEEP_KEY.search(text):
        raise InputError(
            f"{path.name}: a key has more than {_DEEPEST} parts; the keys of our files have at most four.",
            at=Place.of_file(path.name),
        )
    try:
        document = tomllib.loads(text)
    except (tomllib.TOMLDecodeError, ValueError, RecursionError) as error:
        if said := _bare_word(str(error), text):
            raise InputError(f"{path.name}, {said}", at=Place.of_file(path.name)) from None
        raise InputError(f"{path.name} is not valid TOML: {_toml_error(error)}.", at=Place.of_file(path.name)) from None
    return document, Source(path, path.name, positions(text), document)


def shaped(
    shape: type[Model],
    document: dict[str, Any],
    source: Source,
    keys_at: Callable[[tuple[str, ...]], list[str]],
) -> Model:
    """Check the shape of a document; `keys_at` tells which keys are known at a place of the file, for hints."""
    try:
        return shape.model_validate(document)
    except ValidationError as error:
        raise _explain(error.errors(include_url=False), document, source, keys_at) from None


def shaped_in_part(
    shape: type[Model],
    document: dict[str, Any],
    source: Source,
    keys_at: Callable[[tuple[str, ...]], list[str]],
    named: Collection[str],
) -> tuple[Model, list[InputError], set[tuple[str, ...]]]:
    """The shape of what is sound in a document, every mistake, and the (section, name) of what was left out for one.

    `named` are the sections that hold things by name; of any other all is left out.
    """
    left = {key: dict(value) if isinstance(value, dict) else value for key, value in document.items()}
    mistakes: list[InputError] = []
    broken: set[tuple[str, ...]] = set()
    while True:
        try:
            return shape.model_validate(left), mistakes, broken
        except ValidationError as error:
            complaints = error.errors(include_url=False)
        places: dict[tuple[str, ...], list[Any]] = {}
        for complaint in complaints:
            places.setdefault(_real_keys(tuple(map(str, complaint["loc"])), left), []).append(complaint)
        misspelt = {keys[:-1] for keys, own in places.items() if own[0]["type"] == "extra_forbidden"}
        for keys, own in places.items():
            # What is missing beside a key that nobody knows is that key, misspelt.
            missing = own[0]["type"] == "missing"
            if not (missing and keys[:-1] in misspelt):
                mistakes.append(_explain(own, left, source, keys_at))
            if missing and len(keys) == 1:
                left[keys[0]] = "?"
        for keys in {keys[: 2 if keys[0] in named else 1] for keys in places}:
            section = left.get(keys[0])
            if len(keys) == 2 and isinstance(section, dict):
                section.pop(keys[1], None)
            elif not (isinstance(section, str) and section == "?"):
                left.pop(keys[0], None)
            broken.add(keys)
        if len(broken) > _MOST_MISTAKES:
            raise mistakes[0]


def keys_of(shape: type[BaseModel]) -> list[str]:
    """The keys of a shape as they are written."""
    return [field.alias or name for name, field in shape.model_fields.items()]


_AT = re.compile(r"\(at line (\d+), column (\d+)\)")
_WORD = re.compile(r"[^,\]}#\"'=\n]+")


def _bare_word(message: str, text: str) -> str:
    """What to say of a value that lacks its quotes, such as low, 5% or 430k; nothing when that is not the mistake."""
    found = _AT.search(message)
    if not found:
        return ""
    number, column = int(found[1]), int(found[2])
    line = text.split("\n")[number - 1] if number <= text.count("\n") + 1 else ""
    begins = max(line.rfind(mark, 0, column) for mark in "=,[{") + 1  # a number is read before its % is met
    word = _WORD.match(line, begins + len(line[begins:]) - len(line[begins:].lstrip()))
    bare = word[0].strip() if word else ""
    if bare.startswith(("[", "{")) or not re.search("[A-Za-z%]", bare) or len(bare) > 60 or bare in ("true", "false"):
        return ""
    return f'line {number}: {bare} stands without quotes; write "{bare}".'


def _toml_error(error: Exception) -> str:
    if isinstance(error, RecursionError):
        return "it is nested too deep"
    message = str(error).rstrip(".")
    if message.startswith("Cannot overwrite a value") or "more than once" in message:
        message = message.replace("Cannot overwrite a value", "a key stands there twice")
    return message[:1].lower() + message[1:]


def _explain(
    complaints: Sequence[Any],
    document: dict[str, Any],
    source: Source,
    keys_at: Callable[[tuple[str, ...]], list[str]],
) -> InputError:
    """The first complaint as one sentence with its place."""
    first = min(complaints, key=lambda c: (c["type"] != "extra_forbidden", -len(c["loc"])))
    keys = _real_keys(tuple(str(part) for part in first["loc"]), document)
    parent, key = keys[:-1], keys[-1] if keys else ""
    where = source.where(*keys)
    given = first.get("input")
    shown = given if isinstance(given, str | int | float) else type(given).__name__
    kind = first["type"]
    if kind == "extra_forbidden":
        known = keys_at(parent)
        slip = _SLIPS.get((parent[0] if parent else "", key))
        if slip:
            return InputError(f"{where}: there is no key '{key}' here; {slip}.", at=where)
        hint = nearest(key, known) or f". The keys here are {', '.join(known)}."
        return InputError(f"{where}: there is no key '{key}'{hint}", at=where)
    if kind == "missing":
        return InputError(f"{source.where(*parent) if parent else source.name}: '{key}' is missing.")
    if kind == "literal_error":
        return InputError(f"{where} is '{shown}'; it must be {first['ctx']['expected']}.", at=where)
    others = {c["type"] for c in complaints if _real_keys(tuple(map(str, c["loc"])), document) == keys}
    if isinstance(given, list) and key in ("value", "steps") and all(isinstance(one, int | float) for one in given):
        listed = ", ".join(f"{period} = {one}" for period, one in list(enumerate(given, 1))[:3])
        return InputError(
            f"{where} is a list; a value for each period is written as steps = {{ {listed} … }}.", at=where
        )
    expected = _EXPECTED[kind] if others == {kind} and kind in _EXPECTED else "a number or a text"
    if key in ("at", "from", "to"):
        expected = "a period, such as 3, 'year 2' or 'end'"
    if kind == "date_type" or key == "start":
        expected = "a date, such as 2027-01-01, without quotes" if parent[:1] in (("timeline",), ()) else expected
    return InputError(f"{where} is {shown!r}; it must be {expected}.", at=where)


_SLIPS = {
    (
        "",
        "balloon",
    ): "write what is left at the end as residual, or the years the payment is worked out over as amortized_over",
    ("", "fee"): "write fee_up_front, fee_added or fee_each",
    ("", "fees"): "write fee_up_front, fee_added or fee_each",
    ("", "term"): "write the term as years = 20 or months = 240",
    ("", "principal"): "write what is lent as amount = 100_000",
    ("", "period"): "periods stand under [timeline]",
    ("", "periods"): "periods stand under [timeline]",
    ("loans", "fee"): "a fee is a line of its own under [money_out], at the period of the pay-out",
    ("loans", "fees"): "fees are lines of their own under [money_out], at the period of the pay-out",
    ("loans", "start"): "write when it is paid out as paid_out = 0, 'year 2' or a date",
    ("loans", "term"): "write the term as years = 20 or months = 240",
    ("loans", "interest"): 'write the yearly rate as rate = "4%"',
    ("loans", "principal"): "write what is lent as amount = 100_000",
    ("money_in", "value"): "a line has a formula: formula = 5_000",
    ("money_out", "value"): "a line has a formula: formula = 5_000",
    ("lines", "value"): "a line has a formula: formula = 5_000",
    ("measures", "value"): "a measure has a formula",
    ("values", "value"): 'a value has a formula: formula = "0.2 * price"',
    ("inputs", "formula"): "an input has a value; what is worked out of others stands under [values]",
    ("inputs", "min"): "the ends of its range are low and high",
    ("inputs", "max"): "the ends of its range are low and high",
    ("inputs", "options"): "write choices = ['own', 'rented']",
    ("goals", "equals"): "a goal is at_least or at_most",
    ("goals", "min"): "write at_least",
    ("goals", "max"): "write at_most",
    ("timeline", "years"): "write period = 'year' and periods = 10",
    ("timeline", "months"): "write period = 'month' and periods = 120",
}
"""Keys people write in a section, and what is meant."""


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
        elif isinstance(place, list) and is_whole_text(part) and int(part) < len(place):
            keys.append(part)
            place = place[int(part)]
        elif isinstance(place, dict) and number == len(loc) - 1 and part not in _TAGS:
            keys.append(part)
    return tuple(keys)


_TAGS = {"int", "float", "str", "date", "function-before"}

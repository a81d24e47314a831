"""What every section of a deal file is read with: places, formulas, periods, and values by unit."""

from __future__ import annotations

import datetime as dt
from collections.abc import Mapping
from typing import Any

import numpy as np

from pennyweight.deals.file.series import read_series
from pennyweight.deals.file.shape import DealShape, InputShape, OverrideShape
from pennyweight.deals.language.nodes import Binary, Call, Node, Number, Unary, written
from pennyweight.deals.language.parse import parse
from pennyweight.deals.language.translation import folded
from pennyweight.deals.timeline import LONGEST, Timeline
from pennyweight.errors import InputError, within
from pennyweight.quantities.dates import read_date
from pennyweight.quantities.numbers import LARGEST, as_float, is_whole_text
from pennyweight.quantities.toml_files import Source
from pennyweight.quantities.units import read_value

__all__ = ["Context"]


class Context:
    """A deal file, its timeline, and what its readers remark."""

    def __init__(self, shape: DealShape, source: Source) -> None:
        self.shape, self.source = shape, source
        self.where = source.where
        self.remarks: list[str] = []
        self.time = self._timeline()

    def parse(self, given: int | float | str, *keys: str) -> Node:
        """A formula that stands at a place of the file."""
        where = self.where(*keys)
        if isinstance(given, str):
            return parse(given, where=where)
        number = as_float(given)
        if number is None or not abs(number) <= LARGEST:
            raise InputError(f"{where} is {given}; it must be a formula, or a number up to {LARGEST:g}.", at=where)
        literal = Number(abs(number), written(abs(given)))
        return Unary("-", literal) if number < 0 else literal

    def moment(self, given: int | str | dt.date | None, side: str, *keys: str) -> Node | None:
        """A period as a formula; of "year n" its first or last period."""
        if given is None:
            return None
        where = self.where(*keys)
        if isinstance(given, dt.date):
            raise InputError(f"{where} is a date; this version reads periods, such as 3, 'year 2' or 'end'.", at=where)
        if isinstance(given, int):
            number = as_float(given)
            node: Node = Number(number if number is not None else float("nan"), f"{number:g}")
        elif given.strip() == "never":
            return Number(float("inf"), "never")
        elif given.strip().startswith("year "):
            inner = parse(given.strip()[5:], where=where)
            per_year = Number(float(self.time.per_year), str(self.time.per_year))
            end = Binary("*", inner, per_year)
            start = Binary("-", end, Number(per_year.value - 1, f"{self.time.per_year - 1}"))
            node = end if side == "last" else Call("max", ((None, start), (None, Number(0.0, "0"))))
        else:
            node = parse(given, where=where)
        constant = self._figure(node)
        if constant is not None and not 0 <= constant <= self.time.periods:
            raise InputError(
                f"{where} is period {constant:g}; the timeline runs from 0 to {self.time.periods} "
                f"({self.time.period}s).",
                at=where,
            )
        if constant is not None and abs(constant - round(constant)) > 1e-6:
            raise InputError(f"{where} is period {constant:g}, which is not a whole one.", at=where)
        return node

    @staticmethod
    def key_of(text: str) -> int | str:
        """A period written as a key: its number, or the words that say it."""
        return int(text) if is_whole_text(text) and len(text) < 10 else text

    def value(self, item: InputShape | OverrideShape, unit: str, keys: tuple[str, ...]) -> tuple[Any, str]:
        """(the value of an input, how it was given)."""
        where = self.where(*keys)
        if item.value is not None:
            return read_value(item.value, unit, what=where.to("value")), str(item.value)
        if item.steps is not None:
            return self._steps(item.steps, unit, keys), "steps"
        if item.column is None:
            raise InputError(f"{where}: name the 'column' of {item.file} to read.", at=where)
        series, remark = read_series(self.source, str(item.file), item.column, self.time, where)
        if remark:
            self.remarks.append(remark)
        return series, f"{item.file}, column {item.column}"

    def _steps(self, steps: Mapping[str, int | float | str], unit: str, keys: tuple[str, ...]) -> Any:
        where = self.where(*keys)
        if not steps:
            raise InputError(
                f"{where}: 'steps' is empty; write the first period and its value, as in {{ 1 = 6.50 }}.", at=where
            )
        moments: list[tuple[int, float]] = []
        for key, value in steps.items():
            moment = self.key_of(key)
            node = self.moment(moment, "first", *keys, "steps", key)
            period = self._figure(node) if node is not None else None
            if period is None or not np.isfinite(period):
                raise InputError(f"{where}: '{key}' is not a period; write one, such as 5 or \"year 5\".", at=where)
            moments.append((int(period), read_value(value, unit, what=within(where, f" from {key}"))))
        if [period for period, _ in moments] != sorted({period for period, _ in moments}):
            raise InputError(f"{where}: steps must follow one another in time, each period once.", at=where)
        series = np.full(self.time.rows, np.nan)
        for period, value in moments:
            series[period:] = value
        return series

    def _figure(self, node: Node) -> float | None:
        """The value of a period that reads nothing but numbers, `end` and `per_year`; else None."""
        value = folded(node, {"end": float(self.time.periods), "per_year": float(self.time.per_year)})
        return value if value is not None and np.isfinite(value) else None

    def _timeline(self) -> Timeline:
        item = self.shape.timeline
        if not 1 <= item.periods <= LONGEST:
            where = self.where("timeline", "periods")
            raise InputError(f"{where} is {item.periods:,}; a timeline has 1 to {LONGEST:,} periods.", at=where)
        start = None if item.start is None else read_date(item.start)
        return Timeline(item.period, item.periods, start)

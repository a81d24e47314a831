"""Levels of an index, to stand beside a portfolio."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from pennyweight.array_kinds import Floats
from pennyweight.described import Described
from pennyweight.errors import InputError, Place
from pennyweight.instruments.flows.pandas_flows import check_days
from pennyweight.quantities.argument_checks import a_path
from pennyweight.quantities.dates import Days, read_date, read_dates
from pennyweight.quantities.numbers import read_row
from pennyweight.reading.tables import read_csv, reading_of

__all__ = ["Benchmark", "keep_copies"]


@dataclass(frozen=True, eq=False, repr=False)
class Benchmark(Described):
    """Levels of an index, above zero, one a day, in any order.

    Raises
    ------
    InputError
        When a level is zero or below, or the numbers of dates and levels differ.

    Examples
    --------
    >>> index = Benchmark(["2026-07-01", "2026-01-01"], [104.0, 100.0])
    >>> index.levels.tolist()
    [100.0, 104.0]
    """

    dates: Days
    levels: Floats

    def __post_init__(self) -> None:
        dates, levels = read_dates(self.dates), read_row(self.levels, what="levels")
        check_days(self.levels, dates, "levels")
        if dates.size != levels.size:
            raise InputError(f"{levels.size} levels and {dates.size} dates: each level needs its date.")
        if (levels <= 0).any():
            raise InputError(f"The benchmark needs levels above zero; one is {levels[levels <= 0][0]:g}.")
        order = np.argsort(dates, kind="stable")
        keep_copies(self, dates=dates[order], levels=levels[order])

    @classmethod
    def from_csv(
        cls,
        path: str | Path,
        *,
        columns: Mapping[str, str] | None = None,
        decimal: str | None = None,
        sheet: str | None = None,
        order: str | None = None,
    ) -> Benchmark:
        """Read a CSV, a workbook or a Parquet file with the columns `date` and `level`.

        Parameters
        ----------
        path : str | Path
            The file.
        columns, decimal, sheet, order
            As in Portfolio.from_csv.

        Returns
        -------
        Benchmark
            See `Benchmark` for what it holds.

        Raises
        ------
        InputError
            Something given cannot be right; the message names it and says what would be.

        Notes
        -----
        InputError names row and column

        Examples
        --------
        >>> from importlib.resources import files
        >>> folder = files("pennyweight.starters")
        >>> Benchmark.from_csv(str(folder / "endowment" / "index.csv")).levels[:2].tolist()
        [100.0, 102.8]
        """
        reading = reading_of(columns, decimal, sheet, order)
        table = read_csv(a_path(path), reading=reading, wanted=("date", "level"))
        dates, levels = table.gather(lambda: table.dates("date"), lambda: table.amounts("level"))
        table.finish()
        reading.finish(table)
        if not levels.size or (levels <= 0).any():
            raise InputError(f"{path} needs levels above zero.", at=Place.of_file(path))
        return cls(dates, levels)

    def at(self, days: object) -> Floats:
        """The last level on or before each day.

        Parameters
        ----------
        days
            Days, (n,), or a single one; the levels have the same shape.

        Returns
        -------
        array of float
            The last level on or before each day.

        Examples
        --------
        >>> index = Benchmark(["2026-01-01", "2026-07-01"], [100.0, 104.0])
        >>> index.at(np.array(["2026-05-05", "2026-08-08"], dtype="datetime64[D]")).tolist()
        [100.0, 104.0]
        """
        many = isinstance(days, list | tuple) or getattr(days, "ndim", 0) > 0
        asked = read_dates(days, what="days") if many else np.array([read_date(days, what="days")])
        place = np.searchsorted(self.dates, asked, side="right") - 1
        if (place < 0).any():
            raise InputError(f"The benchmark begins on {self.dates[0]}, after {asked.min()}.", at="days")
        return self.levels[place] if many else self.levels[place[0]]


def keep_copies(owner: object, **fields: object) -> None:
    """Set the fields of a frozen object; arrays are copies that nobody can change."""
    for name, value in fields.items():
        if isinstance(value, np.ndarray):
            value = value.copy()
            value.flags.writeable = False
        object.__setattr__(owner, name, value)

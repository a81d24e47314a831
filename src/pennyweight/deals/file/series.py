"""A column of a CSV file beside the deal becomes one value a period."""

from __future__ import annotations

from typing import TypeAlias

import numpy as np
from numpy.typing import NDArray

from pennyweight.deals.timeline import Timeline
from pennyweight.errors import InputError
from pennyweight.quantities.csv_files import CsvTable, read_csv
from pennyweight.quantities.text_files import beside
from pennyweight.quantities.toml_files import Source

__all__ = ["read_series"]

Floats: TypeAlias = NDArray[np.float64]


def read_series(source: Source, file: str, column: str, time: Timeline, where: str) -> tuple[Floats, str | None]:
    """Read (periods + 1,) values, and a remark when the file holds more than is used.

    With a column `period` each value stands at its period; without, rows are periods 1, 2, 3…
    """
    if source.path is None:
        raise InputError(
            f"{where}: a deal that was not read from a file cannot read '{file}'; give its values as steps.", at=where
        )
    table = read_csv(beside(source.path, file, where, what="deal"), shown_as=file)
    values = table.amounts(column, share=True)
    series = np.full(time.rows, np.nan)
    if "period" in table.header:
        used = _by_period(table, values, series, time, where)
    else:
        used = min(values.size, time.periods)
        series[1 : used + 1] = values[:used]
    missing = np.flatnonzero(np.isnan(series[1:])) + 1
    if missing.size:
        raise InputError(
            f"{where}: {file} gives {used} values for '{column}', the timeline needs {time.periods} "
            f"({time.period}s 1 to {time.periods}); period {missing[0]} is the first without one.",
            at=where,
        )
    over = values.size - used
    remark = f"{file} holds {over} more values of '{column}' than the timeline has periods." if over > 0 else None
    return series, remark


def _by_period(table: CsvTable, values: Floats, series: Floats, time: Timeline, where: str) -> int:
    periods = table.amounts("period")
    if (periods != np.round(periods)).any() or (periods < 0).any():
        raise InputError(f"{where}: the column 'period' of {table.path} must hold whole periods from 0 on.", at=where)
    if np.unique(periods).size != periods.size:
        raise InputError(f"{where}: {table.path} has two rows for one period.", at=where)
    inside = periods <= time.periods
    series[periods[inside].astype(np.intp)] = values[inside]
    return int(np.count_nonzero(inside & (periods > 0)) + np.count_nonzero(inside & (periods == 0)))

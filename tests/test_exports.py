"""Exports as people have them are read as a person reads them: at the first try, or with one obvious word."""

from __future__ import annotations

import warnings
from pathlib import Path
from typing import Any

import pytest

from pennyweight import Benchmark, CashFlows, Portfolio
from pennyweight.instruments.loans.files.event_files import read_events
from pennyweight.instruments.portfolios.statements import rows_of
from pennyweight.reading.tables import reading_of
from tests.exports import FIRST, LATER, Export


def read(path: Path, export: Export) -> list[tuple[Any, ...]]:
    """What the library reads in an export, as the export says it."""
    if export.holds == "flows":
        flows = CashFlows.from_csv(path, columns=export.columns, order=export.dates)
        return [(str(day), float(amount)) for day, amount in zip(flows.dates, flows.amounts, strict=True)]
    if export.holds == "levels":
        index = Benchmark.from_csv(path, columns=export.columns, order=export.dates)
        return [(str(day), float(level)) for day, level in zip(index.dates, index.levels, strict=True)]
    if export.holds == "events":
        events = read_events(path, columns=export.columns, words=export.kinds, order=export.dates)
        return [(str(event.moment), event.what, event.value) for event in events]
    rows, _, _ = rows_of(path, reading_of(export.columns, dates=export.dates), export.kinds)
    whole = Portfolio.from_csv(path, columns=export.columns, kinds=export.kinds, order=export.dates)
    assert whole.values[-1] == rows[-1][-1]
    return [(str(day), account, kind, amount) for day, account, kind, amount in rows]


@pytest.mark.parametrize("name", [*FIRST, *LATER])
def test_an_export_is_read_as_a_person_reads_it(name: str, tmp_path: Path) -> None:
    export = {**FIRST, **LATER}[name]
    path = tmp_path / f"it{export.ending}"
    path.write_bytes(export.content)
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")  # rows left out are told, as test_tables holds
        assert read(path, export) == export.says

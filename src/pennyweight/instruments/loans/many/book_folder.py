"""What a run through a book of loans leaves in its folder: where it stands, bad rows, and at last the sums."""

from __future__ import annotations

import csv
import json
from collections.abc import Iterable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import TYPE_CHECKING, TextIO

import numpy as np

from pennyweight.core.loans.month_sums import MonthSums
from pennyweight.errors import InputError, Place
from pennyweight.instruments.loans.many.arrow_columns import Reject
from pennyweight.instruments.loans.many.book_run import BookRun
from pennyweight.instruments.loans.many.loan_columns import OpenLoans
from pennyweight.instruments.loans.many.loan_events import BookEvents
from pennyweight.instruments.loans.many.schedules import ScheduleWriter
from pennyweight.plain_text import no_formula
from pennyweight.reading.whole_files import replace_with

if TYPE_CHECKING:
    import pandas as pd

__all__ = ["BookFolder"]

_REJECTS = "row,column,value,reason"
_SUMS = ",loans,paid_out,payment,interest,principal,balance"
_WITH_EVENTS = ",loans,paid_out,payment,interest,extra,correction,principal,balance"
"""How the first lines of what is written begin and end."""


class BookFolder:
    """What a run leaves in its folder: its state after every part, rows that make no loan, and at last the sums."""

    def __init__(
        self,
        folder: Path,
        opened: OpenLoans,
        strict: bool,
        events: BookEvents | None,
        schedules: bool,
        partitions: bool,
    ) -> None:
        self.folder, self.opened, self.strict, self.events = folder, opened, strict, events
        self.state, self.rejects = folder / "progress.npz", folder / "progress_rejects.csv"
        self.told_rejects = folder / "rejects.csv"
        self.event_rejects = folder / "rejected_events.csv"
        self.schedules = ScheduleWriter(folder / "schedules", opened) if schedules else None
        told = opened.path.stat()
        beside = None if events is None else events.path.stat()
        self.of = json.dumps(
            [
                opened.path.name,
                told.st_size,
                told.st_mtime_ns,
                dict(opened.names),
                opened.grouped,
                opened.places,
                strict,
                schedules,
                partitions,
                None if events is None or beside is None else [events.path.name, beside.st_size, beside.st_mtime_ns],
            ]
        )

    def begun(self) -> BookRun:
        """A run from the beginning, or from where one of the same file was broken off."""
        self._refuse_others()
        with _told(self.folder):
            self.folder.mkdir(parents=True, exist_ok=True)
            return self._begun()

    def _begun(self) -> BookRun:
        run = BookRun(self.opened, self.strict, self.events, self.schedules)
        length = 0
        if self.state.exists():
            with np.load(self.state, allow_pickle=False) as held:
                if str(held["of"]) == self.of:
                    told = json.loads(str(held["told"]))
                    run.sums = MonthSums(told["first"], held["table"])
                    run.parts, run.rows, run.loans, run.rejected = (
                        told[key] for key in ("parts", "rows", "loans", "rejected")
                    )
                    run.rejects = [Reject(*one) for one in told["rejects"]]
                    run.places_of = {name: place for place, name in enumerate(told["groups"])}
                    run.sample = [(one[0], [(n, w, v) for n, w, v in one[1]]) for one in told["sample"]]
                    if self.events is not None:
                        self.events.used, self.events.late, self.events.left_over = told["events"]
                        self.events.rejects = [Reject(*one) for one in told["event_rejects"]]
                        self.events.seen = np.array(held["seen"])
                    length = told["length"]
        with self.rejects.open("ab") as lines:
            lines.truncate(length)  # what a broken-off part has written is written again
        if not length:
            self.rejects.write_text(f"{_REJECTS}\n", encoding="utf-8")
        run.write = self._write
        if self.schedules is not None:
            self.schedules.begin(run.rows)
        return run

    def _refuse_others(self) -> None:
        """InputError where a file in the folder has a name of ours, and was not written here."""
        sums, table = self.folder / "sums.csv", self.folder / "sums.parquet"
        first = _first_line(sums)
        ours = {
            self.rejects: _first_line(self.rejects) == _REJECTS,
            self.told_rejects: _first_line(self.told_rejects) == _REJECTS,
            sums: first.startswith("month,") and first.endswith((_SUMS, _WITH_EVENTS)),
            self.event_rejects: _first_line(self.event_rejects) == _REJECTS,
            table: sums.exists(),  # both are written at once
            self.state: True,
        }
        for path, is_ours in ours.items():
            if path.is_symlink():
                raise InputError(
                    f"{path} is a link, which a book of loans does not follow; name another folder, or move it.",
                    at=Place.of_file(path.name),
                )
            if path.exists() and not is_ours:
                raise InputError(
                    f"{path} is there already, and no book of loans has written it; name another folder, or move it.",
                    at=Place.of_file(path.name),
                )

    def _write(self, rejects: tuple[Reject, ...]) -> None:
        if rejects:
            with _told(self.rejects), self.rejects.open("a", encoding="utf-8", newline="") as lines:
                _write_rows(lines, rejects)

    def keep(self, run: BookRun) -> None:
        """Put down how far the run has come, whole or not at all."""
        events = self.events
        told = {
            "first": run.sums.first, "parts": run.parts, "rows": run.rows, "loans": run.loans, "rejected": run.rejected,
            "rejects": _plain(run.rejects),
            "groups": list(run.places_of), "sample": run.sample, "length": self.rejects.stat().st_size,
            "events": [] if events is None else [events.used, events.late, events.left_over],
            "event_rejects": [] if events is None else _plain(events.rejects),
        }  # fmt: skip
        seen = np.empty(0, np.bool_) if events is None else events.seen
        beside = self.folder / "progress.new.npz"
        with _told(self.state):
            np.savez(beside, of=np.array(self.of), told=np.array(json.dumps(told)), table=run.sums.table, seen=seen)
            beside.replace(self.state)

    def finish(self, frame: pd.DataFrame, rejected: int) -> None:
        """Write the sums, and take away what only served to go on."""
        shown = frame.map(lambda cell: no_formula(cell) if isinstance(cell, str) else cell)
        replace_with(self.folder / "sums.csv", lambda path: shown.to_csv(path, index=False))
        replace_with(self.folder / "sums.parquet", lambda path: frame.to_parquet(path, index=False))
        with _told(self.folder):
            if rejected:
                self.rejects.replace(self.told_rejects)
            else:
                self.rejects.unlink(missing_ok=True)
                self.told_rejects.unlink(missing_ok=True)
            self.event_rejects.unlink(missing_ok=True)
            if self.events is not None and self.events.rejects:
                kept = sorted(self.events.rejects, key=lambda one: one.row)
                replace_with(self.event_rejects, lambda path: _write_file(path, kept))
            self.state.unlink(missing_ok=True)


def _plain(rejects: Iterable[Reject]) -> list[list[object]]:
    return [[one.row, one.column, one.value, one.reason] for one in rejects]


def _write_rows(lines: TextIO, rejects: Iterable[Reject]) -> None:
    rows = ([no_formula(cell) if isinstance(cell, str) else cell for cell in row] for row in _plain(rejects))
    csv.writer(lines, lineterminator="\n").writerows(rows)


def _write_file(path: Path, rejects: Iterable[Reject]) -> None:
    with path.open("w", encoding="utf-8", newline="") as lines:
        lines.write(f"{_REJECTS}\n")
        _write_rows(lines, rejects)


@contextmanager
def _told(path: Path) -> Iterator[None]:
    """What the system refuses, told of the file, and not of standard output."""
    try:
        yield
    except OSError as error:
        raise InputError(f"{path} cannot be written: {error.strerror}.", at=Place.of_file(path)) from None


def _first_line(path: Path) -> str:
    if not path.is_file():
        return ""
    with path.open(encoding="utf-8", errors="replace") as lines:
        return lines.readline().rstrip("\n")

"""A book of loans by the workers of a cluster: each takes some row groups of the file, and sends their sums."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field, replace

import numpy as np

from pennyweight.cluster import Cluster
from pennyweight.errors import InputError, Place
from pennyweight.instruments.loans.many.arrow_columns import Reject
from pennyweight.instruments.loans.many.book_run import BookRun, no_rejects
from pennyweight.instruments.loans.many.loan_columns import OpenLoans
from pennyweight.instruments.loans.many.loan_events import BookEvents
from pennyweight.instruments.loans.many.schedules import ScheduleWriter

__all__ = ["Worked", "check_partitions", "partitions_of"]


@dataclass
class Worked:
    """What a partition comes to, and its rows that make no loan."""

    run: BookRun
    rejects: list[Reject] = field(default_factory=list)


@dataclass(frozen=True)
class _Book:
    """What is the same for all partitions; its files are where every worker finds them."""

    opened: OpenLoans
    strict: bool
    events: BookEvents | None
    schedules: ScheduleWriter | None


def check_partitions(opened: OpenLoans) -> None:
    """InputError for a file that cannot be read from the middle."""
    if opened.path.suffix.lower() != ".parquet":
        raise InputError(
            f"{opened.path.name}: a cluster reads books from Parquet, whose row groups it shares out; leave 'on' out, "
            "or write the file as Parquet.",
            at=Place.of_file(opened.path.name),
        )


def partitions_of(run: BookRun, cluster: Cluster) -> Iterator[BookRun]:
    """The run after each further partition, in the order of the file."""
    opened = replace(run.opened, path=run.opened.path.absolute())
    schedules = run.schedules and ScheduleWriter(run.schedules.folder.absolute(), opened)
    if run.events is not None:
        run.events.forget_places()
    book = _Book(opened, run.strict, run.events, schedules)
    todo = opened.partitions()[run.parts :]
    for worked in cluster.map(_partition, book, todo):
        _join_events(run, worked.run)
        if run.schedules is not None and worked.run.schedules is not None:
            run.schedules.rows += worked.run.schedules.rows
        run.write(tuple(worked.rejects))
        run.join(worked.run)
        yield run


def _partition(book: _Book, groups: tuple[int, int]) -> Worked:
    events = book.events and replace(book.events, rejects=[], seen=np.zeros_like(book.events.seen), used=0)
    schedules = book.schedules and ScheduleWriter(book.schedules.folder, book.opened)
    worked = Worked(BookRun(book.opened, book.strict, events, schedules))
    worked.run.write = worked.rejects.extend
    for part in book.opened.parts(groups=groups):
        worked.run.add(part)
    worked.run.write = no_rejects
    worked.run.parts = 1
    if events is not None:
        worked.run.events = replace(
            events, ids=(), first=np.empty(0, np.int64), when=np.empty(0, np.int64), unit=np.empty(0, np.int64),
            kind=np.empty(0, np.int64), value=np.empty(0), row=np.empty(0, np.int64),
        )  # fmt: skip
    return worked


def _join_events(run: BookRun, later: BookRun) -> None:
    """What a partition has used of the events; InputError where two partitions have a loan of one name."""
    own, more = run.events, later.events
    if own is None or more is None:
        return
    if (both := own.seen & more.seen).any():
        name = own.ids[int(np.argmax(both))]
        raise InputError(
            f"{run.opened.path.name} has two loans of the name {name}; its events belong to one.",
            at=Place.of_file(run.opened.path.name),
        )
    own.seen |= more.seen
    own.rejects += more.rejects
    own.used, own.late = own.used + more.used, own.late + more.late
    own.left_over += more.left_over

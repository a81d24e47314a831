"""A book of very many loans: what they pay and owe month by month, and by group, from a file read part by part."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from contextlib import nullcontext
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import TYPE_CHECKING, Any, ClassVar

import numpy as np

from pennyweight.array_kinds import Floats
from pennyweight.cluster import WorkedBy, cluster_of
from pennyweight.core.loans.month_sums import FIGURES, MonthSums
from pennyweight.documents.shown import Shown
from pennyweight.errors import InputError, Place, choice
from pennyweight.instruments.loans.many.arrow_columns import Reject
from pennyweight.instruments.loans.many.book_folder import BookFolder
from pennyweight.instruments.loans.many.book_run import MOST_TOLD, BookRun
from pennyweight.instruments.loans.many.loan_columns import COLUMNS, OpenLoans, open_loans
from pennyweight.instruments.loans.many.loan_events import EVENT_COLUMNS, BookEvents, read_book_events
from pennyweight.instruments.loans.many.partitions import check_partitions, partitions_of
from pennyweight.instruments.loans.many.schedules import check_room
from pennyweight.progress import tell
from pennyweight.quantities.argument_checks import a_flag, a_mapping, a_path, a_text
from pennyweight.quantities.numbers import whole
from pennyweight.quantities.units import Style, check_currency

if TYPE_CHECKING:
    import pandas as pd
    from distributed import Client

__all__ = ["EventsTold", "LoanSums", "loan_sums"]

_AMOUNTS = ("paid_out", "payment", "interest", "extra", "correction", "principal", "balance")


@dataclass(frozen=True, slots=True)
class EventsTold:
    """What became of the events of a book."""

    rows: int
    used: int
    rejects: tuple[Reject, ...]
    """The first that cannot happen; `rejected` is how many there are."""
    rejected: int
    others: int
    """Events of loans that the book does not have."""
    late: int
    """Events after their loan was paid off, which change nothing."""
    left_over: float
    """What was paid beyond what was owed, and is not counted; in the currency."""
    unused: tuple[str, ...]


@dataclass(frozen=True, eq=False, repr=False)
class LoanSums(Shown):
    """What the loans of a file pay and owe, month by month.

    Examples
    --------
    >>> import tempfile, pathlib
    >>> from pennyweight import loan_sums
    >>> with tempfile.TemporaryDirectory() as folder:
    ...     path = pathlib.Path(folder) / "loans.csv"
    ...     _ = path.write_text("amount,rate,months,start" + chr(10) + "1000,6%,12,2027-01-31" + chr(10))
    ...     book = loan_sums(path)
    >>> book.loans, book.frame.loc[1, "payment"], round(book.frame["interest"].sum(), 2)
    (1, np.float64(86.07), np.float64(32.8))
    """

    INTERNAL: ClassVar[tuple[str, ...]] = ("sums",)

    title: str
    loans: int
    rows: int
    grouped: str | None
    groups: tuple[str, ...]
    dated: bool
    sums: MonthSums = field(repr=False)
    places: int
    style: Style
    rejects: tuple[Reject, ...]
    """The first rows that make no loan; `rejected` is how many there are."""
    rejected: int
    unused: tuple[str, ...]
    sampled: int
    """How many loans were kept exactly beside; all agreed."""
    resumed: int
    """How many rows an earlier run had done that was broken off."""
    events: EventsTold | None = None
    schedule_rows: int | None = None
    """How many rows of schedules were written in this run; None where none were asked for."""
    worked_by: WorkedBy | None = None
    """The cluster that worked it out; None where that was done here."""

    def amount(self, figure: str, group: int | None = None) -> Floats:
        """A figure month by month, of one group or of all; amounts in the currency.

        Parameters
        ----------
        figure : str
            One of loans, paid_out, payment, interest, balance, extra (paid beside) and correction (what stated
            balances add).
        group : int | None, optional
            The place of a group.

        Returns
        -------
        array of float
            A figure month by month, of one group or of all; amounts in the currency.

        Examples
        --------
        >>> import tempfile, pathlib
        >>> from pennyweight import loan_sums
        >>> with tempfile.TemporaryDirectory() as folder:
        ...     path = pathlib.Path(folder) / "loans.csv"
        ...     _ = path.write_text("amount,rate,months" + chr(10) + "1000,6%,2" + chr(10))
        ...     book = loan_sums(path)
        >>> book.amount("balance").tolist()
        [1000.0, 501.25, 0.0]
        """
        table = self.sums.table[FIGURES.index(figure)]
        row = table.sum(axis=0) if group is None else table[group]
        return np.asarray(row if figure == "loans" else row / 10.0**self.places)

    @property
    def months(self) -> list[str]:
        """The months by name: "2027-01", or their number where loans have no day."""
        count = self.sums.table.shape[2]
        numbers = range(self.sums.first, self.sums.first + count)
        return [f"{one // 12:04d}-{one % 12 + 1:02d}" if self.dated else str(one) for one in numbers]

    @property
    def frame(self) -> pd.DataFrame:
        """One row a month, and a group where there are any: loans that still owe, what is paid out, paid and owed."""
        import pandas as pd

        found = []
        for place in range(max(len(self.groups), 1)):
            columns: dict[str, Any] = {"month": self.months}
            if self.grouped is not None:
                columns[self.grouped] = self.groups[place]
            values = {name: self.amount(name, place if self.grouped else None) for name in FIGURES}
            values["principal"] = values["payment"] + values["extra"] - values["interest"]
            columns |= {"loans": values["loans"].astype(np.int64)}
            quiet = () if self.events is not None else ("extra", "correction")
            columns |= {name: values[name].round(self.places) for name in _AMOUNTS if name not in quiet}
            found.append(pd.DataFrame(columns))
        return pd.concat(found, ignore_index=True)

    def as_dict(self) -> dict[str, Any]:
        """Plain values for JSON.

        Returns
        -------
        dict[str, Any]
            Plain values for JSON.
        """
        return {
            "format": 1,
            "file": self.title,
            "loans": self.loans,
            "rows": self.rows,
            "rejected": self.rejected,
            "sampled": self.sampled,
            "unused": list(self.unused),
            "events": None if self.events is None else self._events_told(self.events),
            "months": self.frame.to_dict(orient="records"),
        }

    def _events_told(self, told: EventsTold) -> dict[str, Any]:
        return {
            "rows": told.rows, "used": told.used, "rejected": told.rejected, "of_other_loans": told.others,
            "after_the_end": told.late, "not_taken": round(told.left_over, self.places), "unused": list(told.unused),
        }  # fmt: skip


def loan_sums(
    path: str | Path,
    *,
    columns: Mapping[str, str] | None = None,
    grouped: str | None = None,
    places: int = 2,
    currency: str = "",
    strict: bool = False,
    events: str | Path | None = None,
    event_columns: Mapping[str, str] | None = None,
    schedules: bool = False,
    folder: str | Path | None = None,
    on: str | Client | None = None,
) -> LoanSums:
    """Sum up what the loans of a file pay and owe by month: paid monthly, level, to the smallest unit.

    Parameters
    ----------
    path : str | Path
        A Parquet file or a CSV with the columns amount, rate (yearly, quoted: 0.045 or "4.5%"), months and, where
        there are such, start, the day of the pay-out (the first payment falls in the next month), residual, what the
        level payments leave for the last one (a balloon), interest_only, how many first payments are of interest alone
        (as many as there are months: until all falls due), and id, the name of the loan.
    columns : Mapping[str, str] | None, optional
        What the file calls them, by these names.
    grouped : str | None, optional
        A column by whose values the sums are told apart.
    places : int, default 2
        Decimals of the currency.
    currency : str, default ''
        Its three letters.
    strict : bool, default False
        Stop at the first row that makes no loan; else such rows are left out, told, and put into a file.
    events : str | Path | None, optional
        A Parquet file or a CSV of what happens to the loans, with the columns id, date (a day, a month or the number
        of the payment), what (rate, extra, paid or balance) and amount. An event of a month falls with the payment of
        that month; a rate counts from that payment's period on. All of it is held in memory.
    event_columns : Mapping[str, str] | None, optional
        What that file calls them.
    schedules : bool, default False
        Write every row of every schedule, too, as Parquet files into `folder`/schedules.
    on : str | Client | None, optional
        A Dask cluster that does the work, by its address ("tcp://10.0.0.5:8786") or a client of `distributed`; it
        reads a Parquet file by row groups, from where every worker finds it under the same path.
    folder : str | Path | None, optional
        Where sums.csv, sums.parquet and rejects.csv are written, and where a run that is broken off goes on.

    Returns
    -------
    LoanSums
        See `LoanSums` for what it holds.

    Raises
    ------
    InputError
        A file that cannot be read, a column that is missing, and with `strict` a bad row.

    Notes
    -----
    The file is read part by part, so that memory does not grow with it. A sample is kept in exact books beside.

    Examples
    --------
    >>> import tempfile, pathlib
    >>> with tempfile.TemporaryDirectory() as folder:
    ...     path = pathlib.Path(folder) / "loans.csv"
    ...     _ = path.write_text("amount,rate,months" + chr(10) + "1000,6%,12" + chr(10))
    ...     loan_sums(path).amount("payment").round(2).tolist()[:3]
    [0.0, 86.07, 86.07]
    """
    file = a_path(path)
    style = replace(Style("", "en"), currency=check_currency(currency, where="currency"))
    a_flag(schedules, what="schedules")
    if schedules and folder is None:
        raise InputError("schedules are written into a folder; say which.", at="schedules")
    if event_columns and events is None:
        raise InputError("event_columns name the columns of events; say which file has them.", at="event_columns")
    opened = open_loans(
        file,
        _named(columns, "columns", COLUMNS),
        None if grouped is None else a_text(grouped, what="grouped"),
        whole(places, what="places", least=0, most=6),
        names=events is not None or schedules,
    )
    happens = (
        None
        if events is None
        else read_book_events(a_path(events), _named(event_columns, "event_columns", EVENT_COLUMNS))
    )
    if happens is not None:
        _check_events(happens, opened)
    if schedules and folder is not None:
        check_room(file, opened.names["months"], a_path(folder))
    if on is not None:
        check_partitions(opened)
    kept = None
    if folder is not None:
        kept = BookFolder(a_path(folder), opened, strict, happens, schedules, on is not None)
    run = BookRun(opened, strict, happens) if kept is None else kept.begun()
    resumed = run.rows
    with nullcontext(None) if on is None else cluster_of(on) as cluster:
        for _ in _parts_of(run) if cluster is None else partitions_of(run, cluster):
            tell("rows", run.rows, None)
            if kept is not None:
                kept.keep(run)
    if not run.loans:
        every = f"All {run.rows:,} rows are bad; the first" if run.rows > 1 else "Its one row is bad"
        said = f" {every}: {run.rejects[0].reason}." if run.rejects else ""
        raise InputError(f"{file.name} has no loans.{said}", at=Place.of_file(file.name))
    sampled = run.checked()
    made = LoanSums(
        file.name, run.loans, run.rows, opened.grouped, tuple(run.places_of), opened.dated, run.sums, opened.places,
        style, tuple(run.rejects[:MOST_TOLD]), run.rejected, tuple(opened.unused), sampled, resumed,
        None if happens is None else _told(happens, opened.places),
        run.schedules.rows if run.schedules is not None else None, None if cluster is None else cluster.worked_by,
    )  # fmt: skip
    if kept is not None:
        kept.finish(made.frame, made.rejected)
    return made


def _parts_of(run: BookRun) -> Iterator[BookRun]:
    """The run after each further part, one after another."""
    for part in run.opened.parts(run.parts):
        run.add(part)
        yield run


def _named(columns: Mapping[str, str] | None, what: str, known: Sequence[str]) -> dict[str, str]:
    given = a_mapping(columns, what=what, of="names").items()
    for key, _ in given:
        choice(key, known, what)
    return {key: a_text(value, what=f"{what} {key}") for key, value in given}


def _check_events(happens: BookEvents, opened: OpenLoans) -> None:
    if "id" not in opened.names:
        raise InputError(
            f"{opened.path.name} has no column 'id'; events need the names of the loans: --column id=NAME says which "
            "column has them.",
            at=Place.of_file(opened.path.name),
        )
    if happens.dated and not opened.dated:
        raise InputError(
            f"{happens.path.name} has days, and {opened.path.name} no column 'start', the day of the pay-out; name "
            "it, or give the numbers of the payments.",
            at=Place.of_file(happens.path.name),
        )


def _told(happens: BookEvents, places: int) -> EventsTold:
    counts = np.diff(happens.first)
    return EventsTold(
        happens.rows,
        happens.used,
        tuple(sorted(happens.rejects, key=lambda one: one.row)[:MOST_TOLD]),
        len(happens.rejects),
        int(counts[~happens.seen].sum()),
        happens.late,
        happens.left_over / 10.0**places,
        happens.unused,
    )

"""A book of very many loans: what they pay and owe month by month, and by group, from a file read part by part."""

from __future__ import annotations

import json
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field, replace
from fractions import Fraction
from pathlib import Path
from typing import TYPE_CHECKING, Any, ClassVar

import numpy as np

from pennyweight.array_kinds import Floats, Ints
from pennyweight.core.loans.agreement import Agreement
from pennyweight.core.loans.batch import amortize
from pennyweight.core.loans.exact import keep_books
from pennyweight.core.loans.month_sums import FIGURES, MonthSums, add_month_sums
from pennyweight.documents.shown import Shown
from pennyweight.errors import InputError, Place
from pennyweight.instruments.loans.many.loan_columns import LoanPart, OpenLoans, Reject, open_loans
from pennyweight.progress import tell
from pennyweight.quantities.argument_checks import a_mapping, a_path, a_text
from pennyweight.quantities.numbers import whole
from pennyweight.quantities.units import Style, check_currency

if TYPE_CHECKING:
    import pandas as pd

__all__ = ["LoanSums", "loan_sums"]

_SAMPLED = 200
"""So many loans are kept exactly beside, and must agree to the smallest unit."""
_MOST_TOLD = 10
_REJECTS = "row,column,value,reason"
_SUMS = ",loans,paid_out,payment,interest,principal,balance"
"""How the first lines of what is written begin and end."""


@dataclass(frozen=True, eq=False, repr=False)
class LoanSums(Shown):
    """What the loans of a file pay and owe, month by month.

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

    def amount(self, figure: str, group: int | None = None) -> Floats:
        """A figure month by month, of one group or of all; amounts in the currency.

        `figure` is one of loans, paid_out, payment, interest and balance, `group` the place of a group.

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
            values["principal"] = values["payment"] - values["interest"]
            columns |= {"loans": values["loans"].astype(np.int64)}
            columns |= {
                name: values[name].round(self.places)
                for name in ("paid_out", "payment", "interest", "principal", "balance")
            }
            found.append(pd.DataFrame(columns))
        return pd.concat(found, ignore_index=True)

    def as_dict(self) -> dict[str, Any]:
        """Plain values for JSON."""
        return {
            "format": 1,
            "file": self.title,
            "loans": self.loans,
            "rows": self.rows,
            "rejected": self.rejected,
            "sampled": self.sampled,
            "unused": list(self.unused),
            "months": self.frame.to_dict(orient="records"),
        }


def loan_sums(
    path: str | Path,
    *,
    columns: Mapping[str, str] | None = None,
    grouped: str | None = None,
    places: int = 2,
    currency: str = "",
    strict: bool = False,
    folder: str | Path | None = None,
) -> LoanSums:
    """Sum up what the loans of a file pay and owe by month: paid monthly, level, to the smallest unit.

    The file is read part by part, so that memory does not grow with it. A sample is kept in exact books beside.

    Args:
        path: a Parquet file or a CSV with the columns amount, rate (yearly, quoted: 0.045 or "4.5%"), months and, if
            there is one, start, the day of the pay-out; the first payment falls in the next month.
        columns: what the file calls them, by these names.
        grouped: a column by whose values the sums are told apart.
        places: decimals of the currency, currency: its three letters.
        strict: stop at the first row that makes no loan; else such rows are left out, told, and put into a file.
        folder: where sums.csv, sums.parquet and rejects.csv are written, and where a run that is broken off goes on.

    Raises:
        InputError: a file that cannot be read, a column that is missing, and with `strict` a bad row.

    >>> import tempfile, pathlib
    >>> with tempfile.TemporaryDirectory() as folder:
    ...     path = pathlib.Path(folder) / "loans.csv"
    ...     _ = path.write_text("amount,rate,months" + chr(10) + "1000,6%,12" + chr(10))
    ...     loan_sums(path).amount("payment").round(2).tolist()[:3]
    [0.0, 86.07, 86.07]
    """
    file = a_path(path)
    style = replace(Style("", "en"), currency=check_currency(currency, where="currency"))
    opened = open_loans(
        file,
        {
            key: a_text(value, what=f"columns {key}")
            for key, value in a_mapping(columns, what="columns", of="names").items()
        },
        None if grouped is None else a_text(grouped, what="grouped"),
        whole(places, what="places", least=0, most=6),
    )
    kept = None if folder is None else _Kept(a_path(folder), opened, strict)
    run = _Run(opened, strict) if kept is None else kept.begun()
    resumed = run.rows
    for part in opened.parts(run.parts):
        run.add(part)
        tell("rows", run.rows, None)
        if kept is not None:
            kept.keep(run)
    if not run.loans:
        said = f" All {run.rows:,} rows are bad; the first: {run.rejects[0].reason}." if run.rejects else ""
        raise InputError(f"{file.name} has no loans.{said}", at=Place.of_file(file.name))
    sampled = run.checked()
    made = LoanSums(
        file.name,
        run.loans,
        run.rows,
        opened.grouped,
        tuple(run.places_of),
        opened.dated,
        run.sums,
        opened.places,
        style,
        tuple(run.rejects[:_MOST_TOLD]),
        run.rejected,
        tuple(opened.unused),
        sampled,
        resumed,
    )
    if kept is not None:
        kept.finish(made)
    return made


@dataclass
class _Run:
    """The sums so far, and how far the file is read."""

    opened: OpenLoans
    strict: bool
    sums: MonthSums = field(default_factory=lambda: MonthSums.empty(0, 1, 1))
    parts: int = 0
    rows: int = 0
    loans: int = 0
    rejected: int = 0
    rejects: list[Reject] = field(default_factory=list)
    places_of: dict[str, int] = field(default_factory=dict)
    sample: list[tuple[float, float, float]] = field(default_factory=list)
    write: Callable[[tuple[Reject, ...]], None] = lambda rejects: None

    def add(self, part: LoanPart) -> None:
        """One more part of the file."""
        if part.rejects and self.strict:
            first = part.rejects[0]
            name = self.opened.path.name
            raise InputError(f"{name}, row {first.row}: {first.reason}.", at=Place.of_file(name))
        if part.amount.size:
            group: Ints = np.zeros(part.amount.size, np.int64)
            if part.group:
                for name in dict.fromkeys(part.group):
                    self.places_of.setdefault(name, len(self.places_of))
                group = np.array([self.places_of[name] for name in part.group], np.int64)
            if not self.loans:
                self.sums = MonthSums.empty(int(part.start.min()), 1, 1)
            self.sums = add_month_sums(
                self.sums, part.amount, part.rate, part.months, part.start, group, places=self.opened.places
            )
            draw = np.random.default_rng(self.parts)
            size = _SAMPLED if not self.parts else _SAMPLED // 4
            some = draw.choice(part.amount.size, min(size, part.amount.size), replace=False)
            self.sample += [(float(part.amount[k]), float(part.rate[k]), float(part.months[k])) for k in some]
        self.write(part.rejects)
        self.rejects += part.rejects[: max(_MOST_TOLD - len(self.rejects), 0)]
        self.rejected += len(part.rejects)
        self.loans += part.amount.size
        self.rows += part.rows
        self.parts += 1

    def checked(self) -> int:
        """Keep the books of a sample exactly, beside those that were summed up; InputError where they differ."""
        draw = np.random.default_rng(0)
        chosen = draw.choice(len(self.sample), min(_SAMPLED, len(self.sample)), replace=False).tolist()
        some = [self.sample[k] for k in chosen]
        amount, rate, months = (np.array(one) for one in zip(*some, strict=True))
        quick = amortize(amount, rate, months, places=self.opened.places)
        units = 10**self.opened.places
        for k, (lent, yearly, count) in enumerate(some):
            exact = keep_books(
                Agreement(
                    amount=round(lent * units), rate=Fraction(str(yearly)), periodic=lambda r: r / 12, count=int(count)
                )
            )
            if round(quick.total_interest[k] * units) != sum(row[1] for row in exact.rows):
                raise InputError(
                    f"A loan of {lent:.{self.opened.places}f} at {yearly * 100:.6g}% over {count:.0f} months comes to "
                    "other interest in exact books; its rate has more decimals than can be told apart here.",
                    at=Place.of_file(self.opened.path.name),
                )
        return len(some)


class _Kept:
    """What a run leaves in its folder: its state after every part, rows that make no loan, and at last the sums."""

    def __init__(self, folder: Path, opened: OpenLoans, strict: bool) -> None:
        self.folder, self.opened, self.strict = folder, opened, strict
        self.state, self.rejects = folder / "progress.npz", folder / "rejects.csv"
        told = opened.path.stat()
        self.of = json.dumps(
            [
                opened.path.name,
                told.st_size,
                told.st_mtime_ns,
                dict(opened.names),
                opened.grouped,
                opened.places,
                strict,
            ]
        )

    def begun(self) -> _Run:
        """A run from the beginning, or from where one of the same file was broken off."""
        self._refuse_others()
        self.folder.mkdir(parents=True, exist_ok=True)
        run = _Run(self.opened, self.strict)
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
                    run.sample = [(one[0], one[1], one[2]) for one in told["sample"]]
                    length = told["length"]
        with self.rejects.open("ab") as lines:
            lines.truncate(length)  # what a broken-off part has written is written again
        if not length:
            self.rejects.write_text(f"{_REJECTS}\n", encoding="utf-8")
        run.write = self._write
        return run

    def _refuse_others(self) -> None:
        """InputError where a file in the folder has a name of ours, and was not written here."""
        sums, table = self.folder / "sums.csv", self.folder / "sums.parquet"
        first = _first_line(sums)
        ours = {
            self.rejects: _first_line(self.rejects) == _REJECTS,
            sums: first.startswith("month,") and first.endswith(_SUMS),
            table: sums.exists(),  # both are written at once
        }
        for path, is_ours in ours.items():
            if path.exists() and not is_ours:
                raise InputError(
                    f"{path} is there already, and no book of loans has written it; name another folder, or move it.",
                    at=Place.of_file(path.name),
                )

    def _write(self, rejects: tuple[Reject, ...]) -> None:
        if rejects:
            with self.rejects.open("a", encoding="utf-8", newline="") as lines:
                import csv

                csv.writer(lines, lineterminator="\n").writerows(
                    (one.row, one.column, one.value, one.reason) for one in rejects
                )

    def keep(self, run: _Run) -> None:
        """Put down how far the run has come, whole or not at all."""
        told = {
            "first": run.sums.first, "parts": run.parts, "rows": run.rows, "loans": run.loans, "rejected": run.rejected,
            "rejects": [[one.row, one.column, one.value, one.reason] for one in run.rejects],
            "groups": list(run.places_of), "sample": run.sample, "length": self.rejects.stat().st_size,
        }  # fmt: skip
        beside = self.folder / "progress.new.npz"
        np.savez(beside, of=np.array(self.of), told=np.array(json.dumps(told)), table=run.sums.table)
        beside.replace(self.state)

    def finish(self, made: LoanSums) -> None:
        """Write the sums, and take away what only served to go on."""
        frame = made.frame
        frame.to_csv(self.folder / "sums.csv", index=False)
        frame.to_parquet(self.folder / "sums.parquet", index=False)
        if not made.rejected:
            self.rejects.unlink(missing_ok=True)
        self.state.unlink(missing_ok=True)


def _first_line(path: Path) -> str:
    if not path.is_file():
        return ""
    with path.open(encoding="utf-8", errors="replace") as lines:
        return lines.readline().rstrip("\n")

"""How a book of loans describes itself: what it comes to year by year, and what of the file was not read."""

from __future__ import annotations

import numpy as np

from pennyweight.core.loans.month_sums import FIGURES
from pennyweight.documents import Block, Cell, Column, Document, LinesChart, Table, Text
from pennyweight.documents.handout import Handout, sheets_of
from pennyweight.documents.model import Tone
from pennyweight.instruments.loans.many.loan_sums import EventsTold, LoanSums

__all__ = ["document", "handout"]

_FIGURES = ("paid_out", "payment", "interest", "principal", "balance")
_MOST_GROUPS = 30
_MOST_LINES = 6


def document(book: LoanSums) -> Document:
    """The years of all loans together, the groups, and what was left out."""
    blocks: list[Block] = [_years(book)]
    if book.grouped is not None:
        blocks.append(_groups(book))
    blocks += [Text(said, tone) for said, tone in _told(book)]
    total = book.style.with_unit(float(book.amount("interest").sum()), "money")
    many = f"{book.loans:,} loans bring" if book.loans > 1 else "1 loan brings"
    headline = f"{many} {total} of interest."
    return Document(f"The loans of {book.title}", tuple(blocks), "", (_chart(book),), headline)


def handout(book: LoanSums, page: Document) -> Handout:
    """The book as it is handed over: a row a month and group."""
    return Handout(
        page,
        lambda: sheets_of({"months": book.frame}, dict.fromkeys(_FIGURES, "money")),
        currency=book.style.currency,
        places=book.places,
    )


def _money(book: LoanSums, value: float) -> Cell:
    return Cell(book.style.show(value, "money", places=book.places))


def _years(book: LoanSums) -> Table:
    """Amounts of a year added up, what is owed and how many loans at its end."""
    count = book.sums.table.shape[2]
    year = (np.arange(count) + book.sums.first) // 12
    figures = {name: book.amount(name) for name in FIGURES}
    extra = book.events is not None
    rows = []
    for one in np.unique(year).tolist():
        here = np.flatnonzero(year == one)
        names = ("paid_out", "payment", "interest", "extra", "correction")
        lent, paid, interest, beside, stated = (float(figures[name][here].sum()) for name in names)
        amounts = (lent, paid, *((beside, stated) if extra else ()), interest, paid + beside - interest)
        rows.append(
            (
                Cell(str(one) if book.dated else f"year {one}"),
                *(_money(book, value) for value in amounts),
                _money(book, float(figures["balance"][here[-1]])),
                Cell(f"{int(figures['loans'][here[-1]]):,}"),
            )
        )
    unit = f", {book.style.currency}" if book.style.currency else ""
    columns = (
        Column("Year", words=True), Column(f"Paid out{unit}"), Column("Paid"),
        *((Column("Paid extra"), Column("Corrected")) if extra else ()),
        Column("Interest"), Column("Principal"), Column("Owed at its end"), Column("Loans then"),
    )  # fmt: skip
    return Table("By year", columns, tuple(rows))


def _groups(book: LoanSums) -> Table:
    """What each group comes to, the largest first."""
    lent = [float(book.amount("paid_out", place).sum()) for place in range(len(book.groups))]
    order = sorted(range(len(lent)), key=lambda place: -lent[place])
    rows = tuple(
        (
            Cell(book.groups[place]),
            _money(book, lent[place]),
            _money(book, float(book.amount("interest", place).sum())),
        )
        for place in order[:_MOST_GROUPS]
    )
    note = f"{len(order) - _MOST_GROUPS} smaller ones are in the sums." if len(order) > _MOST_GROUPS else ""
    columns = (Column(str(book.grouped), words=True), Column("Paid out"), Column("Interest until the end"))
    return Table(f"By {book.grouped}", columns, rows, note)


def _told(book: LoanSums) -> list[tuple[str, Tone]]:
    told: list[tuple[str, Tone]] = []
    if book.rejected:
        first = "; ".join(f"row {one.row}: {one.reason}" for one in book.rejects[:3])
        more = f" and {book.rejected - 3:,} more" if book.rejected > 3 else ""
        told.append((f"{book.rejected:,} of {book.rows:,} rows make no loan and are left out: {first}{more}.", "out"))
    told.append(
        (f"{book.sampled} loans were kept in exact books beside: all agree to the smallest unit.", "comparison")
        if book.sampled > 1
        else ("It was kept in exact books beside: they agree to the smallest unit.", "comparison")
    )
    if book.events is not None:
        told += _events(book, book.events)
    if book.schedule_rows is not None:
        told.append((f"{book.schedule_rows:,} rows of schedules were written.", "comparison"))
    if book.unused:
        told.append((f"Not read: the columns {', '.join(book.unused)}.", "comparison"))
    if not book.dated:
        told.append(("The file has no column 'start', so that every loan is paid out in month 0.", "comparison"))
    if book.resumed:
        told.append((f"Went on after {book.resumed:,} rows of a run that was broken off.", "comparison"))
    if book.worked_by is not None:
        told += [(said, "comparison") for said in book.worked_by.sentences]
    return told


def _events(book: LoanSums, events: EventsTold) -> list[tuple[str, Tone]]:
    """What became of the events."""
    told: list[tuple[str, Tone]] = [
        (f"{events.used:,} of {_events_in_words(events.rows)} happened to loans of the book.", "comparison")
    ]
    if events.rejected:
        first = "; ".join(f"row {one.row}: {one.reason}" for one in events.rejects[:3])
        more = f" and {events.rejected - 3:,} more" if events.rejected > 3 else ""
        told.append(
            (f"{_events_in_words(events.rejected)} left out, because they cannot happen: {first}{more}.", "out")
        )
    if events.others:
        told.append((f"{_events_in_words(events.others)} left out, because the book has no such loan.", "out"))
    if events.late:
        told.append((f"{_events_in_words(events.late)} came after the loan was paid off: nothing changes.", "out"))
    if events.left_over > 0:
        money = book.style.with_unit(events.left_over, "money")
        told.append((f"{money} paid beyond what was owed; it is not counted.", "out"))
    if events.unused:
        told.append((f"Not read: the columns {', '.join(events.unused)} of the events.", "comparison"))
    return told


def _events_in_words(count: int) -> str:
    return f"{count:,} event{'s' if count != 1 else ''}"


def _chart(book: LoanSums) -> LinesChart:
    """What is owed month by month, of the largest groups where there are any."""
    count = book.sums.table.shape[2]
    x = (np.arange(count) + book.sums.first) / 12.0
    places = range(len(book.groups)) if book.grouped is not None else []
    order = sorted(places, key=lambda place: -float(book.amount("balance", place).sum()))[:_MOST_LINES]
    lines = tuple((book.groups[place], book.amount("balance", place)) for place in order)
    most = book.style.with_unit(float(book.amount("balance").max()), "money")
    return LinesChart(
        "owed",
        f"Owed by all loans: {most} at most",
        x if book.dated else x * 12,
        lines or (("owed", book.amount("balance")),),
        "Year" if book.dated else "Month",
        f"Owed{f', {book.style.currency}' if book.style.currency else ''}",
    )

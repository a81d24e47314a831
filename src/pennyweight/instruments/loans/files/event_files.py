"""Files of events of a loan: what a lender's export says happened, under the lender's own names and words."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from pathlib import Path

import numpy as np

from pennyweight.errors import InputError, all_of, choice, nearest
from pennyweight.instruments.loans.books.events import EVENTS, Event, When, payment_number
from pennyweight.quantities.argument_checks import a_mapping, a_path
from pennyweight.reading.tables import CsvTable, read_csv, reading_of

__all__ = ["EVENT_COLUMNS", "read_events"]

EVENT_COLUMNS = ("date", "what", "amount")


def read_events(
    path: str | Path,
    *,
    shown_as: str | None = None,
    columns: Mapping[str, str] | None = None,
    words: Mapping[str, str] | None = None,
    decimal: str | None = None,
    order: str | None = None,
) -> list[Event]:
    """Read events from a table with the columns date, what, amount; `date` may be the number of a payment.

    `columns` are what the file calls these, `words` our kinds of events by its words for them; `order` of the days is
    "day-first" or "month-first". Amounts are taken without the sign with which a lender's books show them.
    """
    reading = reading_of(columns, decimal, None, order)
    meant = a_mapping(words, what="words", of="our kinds of events by their word in the file")
    for word, kind in meant.items():
        choice(kind, EVENTS, f"words[{word!r}]")
    table = read_csv(a_path(path), shown_as=shown_as, reading=reading, wanted=EVENT_COLUMNS)
    dates, what, amounts = (table.column("date"), table.column("what"), table.texts_of_amounts("amount"))
    mistakes = _gaps(table, {"date": dates, "what": what, "amount": amounts})
    if mistakes:
        raise all_of(mistakes, table.path)
    spoken = {text.casefold() for text in what}
    for word in meant:
        if word.casefold() not in spoken:
            raise InputError(f"words: no row says '{word}'{nearest(word, spoken) or '.'}", at="words")
    kinds = {word.casefold(): kind for word, kind in meant.items()}
    said = [kinds.get(text.casefold(), text.lower() if text.lower() in EVENTS else text) for text in what]
    unsigned = _without_minus(said, amounts)
    found = []
    for line, when, kind, amount in zip(table.lines, _moments(table, dates), said, unsigned, strict=True):
        try:
            found.append(Event(when, kind, amount, where=table.place(line)))
        except InputError as error:
            mistakes.append(error)
    if mistakes:
        raise all_of(mistakes, table.path)
    if unsigned != amounts:
        table.forms.append("amounts without their minus, the word says which way they go")
    table.finish()
    reading.finish(table)
    return found


def _without_minus(said: list[str], amounts: list[str]) -> list[str]:
    """Amounts without the minus of a lender's books: of balances, and of all where all of them have one."""
    money = [amount for kind, amount in zip(said, amounts, strict=True) if kind != "rate"]
    every = len(money) > 1 and all(amount.startswith(_MINUS) for amount in money)
    return [
        amount.lstrip("-−").strip() if kind == "balance" or (every and kind != "rate") else amount
        for kind, amount in zip(said, amounts, strict=True)
    ]


_MINUS = ("-", "−")


def _gaps(table: CsvTable, columns: Mapping[str, list[str]]) -> list[InputError]:
    found = []
    for k, line in enumerate(table.lines):
        for name, texts in columns.items():
            if not texts[k]:
                where = table.place(line)
                found.append(
                    InputError(
                        f"{where}: '{name}' is empty; each event has a date, what it is, and an amount.", at=where
                    )
                )
    return found


def _moments(table: CsvTable, dates: list[str]) -> list[When]:
    """Days, or numbers of payments."""
    numbers = [payment_number(text) for text in dates]
    dated = [k for k, number in enumerate(numbers) if number is None]
    if not dated:
        return list[When](dates)
    lines, columns = table.lines, table.columns
    part = replace(
        table, lines=[lines[k] for k in dated], columns=tuple([column[k] for k in dated] for column in columns)
    )
    days = dict(zip(dated, part.dates("date"), strict=True))
    return [dates[k] if k not in days else np.datetime64(days[k], "D") for k in range(len(dates))]

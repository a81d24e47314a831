"""Statement files: the rows of a CSV, in our words whatever the file calls them."""

from __future__ import annotations

import datetime as dt
from collections import Counter
from collections.abc import Mapping
from pathlib import Path

import numpy as np

from pennyweight.errors import InputError, choice, nearest
from pennyweight.plain_text import listed
from pennyweight.quantities.amounts import read_amount
from pennyweight.quantities.dates import Days, read_date
from pennyweight.quantities.given import a_list
from pennyweight.reading.csv_files import CsvTable, Reading, read_csv

__all__ = ["COLUMNS", "KINDS", "Date", "Row", "rows_of", "values_and_flows"]

Date = str | dt.date | np.datetime64
Row = tuple[Date, str, str, float]
"""Day, account, kind, amount."""
KINDS = ("value", "deposit", "withdrawal")
COLUMNS = ("date", "account", "kind", "amount", "value")


def rows_of(path: Path, reading: Reading, kinds: Mapping[str, str]) -> tuple[list[Row], list[str]]:
    """The rows of one statement file, in our words, and what was left out of it.

    A file without a column of kinds holds values when it has a column `value`, else signed amounts: deposits above
    zero, withdrawals below. Kinds that change no balance of the owner's (dividends, fees, interest) are left out.
    """
    table = read_csv(path, reading=reading).without_totals("date")
    days = table.dates("date")
    accounts = table.column("account") if table.has("account") else [path.stem] * len(days)
    if not table.has("kind"):
        return _without_kinds(table, days, accounts), []
    amounts, words = table.amounts("amount"), table.column("kind")
    rows: list[Row] = []
    others: Counter[str] = Counter()
    for line, day, account, word, amount in zip(table.lines, days, accounts, words, amounts, strict=True):
        kind = kinds.get(word, word.lower())
        if kind not in KINDS:
            hint = nearest(kind, KINDS, closeness=0.75)
            if hint or not word:
                where = table.place(line, reading.columns.get("kind", "kind"))
                said = f"is '{word}'{hint}" if word else "is empty;"
                raise InputError(f"{where} {said} It must be one of {', '.join(KINDS)}.", at=where)
            others[word] += 1
            continue
        if amount < 0 and kind != "value":
            where = table.place(line)
            raise InputError(f"{where}: a {kind} of {amount}; write it positive, its kind says which way.", at=where)
        rows.append((day, account, kind, float(amount)))
    told = [
        f"{path.name}: left out {count} {'row' if count == 1 else 'rows'} of kind '{word}', no {listed(KINDS, 'or')}."
        for word, count in others.items()
    ]
    return rows, told


def _without_kinds(table: CsvTable, days: Days, accounts: list[str]) -> list[Row]:
    if table.has("value"):
        values = table.amounts("value")
        return [
            (day, account, "value", float(value)) for day, account, value in zip(days, accounts, values, strict=True)
        ]
    amounts = table.amounts("amount")
    return [
        (day, account, "deposit" if amount > 0 else "withdrawal", abs(float(amount)))
        for day, account, amount in zip(days, accounts, amounts, strict=True)
        if amount
    ]


def values_and_flows(
    rows: object,
) -> tuple[dict[str, dict[np.datetime64, float]], list[tuple[np.datetime64, float]]]:
    """The values of each account by day, and the flows of all of them, from (date, account, kind, amount) rows."""
    values: dict[str, dict[np.datetime64, float]] = {}
    flows: list[tuple[np.datetime64, float]] = []
    for number, row in enumerate(a_list(rows, what="rows", of="(date, account, kind, amount)"), 1):
        if not isinstance(row, tuple | list) or len(row) != 4:
            raise InputError(f"Row {number} is {row!r}; it must be (date, account, kind, amount).")
        given, account, word, stated = row
        day = read_date(given, what=f"Row {number}: the date")
        kind = choice(word, KINDS, f"Row {number}: the kind")
        amount = read_amount(stated, what=f"Row {number}: the amount")
        if amount < 0 and kind != "value":
            raise InputError(f"Row {number}: a {kind} of {amount}; write it positive, the kind says which way it goes.")
        if not isinstance(account, str):
            raise InputError(f"Row {number}: the account is {account!r}; it must be a name.")
        own = values.setdefault(account, {})
        if kind == "value":
            if day in own:
                raise InputError(f"Row {number}: account '{account}' has two values on {day}.")
            own[day] = float(amount)
        else:
            flows.append((day, float(amount) if kind == "deposit" else -float(amount)))
    return values, flows

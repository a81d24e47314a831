"""Statement files: the rows of a CSV, in our words whatever the file calls them."""

from __future__ import annotations

import datetime as dt
from collections.abc import Mapping
from pathlib import Path

import numpy as np

from pennyweight.errors import InputError, choice, nearest
from pennyweight.quantities.amounts import read_amount
from pennyweight.quantities.csv_files import read_csv
from pennyweight.quantities.dates import read_date
from pennyweight.quantities.given import a_list

__all__ = ["COLUMNS", "KINDS", "Date", "rows_of", "values_and_flows"]

Date = str | dt.date | np.datetime64
KINDS = ("value", "deposit", "withdrawal")
COLUMNS = ("date", "account", "kind", "amount")


def rows_of(path: Path, columns: Mapping[str, str], kinds: Mapping[str, str]) -> list[tuple[Date, str, str, float]]:
    """The rows of one statement file, in our words."""
    table = read_csv(path)
    names = {name: columns.get(name, name) for name in COLUMNS}
    days, amounts, words = table.dates(names["date"]), table.amounts(names["amount"]), table.column(names["kind"])
    has_accounts = names["account"] in table.header or "account" in columns
    accounts = table.column(names["account"]) if has_accounts else [path.stem] * len(words)
    rows: list[tuple[Date, str, str, float]] = []
    for line, day, account, word, amount in zip(table.lines, days, accounts, words, amounts, strict=True):
        kind = kinds.get(word, word.lower())
        if kind not in KINDS:
            hint = nearest(word, KINDS) or "."
            where = table.place(line, names["kind"])
            raise InputError(f"{where} is '{word}'{hint} It must be one of {', '.join(KINDS)}.", at=where)
        if amount < 0 and kind != "value":
            where = table.place(line)
            raise InputError(f"{where}: a {kind} of {amount}; write it positive, its kind says which way.", at=where)
        rows.append((day, account, kind, float(amount)))
    return rows


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

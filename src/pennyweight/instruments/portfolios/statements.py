"""Statement files: the rows of a CSV, in our words whatever the file calls them."""

from __future__ import annotations

import datetime as dt
from collections.abc import Mapping
from pathlib import Path

import numpy as np

from pennyweight.errors import InputError, nearest
from pennyweight.quantities.csv_files import read_csv

__all__ = ["COLUMNS", "KINDS", "Date", "rows_of"]

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
            raise InputError(f"{where} is '{word}'{hint} Known are {', '.join(KINDS)}.", at=where)
        if amount < 0 and kind != "value":
            where = table.place(line)
            raise InputError(f"{where}: a {kind} of {amount}; write it positive, its kind says which way.", at=where)
        rows.append((day, account, kind, float(amount)))
    return rows

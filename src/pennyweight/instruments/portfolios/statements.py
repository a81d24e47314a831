"""Statement files: the rows of a CSV, in our words whatever the file calls them."""

from __future__ import annotations

import datetime as dt
from collections import Counter
from collections.abc import Mapping, Sequence
from pathlib import Path

import numpy as np

from pennyweight.errors import InputError, all_of, choice, nearest
from pennyweight.plain_text import listed
from pennyweight.quantities.amounts import read_amount
from pennyweight.quantities.argument_checks import a_list
from pennyweight.quantities.dates import Days, read_date
from pennyweight.reading.money_columns import read_money
from pennyweight.reading.tables import CsvTable, Reading, read_csv

__all__ = ["COLUMNS", "KINDS", "Date", "Row", "read_statements", "rows_of", "values_and_flows"]

Date = str | dt.date | np.datetime64
Row = tuple[Date, str, str, float]
"""Day, account, kind, amount."""
KINDS = ("value", "deposit", "withdrawal")
COLUMNS = ("date", "account", "kind", "amount", "value", "in", "out")


def read_statements(
    paths: Sequence[Path], reading: Reading, kinds: Mapping[str, str]
) -> tuple[list[Row], tuple[str, ...]]:
    """The rows of one file or several, in our words, and sentences on what was left out.

    `kinds` are our kinds by the files' words for them; one that no row has is refused.
    """
    for word, kind in kinds.items():
        choice(kind, KINDS, f"kinds[{word!r}]")
    if not paths:
        raise InputError("from_csv needs the name of a file, or of several.")
    found = {path: rows_of(path, reading, kinds) for path in paths}
    tables = [table for *_, table in found.values()]
    reading.finish(*tables)
    spoken = {text.casefold() for table in tables if table.has("kind") for text in table.column("kind")}
    for word in kinds:
        if word.casefold() not in spoken:
            raise InputError(f"kinds: no row is of the kind '{word}'{nearest(word, spoken) or '.'}", at="kinds")
    rows = _one_account({path: rows for path, (rows, *_) in found.items()})
    return rows, tuple(told for _, own, _ in found.values() for told in own)


def rows_of(path: Path, reading: Reading, kinds: Mapping[str, str]) -> tuple[list[Row], list[str], CsvTable]:
    """The rows of one statement file, in our words, what was left out of it, and the table.

    A file without a column of kinds holds values in a column `value`, signed amounts in `amount` (deposits above zero,
    withdrawals below), or both: then a row may have either or both. Kinds that change no balance of the owner's
    (dividends, fees, interest) are left out.
    """
    table = read_csv(path, reading=reading, wanted=COLUMNS).without_totals("date")
    days, accounts = table.gather(
        lambda: table.dates("date"),
        lambda: table.column("account") if table.has("account") else [path.stem] * len(table.lines),
    )
    rows, told = (
        _with_kinds(table, path, days, accounts, kinds)
        if table.has("kind")
        else (_without_kinds(table, days, accounts), [])
    )
    table.finish()
    return rows, told, table


def _with_kinds(
    table: CsvTable, path: Path, days: Days, accounts: list[str], kinds: Mapping[str, str]
) -> tuple[list[Row], list[str]]:
    amounts, words = table.amounts("amount"), table.column("kind")
    meant = {word.casefold(): kind for word, kind in kinds.items()}
    said = [meant.get(word.casefold(), word.lower()) for word in words]
    taken_out = [amount for amount, kind in zip(amounts, said, strict=True) if kind == "withdrawal"]
    turned = any(amount < 0 for amount in taken_out) and not any(amount > 0 for amount in taken_out)
    if turned:
        table.forms.append("negative withdrawals as money taken out")
    rows: list[Row] = []
    others: Counter[str] = Counter()
    mistakes: list[InputError] = []
    for line, day, account, word, kind, amount in zip(table.lines, days, accounts, words, said, amounts, strict=True):
        if kind not in KINDS:
            hint = nearest(kind, KINDS, closeness=0.75)
            if hint or not word:
                where = table.place(line, table.reading.columns.get("kind", "kind"))
                problem = f"is '{word}'{hint}" if word else "is empty;"
                mistakes.append(InputError(f"{where} {problem} It must be one of {', '.join(KINDS)}.", at=where))
            others[word] += 1
        elif amount < 0 and kind != "value" and not (turned and kind == "withdrawal"):
            where = table.place(line)
            more = " or write all withdrawals negative" if kind == "withdrawal" else ""
            mistakes.append(
                InputError(
                    f"{where}: a {kind} of {amount:,.2f}; write it positive, its kind says which way{more}.", at=where
                )
            )
        else:
            rows.append((day, account, kind, abs(float(amount)) if kind != "value" else float(amount)))
    if mistakes:
        raise all_of(mistakes, table.path)
    told = [
        f"{path.name}: left out {count} {'row' if count == 1 else 'rows'} of kind '{word}', no {listed(KINDS, 'or')}."
        for word, count in others.items()
    ]
    return rows, told


def _without_kinds(table: CsvTable, days: Days, accounts: list[str]) -> list[Row]:
    """Values, signed amounts, or both; an empty field says nothing where there are both."""
    moves = any(table.has(name) for name in ("amount", "in", "out"))
    valued = table.has("value")
    if valued and moves:
        return _values_beside_moves(table, days, accounts)
    amounts = table.amounts("value") if valued else read_money(table)
    return [
        row
        for day, account, amount in zip(days, accounts, amounts, strict=True)
        for row in ([(day, account, "value", float(amount))] if valued else _moved(day, account, float(amount)))
    ]


def _values_beside_moves(table: CsvTable, days: Days, accounts: list[str]) -> list[Row]:
    """Values and moves of the same rows: a value stands at the end of its day, what was moved that day in it."""
    values, amounts = table.gather(
        lambda: table.amounts("value", empty=np.nan),
        lambda: table.amounts("amount", empty=0.0) if table.has("amount") else read_money(table),
    )
    rows: list[Row] = []
    for day, account, value, amount in zip(days, accounts, values, amounts, strict=True):
        rows += _moved(day, account, float(amount))
        if not np.isnan(value):
            rows.append((day, account, "value", float(value)))
    return rows


def _moved(day: Date, account: str, amount: float) -> list[Row]:
    return [(day, account, "deposit" if amount > 0 else "withdrawal", abs(amount))] if amount else []


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


def _one_account(found: Mapping[Path, list[Row]]) -> list[Row]:
    """All rows; activity in a file of its own belongs to the one account that has values, when there is just one."""
    valued = {account for rows in found.values() for _, account, kind, _ in rows if kind == "value"}
    joined: list[Row] = []
    for path, rows in found.items():
        own = {account for _, account, _, _ in rows}
        if len(valued) == 1 and own == {path.stem} and not own & valued:
            (account,) = valued
            rows = [(day, account, kind, amount) for day, _, kind, amount in rows]
        joined += rows
    return joined

"""Statement files: the rows of a CSV, in our words whatever the file calls them."""

from __future__ import annotations

import datetime as dt
from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import replace
from pathlib import Path

import numpy as np

from pennyweight.errors import InputError, Place, all_of, choice, nearest
from pennyweight.plain_text import listed
from pennyweight.quantities.amounts import read_amount
from pennyweight.quantities.argument_checks import a_list
from pennyweight.quantities.dates import Days, read_date
from pennyweight.reading.kind_words import INSIDE, kind_of
from pennyweight.reading.money_columns import read_money
from pennyweight.reading.tables import CsvTable, Reading, read_csv

__all__ = ["COLUMNS", "KINDS", "SAID_KINDS", "Date", "Row", "read_statements", "rows_of", "values_and_flows"]

Date = str | dt.date | np.datetime64
Row = tuple[Date, str, str, float]
"""Day, account, kind, amount."""
KINDS = ("value", "deposit", "withdrawal")
SAID_KINDS = (*KINDS, INSIDE)
"""What a word of a file may be said to mean."""
COLUMNS = ("date", "account", "kind", "amount", "value", "in", "out")


def read_statements(
    paths: Sequence[Path],
    reading: Reading,
    kinds: Mapping[str, str],
    own: Mapping[str, Mapping[str, str]] | None = None,
) -> tuple[list[Row], tuple[str, ...]]:
    """The rows of one file or several, in our words, and sentences on what was left out.

    `kinds` are our kinds by the files' words for them; one that no row has is refused. `own` are the columns that were
    said for one file alone, by its name.
    """
    for word, kind in kinds.items():
        choice(kind, SAID_KINDS, f"kinds[{word!r}]")
    if not paths:
        raise InputError("from_csv needs the name of a file, or of several.")
    names = [path.name for path in paths]
    for name in own or {}:
        if name not in names:
            raise InputError(f"columns: there is no file '{name}'{nearest(name, names) or '.'}", at="columns")
    found = {path: _of_file(path, reading, kinds, (own or {}).get(path.name, {})) for path in paths}
    tables = [table for *_, table in found.values()]
    reading.finish(*tables)
    spoken = {text.casefold() for table in tables if table.has("kind") for text in table.column("kind")}
    for word in kinds:
        if word.casefold() not in spoken:
            raise InputError(f"kinds: no row is of the kind '{word}'{nearest(word, spoken) or '.'}", at="kinds")
    rows = _one_account({path: rows for path, (rows, *_) in found.items()})
    return rows, tuple(told for _, own, _ in found.values() for told in own)


def _of_file(
    path: Path, reading: Reading, kinds: Mapping[str, str], own: Mapping[str, str]
) -> tuple[list[Row], list[str], CsvTable]:
    if not own:
        return rows_of(path, reading, kinds)
    mine = replace(reading, columns={**reading.columns, **own}, found=set(), used=set())
    read = rows_of(path, mine, kinds)
    replace(mine, columns=own).finish(read[2])
    reading.found.update(mine.found - own.keys())
    reading.used.update(mine.used - own.keys())
    return read


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
    said = [meant.get(word.casefold()) or kind_of(word) or word.lower() for word in words]
    taken_out = [amount for amount, kind in zip(amounts, said, strict=True) if kind == "withdrawal"]
    turned = any(amount < 0 for amount in taken_out) and not any(amount > 0 for amount in taken_out)
    if turned:
        table.forms.append("negative withdrawals as money taken out")
    rows: list[Row] = []
    inside, others = Counter[str](), Counter[str]()
    mistakes: list[InputError] = []
    for line, day, account, word, kind, amount in zip(table.lines, days, accounts, words, said, amounts, strict=True):
        if kind == INSIDE:
            inside[word] += 1
        elif not word:
            where = table.place(line, table.head_of("kind"))
            mistakes.append(InputError(f"{where} is empty; it must be one of {', '.join(KINDS)}.", at=where))
        elif kind not in KINDS:
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
    if others:
        head = table.head_of("kind")
        shown = [f"'{word}' ({count} {'row' if count == 1 else 'rows'})" for word, count in others.items()]
        where = Place.of_file(table.path)
        first, verb = next(iter(others)), "are" if len(others) > 1 else "is"
        mistakes.append(
            InputError(
                f"{where}, column '{head}': it is not known what kind {listed(shown)} {verb}"
                f"{nearest(first.lower(), KINDS, closeness=0.75) or '.'} Say it for each: --kind deposit=WORD, --kind "
                "withdrawal=WORD, --kind value=WORD, or --kind inside=WORD for what neither comes from the owner nor "
                "goes there, such as dividends that stay in the account.",
                at=where,
            )
        )
    if mistakes:
        raise all_of(mistakes, table.path)
    told = [
        f"{path.name}: {count} {'row' if count == 1 else 'rows'} of kind '{word}' counted as a part of the return, no "
        "deposit and no withdrawal."
        for word, count in inside.items()
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

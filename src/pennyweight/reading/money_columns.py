"""Signed amounts out of columns: one of amounts, one each of money in and money out, or one that says which way."""

from __future__ import annotations

import numpy as np

from pennyweight.array_kinds import Floats
from pennyweight.errors import InputError
from pennyweight.reading.column_names import SIDES
from pennyweight.reading.tables import CsvTable

__all__ = ["read_money"]


def read_money(table: CsvTable) -> Floats:
    """Signed amounts: of a column of amounts, or what came in less what went out of two columns.

    A column of words such as debit and credit beside amounts without signs says which way they go.
    """
    if not table.has("amount") and (table.has("in") or table.has("out")):
        return _two_sided(table)
    amounts = table.amounts("amount")
    signs = _signs(table) if amounts.size and not (amounts < 0).any() else None
    return amounts if signs is None else amounts * signs


def _two_sided(table: CsvTable) -> Floats:
    none = np.zeros(len(table.lines))
    put_in, out = table.gather(
        lambda: table.amounts("in", empty=0.0) if table.has("in") else none,
        lambda: table.amounts("out", empty=0.0) if table.has("out") else none,
    )
    both = np.flatnonzero((put_in != 0) & (out != 0))
    if both.size:
        where = table.place(table.lines[both[0]])
        raise InputError(f"{where} has an amount in and one out; a row has one of them.", at=where)
    for name, side in (("in", put_in), ("out", out)):
        wrong = np.flatnonzero(side < 0)
        if not wrong.size:
            continue
        if name == "out" and not (side > 0).any():
            out = np.abs(out)
            table.forms.append(f"the negative amounts of '{table.head_of(name)}' as money out")
            continue
        where = table.place(table.lines[wrong[0]], table.head_of(name))
        raise InputError(
            f"{where} is {side[wrong[0]]:,.2f} and others are above zero; its column says which way it goes.", at=where
        )
    return np.asarray(put_in - out)


def _signs(table: CsvTable) -> Floats | None:
    """+1 and -1 by the words of a column that holds nothing but words for the two sides."""
    for head, texts in table.words_beside():
        words = {text.casefold() for text in texts}
        if words and words <= SIDES.keys() and {SIDES[word] for word in words} != {1}:
            table.use(head)
            table.forms.append(f"'{head}' says which amounts go out")
            return np.array([SIDES[text.casefold()] for text in texts], dtype=np.float64)
    return None

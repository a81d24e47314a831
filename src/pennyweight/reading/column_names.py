"""What other people's files call our columns: the words of banks, brokers and lenders, in the languages one meets."""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping, Sequence

__all__ = ["COLUMN_WORDS", "SIDES", "guessed", "plain_name", "signed_texts"]

COLUMN_WORDS: Mapping[str, tuple[str, ...]] = {
    "date": (
        "date",
        "booking date",
        "booked on",
        "posting date",
        "posted on",
        "posted",
        "transaction date",
        "txn date",
        "trade date",
        "value date",
        "valuation date",
        "as of date",
        "as of",
        "settlement date",
        "payment date",
        "due date",
        "day",
        "datum",
        "buchungstag",
        "buchungsdatum",
        "valuta",
        "wertstellung",
        "handelstag",
        "date de valeur",
        "date d operation",
        "date operation",
        "fecha",
        "fecha valor",
        "fecha operacion",
        "data",
        "data contabile",
        "data valuta",
        "boekdatum",
        "dato",
        "dag",
    ),
    "period": ("period", "periode"),
    "amount": (
        "amount",
        "net amount",
        "transaction amount",
        "cash amount",
        "sum",
        "net",
        "betrag",
        "umsatz",
        "montant",
        "importe",
        "importo",
        "bedrag",
        "belop",
        "valor",
    ),
    "out": (
        "debit",
        "debits",
        "debit amount",
        "withdrawal",
        "withdrawals",
        "paid out",
        "money out",
        "out",
        "outgoing",
        "soll",
        "ausgang",
        "ausgaben",
        "belastung",
        "lastschrift",
        "debe",
        "cargo",
        "dare",
        "uscite",
        "af",
        "uit",
    ),
    "in": (
        "credit",
        "credits",
        "credit amount",
        "deposit",
        "deposits",
        "paid in",
        "money in",
        "in",
        "incoming",
        "haben",
        "eingang",
        "einnahmen",
        "gutschrift",
        "haber",
        "abono",
        "avere",
        "entrate",
        "bij",
    ),
    "account": (
        "account",
        "account name",
        "account number",
        "konto",
        "compte",
        "cuenta",
        "conto",
        "rekening",
        "portfolio",
    ),
    "kind": (
        "kind",
        "type",
        "transaction type",
        "activity",
        "activity type",
        "action",
        "art",
        "buchungsart",
        "vorgang",
        "movement",
    ),
    "value": (
        "value",
        "market value",
        "portfolio value",
        "account value",
        "total value",
        "ending value",
        "closing value",
        "end value",
        "marktwert",
        "depotwert",
        "wert",
        "waarde",
        "valeur",
    ),
    "level": (
        "level",
        "close",
        "adjusted close",
        "adj close",
        "closing level",
        "closing price",
        "index level",
        "index value",
        "index",
        "last",
        "price",
        "schlusskurs",
        "kurs",
        "value",
    ),
    "what": ("what", "event", "kind", "type", "movement", "transaction type", "vorgang", "art"),
}
"""Our names of columns, and what files call them, the likelier first."""

SIDES: Mapping[str, int] = {
    **dict.fromkeys(("dr", "d", "debit", "out", "withdrawal", "soll", "s", "-"), -1),
    **dict.fromkeys(("cr", "c", "credit", "in", "deposit", "haben", "h", "+"), 1),
}
"""Words that say which way an amount goes."""


def plain_name(head: str) -> str:
    """A header without capitals, accents of units, underscores and brackets.

    >>> plain_name("Transaction_Date"), plain_name("Amount (EUR)"), plain_name("Sum EUR")
    ('transaction date', 'amount', 'sum')
    """
    text = re.sub(r"\([^()]*\)|\[[^][]*\]|(?<=\S)\s+[A-Z]{3}$", " ", head[:200]).casefold()
    text = text.replace("é", "e").replace("ó", "o").replace("ø", "o").replace("è", "e")
    return " ".join(re.sub(r"[\s_\-./:'’*]+", " ", text).split())


def guessed(name: str, header: Sequence[str], taken: Iterable[str] = ()) -> str | None:
    """The header that is likeliest to be a column of ours; None when none is.

    `taken` are headers that were said to be something else.

    >>> guessed("date", ["Valuta", "Buchungstag"]), guessed("amount", ["Text"])
    ('Buchungstag', None)
    """
    free = {plain_name(head): head for head in reversed(header) if head not in set(taken)}
    return next((free[word] for word in COLUMN_WORDS.get(name, ()) if word in free), None)


def signed_texts(texts: list[str], told: list[str]) -> list[str]:
    """Amounts with DR or CR behind them as signed ones; `told` is where it is said."""
    if not any(text[-2:].upper() in ("DR", "CR") for text in texts):
        return texts
    told.append("DR as out and CR as in")
    bodies = [(text[:-2].strip(), text[-2:].upper()) for text in texts]
    return [
        text if side not in ("DR", "CR") else body if side == "CR" or body.startswith("-") else f"-{body}"
        for text, (body, side) in zip(texts, bodies, strict=True)
    ]

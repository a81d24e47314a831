"""What people call the kinds of rows of a statement: a value, a deposit, a withdrawal, or what stays inside it."""

from __future__ import annotations

from collections.abc import Mapping

from pennyweight.reading.column_names import plain_name

__all__ = ["INSIDE", "KIND_WORDS", "kind_of"]

INSIDE = "inside"
"""What changes the balance and neither came from the owner nor went there: it is a part of the return."""

_WORDS: Mapping[str, str] = {
    "value": "value|values|valuation|valuations|balance|ending value|end value|closing value|market value|"
    "current value|total value|account value|portfolio value|closing balance|ending balance|nav|wert|"
    "werte|bestand|kontostand|endwert|endbestand|kurswert|depotwert|schlussbestand|valeur|valeurs|solde|"
    "solde final|valeur finale|valor|valores|saldo|saldo final|valor final|valore|valori|valore finale|"
    "saldo finale|waarde|waarden|eindwaarde|eindsaldo",
    "deposit": "deposit|deposits|contribution|contributions|inflow|inflows|paid in|payment in|payments in|"
    "transfer in|einzahlung|einzahlungen|einlage|einlagen|zufluss|zuflusse|versement|versements|depot|"
    "depots|apport|apports|deposito|depositos|aportacion|aportaciones|aporte|aportes|ingreso|ingresos|"
    "versamento|versamenti|depositi|storting|stortingen|inleg",
    "withdrawal": "withdrawal|withdrawals|withdraw|payout|payouts|outflow|outflows|paid out|payment out|payments out|"
    "transfer out|auszahlung|auszahlungen|entnahme|entnahmen|abhebung|abhebungen|abfluss|abflusse|retrait|"
    "retraits|retiro|retiros|retirada|retiradas|prelievo|prelievi|opname|opnames|onttrekking|"
    "onttrekkingen|levantamento|levantamentos|resgate|resgates",
    INSIDE: "dividend|dividends|interest|fee|fees|charge|charges|commission|commissions|dividende|dividenden|zins|"
    "zinsen|gebuhr|gebuhren|interet|interets|dividendes|frais|dividendo|dividendos|intereses|comision|"
    "comisiones|dividendi|interessi|commissioni|rente|kosten|juros",
}
KIND_WORDS: Mapping[str, str] = {word: kind for kind, words in _WORDS.items() for word in words.split("|")}
"""Our kind by each of the words, in six languages, one and many."""


def kind_of(word: str) -> str | None:
    """The kind that a word of a file means; None where it is none of ours.

    >>> kind_of("Deposits"), kind_of("Ending value"), kind_of("Auszahlung"), kind_of("Gift")
    ('deposit', 'value', 'withdrawal', None)
    """
    plain = plain_name(word)
    for letter, bare in (("ü", "u"), ("ö", "o"), ("ä", "a"), ("ê", "e"), ("ç", "c"), ("ã", "a"), ("ñ", "n")):
        plain = plain.replace(letter, bare)
    spelled = plain
    for pair in ("ae", "oe", "ue"):  # as those write who have no umlauts
        spelled = spelled.replace(pair, pair[0])
    return KIND_WORDS.get(plain) or KIND_WORDS.get(spelled)

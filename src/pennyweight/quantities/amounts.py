"""Amounts as they are written: "420_000", "1,250.00", "1.250,00", "EUR 1,250", "430k", "1.2mn", "(80)"."""

from __future__ import annotations

import re
from collections.abc import Sequence
from math import isfinite
from typing import Literal, TypeAlias

from pennyweight.errors import InputError
from pennyweight.quantities.numbers import as_float

__all__ = ["LONGEST", "Mark", "decimal_mark", "read_amount", "read_number"]

Mark: TypeAlias = Literal[".", ","]

LONGEST = 80
"""The most characters of a number's text."""

_SIGNS = "€$£¥"
_CURRENCY = re.compile(rf"^(?:[A-Z]{{3}}(?![A-Za-z0-9])|[{_SIGNS}])\s*|\s*(?:(?<![A-Za-z])[A-Z]{{3}}|[{_SIGNS}])$")
_SCALES = {"k": 3, "mn": 6, "bn": 9}
_SCALED = re.compile(r"(.*[0-9])\s*(k|mn|bn|m|b|mm|mio|million|thousand)", re.IGNORECASE)
_PLAIN = re.compile(r"(?:[0-9]+(?:_[0-9]+)*(?:\.[0-9]*)?|\.[0-9]+)(?:[eE][+-]?[0-9]{1,4})?")
# Groups of three, by comma, point, space, apostrophe or underscore, then decimals after the other mark.
_GROUPED = re.compile(
    r"[0-9]{1,3}(?:(?P<by>[,.\s'’_])[0-9]{3})(?:(?P=by)[0-9]{3})*(?:(?P<point>[.,])(?P<rest>[0-9]*))?"
)
_OTHER_GROUPS = re.compile(r"\d[\s'’_]\d{3}([.,])\d+\D*$")
_LAKHS = re.compile(r"[0-9]{1,2}(?:,[0-9]{2})+,[0-9]{3}(?:\.[0-9]*)?")
"""Groups of two above the thousands: 3,25,000.00."""
_DECIMAL_COMMA = re.compile(r"[0-9]+,[0-9]*")


def read_amount(given: object, *, what: str = "the amount", mark: Mark | None = None) -> float:
    """Read an amount of money or a count; `what` names it in the message of an error.

    Thousands may be grouped, a currency may stand before or after, `k`, `mn` and `bn` scale. Refused, with
    the reason: a lone `m`, and "1,25", in which the comma may be either, unless `mark` says which is the decimal mark.

    >>> read_amount("430k"), read_amount("EUR 1,250.50"), read_amount("1.250,50")
    (430000.0, 1250.5, 1250.5)
    """
    if not isinstance(given, str):
        number = as_float(given)
        if number is None:
            raise InputError(f"{what} is {_shown(given)}; write a number.", at=what)
        return _finite(number, str(given), what)
    return _read(given.strip(), given, what, mark, 0)


def read_number(given: object, *, what: str = "the number", mark: Mark | None = None) -> float:
    """Read a plain number, an amount, or a percentage ("25%" is 0.25).

    >>> read_number("25%"), read_number("1_000")
    (0.25, 1000.0)
    """
    if isinstance(given, str) and given.strip().endswith("%"):
        return _read(given.strip()[:-1].rstrip(), given, what, mark, -2)
    return read_amount(given, what=what, mark=mark)


def _read(text: str, given: str, what: str, mark: Mark | None, shift: int) -> float:
    """The number of a text, times ten to the power of `shift` by moving its point."""
    if len(text) > LONGEST:
        raise InputError(f"{what} has {len(text):,} characters; a number has at most {LONGEST}.", at=what)
    body = _CURRENCY.sub("", _CURRENCY.sub("", text)).strip()
    negative = False
    if body.startswith("(") and body.endswith(")"):
        negative, body = True, body[1:-1].strip()
    elif body[:1] in ("-", "+", "−"):
        negative, body = body[0] != "+", body[1:].strip()
    elif body[-1:] in ("-", "−") and body[:1].isdecimal():  # as ledgers write it
        negative, body = True, body[:-1].strip()
    body = _CURRENCY.sub("", body).strip()
    if scaled := _SCALED.fullmatch(body):
        word = scaled[2].lower()
        if word not in _SCALES:
            raise InputError(f"{what} is '{given}'; write k for thousand, mn for million or bn for billion.", at=what)
        body, shift = scaled[1].strip(), shift + _SCALES[word]
    digits = _digits(body, given, what, mark)
    mantissa, _, exponent = digits.lower().partition("e")
    value = _finite(float(f"{mantissa}e{int(exponent or 0) + shift}"), given, what)
    return -value if negative and value else value


def decimal_mark(texts: Sequence[str]) -> tuple[Mark | None, int | None, int | None]:
    """Tell the decimal mark a column of amounts is written with: (mark, a row that shows it, a row that contradicts).

    A number that shows both marks, or one mark that cannot group thousands, tells; "1.400" alone could be either.

    >>> decimal_mark(["1.400", "-1.250,50"]), decimal_mark(["1.5", "1.000,5"])
    ((',', 1, None), ('.', 0, 1))
    """
    found: Mark | None = None
    where: int | None = None
    for place, text in enumerate(texts):
        own = _mark_of(text)
        if own is None or own == found:
            continue
        if found is not None:
            return found, where, place
        found, where = own, place
    return found, where, None


def _mark_of(text: str) -> Mark | None:
    body = re.sub(r"[^0-9.,]", "", text[:LONGEST])
    point, comma = body.rfind("."), body.rfind(",")
    if point < 0 and comma < 0:
        return None
    if other := _OTHER_GROUPS.search(text[:LONGEST]):  # "1 204,50": the comma groups nothing
        return "." if other[1] == "." else ","
    if point >= 0 and comma >= 0:
        return "." if point > comma else ","
    last: Mark = "." if point >= 0 else ","
    if body.count(last) > 1:  # it groups, so the other one is the decimal mark
        return "," if last == "." else "."
    if last == ",":  # "1,25" alone may be 1.25 or 125
        return None
    head, _, tail = body.partition(last)
    return None if len(tail) == 3 and 1 <= len(head) <= 3 and head != "0" else last


def _digits(body: str, given: str, what: str, mark: Mark | None) -> str:
    if mark == "," and "." not in body and _DECIMAL_COMMA.fullmatch(body):
        return body.replace(",", ".")
    if _PLAIN.fullmatch(body) and not (mark == "," and "." in body):
        return body.replace("_", "")
    if mark != "," and _LAKHS.fullmatch(body):
        return body.replace(",", "")
    grouped = _GROUPED.fullmatch(body)
    if grouped and grouped["point"] != grouped["by"] and (mark is None or mark not in (grouped["by"], _other(grouped))):
        whole = body[: grouped.start("point")] if grouped["point"] else body
        if grouped["by"] == "." and not grouped["point"] and body.count(".") == 1 and mark is None:
            return body
        return re.sub(r"[^0-9]", "", whole) + "." + (grouped["rest"] or "0")
    if mark is not None:
        word = {".": "point", ",": "comma"}[mark]
        raise InputError(
            f"{what} is '{given}', and the column has a decimal {word}; write all numbers in the same way.", at=what
        )
    if _DECIMAL_COMMA.fullmatch(body):
        dotted = body.replace(",", ".")
        raise InputError(
            f"{what} is '{given}', which could be {dotted} or {body.replace(',', '')}; write it with a point.", at=what
        )
    raise InputError(f"{what} is '{given}', which is not a number.", at=what)


def _other(grouped: re.Match[str]) -> str | None:
    """The mark that the decimals of this number do not have, though a decimal point stands in it."""
    return None if not grouped["point"] else "," if grouped["point"] == "." else "."


def _finite(value: float, given: str, what: str) -> float:
    if not isfinite(value):
        raise InputError(f"{what} is {given}, which is not a finite number.", at=what)
    return value


def _shown(given: object) -> str:
    return "missing" if given is None or type(given).__name__ == "NAType" else repr(given)

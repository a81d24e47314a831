"""Amounts as they are written: "420_000", "1,250.00", "1.250,00", "EUR 1,250", "430k", "1.2mn", "(80)"."""

from __future__ import annotations

import re
from math import isfinite

from pennyweight.errors import InputError

__all__ = ["read_amount", "read_number"]

_SIGNS = "€$£¥"
_CURRENCY = re.compile(rf"^(?:[A-Z]{{3}}\b|[{_SIGNS}])\s*|\s*(?:\b[A-Z]{{3}}|[{_SIGNS}])$")
_SCALES = {"k": 3, "mn": 6, "bn": 9}
_SCALED = re.compile(r"(.*\d)\s*(k|mn|bn|m|b|mm|mio|million|thousand)", re.IGNORECASE)
_PLAIN = re.compile(r"(?:\d+(?:_\d+)*(?:\.\d*)?|\.\d+)(?:[eE][+-]?\d+)?")
# Groups of three, by comma, point, space, apostrophe or underscore, then decimals after the other mark.
_GROUPED = re.compile(r"\d{1,3}(?:(?P<by>[,.\s'’_  ])\d{3})(?:(?P=by)\d{3})*(?:(?P<point>[.,])(?P<rest>\d*))?")
_DECIMAL_COMMA = re.compile(r"\d+,\d*")


def read_amount(given: str | float, *, what: str = "the amount") -> float:
    """Read an amount of money or a count; `what` names it in the message of an error.

    Thousands may be grouped, a currency may stand before or after, `k`, `mn` and `bn` scale. Refused, with
    the reason: a lone `m`, and "1,25", in which the comma may be either.

    >>> read_amount("430k"), read_amount("EUR 1,250.50"), read_amount("1.250,50")
    (430000.0, 1250.5, 1250.5)
    """
    if isinstance(given, bool) or not isinstance(given, str | int | float):
        raise InputError(f"{what} is {given!r}; write a number.")
    if not isinstance(given, str):
        return _finite(float(given), str(given), what)
    text = given.strip()
    body = _CURRENCY.sub("", _CURRENCY.sub("", text)).strip()
    negative = False
    if body.startswith("(") and body.endswith(")"):
        negative, body = True, body[1:-1].strip()
    elif body[:1] in ("-", "+", "−"):
        negative, body = body[0] != "+", body[1:].strip()
    body = _CURRENCY.sub("", body).strip()
    shift = 0
    if scaled := _SCALED.fullmatch(body):
        word = scaled[2].lower()
        if word not in _SCALES:
            raise InputError(f"{what} is '{given}'; write k for thousand, mn for million or bn for billion.")
        body, shift = scaled[1].strip(), _SCALES[word]
    digits = _digits(body, given, what)
    mantissa, _, exponent = digits.lower().partition("e")
    value = _finite(float(f"{mantissa}e{int(exponent or 0) + shift}"), given, what)
    return -value if negative else value


def read_number(given: str | float, *, what: str = "the number") -> float:
    """Read a plain number, an amount, or a percentage ("25%" is 0.25).

    >>> read_number("25%"), read_number("1_000")
    (0.25, 1000.0)
    """
    if isinstance(given, str) and given.strip().endswith("%"):
        share = read_amount(given.strip()[:-1], what=what)
        return float(f"{share!r}e-2") if "e" not in repr(share) else share / 100
    return read_amount(given, what=what)


def _digits(body: str, given: str, what: str) -> str:
    if _PLAIN.fullmatch(body):
        return body.replace("_", "")
    grouped = _GROUPED.fullmatch(body)
    if grouped and grouped["point"] != grouped["by"]:
        whole = body[: grouped.start("point")] if grouped["point"] else body
        if grouped["by"] == "." and not grouped["point"] and body.count(".") == 1:
            return body
        return re.sub(r"\D", "", whole) + "." + (grouped["rest"] or "0")
    if _DECIMAL_COMMA.fullmatch(body):
        dotted = body.replace(",", ".")
        raise InputError(
            f"{what} is '{given}', which may be {dotted} or {body.replace(',', '')}; write it with a point."
        )
    raise InputError(f"{what} is '{given}', which is no number.")


def _finite(value: float, given: str, what: str) -> float:
    if not isfinite(value):
        raise InputError(f"{what} is {given}, which is not a finite number.")
    return value

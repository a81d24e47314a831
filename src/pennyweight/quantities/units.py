"""The units a figure can have: how it is read, how it is shown, how near is near enough."""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass
from decimal import ROUND_HALF_UP, Decimal, localcontext
from functools import lru_cache
from math import ceil, isfinite

import numpy as np

from pennyweight.core.rate_forms import nominal_rate
from pennyweight.errors import InputError, nearest
from pennyweight.quantities.amounts import read_amount, read_number
from pennyweight.quantities.dates import read_date
from pennyweight.quantities.periods import word_for
from pennyweight.quantities.rates import read_rate

__all__ = ["UNITS", "Style", "check_currency", "check_locale", "check_unit", "read_value", "refuse_bare_percent"]

_MOST = 1e300  # four times as much is still a number

UNITS: dict[str, str] = {
    "money": "an amount in the deal's currency",
    "rate": "a yearly rate, effective",
    "share": "a part of a whole, in percent",
    "years": "a span in years",
    "period": "a period of the timeline",
    "number": "a plain number",
    "count": "a number of things",
    "condition": "true or false",
    "date": "a day",
}
"""The units Pennyweight knows; any other word is shown behind the number as it is."""


def check_unit(unit: str, *, where: str) -> str:
    """Return the unit, unless it looks like one of the known ones misspelt."""
    meant = _MISTAKEN.get(unit.strip().lower(), "money" if unit.strip().upper() in _currencies() else "")
    if meant:
        raise InputError(f"{where}: '{unit}' is no unit; write unit = \"{meant}\", {UNITS[meant]}.", at=where)
    if unit == "choice":
        raise InputError(f"{where}: '{unit}' is not for values that are typed; leave the unit out.", at=where)
    alike = [known for known in UNITS if known[0] == unit[:1].lower()]  # users are not years, nor are crates a rate
    if unit not in UNITS and (hint := nearest(unit, alike, closeness=0.75)):
        raise InputError(
            f"{where}: the unit '{unit}' is not known{hint} It must be one of {', '.join(UNITS)}.", at=where
        )
    if not unit or len(unit) > 20:
        raise InputError(f"{where}: a unit is one short word, such as money, rate, share or years.", at=where)
    return unit


_MISTAKEN = {
    "%": "share",
    "percent": "share",
    "percentage": "share",
    "pct": "share",
    "€": "money",
    "$": "money",
    "£": "money",
    "amount": "money",
    "currency": "money",
    "interest": "rate",
    "% a year": "rate",
    "p.a.": "rate",
    "a year": "rate",
    "year": "years",
    "integer": "number",
    "number of things": "count",
    "day": "date",
}
"""Words people write for a unit, and the one they mean."""


def check_currency(code: object, *, where: str = "currency") -> str:
    """Return the three letters of a currency that there is; InputError otherwise. None at all is fine.

    >>> check_currency("EUR")
    'EUR'
    """
    if isinstance(code, str) and not code:
        return ""
    if not (isinstance(code, str) and len(code) == 3 and code.isascii() and code.isalpha() and code.isupper()):
        shown = f"'{code}'" if isinstance(code, str) else repr(code)
        raise InputError(f"{where} is {shown}; write its three letters, such as EUR.", at=where)
    if code not in _currencies():
        raise InputError(
            f"{where} is '{code}', and there is no such currency{nearest(code, _currencies()) or '.'}", at=where
        )
    return code


def one_currency(codes: Mapping[str, str], *, at: str) -> None:
    """Refuse amounts that are to be compared or added, and are not in one currency; none at all goes with any.

    `codes` are the currencies by the name of what is in them, `at` is the parameter they come from.

    >>> one_currency({"the loan": "EUR", "the offer 'agency'": ""}, at="offers")
    """
    named: dict[str, str] = {}
    for name, code in codes.items():
        if check_currency(code):
            named.setdefault(code, name)
    if len(named) > 1:
        said = " and ".join(f"{name} is in {code}" for code, name in named.items())
        raise InputError(f"{said[0].upper()}{said[1:]}; write amounts that belong together in one currency.", at=at)


def check_locale(locale: object, *, where: str = "locale") -> str:
    """Return a locale as it is kept ("de_DE"); InputError when nobody knows it.

    >>> check_locale("de-DE")
    'de_DE'
    """
    if isinstance(locale, str) and locale == "en":
        return "en"
    known = _known_locale(locale) if isinstance(locale, str) and len(locale) <= 20 else None
    if known is None:
        shown = f"'{locale}'" if isinstance(locale, str) else repr(locale)
        raise InputError(f"{where} is {shown}, which is not known; write one such as en or de_DE.", at=where)
    return known


def read_value(given: object, unit: str, *, what: str) -> float:
    """Read a value of a unit: a rate by the rules of rates, all else as an amount or a percentage.

    >>> read_value("9%", "rate", what="hurdle"), read_value("430k", "money", what="hull")
    (0.09, 430000.0)
    """
    value = _value(given, unit, what)
    if abs(value) > _MOST:
        raise InputError(f"{what} is {given}; numbers go up to {_MOST:g}.", at=what)
    return value


def refuse_bare_percent(given: object, value: float, *, what: str, most: float = 1.0) -> None:
    """Refuse a share typed as 5 for 5%: a bare number above `most` that carries no percent sign.

    >>> refuse_bare_percent("5%", 0.05, what="vacancy")
    >>> refuse_bare_percent(5, 5.0, what="vacancy")
    Traceback (most recent call last):
    pennyweight.errors.InputError: vacancy: 5 is 500%; write "5%", or "500%" when that is meant.
    """
    if abs(value) > most and "%" not in str(given):
        raise InputError(
            f'{what}: {given} is {value * 100:,.10g}%; write "{given}%", or "{value * 100:.10g}%" when that is meant.',
            at=what,
        )


def _value(given: object, unit: str, what: str) -> float:
    if unit == "rate":
        return read_rate(given, what=what).effective()
    if unit == "money":
        return read_amount(given, what=what)
    if unit == "date":
        return float(read_date(given, what=what).astype(np.int64))
    if unit in ("years", "period") and isinstance(given, str):
        words = given.split()
        if len(words) == 2 and words[1] in ("year", "years", "month", "months"):
            span = read_amount(words[0], what=what)
            return span / 12 if words[1].startswith("month") else span
    return read_number(given, what=what)


@dataclass(frozen=True, slots=True)
class Style:
    """How figures are shown: the currency and the locale, which come from the deal, never the machine.

    >>> Style("EUR").show(1234.5, "money"), Style("EUR").show(0.0925, "rate")
    ('1,234.50', '9.25%')
    """

    currency: str = ""
    locale: str = "en"

    def __post_init__(self) -> None:
        check_currency(self.currency)
        object.__setattr__(self, "locale", check_locale(self.locale))

    @property
    def places(self) -> int:
        """Decimal places of the currency."""
        return _currency_places(self.currency)

    @property
    def mark(self) -> str:
        """The decimal mark.

        >>> Style().mark, Style(locale="de").mark
        ('.', ',')
        """
        return self.show(0.5, "number", places=1).strip("05")

    def tolerance(self, unit: str) -> float:
        """How far a figure may miss a goal and still meet it: one smallest unit of money, else 1e-9."""
        return 10.0**-self.places if unit == "money" else 1e-9

    def show(self, value: float | None, unit: str, *, places: int | None = None, sign: bool = False) -> str:
        """Show a figure without its unit's name (rates and shares keep their percent sign)."""
        if value is None or not isfinite(value):
            return "undefined"
        if unit == "condition":
            return "yes" if value else "no"
        if unit == "date":
            return str(np.datetime64(int(value), "D")) if value == round(value) and abs(value) < 3e6 else "undefined"
        if unit in ("rate", "share"):
            return self._decimal(value * 100, 2 if places is None else places, sign) + "%"
        if places is None:
            places = self._places_of(value, unit)
        return self._decimal(value, places, sign)

    def headed(self, title: str, unit: str) -> str:
        """A heading with the unit of the figures below it: "Price, EUR"; rates and shares carry their own sign."""
        own = "" if unit in UNITS or unit == "choice" else unit
        suffix = {"money": self.currency, "years": "years", "period": "period"}.get(unit, own)
        return title if not suffix or suffix in re.findall(r"\w+", title.lower()) else f"{title}, {suffix}"

    def within(self, gap: float) -> str:
        """A gap in money rounded up, no smaller than the smallest unit.

        >>> Style("EUR").within(1.2e-10), Style("EUR").within(0.011)
        ('EUR 0.01', 'EUR 0.02')
        """
        unit = 10.0**-self.places
        return self.with_unit(max(ceil(gap / unit), 1) * unit if isfinite(gap) else gap, "money")

    def with_unit(self, value: float | None, unit: str, *, places: int | None = None, sign: bool = False) -> str:
        """Show a figure with its unit: "EUR 1,234.50", "9.25% a year", "7.25 years"."""
        shown = self.show(value, unit, places=places, sign=sign)
        if value is None or not isfinite(value):
            return shown
        if unit == "money":
            return f"{self.currency} {shown}".strip()
        if unit == "rate":
            return f"{shown} a year"
        if unit == "years":
            return f"{shown} years" if float(value) != 1 else f"{shown} year"
        if unit == "period":
            return f"period {shown}"
        return shown if unit in UNITS else f"{shown} {unit}"

    def rate_in_both_forms(self, effective: float, per_year: float) -> str:
        """ "4.28% a year effective (4.20% monthly)"; once, where both are the same."""
        shown = f"{self.show(effective, 'rate')} a year, effective"
        if per_year == 1:
            return shown
        quoted = float(nominal_rate(effective, per_year))
        return f"{self.show(quoted, 'rate')} a year, {word_for(per_year)} ({self.show(effective, 'rate')} effective)"

    def _places_of(self, value: float, unit: str) -> int:
        if unit == "money":
            return self.places
        if unit == "years":
            return 0 if float(value).is_integer() and abs(value) < 1e15 else 2
        if unit == "period" or (float(value).is_integer() and abs(value) < 1e15):
            return 0
        return 2 if unit == "count" or abs(value) >= 100 else 4

    def _decimal(self, value: float, places: int, sign: bool) -> str:
        if abs(value) > _EVERY_DIGIT:  # a double has no more than sixteen digits to show
            places = max(min(places, 15 - len(f"{abs(value):.0f}")), 0)
        rounded = _rounded(abs(value), places)
        text = _pattern_free(rounded, places, self.locale)
        if not rounded:  # -0.00 is never shown
            return text
        if value < 0:
            return "-" + text
        return "+" + text if sign else text


_EVERY_DIGIT = 9e13


def _rounded(value: float, places: int) -> Decimal:
    """Half away from zero, as amounts are rounded on paper, of the shortest decimal that stands for the double.

    A hair, far below the last place, lets a half go up that sums of doubles have left just below it.
    """
    exact = Decimal(value) if value > _EVERY_DIGIT else Decimal(repr(float(value)))
    hair = min(2e-14 * value, 10.0 ** -(places + 6))
    with localcontext() as context:
        context.prec = 400
        return (exact + Decimal(hair)).quantize(Decimal(1).scaleb(-places), rounding=ROUND_HALF_UP)


@lru_cache(maxsize=1)
def _currencies() -> frozenset[str]:
    from babel.numbers import list_currencies

    return frozenset(list_currencies())


@lru_cache(maxsize=64)
def _known_locale(locale: str) -> str | None:
    from babel import Locale, UnknownLocaleError

    plain = locale.replace("-", "_")
    if not re.fullmatch(r"[a-z]{2,3}(_[A-Za-z]{2,4})?", plain):
        return None
    try:
        Locale.parse(plain)
    except (UnknownLocaleError, ValueError):
        return None
    return plain


@lru_cache(maxsize=64)
def _currency_places(currency: str) -> int:
    if not currency:
        return 2
    from babel.numbers import get_currency_precision

    return get_currency_precision(currency)


@lru_cache(maxsize=8)
def _marks(locale: str) -> tuple[str, str]:
    """(decimal point, thousands mark) of a locale."""
    from babel.numbers import get_decimal_symbol, get_group_symbol

    return get_decimal_symbol(locale), get_group_symbol(locale)


def _pattern_free(value: Decimal, places: int, locale: str) -> str:
    text = f"{value:,.{places}f}" if value < 10**21 else f"{value:.6e}"
    if locale.startswith("en"):
        return text
    point, group = _marks(locale)
    return text.translate({ord(","): group, ord("."): point})

"""Rates as they are written: "5%", "0.05", "500bp", "4 7/8%", "6% monthly", "6% continuous"."""

from __future__ import annotations

import re
from dataclasses import dataclass
from math import expm1, inf, isfinite, log1p
from typing import Any, Self

from pennyweight.core import rate_forms as core
from pennyweight.errors import InputError, nearest
from pennyweight.quantities.amounts import LONGEST
from pennyweight.quantities.numbers import as_float
from pennyweight.quantities.periods import FREQUENCIES

__all__ = ["KnownRate", "Rate", "known_rate", "read_rate"]

_NUMBER = r"[+-]?(?:[0-9][0-9_]*\.?[0-9]*|\.[0-9]+)(?:[eE][+-]?[0-9]{1,4})?"
_RATE = re.compile(
    rf"(?P<number>{_NUMBER})(?:\s+(?P<top>[0-9]{{1,6}})\s*/\s*(?P<bottom>[0-9]{{1,6}}))?\s*(?P<mark>%|bp)?"
    r"(?:\s+(?P<word>[a-z-]+))?",
    re.IGNORECASE,
)


class KnownRate(float):
    """A rate that came out of a result: a float like any other, but read as the rate it is when it is 100 % or more.

    Notes
    -----
    A bare number of 1 or more is refused where a rate belongs, because 5 may stand for 5 %; this one cannot. It also
    keeps how it compounds, when that was said ("4% half-yearly").

    Examples
    --------
    >>> read_rate(KnownRate(1.5)).value
    1.5
    """

    compounding: float | None

    def __new__(cls, value: float, compounding: float | None = None) -> Self:
        """A rate as a fraction a year."""
        rate = super().__new__(cls, value)
        rate.compounding = compounding
        return rate

    def __reduce__(self) -> tuple[Any, ...]:
        return type(self), (float(self), self.compounding)


@dataclass(frozen=True, slots=True)
class Rate:
    """A yearly rate as a fraction, and how it is meant.

    `compounding` is how often a year a quoted rate compounds (inf: continuously), 0 for an effective
    rate, None when the writer did not say.
    """

    value: float
    compounding: float | None = None

    def per_period(self, per_year: float, *, bare_compounds: float = 0.0) -> float:
        """The rate of one of `per_year` periods; a bare rate is effective, or compounds `bare_compounds` times."""
        compounding = bare_compounds if self.compounding is None else self.compounding
        if compounding == per_year:
            return self.value / per_year
        if compounding == inf:
            return expm1(self.value / per_year) if self.value / per_year < _LARGEST_LOG else inf
        if compounding:  # by logarithms: the yearly growth of a rate of thousands of percent may be beyond a double
            if self.value <= -compounding:
                return -1.0
            growth = log1p(self.value / compounding) * compounding / per_year
            return expm1(growth) if growth < _LARGEST_LOG else inf
        return float(core.per_period(self.value, per_year))

    def effective(self) -> float:
        """The effective yearly rate; a rate that does not say how it is meant is taken as effective."""
        if not self.compounding:
            return KnownRate(self.value)
        if self.compounding == inf and self.value >= _LARGEST_LOG:
            return inf
        return KnownRate(float(core.effective_rate(self.value, self.compounding)))


def known_rate(given: object, *, what: str = "rate") -> KnownRate:
    """Read a yearly rate and keep it as a number that says how it compounds.

    >>> known_rate("4% half-yearly") / 2, known_rate("4% half-yearly").compounding
    (0.02, 2)
    """
    rate = read_rate(given, what=what)
    return KnownRate(rate.value, rate.compounding)


def read_rate(given: object, *, what: str = "rate") -> Rate:
    """Read a yearly rate; `what` names it in the message of an error.

    Raises InputError for text that is no rate, for a bare number of 1 or more (5 is 500 %) and for a rate
    of -100 % or less. What has been read, or came out of a result, is taken as it is.

    >>> read_rate("4 7/8%").value, round(read_rate("6% monthly").effective(), 6)
    (0.04875, 0.061678)
    """
    if isinstance(given, str):
        rate = _read_text(given, what)
    elif isinstance(given, Rate):
        return given
    else:
        number = as_float(given)
        if number is None:
            raise InputError(f"{what} is {given!r}; write a rate such as '5%' or 0.05.", at=what)
        known = isinstance(given, KnownRate)
        value = _checked(number, bare=not known, what=what, shown=f"{number:g}")
        return Rate(value, given.compounding if isinstance(given, KnownRate) else None)
    if rate.compounding and not isfinite(rate.effective()):
        raise InputError(f"{what} is '{given}', which comes to more in a year than a number can hold.", at=what)
    return rate


def _read_text(text: str, what: str) -> Rate:
    match = _RATE.fullmatch(text.strip()) if len(text) <= LONGEST else None
    if not match:
        raise InputError(f"{what} is '{text}', which is not a rate; write it as '5%', '0.05' or '500bp'.", at=what)
    digits = match["number"].replace("_", "")
    mark = (match["mark"] or "").lower()
    number = float(digits)
    if match["top"]:
        if not mark or "." in digits or int(match["bottom"]) == 0:
            raise InputError(f"{what} is '{text}', which is not a rate; write it as '4 7/8%'.", at=what)
        share = int(match["top"]) / int(match["bottom"])
        number += -share if digits.startswith("-") else share
    # Percent by moving the point in the text, so that 4.6 % is the float nearest to 0.046.
    shift = {"%": -2, "bp": -4, "": 0}[mark]
    if not match["top"] and shift and "e" not in digits.lower():
        value = float(f"{digits}e{shift}")
    else:
        value = number / 10.0**-shift
    value = _checked(value, bare=not mark, what=what, shown=digits)
    return Rate(value, _compounding(match["word"], text, what, value))


def _compounding(word: str | None, text: str, what: str, value: float) -> float | None:
    if word is None:
        return None
    known = word.lower()
    if known == "effective":
        return 0.0
    if known not in FREQUENCIES:
        hint = nearest(known, [*FREQUENCIES, "effective"])
        raise InputError(
            f"{what} is '{text}', and '{word}' is not a way to compound{hint or '.'} "
            f"It must be one of effective, {', '.join(FREQUENCIES)}.",
            at=what,
        )
    compounding = FREQUENCIES[known]
    if value <= -compounding:
        raise InputError(f"{what} is '{text}', which loses everything within one period.", at=what)
    return compounding


_LARGEST_LOG = 709.0
_MOST = 1e100


def _checked(value: float, *, bare: bool, what: str, shown: str) -> float:
    if not abs(value) <= _MOST:
        size = "too large a rate" if isfinite(value) else "not a finite number"
        raise InputError(f"{what} is {shown}, which is {size}; write a rate such as '5%'.", at=what)
    if bare and abs(value) >= 1:
        hint = f"; write {shown}%" if abs(value) < 1000 else ""
        raise InputError(f"{what}: {shown} is {value * 100:g}% a year{hint}.", at=what)
    if value <= -1:
        raise InputError(f"{what} is {value:.2%}; a rate must be above -100%.", at=what)
    return value

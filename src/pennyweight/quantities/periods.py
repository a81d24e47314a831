"""How often a year, in words: the one table of periods and of ways to compound."""

from __future__ import annotations

from math import inf

from pennyweight.errors import InputError, nearest
from pennyweight.quantities.numbers import as_float, is_whole_text

__all__ = ["FREQUENCIES", "PER_YEAR", "read_compounding", "read_per_year", "word_for"]

FREQUENCIES: dict[str, float] = {
    "yearly": 1,
    "half-yearly": 2,
    "quarterly": 4,
    "monthly": 12,
    "twice-monthly": 24,
    "fortnightly": 26,
    "weekly": 52,
    "daily": 365,
    "continuous": inf,
}
"""How often a quoted rate compounds, by the word an analyst writes."""

PER_YEAR: dict[str, int] = {
    "year": 1,
    "half-year": 2,
    "quarter": 4,
    "month": 12,
    "half-month": 24,
    "fortnight": 26,
    "week": 52,
    "day": 365,
}
"""How many of each period a year has."""


def word_for(per_year: float) -> str:
    """The word for a frequency: 12 is "monthly"; a number that has none is "7 times a year".

    >>> word_for(12), word_for(7)
    ('monthly', '7 times a year')
    """
    words = {times: word for word, times in FREQUENCIES.items()}
    return words.get(per_year, f"{per_year:g} times a year")


def read_per_year(given: object, *, what: str = "per_year") -> int:
    """Read how often a year: 1 to 365, or a word such as "month" or "monthly".

    >>> read_per_year("month"), read_per_year(4)
    (12, 4)
    """
    if isinstance(given, str) and not is_whole_text(given):
        times = PER_YEAR.get(given) or FREQUENCIES.get(given)
        if times is None or times == inf:
            raise InputError(
                f"{what} is '{given}'{nearest(given, PER_YEAR) or '.'} It must be one of {', '.join(PER_YEAR)}.",
                at=what,
            )
        return int(times)
    number = as_float(int(given) if isinstance(given, str) and len(given) < 10 else given)
    if number is None or not 1 <= number <= 365 or number != round(number):
        shown = given if isinstance(given, str) else repr(given)
        raise InputError(f"{what} is {shown}; write a whole number from 1 to 365, or a word such as month.", at=what)
    return int(number)


def read_compounding(given: object, *, what: str = "compounding") -> float:
    """Read how often a rate compounds: as `read_per_year`, or "continuous" (inf).

    >>> read_compounding("half-yearly"), read_compounding("continuous")
    (2.0, inf)
    """
    if isinstance(given, str) and given == "continuous":
        return inf
    if isinstance(given, str) and not is_whole_text(given) and given not in PER_YEAR and given not in FREQUENCIES:
        hint = nearest(given, [*FREQUENCIES, *PER_YEAR]) or "."
        raise InputError(f"{what} is '{given}'{hint} It must be one of {', '.join(FREQUENCIES)}.", at=what)
    return float(read_per_year(given, what=what))

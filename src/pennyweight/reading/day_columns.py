"""A column of days as files write them: year first, day first, month first, written out, with a time behind."""

from __future__ import annotations

import datetime as dt
import re
from collections.abc import Sequence
from dataclasses import dataclass, field
from functools import cache
from typing import Literal, TypeAlias

import numpy as np

from pennyweight.core.dates import Days
from pennyweight.errors import InputError, choice
from pennyweight.quantities.dates import read_dates

__all__ = ["ORDERS", "DayColumn", "DayOrder", "looks_like_day", "read_day_column", "read_day_order"]

DayOrder: TypeAlias = Literal["day-first", "month-first"]
ORDERS: tuple[DayOrder, ...] = ("day-first", "month-first")

_TIME = re.compile(
    r"[T,\s]+\d{1,2}[:.]\d{2}(?:[:.]\d{2}(?:[.,]\d+)?)?\s*(?:[ap]\.?m\.?)?\s*(?:Z|[A-Z]{3,4}|[+-]\d{2}:?\d{2})?",
    re.IGNORECASE,
)
_WEEKDAY = re.compile(r"[^\W\d_]{2,10}\.?,?\s+(?=\d)")
_NUMBERS = re.compile(r"(\d{1,4})\s*([./-])\s*(\d{1,2})\s*\2\s*(\d{1,4})\.?")
_SOLID = re.compile(r"(\d{4})(\d{2})(\d{2})")
_DAY_NAMED = re.compile(
    r"(\d{1,2})(?:st|nd|rd|th|er|\.|º)?[\s./-]*(?:de\s+)?([^\W\d_]{3,10})\.?[\s.,/-]*(?:de\s+)?(\d{4}|\d{2})",
    re.IGNORECASE,
)
_NAMED_DAY = re.compile(r"([^\W\d_]{3,10})\.?[\s.-]*(\d{1,2})(?:st|nd|rd|th)?[\s.,-]+(\d{4}|\d{2})", re.IGNORECASE)
_YEAR_NAMED = re.compile(r"(\d{4})[\s./-]*([^\W\d_]{3,10})\.?[\s./-]*(\d{1,2})")


@dataclass(frozen=True, slots=True)
class DayColumn:
    """Days that were read, (n,), NaT where a text is none; how they were written; and what is wrong, by place."""

    days: Days
    told: tuple[str, ...] = ()
    wrong: dict[int, str] = field(default_factory=dict)
    ordered: bool = False
    """Whether day first or month first made a difference to how they are read."""
    unclear: int | None = None
    """A text that may have the day or the month first, when no other one tells."""


def read_day_order(given: object, *, what: str = "dates") -> DayOrder | None:
    """Return a word for the order of days, or None.

    >>> read_day_order("day-first"), read_day_order(None)
    ('day-first', None)
    """
    return None if given is None else choice(given, ORDERS, what)


def looks_like_day(text: str) -> bool:
    """Whether a text is written as a day, whether or not there is such a day.

    >>> looks_like_day("31/02/2027"), looks_like_day("Balance on 31/03/2027")
    (True, False)
    """
    body = _bare(text)[0]
    return any(form.fullmatch(body) for form in (_NUMBERS, _SOLID)) or (
        any(form.fullmatch(body) for form in (_DAY_NAMED, _NAMED_DAY, _YEAR_NAMED)) and bool(_month(body))
    )


def read_day_column(texts: Sequence[str], order: DayOrder | None) -> DayColumn:
    """Read a column of days. Day first or month first is settled by the whole column.

    Days with points between are day first.

    >>> read_day_column(["13/01/2027", "03/02/2027"], None).days.astype(str).tolist()
    ['2027-01-13', '2027-02-03']
    """
    try:
        return DayColumn(read_dates(list(texts)))
    except InputError:
        pass
    unique = dict.fromkeys(texts)
    forms = {text: _Written.of(text) for text in unique}
    used, told = order, []
    undecided = [text for text, form in forms.items() if form.either is not None]
    if undecided:
        right = {way: [text for text in undecided if forms[text].day(way) is not None] for way in ORDERS}
        if used is None:
            used = _settled(undecided, forms, right)
        if used is None:
            text = next(text for text in undecided if forms[text].day("day-first") != forms[text].day("month-first"))
            return DayColumn(np.empty(0, "datetime64[D]"), unclear=list(texts).index(text))
        told.append(f"dates with the {used.removesuffix('-first')} first")
    if any(form.timed for form in forms.values()):
        told.append("without the times behind the dates")
    found = {text: form.day(used) for text, form in forms.items()}
    lost = {text for text, day in found.items() if day is None}
    wrong = {k: forms[text].complaint(text, used) for k, text in enumerate(texts) if text in lost} if lost else {}
    days = {text: np.datetime64("NaT") if day is None else np.datetime64(day, "D") for text, day in found.items()}
    found_days = np.array([days[text] for text in texts], dtype="datetime64[D]")
    return DayColumn(found_days, tuple(told), wrong, ordered=bool(undecided))


def _settled(undecided: list[str], forms: dict[str, _Written], right: dict[DayOrder, list[str]]) -> DayOrder | None:
    """The order that the column itself tells; None when it may be either."""
    first, second = (len(right[way]) for way in ORDERS)
    if first != second:
        return ORDERS[0] if first > second else ORDERS[1]
    if all(forms[text].mark == "." for text in undecided):
        return "day-first"
    same = all(forms[text].day("day-first") == forms[text].day("month-first") for text in undecided)
    return "day-first" if same else None


@dataclass(frozen=True, slots=True)
class _Written:
    """How one day is written: `fixed` when it can be one day alone, `either` (first, second, year) when two."""

    fixed: tuple[int, int, int] | None = None
    either: tuple[int, int, int] | None = None
    mark: str = ""
    timed: bool = False

    @classmethod
    def of(cls, text: str) -> _Written:
        body, timed = _bare(text)
        if match := _NUMBERS.fullmatch(body):
            first, mark, second, third = match[1], match[2], match[3], match[4]
            if len(first) == 4:
                return cls((int(first), int(second), int(third)), timed=timed) if len(third) <= 2 else cls()
            if len(first) == 3 or len(third) not in (2, 4) or (len(third) == 2 and mark == "-"):
                return cls()  # 26-01-31 may begin with its year
            return cls(None, (int(first), int(second), _year(third)), mark, timed)
        if match := _SOLID.fullmatch(body):
            return cls((int(match[1]), int(match[2]), int(match[3])), timed=timed)
        for form, (year, month, day) in ((_DAY_NAMED, (3, 2, 1)), (_NAMED_DAY, (3, 1, 2)), (_YEAR_NAMED, (1, 2, 3))):
            if (match := form.fullmatch(body)) and (number := _months().get(match[month].casefold())):
                return cls((_year(match[year]), number, int(match[day])), timed=timed)
        return cls()

    def day(self, order: DayOrder | None) -> dt.date | None:
        if self.either is not None:
            first, second, year = self.either
            parts = (year, second, first) if order == "day-first" else (year, first, second)
        elif self.fixed is not None:
            parts = self.fixed
        else:
            return None
        try:
            return dt.date(*parts)
        except ValueError:
            return None

    def complaint(self, text: str, order: DayOrder | None) -> str:
        if not text:
            return "is empty; each row needs its day."
        if self.either is not None and order is not None:
            other = ORDERS[1 - ORDERS.index(order)]
            turned = self.day(other) is not None
            first = order.removesuffix("-first")
            return f"is '{text}', a day that does not exist with the {first} first" + (
                f"; other rows have the {first} first." if turned else "."
            )
        if self.fixed is not None:
            return f"is '{text}', a day that does not exist."
        return f"is '{text}', which is no day; write dates as 2027-02-01 (year, month, day)."


def _bare(text: str) -> tuple[str, bool]:
    """A text without the time behind its day and the weekday before it, and whether there was a time."""
    body = text.strip()[:60]
    timed = False
    if match := re.search(rf"{_TIME.pattern}$", body, re.IGNORECASE):
        body, timed = body[: match.start()].strip(), match.start() > 0
    word = match[0].strip(" .,").casefold() if (match := _WEEKDAY.match(body)) else ""
    if match and word in _weekdays() and word not in _months():
        body = body[match.end() :]
    return body, timed


def _year(text: str) -> int:
    """A year; two digits mean 1970 to 2069."""
    number = int(text)
    return number if len(text) == 4 else 2000 + number if number < 70 else 1900 + number


def _month(text: str) -> int | None:
    return next((_months()[word] for word in re.findall(r"[^\W\d_]+", text.casefold()) if word in _months()), None)


_LOCALES = ("en", "de", "fr", "es", "it", "nl", "pt", "sv", "da", "nb", "pl", "fi")


@cache
def _months() -> dict[str, int]:
    """The months by their names and short names, in the languages one meets."""
    from babel.dates import get_month_names

    found: dict[str, int] = {}
    unclear = set()
    for locale in _LOCALES:
        for width in ("wide", "abbreviated"):
            for context in ("format", "stand-alone"):
                for number, name in get_month_names(width, context, locale).items():
                    word = name.casefold().strip(". ")
                    if found.setdefault(word, number) != number and locale != "en":
                        unclear.add(word)
    found |= {"sept": 9}
    unclear -= {name.casefold()[:3] for name in get_month_names("wide", "format", "en").values()}
    return {word: number for word, number in found.items() if word not in unclear and len(word) >= 3}


@cache
def _weekdays() -> frozenset[str]:
    from babel.dates import get_day_names

    return frozenset(
        name.casefold().strip(". ")
        for locale in _LOCALES
        for width in ("wide", "abbreviated")
        for name in get_day_names(width, "format", locale).values()
    )

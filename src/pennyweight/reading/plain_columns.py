"""Columns of a plain CSV, read from its bytes all at once: numbers and days of a million rows in tenths of a second.

A number of up to fifteen digits is its digits as a whole number over a power of ten: both are exact in a double, so
that their quotient is the double nearest to the text (W. Clinger, "How to Read Floating Point Numbers Accurately",
1990).
"""

from __future__ import annotations

from collections.abc import Sequence
from functools import cache, cached_property
from typing import overload

import numpy as np
from numpy.typing import NDArray

from pennyweight.core.dates import Days

__all__ = ["PlainColumn", "PlainText", "plain_text"]

_ROWS = 32_768
_MOST_DIGITS = 15
_TENS = 10.0 ** np.arange(_MOST_DIGITS + 1)


class PlainText:
    """A text whose rows all have `width` fields and no quotes, with the place of each field in its bytes."""

    def __init__(self, text: str, delimiter: str, width: int, data: NDArray[np.uint8], ends: NDArray[np.int64]) -> None:
        self.text, self.delimiter, self.width, self.data, self.ends = text, delimiter, width, data, ends

    @cached_property
    def fields(self) -> list[str]:
        """All fields as texts, row by row, without the spaces around them."""
        fields = self.text.replace("\n", self.delimiter).split(self.delimiter)
        spaced = " " in self.text or "\t" in self.text or not self.text.isascii()
        return [field.strip() for field in fields] if spaced else fields

    @cached_property
    def starts(self) -> NDArray[np.int64]:
        """Where each field begins."""
        starts = np.empty_like(self.ends)
        flat = starts.reshape(-1)
        flat[0] = 0
        np.add(self.ends.reshape(-1)[:-1], 1, out=flat[1:])
        return starts

    def column(self, place: int) -> PlainColumn:
        """A column below its name."""
        return PlainColumn(self, place, self.starts[1:, place], self.ends[1:, place])


def plain_text(text: str, delimiter: str, width: int) -> PlainText | None:
    """The text with the places of its fields; None when a row has another number of them."""
    data = np.frombuffer(text.encode(), dtype=np.uint8)
    ends = np.flatnonzero((data == ord(delimiter)) | (data == ord("\n")))
    if (ends.size + 1) % width:
        return None
    signs = data[ends]
    places = np.append(ends, data.size).reshape(-1, width)
    cuts = np.append(signs, np.uint8(ord("\n"))).reshape(-1, width)
    if (cuts[:, :-1] != ord(delimiter)).any() or (cuts[:, -1] != ord("\n")).any():
        return None
    return PlainText(text, delimiter, width, data, places)


class PlainColumn(Sequence[str]):
    """A column of a plain text: its fields as texts when they are asked for, as numbers or days without."""

    def __init__(self, owner: PlainText, place: int, starts: NDArray[np.int64], ends: NDArray[np.int64]) -> None:
        self.owner, self.place, self.starts, self.ends = owner, place, starts, ends

    @cached_property
    def texts(self) -> list[str]:
        """The fields as texts."""
        return self.owner.fields[self.place :: self.owner.width][1:]

    def __len__(self) -> int:
        return int(self.starts.size)

    @overload
    def __getitem__(self, key: int) -> str: ...
    @overload
    def __getitem__(self, key: slice) -> list[str]: ...
    def __getitem__(self, key: int | slice) -> str | list[str]:
        return self.texts[key]

    @cached_property
    def numbers(self) -> NDArray[np.float64] | None:
        """The fields as numbers; None when one is not written with digits, a point and a sign alone."""
        lengths = self.ends - self.starts
        if not lengths.size or lengths.min() < 1 or lengths.max() > _MOST_DIGITS + 2:
            return None
        found = np.empty(lengths.size)
        for first in range(0, lengths.size, _ROWS):
            part = slice(first, first + _ROWS)
            values = _numbers(self.owner.data, self.starts[part], lengths[part])
            if values is None:
                return None
            found[part] = values
        return found

    @cached_property
    def days(self) -> Days | None:
        """The fields as days; None when one is not written as 2027-02-01, or there is no such day."""
        if not len(self) or ((self.ends - self.starts) != 10).any():
            return None
        found = np.empty(len(self), dtype="datetime64[D]")
        for first in range(0, len(self), _ROWS):
            part = slice(first, first + _ROWS)
            days = _days(self.owner.data, self.starts[part])
            if days is None:
                return None
            found[part] = days
        return found


def _numbers(
    data: NDArray[np.uint8], starts: NDArray[np.int64], lengths: NDArray[np.int64]
) -> NDArray[np.float64] | None:
    first = data[starts]
    signed = (first == ord("-")) | (first == ord("+"))
    starts, lengths = starts + signed, lengths - signed
    mantissa, sign = np.zeros(starts.size), np.empty(starts.size, dtype=np.uint8)
    point = np.full(starts.size, -1)
    at = starts.copy()
    shortest = int(lengths.min())
    for k in range(int(lengths.max())):
        np.take(data, at, out=sign, mode="clip")
        digit = sign - np.uint8(48)  # what is no digit wraps around above nine
        strange = digit > 9
        if k >= shortest:
            strange |= k >= lengths
        if not strange.any():
            mantissa *= 10.0
            mantissa += digit
        else:
            inside = strange if k < shortest else strange & (k < lengths)
            if (sign[inside] != ord(".")).any() or (point[inside] >= 0).any():
                return None
            point[inside] = k
            np.copyto(mantissa, mantissa * 10.0 + digit, where=~strange)
        at += 1
    digits = lengths - (point >= 0)
    if (digits < 1).any() or (digits > _MOST_DIGITS).any():
        return None
    mantissa /= _TENS[np.where(point >= 0, lengths - 1 - point, 0)]
    np.negative(mantissa, out=mantissa, where=first == ord("-"))
    return mantissa + 0.0


def _days(data: NDArray[np.uint8], starts: NDArray[np.int64]) -> Days | None:
    if (data[starts + 4] != ord("-")).any() or (data[starts + 7] != ord("-")).any():
        return None
    digits = [data[starts + place] - np.uint8(48) for place in (0, 1, 2, 3, 5, 6, 8, 9)]
    if any((digit > 9).any() for digit in digits):
        return None
    parts = [digit.astype(np.int32) for digit in digits]
    year = parts[0] * 1000 + parts[1] * 100 + parts[2] * 10 + parts[3]
    month, day = parts[4] * 10 + parts[5], parts[6] * 10 + parts[7]
    if (year < 1).any() or (month < 1).any() or (month > 12).any() or (day < 1).any():
        return None
    begins, leaps = _years()
    leap = leaps[year]
    if (day > _LENGTHS[month] + (leap & (month == 2))).any():
        return None
    since = begins[year] + _BEFORE[month] + (leap & (month > 2)) + (day - 1)
    return np.asarray(since.astype("datetime64[D]"))


_LENGTHS = np.array([0, 31, 28, 31, 30, 31, 30, 31, 31, 30, 31, 30, 31])
_BEFORE = np.cumsum(_LENGTHS) - _LENGTHS


@cache
def _years() -> tuple[NDArray[np.int64], NDArray[np.bool_]]:
    """The first day of each year from 0 to 9999, in days since 1970, and whether it is a leap year."""
    turns = (np.arange(10_001) - 1970).astype("datetime64[Y]").astype("datetime64[D]").astype(np.int64)
    return turns[:-1], np.diff(turns) == 366

"""Lists in a text: "7; 8; 9". A comma stands between two values only where it cannot stand in a number."""

from __future__ import annotations

import re

from pennyweight.errors import InputError, Place

__all__ = ["split_list"]

_UNIT = r"\s*(?:k|mn|%|bp)?"
_ONE_NUMBER = re.compile(
    rf"[-+−]?\s*(?:"
    rf"\d+(?:[.' ]\d{{3}})*,\d+"  # one comma: 7,8 may be 7.8, and 1,500 is 1500
    rf"|\d{{1,3}}(?:,\d{{3}})+(?:\.\d+)?"  # thousands: 100,200,400
    rf"|\d{{1,2}}(?:,\d{{2}})*,\d{{3}}(?:\.\d+)?"  # lakhs: 3,25,000
    rf"){_UNIT}"
)


def split_list(text: str, *, what: str | Place) -> list[str]:
    """The values that stand in a text, one after the other.

    A semicolon always stands between two; a comma does where the whole cannot be read as one number.

    Raises
    ------
    InputError
        A text with commas that may be one number or several, or an empty place between two signs.

    Examples
    --------
    >>> split_list("7; 8,5; 9", what="rates"), split_list("7,8,9", what="years"), split_list("own,rented", what="berth")
    (['7', '8,5', '9'], ['7', '8', '9'], ['own', 'rented'])
    """
    plain = text.strip()
    if ";" in plain:
        parts = plain.split(";")
    elif "," in plain:
        parts = plain.split(",")
        if _ONE_NUMBER.fullmatch(plain):
            several = "; ".join(part.strip() for part in parts)
            raise InputError(
                f"{what} is '{plain}', which may be one number or {len(parts)}; write {several} for {len(parts)}, and "
                "one number without a comma.",
                at=what,
            )
    else:
        return [plain]
    found = [part.strip() for part in parts]
    if found[-1] == "" and len(found) > 1:  # a sign after the last value ends the list
        found.pop()
    if "" in found:
        raise InputError(f"{what} is '{plain}', in which a value is missing; write it as 7; 8; 9.", at=what)
    return found

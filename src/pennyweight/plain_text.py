"""Text made safe to send anywhere: control characters shown, signs a stream lacks spelled out."""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Iterable, Sequence

__all__ = ["counted", "kept_together", "listed", "no_formula", "one_line", "quoted", "spelled", "visible"]

_LONGEST = 1_500
_QUOTED = re.compile(r"(?<!\w)'((?=\S)[^']{80})[^']{20,}(?<=\S)'")
_UNBROKEN = re.compile(r"(\S{120})\S{20,}")


def visible(text: str) -> str:
    r"""Return the text on one line, control characters and their kin as they would be escaped.

    >>> visible("red \x1b[31m\nline")
    'red \\x1b[31m line'
    """
    if text.isprintable():
        return text
    return "".join(map(_shown, text))


def _shown(mark: str) -> str:
    if mark.isprintable() or unicodedata.category(mark) == "Zs":
        return mark
    if mark in "\n\r\t":
        return " "
    number = ord(mark)
    return f"\\x{number:02x}" if number < 256 else f"\\u{number:04x}"


def spelled(text: str, encoding: str) -> str:
    """Return the text as a stream of this encoding can show it: signs it lacks are spelled out.

    >>> spelled("✓ 3 × 4…", "ascii")
    'yes 3 x 4...'
    """
    try:
        text.encode(encoding)
    except UnicodeEncodeError:
        plain = text.translate(_SPELLED)
        return plain.encode(encoding, errors="replace").decode(encoding)
    except LookupError:  # an encoding nobody knows
        return spelled(text, "ascii")
    return text


_SPELLED = str.maketrans(
    {
        "✓": "yes",
        "✗": "no",
        "×": "x",
        "…": "...",
        "–": "-",
        "—": "-",
        "−": "-",
        "→": "->",
        "↓": "v",
        "≈": "~",
        "’": "'",
        "‘": "'",
        "“": '"',
        "”": '"',
        "\u00a0": " ",
        "\u202f": " ",
        "€": "EUR",
        "£": "GBP",
        "¥": "JPY",
        "▲": "^",
        "▼": "v",
    }
)


def one_line(message: str) -> str:
    """Return a message on one line, what it quotes cut where it is long, control characters shown.

    >>> len(one_line("x is '" + "a" * 5000 + "'."))
    89
    """
    # Cut before anything else walks over it: what is quoted may be a megabyte.
    if len(message) > 100 * _LONGEST:
        message = f"{message[:_LONGEST]}… {message[-_LONGEST:]}"
    text = _UNBROKEN.sub(r"\1…", _QUOTED.sub(r"'\1…'", visible(message)))
    return text if len(text) <= _LONGEST else f"{text[: _LONGEST - 300]} … {text[-290:]}"


def counted(words: Sequence[str], most: int = 10, width: int = 100) -> str:
    """Return words with commas between, no more than one line holds, and how many are left.

    >>> counted(["rent", "vacancy", "upkeep"], most=2)
    'rent, vacancy and 1 more'
    """
    kept: list[str] = []
    for word in words[:most]:
        if kept and len(", ".join([*kept, word])) > width:
            break
        kept.append(word)
    left = len(words) - len(kept)
    return f"{', '.join(kept)} and {left} more" if left else ", ".join(kept)


def kept_together(text: str) -> str:
    """Return a sentence in which no line ends between a currency and its amount.

    >>> kept_together("It costs EUR 1,250.00.")
    'It costs EUR\\xa01,250.00.'
    """
    return _AMOUNT.sub("\\1\u00a0", text)


_AMOUNT = re.compile(r"\b([A-Z]{3}) (?=-?\d)")


def listed(words: Sequence[str], last: str = "and") -> str:
    """Return words as a sentence lists them.

    >>> listed(["hull", "crew", "fare"])
    'hull, crew and fare'
    """
    return f" {last} ".join(part for part in (", ".join(words[:-1]), *words[-1:]) if part)


def quoted(words: Iterable[str], mark: str = '"') -> str:
    """Return words of which one is to be chosen, each between marks.

    >>> quoted(["start", "end"], "'")
    "'start' or 'end'"
    """
    return listed([f"{mark}{word}{mark}" for word in words], "or")


def no_formula(text: str) -> str:
    """A text for a cell of a CSV: what a sheet would take for a formula is marked as a text.

    >>> no_formula("=1+1"), no_formula("-5.2"), no_formula("Quay")
    ("'=1+1", '-5.2', 'Quay')
    """
    return f"'{text}" if text[:1] in ("=", "+", "-", "@", "\t", "\r") and not _is_number(text) else text


def _is_number(text: str) -> bool:
    try:
        float(text)
    except ValueError:
        return text == "-"
    return True

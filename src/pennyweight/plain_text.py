"""Text made safe to send anywhere: control characters shown, signs a stream lacks spelled out."""

from __future__ import annotations

import unicodedata

__all__ = ["spelled", "visible"]


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


_SPELLED = str.maketrans({
    "✓": "yes", "✗": "no", "×": "x", "…": "...", "–": "-", "—": "-", "−": "-", "→": "->", "↓": "v", "≈": "~", "’": "'",
    "‘": "'", "“": '"', "”": '"', "\u00a0": " ", "\u202f": " ", "€": "EUR", "£": "GBP", "¥": "JPY", "▲": "^", "▼": "v",
})  # fmt: skip

"""On which line of a TOML file each key stands: the reader itself keeps no positions.

Only for messages, and only for text that the real reader has already accepted, so the scan can be simple: it
follows tables, keys and inline tables, and steps over strings, comments and arrays.
"""

from __future__ import annotations

import re
from collections.abc import Mapping

__all__ = ["line_of", "positions"]

Path = tuple[str, ...]

_TOKEN = re.compile(
    r'(?P<string>"""(?:\\.|[^\\])*?"""|\'\'\'.*?\'\'\'|"(?:\\.|[^"\\\n])*"|\'[^\'\n]*\')'
    r"|(?P<comment>\#[^\n]*)|(?P<newline>\n)|(?P<space>[ \t\r]+)"
    r"|(?P<mark>[\[\]{}=,.])|(?P<word>[^\s\[\]{}=,.\#\"']+)",
    re.DOTALL,
)


def positions(text: str) -> dict[Path, int]:
    """The line (from 1) of every table and key of a TOML document, by its path.

    >>> positions('a = 1\\n[b]\\nc = { d = 2 }')[("b", "c", "d")]
    3
    """
    found: dict[Path, int] = {}
    table: Path = ()
    pending: list[str] = []
    stack: list[tuple[str, Path]] = []  # open brackets: "{" with the path its keys stand under, or "["
    seen: dict[Path, int] = {}  # how many [[tables]] of a name there were
    line, at_start, in_value = 1, True, False
    value_path: Path = ()
    tokens = [(match.lastgroup or "", match.group()) for match in _TOKEN.finditer(text)]
    k = 0
    while k < len(tokens):
        kind, token = tokens[k]
        k += 1
        if kind == "newline":
            line += 1
            if not stack:
                at_start, in_value, pending = True, False, []
            continue
        if kind in ("space", "comment"):
            continue
        if at_start and token == "[":
            several = k < len(tokens) and tokens[k][1] == "["
            names, k = _header(tokens, k)
            table = _numbered(tuple(names), seen)
            if several:
                number = seen.get(table, -1) + 1
                seen[table] = number
                found.setdefault(table, line)
                table = (*table, str(number))
            found.setdefault(table, line)
            at_start, in_value = False, True
            continue
        at_start = False
        expects_key = not in_value if not stack else stack[-1][0] == "{" and not in_value
        if expects_key and kind in ("word", "string"):
            pending.append(_bare(kind, token))
        elif expects_key and token == "=":
            base = stack[-1][1] if stack else table
            value_path = (*base, *pending)
            for depth in range(len(base) + 1, len(value_path) + 1):
                found.setdefault(value_path[:depth], line)
            pending, in_value = [], True
        elif token == "{":
            if stack and stack[-1][0] == "[":
                found.setdefault(value_path, line)
            stack.append(("{", value_path))
            in_value = False
        elif token == "[":
            stack.append(("[", (*value_path, "0")))
            value_path = stack[-1][1]
        elif token in "]}" and stack:
            stack.pop()
            in_value, pending = True, []
            value_path = stack[-1][1] if stack else ()
        elif token == "," and stack and stack[-1][0] == "[":
            whole = stack[-1][1]
            stack[-1] = ("[", (*whole[:-1], str(int(whole[-1]) + 1)))
            value_path = stack[-1][1]
        elif token == "," and stack and stack[-1][0] == "{":
            in_value = False
        line += token.count("\n")
    return found


def _numbered(names: Path, seen: Mapping[Path, int]) -> Path:
    """The path of a header below [[tables]]: the last of each that was begun."""
    path: Path = ()
    for name in names[:-1]:
        path = (*path, name)
        if path in seen:
            path = (*path, str(seen[path]))
    return (*path, names[-1]) if names else path


def line_of(found: Mapping[Path, int], path: Path) -> int | None:
    """The line of the path, or of the nearest thing around it.

    >>> line_of({("a",): 3}, ("a", "b"))
    3
    """
    for length in range(len(path), 0, -1):
        if path[:length] in found:
            return found[path[:length]]
    return None


def _header(tokens: list[tuple[str, str]], k: int) -> tuple[list[str], int]:
    names: list[str] = []
    while k < len(tokens) and tokens[k][1] != "]":
        kind, token = tokens[k]
        if kind in ("word", "string"):
            names.append(_bare(kind, token))
        k += 1
    while k < len(tokens) and tokens[k][1] == "]":
        k += 1
    return names, k


def _bare(kind: str, token: str) -> str:
    return token.strip("\"'") if kind == "string" else token

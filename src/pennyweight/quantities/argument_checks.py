"""What a program hands over, checked for its kind: a list, a mapping, a path, an object of ours."""

from __future__ import annotations

import os
from collections.abc import Iterable, Mapping, Sequence
from pathlib import Path
from typing import Any, TypeVar

from pennyweight.errors import InputError, Place

__all__ = ["a_flag", "a_list", "a_mapping", "a_path", "a_text", "an_instance", "each_once"]

Wanted = TypeVar("Wanted")


def a_list(given: object, *, what: str, of: str) -> list[Any]:
    """Return the items of a list, tuple, array or column; `of` says what it holds, for the message.

    >>> a_list((1, 2), what="amounts", of="amounts")
    [1, 2]
    """
    if isinstance(given, Iterable) and not isinstance(given, str | bytes | Mapping | type):
        try:
            return list(given)
        except TypeError:  # an array without a dimension
            pass
    raise InputError(f"{what} is {given!r}; it must be a list of {of}.", at=what)


def a_mapping(given: object, *, what: str, of: str) -> dict[str, Any]:
    """Return a mapping whose keys are names; None is an empty one.

    >>> a_mapping({"price": 5}, what="inputs", of="values by input")
    {'price': 5}
    """
    if given is None:
        return {}
    if not isinstance(given, Mapping) or not all(isinstance(key, str) for key in given):
        raise InputError(f"{what} is {given!r}; it must be a mapping of {of}.", at=what)
    return dict(given)


def an_instance(given: object, kind: type[Wanted], *, what: str, called: str = "") -> Wanted:
    """Return the object when it is of a kind; `called` names it, where that is not the name of its class.

    >>> an_instance(5, int, what="five")
    5
    """
    if not isinstance(given, kind):
        raise InputError(f"{what} is {given!r}; it must be a {called or kind.__name__}.", at=what)
    return given


def a_text(given: object, *, what: str) -> str:
    """Return a text.

    >>> a_text("x", what="name")
    'x'
    """
    if not isinstance(given, str):
        raise InputError(f"{what} is {given!r}; it must be a text.", at=what)
    return given


def a_flag(given: object, *, what: str) -> bool:
    """Return a truth value.

    >>> a_flag(True, what="rows")
    True
    """
    if not isinstance(given, bool):
        raise InputError(f"{what} is {given!r}; it must be True or False.", at=what)
    return given


def a_path(given: object, *, what: str = "The path") -> Path:
    """Return the path of a file, given as a text or a path.

    >>> a_path("deal.toml").name
    'deal.toml'
    """
    if not isinstance(given, str | os.PathLike) or not str(given):
        raise InputError(f"{what} is {given!r}; it must be the name of a file.", at=what)
    try:
        return Path(given)
    except TypeError:  # a path of bytes
        raise InputError(f"{what} is {given!r}; it must be the name of a file.", at=what) from None


def each_once(paths: Sequence[object]) -> list[Path]:
    """Return the paths of files that are to be put together; InputError when one file is named twice.

    >>> [path.name for path in each_once(["harbour.csv", "quay.csv"])]
    ['harbour.csv', 'quay.csv']
    """
    found: dict[str, Path] = {}
    for path in map(a_path, paths):
        whole = os.path.abspath(path)  # takes every text; whether it is a file is told where it is read
        if whole in found:
            raise InputError(f"{path} is named twice; name it once.", at=Place.of_file(path))
        found[whole] = path
    return list(found.values())

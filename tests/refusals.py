"""Drawn examples that are refused before anything is tested: more than one in ten of them, and the test tests nothing."""

from __future__ import annotations

import functools
from collections.abc import Callable
from typing import Any

__all__ = ["few_refused", "refused", "used"]

_SEEN = {"used": 0, "refused": 0}


def used() -> None:
    """An example that reached what is tested."""
    _SEEN["used"] += 1


def refused() -> None:
    """An example that did not."""
    _SEEN["refused"] += 1


def few_refused(test: Callable[..., None]) -> Callable[..., None]:
    """A test whose examples are refused in one of ten cases at most; put it above `given`."""

    @functools.wraps(test)
    def counted(*args: Any, **kwargs: Any) -> None:
        _SEEN.update(used=0, refused=0)
        test(*args, **kwargs)
        seen = _SEEN["used"] + _SEEN["refused"]
        assert _SEEN["used"], "no example reached what is tested"
        assert _SEEN["refused"] <= seen / 10, f"{_SEEN['refused']} of {seen} examples were refused"

    return counted

"""How far a long work has come, told to whoever listens; nobody does unless a command shows it."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from contextlib import contextmanager
from contextvars import ContextVar

__all__ = ["Listener", "listening", "tell", "teller"]

Listener = Callable[[str, float, float | None], None]
"""What is done, how much of it, and of how much in all (None when that is not known)."""

_LISTENER: ContextVar[Listener | None] = ContextVar("progress", default=None)


def tell(what: str, done: float, total: float | None = None) -> None:
    """Say how far a work has come."""
    listener = _LISTENER.get()
    if listener is not None:
        listener(what, done, total)


def teller() -> Listener:
    """What tells the listener of now, from whatever thread.

    >>> teller()("cases", 1, 4)
    """
    listener = _LISTENER.get()
    return listener if listener is not None else lambda what, done, total: None


@contextmanager
def listening(listener: Listener) -> Iterator[None]:
    """Hear what is told inside.

    >>> heard = []
    >>> with listening(lambda *told: heard.append(told)):
    ...     tell("cases", 1, 4)
    >>> tell("cases", 2, 4), heard
    (None, [('cases', 1, 4)])
    """
    token = _LISTENER.set(listener)
    try:
        yield
    finally:
        _LISTENER.reset(token)

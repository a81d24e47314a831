"""The one family of errors.

    PennyweightError
    ├── InputError      what was given cannot be right (also a ValueError)
    └── NoAnswer        the question has no answer
        └── SeveralAnswers   it has more than one; all of them are carried along

Every message is one sentence or two that say what is wrong, where it stands and what would be right.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from difflib import get_close_matches

__all__ = ["InputError", "NoAnswer", "PennyweightError", "SeveralAnswers", "nearest"]


class PennyweightError(Exception):
    """Whatever Pennyweight refuses or cannot answer."""


class InputError(PennyweightError, ValueError):
    """What was given cannot be right: the message says which value, where it stands and what would be."""


class NoAnswer(PennyweightError):
    """The question was understood and has no answer; the message says why."""


class SeveralAnswers(NoAnswer):
    """The question has several answers, and picking one of them would be a guess.

    `answers` holds all of them, smallest first.
    """

    def __init__(self, message: str, answers: Sequence[float]) -> None:
        super().__init__(message)
        self.answers = tuple(answers)


def nearest(name: str, known: Iterable[str]) -> str:
    """Return ``; did you mean 'x'?`` when one of the known names is close to this one, else nothing.

    >>> nearest("hul", ["hull", "fare"])
    "; did you mean 'hull'?"
    """
    close = get_close_matches(name, list(known), n=1, cutoff=0.6)
    return f"; did you mean '{close[0]}'?" if close else ""

"""The one family of errors.

    PennyweightError
    ├── InputError      what was given cannot be right (also a ValueError)
    └── NoAnswer        the question has no answer
        └── SeveralAnswers   it has more than one; all of them are carried along

Every message is one sentence or two, on one line, that say what is wrong, where it stands and what would be right.
"""

from __future__ import annotations

from collections.abc import Collection, Iterable, Sequence
from difflib import get_close_matches
from typing import TypeVar

from pennyweight.plain_text import one_line

__all__ = ["InputError", "NoAnswer", "PennyweightError", "SeveralAnswers", "choice", "nearest"]

Word = TypeVar("Word", bound=str)


class PennyweightError(Exception):
    """Whatever Pennyweight refuses or cannot answer.

    What a message quotes is cut when it is long, and its control characters are shown, not sent.

    >>> str(PennyweightError("red \\x1b[31m"))
    'red \\\\x1b[31m'
    """

    def __init__(self, message: str) -> None:
        super().__init__(one_line(message))


class InputError(PennyweightError, ValueError):
    """What was given cannot be right: the message says which value, where it stands and what would be.

    >>> from pennyweight import Loan
    >>> Loan(100_000, "5", years=30).payment
    Traceback (most recent call last):
    ...
    pennyweight.errors.InputError: rate: 5 is 500% a year; write 5%.
    """


class NoAnswer(PennyweightError):
    """The question was understood and has no answer; the message says why.

    >>> from pennyweight import CashFlows
    >>> CashFlows([100.0, 50.0]).irr()
    Traceback (most recent call last):
    ...
    pennyweight.errors.NoAnswer: No money goes out, so there is nothing to earn a return on.
    """


class SeveralAnswers(NoAnswer):
    """The question has several answers, and picking one of them would be a guess.

    `answers` holds all of them, smallest first.

    >>> from pennyweight import CashFlows
    >>> try:
    ...     CashFlows([-100.0, 230.0, -132.0]).irr()
    ... except SeveralAnswers as error:
    ...     [round(answer, 6) for answer in error.answers]
    [0.1, 0.2]
    """

    def __init__(self, message: str, answers: Sequence[float]) -> None:
        super().__init__(message)
        self.answers = tuple(answers)

    def __reduce__(self) -> tuple[type[SeveralAnswers], tuple[str, tuple[float, ...]]]:
        return SeveralAnswers, (str(self), self.answers)


def choice(given: object, known: Collection[Word], what: str) -> Word:
    """Return the word when it is one of the known ones; InputError with the nearest one when it is not.

    >>> choice("end", ("end", "start"), "paid")
    'end'
    """
    if isinstance(given, str):
        for word in known:
            if word == given:
                return word
    words = [f"'{word}'" for word in known]
    listed = " or ".join(filter(None, [", ".join(words[:-1]), words[-1]]))
    hint = nearest(given, known) if isinstance(given, str) else ""
    shown = f"'{given}'" if isinstance(given, str) else repr(given)
    raise InputError(f"{what} is {shown}{hint or ';'} {'I' if hint else 'i'}t must be {listed}.")


def nearest(name: str, known: Iterable[str]) -> str:
    """Return ``; did you mean 'x'?`` when one of the known names is close to this one, else nothing.

    >>> nearest("hul", ["hull", "fare"])
    "; did you mean 'hull'?"
    """
    if len(name) > 80:  # the search costs the product of the lengths
        return ""
    close = get_close_matches(name, [one for one in known if len(one) <= 120], n=1, cutoff=0.6)
    return f"; did you mean '{close[0]}'?" if close else ""

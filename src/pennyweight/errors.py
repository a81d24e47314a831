"""The one family of errors.

    PennyweightError
    ├── InputError      what was given cannot be right (also a ValueError)
    └── NoAnswer        the question has no answer
        └── SeveralAnswers   it has more than one; all of them are carried along

Every message is one sentence or two, on one line, that say what is wrong, where it stands and what would be right.
Where it stands is carried as data too, in `place`.
"""

from __future__ import annotations

import copy
import re
from collections.abc import Collection, Iterable, Sequence
from difflib import get_close_matches
from typing import Any, Self, TypeVar

from pennyweight.plain_text import one_line

__all__ = [
    "MOST_MISTAKES",
    "InputError",
    "NoAnswer",
    "PennyweightError",
    "Place",
    "SeveralAnswers",
    "all_of",
    "choice",
    "nearest",
    "within",
]

Word = TypeVar("Word", bound=str)


class Place(str):
    """Where something stands: the words that say so in a sentence, and the same as data.

    Notes
    -----
    `file` is the file as it was named, `line` its line from 1 (None when it has none), `keys` the path to a key or the
    name of a parameter, `option` one of the command line, `row` and `column` those of a table.

    Examples
    --------
    >>> place = Place("taxi.toml, line 3, [inputs] hull", file="taxi.toml", line=3, keys=("inputs", "hull"))
    >>> f"{place} is missing.", place.line
    ('taxi.toml, line 3, [inputs] hull is missing.', 3)
    """

    file: str
    line: int | None
    keys: tuple[str, ...]
    option: str
    row: int | None
    column: str

    def __new__(
        cls,
        words: str,
        *,
        file: str = "",
        line: int | None = None,
        keys: tuple[str, ...] = (),
        option: str = "",
        row: int | None = None,
        column: str = "",
    ) -> Self:
        """Words, and what they say."""
        place = super().__new__(cls, words)
        place.file, place.line, place.keys = file, line, keys
        place.option, place.row, place.column = option, row, column
        return place

    def to(self, *keys: str) -> Place:
        """The same words, for a key further in.

        Parameters
        ----------
        keys : str
            The keys below it.

        Returns
        -------
        Place
            See `Place` for what it holds.

        Examples
        --------
        >>> Place("loan.toml, line 3", keys=("try",)).to("extra").keys
        ('try', 'extra')
        """
        return Place(self, **{**self.__dict__, "keys": (*self.keys, *keys)})

    @classmethod
    def of_file(cls, name: object) -> Place:
        """A file as a whole.

        Parameters
        ----------
        name
            The file as it was named.

        Returns
        -------
        Place
            See `Place` for what it holds.

        Examples
        --------
        >>> Place.of_file("loan.toml").file
        'loan.toml'
        """
        return cls(str(name), file=str(name))

    @classmethod
    def of_option(cls, name: str, *keys: str) -> Place:
        """An option of the command line, and the parameter it is.

        Parameters
        ----------
        name : str
            The option.
        keys : str
            The parameter.

        Returns
        -------
        Place
            See `Place` for what it holds.

        Examples
        --------
        >>> Place.of_option("--rate", "rate").keys
        ('rate',)
        """
        return cls(name, option=name, keys=keys)

    def __reduce__(self) -> tuple[Any, ...]:
        return Place, (str(self),), self.__dict__


_OBJECT = re.compile(r"<class '(?:[\w.]*\.)?(\w+)'>|<([\w.]+)[^<>]* at 0x[0-9a-f]+>")


def _named(match: re.Match[str]) -> str:
    """An object of a program as a person calls it."""
    return f"the type {match[1]}" if match[1] else f"an object of the kind {match[2].rpartition('.')[2]}"


class PennyweightError(Exception):
    """Whatever Pennyweight refuses or cannot answer.

    Notes
    -----
    What a message quotes is cut when it is long, and its control characters are shown, not sent.

    Examples
    --------
    >>> str(PennyweightError("red \\x1b[31m"))
    'red \\\\x1b[31m'
    """

    place: Place | None
    """Where what is wrong stands; None when it has no place of its own."""
    mistakes: tuple[PennyweightError, ...] = ()
    """Every mistake of a file that has several, this error among them in words; empty when there is one."""

    def __init__(self, message: str, *, at: str = "") -> None:
        message = _OBJECT.sub(_named, message)
        super().__init__(one_line(message))
        if isinstance(at, Place):
            self.place = at
        else:  # the name of a parameter is a place; "the amount" is none
            self.place = Place(at, keys=(at,)) if at.isidentifier() else None
        self._rest = message.removeprefix(at) if at and message.startswith(at) else f": {message}"

    def placed(self, place: Place) -> Self:
        """The same error, told of this place instead of the one it names.

        Parameters
        ----------
        place : Place
            Where the error is to be told.

        Returns
        -------
        Self
            The same error, told of this place instead of the one it names.

        Examples
        --------
        >>> str(InputError("rate: 5 is 500% a year.", at="rate").placed(Place("studio.toml, line 4, rate", line=4)))
        'studio.toml, line 4, rate: 5 is 500% a year.'
        """
        moved = copy.copy(self)
        moved.args = (one_line(f"{place}{self._rest}"), *self.args[1:])
        moved.place = place
        return moved


class InputError(PennyweightError, ValueError):
    """What was given cannot be right: the message says which value, where it stands and what would be.

    Examples
    --------
    >>> from pennyweight import Loan
    >>> Loan(100_000, "5", years=30).payment
    Traceback (most recent call last):
    ...
    pennyweight.errors.InputError: rate: 5 is 500% a year; write 5%.
    """


class NoAnswer(PennyweightError):
    """The question was understood and has no answer; the message says why.

    Examples
    --------
    >>> from pennyweight import CashFlows
    >>> CashFlows([100.0, 50.0]).irr()
    Traceback (most recent call last):
    ...
    pennyweight.errors.NoAnswer: No money goes out, so there is nothing to earn a return on.
    """


class SeveralAnswers(NoAnswer):
    """The question has several answers, and picking one of them would be a guess.

    Notes
    -----
    `answers` holds all of them, smallest first.

    Examples
    --------
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

    def __reduce__(self) -> tuple[Any, ...]:
        return SeveralAnswers, (str(self), self.answers), self.__dict__


MOST_MISTAKES = 20
"""So many mistakes of a file are told in one run."""


def all_of(mistakes: Sequence[InputError], name: str) -> InputError:
    """Return one error that tells several mistakes of a file, in the order of their lines; the most is twenty.

    >>> str(all_of([InputError("row 3 is empty."), InputError("row 4 is empty.")], "flows.csv"))
    'flows.csv has 2 mistakes: (1) row 3 is empty. (2) row 4 is empty.'
    """
    ordered = sorted({str(error): error for error in mistakes}.values(), key=_stands)
    if len(ordered) == 1:
        return ordered[0]
    shown = ordered[:MOST_MISTAKES]
    rest = len(ordered) - len(shown)
    said = " ".join(f"({number}) {error}" for number, error in enumerate(shown, 1))
    more = f" {rest} more are not shown." if rest else ""
    error = InputError(f"{name} has {len(ordered)} mistakes: {said}{more}")
    error.place, error.mistakes = ordered[0].place, tuple(shown)
    return error


def _stands(error: InputError) -> tuple[bool, int]:
    number = None if error.place is None else error.place.line or error.place.row
    return number is None, number or 0


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
    raise InputError(f"{what} is {shown}{hint or ';'} {'I' if hint else 'i'}t must be {listed}.", at=what)


def within(place: Word, words: str) -> Word:
    """The place with more words behind it, its data kept: "…, [inputs] hull low".

    >>> within(Place("taxi.toml, line 3", line=3), ", the lower end").line
    3
    """
    longer: Any = f"{place}{words}"
    if isinstance(place, Place):
        longer = Place(longer, **place.__dict__)
    found: Word = longer
    return found


def nearest(name: str, known: Iterable[str], *, closeness: float = 0.6) -> str:
    """Return ``; did you mean 'x'?`` when one of the known names is close to this one, else nothing.

    `closeness` runs from 0 (anything) to 1 (the name itself).

    >>> nearest("hul", ["hull", "fare"])
    "; did you mean 'hull'?"
    """
    if len(name) > 80:  # the search costs the product of the lengths
        return ""
    close = get_close_matches(name, [one for one in known if len(one) <= 120], n=1, cutoff=closeness)
    return f"; did you mean '{close[0]}'?" if close else ""

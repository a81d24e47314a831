"""What a form of output is: how a result becomes bytes, and how a file of ours is told from somebody else's."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path
from typing import TYPE_CHECKING, Any, Protocol

from pennyweight.documents import Document
from pennyweight.documents.handout import Handout
from pennyweight.report.cover import MAKER, Cover

if TYPE_CHECKING:
    import pandas as pd

__all__ = ["Form", "Result", "Written", "shortened", "signed"]


def shortened(value: float) -> float:
    """A number as programs are handed it: twelve digits, of a large amount six decimals; rounding noise goes.

    >>> shortened(-906.4599999999919), shortened(1234567.1234567), shortened(0.1 + 0.2)
    (-906.46, 1234567.123457, 0.3)
    """
    return round(value, 6) + 0.0 if abs(value) >= 1e6 else float(f"{value:.12g}") + 0.0


class Result(Protocol):
    """What every analysis returns."""

    @property
    def frame(self) -> pd.DataFrame: ...
    def as_dict(self) -> dict[str, Any]: ...
    def document(self) -> Document: ...
    def handout(self, document: Document | None = None) -> Handout: ...


@dataclass(frozen=True, slots=True)
class Written:
    """What is written: the result, its page, and its table as CSV."""

    result: Result
    document: Document
    table: str
    cover: Cover = field(default_factory=lambda: Cover())

    @property
    def handout(self) -> Handout:
        """The result as it is handed over, with this page."""
        return self.result.handout(self.document)


@dataclass(frozen=True, slots=True)
class Form:
    """A form of output, known by the ending of its file."""

    ending: str
    render: Callable[[Written], bytes]
    is_ours: Callable[[list[str], str], bool]
    """Whether the first lines of a file say that we wrote it; given the header of the table to come, too."""
    draws: bool = False
    """Whether it shows charts alone, so that a result without one cannot be written."""
    knows: Callable[[Path], bool] | None = None
    """The same, of a file whose head tells nothing."""
    streams: bool = False
    """Whether it may go to the standard output too."""


def signed(lines: list[str], header: str) -> bool:
    """Whether the head of a file names its maker."""
    return any(MAKER in line for line in lines)

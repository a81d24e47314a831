"""How a file writes its numbers: which sign its decimals have, by all that it shows."""

from __future__ import annotations

import itertools
import re
from collections.abc import Sequence
from dataclasses import dataclass

from pennyweight.quantities.amounts import Mark, decimal_mark
from pennyweight.reading.day_columns import looks_like_day
from pennyweight.reading.plain_columns import PlainColumn

__all__ = ["DecimalStyle"]

_ONE_GROUP = re.compile(r"[^\d.,]{0,5}[1-9]\d{0,2}\.\d{3}[^\d.,%]{0,5}")
_NUMBER_LIKE = re.compile(r"[^\w.,]*(?:[A-Z]{3})?[^\w.,]*[\d.,' ]*\d[\d.,' ]*[^\w.,]*(?:[A-Z]{3}|k|mn)?%?-?")
_DOTTED_DAY = re.compile(r"\d{1,2}\.\d{1,2}\.\d{2,4}\b")
_BROKEN = re.compile(r"[-+−(]?\s*\d+,(\d{1,2}|\d{4,})\)?")
_LOOKED_AT = 2_000
"""So many rows of another column tell how the file writes numbers."""


@dataclass(frozen=True, slots=True)
class DecimalStyle:
    """A table as it is written: its columns by their heads, and the sign between its cells."""

    path: str
    header: Sequence[str]
    columns: Sequence[Sequence[str]]
    delimiter: str

    def points_group(self) -> str:
        """What says that points group thousands in the file: semicolons, days with points, decimal commas; or none."""
        if self.path.lower().endswith((".xlsx", ".parquet")):  # whose numbers are no texts
            return ""
        if self.delimiter == ";":
            return "with semicolons"
        firsts = (next((text for text in column if text), "") for column in self.columns)
        if any(_DOTTED_DAY.match(text) for text in firsts):
            return "with days as 31.12.2027"
        cut = self.delimiter == "," and all(isinstance(column, PlainColumn) for column in self.columns)
        return "with decimal commas" if not cut and self.mark_elsewhere("") == "," else ""

    def mark_of(self, texts: Sequence[str]) -> tuple[Mark | None, int | None, int | None]:
        """The decimal mark of a column, a row that shows it, a row that contradicts; see `decimal_mark`."""
        mark, shows, breaks = decimal_mark(texts)
        broken = mark is None and any(_BROKEN.fullmatch(text) for text in texts)
        if broken and (self.delimiter != "," or self.points_group()):
            mark = ","  # a comma that cuts no fields and groups no thousands
        return mark, shows, breaks

    def grouped(self, texts: Sequence[str]) -> int | None:
        """The first cell that may be thousands with a point or a number with three decimals; None in files without."""
        if not self.points_group():
            return None
        return next((k for k, text in enumerate(texts) if _ONE_GROUP.fullmatch(text)), None)

    def mark_elsewhere(self, name: str) -> Mark | None:
        """The decimal mark that other columns of amounts have."""
        found: set[Mark] = set()
        for head, column in zip(self.header, self.columns, strict=True):
            texts = [text for text in itertools.islice(column, _LOOKED_AT) if text and not looks_like_day(text)]
            if head != name and texts and all(_NUMBER_LIKE.fullmatch(text) for text in texts):
                mark = decimal_mark(texts)[0]
                if mark is None and self.delimiter != "," and any(_BROKEN.fullmatch(text) for text in texts):
                    mark = ","
                if mark is not None:
                    found.add(mark)
        return found.pop() if len(found) == 1 else None

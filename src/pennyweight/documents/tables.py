"""Long tables on a page: some rows shown, what lies between them left out and said to be so."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from pennyweight.documents.model import Cell

__all__ = ["ends", "rows_at", "some_rows"]

Rows = tuple[tuple[Cell, ...], ...]


def some_rows(rows: Sequence[tuple[Cell, ...]], kept: Sequence[int], what: str) -> tuple[Rows, str]:
    """The rows whose places are `kept`, with a row of dots in each gap, and the sentence that says what is missing.

    >>> shown, note = some_rows([(Cell(str(k)),) for k in range(9)], ends(9, 2), "periods")
    >>> [row[0].text for row in shown], note
    (['0', '1', '…', '7', '8'], '5 periods are not shown; CSV, JSON and .xlsx have all.')
    """
    return rows_at(len(rows), kept, rows.__getitem__, what)


def rows_at(count: int, kept: Sequence[int], row: Callable[[int], tuple[Cell, ...]], what: str) -> tuple[Rows, str]:
    """The same of `count` rows of which only those that are kept are made, each by `row` from its place.

    >>> shown, note = rows_at(9, ends(9, 2), lambda k: (Cell(str(k)),), "periods")
    >>> [row[0].text for row in shown]
    ['0', '1', '…', '7', '8']
    """
    if len(kept) == count:
        return tuple(map(row, range(count))), ""
    shown: list[tuple[Cell, ...]] = []
    before = -1
    for place in kept:
        own = row(place)
        shown += [tuple(Cell("…", "comparison") for _ in own)] * (place > before + 1) + [own]
        before = place
    return tuple(shown), f"{count - len(kept):,} {what} are not shown; CSV, JSON and .xlsx have all."


def ends(count: int, each: int, *, spared: int = 2) -> list[int]:
    """The places of the first and last `each` of `count` rows; all of them when that would spare no more than `spared`.

    >>> ends(6, 2), ends(7, 2)
    ([0, 1, 2, 3, 4, 5], [0, 1, 5, 6])
    """
    if count <= 2 * each + spared:
        return list(range(count))
    return [*range(each), *range(count - each, count)]

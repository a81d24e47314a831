"""Timing, and the lines a benchmark prints."""

from __future__ import annotations

import time
from collections.abc import Callable
from typing import NamedTuple

__all__ = ["SHOWN", "Row", "best", "show"]


class Row(NamedTuple):
    """One ratio: what was measured, the ratio, the goal, and whether a larger ratio is the better one."""

    what: str
    ratio: float
    goal: float
    larger_is_better: bool

    @property
    def reached(self) -> bool:
        """Whether the ratio reaches its goal."""
        return self.ratio >= self.goal if self.larger_is_better else self.ratio <= self.goal


def best(call: Callable[[], object], times: int = 5) -> float:
    """The shortest of several runs, in seconds, after one that warms up."""
    call()
    shortest = float("inf")
    for _ in range(times):
        start = time.perf_counter()
        call()
        shortest = min(shortest, time.perf_counter() - start)
    return shortest


SHOWN: dict[str, list[Row]] = {}
"""Every title that was shown in this run, with its ratios."""


def show(title: str, rows: list[Row], note: str = "") -> None:
    """Print ratios with their goals."""
    SHOWN[title] = rows
    print(f"\n{title}")
    for row in rows:
        bound = "at least" if row.larger_is_better else "at most"
        mark = "reached" if row.reached else "MISSED"
        print(f"  {row.what:<66} {row.ratio:>9.2f} x   goal {bound} {row.goal:g}: {mark}")
    if note:
        print(f"  {note}")

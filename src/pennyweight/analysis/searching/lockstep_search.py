"""Many searches in one batch: each moves one input of one case and asks for figures at some places, round by round.

A search is a generator: it yields places (values of its input), is sent the figures there, and returns what it found.
All of them go in step, so that a round is one evaluation however many there are.

`narrowed` closes in on a change of state. Where a goal's slack is smooth, the place is guessed by inverse interpolation
through what is known, and a round gains many digits; where it jumps, the bracket is cut into sections.
"""

from __future__ import annotations

from collections.abc import Callable, Generator, Mapping, Sequence
from dataclasses import dataclass
from typing import Any, Generic, TypeAlias, TypeVar

import numpy as np
from numpy.typing import NDArray

from pennyweight.array_kinds import Floats
from pennyweight.progress import tell

__all__ = ["Known", "Probe", "Search", "Sweep", "in_step", "lowest_between", "narrowed"]

Found = TypeVar("Found")
Search: TypeAlias = Generator[Floats, Floats, Found]
"""Yields places, (n,); is sent the figures it watches there, (figures, n)."""
Sweep: TypeAlias = Callable[
    [Mapping[str, Floats], NDArray[np.intp], Mapping[str, Floats], Sequence[str]], dict[str, Floats]
]
"""`Model.sweep`: figures of cases that start from those side by side, some inputs replaced."""

_ROUGH = 2e-4
_SECTIONS = 48
_ROUNDS = 40
_CLOSE = 2e-14
_MOST = 400_000


@dataclass(slots=True)
class Probe(Generic[Found]):
    """One search: the case it starts from, the input it moves, the figures it watches."""

    case: int
    key: str
    watched: tuple[str, ...]
    search: Search[Found]


def in_step(
    sweep: Sweep, base: Mapping[str, Floats], series: Mapping[str, float], probes: Sequence[Probe[Any]]
) -> list[Any]:
    """Run all searches, a batch a round, and return what each found; `series` stay with these figures."""
    found: list[Any] = [None] * len(probes)
    waiting: dict[int, Floats] = {}
    for number, probe in enumerate(probes):
        _advance(number, probe, None, waiting, found)
    while waiting:
        tell("searches for answers and turning points", len(probes) - len(waiting), len(probes))
        numbers: list[int] = []
        total = 0
        for number, places in waiting.items():  # no round needs more memory than there is
            if numbers and total + places.size > _MOST:
                break
            numbers.append(number)
            total += places.size
        sizes = [waiting[number].size for number in numbers]
        x = np.concatenate([waiting.pop(number) for number in numbers])
        chosen = [probes[number] for number in numbers]
        owner = np.repeat([probe.case for probe in chosen], sizes)
        mover = np.repeat(np.arange(len(chosen)), sizes)
        keys: dict[str, list[int]] = {}
        for place, probe in enumerate(chosen):
            keys.setdefault(probe.key, []).append(place)
        changes = {}
        for key, places_of in keys.items():
            mine = np.isin(mover, places_of) if len(keys) > 1 else np.ones(x.size, np.bool_)
            # Where another search moves its own input, one thing of a set has no value apart from its column.
            start = np.full(1, series[key]) if key in series else base.get(key, np.full(1, np.nan))
            changes[key] = x if mine.all() else np.where(mine, x, start if start.size == 1 else start[owner])
        wanted = list(dict.fromkeys(name for probe in chosen for name in probe.watched))
        figures = sweep(base, owner, changes, wanted)
        ends = np.cumsum(sizes)
        for number, probe, first, last in zip(numbers, chosen, ends - sizes, ends, strict=True):
            own = np.array([figures[name][first:last] for name in probe.watched]).reshape(-1, last - first)
            _advance(number, probe, own, waiting, found)
    return found


def _advance(
    number: int, probe: Probe[Any], figures: Floats | None, waiting: dict[int, Floats], found: list[Any]
) -> None:
    try:
        places = next(probe.search) if figures is None else probe.search.send(figures)
        while not places.size:
            places = probe.search.send(np.empty((len(probe.watched), 0)))
        waiting[number] = places
    except StopIteration as done:
        found[number] = done.value


@dataclass(slots=True)
class Known:
    """Places looked at, in order, and the figures there, (figures, n)."""

    x: Floats
    figures: Floats

    def add(self, x: Floats, figures: Floats) -> None:
        """More places."""
        places = np.concatenate([self.x, x])
        once, first = np.unique(places, return_index=True)
        self.x, self.figures = once, np.concatenate([self.figures, figures], axis=1)[:, first]


def narrowed(
    known: Known,
    low: float,
    high: float,
    state: Callable[[Floats], NDArray[np.bool_]],
    slack: Callable[[Floats], Floats | None],
    step: float | None = None,
) -> Search[tuple[float, float]]:
    """Shrink a bracket around a change of state until nothing lies between (or a `step`).

    `state` tells from figures, (figures, n), which places are on the good side; `slack` the figures whose sign decides
    it, (some, n), or None where nothing smooth does. What is looked at is added to `known`.
    """
    poor, span = 0, high - low
    for _ in range(_ROUNDS):
        apart = 1.000001 * step if step else _CLOSE * max(abs(low), abs(high), 1e-300)
        ending = not step and _ends_there(known, low, high, slack)
        width = high - low
        if ending:  # where exactly a figure stops existing nobody asks; three digits are told
            apart = max(apart, _ROUGH * max(abs(low), abs(high), 0.1 * span))
        if width <= apart:
            break
        guess = None if poor > 1 or ending else _guess(known, low, high, slack)
        if guess is None:
            places = low + width * np.arange(1, _SECTIONS + 1) / (_SECTIONS + 1)
        else:
            at, doubt = guess
            reach = np.array([1.0, 30.0]) * max(doubt, 0.5 * apart)
            places = np.concatenate([at - reach, [at], at + reach])
            if poor:
                places = np.append(places, (low + high) / 2)
        if step:
            places = np.round(places / step) * step
        places = np.unique(places[(places > low) & (places < high)])
        if not places.size:
            middle = np.array([(low + high) / 2])
            places = np.round(middle / step) * step if step else middle
            places = places[(places > low) & (places < high)]
            if not places.size:
                break
        figures = yield places
        known.add(places, figures)
        inside = (known.x >= low) & (known.x <= high)
        x, good = known.x[inside], state(known.figures[:, inside])
        change = int(np.flatnonzero(good[1:] != good[:-1])[0])
        low, high = float(x[change]), float(x[change + 1])
        poor = poor + 1 if high - low > width / 8 else 0
    return low, high


def lowest_between(
    low: float, high: float, height: Callable[[Floats], Floats], rounds: int = 15
) -> Search[tuple[float, float]]:
    """The place of the lowest height between two places, and that height."""
    best, least = low, float("inf")
    for _ in range(rounds):
        places = np.linspace(low, high, 18)
        found = height((yield places))
        found = np.where(np.isnan(found), np.inf, found)
        k = int(np.argmin(found))
        if found[k] < least:
            best, least = float(places[k]), float(found[k])
        low, high = float(places[max(k - 1, 0)]), float(places[min(k + 1, places.size - 1)])
        if high - low <= 1e-14 * max(abs(low), abs(high)):
            break
    return best, least


def _ends_there(known: Known, low: float, high: float, slack: Callable[[Floats], Floats | None]) -> bool:
    """Whether a figure stops existing between the two: where exactly that is nobody asks."""
    table = slack(known.figures[:, np.searchsorted(known.x, [low, high])])
    if table is None:
        return False
    lost = ~np.isfinite(table)
    held = np.where(lost, 0.0, table) >= 0
    return bool(lost.any() and held[:, 0].all() == held[:, 1].all())


def _guess(
    known: Known, low: float, high: float, slack: Callable[[Floats], Floats | None]
) -> tuple[float, float] | None:
    """(where the state is guessed to change, how far off that may be)."""
    table = slack(known.figures)
    if table is None:
        return None
    at_low, at_high = (int(np.searchsorted(known.x, end)) for end in (low, high))
    best: tuple[float, float] | None = None
    good_low = bool((table[:, at_low] >= 0).all())
    for row in table:
        ends = row[at_low], row[at_high]
        if not (np.isfinite(ends[0]) and np.isfinite(ends[1])) or (ends[0] >= 0) == (ends[1] >= 0):
            continue
        found = _inverse(known.x, row, at_low, at_high)
        if found is None:
            return None
        # The goal that turns first, seen from the good side, is the one that decides.
        if best is None or (found[0] < best[0]) == good_low:
            best = found
    return best


def _inverse(x: Floats, y: Floats, at_low: int, at_high: int) -> tuple[float, float] | None:
    """Where y is zero between two neighbours, by polynomials of x over y through two to five places."""
    first, last = max(at_low - 2, 0), min(at_high + 2, x.size - 1)
    near = [k for k in range(first, last + 1) if np.isfinite(y[k])]
    near.sort(key=lambda k: abs(float(y[k])))
    near = [at_low, at_high, *(k for k in near if k not in (at_low, at_high))]
    low, high = float(x[at_low]), float(x[at_high])
    guesses: list[float] = []
    table: list[float] = []
    heights: list[float] = []
    for k in near:  # Neville's scheme at y = 0
        height = float(y[k])
        if height in heights:
            continue
        heights.append(height)
        table.append(float(x[k]))
        for j in range(len(table) - 2, -1, -1):
            table[j] = (heights[j] * table[j + 1] - height * table[j]) / (heights[j] - height)
        if len(table) > 1:
            guesses.append(table[0])
    if not guesses:
        return None
    at = guesses[0]
    doubt = 0.05 * (high - low)
    for following in guesses[1:]:
        if not low < following < high:
            break
        doubt = min(doubt, abs(following - at) + 1e-14 * abs(at))
        at = following
    if not low < at < high:
        return None
    return at, doubt

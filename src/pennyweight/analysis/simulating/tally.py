"""What is kept of drawn cases as they come: counts, figures, and what the missed ones have in common."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any, TypeAlias

import numpy as np
from numpy.typing import NDArray

from pennyweight.analysis.simulating.falls import Falling
from pennyweight.array_kinds import Floats, Ints
from pennyweight.deals.compiler.program import met_name, nearly_name
from pennyweight.deals.definition import Definition
from pennyweight.deals.inputs import Inputs

__all__ = ["Common", "Fan", "Tally"]

Truths: TypeAlias = NDArray[np.bool_]
_SAMPLES = 3
"""Of so many cases in which a measure is undefined the reason is asked."""
_STAND_FOR = 4_096
"""So many values a batch stand for all where cases are counted."""
_MARKS = 11
"""So many leading bits of a number's fraction are kept where numbers are counted."""
BANDS = (5, 25, 50, 75, 95)


@dataclass(frozen=True, slots=True)
class Common:
    """An input in the cases that miss and in all others: its mean; of words the share of the one that differs most."""

    input: str
    missed: float
    others: float
    apart: float
    """How far they lie apart, in standard deviations of the input."""
    word: str = ""


@dataclass(slots=True)
class _Moments:
    """An input among the cases that miss, and among the others: count, sum, sum of squares; of words the counts."""

    count: Floats = field(default_factory=lambda: np.zeros(2))
    total: Floats = field(default_factory=lambda: np.zeros(2))
    square: Floats = field(default_factory=lambda: np.zeros(2))
    words: Floats | None = None

    def join(self, other: _Moments) -> None:
        self.count = self.count + other.count
        self.total = self.total + other.total
        self.square = self.square + other.square
        if self.words is not None and other.words is not None:
            self.words = self.words + other.words

    def add(self, values: Floats, missed: Truths) -> None:
        for k, here in enumerate((missed, ~missed)):
            own = values[here]
            self.count[k] += own.size
            self.total[k] += own.sum()
            self.square[k] += (own * own).sum()
            if self.words is not None:
                self.words[k] += np.bincount(own.astype(np.intp), minlength=self.words.shape[1])


class Fan:
    """A line over all cases, period by period: how many have a value with the same leading bits.

    Counts by leading bits may be added up in any order; a percentile read off them is right to 2.5e-4 of itself.

    >>> fan = Fan(2)
    >>> fan.add(np.array([[0.0, 0.0], [1.0, 3.0]]))
    >>> fan.percentiles((50,)).round(2).tolist()
    [[0.0, 1.0]]
    """

    def __init__(self, rows: int) -> None:
        self.counts: list[dict[int, int]] = [{} for _ in range(rows)]

    def add(self, values: Floats) -> None:
        """More cases, (periods + 1, cases); those that are undefined do not count."""
        shift = 52 - _MARKS
        bits = np.ascontiguousarray(values + 0.0).view(np.int64)
        # Below zero the order of the bits is turned round, so that larger keys are larger numbers.
        keys = np.where(bits < 0, np.int64(-(2**63)) - bits, bits) >> shift
        known = np.isfinite(values)
        for row, here, seen in zip(keys, known, self.counts, strict=True):
            found, counts = np.unique(row[here], return_counts=True)
            for key, count in zip(found.tolist(), counts.tolist(), strict=True):
                seen[key] = seen.get(key, 0) + count

    def join(self, other: Fan) -> None:
        """What another fan has counted, too."""
        for seen, more in zip(self.counts, other.counts, strict=True):
            for key, count in more.items():
                seen[key] = seen.get(key, 0) + count

    def percentiles(self, levels: Sequence[float]) -> Floats:
        """(levels, periods + 1), NaN where nothing is defined."""
        found = np.full((len(levels), len(self.counts)), np.nan)
        for t, seen in enumerate(self.counts):
            if not seen:
                continue
            keys = np.array(sorted(seen), dtype=np.int64)
            until = np.cumsum([seen[key] for key in keys.tolist()])
            places = np.searchsorted(until, np.asarray(levels) / 100 * until[-1], side="left")
            found[:, t] = _middles(keys)[np.minimum(places, keys.size - 1)]
        return found


def _middles(keys: Ints) -> Floats:
    """The middles of the numbers whose leading bits are these."""
    shift = 52 - _MARKS

    def numbers(ordered: Ints) -> Floats:
        return np.where(ordered >= 0, ordered, np.int64(-(2**63)) - ordered).view(np.float64)

    middles = (numbers(keys << shift) + numbers((keys + 1) << shift)) / 2
    return np.where((keys == 0) | (keys == -1), 0.0, middles)


class Counted:
    """A measure in more cases than are kept: counts by leading bits and sums, batch by batch.

    >>> some = Counted(2)
    >>> some.add(np.array([[1.0, 3.0], [np.nan, 5.0]]))
    >>> some.means.tolist(), some.defined, some.values(2).round(2).tolist()
    ([2.0, 5.0], 0.75, [[1.0, 3.0], [5.0, nan]])
    """

    def __init__(self, batches: int) -> None:
        self.fan, self.sums, self.known, self.cases = Fan(batches), np.zeros(batches), np.zeros(batches), 0

    def add(self, values: Floats) -> None:
        """More cases, (batches, cases)."""
        known = np.isfinite(values)
        self.fan.add(values)
        self.sums += np.where(known, values, 0.0).sum(axis=1)
        self.known += known.sum(axis=1)
        self.cases += values.shape[1]

    def join(self, other: Counted) -> None:
        """Those of later cases."""
        self.fan.join(other.fan)
        self.sums, self.known = self.sums + other.sums, self.known + other.known
        self.cases += other.cases

    @property
    def means(self) -> Floats:
        """The mean of each batch."""
        with np.errstate(all="ignore"):
            return np.asarray(self.sums / self.known)

    @property
    def defined(self) -> float:
        """The share of cases in which it is defined."""
        return float(self.known.sum() / (self.known.size * self.cases))

    def values(self, count: int) -> Floats:
        """So many values a batch that stand for all of them, in their order, (batches, count); the undefined last."""
        found = np.full((self.known.size, count), np.nan)
        for k, share in enumerate((self.known / self.cases).tolist()):
            here = round(share * count)
            some = Fan(1)
            some.counts = [self.fan.counts[k]]
            if here:
                levels = (np.arange(here) + 0.5) / here * 100
                found[k, :here] = some.percentiles(levels.tolist())[:, 0]
        return found


class Tally:
    """Counts and figures of all cases so far; figures are (batches, cases), or counted where there are too many."""

    def __init__(
        self,
        deal: Definition,
        falling: Sequence[Falling],
        measures: Sequence[str],
        fan: Sequence[str],
        *,
        counted: bool = False,
        batches: int = 16,
    ) -> None:
        self.deal, self.falling, self.measures = deal, list(falling), list(measures)
        self.counted = {name: Counted(batches) for name in measures} if counted else {}
        self.per_batch = 0
        self.missed: Truths | None = None
        goals = ["pays_off", *deal.goals] if deal.goals else []
        self.met: dict[str, list[Floats]] = {name: [] for name in goals}
        self.nearly: dict[str, list[Floats]] = {name: [] for name in goals}
        self.figures: dict[str, list[Floats]] = {name: [] for name in measures}
        self.fans = {name: Fan(deal.timeline.rows) for name in fan}
        self.moments = {one.item.name: _Moments() for one in falling}
        for one in falling:
            if one.item.choices:
                self.moments[one.item.name].words = np.zeros((2, len(one.item.choices)))
        self.undefined: dict[str, list[Inputs]] = {name: [] for name in measures}

    def add(self, drawn: Mapping[str, Floats], found: Mapping[str, Floats], batches: int) -> None:
        """One more block: what was drawn and what came of it, batch after batch."""
        cases = next(iter(found.values())).shape[-1]
        self.per_batch += cases // batches
        if self.met:
            self._states(found, batches, cases)
            self._common(drawn)
        for name in self.measures:
            values = found[name]
            if self.counted:
                self.counted[name].add(values.reshape(batches, -1))
            else:
                self.figures[name].append(values.reshape(batches, -1))
            samples = self.undefined[name]
            for k in np.flatnonzero(~np.isfinite(values))[: _SAMPLES - len(samples)].tolist():
                samples.append({one: _one(value, k) for one, value in drawn.items()})
        for name, fan in self.fans.items():
            fan.add(found[name])

    def join(self, later: Tally) -> None:
        """Those of the cases that follow."""
        self.per_batch += later.per_batch
        for own, more in ((self.met, later.met), (self.nearly, later.nearly), (self.figures, later.figures)):
            for name, values in more.items():
                own[name] += values
        for name, fan in self.fans.items():
            fan.join(later.fans[name])
        for name, moments in self.moments.items():
            moments.join(later.moments[name])
        for name, counted in self.counted.items():
            counted.join(later.counted[name])
        for name, samples in self.undefined.items():
            samples += later.undefined[name][: _SAMPLES - len(samples)]

    def __getstate__(self) -> dict[str, Any]:
        """What travels from a worker: what was counted, not the deal."""
        return {**self.__dict__, "deal": None, "falling": [], "missed": None}

    def _states(self, found: Mapping[str, Floats], batches: int, cases: int) -> None:
        all_met, all_near = np.ones(cases, dtype=bool), np.ones(cases, dtype=bool)
        for goal in self.deal.goals:
            met = found[met_name(goal)] == 1
            near = found[nearly_name(goal)] == 1 if nearly_name(goal) in found else np.zeros(cases, dtype=bool)
            all_met &= met
            all_near &= met | near
            self._count(goal, met, near & ~met, batches)
        self._count("pays_off", all_met, all_near & ~all_met, batches)
        self.missed = ~(all_met | all_near)

    def _count(self, name: str, met: Truths, near: Truths, batches: int) -> None:
        self.met[name].append(met.reshape(batches, -1).sum(axis=1).astype(np.float64))
        self.nearly[name].append(near.reshape(batches, -1).sum(axis=1).astype(np.float64))

    def _common(self, drawn: Mapping[str, Floats]) -> None:
        assert self.missed is not None
        for one in self.falling:
            values = drawn[one.item.name]
            if one.item.is_series:  # of a series how large it is beside its own values
                given = np.asarray(one.item.value, dtype=np.float64)[:, None]
                with np.errstate(all="ignore"):
                    whole = np.nansum(np.where(np.isfinite(given), given, np.nan))
                    values = np.nansum(values, axis=0) / whole if whole else np.nanmean(values, axis=0)
            self.moments[one.item.name].add(values, self.missed)

    def values(self, name: str) -> Floats:
        """A measure in every case, (batches, cases); of those that are counted values that stand for all."""
        if self.counted:
            return self.counted[name].values(_STAND_FOR)
        return np.concatenate(self.figures[name], axis=1)

    def counts(self, name: str) -> tuple[Floats, Floats]:
        """(how often a goal is met, how often nearly), by batch."""
        return np.sum(self.met[name], axis=0), np.sum(self.nearly[name], axis=0)

    def in_common(self) -> list[Common]:
        """What the missed cases have in common: the inputs that differ most from those of the others."""
        found = []
        for one in self.falling:
            moments = self.moments[one.item.name]
            if not moments.count.all():
                return []
            means = moments.total / moments.count
            if moments.words is not None:
                shares = moments.words / moments.count[:, None]
                k = int(np.argmax(shares[0] - shares[1]))
                spread = float(np.sqrt(max(shares[1, k] * (1 - shares[1, k]), 1e-12)))
                apart = float(shares[0, k] - shares[1, k]) / max(spread, 1e-6)
                word = one.item.choices[k]
                found.append(Common(one.item.name, float(shares[0, k]), float(shares[1, k]), apart, word))
                continue
            mean = moments.total.sum() / moments.count.sum()
            variance = max(float(moments.square.sum() / moments.count.sum() - mean * mean), 0.0)
            apart = float(means[0] - means[1]) / np.sqrt(variance) if variance > 0 else 0.0
            found.append(Common(one.item.name, float(means[0]), float(means[1]), apart))
        return sorted(found, key=lambda one: -abs(one.apart))


def _one(values: Floats, k: int) -> float | Floats:
    return float(values[k]) if values.ndim == 1 else np.array(values[:, k])

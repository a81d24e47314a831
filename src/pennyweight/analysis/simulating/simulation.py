"""What may come: a deal in many drawn cases, the chance that it pays off, and how its measures fall."""

from __future__ import annotations

import time
from collections.abc import Iterator, Mapping, Sequence
from contextlib import nullcontext
from dataclasses import asdict, dataclass, field
from typing import TYPE_CHECKING, Any, ClassVar

import numpy as np

from pennyweight.analysis.cases import Model
from pennyweight.analysis.simulating.blocks import Block, Blocks, block_of
from pennyweight.analysis.simulating.chances import PERCENTILES, Chance, Spread, chance_of, spread_of
from pennyweight.analysis.simulating.draws import BATCHES
from pennyweight.analysis.simulating.falls import Falling, falling_inputs
from pennyweight.analysis.simulating.tally import BANDS, Common, Tally
from pennyweight.array_kinds import Floats
from pennyweight.cluster import Cluster, WorkedBy, cluster_of
from pennyweight.deals.compiler.program import met_name, nearly_name
from pennyweight.deals.definition import Definition
from pennyweight.deals.undefined import why_undefined
from pennyweight.documents.shown import Shown
from pennyweight.errors import InputError, nearest
from pennyweight.progress import listening, teller

if TYPE_CHECKING:
    import pandas as pd

__all__ = ["Simulation", "simulate"]

USUAL = 16_384
_FIRST = 16
"""So many cases of each batch come first; after them it is known how long all take."""
_KNOWN = 512
"""After so many cases of each batch it is known well how long all take."""
_MOST_SECONDS = 3_600.0
_MOST_AT_ONCE = 65_536
_MOST_VALUES = 2**24
_MOST_KEPT = 2**26
"""So many figures are kept at most, half a gigabyte; of more cases they are counted."""
_MOST_UNTIL = 2**22


@dataclass(frozen=True, eq=False, repr=False)
class Simulation(Shown):
    """A deal in many drawn cases. Chances and percentiles come with their errors, which hold in 95 of 100 runs.

    Notes
    -----
    `values` has every measure in every case, (cases,), NaN undefined; the cases of a batch stand together. Of more
    cases than are kept (`counted`) it has 4,096 values a batch that stand for all.

    Examples
    --------
    >>> from pennyweight import Deal
    >>> found = Deal.starter("taxi").simulate(1_024)
    >>> found.cases, found.seed, 0.2 < found.chances["pays_off"].met < 0.3
    (1024, 1, True)
    """

    INTERNAL: ClassVar[tuple[str, ...]] = ("definition", "falling", "case")

    title: str
    scenario: str
    cases: int
    asked: int
    """How many cases were asked for."""
    until: float | None
    """How well the chance that it pays off was to be known, where that was asked for."""
    seed: int
    plain: bool
    batches: int
    by_range: bool
    """Whether ranges were taken as triangles, because no input is uncertain."""
    falling: tuple[Falling, ...]
    held: tuple[str, ...]
    chances: Mapping[str, Chance]
    """By goal, and of all together ("pays_off")."""
    spreads: Mapping[str, Spread]
    values: Mapping[str, Floats]
    in_common: tuple[Common, ...]
    """What the missed cases have in common, the inputs that differ most first."""
    moved_together: Mapping[tuple[str, str], tuple[float, float]]
    """By two inputs the rank correlation that was asked for, and the one that the drawn values have."""
    fans: Mapping[str, Floats]
    """By line its percentiles 5, 25, 50, 75 and 95 in every period, (5, periods + 1)."""
    broken_off: bool
    base: Mapping[str, float]
    """The measures in the case as it stands."""
    counted: bool
    """Whether there were too many cases to keep: percentiles come from counts by leading bits, right to 2.5e-4."""
    worked_by: WorkedBy | None
    """The cluster that worked it out; None where that was done here."""
    definition: Definition
    case: Mapping[str, Any]

    @property
    def frame(self) -> pd.DataFrame:
        """One row a measure: its share of defined cases, mean, worst 5 %, percentiles."""
        import pandas as pd

        rows = [
            (name, one.defined, one.mean, one.mean_error, one.worst, *one.percentiles.values())
            for name, one in self.spreads.items()
        ]
        names = ["measure", "defined", "mean", "mean_error", "worst_5", *(f"p{level}" for level in PERCENTILES)]
        return pd.DataFrame(rows, columns=names)

    @property
    def frames(self) -> dict[str, pd.DataFrame]:
        """The measures, and the chances of the goals."""
        import pandas as pd

        rows = [
            (name, one.met, one.met_error, one.nearly, one.nearly_error, one.missed, one.missed_error)
            for name, one in self.chances.items()
        ]
        names = ["goal", "met", "met_error", "nearly", "nearly_error", "missed", "missed_error"]
        chances = {"chances": pd.DataFrame(rows, columns=names)} if rows else {}
        return {"measures": self.frame, **chances}

    def as_dict(self) -> dict[str, Any]:
        """Plain values for JSON.

        Returns
        -------
        dict[str, Any]
            Plain values for JSON.
        """
        return {
            "format": 1,
            "deal": self.title,
            "scenario": self.scenario,
            "cases": self.cases,
            "until": self.until,
            "seed": self.seed,
            "plain": self.plain,
            "broken_off": self.broken_off,
            "counted": self.counted,
            "worked_by": None if self.worked_by is None else asdict(self.worked_by),
            "drawn": [one.item.name for one in self.falling],
            "held": list(self.held),
            "chances": {
                name: {
                    "met": one.met, "nearly": one.nearly, "missed": one.missed,
                    "errors": {"met": one.met_error, "nearly": one.nearly_error, "missed": one.missed_error},
                }
                for name, one in self.chances.items()
            },
            "percentiles": {
                name: {
                    "defined": one.defined,
                    "values": {str(level): value for level, value in one.percentiles.items()},
                    "errors": {str(level): value for level, value in one.errors.items()},
                    "mean": one.mean, "mean_error": one.mean_error, "worst_5": one.worst,
                    "worst_side": one.worst_side, "undefined": list(one.reasons),
                }
                for name, one in self.spreads.items()
            },
            "missed_in_common": [
                {"input": one.input, "missed": one.missed, "others": one.others, "apart": one.apart, "word": one.word}
                for one in self.in_common
            ],
            "moved_together": [
                {"inputs": list(pair), "asked": asked, "attained": attained}
                for pair, (asked, attained) in self.moved_together.items()
            ],
            "fans": {
                name: {str(b): row.tolist() for b, row in zip(BANDS, rows, strict=True)}
                for name, rows in self.fans.items()
            },
        }  # fmt: skip


def simulate(
    model: Model,
    cases: int = USUAL,
    *,
    seed: int = 1,
    plain: bool = False,
    until: float | None = None,
    hold: Sequence[str] = (),
    only: Sequence[str] = (),
    show: Sequence[str] = (),
    fan: Sequence[str] = (),
    scenario: str = "base",
    inputs: Mapping[str, object] | None = None,
    on: object = None,
) -> Simulation:
    """Draw cases of a deal; see `Deal.simulate`."""
    deal = model.definition
    measures = _measures(deal, show)
    for name in fan:
        _check_line(model, name)
    if until is not None and not deal.goals:
        raise InputError("There is no verdict to be sure of: the deal has no goals; leave 'until' out.", at="until")
    case = dict(model.inputs_of(scenario, inputs))
    falling, held, by_range = falling_inputs(model, scenario, set(inputs or {}), hold=hold, only=only)
    per_batch = -(-cases // BATCHES)
    most = max(_power_above(per_batch) * BATCHES, _MOST_UNTIL if until is not None else 0)
    blocks = Blocks(
        model, falling, case, measures, fan, _wanted(model, measures, fan), seed, plain,
        counted=most * len(measures) > _MOST_KEPT,
    )  # fmt: skip
    tally = blocks.tally()
    with nullcontext(None) if on is None else cluster_of(on) as cluster:
        run = _Run(blocks, tally, per_batch, until, cluster)
        run.all_rounds()
    figures = {name: tally.values(name) for name in measures}
    chances = {name: chance_of(name, *tally.counts(name), tally.per_batch) for name in tally.met}
    spreads = {
        name: spread_of(
            name,
            figures[name],
            highest_is_worst=name in deal.goals and deal.goals[name].at_least is None,
            reasons=_reasons(model, case, name, tally.undefined[name]),
            counted=tally.counted.get(name),
        )
        for name in measures
    }
    standing = model.figures([case], measures)
    return Simulation(
        deal.title,
        scenario,
        tally.per_batch * BATCHES,
        cases,
        until,
        seed,
        plain,
        BATCHES,
        by_range,
        tuple(falling),
        tuple(held),
        chances,
        spreads,
        {name: values.reshape(-1) for name, values in figures.items()},
        tuple(tally.in_common()) if deal.goals else (),
        run.moved,
        {name: one.percentiles(BANDS) for name, one in tally.fans.items()},
        run.broken_off,
        {name: float(standing[name][0]) for name in measures},
        blocks.counted,
        None if cluster is None else cluster.worked_by,
        deal,
        case,
    )


@dataclass
class _Run:
    """Rounds of cases, each twice as many until a round is as large as it may be."""

    blocks: Blocks
    tally: Tally
    per_batch: int
    until: float | None
    cluster: Cluster | None
    moved: dict[tuple[str, str], tuple[float, float]] = field(default_factory=dict)
    broken_off: bool = False

    def all_rounds(self) -> None:
        """Every round; InputError where they would take more than an hour."""
        outer, started = teller(), time.perf_counter()
        target, largest = _power_above(self.per_batch), self._largest()
        try:
            with listening(lambda *told: None):
                while True:
                    known = min(target, _KNOWN)
                    for span_end in (known, target):
                        for block in self._worked_out(_spans(self.tally.per_batch, span_end, largest)):
                            self.tally.join(block.tally)
                            if block.moved:
                                self.moved = block.moved
                            done = self.tally.per_batch
                            outer("cases", done * BATCHES, target * BATCHES)
                            if done <= _KNOWN and done < target:
                                self._refuse_long(time.perf_counter() - started, target)
                    done = self.tally.per_batch
                    if self.until is None or self._sure() or done * BATCHES * 2 > _MOST_UNTIL:
                        break
                    target *= 2
                    if done <= _KNOWN:
                        self._refuse_long(time.perf_counter() - started, target)
        except KeyboardInterrupt:
            if not self.tally.per_batch:
                raise
            self.broken_off = True

    def _worked_out(self, spans: Sequence[tuple[int, int]]) -> Iterator[Block]:
        if self.cluster is None:
            return (self.blocks.worked_out(*span) for span in spans)
        return self.cluster.map(block_of, self.blocks, spans)

    def _largest(self) -> int:
        """How many cases of a batch a round may have: what it draws and draws up is held at once."""
        rows = max((np.size(one.item.value) for one in self.blocks.falling), default=1)
        rows = max(rows, self.blocks.model.program.time.rows if self.blocks.fan else 1)
        return _power_below(max(1, min(_MOST_AT_ONCE, _MOST_VALUES // rows) // BATCHES))

    def _sure(self) -> bool:
        """Whether the chance of the verdict is known as well as is asked."""
        met, nearly = self.tally.counts("pays_off")
        return chance_of("pays_off", met, nearly, self.tally.per_batch).met_error <= (self.until or 0.0)

    def _refuse_long(self, seconds: float, target: int) -> None:
        rest = seconds * (target / self.tally.per_batch) / (self.cluster.threads if self.cluster else 1)
        # What is done once weighs on the first small rounds, so that at first only what is far too long is refused.
        asks, early = bool(self.blocks.model.questions_of(self.blocks.wanted)), self.tally.per_batch < _KNOWN
        if rest > (20 if early and not asks else 1) * _MOST_SECONDS:
            slow = ", because a question is answered in every case" if asks else ""
            most = _power_below(int(target * _MOST_SECONDS / max(rest, 1e-9)) or 1) * BATCHES
            raise InputError(
                f"{target * BATCHES:,} cases would take about {_span(rest)}{slow}; ask for {most:,} or fewer.",
                at="cases",
            )


def _spans(start: int, end: int, largest: int) -> list[tuple[int, int]]:
    """(the first case, how many) of a batch of each round: each has as many as there were before, up to the largest."""
    found = []
    while start < end:
        count = min(start or _FIRST, end - start, largest)
        found.append((start, count))
        start += count
    return found


def _measures(deal: Definition, show: Sequence[str]) -> list[str]:
    known = [*deal.measures, *deal.values]
    for name in show:
        if name not in known:
            raise InputError(f"There is no measure '{name}'{nearest(name, known) or '.'} There are {', '.join(known)}.")
    found = list(dict.fromkeys(show or deal.measures))
    if not found:
        raise InputError("The deal has no measures to show; declare one under [measures].")
    return found


def _check_line(model: Model, name: str) -> None:
    deal, program = model.definition, model.program
    lines = [one for one in program.names if one[0] != "?" and program.over_time[program.names[one]]]
    if name not in lines or program.space[program.names[name]]:
        known = [one for one in lines if not program.space[program.names[one]]]
        hint = nearest(name, known) or "."
        said = "has one value for each thing of a set" if name in lines else "is no line or level of the deal"
        raise InputError(f"'{name}' {said}{hint} Lines and levels are {', '.join(known[:12])}.", at="fan")
    assert deal is not None


def _wanted(model: Model, measures: Sequence[str], fan: Sequence[str]) -> list[str]:
    known = model.program.names
    states = [key for goal in model.definition.goals for key in (met_name(goal), nearly_name(goal)) if key in known]
    return list(dict.fromkeys([*measures, *states, *fan]))


def _reasons(model: Model, case: Mapping[str, Any], name: str, samples: Sequence[Mapping[str, Any]]) -> list[str]:
    """Why a measure is undefined, as some of its cases say."""
    found = []
    for sample in samples:
        values = model.everything({**case, **sample})
        found.append(why_undefined(model.definition, values, name))
    return list(dict.fromkeys(found))


def _power_above(count: int) -> int:
    return 1 << max(count - 1, 0).bit_length()


def _power_below(count: int) -> int:
    return 1 << (max(count, 1).bit_length() - 1)


def _span(seconds: float) -> str:
    if seconds < 7_200:
        return f"{seconds / 60:,.0f} minutes"
    return f"{seconds / 3_600:,.0f} hours" if seconds < 172_800 else f"{seconds / 86_400:,.0f} days"

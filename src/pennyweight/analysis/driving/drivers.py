"""Which inputs drive a figure: its swing as each moves alone, and the share of its variance that each brings."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from contextlib import nullcontext
from dataclasses import asdict, dataclass
from typing import TYPE_CHECKING, Any, ClassVar

from pennyweight.analysis.cases import Model
from pennyweight.analysis.driving.shares import Share, Shares, shares_of
from pennyweight.analysis.driving.swings import Swing, swings
from pennyweight.analysis.plain_values import plain_place
from pennyweight.analysis.simulating.draws import BATCHES, Draws
from pennyweight.analysis.simulating.falls import Falling, falling_inputs
from pennyweight.cluster import WorkedBy, cluster_of
from pennyweight.deals.definition import Definition
from pennyweight.deals.parts import Input
from pennyweight.documents.shown import Shown
from pennyweight.errors import InputError, nearest

if TYPE_CHECKING:
    import pandas as pd

__all__ = ["Drivers", "drivers"]

USUAL = 4_096
VERDICT = "pays_off"


@dataclass(frozen=True, eq=False, repr=False)
class Drivers(Shown):
    """Which inputs drive a measure: `swings` one at a time, `shares` of all together, `verdict_shares` of the verdict.

    Examples
    --------
    >>> from pennyweight import Deal
    >>> found = Deal.starter("taxi").drivers("npv", cases=512)
    >>> found.swings[0].input, found.shares.shares[0].inputs
    ('grant_share', ('grant_share',))
    """

    INTERNAL: ClassVar[tuple[str, ...]] = ("definition", "falling")

    title: str
    scenario: str
    measure: str
    moved: float | None
    """By which share every input was moved; None: from its low to its high."""
    base: float
    """The measure as it stands; NaN where it is undefined."""
    swings: tuple[Swing, ...]
    shares: Shares | None
    """None where nothing can be drawn."""
    verdict_shares: Shares | None
    no_shares: str
    """Why nothing can be drawn."""
    cases: int
    """How many points each set of cases has."""
    seed: int
    left_out: tuple[str, ...]
    """Inputs that have no range and are not moved."""
    falling: tuple[Falling, ...]
    definition: Definition
    worked_by: WorkedBy | None = None
    """The cluster that worked the shares out; None where that was done here."""

    @property
    def frame(self) -> pd.DataFrame:
        """One row an input, the largest swing first: both ends, the figure and the verdict there."""
        import pandas as pd

        rows = [
            (
                one.input, self._plain(one.input, one.low), self._plain(one.input, one.high), one.at_low, one.at_high,
                one.size, one.verdict_low, one.verdict_high, one.idle,
            )
            for one in self.swings
        ]  # fmt: skip
        names = ["input", "low", "high", "at_low", "at_high", "swing", "verdict_low", "verdict_high", "idle"]
        return pd.DataFrame(rows, columns=names)

    @property
    def frames(self) -> dict[str, pd.DataFrame]:
        """One at a time, and the shares of variance of all together."""
        import pandas as pd

        found = {"one_at_a_time": self.frame}
        for key, shares in (("shares", self.shares), ("verdict_shares", self.verdict_shares)):
            if shares is not None and shares.shares:
                rows = [
                    (" & ".join(one.inputs), one.alone, one.alone_error, one.in_all, one.in_all_error)
                    for one in shares.shares
                ]
                names = ["inputs", "alone", "alone_error", "in_all", "in_all_error"]
                found[key] = pd.DataFrame(rows, columns=names)
        return found

    def as_dict(self) -> dict[str, Any]:
        """Plain values for JSON.

        Returns
        -------
        dict[str, Any]
            Plain values for JSON.
        """
        rows = [
            {
                "input": one.input, "low": self._plain(one.input, one.low), "high": self._plain(one.input, one.high),
                "at_low": one.at_low, "at_high": one.at_high, "swing": one.size,
                "verdict_low": one.verdict_low, "verdict_high": one.verdict_high, "idle": one.idle,
            }
            for one in self.swings
        ]  # fmt: skip
        return {
            "format": 1,
            "deal": self.title,
            "scenario": self.scenario,
            "measure": self.measure,
            "moved": self.moved,
            "base": self.base,
            "rows": rows,
            "shares": _plain_shares(self.shares),
            "verdict_shares": _plain_shares(self.verdict_shares),
            "no_shares": self.no_shares,
            "cases": self.cases,
            "seed": self.seed,
            "left_out": list(self.left_out),
            "worked_by": None if self.worked_by is None else asdict(self.worked_by),
        }

    def _plain(self, name: str, value: float) -> Any:
        return plain_place(self.definition.inputs[name], value)


def drivers(
    model: Model,
    measure: str | None = None,
    *,
    moved: float | None = None,
    cases: int = USUAL,
    seed: int = 1,
    hold: Sequence[str] = (),
    only: Sequence[str] = (),
    scenario: str = "base",
    inputs: Mapping[str, object] | None = None,
    on: object = None,
) -> Drivers:
    """What drives a measure; see `Deal.drivers`."""
    deal = model.definition
    chosen = _measure(deal, measure)
    case = dict(model.inputs_of(scenario, inputs))
    for name in (*hold, *only):
        if name not in deal.inputs:
            raise InputError(f"There is no input '{name}'{nearest(name, deal.inputs) or '.'}", at=name)
    if hold and only:
        raise InputError("Name the inputs to hold, or the only ones to move, not both.", at="only")
    may = [item for item in deal.inputs.values() if item.name not in hold and (not only or item.name in only)]
    items = [item for item in may if _moves(item, moved)]
    for name in only:
        if name not in {item.name for item in items}:
            said = "a fact, a day or a value that the deal finds" if moved is not None else "without a low and a high"
            raise InputError(f"{name} is {said}, so that it cannot be moved; name another one.", at=name)
    if not items:
        raise InputError(
            "No input has a low and a high to go to; write them beside its value, or move all by so much with 'moved'.",
            at="moved",
        )
    left_out = [item.label for item in may if item not in items and not item.fixed]
    found = swings(model, case, chosen, items, moved)
    shares = verdict = worked_by = None
    no_shares, falling, drawn = "", list[Falling](), set[str]()
    try:
        falling, _, _ = falling_inputs(model, scenario, set(inputs or {}), hold=(), only=())
        drawn = {one.item.name for one in falling}
        falling = [one for one in falling if one.item.name not in hold and (not only or one.item.name in only)]
        if len(falling) < 2:
            no_shares = "Fewer than two inputs are drawn, so that there are no shares of variance to tell apart."
    except InputError as error:
        no_shares = str(error)
    for name in hold:
        if name not in drawn and not _moves(deal.inputs[name], moved):
            raise InputError(f"{name} is not moved anyway; leave it out of what is held.", at=name)
    if no_shares and on is not None:
        raise InputError(f"A cluster works out shares of variance, and there are none here. {no_shares}", at="on")
    per_batch = 1 << max(-(-cases // BATCHES) - 1, 1).bit_length()
    if not no_shares:
        draws = Draws(deal, falling, case)
        wanted = [chosen, *([VERDICT] if deal.goals and chosen != VERDICT else [])]
        with nullcontext(None) if on is None else cluster_of(on) as cluster:
            both = shares_of(model, case, draws, wanted, seed=seed, per_batch=per_batch, cluster=cluster)
        shares, verdict = both[chosen], both.get(VERDICT)
        worked_by = None if cluster is None else cluster.worked_by
    return Drivers(
        deal.title,
        scenario,
        chosen,
        moved,
        float(model.figures([case], [chosen])[chosen][0]),
        tuple(found),
        shares,
        verdict,
        no_shares,
        per_batch * BATCHES,
        seed,
        tuple(left_out),
        tuple(falling),
        deal,
        worked_by,
    )


def _measure(deal: Definition, measure: str | None) -> str:
    known = [*deal.measures, *deal.values, *([VERDICT] if deal.goals else [])]
    if measure is None:
        measure = next(iter([*deal.goals, *deal.measures]), None)
    if measure is None:
        raise InputError("The deal has no measures to drive; declare one under [measures].", at="measure")
    if measure not in known:
        raise InputError(
            f"There is no measure '{measure}'{nearest(measure, known) or '.'} There are {', '.join(known)}.",
            at="measure",
        )
    return measure


def _moves(item: Input, moved: float | None) -> bool:
    """Whether an input moves: from its low to its high, or by a share of its value."""
    if item.fixed or item.solved or item.unit == "date":
        return False
    if item.choices:
        return not item.is_column
    if moved is not None:
        return item.is_series or bool(item.value)
    return item.low is not None and item.high is not None and item.low < item.high


def _plain_shares(shares: Shares | None) -> dict[str, Any] | None:
    if shares is None:
        return None

    def row(one: Share) -> dict[str, Any]:
        return {
            "inputs": list(one.inputs), "alone": one.alone, "alone_error": one.alone_error,
            "in_all": one.in_all, "in_all_error": one.in_all_error,
        }  # fmt: skip

    return {
        "rows": [row(one) for one in shares.shares],
        "undefined": shares.undefined,
        "refused": shares.refused,
        "deviation": shares.deviation,
    }

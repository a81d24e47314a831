"""The terms of a pot or a debt: its five quantities per period, and how payments are made."""

from __future__ import annotations

from dataclasses import dataclass
from typing import NamedTuple

from pennyweight.core.annuity import Paid
from pennyweight.core.rate_forms import effective_rate
from pennyweight.quantities.periods import PER_YEAR
from pennyweight.quantities.rates import KnownRate
from pennyweight.quantities.units import Style

__all__ = ["GROW", "REPAY", "WITHDRAW", "PlanKind", "PlanTerms", "Step"]


@dataclass(frozen=True, slots=True)
class PlanKind:
    """One of the three: its word, the names of its five quantities, the sign of its payments, and its habits."""

    word: str
    names: tuple[str, str, str, str, str]
    sign: int
    per_year: int
    quoted: bool
    """Whether a bare rate is quoted, compounding as often as is paid."""
    usual: str


GROW = PlanKind("grow", ("opening", "deposit", "rate", "years", "closing"), 1, 1, False, "closing")
REPAY = PlanKind("repay", ("owed", "payment", "rate", "years", "still_owed"), -1, 12, True, "payment")
WITHDRAW = PlanKind("withdraw", ("pot", "withdrawal", "rate", "years", "pot_left"), -1, 1, False, "withdrawal")


@dataclass(frozen=True, slots=True)
class PlanTerms:
    """The five quantities per period (None: unknown), and how payments are made.

    >>> from pennyweight import grow
    >>> grow(opening=1_000, rate="5%", years=2)
    Plan(grow: opening=1000, deposit=0, rate=0.05, years=2, closing=1102.5)
    """

    kind: PlanKind
    find: str
    start: float | None
    pay: float | None
    i: float | None
    n: float | None
    end: float | None
    g: float
    wait: float
    often: int
    quoted: float
    """How often a year the rate is said to compound; 0: it is effective."""
    paid: Paid
    style: Style

    @property
    def known_start(self) -> float:
        """The start; 0 when it is the unknown."""
        return self.start or 0.0

    @property
    def known_pay(self) -> float:
        """The first payment."""
        return self.pay or 0.0

    @property
    def known_i(self) -> float:
        """The rate per period."""
        return self.i or 0.0

    @property
    def known_n(self) -> float:
        """The number of payments."""
        return self.n or 0.0

    @property
    def known_end(self) -> float:
        """The end."""
        return self.end or 0.0

    @property
    def is_lump_sum(self) -> bool:
        """Whether nothing is paid along the way, so that the term need not make whole payments."""
        return self.find != self.kind.names[1] and not self.pay

    @property
    def period(self) -> str:
        """The word for a period."""
        words = {times: word for word, times in PER_YEAR.items()}
        return words.get(self.often, "period")

    def yearly(self, per_period: float) -> float:
        """A rate per period as an effective yearly one."""
        if per_period <= -1:
            return KnownRate(-1.0)
        return KnownRate(float(effective_rate(per_period * self.often, self.often)))


class Step(NamedTuple):
    """One period of a pot or a debt."""

    period: int
    opening: float
    interest: float
    paid: float
    closing: float

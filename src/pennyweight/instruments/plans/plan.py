"""A pot or a debt worked out: its answer, and its working."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from math import expm1, floor, inf, log1p
from typing import TYPE_CHECKING, Any, ClassVar

from pennyweight.core import annuity
from pennyweight.documents.shown import Shown
from pennyweight.instruments.plans.plan_formula import PlanFormula, plan_formula
from pennyweight.instruments.plans.plan_terms import PlanTerms, Step
from pennyweight.quantities.numbers import whole
from pennyweight.quantities.rates import KnownRate

if TYPE_CHECKING:
    import pandas as pd

__all__ = ["Plan", "PlanWorking"]


@dataclass(frozen=True, repr=False)
class Plan(Shown):
    """What `grow`, `repay` and `withdraw` return. `answer` is the unknown in its own unit: money, an effective yearly
    rate, or years.

    Examples
    --------
    >>> from pennyweight import grow
    >>> grow(opening=1_000, rate="5%", years=2)
    Plan(grow: opening=1000, deposit=0, rate=0.05, years=2, closing=1102.5)
    """

    INTERNAL: ClassVar[tuple[str, ...]] = ("terms",)

    terms: PlanTerms

    def __repr__(self) -> str:
        found = ", ".join(f"{name}={value:.10g}" for name, value in self.quantities.items())
        return f"Plan({self.terms.kind.word}: {found})"

    @property
    def find(self) -> str:
        """The name of the unknown."""
        return self.terms.find

    @property
    def answer(self) -> float:
        """The unknown: an amount, an effective yearly rate (quoted for a debt: see `nominal`), or years."""
        return self.quantities[self.find]

    @property
    def effective(self) -> float:
        """The rate, effective a year."""
        return self.terms.yearly(self.terms.known_i)

    @property
    def nominal(self) -> float:
        """The rate as quoted, compounding as `compounding` said, else as often as is paid."""
        t = self.terms
        if t.quoted in (0.0, t.often):
            return KnownRate(t.known_i * t.often)
        if t.known_i <= -1:
            return KnownRate(-1.0)
        # By logarithms from the rate of a period: the yearly one may be beyond a double.
        growth = log1p(t.known_i) * t.often
        return KnownRate(growth if t.quoted == inf else t.quoted * expm1(growth / t.quoted))

    @cached_property
    def quantities(self) -> dict[str, float]:
        """All five by name; the rate in the form a bare one of this kind is meant in."""
        t = self.terms
        rate = self.nominal if t.quoted else self.effective
        return dict(
            zip(t.kind.names, (t.known_start, t.known_pay, rate, t.known_n / t.often, t.known_end), strict=True)
        )

    @property
    def whole_payments(self) -> int:
        """How many full payments there are."""
        count = self.terms.known_n
        near = round(count) if count != inf else 0
        return near if count != inf and abs(count - near) <= 1e-9 * max(count, 1.0) else floor(min(count, 1e9))

    @cached_property
    def last_payment(self) -> float | None:
        """The smaller payment that follows the full ones, one period after the last; None when none does.

        A debt's clears what is owed beyond `still_owed`, a pot's takes what there is beyond `pot_left`; a growing
        pot's is the deposit that is still missing then.
        """
        t = self.terms
        whole = self.whole_payments
        if t.is_lump_sum or t.known_n == inf or abs(t.known_n - whole) <= 1e-9 * max(t.known_n, 1.0):
            return None
        grown = 1 + t.known_i
        left = self._standing(whole)
        last = t.kind.sign * (t.known_end / grown - left if t.paid == "start" else t.known_end - left * grown)
        # Interest alone may carry a pot past its closing before the next deposit falls due.
        return max(last, 0.0)

    def _standing(self, count: int) -> float:
        """What stands after `count` payments' periods."""
        t = self.terms
        factor = float(annuity.annuity_factor(t.known_i, count, growth_per_period=t.g, paid=t.paid)) if count else 0.0
        begun = t.known_start * (1 + t.known_i) ** t.wait
        return float((begun + t.kind.sign * t.known_pay * factor) * (1 + t.known_i) ** count)

    @property
    def frame(self) -> pd.DataFrame:
        """Step by step: period, opening, interest, paid, closing; a perpetuity shows its first ten."""
        import pandas as pd

        return pd.DataFrame(self.steps(), columns=Step._fields).set_index("period")

    def steps(self) -> list[Step]:
        """Every period with what stands at its beginning, its interest, what is paid, and what stands at its end.

        Returns
        -------
        list[Step]
            Every period with what stands at its beginning, its interest, what is paid, and what stands at its end.

        Examples
        --------
        >>> from pennyweight import grow
        >>> [step.closing for step in grow(opening=1_000, rate="5%", years=2, per_year=1).steps()]
        [1050.0, 1102.5]
        """
        t = self.terms
        standing = t.known_start
        rows: list[Step] = []
        waiting = round(t.wait) if abs(t.wait - round(t.wait)) < 1e-9 else 0
        if not waiting:
            standing *= (1 + t.known_i) ** t.wait
        count = 10 if t.known_n == inf else self.whole_payments
        for k in range(1, waiting + count + 1):
            pay = t.known_pay * (1 + t.g) ** (k - waiting - 1) if k > waiting else 0.0
            rows.append(self._step(k, standing, pay))
            standing = rows[-1].closing
        if self.last_payment is not None:
            rows.append(self._step(waiting + count + 1, standing, self.last_payment))
        elif t.is_lump_sum and t.known_n != inf and t.known_n - count > 1e-9:
            interest = standing * expm1((t.known_n - count) * log1p(t.known_i)) if t.known_i > -1 else -standing
            rows.append(Step(waiting + count + 1, standing, interest, 0.0, standing + interest))
        return rows

    def _step(self, k: int, opening: float, pay: float) -> Step:
        t = self.terms
        first = t.kind.sign * pay if t.paid == "start" else 0.0
        interest = (opening + first) * t.known_i
        return Step(k, opening, interest, pay, opening + interest + t.kind.sign * pay)

    def as_dict(self) -> dict[str, Any]:
        """Plain values for JSON; a term without end is null, with `forever` beside it.

        Returns
        -------
        dict[str, Any]
            Plain values for JSON; a term without end is null, with `forever` beside it.
        """
        t = self.terms
        five = {name: None if value == inf else value for name, value in self.quantities.items()}
        return {
            "format": 1,
            "find": self.find,
            "answer": None if self.answer == inf else self.answer,
            **five,
            "forever": t.known_n == inf,
            "nominal": self.nominal,
            "effective": self.effective,
            "per_year": t.often,
            "compounding": "continuous" if t.quoted == inf else "effective" if not t.quoted else t.quoted,
            "paid": t.paid,
            "whole_payments": None if t.known_n == inf else self.whole_payments,
            "last_payment": self.last_payment,
        }

    def working(self, *, places: int | None = None) -> PlanWorking:
        """How the answer comes about; with `places` the factors are rounded as in a hand calculation.

        Parameters
        ----------
        places : int | None, optional
            Decimals of the factors, as by hand; None: all of them.

        Returns
        -------
        PlanWorking
            See `PlanWorking` for what it holds.

        Raises
        ------
        InputError
            Something given cannot be right; the message names it and says what would be.

        Examples
        --------
        >>> from pennyweight import grow
        >>> grow(opening=1_000, rate="5%", years=2).working().plan.answer
        1102.5
        """
        return PlanWorking(self, places)

    def shown(self, name: str) -> str:
        """One of the five as it is shown.

        Parameters
        ----------
        name : str
            One of `quantities`.

        Returns
        -------
        str
            One of the five as it is shown.

        Examples
        --------
        >>> from pennyweight import grow
        >>> grow(opening=1_000, rate="5%", years=2, currency="EUR").shown("closing")
        'EUR 1,102.50'
        """
        t = self.terms
        if name == "rate":
            return t.style.rate_in_both_forms(self.effective, t.quoted or t.often)
        if name == "years":
            return "forever" if t.known_n == inf else t.style.with_unit(self.quantities[name], "years")
        return t.style.with_unit(self.quantities[name], "money")


@dataclass(frozen=True, repr=False)
class PlanWorking(Shown):
    """The working of a plan: known, asked, formula in symbols, numbers put in, step by step.

    Examples
    --------
    >>> from pennyweight import grow
    >>> working = grow(opening=1_000, rate="5%", years=2).working(places=4)
    >>> working.plan.find, working.places
    ('closing', 4)
    """

    plan: Plan
    places: int | None

    def __post_init__(self) -> None:
        super().__post_init__()
        if self.places is not None:
            object.__setattr__(self, "places", whole(self.places, what="places", least=0, most=12))

    @property
    def frame(self) -> pd.DataFrame:
        """The steps."""
        return self.plan.frame

    @property
    def formula(self) -> str:
        """The formula in symbols, solved for the unknown where that can be done."""
        return self.told.symbols

    @property
    def by_hand(self) -> float | None:
        """The answer with factors rounded to `places`; None when none are asked for or the answer needs no factor."""
        return self.told.by_hand

    def as_dict(self) -> dict[str, Any]:
        """The plan's own values, with formula and steps.

        Returns
        -------
        dict[str, Any]
            The plan's own values, with formula and steps.
        """
        symbols, numbers, by_hand = self.told.symbols, self.told.numbers, self.told.by_hand
        steps = [step._asdict() for step in self.plan.steps()]
        found: dict[str, Any] = {"formula": symbols, "numbers": numbers, "steps": steps}
        if by_hand is not None:
            found |= {"places": self.places, "by_hand": by_hand, "difference": by_hand - self.plan.answer}
        return {**self.plan.as_dict(), "working": found}

    @cached_property
    def told(self) -> PlanFormula:
        """The formula with its numbers in."""
        return plan_formula(self.plan.terms, self.places)

"""A pot or a debt worked out: its answer, what it means in practice, and its working step by step."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from math import expm1, floor, inf, log1p
from typing import TYPE_CHECKING, Any, NamedTuple

from pennyweight.core import annuity
from pennyweight.core.annuity import Paid
from pennyweight.core.rate_forms import effective_rate
from pennyweight.documents import Block, Cell, Document, FigureLine, Figures, Text
from pennyweight.documents.derivation import Whys
from pennyweight.documents.shown import Shown
from pennyweight.quantities.periods import PER_YEAR
from pennyweight.quantities.rates import KnownRate
from pennyweight.quantities.units import Style

if TYPE_CHECKING:
    import pandas as pd

    from pennyweight.instruments.plans.plan_working import PlanWorking

__all__ = ["Plan", "PlanKind", "PlanTerms", "Step"]


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


@dataclass(frozen=True, repr=False)
class Plan(Shown):
    """What `grow`, `repay` and `withdraw` return. `answer` is the unknown in its own unit: money, an effective yearly
    rate, or years.

    >>> from pennyweight import grow
    >>> grow(opening=1_000, rate="5%", years=2)
    Plan(grow: opening=1000, deposit=0, rate=0.05, years=2, closing=1102.5)
    """

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
        """Plain values for JSON; a term without end is null, with `forever` beside it."""
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

        >>> from pennyweight import grow
        >>> grow(opening=1_000, rate="5%", years=2).working().plan.answer
        1102.5
        """
        from pennyweight.instruments.plans.plan_working import PlanWorking

        return PlanWorking(self, places)

    def _working_blocks(self) -> tuple[Block, ...]:
        return self.working().document().blocks

    def _whys(self) -> Whys:
        from pennyweight.pages.plans.plan_whys import plan_whys

        return plan_whys(self)

    def document(self) -> Document:
        """The answer, what it means in practice, and the command that gives a debt to the cent."""
        t, style = self.terms, self.terms.style
        lines = [FigureLine(_words(self.find).capitalize(), Cell(self.shown(self.find), "question"), self._practice())]
        lines += [
            FigureLine(_words(name).capitalize(), Cell(self.shown(name))) for name in t.kind.names if name != self.find
        ]
        total = sum(step.paid for step in self.steps())
        interest = sum(step.interest for step in self.steps())
        if t.known_n != inf and not t.is_lump_sum:
            word = {"grow": "Paid in", "repay": "Total paid", "withdraw": "Total taken out"}[t.kind.word]
            lines += [
                FigureLine(word, Cell(style.with_unit(total, "money"))),
                FigureLine("Total interest", Cell(style.with_unit(interest, "money"))),
            ]
        blocks: list[Block] = [Figures("Answer", tuple(lines)), Text(self._habits(), "comparison")]
        if t.kind.word == "repay" and t.known_n != inf:
            blocks.append(Text(f"Unrounded. {self._to_the_cent()}", "comparison"))
        titles = {"grow": "Growing a pot", "repay": "Paying down a debt", "withdraw": "Living on a pot"}
        return Document(titles[t.kind.word], tuple(blocks))

    def shown(self, name: str) -> str:
        """One of the five as it is shown.

        `name` is one of `quantities`.

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

    def _practice(self) -> str:
        if self.find != "years":
            return ""
        if self.terms.is_lump_sum:
            whole = abs(self.terms.known_n - self.whole_payments) <= 1e-9 * max(self.terms.known_n, 1.0)
            return "" if whole else f"reached in period {self.whole_payments + 1}"
        count = self.whole_payments
        if self.last_payment is None:
            return f"{count} payments"
        if self.last_payment == 0:
            return f"reached in period {count + 1}, by interest alone after {count} {_words(self.terms.kind.names[1])}s"
        return f"{count} payments in full, then one of {self.terms.style.show(self.last_payment, 'money')}"

    def _to_the_cent(self) -> str:
        """The `loan` command that gives the same debt as a lender's books have it, where it can."""
        t = self.terms
        count = t.known_n
        if (
            t.paid == "start"
            or t.is_lump_sum
            or t.g
            or t.wait
            or t.known_end
            or (abs(count - round(count)) > 1e-9 and self.find != "years")
        ):
            return "A lender's books round every payment to the cent."
        owed, rate = f"{t.known_start:.{t.style.places}f}", f"{self.nominal * 100:.10g}%"
        years = f"--payment {t.known_pay:.2f}" if self.find == "years" else f"--years {count / t.often:g}"
        often = "" if t.often == 12 else f" --per-year {t.often}"
        if t.quoted != t.often:
            often += f" --compounding {'continuous' if t.quoted == inf else f'{t.quoted:g}'}"
        currency = f" --currency {t.style.currency}" if t.style.currency else ""
        return f"To the cent: pennyweight loan --amount {owed} --rate {rate} {years}{often}{currency}"

    def _habits(self) -> str:
        t = self.terms
        pay = _words(t.kind.names[1])
        if t.is_lump_sum:
            return f"Nothing is paid along the way; interest is added each {t.period}."
        said = f"A {pay} at the {t.paid} of each {t.period}"
        if t.g:
            said += f", growing by {t.yearly(t.g):.2%} a year from one to the next"
        if t.wait:
            said += f", the first period beginning after {t.wait / t.often:g} years"
        return said + "."


def _words(name: str) -> str:
    return name.replace("_", " ")

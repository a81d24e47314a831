"""The working of a plan: what is known, the formula in symbols, the numbers put in, and every step."""

from __future__ import annotations

from dataclasses import dataclass
from math import inf
from typing import TYPE_CHECKING, Any

from pennyweight.core import annuity
from pennyweight.documents import Cell, Checks, Column, Document, Table, Text
from pennyweight.documents.derivation import Whys, in_full
from pennyweight.documents.shown import Shown
from pennyweight.documents.tables import ends, some_rows
from pennyweight.instruments.plans.plan import Plan
from pennyweight.quantities.numbers import whole

if TYPE_CHECKING:
    import pandas as pd

__all__ = ["PlanWorking"]


@dataclass(frozen=True, repr=False)
class PlanWorking(Shown):
    """The working of a plan: known, asked, formula in symbols, numbers put in, step by step.

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
        return self.in_numbers()[0]

    @property
    def by_hand(self) -> float | None:
        """The answer with factors rounded to `places`; None when none are asked for or the answer needs no factor."""
        return self.in_numbers()[2]

    def as_dict(self) -> dict[str, Any]:
        """The plan's own values, with formula and steps."""
        symbols, numbers, by_hand = self.in_numbers()
        steps = [step._asdict() for step in self.plan.steps()]
        found: dict[str, Any] = {"formula": symbols, "numbers": numbers, "steps": steps}
        if by_hand is not None:
            found |= {"places": self.places, "by_hand": by_hand, "difference": by_hand - self.plan.answer}
        return {**self.plan.as_dict(), "working": found}

    def _whys(self) -> Whys:
        return self.plan._whys()

    def document(self) -> Document:
        """The plan's page with its working below."""
        page, t = self.plan.document(), self.plan.terms
        symbols, numbers, by_hand = self.in_numbers()
        name = self.plan.find.replace("_", " ")
        lines = [
            f"Formula: {symbols}.",
            f"Numbers in: {numbers}, which gives {name} {self.plan.shown(self.plan.find)}.",
        ]
        if by_hand is not None:
            away = t.style.show(by_hand - self.plan.answer, "money", sign=True)
            hand = t.style.with_unit(by_hand, "money")
            lines.append(f"With factors rounded to {self.places} places: {hand}, {away} away from the exact answer.")
        known = f"i is the rate of one {t.period}, {t.known_i:.6%}; n is the number of payments, "
        known += "without end" if t.known_n == inf else f"{t.known_n:,.4f}".rstrip("0").rstrip(".")
        known += f"; g is the growth from one payment to the next, {t.g:.6%}." if t.g else "."
        blocks = (
            *page.blocks,
            *(Text(line) for line in lines),
            Text(known, "comparison"),
            self._table(),
            Checks(self._checks()),
        )
        return Document(page.title, blocks)

    def in_numbers(self) -> tuple[str, str, float | None]:
        """(the formula in symbols, the same with the numbers in, the answer with rounded factors).

        >>> from pennyweight import withdraw
        >>> withdraw(pot=10_000, rate="4%", years="forever").working().in_numbers()[:2]
        ('withdrawal = pot × (i - g)', '10,000.00 × (0.04 - 0)')
        """
        t = self.plan.terms
        start, pay, _, _, end = t.kind.names
        i, n = t.known_i, t.known_n
        if n == inf:
            return (*self._forever(), None)
        if i <= -1:  # all is lost: nothing is worth anything at the start
            s, e = self._money(t.known_start), self._money(t.known_end)
            return f"{end} = {start} × (1 + i)^n", f"{e} = {s} × 0", None
        factor = float(annuity.annuity_factor(i, n, growth_per_period=t.g, paid=t.paid)) / (1 + i) ** t.wait
        discount = (1 + i) ** -(n + t.wait)
        names = self._factor_names()
        sign = "-" if t.kind.sign > 0 else "+"
        rounded = (
            (factor, discount) if self.places is None else (round(factor, self.places), round(discount, self.places))
        )
        a, v = (f"{value:.10g}" if self.places is None else f"{value:.{self.places}f}" for value in rounded)
        s, p, e = (self._money(value) for value in (t.known_start, t.known_pay, t.known_end))
        by_hand: float | None = None
        if self.plan.find == start:
            symbols, numbers = f"{start} = {end} × v {sign} {pay} × a", f"{e} × {v} {sign} {p} × {a}"
            by_hand = t.known_end * rounded[1] - t.kind.sign * t.known_pay * rounded[0]
        elif self.plan.find == pay:
            up, down = ((end, start), (e, s)) if t.kind.sign > 0 else ((start, end), (s, e))
            over = f"({up[0]} × v - {up[1]}) / a" if t.kind.sign > 0 else f"({up[0]} - {up[1]} × v) / a"
            filled = (
                f"({down[0]} × {v} - {down[1]}) / {a}" if t.kind.sign > 0 else f"({down[0]} - {down[1]} × {v}) / {a}"
            )
            symbols, numbers = f"{pay} = {over}", filled
            by_hand = t.kind.sign * (t.known_end * rounded[1] - t.known_start) / rounded[0] if rounded[0] else None
        elif self.plan.find == end:
            plus = "+" if t.kind.sign > 0 else "-"
            symbols, numbers = f"{end} = ({start} {plus} {pay} × a) / v", f"({s} {plus} {p} × {a}) / {v}"
            by_hand = (t.known_start + t.kind.sign * t.known_pay * rounded[0]) / rounded[1] if rounded[1] else None
        else:
            plus = "+" if t.kind.sign > 0 else "-"
            unknown = "n" if self.plan.find == "years" else "i"
            symbols = f"{start} {plus} {pay} × a = {end} × v, solved for {unknown}"
            numbers = f"{s} {plus} {p} × {a} = {e} × {v}"
        return f"{symbols}, with {names}", numbers, by_hand if self.places is not None else None

    def _forever(self) -> tuple[str, str]:
        """(symbols, numbers) of a perpetuity: pot = payment / (i - g), a period sooner when paid at the start."""
        t = self.plan.terms
        start, pay, *_ = t.kind.names
        i, g, at_start = f"{t.known_i:.10g}", f"{t.g:.10g}", t.paid == "start"
        s, p, apart = self._money(t.known_start), self._money(t.known_pay), f"({i} - {g})"
        waited = ("", "") if not t.wait else (f" × (1 + i)^-{t.wait:g}", f" × (1 + {i})^-{t.wait:g}")
        waits = ("", "") if not t.wait else (f" × (1 + i)^{t.wait:g}", f" × (1 + {i})^{t.wait:g}")
        if self.plan.find == start:
            due = (" × (1 + i)", f" × (1 + {i})") if at_start else ("", "")
            return f"{start} = {pay} / (i - g){due[0]}{waited[0]}", f"{p} / {apart}{due[1]}{waited[1]}"
        if self.plan.find == pay:
            due = (" / (1 + i)", f" / (1 + {i})") if at_start else ("", "")
            return f"{pay} = {start} × (i - g){due[0]}{waits[0]}", f"{s} × {apart}{due[1]}{waits[1]}"
        if at_start:
            return f"i = ({pay} + g × {start}) / ({start} - {pay})", f"({p} + {g} × {s}) / ({s} - {p})"
        return f"i = {pay} / {start} + g", f"{p} / {s} + {g}"

    def _factor_names(self) -> str:
        t = self.plan.terms
        top = "(1 - ((1 + g) / (1 + i))^n) / (i - g)" if t.g else "(1 - (1 + i)^-n) / i"
        due = " × (1 + i)" if t.paid == "start" else ""
        wait = f" × (1 + i)^-{t.wait:g}" if t.wait else ""
        return f"a = {top}{due}{wait} and v = (1 + i)^-{'(n + ' + format(t.wait, 'g') + ')' if t.wait else 'n'}"

    def _money(self, value: float) -> str:
        return in_full(value, self.plan.terms.style.places)

    def _table(self) -> Table:
        word = {"grow": "Paid in", "repay": "Paid", "withdraw": "Taken out"}[self.plan.terms.kind.word]
        columns = (Column("Period", words=True), Column("Opening"), Column("Interest"), Column(word), Column("Closing"))
        steps = self.plan.steps()
        rows = [
            (Cell(f"{step.period}"), *(Cell(self.plan.terms.style.show(value, "money")) for value in step[1:]))
            for step in steps
        ]
        shown, note = some_rows(rows, ends(len(rows), 6), "periods")
        return Table("Step by step", columns, shown, note)

    def _checks(self) -> tuple[tuple[bool, str], ...]:
        t, steps = self.plan.terms, self.plan.steps()
        if t.known_n == inf or not steps or self.plan.last_payment == 0:
            return ()
        end = steps[-1].closing
        size = max(abs(t.known_start), abs(t.known_end), sum(abs(step.paid) for step in steps), 1e-300)
        fractional = self.plan.find != "years" and self.plan.last_payment is not None
        shown = t.style.show(end, "money")
        sentence = f"The steps end at {shown}, as the formula says."
        if fractional:
            sentence = f"The steps end at {shown} after a last, smaller payment."
        return ((bool(abs(end - t.known_end) <= 1e-9 * size), sentence),)

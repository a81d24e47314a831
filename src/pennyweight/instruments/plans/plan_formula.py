"""The formula of a plan, solved for its unknown where that can be done, and the numbers put in."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from math import inf
from types import MappingProxyType

from pennyweight.core import annuity
from pennyweight.documents.derivation import in_full
from pennyweight.instruments.plans.plan_terms import PlanTerms

__all__ = ["PlanFormula", "plan_formula"]


@dataclass(frozen=True, slots=True)
class PlanFormula:
    """`left` = `right` in symbols, the same with the numbers in, and what the factors in it are."""

    left: str
    right: str
    numbers: str
    factors: Mapping[str, str] = field(default_factory=lambda: MappingProxyType({}))
    solved_for: str = ""
    by_hand: float | None = None
    """The answer with rounded factors, when these are asked for."""

    @property
    def equation(self) -> str:
        """Both sides."""
        return f"{self.left} = {self.right}"

    @property
    def symbols(self) -> str:
        """Both sides, what they are solved for, and what the letters are."""
        solved = f", solved for {self.solved_for}" if self.solved_for else ""
        names = " and ".join(f"{letter} = {how}" for letter, how in self.factors.items())
        return f"{self.equation}{solved}{', with ' if names else ''}{names}"


def plan_formula(t: PlanTerms, places: int | None = None) -> PlanFormula:
    """The formula of these terms; with `places` its factors are rounded as in a hand calculation."""
    start, pay, _, _, end = t.kind.names
    i, n = t.known_i, t.known_n
    if n == inf:
        return _forever(t)
    if i <= -1:  # all is lost: nothing is worth anything at the start
        s, e = _money(t, t.known_start), _money(t, t.known_end)
        return PlanFormula(end, f"{start} × (1 + i)^n", f"{e} = {s} × 0")
    factor = float(annuity.annuity_factor(i, n, growth_per_period=t.g, paid=t.paid)) / (1 + i) ** t.wait
    discount = (1 + i) ** -(n + t.wait)
    sign = "-" if t.kind.sign > 0 else "+"
    rounded = (factor, discount) if places is None else (round(factor, places), round(discount, places))
    a, v = (f"{value:.10g}" if places is None else f"{value:.{places}f}" for value in rounded)
    s, p, e = (_money(t, value) for value in (t.known_start, t.known_pay, t.known_end))
    by_hand: float | None = None
    solved_for = ""
    if t.find == start:
        left, right, numbers = start, f"{end} × v {sign} {pay} × a", f"{e} × {v} {sign} {p} × {a}"
        by_hand = t.known_end * rounded[1] - t.kind.sign * t.known_pay * rounded[0]
    elif t.find == pay:
        up, down = ((end, start), (e, s)) if t.kind.sign > 0 else ((start, end), (s, e))
        over = f"({up[0]} × v - {up[1]}) / a" if t.kind.sign > 0 else f"({up[0]} - {up[1]} × v) / a"
        filled = f"({down[0]} × {v} - {down[1]}) / {a}" if t.kind.sign > 0 else f"({down[0]} - {down[1]} × {v}) / {a}"
        left, right, numbers = pay, over, filled
        by_hand = t.kind.sign * (t.known_end * rounded[1] - t.known_start) / rounded[0] if rounded[0] else None
    elif t.find == end:
        plus = "+" if t.kind.sign > 0 else "-"
        left, right, numbers = end, f"({start} {plus} {pay} × a) / v", f"({s} {plus} {p} × {a}) / {v}"
        by_hand = (t.known_start + t.kind.sign * t.known_pay * rounded[0]) / rounded[1] if rounded[1] else None
    else:
        plus = "+" if t.kind.sign > 0 else "-"
        solved_for = "n" if t.find == "years" else "i"
        left, right = f"{start} {plus} {pay} × a", f"{end} × v"
        numbers = f"{s} {plus} {p} × {a} = {e} × {v}"
    return PlanFormula(left, right, numbers, _factors(t), solved_for, by_hand if places is not None else None)


def _forever(t: PlanTerms) -> PlanFormula:
    """That of a perpetuity: pot = payment / (i - g), a period sooner when paid at the start."""
    start, pay, *_ = t.kind.names
    i, g, at_start = f"{t.known_i:.10g}", f"{t.g:.10g}", t.paid == "start"
    s, p, apart = _money(t, t.known_start), _money(t, t.known_pay), f"({i} - {g})"
    waited = ("", "") if not t.wait else (f" × (1 + i)^-{t.wait:g}", f" × (1 + {i})^-{t.wait:g}")
    waits = ("", "") if not t.wait else (f" × (1 + i)^{t.wait:g}", f" × (1 + {i})^{t.wait:g}")
    if t.find == start:
        due = (" × (1 + i)", f" × (1 + {i})") if at_start else ("", "")
        return PlanFormula(start, f"{pay} / (i - g){due[0]}{waited[0]}", f"{p} / {apart}{due[1]}{waited[1]}")
    if t.find == pay:
        due = (" / (1 + i)", f" / (1 + {i})") if at_start else ("", "")
        return PlanFormula(pay, f"{start} × (i - g){due[0]}{waits[0]}", f"{s} × {apart}{due[1]}{waits[1]}")
    if at_start:
        return PlanFormula("i", f"({pay} + g × {start}) / ({start} - {pay})", f"({p} + {g} × {s}) / ({s} - {p})")
    return PlanFormula("i", f"{pay} / {start} + g", f"{p} / {s} + {g}")


def _factors(t: PlanTerms) -> dict[str, str]:
    top = "(1 - ((1 + g) / (1 + i))^n) / (i - g)" if t.g else "(1 - (1 + i)^-n) / i"
    due = " × (1 + i)" if t.paid == "start" else ""
    wait = f" × (1 + i)^-{t.wait:g}" if t.wait else ""
    return {"a": f"{top}{due}{wait}", "v": f"(1 + i)^-{'(n + ' + format(t.wait, 'g') + ')' if t.wait else 'n'}"}


def _money(t: PlanTerms, value: float) -> str:
    return in_full(value, t.style.places)

"""Where each form of a rate comes from."""

from __future__ import annotations

from math import exp, inf
from typing import TYPE_CHECKING

from pennyweight.documents.derivation import Derivation, Whys, bracketed, derivation_table, digits
from pennyweight.pages.rates.rate_derivations import effective_derivation, quoted_derivation
from pennyweight.quantities.periods import FREQUENCIES
from pennyweight.quantities.rates import read_rate
from pennyweight.quantities.units import Style

if TYPE_CHECKING:
    from pennyweight.instruments.rates.rate_facts import RateFacts

__all__ = ["rate_whys"]


def rate_whys(facts: RateFacts) -> Whys:
    """Every form of the rate, and every way to quote it."""
    style, effective, often = Style(), facts.effective, facts.compounding

    def shown(rate: float) -> str:
        return style.show(rate, "rate", places=4)

    figures = {
        "Effective": _effective(facts, shown(effective)),
        "Quoted": quoted_derivation(shown(facts.nominal), effective, often),
        "In advance": _in_advance(shown(facts.in_advance), effective, often),
    }
    multiple = "doubles" if facts.times == 2 else f"comes to {facts.times:g} times"
    years = facts.years()
    figures[f"A pot {multiple} in"] = Derivation(
        style.with_unit(years, "years"), "log(times) / log(1 + effective)",
        f"log({digits(facts.times)}) / log(1 + {bracketed(digits(effective))})",
    ) if years is not None else Derivation("undefined", "never at this rate")  # fmt: skip
    if facts.inflation is not None:
        real = (1 + effective) / (1 + facts.inflation) - 1
        told = f"(1 + {bracketed(digits(effective))}) / (1 + {bracketed(digits(facts.inflation))}) - 1"
        figures["Real"] = Derivation(shown(real), "(1 + effective) / (1 + rise of prices) - 1", told)
    found = {("Forms", label): derivation_table(label, {label: one}) for label, one in figures.items()}
    for way, (quoted, each) in facts.forms.items():
        told_by_way = {"Quoted": quoted_derivation(shown(quoted), effective, FREQUENCIES[way])}
        if FREQUENCIES[way] != inf:
            told_by_way["Per period"] = Derivation(
                shown(each), "quoted / periods a year", f"{bracketed(digits(quoted))} / {FREQUENCIES[way]:g}"
            )
        found[facts.TABLE, way] = derivation_table(f"Quoted {way}", told_by_way)
    return found


def _effective(facts: RateFacts, shown: str) -> Derivation:
    """The effective rate from the one that was given, in the form in which that comes to it."""
    given = read_rate(facts.given)
    value = given.value
    if abs(value - facts.effective) <= 1e-12 * max(1.0, abs(value)):
        return Derivation(shown, "given: the rate is effective as it stands")
    often = [given.compounding] if given.compounding else [*range(1, 366), inf]
    for m in often:
        as_quoted = exp(value) - 1 if m == inf else (1 + value / m) ** m - 1
        if abs(as_quoted - facts.effective) <= 1e-9 * max(1.0, abs(facts.effective)):
            return effective_derivation(shown, value, m)
        if value < m != inf and abs((1 - value / m) ** -m - 1 - facts.effective) <= 1e-9 * max(1.0, facts.effective):
            return Derivation(
                shown, "(1 - discount / m)^-m - 1", f"(1 - {bracketed(digits(value))} / {m:g})^-{m:g} - 1"
            )
    return Derivation(shown, "what the rate as it was given earns in a year")


def _in_advance(shown: str, effective: float, often: float) -> Derivation:
    if often == inf:
        return Derivation(shown, "log(1 + effective)", f"log(1 + {bracketed(digits(effective))})")
    told = f"{often:g} × (1 - (1 + {bracketed(digits(effective))})^(-1 / {often:g}))"
    return Derivation(shown, "m × (1 - (1 + effective)^(-1 / m))", told)

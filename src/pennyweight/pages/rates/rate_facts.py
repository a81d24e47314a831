"""The page of a rate: its forms, the time to multiply, and every way to quote it."""

from __future__ import annotations

from functools import partial
from math import exp, inf

from pennyweight.documents import Cell, Column, Document, FigureLine, Figures, Row, Table, Text
from pennyweight.documents.derivation import Derivation, Why, bracketed, digits
from pennyweight.instruments.rates.rate_facts import RateFacts
from pennyweight.pages.rates.rate_derivations import effective_derivation, quoted_derivation
from pennyweight.quantities.periods import FREQUENCIES, word_for
from pennyweight.quantities.rates import read_rate
from pennyweight.quantities.units import Style

__all__ = ["document"]


def document(facts: RateFacts) -> Document:
    """Both forms, the time to multiply, and every way to compound."""
    word, effective, often = word_for(facts.compounding), facts.effective, facts.compounding
    lines = [
        _line("Effective", _shown(effective), "a year", partial(_effective, facts), asked=True),
        _line(
            "Quoted",
            _shown(facts.nominal),
            f"a year, {word}: (1 + effective)^(1/m) = 1 + quoted/m",
            partial(quoted_derivation, _shown(facts.nominal), effective, often),
        ),
        _line(
            "In advance",
            _shown(facts.in_advance),
            f"a year, {word}: interest taken at the start, a discount",
            partial(_in_advance, _shown(facts.in_advance), effective, often),
        ),
    ]
    multiple = "doubles" if facts.times == 2 else f"comes to {facts.times:g} times"
    years = facts.years()
    note = "never at this rate" if years is None else "log(times) / log(1 + rate)"
    lines.append(
        _line(f"A pot {multiple} in", Style().with_unit(years, "years"), note, partial(_multiplied, facts, years))
    )
    if facts.inflation is not None:
        note = f"a year, with prices rising {facts.inflation:.2%}: (1 + rate) / (1 + rise) - 1"
        real = (1 + effective) / (1 + facts.inflation) - 1
        lines.append(_line("Real", _shown(real), note, partial(_real, _shown(real), effective, facts.inflation)))
    rows = tuple(
        Row(
            (Cell(way), Cell(_shown(quoted)), Cell("-" if FREQUENCIES[way] == inf else _shown(each))),
            Why(f"Quoted {way}", partial(_way, facts, way)),
        )
        for way, (quoted, each) in facts.forms.items()
    )
    columns = (Column("Compounding", words=True), Column("Quoted"), Column("Per period"))
    return Document(
        f"The rate {facts.given}",
        (
            Figures("Forms", tuple(lines)),
            Table("The same rate, quoted", columns, rows),
            Text("All of these rates earn the same in a year.", "comparison"),
        ),
    )


def _shown(rate: float) -> str:
    return Style().show(rate, "rate", places=4)


def _line(label: str, shown: str, note: str, make: partial[Derivation], *, asked: bool = False) -> FigureLine:
    return FigureLine(label, Cell(shown, "question" if asked else "plain"), note, Why(label, make))


def _multiplied(facts: RateFacts, years: float | None) -> Derivation:
    if years is None:
        return Derivation("undefined", "never at this rate")
    told = f"log({digits(facts.times)}) / log(1 + {bracketed(digits(facts.effective))})"
    return Derivation(Style().with_unit(years, "years"), "log(times) / log(1 + effective)", told)


def _real(shown: str, effective: float, inflation: float) -> Derivation:
    told = f"(1 + {bracketed(digits(effective))}) / (1 + {bracketed(digits(inflation))}) - 1"
    return Derivation(shown, "(1 + effective) / (1 + rise of prices) - 1", told)


def _way(facts: RateFacts, way: str) -> dict[str, Derivation]:
    """One way to quote the rate, and the rate of its period."""
    quoted, each = facts.forms[way]
    found = {"Quoted": quoted_derivation(_shown(quoted), facts.effective, FREQUENCIES[way])}
    if FREQUENCIES[way] != inf:
        told = f"{bracketed(digits(quoted))} / {FREQUENCIES[way]:g}"
        found["Per period"] = Derivation(_shown(each), "quoted / periods a year", told)
    return found


def _effective(facts: RateFacts) -> Derivation:
    """The effective rate from the one that was given, in the form in which that comes to it."""
    given, shown = read_rate(facts.given), _shown(facts.effective)
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

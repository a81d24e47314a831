"""Where a rate comes from that was turned from one form into another."""

from __future__ import annotations

from math import exp, inf

from pennyweight.documents.derivation import Derivation, bracketed, digits

__all__ = ["EULER", "effective_derivation", "period_derivation", "quoted_derivation"]

EULER = "2.718281828459"
"""The base of natural logarithms, as it is put into a calculator."""

_NEAR = 1e-12


def period_derivation(
    shown: str, i: float, *, yearly: float, yearly_shown: str, often: float | None, m: int, mark: str = "."
) -> Derivation:
    """The rate `i` of a period, m of which make a year, out of the yearly rate.

    `often` is how many times a year that compounds: infinity continuously, None or 0 when it is effective. `shown` and
    `yearly_shown` are both as they are shown, `mark` is the decimal mark.

    >>> period_derivation("0.5000%", 0.005, yearly=0.06, yearly_shown="6.00%", often=12, m=12).numbers
    '0.06 / 12'
    """
    quoted, euler = bracketed(digits(yearly, mark)), EULER.replace(".", mark)
    ways = [(f"rate / {m}", f"{quoted} / {m}", yearly / m)]
    if not often:
        ways.append((f"(1 + rate)^(1 / {m}) - 1", f"(1 + {quoted})^(1 / {m}) - 1", (1 + yearly) ** (1 / m) - 1))
    elif often == inf:
        ways.append((f"e^(rate / {m}) - 1", f"{euler}^({quoted} / {m}) - 1", exp(yearly / m) - 1))
    else:
        told = f"(1 + {quoted} / {often:g})^({often:g} / {m}) - 1"
        ways.append((f"(1 + rate / {often:g})^({often:g} / {m}) - 1", told, (1 + yearly / often) ** (often / m) - 1))
    parts = {"Rate a year": Derivation(yearly_shown)}
    if m == 1 and abs(yearly - i) <= _NEAR * max(1.0, abs(i)):
        return Derivation(shown, "the rate itself: a period is a year", "", parts)
    for formula, numbers, value in ways:
        if abs(value - i) <= _NEAR * max(1.0, abs(i)):
            return Derivation(shown, formula, numbers, parts)
    return Derivation(shown, "the yearly rate as a period's", "", parts)


def effective_derivation(shown: str, quoted: float, often: float | None, mark: str = ".") -> Derivation:
    """What a quoted rate earns in a year; `shown` is that as it is shown, `often` and `mark` as in `period_derivation`.

    >>> effective_derivation("6.17%", 0.06, 12).numbers
    '(1 + 0.06 / 12)^12 - 1'
    """
    if not often:
        return Derivation(shown, "the rate is effective as it stands")
    told = bracketed(digits(quoted, mark))
    if often == inf:
        return Derivation(shown, "e^rate - 1", f"{EULER.replace('.', mark)}^{told} - 1")
    return Derivation(shown, "(1 + rate / m)^m - 1", f"(1 + {told} / {often:g})^{often:g} - 1")


def quoted_derivation(shown: str, effective: float, often: float) -> Derivation:
    """The rate that is quoted when it compounds `often` times a year and earns `effective` in one.

    >>> quoted_derivation("5.84%", 0.06, 12).numbers
    '((1 + 0.06)^(1 / 12) - 1) × 12'
    """
    if often == inf:
        return Derivation(shown, "log(1 + effective)", f"log(1 + {bracketed(digits(effective))})")
    return Derivation(
        shown,
        "((1 + effective)^(1 / m) - 1) × m",
        f"((1 + {bracketed(digits(effective))})^(1 / {often:g}) - 1) × {often:g}",
    )

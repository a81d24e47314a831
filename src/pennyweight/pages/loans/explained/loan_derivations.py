"""Where amount and rate of a loan come from, and its key facts in one case or in two."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace

from pennyweight.core.annuity import annuity_factor
from pennyweight.documents import Table
from pennyweight.documents.derivation import Derivation
from pennyweight.documents.why_table import derivation_table
from pennyweight.instruments.loans.books.booked_loan import BookedLoan
from pennyweight.instruments.loans.books.unknown import exact_rate, level_of
from pennyweight.pages.loans.explained.derivations import STEP, ScheduleDerivations
from pennyweight.pages.rates.rate_derivations import effective_derivation

__all__ = ["amount_derivation", "fact_table", "percentage_rates", "rate_derivation", "rates_table", "titled"]


def fact_table(cases: Mapping[str, ScheduleDerivations], label: str, name: str) -> Table:
    """A key fact, the derivation of that name, in each case: as it is, and as agreed where that differs."""
    told = {f"{label}{case}": one for case, of in cases.items() if (one := getattr(of, name)) is not None}
    return titled(label, told)


def titled(label: str, told: Mapping[str, Derivation]) -> Table:
    """Derivations under a label, and the figures they come to."""
    values = " and ".join(dict.fromkeys(one.value for one in told.values()))
    return derivation_table(f"{label}: {values}", told)


def percentage_rates(loan: BookedLoan) -> dict[str, Derivation]:
    """The yearly percentage rate by both equations."""
    of = ScheduleDerivations(loan.agreed, 0)
    return {
        "By unit-periods (US)": of.percentage_rate("us", loan.apr),
        "By the EU's equation": of.percentage_rate("eu", loan.apr_eu),
    }


def rates_table(loan: BookedLoan) -> dict[str, Derivation]:
    """All rates of a loan."""
    return {"Rate": rate_derivation(loan), **percentage_rates(loan)}


def amount_derivation(loan: BookedLoan) -> Derivation:
    """The amount that was left out: what the payments are worth, rounded down, and the level payment of it."""
    agreed = loan.terms.agreement
    of = ScheduleDerivations(loan.agreed, 0)
    parts = {"Payment": Derivation(of.units(agreed.payment or 0))}
    i = float(agreed.periodic(agreed.rate))
    # While only interest is paid the balance stands, so the payments are worth what they are at its end.
    over, count = ((many or 1) - agreed.interest_only for many in (agreed.spread or agreed.count, agreed.count))
    growth, start = of.growth(i), agreed.at_start
    how, told = (
        "payment × (1 - (1 + i)^-n) / i",
        f"{of.units(agreed.payment or 0)} × (1 - {growth}^-{over}) / {of.digits(i)}",
    )
    if not i:
        how, told = "payment × n", f"{of.units(agreed.payment or 0)} × {over}"
    worth = float(loan.payment) * float(annuity_factor(i, over)) * (1 + i if start else 1)
    if start:
        how, told = f"{how} × (1 + i)", f"{told} × {growth}"
    if agreed.residual:
        how, told = f"{how} + residual × (1 + i)^-payments", f"{told} + {of.units(agreed.residual)} × {growth}^-{count}"
        worth += loan.terms.money(agreed.residual) * (1 + i) ** -count
    parts |= {
        "i, the rate of a period": of.periodic(float(agreed.rate), i),
        "n, level payments": Derivation(str(over), "over which the payment is worked out"),
        "Worth of the payments": Derivation(loan.terms.style.show(worth, "money", places=4), how, told),
    }
    parts[f"Level payment of {of.units(agreed.amount)}"] = Derivation(
        of.units(level_of(agreed)), "not above the given one"
    )
    return Derivation(of.units(agreed.amount), "what the payments are worth, rounded down", "", parts)


def rate_derivation(loan: BookedLoan) -> Derivation:
    """The rate: as it was given, or the one whose level payment is the given one."""
    rate, style = loan.terms.rate, loan.terms.style
    shown = style.show(rate.value, "rate")
    parts = {
        "Effective": effective_derivation(
            style.show(rate.effective(), "rate"), rate.value, rate.compounding, style.mark
        )
    }
    if loan.given["rate"] is not None:
        return Derivation(shown, parts=parts)
    agreed = loan.terms.agreement
    for beside in (rate.value - STEP, rate.value, rate.value + STEP):
        if beside >= 0:
            payment = level_of(replace(agreed, rate=exact_rate(beside)))
            parts[f"Level payment at {style.show(beside, 'rate', places=4)}"] = Derivation(
                style.show(loan.terms.money(payment), "money"), "owed × i / (1 - (1 + i)^-n), rounded"
            )
    return Derivation(shown, "the rate with the fewest digits whose level payment is the given one", "", parts)

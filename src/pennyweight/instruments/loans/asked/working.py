"""The working of a loan: how its payments came to be."""

from __future__ import annotations

from typing import Any

from pennyweight.core.loans.agreement import Setting
from pennyweight.instruments.loans.books.booked_loan import BookedLoan

__all__ = ["working_values"]


def working_values(loan: BookedLoan) -> dict[str, Any]:
    """The formula, and each level payment with what it was worked out from."""
    money = loan.terms.money
    return {
        "formula": _formula(loan),
        "payments": [
            {
                "from": loan.schedule.named(setting.number),
                "owed": money(setting.balance),
                "rate": float(setting.yearly),
                "rate_of_a_period": float(setting.rate),
                "payments_left": setting.over or None,
                "not_rounded": _exact(loan, setting),
                "payment": money(setting.payment),
            }
            for setting in loan.schedule.books.settings
        ],
    }


def _formula(loan: BookedLoan) -> str:
    terms = loan.terms.agreement
    if terms.shape == "interest":
        return "Payment = interest; the last one clears what is owed."
    if terms.shape == "principal":
        return "Principal of a payment = (owed - residual) / n; payment = principal + interest."
    if terms.payment is not None and loan.terms.agreement.count is None:
        return "The payment is given; the loan ends with the first payment that is at least what is owed plus interest."
    left = " - residual * (1 + i) ** -n" if terms.residual else ""
    start = " / (1 + i) for the first, which is now" if terms.at_start else ""
    owed = f"(owed{left})" if left else "owed"
    return f"Payment = {owed} * i / (1 - (1 + i) ** -n){start}, rounded; n payments are left."


def _exact(loan: BookedLoan, setting: Setting) -> float | None:
    """The payment before it is rounded, in floats; None when it was given."""
    terms = loan.terms.agreement
    i, n = float(setting.rate), setting.over
    if terms.payment is not None or n < 1:
        return None
    scale = 1.0 if terms.rounding is None else 10.0**loan.terms.scale
    owed, residual = float(setting.balance), float(terms.residual)
    if terms.shape == "principal":
        return (owed - residual) / n / scale
    first = terms.at_start and setting.number == 1
    gap = n + (1 if terms.at_start and not first else 0)
    share = 1 / n if i == 0 else i / (1 - (1 + i) ** -n)
    return (owed - residual * (1 + i) ** -gap) * share / (1 + i if first else 1) / scale

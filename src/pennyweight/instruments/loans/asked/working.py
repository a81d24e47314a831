"""The working of a loan: how its payments came to be, the first ones step by step, and its yearly percentage rate."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from pennyweight.core.loans.exact import Setting
from pennyweight.documents import Block, Cell, Column, Table, Text

if TYPE_CHECKING:
    from pennyweight.instruments.loans.loan import Loan

__all__ = ["working_as_dict", "working_blocks"]

_STEPS = 3


def working_as_dict(loan: Loan) -> dict[str, Any]:
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


def working_blocks(loan: Loan) -> list[Block]:
    """The same to be shown, with the first payments step by step and the percentage rate's equation."""
    steps, style = working_as_dict(loan), loan.terms.style
    rows = tuple(
        (
            Cell(one["from"]),
            Cell(style.show(one["owed"], "money")),
            Cell(style.show(one["rate"], "rate", places=4)),
            Cell(style.show(one["rate_of_a_period"], "rate", places=6)),
            Cell("–" if one["payments_left"] is None else str(one["payments_left"])),
            Cell("given" if one["not_rounded"] is None else style.show(one["not_rounded"], "money", places=6)),
            Cell(style.show(one["payment"], "money"), "question"),
        )
        for one in steps["payments"]
    )
    titles = ("Owed", "Rate a year", "i, of a period", "n, left", "Not rounded", "Payment")
    columns = (Column("From", words=True), *(Column(title) for title in titles))
    # The formula stands under its table, so that no page break parts the two.
    payment: Block = Table("How the payment comes about", columns, rows, steps["formula"])
    return [payment if rows else Text(steps["formula"]), _first_steps(loan), *_percentage_rate(loan)]


def _formula(loan: Loan) -> str:
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


def _exact(loan: Loan, setting: Setting) -> float | None:
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


def _first_steps(loan: Loan) -> Table:
    schedule, style = loan.schedule, loan.terms.style
    owed, rows = loan.terms.money(loan.terms.agreement.amount), []
    for row in schedule.plain_rows()[:_STEPS]:
        extra = f" + {style.show(row['extra'], 'money')} extra" if row["extra"] else ""
        rows.append((
            Cell(schedule.named(row["number"])),
            Cell(f"interest on {style.show(owed, 'money')}"),
            Cell(style.show(row["interest"], "money")),
            Cell(f"{style.show(row['payment'], 'money')}{extra} - {style.show(row['interest'], 'money')}"),
            Cell(style.show(row["principal"], "money")),
            Cell(style.show(row["balance"], "money"), "question"),
        ))  # fmt: skip
        owed = row["balance"]
    columns = (
        Column("Payment", words=True), Column("", words=True), Column("Interest"),
        Column("Payment less interest", words=True), Column("Principal"), Column("Owed then"),
    )  # fmt: skip
    return Table("The first payments, step by step", columns, tuple(rows))


def _percentage_rate(loan: Loan) -> list[Block]:
    terms, style = loan.terms, loan.terms.style
    if loan.apr is None:
        return []
    received = style.with_unit(terms.lent - terms.fee_up_front, "money")
    return [
        Text(
            f"Yearly percentage rate: at {style.show(loan.apr, 'rate', places=6)} a year (a unit-period's rate times "
            "the unit-periods a year) all payments as agreed, fees with them included, are worth the "
            f"{received} received."
        )
    ]

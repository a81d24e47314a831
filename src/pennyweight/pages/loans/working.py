"""The working of a loan as blocks: each level payment, the first payments step by step, and the percentage rate."""

from __future__ import annotations

from pennyweight.documents import Block, Cell, Column, Table, Text
from pennyweight.instruments.loans.asked.working import working_values
from pennyweight.instruments.loans.books.booked_loan import BookedLoan

__all__ = ["working_blocks"]

_STEPS = 3


def working_blocks(loan: BookedLoan) -> list[Block]:
    """The same to be shown, with the first payments step by step and the percentage rate's equation."""
    steps, style = working_values(loan), loan.terms.style
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
    payment: Block = Table("How the payment comes about", columns, rows, steps["formula"], role="working")
    return [payment if rows else Text(steps["formula"]), _first_steps(loan), *_percentage_rate(loan)]


def _first_steps(loan: BookedLoan) -> Table:
    schedule, style = loan.schedule, loan.terms.style
    owed, rows = loan.terms.money(loan.terms.agreement.amount), []
    for row in schedule.plain_rows()[:_STEPS]:
        extra = f" + {style.show(row['extra'], 'money')} extra" if row["extra"] else ""
        rows.append(
            (
                Cell(schedule.named(row["number"])),
                Cell(f"interest on {style.show(owed, 'money')}"),
                Cell(style.show(row["interest"], "money")),
                Cell(f"{style.show(row['payment'], 'money')}{extra} - {style.show(row['interest'], 'money')}"),
                Cell(style.show(row["principal"], "money")),
                Cell(style.show(row["balance"], "money"), "question"),
            )
        )
        owed = row["balance"]
    columns = (
        Column("Payment", words=True),
        Column("", words=True),
        Column("Interest"),
        Column("Payment less interest", words=True),
        Column("Principal"),
        Column("Owed then"),
    )
    return Table("The first payments, step by step", columns, tuple(rows), role="working")


def _percentage_rate(loan: BookedLoan) -> list[Block]:
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

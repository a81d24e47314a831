"""The page of a loan with what is asked of it: the loan's own, and the answers after its key facts."""

from __future__ import annotations

from dataclasses import replace
from functools import partial

from pennyweight.documents import Block, Cell, Column, Document, FigureLine, Figures, Row, Table, Text
from pennyweight.documents.derivation import Derivation, Why
from pennyweight.documents.handout import Handout, sheets_of
from pennyweight.documents.why_table import derivation_table
from pennyweight.instruments.loans.asked.loan_study import LoanStudy
from pennyweight.instruments.loans.asked.what_if import Extra, with_extra
from pennyweight.instruments.loans.books.booked_loan import BookedLoan
from pennyweight.pages.loans import loan as loan_page
from pennyweight.pages.loans.bill import bill_block
from pennyweight.pages.loans.explained.derivations import ScheduleDerivations
from pennyweight.pages.loans.offers import offers_table
from pennyweight.pages.loans.refinancing import refinancing_block
from pennyweight.pages.loans.working import working_blocks

__all__ = ["document", "handout"]


def document(study: LoanStudy) -> Document:
    """The loan's document, what is asked standing after its key facts."""
    with_it = f"With {_money(study, float(study.extra[0]))} extra" if len(study.extra) == 1 else "As it is"
    page = loan_page.document(study.shown, as_it_is=with_it)
    blocks = (*page.blocks[:1], *_answers(study), *page.blocks[1:])
    note = " ".join(filter(None, [study.note, page.subtitle]))
    return Document(page.title, blocks, note, page.charts, page.headline)


def handout(study: LoanStudy, page: Document) -> Handout:
    """The study, with its working where that is not on its page already."""
    more = () if study.working else tuple(working_blocks(study.loan))
    handed = loan_page.handout(study.shown, replace(page, blocks=(*page.blocks, *more)))
    return replace(handed, sheets=lambda: sheets_of(study.frames))


def _answers(study: LoanStudy) -> list[Block]:
    found: list[Block] = []
    if study.bill is not None:
        of = ScheduleDerivations(study.loan.schedule, study.loan.made)
        found.append(bill_block(study.loan, study.bill, study.bill_parts(), of))
    if study.extras:
        found.append(_extras_block(study))
    if study.needed is not None:
        found.append(_needed_block(study, study.needed))
    if study.side_by_side:
        found.append(offers_table(study))
    if study.change is not None:
        found.append(refinancing_block(study, study.change))
    if study.working:
        found += working_blocks(study.loan)
    return found


def _money(study: LoanStudy, value: float) -> str:
    return study.loan.terms.style.show(value, "money")


def _extras_block(study: LoanStudy) -> Table:
    rows = tuple(
        Row(
            (
                Cell(_money(study, row.extra)),
                Cell(str(row.payments_saved)),
                Cell(_money(study, row.interest_saved)),
                Cell(row.paid_off),
            ),
            Why(f"{_money(study, row.extra)} more with every payment", partial(_told_extra, study.loan, row)),
        )
        for row in study.extras
    )
    columns = (Column("Extra"), Column("Payments saved"), Column("Interest saved"), Column("Paid off", words=True))
    return Table("Extra amounts with every payment, from the next one on", columns, rows, "Against the loan as it is.")


def _needed_block(study: LoanStudy, needed: Extra | str) -> Block:
    if isinstance(needed, str):
        return Text(f"Paid off by {study.paid_off_by}: {needed}")
    shown = study.loan.terms.style.with_unit(needed.extra, "money")
    note = f"with every payment; saves {_money(study, needed.interest_saved)} of interest; "
    note += f"the last payment is on {needed.paid_off}"
    line = FigureLine("Extra needed", Cell(shown, "question"), note, Why("Extra needed", partial(_told_needed, study)))
    return Figures(f"To be paid off by {study.paid_off_by}", (line,))


def _told_extra(loan: BookedLoan, extra: Extra) -> dict[str, Derivation]:
    """What an extra amount saves, as the difference of two schedules."""
    without = ScheduleDerivations(loan.schedule, loan.made)
    other = ScheduleDerivations(with_extra(loan, extra.extra).schedule, loan.made)
    interest = other.total_interest
    return {
        "Payments saved": Derivation(
            str(extra.payments_saved),
            "payments without it - payments with it",
            f"{len(without.rows)} - {len(other.rows)}",
            {"Payments with it": other.payments},
        ),
        "Interest saved": Derivation(
            without.money(extra.interest_saved),
            "total interest without it - with it",
            f"{without.total_interest.value} - {interest.value}",
            {"Total interest with it": interest},
        ),
        "Paid off": other.paid_off,
    }


def _told_needed(study: LoanStudy) -> Table:
    """The smallest extra that does: with it the loan ends in time, with one unit less it does not."""
    loan, needed = study.loan, study.needed
    assert isinstance(needed, Extra)
    style, unit = loan.terms.style, 10.0**-loan.terms.scale
    parts = {}
    for amount in (needed.extra, round(needed.extra - unit, 9)):
        if amount > 0:
            ended = with_extra(loan, amount).schedule
            shown = style.show(amount, "money")
            parts[f"Last payment with {shown} more"] = Derivation(
                ended.named(len(ended.rows)), f"after {len(ended.rows)} payments in all"
            )
    value = style.with_unit(needed.extra, "money")
    how = f"the smallest extra amount with which the last payment is by {study.paid_off_by}"
    return derivation_table(f"Extra needed: {value}", {"Extra needed": Derivation(value, how, "", parts)})

"""One loan with what is asked of it: extra payments, a day to be done by, other offers, a refinancing, its bill."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import KW_ONLY, asdict, dataclass, field
from functools import cached_property
from typing import Any

from pennyweight.described import frozen
from pennyweight.documents import Block, Cell, Column, Document, FigureLine, Figures, Table, Text
from pennyweight.documents.derivation import Whys
from pennyweight.documents.model import Tone
from pennyweight.documents.shown import Shown
from pennyweight.errors import InputError, NoAnswer
from pennyweight.instruments.loans.asked.bill import Bill, bill_block
from pennyweight.instruments.loans.asked.what_if import (
    Extra,
    Offer,
    Refinancing,
    extra_needed,
    extras_table,
    read_extras,
    read_offers,
    with_extra,
)
from pennyweight.instruments.loans.asked.working import working_as_dict, working_blocks
from pennyweight.instruments.loans.books.events import Moment
from pennyweight.instruments.loans.books.facts import facts
from pennyweight.instruments.loans.loan import Loan
from pennyweight.pages.loans.loan import loan_as_dict, loan_document
from pennyweight.quantities.argument_checks import a_flag, a_mapping, a_text, an_instance

__all__ = ["LoanStudy"]


@dataclass(frozen=True, repr=False)
class LoanStudy(Shown):
    """A loan and the answers to what is asked of it, worked out when shown.

    Args:
        extra: amounts paid on top of each payment, to be compared.
        paid_off_by: a day; what must be paid on top to be free by then.
        offers: other loans by name, to stand beside this one.
        refinance: terms of the new loan, with `on`, `costs` and `horizon` (see refinancing).
        bill: what the lender's statement says, to be checked.
        note: what to remark below the title. working: show how the level payment is worked out.

    Raises:
        InputError: when one of them cannot be.

    >>> study = LoanStudy(Loan(10_000, "5%", years=2), extra=[50])
    >>> study.extras[0].interest_saved
    54.95
    """

    loan: Loan
    _: KW_ONLY
    extra: Sequence[str | float] = ()
    paid_off_by: Any = None
    offers: Mapping[str, Loan] = field(default_factory=dict)
    refinance: Mapping[str, Any] | None = None
    bill: Bill | None = None
    working: bool = False
    note: str = ""

    def __post_init__(self) -> None:
        super().__post_init__()
        an_instance(self.loan, Loan, what="loan")
        a_flag(self.working, what="working")
        a_text(self.note, what="note")
        read_offers(self.loan, self.offers, what="offers")
        if self.bill is not None:
            an_instance(self.bill, Bill, what="bill")
        if self.refinance is not None:
            terms = a_mapping(self.refinance, what="refinance", of="terms of the new loan")
            if "on" not in terms:
                raise InputError(
                    "refinance needs 'on': the day of the change, or the number of the payment after which it comes."
                )
            if "loan" in terms:
                raise InputError("refinance has no 'loan'; it replaces the loan of the study.", at="refinance")
        frozen(self, extra=read_extras(self.extra, what="extra"))
        if self.paid_off_by is not None:
            moment = Moment.read(self.paid_off_by, "paid_off_by")
            frozen(self, paid_off_by=moment.number if moment.day is None else moment.day)

    def answer(self) -> LoanStudy:
        """Work out everything that is asked now, so that what cannot be answered is told at once.

        >>> LoanStudy(Loan(10_000, "5%", years=2), extra=[50]).answer().extras[0].payments_saved
        2
        """
        _ = self.extras, self.change, self.needed, self.side_by_side
        return self

    @cached_property
    def extras(self) -> tuple[Extra, ...]:
        """What each extra amount saves."""
        return extras_table(self.loan, self.extra)

    @cached_property
    def needed(self) -> Extra | str | None:
        """The extra that pays it off by the day asked for; the reason when there is none."""
        if self.paid_off_by is None:
            return None
        try:
            return extra_needed(self.loan, self.paid_off_by)
        except NoAnswer as error:
            return str(error)

    @cached_property
    def side_by_side(self) -> tuple[Offer, ...]:
        """This loan and the other offers."""
        return self.loan.offers(self.offers) if self.offers else ()

    @cached_property
    def change(self) -> Refinancing | None:
        """What the refinancing brings."""
        return None if self.refinance is None else self.loan.refinancing(**self.refinance)

    @cached_property
    def shown(self) -> Loan:
        """The loan whose schedule is shown: with the extra amount, when one is asked for alone."""
        return with_extra(self.loan, float(self.extra[0])) if len(self.extra) == 1 else self.loan

    @property
    def frame(self) -> Any:
        """The schedule that is shown."""
        return self.shown.frame

    @property
    def frames(self) -> dict[str, Any]:
        """The loan's tables, and `extras` and `offers` where they are asked for."""
        import pandas as pd

        found = self.shown.frames
        for name, rows in (("extras", self.extras), ("offers", self.side_by_side)):
            if rows:
                found[name] = pd.DataFrame([asdict(row) for row in rows])
        return found

    def as_dict(self) -> dict[str, Any]:
        """The loan's values, and those of what is asked."""
        plain = loan_as_dict(self.shown)
        if self.extras:
            plain["extras"] = [asdict(row) for row in self.extras]
        if self.needed is not None:
            plain["extra_needed"] = asdict(self.needed) if isinstance(self.needed, Extra) else None
            plain["extra_needed_reason"] = self.needed if isinstance(self.needed, str) else None
        if self.side_by_side:
            plain["offers"] = [asdict(row) for row in self.side_by_side]
        if self.change is not None:
            plain["refinancing"] = asdict(self.change)
        if self.bill is not None:
            plain["bill"] = self._bill_parts()
        if self.working:
            plain["working"] = working_as_dict(self.loan)
        return plain

    def document(self) -> Document:
        """The loan's document, what is asked standing after its key facts."""
        with_it = f"With {self._money(float(self.extra[0]))} extra" if len(self.extra) == 1 else "As it is"
        page = loan_document(self.shown, as_it_is=with_it)
        blocks = [*page.blocks[:1], *self._answers(), *page.blocks[1:]]
        return Document(page.title, tuple(blocks), " ".join(filter(None, [self.note, page.subtitle])), page.charts)

    def _whys(self) -> Whys:
        from pennyweight.pages.loans.loan_whys import loan_whys
        from pennyweight.pages.loans.study_whys import study_whys

        return {**loan_whys(self.shown), **study_whys(self)}

    def _working_blocks(self) -> tuple[Block, ...]:
        return () if self.working else tuple(working_blocks(self.loan))

    def _answers(self) -> list[Block]:
        found: list[Block] = []
        if self.bill is not None:
            found.append(bill_block(self.loan.terms.style, self._bill_parts()))
        if self.extras:
            found.append(self._extras_block())
        if self.needed is not None:
            found.append(self._needed_block(self.needed))
        if self.side_by_side:
            found.append(self._offers_block())
        if self.change is not None:
            found.append(self._change_block(self.change))
        if self.working:
            found += working_blocks(self.loan)
        return found

    def _money(self, value: float) -> str:
        return self.loan.terms.style.show(value, "money")

    def _extras_block(self) -> Table:
        rows = tuple(
            (
                Cell(self._money(row.extra)),
                Cell(str(row.payments_saved)),
                Cell(self._money(row.interest_saved)),
                Cell(row.paid_off),
            )
            for row in self.extras
        )
        columns = (Column("Extra"), Column("Payments saved"), Column("Interest saved"), Column("Paid off", words=True))
        return Table(
            "Extra amounts with every payment, from the next one on", columns, rows, "Against the loan as it is."
        )

    def _needed_block(self, needed: Extra | str) -> Block:
        if isinstance(needed, str):
            return Text(f"Paid off by {self.paid_off_by}: {needed}")
        shown = self.loan.terms.style.with_unit(needed.extra, "money")
        note = f"with every payment; saves {self._money(needed.interest_saved)} of interest; "
        note += f"the last payment is on {needed.paid_off}"
        return Figures(
            f"To be paid off by {self.paid_off_by}", (FigureLine("Extra needed", Cell(shown, "question"), note),)
        )

    def _offers_block(self) -> Table:
        style, all_offers = self.loan.terms.style, self.side_by_side
        cheapest = min(row.total_paid - row.amount for row in all_offers)

        def rate(value: float | None) -> str:
            return "undefined" if value is None else style.show(value, "rate")

        lines: list[tuple[str, list[str]]] = [
            ("Amount", [self._money(row.amount) for row in all_offers]),
            ("Rate", [rate(row.rate) for row in all_offers]),
            ("Payment", [self._money(row.payment) for row in all_offers]),
            ("Payments", [str(row.payments) for row in all_offers]),
            ("Total interest", [self._money(row.total_interest) for row in all_offers]),
            ("Total fees", [self._money(row.total_fees) for row in all_offers]),
            ("Total paid", [self._money(row.total_paid) for row in all_offers]),
            ("Rate with fees (US)", [rate(row.apr) for row in all_offers]),
            ("Rate with fees (EU)", [rate(row.apr_eu) for row in all_offers]),
            (
                "Costs more than the cheapest",
                [self._money(row.total_paid - row.amount - cheapest) for row in all_offers],
            ),
        ]
        rows = tuple((Cell(label), *(Cell(value) for value in values)) for label, values in lines)
        names = [row.name for row in all_offers]
        titles = [loan.title for loan in (self.loan, *self.offers.values())]
        told_apart = all(titles) and len(set(titles)) == len(titles)  # a copy with other terms keeps the title
        columns = (Column("Offer", words=True), *map(Column, titles if told_apart else names))
        return Table("Offers side by side", columns, rows, "As agreed. Rates with fees let unequal terms be compared.")

    def _change_block(self, change: Refinancing) -> Figures:
        style = self.loan.terms.style

        def line(label: str, value: float, note: str = "", sign: bool = False) -> FigureLine:
            tone: Tone = "plain" if not sign else ("in" if value >= 0 else "out")
            shown = style.with_unit(value, "money", sign=sign)
            return FigureLine(label, Cell(shown, tone), note)

        if change.pays_after is None:
            pays = FigureLine(
                "Breaks even", Cell("never", "out"), "what is paid and still owed stays above the old loan's"
            )
        else:
            pays = FigureLine(
                "Breaks even on", Cell(change.pays_from or "", "in"), f"after {change.pays_after} payments"
            )
        saved = change.interest_left - change.interest_after
        replaced = f"on {change.on}" if self.loan.terms.calendar is not None else f"after payment {change.on}"
        word = "saves" if saved >= 0 else "costs"
        lines = (
            line("Balance replaced", change.balance, replaced),
            line("Costs of the change", change.costs),
            line("Payment before", change.payment_before),
            line("Payment after", change.payment_after),
            line("Interest left on the old loan", change.interest_left),
            line("Interest of the new one", change.interest_after, f"{word} {self._money(abs(saved))}"),
            pays,
            line("Net gain", change.gain, f"after {change.horizon} payments, debts and costs counted", True),
        )  # fmt: skip
        return Figures("Refinancing", lines)

    def _bill_parts(self) -> dict[str, float]:
        assert self.bill is not None
        now = facts(self.loan.schedule, self.loan.made)
        return self.bill.parts(now.next_interest or 0.0, now.next_principal or 0.0, self.loan.terms.style.places)

"""One loan with what is asked of it: extra payments, a day to be done by, other offers, a refinancing, its bill."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import KW_ONLY, asdict, dataclass, field
from functools import cached_property
from typing import Any

from pennyweight.described import frozen
from pennyweight.documents.shown import Shown
from pennyweight.errors import InputError, NoAnswer
from pennyweight.instruments.loans.asked.bill import Bill
from pennyweight.instruments.loans.asked.loan_values import loan_values
from pennyweight.instruments.loans.asked.what_if import (
    Extra,
    Offer,
    Refinancing,
    extra_needed,
    extras_table,
    offers,
    read_extras,
    read_offers,
    refinanced,
    with_extra,
)
from pennyweight.instruments.loans.asked.working import working_values
from pennyweight.instruments.loans.books.booked_loan import BookedLoan
from pennyweight.instruments.loans.books.events import Moment
from pennyweight.instruments.loans.books.facts import facts
from pennyweight.quantities.argument_checks import a_flag, a_mapping, a_text, an_instance
from pennyweight.quantities.as_written import Amount

__all__ = ["LoanStudy"]


@dataclass(frozen=True, repr=False)
class LoanStudy(Shown):
    """A loan and the answers to what is asked of it, worked out when shown.

    Parameters
    ----------
    extra : Sequence[Amount], optional
        Amounts paid on top of each payment, to be compared.
    paid_off_by : optional
        A day; what must be paid on top to be free by then.
    offers : Mapping[str, BookedLoan]
        Other loans by name, to stand beside this one.
    refinance : Mapping[str, Any] | None, optional
        Terms of the new loan, with `on`, `costs` and `horizon` (see refinancing).
    bill : Bill | None, optional
        What the lender's statement says, to be checked.
    note : str, default ''
        What to remark below the title.
    working : bool, default False
        Show how the level payment is worked out.

    Raises
    ------
    InputError
        When one of them cannot be.

    Examples
    --------
    >>> from pennyweight import Loan
    >>> study = LoanStudy(Loan(10_000, "5%", years=2), extra=[50])
    >>> study.extras[0].interest_saved
    54.95
    """

    loan: BookedLoan
    _: KW_ONLY
    extra: Sequence[Amount] = ()
    paid_off_by: Any = None
    offers: Mapping[str, BookedLoan] = field(default_factory=dict)
    refinance: Mapping[str, Any] | None = None
    bill: Bill | None = None
    working: bool = False
    note: str = ""

    def __post_init__(self) -> None:
        super().__post_init__()
        an_instance(self.loan, BookedLoan, what="loan", called="Loan")
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

        Returns
        -------
        LoanStudy
            See `LoanStudy` for what it holds.

        Examples
        --------
        >>> from pennyweight import Loan
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
        return offers(self.loan, self.offers) if self.offers else ()

    @cached_property
    def change(self) -> Refinancing | None:
        """What the refinancing brings."""
        return None if self.refinance is None else refinanced(self.loan, **self.refinance)

    @cached_property
    def shown(self) -> BookedLoan:
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
        """The loan's values, and those of what is asked.

        Returns
        -------
        dict[str, Any]
            The loan's values, and those of what is asked.
        """
        plain = loan_values(self.shown)
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
            plain["bill"] = self.bill_parts()
        if self.working:
            plain["working"] = working_values(self.loan)
        return plain

    def bill_parts(self) -> dict[str, float]:
        """The next bill taken apart.

        Returns
        -------
        dict[str, float]
            The next bill taken apart.

        Examples
        --------
        >>> from pennyweight import Bill, Loan
        >>> LoanStudy(Loan(1_000, "6%", years=1), bill=Bill(total=100, taxes=60)).bill_parts()["taxes"]
        5.0
        """
        assert self.bill is not None
        now = facts(self.loan.schedule, self.loan.made)
        return self.bill.parts(now.next_interest or 0.0, now.next_principal or 0.0, self.loan.terms.style.places)

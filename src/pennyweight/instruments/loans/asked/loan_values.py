"""A loan as plain values: the design's keys, then the facts, as agreed beside as it is."""

from __future__ import annotations

from dataclasses import asdict
from typing import Any

from pennyweight.instruments.loans.asked.effects import effects
from pennyweight.instruments.loans.books.booked_loan import BookedLoan
from pennyweight.instruments.loans.books.facts import Facts, facts, last_payment_note

__all__ = ["as_of", "loan_values"]


def loan_values(loan: BookedLoan) -> dict[str, Any]:
    """Plain values for JSON: the design's keys, then the facts, as agreed beside as it is."""
    schedule, agreed = loan.schedule, loan.agreed
    names = Facts.__dataclass_fields__
    by_schedule = {
        key: {name: getattr(facts(one, loan.made), name) for name in names}
        for key, one in (("as_agreed", agreed), ("as_it_is", schedule))
    }
    return {
        "format": 1,
        "title": loan.title,
        "amount": loan.amount,
        "rate": loan.terms.rate.value,
        "payment": schedule.payment,
        "payments": len(schedule.rows),
        "last_payment": schedule.last_payment,
        "last_payment_note": last_payment_note(schedule),
        "total_interest": schedule.total_interest,
        "total_paid": schedule.total_paid,
        "total_fees": schedule.total_fees,
        "paid_off_on": None if schedule.paid_off_on is None else str(schedule.paid_off_on),
        "apr": loan.apr,
        "apr_eu": loan.apr_eu,
        "as_of": as_of(loan),
        "payments_made": loan.made,
        "effects": [asdict(one) for one in effects(loan)],
        "interest_saved": round(agreed.total_interest - schedule.total_interest, 9),
        "payments_saved": len(agreed.rows) - len(schedule.rows),
        "facts": by_schedule,
        "statements": [
            {
                "date": one.when,
                "by_schedule": one.by_schedule,
                "stated": one.stated,
                "difference": round(one.difference, 9),
            }
            for one in schedule.statements
        ],
        "schedule": schedule.plain_rows(),
        "years": schedule.yearly_rows(),
        "checks": [{"passed": passed, "check": sentence} for passed, sentence in schedule.checks],
        "remarks": list(schedule.remarks),
    }


def as_of(loan: BookedLoan) -> str | None:
    """The day the key facts are told for."""
    if loan.as_of is not None:
        return str(loan.as_of)
    known = loan.timetable.last_known if loan.events else None
    return None if known is None else str(known)

"""The key facts of a schedule, and why its last payment is not like the others."""

from __future__ import annotations

from dataclasses import dataclass

from pennyweight.core.loans.level_payment import level_payment_units
from pennyweight.instruments.loans.books.schedule import Schedule

__all__ = ["Facts", "facts", "last_payment_note"]


@dataclass(frozen=True, slots=True)
class Facts:
    """The key facts of a schedule when `made` payments have been made."""

    payment_now: float | None
    next_interest: float | None
    next_principal: float | None
    paid_so_far: float
    still_to_pay: float
    total_paid: float
    total_interest: float
    interest_to_date: float
    interest_to_come: float
    balance_now: float
    payments: int
    paid_off: str
    average_payment: float
    principal_leads: str | None


def facts(schedule: Schedule, made: int) -> Facts:
    """The key facts of a schedule; amounts in the currency."""
    money, rows, each = schedule.terms.money, schedule.rows, schedule.terms.fee_each
    made = min(made, len(rows))
    now = rows[made] if made < len(rows) else None
    so_far = money(sum(row.payment + row.extra for row in rows[:made])) + each * made
    so_far += schedule.terms.fee_up_front
    to_date = money(sum(row.interest for row in rows[:made]))
    places = schedule.terms.scale if schedule.terms.agreement.rounding is not None else 9
    leads = schedule.principal_leads
    return Facts(
        payment_now=None if now is None else money(now.payment),
        next_interest=None if now is None else money(now.interest),
        next_principal=None if now is None else money(now.payment - now.interest),
        paid_so_far=round(so_far, places),
        still_to_pay=round(schedule.total_paid - so_far, places),
        total_paid=schedule.total_paid,
        total_interest=schedule.total_interest,
        interest_to_date=to_date,
        interest_to_come=round(schedule.total_interest - to_date, places),
        balance_now=schedule.balance_after(made),
        payments=len(rows),
        paid_off=schedule.named(len(rows)),
        average_payment=schedule.total_paid / len(rows),
        principal_leads=None if leads is None else schedule.named(leads),
    )


def last_payment_note(schedule: Schedule) -> str | None:
    """Why the last payment is well above the others, and the payment that would avoid it; None when it is not.

    A unit a payment may gather in the last one by rounding; balloons and residuals are agreed, so they are no surprise.
    """
    agreed, rows, settings = schedule.terms.agreement, schedule.rows, schedule.books.settings
    planned = agreed.residual or agreed.shape != "level" or (agreed.spread or 0) > (agreed.count or 0)
    if planned or not settings or agreed.rounding is None or len(rows) < 2:
        return None
    level, last = settings[-1].payment, rows[-1].payment
    if last <= level + max(len(rows), level // 50):
        return None
    style, money = schedule.terms.style, schedule.terms.money
    corrected = sum(row.correction for row in rows)
    missed = sum(settings[-1].payment - row.payment for row in rows[:-1] if 0 <= row.payment < level)
    causes = []
    if corrected > 0:
        causes.append(f"the stated balance is {style.with_unit(money(corrected), 'money')} above the schedule")
    if missed > 0 and not agreed.interest_only:
        causes.append(f"{style.with_unit(money(missed), 'money')} less was paid than the payment in force")
    if agreed.shares is not None and not causes:
        causes.append("interest by days comes to more than by equal periods, for which the payment was worked out")
    # Worked out anew from where the last thing that happened leaves the loan.
    begun = max((k for k, row in enumerate(rows, 1) if row.correction or row.extra or row.payment != level), default=0)
    begun = (
        begun
        if begun < len(rows)
        else max((k for k, row in enumerate(rows[:-1], 1) if row.correction or row.payment < level), default=0)
    )
    owed = rows[begun - 1].balance if begun else agreed.amount
    rate = settings[-1].rate
    fitting = level_payment_units(owed, rate, len(rows) - begun, agreed.rounding)
    why = f"because {' and '.join(causes)}" if causes else "which clears what the payments before it leave"
    return (
        f"The last payment of {style.with_unit(money(last), 'money')} is not like the others of "
        f"{style.with_unit(money(level), 'money')}, {why}. From payment {begun + 1} on a payment of "
        f"{style.with_unit(money(fitting), 'money')} would avoid it."
    )

"""Where each figure on the page of a loan taken over comes from."""

from __future__ import annotations

from typing import TYPE_CHECKING

from pennyweight.documents.derivation import Derivation, Whys, derivation_table
from pennyweight.instruments.loans.loan import Loan
from pennyweight.pages.loans.derivations import ScheduleDerivations
from pennyweight.pages.loans.loan_whys import amount_derivation, rate_derivation, schedule_whys
from pennyweight.pages.loans.study_whys import bill_whys

if TYPE_CHECKING:
    from pennyweight.instruments.loans.together.takeover import Takeover

__all__ = ["takeover_whys"]

TITLE = "What is taken over"


def takeover_whys(takeover: Takeover) -> Whys:
    """Every figure of what is taken over, of what it was, of its bill, and of the tables."""
    rest, original = takeover.remaining, takeover.original
    of = ScheduleDerivations(rest.agreed, 0)
    life = None if original is None else ScheduleDerivations(original.agreed, takeover.made or 0)
    owed = _owed(takeover, rest, of, life)
    figures = {"Balance taken over": owed, "Rate": rate_derivation(rest), "Payment": _payment(of, life)}
    if takeover.overdue:
        balance = Derivation(of.money(rest.amount + takeover.overdue), owed.formula, owed.numbers, owed.parts)
        arrears = _arrears(takeover, of)
        figures["Balance taken over"], figures["To pay at takeover"] = balance, arrears
        figures["Owed after that"] = Derivation(
            of.money(rest.amount), "balance taken over - to pay at takeover", f"{balance.value} - {arrears.value}"
        )
    figures |= {"Payments left": of.payments, "Interest to come": of.total_interest}
    if original is not None and life is not None:
        figures["Original loan"] = _original(takeover, original, of)
        figures["Payments due before"] = _due_before(takeover, of, life)
        figures["Interest over its whole life"] = life.total_interest
        whole = original.agreed.total_interest
        share = rest.agreed.total_interest / whole if whole else 0.0
        figures["Part still to come"] = Derivation(
            of.terms.style.show(share, "share"), "interest to come / interest over its whole life",
            f"{of.total_interest.value} / {life.total_interest.value}" if whole else "",
        )  # fmt: skip
    found = {(TITLE, label): derivation_table(label, {label: figure}) for label, figure in figures.items()}
    bill = {} if takeover.bill is None else bill_whys(rest, takeover.bill, ScheduleDerivations(rest.schedule, 0))
    return {**found, **bill, **schedule_whys(rest.agreed)}


def _owed(takeover: Takeover, rest: Loan, of: ScheduleDerivations, life: ScheduleDerivations | None) -> Derivation:
    """What is owed: worked out from the payments, left by the loan's own schedule, or as it was stated."""
    if takeover.balance is None:
        return amount_derivation(rest)
    stated = rest.amount + takeover.overdue
    if life is not None and abs(life.terms.money(life.owed(life.made)) - stated) < 1e-9:
        now = life.balance_now
        return Derivation(
            now.value, f"{now.formula}, with payment {life.made} of the original loan", now.numbers, now.parts
        )
    return Derivation(of.money(stated))


def _payment(of: ScheduleDerivations, life: ScheduleDerivations | None) -> Derivation:
    """The payment as it was given, or as the original loan's was worked out."""
    own = of.payment
    if not own.numbers and life is not None and life.payment.value == own.value:
        return life.payment
    return own


def _arrears(takeover: Takeover, of: ScheduleDerivations) -> Derivation:
    value = of.money(takeover.overdue)
    if takeover.arrears is not None or not takeover.missed_payments:
        return Derivation(value)
    i = float(of.terms.agreement.periodic(of.terms.agreement.rate))
    payment = of.payment.value
    told = [payment, *(f"{payment} × {of.growth(i)}^{k}" for k in range(1, takeover.missed_payments))]
    formula = "each missed payment with interest since its day, the last of them due on the day of takeover"
    return Derivation(value, formula, " + ".join(told), {"i, the rate of a period": of.periodic(float(
        of.terms.agreement.rate), i)})  # fmt: skip


def _original(takeover: Takeover, original: Loan, of: ScheduleDerivations) -> Derivation:
    """The amount it was, given or worked back to."""
    value = of.money(original.amount)
    if takeover.original_amount is not None:
        return Derivation(value)
    made, i = takeover.made or 0, float(of.terms.agreement.periodic(of.terms.agreement.rate))
    payment, owed = takeover.remaining.payment, takeover.remaining.amount
    factor = made if not i else (1 - (1 + i) ** -made) / i
    back = owed * (1 + i) ** -made + payment * factor
    growth = of.growth(i)
    told = f"{of.money(owed)} + {of.money(payment)} × {made}"
    if i:
        told = f"{of.money(owed)} × {growth}^-{made} + {of.money(payment)} × (1 - {growth}^-{made}) / {of.digits(i)}"
    formula = "owed × (1 + i)^-k + payment × (1 - (1 + i)^-k) / i, k payments due before"
    parts = {"Worked back": Derivation(of.money(back), formula, told)}
    near = abs(original.amount - back) >= 0.5 * 10.0**-of.terms.scale
    how = (
        "the round amount near what is worked back, whose payment is the same"
        if near
        else "worked back from what is owed"
    )
    return Derivation(value, how, "", parts)


def _due_before(takeover: Takeover, of: ScheduleDerivations, life: ScheduleDerivations) -> Derivation:
    made, left = takeover.made or 0, len(of.rows)
    if takeover.payments_made is not None:
        return Derivation(str(made))
    if takeover.first_payment is not None:
        first, following = takeover.first_payment, takeover.calendar.first
        return Derivation(str(made), f"the due days from {first} on that lie before the next one, {following}")
    if takeover.original_years is not None:
        whole = round(takeover.original_years * takeover.calendar.per_year)
        return Derivation(str(made), "payments of the whole term - payments left", f"{whole} - {left}")
    return Derivation(
        str(made), "the number of payments after which the original loan's balance is nearest to what is owed", "",
        {"The original loan's balance then": Derivation(life.units(life.owed(made)), "by its schedule"),
         "Owed": Derivation(of.money(takeover.remaining.amount))},
    )  # fmt: skip

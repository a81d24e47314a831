"""The page of a loan taken over: what is left of it, what it was, what does not fit, and the remaining schedule."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from functools import partial

from pennyweight.documents import Block, Cell, Checks, Column, Document, FigureLine, Figures, Table, Text
from pennyweight.documents.derivation import Derivation, Why
from pennyweight.documents.handout import Handout, PageOne, sheets_of
from pennyweight.documents.model import Tone
from pennyweight.instruments.loans.loan import Loan
from pennyweight.instruments.loans.together.takeover import Takeover
from pennyweight.pages.loans.bill import bill_block
from pennyweight.pages.loans.charts import loan_charts
from pennyweight.pages.loans.explained.derivations import ScheduleDerivations
from pennyweight.pages.loans.explained.loan_derivations import amount_derivation, rate_derivation
from pennyweight.pages.loans.page_one import payments_told
from pennyweight.pages.loans.schedule import schedule_tables, whole_schedule

__all__ = ["document", "handout"]


def document(takeover: Takeover) -> Document:
    """What is taken over, what it was, what does not fit, and the remaining schedule."""
    rest, original = takeover.remaining, takeover.original
    style, schedule = rest.terms.style, rest.agreed

    of = ScheduleDerivations(schedule, 0)
    life = None if original is None else ScheduleDerivations(original.agreed, takeover.made or 0)
    whole = partial(_with_arrears, takeover, of, life)

    def line(
        label: str, value: float, make: Callable[[], Derivation], note: str = "", tone: Tone = "plain"
    ) -> FigureLine:
        return FigureLine(label, Cell(style.with_unit(value, "money"), tone), note, Why(label, make))

    lines = [line("Balance taken over", rest.amount + takeover.overdue, whole, f"on {takeover.calendar.start}")]
    if takeover.overdue:
        arrears = partial(_arrears, takeover, of)
        lines.append(line("To pay at takeover", takeover.overdue, arrears, "arrears with their interest", "out"))
        lines.append(line("Owed after that", rest.amount, partial(_after_arrears, takeover, of, life)))
    rate, left = f"{style.show(float(rest.terms.rate.value), 'rate')} a year", f"the last on {schedule.paid_off_on}"
    lines += [
        FigureLine("Rate", Cell(rate), why=Why("Rate", partial(rate_derivation, rest))),
        line("Payment", rest.payment, partial(_payment, of, life), "worked out" if takeover.payment is None else ""),
        FigureLine(
            "Payments left", Cell(str(len(schedule.rows))), left, Why("Payments left", partial(getattr, of, "payments"))
        ),
        line("Interest to come", schedule.total_interest, partial(getattr, of, "total_interest"), "", "question"),
    ]
    if original is not None and life is not None:
        lines += _life_lines(takeover, original, of, life)
    blocks: list[Block] = [Figures("What is taken over", tuple(lines))]
    if takeover.bill is not None:
        now = ScheduleDerivations(rest.schedule, 0)
        blocks.append(bill_block(rest, takeover.bill, takeover.bill_parts(), now))
    blocks += [Text(f"Does not fit: {sentence}", "out") for sentence in takeover.contradictions]
    if original is None:
        blocks.append(Text("What the loan was cannot be told; give original_amount, original_years or first_payment."))
    blocks += [*schedule_tables(schedule), Checks(schedule.checks)]
    title = takeover.title or f"A loan of {style.with_unit(rest.amount, 'money')} taken over"
    said = " ".join(filter(None, [takeover.note, f"As of {takeover.calendar.start}, to the smallest unit."]))
    return Document(title, tuple(blocks), said, loan_charts(rest), _headline(takeover))


def handout(takeover: Takeover, page: Document) -> Handout:
    """The takeover with its key facts on page one, and what is left of its schedule in full."""
    rest = takeover.remaining
    facts = next(block for block in page.blocks if isinstance(block, Figures))
    return Handout(
        page,
        lambda: sheets_of(rest.frames),
        first=PageOne(figures=facts.lines, given=_known(takeover), told=(facts,)),
        whole=lambda: whole_schedule(rest.agreed),
        places=rest.terms.style.places,
    )


def _headline(takeover: Takeover) -> str:
    """What is left to pay, and how much of it is interest."""
    rest, original = takeover.remaining, takeover.original
    money = partial(rest.terms.style.with_unit, unit="money")
    schedule = rest.agreed
    said = f"{payments_told(schedule)} {money(rest.amount)}, the last on {schedule.paid_off_on}; "
    said += f"{money(schedule.total_interest)} of interest is still to come"
    if original is not None and original.agreed.total_interest:
        share = schedule.total_interest / original.agreed.total_interest
        said += f", {rest.terms.style.show(share, 'share', places=0)} of the loan's whole interest"
    unfit = len(takeover.contradictions)
    return f"{said}." + (f" What is known does not fit together in {unfit} way{'s' * (unfit > 1)}." if unfit else "")


def _known(takeover: Takeover) -> Table:
    """What was known of the loan, as it was given."""
    style = takeover.remaining.terms.style
    rows = []
    for name, (label, unit) in _FACTS.items():
        value = getattr(takeover, name)
        if value is not None:
            shown = str(value) if not unit or isinstance(value, str) else style.with_unit(float(value), unit)
            rows.append((Cell(label), Cell(shown)))
    rows.append((Cell("Payments a year"), Cell(str(takeover.calendar.per_year))))
    return Table("What was known", (Column("Fact", words=True), Column("As given", words=True)), tuple(rows))


_FACTS = {
    "on": ("Taken over on", ""),
    "balance": ("Balance", "money"),
    "rate": ("Rate", "rate"),
    "payment": ("Payment", "money"),
    "maturity": ("Last payment on", ""),
    "payments_left": ("Payments left", ""),
    "years_left": ("Years left", "years"),
    "next_payment": ("Next payment on", ""),
    "original_amount": ("Original amount", "money"),
    "original_years": ("Original term", "years"),
    "first_payment": ("First payment on", ""),
    "payments_made": ("Payments due before", ""),
    "missed_payments": ("Payments missed", ""),
    "arrears": ("Arrears", "money"),
}
"""What can be known of a loan taken over, as it is called, and the unit of its figure."""


def _life_lines(
    takeover: Takeover, original: Loan, of: ScheduleDerivations, life: ScheduleDerivations
) -> list[FigureLine]:
    """What the loan was, and which part of its interest is still to come."""
    style, whole = of.terms.style, original.agreed.total_interest
    first = original.terms.calendar.first if original.terms.calendar else ""
    share = of.schedule.total_interest / whole if whole else 0.0
    paid = f"{len(original.agreed.rows)} payments, the first on {first}"
    return [
        FigureLine(label, Cell(shown), note, Why(label, make))
        for label, shown, note, make in (
            (
                "Original loan",
                style.with_unit(original.amount, "money"),
                paid,
                partial(_original, takeover, original, of),
            ),
            ("Payments due before", str(takeover.made), "", partial(_due_before, takeover, of, life)),
            (
                "Interest over its whole life",
                style.with_unit(whole, "money"),
                "",
                partial(getattr, life, "total_interest"),
            ),
            ("Part still to come", style.show(share, "share"), "", partial(_part, of, life, share)),
        )
    ]


def _part(of: ScheduleDerivations, life: ScheduleDerivations, share: float) -> Derivation:
    told = f"{of.total_interest.value} / {life.total_interest.value}" if life.schedule.total_interest else ""
    how = "interest to come / interest over its whole life"
    return Derivation(of.terms.style.show(share, "share"), how, told)


def _with_arrears(takeover: Takeover, of: ScheduleDerivations, life: ScheduleDerivations | None) -> Derivation:
    """The balance as it is taken over."""
    owed = _owed(takeover, takeover.remaining, of, life)
    return replace(owed, value=of.money(takeover.remaining.amount + takeover.overdue)) if takeover.overdue else owed


def _after_arrears(takeover: Takeover, of: ScheduleDerivations, life: ScheduleDerivations | None) -> Derivation:
    told = f"{_with_arrears(takeover, of, life).value} - {_arrears(takeover, of).value}"
    return Derivation(of.money(takeover.remaining.amount), "balance taken over - to pay at takeover", told)


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
    return Derivation(
        value, formula, " + ".join(told), {"i, the rate of a period": of.periodic(float(of.terms.agreement.rate), i)}
    )


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
        str(made),
        "the number of payments after which the original loan's balance is nearest to what is owed",
        "",
        {
            "The original loan's balance then": Derivation(life.units(life.owed(made)), "by its schedule"),
            "Owed": Derivation(of.money(takeover.remaining.amount)),
        },
    )

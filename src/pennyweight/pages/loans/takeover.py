"""The page of a loan taken over."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from pennyweight.documents import Block, Cell, Checks, Document, FigureLine, Figures, Text
from pennyweight.instruments.loans.asked.bill import bill_block
from pennyweight.pages.loans.loan import loan_charts, loan_tables

if TYPE_CHECKING:
    from pennyweight.instruments.loans.together.takeover import Takeover

__all__ = ["contradictions", "takeover_page"]


def takeover_page(takeover: Takeover) -> Document:
    """What is taken over, what it was, what does not fit, and the remaining schedule."""
    rest, original = takeover.remaining, takeover.original
    style, schedule = rest.terms.style, rest.agreed

    def line(label: str, value: float, note: str = "", tone: Any = "plain") -> FigureLine:
        return FigureLine(label, Cell(style.with_unit(value, "money"), tone), note)

    lines = [line("Balance taken over", rest.amount + takeover.overdue, f"on {takeover.calendar.start}")]
    if takeover.overdue:
        lines.append(line("To pay at takeover", takeover.overdue, "arrears with their interest", "out"))
        lines.append(line("Owed after that", rest.amount))
    worked_out = {name for name in ("rate", "payment") if getattr(takeover, name) is None}
    lines.append(FigureLine("Rate", Cell(f"{style.show(float(rest.terms.rate.value), 'rate')} a year")))
    lines.append(line("Payment", rest.payment, "worked out" if "payment" in worked_out else ""))
    lines.append(FigureLine("Payments left", Cell(str(len(schedule.rows))), f"the last on {schedule.paid_off_on}"))
    lines.append(line("Interest to come", schedule.total_interest, "", "question"))
    if original is not None:
        life = original.agreed
        first = original.terms.calendar.first if original.terms.calendar else ""
        lines.append(line("Original loan", original.amount, f"{len(life.rows)} payments, the first on {first}"))
        lines.append(FigureLine("Payments due before", Cell(str(takeover.made))))
        lines.append(line("Interest over its whole life", life.total_interest))
        share = schedule.total_interest / life.total_interest if life.total_interest else 0.0
        lines.append(FigureLine("Part still to come", Cell(style.show(share, "share"))))
    blocks: list[Block] = [Figures("What is taken over", tuple(lines))]
    if takeover.bill is not None:
        blocks.append(bill_block(style, takeover.bill_parts()))
    blocks += [Text(f"Does not fit: {sentence}", "out") for sentence in takeover.contradictions]
    if original is None:
        blocks.append(Text("What the loan was cannot be told; give original_amount, original_years or first_payment."))
    blocks += [*loan_tables(schedule), Checks(schedule.checks)]
    title = takeover.title or f"A loan of {style.with_unit(rest.amount, 'money')} taken over"
    said = " ".join(filter(None, [takeover.note, f"As of {takeover.calendar.start}, to the smallest unit."]))
    return Document(title, tuple(blocks), said, loan_charts(rest))


def contradictions(takeover: Takeover) -> tuple[str, ...]:
    """Facts of a takeover that do not fit together, with by how much."""
    rest, found = takeover.remaining, []
    style = rest.terms.style

    def shown(value: float) -> str:
        return style.with_unit(value, "money")

    if takeover.left is not None and len(rest.agreed.rows) != takeover.left:
        fitting = rest.but(payment=None, months=takeover.left * 12 / takeover.calendar.per_year, payments_before=0)
        gap, count = fitting.payment - rest.payment, len(rest.agreed.rows)
        found.append(
            f"The payment of {shown(rest.payment)} pays off {shown(rest.amount)} in {count} payments, "
            f"not {takeover.left}. To end with payment {takeover.left} it would be {shown(fitting.payment)}, "
            f"{shown(abs(gap))} {'more' if gap > 0 else 'less'}."
        )
    original = takeover.original
    if original is not None and takeover.made:
        scheduled = original.agreed.balance_after(takeover.made)
        gap = rest.amount - scheduled
        unit = 10.0**-rest.terms.scale
        if abs(gap) > max(unit * (takeover.made + 1), 2e-5 * rest.amount):
            reason = "; the difference may be arrears" if gap > 0 and not takeover.overdue else ""
            found.append(
                f"After {takeover.made} payments the original loan of {shown(original.amount)} would stand at "
                f"{shown(scheduled)}, and {shown(rest.amount)} is stated: {shown(abs(gap))} "
                f"{'more' if gap > 0 else 'less'}{reason}."
            )
        if takeover.original_years is not None:
            agreed = round(takeover.original_years * takeover.calendar.per_year)
            if abs(len(original.agreed.rows) - agreed) > 0:
                found.append(
                    f"The original loan of {shown(original.amount)} runs over {len(original.agreed.rows)} payments "
                    f"at {shown(rest.payment)}, not the {agreed} of {takeover.original_years:g} years."
                )
    return tuple(found)

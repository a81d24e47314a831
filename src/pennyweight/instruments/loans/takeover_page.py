"""The page of a loan taken over."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from pennyweight.documents import Block, Cell, Checks, Document, FigureLine, Figures, Text
from pennyweight.instruments.loans.bill import bill_block
from pennyweight.instruments.loans.report import loan_charts, loan_tables

if TYPE_CHECKING:
    from pennyweight.instruments.loans.takeover import Takeover

__all__ = ["takeover_page"]


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
    return Document(title, tuple(blocks), f"As of {takeover.calendar.start}, to the smallest unit.", loan_charts(rest))

"""Loans in deals: what their parts are called, what each reads, and the steps that work them out period by period.

A loan looks back upon itself (this period's payment is on last period's balance), so its parts are always stepped,
alone or with the lines it stands in a circle with. Two of them matter: the payment needs the balance before, the
pay-out the amount now. All cases share one `core.ledger.Ledger`, made when the stepping begins.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from functools import partial
from typing import Any, Protocol

import numpy as np
from numpy.typing import NDArray

from pennyweight.array_kinds import Floats
from pennyweight.core.loans.stepped import MOST_MADE, Ledger
from pennyweight.core.loans.undisturbed import paths
from pennyweight.deals.compiler.loan_steps import (
    SHOWN,
    advance,
    advance_one,
    count_of,
    draw,
    draw_one,
    draw_terms,
    extra,
    extra_one,
    open_ledger,
    open_one,
    pay,
    pay_one,
    shown_one,
    shown_part,
    step_rate,
    step_rate_one,
)
from pennyweight.deals.compiler.slots import Instruction, Slots
from pennyweight.deals.definition import Definition
from pennyweight.deals.language.arithmetic import WHOLE
from pennyweight.deals.language.names import current_names
from pennyweight.deals.language.nodes import Node, names_in
from pennyweight.deals.parts import PARTS, SETTLED, DealLoan
from pennyweight.deals.timeline import Timeline

__all__ = [
    "Steps",
    "Trouble",
    "add_part",
    "compile_undisturbed",
    "loan_problem",
    "parts_of",
    "reads",
    "reads_now",
    "settle",
    "undisturbed",
]


_PARTS_BEFORE: dict[str, tuple[str, ...]] = {
    "payment": (),
    "interest": ("payment",),
    "principal": ("payment",),
    "extra": ("payment",),
    "drawn": ("payment",),
    "balance": ("payment", "extra", "drawn"),
    "flow": ("payment", "extra", "drawn"),
}


def parts_of(deal: Definition) -> dict[str, tuple[DealLoan, str]]:
    """Every part by its dotted name: its loan, and which part."""
    return {f"{name}.{part}": (loan, part) for name, loan in deal.loans.items() for part in PARTS}


def reads_now(loan: DealLoan, part: str) -> set[str]:
    """The names a part needs in the same period."""
    names = {f"{loan.name}.{other}" for other in _PARTS_BEFORE[part]}
    return names.union(*(current_names(node) for node in _formulas(loan, part)))


def reads(loan: DealLoan, part: str) -> set[str]:
    """All names a part reads, those of earlier periods too: every part needs the others through the balance."""
    names = {f"{loan.name}.{other}" for other in PARTS if other != part}
    return names.union(*(names_in(node) for node in _formulas(loan, part)))


def _formulas(loan: DealLoan, part: str) -> list[Node]:
    if part == "payment":
        return [node for step in loan.rate_steps for node in step]
    if part == "extra" and loan.extra is not None:
        return [loan.extra]
    return [*loan.terms.values(), *(first for first, _ in loan.advances)] if part == "drawn" else []


class Steps(Protocol):
    """What a group of names that is being compiled offers: cells, and steps that fill them period by period."""

    program: Slots
    period: int

    def step(
        self, compute: Callable[..., Floats], args: list[int], text: str = "", plain: Callable[..., Any] | None = None
    ) -> int:
        """A new cell that holds compute(*args); `text` or `plain` do the same in plain floats."""

    def step_into(
        self, cell: int, compute: Callable[..., Any], args: list[int], plain: Callable[..., Any] | None = None
    ) -> None:
        """compute(*args) in the place of a cell; `plain` does the same in plain floats."""

    def translate(self, node: Node) -> int:
        """The cell of a formula."""


def undisturbed(program: Slots, loan: DealLoan, parts: list[str]) -> bool:
    """Whether nothing happens to a loan between pay-out and its end, and nothing it reads waits for it."""
    ratio = loan.per_year / program.time.per_year
    plain = loan.extra is None and not (loan.rate_steps or loan.advances or loan.to_the_cent)
    plain = plain and "interest_only" not in loan.terms and ratio == int(ratio)
    return plain and not any(name in parts for node in loan.terms.values() for name in names_in(node))


def compile_undisturbed(program: Slots, loan: DealLoan, parts: list[str]) -> None:
    """All parts of such a loan as one instruction, over all periods at once; `parts` are their dotted names."""
    names = list(loan.terms)
    args = tuple(program.translate(loan.terms[name]) for name in names)
    args = tuple(
        program.for_each(arg, loan.each) if name == "amount" else arg for name, arg in zip(names, args, strict=True)
    )
    depends = 0
    for arg in args:
        depends |= program.depends[arg]
    outs = tuple(program.slot(True, depends, loan.each) for _ in _STEPPED)
    compute = partial(_undisturbed, loan.shape, loan.per_year, program.time, tuple(names))
    program.instructions.append(Instruction(compute, args, outs, steps=True))
    slot = dict(zip(_STEPPED, outs, strict=True))
    # The other parts follow from these, and are worked out only where they are asked for.
    slot["principal"] = program.operation("-", slot["payment"], slot["interest"])
    slot["flow"] = program.operation("-", slot["drawn"], slot["payment"])
    slot["extra"] = program.operation("*", slot["payment"], program.number(0.0))
    for name in parts:
        kind = name.partition(".")[2]
        program.names[name] = slot[kind]
        program.masks[name] = program.time.t[:, 0] >= (0 if kind in ("drawn", "flow", "balance") else 1)


def settle(program: Slots, loan: str, last: int) -> None:
    """End a loan in the period to which the deal is counted: what is still owed is repaid, and nothing follows.

    It stands in the principal, the flow and a part of its own, not in the payment, which covers are measured by.
    """
    t = program.names["t"]
    ends, goes_on = program.operation("==", t, last), program.operation("<", t, last)
    inside = program.operation("<=", t, last)
    names = {part: f"{loan}.{part}" for part in (*PARTS, SETTLED)}
    whole = {part: program.names[names[part]] for part in PARTS}
    nothing = program.number(0.0)
    settled = program.operation("choose", ends, whole["balance"], nothing)
    kept = {part: program.operation("choose", inside, slot, nothing) for part, slot in whole.items()}
    kept["balance"] = program.operation("choose", goes_on, whole["balance"], nothing)
    kept["principal"] = program.operation("+", kept["principal"], settled)
    kept["flow"] = program.operation("-", kept["flow"], settled)
    for part, slot in {**kept, SETTLED: settled}.items():
        program.names[names[part]] = slot
    program.masks[names[SETTLED]] = program.time.t[:, 0] >= 0


_STEPPED = ("payment", "interest", "balance", "drawn")


def _undisturbed(
    shape: Any, per_year: int, time: Timeline, names: tuple[str, ...], *values: Floats
) -> tuple[Floats, ...]:
    """Payment, interest, balance and what is drawn, (periods + 1, cases); terms are read in the period of pay-out."""
    rows, ratio = time.rows, per_year // time.per_year
    when = values[names.index("paid_out")]
    width = max(value.shape[-1] for value in values)
    never = ~((when <= time.periods + WHOLE) & (when >= -WHOLE))
    held = np.where(never, 0.0, np.round(np.where(never, 0.0, when))).astype(np.intp)
    term = {
        name: value
        if value.ndim == 1
        else np.broadcast_to(value, (rows, width))[np.broadcast_to(held, width), np.arange(width)]
        for name, value in zip(names, values, strict=True)
    }
    ledger = Ledger(shape)
    with np.errstate(invalid="ignore"):
        draw_terms(ledger, np.ones(1, np.bool_), per_year, 1.0, term, 0.0)
        lost = ~np.isposinf(when) & ~(np.abs(when - np.round(np.where(np.isinf(when), 0, when))) <= WHOLE)
        gone = (when > time.periods + WHOLE) | (when < -WHOLE)
    start = np.where(lost, np.nan, np.where(gone, 0.0, ledger.balance))
    first = int(held.min()) if held.size else 0
    found = paths(shape, start, ledger.rate, ledger.payment, ledger.left, (rows - 1 - first) * ratio, ratio)
    width = found.paid.shape[1]
    drawn = np.zeros((rows - first, width))
    drawn[0] = start
    parts = {name: _placed(table, held, rows, first) for name, table in (*found._asdict().items(), ("drawn", drawn))}
    if lost.any():
        for table in parts.values():
            table[:, np.broadcast_to(lost, width)] = np.nan
    return parts["paid"], parts["interest"], parts["balance"], parts["drawn"]


def _placed(table: Floats, held: NDArray[np.intp], rows: int, first: int) -> Floats:
    """A table that begins with the pay-out, moved to the period in which each case is paid out."""
    if first == 0 and table.shape[0] == rows and (held.size == 1 or not held.any()):
        return table
    whole = np.zeros((rows, table.shape[1]))
    if held.size == 1 or (held == first).all():
        whole[first:] = table[: rows - first]
        return whole
    for since in np.unique(held).tolist():
        mine = np.flatnonzero(held == since)
        whole[since:, mine] = table[: rows - since, mine]
    return whole


def add_part(group: Steps, loan: DealLoan, part: str, ledger: int) -> int:
    """Add the steps of one part to a group; returns the cell of its result. `ledger` is the cell of its ledger."""
    time = group.program.time
    shown = partial(shown_part, part)
    if part == "payment":
        units = 10.0**group.program.definition.style.places if loan.to_the_cent else None
        open_it = partial(open_ledger, loan.shape, units)
        group.step_into(ledger, open_it, [ledger, group.period], partial(open_one, loan.shape, units))
        for first, rate in loan.rate_steps:
            cells = [group.translate(node) for node in (first, rate)]
            group.step_into(
                ledger,
                partial(step_rate, loan.per_year),
                [ledger, group.period, *cells],
                partial(step_rate_one, loan.per_year),
            )
        ratio = loan.per_year / time.per_year
        group.step_into(ledger, partial(pay, ratio), [ledger, group.period], partial(pay_one, ratio))
    elif part == "extra" and loan.extra is not None:
        group.step_into(ledger, extra, [ledger, group.translate(loan.extra)], extra_one)
    elif part == "drawn":
        names = list(loan.terms)
        cells = [group.translate(loan.terms[name]) for name in names]
        share = loan.advances[0][1] if loan.advances else 1.0
        group.step_into(
            ledger,
            partial(draw, loan.per_year, share, tuple(names)),
            [ledger, group.period, *cells],
            partial(draw_one, loan.per_year, share, tuple(names)),
        )
        for first, further in loan.advances[1:]:
            group.step_into(
                ledger,
                partial(advance, further),
                [ledger, group.period, group.translate(first)],
                partial(advance_one, further),
            )
    text = "" if loan.to_the_cent else SHOWN[part]
    return group.step(shown, [ledger], text, partial(shown_one, part))


@dataclass(frozen=True, slots=True)
class Trouble:
    """What is wrong with the terms of a loan."""

    words: str
    never_ends: bool = False
    """Whether the terms may stand, but the loan would never be paid off."""


def loan_problem(deal: Definition, loan: DealLoan, term: Mapping[str, float]) -> Trouble | None:
    """Why the terms of a loan, single figures by name, make no loan; None when they do."""
    style = deal.style
    amount, rate = term["amount"], term["rate"]
    for name, value in term.items():
        if np.isnan(value):
            return Trouble(f"its {name} is undefined")
    if amount < 0:
        return Trouble(f"its amount is {style.show(amount, 'money')}, but it must be 0 or more")
    if rate < 0:
        return Trouble(f"its rate is {style.show(rate, 'rate')}, but it must be 0 or more")
    count = count_of(loan.per_year, term)
    if np.isfinite(count) and (count < 1 - WHOLE or abs(count - round(count)) > WHOLE):
        return Trouble(f"its term makes {count:g} payments; it must be a whole number, at least one")
    only = term.get("interest_only", 0.0) * loan.per_year
    if not 0 <= only < count or abs(only - round(only)) > WHOLE:
        return Trouble("its interest-only time must be a whole number of payments and end before the term")
    if "amortized_over" in term and term["amortized_over"] * loan.per_year < count - WHOLE:
        return Trouble("it is amortized over less time than its term")
    if term.get("residual", 0.0) < 0 or (term.get("residual", 0.0) >= amount and term.get("residual", 0.0) > 0):
        return Trouble("its residual must be less than its amount")
    made = term.get("payments_made", 0.0)
    if not 0 <= made < count or abs(made - round(made)) > WHOLE or made > MOST_MADE:
        return Trouble(
            f"its payments made are {made:g}; they must be a whole number, less than all of its payments and at most "
            f"{MOST_MADE:,}"
        )
    balloon = term.get("balloon", np.inf) * loan.per_year
    if np.isfinite(balloon) and (balloon < 1 - WHOLE or abs(balloon - round(balloon)) > WHOLE):
        return Trouble(f"its balloon falls due after {balloon:g} payments; it must be a whole number, at least one")
    if made and made >= balloon:
        return Trouble("its balloon fell due before it was taken over")
    if "payment" in term and amount > 0 and term["payment"] <= amount * rate / loan.per_year:
        shown = [style.show(value, "money") for value in (term["payment"], amount * rate / loan.per_year)]
        return Trouble(f"the payment of {shown[0]} never covers the first interest of {shown[1]}", never_ends=True)
    return None

"""What a loan in a deal does in one period: on the ledger of many cases, and the same on that of one in plain floats.

Each step is handed the ledger, the period and what it needs, and returns the ledger (or the part that is shown).
"""

from __future__ import annotations

from collections.abc import Mapping
from math import floor, isinf, nan
from typing import Any

import numpy as np
from numpy.typing import NDArray

from pennyweight.array_kinds import Floats
from pennyweight.core.loans.stepped import Ledger
from pennyweight.core.loans.stepped_one import OneLedger
from pennyweight.deals.language.arithmetic import WHOLE

__all__ = [
    "SHOWN",
    "advance",
    "advance_one",
    "count_of",
    "draw",
    "draw_one",
    "draw_terms",
    "extra",
    "extra_one",
    "open_ledger",
    "open_one",
    "pay",
    "pay_one",
    "shown_one",
    "shown_part",
    "step_rate",
    "step_rate_one",
]


SHOWN = {
    "payment": "{0}.paid",
    "interest": "{0}.interest",
    "principal": "{0}.paid - {0}.interest",
    "extra": "{0}.extra",
    "drawn": "{0}.drawn",
    "balance": "{0}.balance",
    "flow": "{0}.drawn - {0}.paid - {0}.extra",
}
"""How a part of one unrounded loan's ledger is written in plain floats."""


def count_of(per_year: int, term: Mapping[str, Any]) -> Any:
    """How many payments the terms make; without end where they say none."""
    if "months" in term:
        return term["months"] * per_year / 12
    return term["years"] * per_year if "years" in term else np.inf


# Steps: each is handed the ledger and returns it.


def open_ledger(shape: Any, units: float | None, ledger: Any, period: Floats) -> Ledger:
    """A new ledger in the first period."""
    return Ledger(shape, units) if period[0] == 0 else ledger


def step_rate(per_year: int, ledger: Ledger, period: Floats, first: Floats, rate: Floats) -> Ledger:
    """A new rate from a period on."""
    ledger.set_rate((np.abs(period[0] - first) <= WHOLE) & (ledger.balance != 0), rate / per_year)
    return ledger


def pay(ratio: float, ledger: Ledger, period: Floats) -> Ledger:
    """The payments due between the period before and this one, counted from the pay-out."""
    held = period[0] - ledger.since
    since = np.where(held > 0, held, 0.0)
    before = np.where(held > 0, held - 1, 0.0)
    ledger.pay(np.floor(since * ratio + 1e-9) - np.floor(before * ratio + 1e-9))
    return ledger


def extra(ledger: Ledger, amount: Floats) -> Ledger:
    """What is put on top."""
    ledger.pay_extra(amount)
    return ledger


def advance(share: float, ledger: Ledger, period: Floats, first: Floats) -> Ledger:
    """A further stage of a loan that is drawn in several."""
    if period[0] == 0:
        ledger.refuse(~(np.isinf(first) | (np.abs(first - np.round(first)) <= WHOLE)))
    ledger.advance((np.abs(period[0] - first) <= WHOLE) & (ledger.since < period[0]), share)
    return ledger


def draw(per_year: int, share: float, names: tuple[str, ...], ledger: Ledger, period: Floats, *cells: Floats) -> Ledger:
    """The pay-out, in its period."""
    term = dict(zip(names, cells, strict=True))
    with np.errstate(invalid="ignore"):
        now = np.abs(period[0] - term["paid_out"]) <= WHOLE
    if period[0] == 0:
        ledger.refuse(~(np.isinf(term["paid_out"]) | (np.abs(term["paid_out"] - np.round(term["paid_out"])) <= WHOLE)))
    if not now.any():
        ledger.drawn = np.zeros(1)
        return ledger
    draw_terms(ledger, now, per_year, share, term, float(period[0]))
    return ledger


def draw_terms(
    ledger: Ledger, now: NDArray[np.bool_], per_year: int, share: float, term: Mapping[str, Floats], period: float
) -> None:
    """Pay a loan out on its terms where `now`."""
    times = {"spread": "amortized_over", "only": "interest_only"}
    given = {name: term[key] * per_year for name, key in times.items() if key in term}
    given.update({name: term[name] for name in ("payment", "residual") if name in term})
    count = np.asarray(count_of(per_year, term), dtype=np.float64)
    if "balloon" in term:  # the payment is worked out over the years, the rest falls due earlier
        given.setdefault("spread", count)
        count = np.where(np.isnan(term["balloon"]), np.nan, np.minimum(count, term["balloon"] * per_year))
        given["spread"] = np.maximum(given["spread"], count)
    if "payments_made" in term:
        given["made"] = term["payments_made"]
    ledger.draw(now, term["amount"], rate=term["rate"] / per_year, count=count, period=period, share=share, **given)


def shown_part(part: str, ledger: Ledger) -> Floats:
    """A part of the ledger in the currency. The level payment's own principal; extra payments stand apart."""
    if part == "principal":
        amount = ledger.paid - ledger.interest
    elif part == "flow":
        amount = ledger.drawn - ledger.paid - ledger.extra
    else:
        amounts = {"payment": ledger.paid, "interest": ledger.interest, "extra": ledger.extra, "drawn": ledger.drawn}
        amount = amounts.get(part, ledger.balance)
    return ledger.shown(amount)


# The same steps in plain floats.


def open_one(shape: Any, units: float | None, ledger: Any, period: float) -> OneLedger:
    """A new ledger in the first period."""
    return OneLedger(shape, units) if period == 0 else ledger


def step_rate_one(per_year: int, ledger: OneLedger, period: float, first: float, rate: float) -> OneLedger:
    """A new rate from a period on."""
    if abs(period - first) <= WHOLE and ledger.balance != 0:
        ledger.through(lambda arrays: arrays.set_rate(np.ones(1, np.bool_), np.array([rate / per_year])))
    return ledger


def pay_one(ratio: float, ledger: OneLedger, period: float) -> OneLedger:
    """The payments due since the period before."""
    held = period - ledger.since
    since, before = (held, held - 1) if held > 0 else (0.0, 0.0)
    ledger.pay(floor(since * ratio + 1e-9) - floor(before * ratio + 1e-9))
    return ledger


def extra_one(ledger: OneLedger, amount: float) -> OneLedger:
    """What is put on top."""
    ledger.pay_extra(amount)
    return ledger


def advance_one(share: float, ledger: OneLedger, period: float, first: float) -> OneLedger:
    """A further stage."""
    if period == 0 and not (isinf(first) or abs(first - round(first)) <= WHOLE):
        ledger.balance, ledger.since = nan, 0.0
    if abs(period - first) <= WHOLE and ledger.since < period:
        ledger.through(lambda arrays: arrays.advance(np.ones(1, np.bool_), share))
    return ledger


def draw_one(
    per_year: int, share: float, names: tuple[str, ...], ledger: OneLedger, period: float, *cells: float
) -> OneLedger:
    """The pay-out, in its period."""
    paid_out = cells[names.index("paid_out")]
    if period == 0 and not (isinf(paid_out) or (paid_out == paid_out and abs(paid_out - round(paid_out)) <= WHOLE)):
        ledger.balance, ledger.since = nan, 0.0
    if not abs(period - paid_out) <= WHOLE:
        ledger.drawn = 0.0
        return ledger
    term = {name: np.array([value]) for name, value in zip(names, cells, strict=True)}
    ledger.through(lambda arrays: draw_terms(arrays, np.ones(1, np.bool_), per_year, share, term, period))
    return ledger


def shown_one(part: str, ledger: OneLedger) -> float:
    """A part in the currency."""
    return ledger.shown(part)

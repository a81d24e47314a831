"""The unknown of a plan, worked out from the other four quantities."""

from __future__ import annotations

from functools import partial
from math import expm1, inf, isfinite, log

import numpy as np

from pennyweight.array_kinds import Floats
from pennyweight.core import annuity
from pennyweight.core.brackets import turn_between
from pennyweight.core.irr import find_rates as irr
from pennyweight.errors import InputError, NoAnswer, SeveralAnswers
from pennyweight.instruments.plans.plan_terms import GROW, WITHDRAW, PlanTerms

__all__ = ["_MOST_PERIODS", "_solve"]


_MOST_PERIODS = 100_000


def _solve(t: PlanTerms) -> float:
    if t.find == "rate":
        return _rate(t)
    if t.find == "years":
        return _periods(t)
    answer = _amount(t)
    if not isfinite(answer):
        raise NoAnswer("The figures are too large to work out.")
    if answer < 0:
        raise NoAnswer(_impossible(t, answer))
    return answer


def _amount(t: PlanTerms) -> float:
    """Start, payment or end by the equation."""
    i, n, sign = t.known_i, t.known_n, t.kind.sign
    if n == inf:
        factor = float(annuity.perpetuity_factor(i, growth_per_period=t.g, paid=t.paid)) * (1 + i) ** -t.wait
        return float(t.known_pay * factor if t.find == t.kind.names[0] else t.known_start / factor)
    factor = float(annuity.annuity_factor(i, n, growth_per_period=t.g, paid=t.paid))
    with np.errstate(over="ignore"):
        waiting, whole = float(np.exp(t.wait * np.log1p(i))), float(np.exp((t.wait + n) * np.log1p(i)))
    if t.find == t.kind.names[0]:
        return float(t.known_end / whole - sign * t.known_pay * factor / waiting)
    if t.find == t.kind.names[1]:
        return float(sign * (t.known_end / whole - t.known_start) * waiting / factor)
    return float(whole * (t.known_start + sign * t.known_pay * factor / waiting))


def _impossible(t: PlanTerms, answer: float) -> str:
    """Why an amount would have to be negative."""
    start, pay, _, _, end = t.kind.names
    shown = t.style.show(-answer, "money")
    if t.find == end:
        word = "runs out" if t.kind is WITHDRAW else "is paid off"
        return f"It {word} before the term ends: {shown} too much is paid. Ask for the years instead."
    if t.find == start:
        return f"The {pay}s alone come to more than the {end}; {start} would have to be -{shown}."
    return f"The {start} alone comes to more than the {end} asks for; {pay} would have to be -{shown}."


def _periods(t: PlanTerms) -> float:
    """The number of payments, whole or not, after which the end is reached."""
    i, sign = t.known_i, t.kind.sign
    begun = t.known_start * (1 + i) ** t.wait
    if t.g == 0:
        count = float(
            annuity.payments_needed(
                owed=-sign * begun, still_owed=-sign * t.known_end, payment=t.known_pay, rate_per_period=i, paid=t.paid
            )
        )
        if not isfinite(count):
            raise NoAnswer(_never(t, begun))
        if count > _MOST_PERIODS:
            raise NoAnswer(f"That takes {count:,.0f} {t.kind.names[1]}s; the most is {_MOST_PERIODS:,}.")
        return count
    return _periods_growing(t, begun)


def _periods_growing(t: PlanTerms, begun: float) -> float:
    i, sign = t.known_i, t.kind.sign
    counts = np.arange(0.0, _MOST_PERIODS + 1.0)

    def short(n: Floats | float) -> Floats:
        with np.errstate(all="ignore"):
            worth = annuity.annuity_factor(i, n, growth_per_period=t.g, paid=t.paid) * sign * t.known_pay + begun
            return np.asarray(worth * np.exp(np.asarray(n) * np.log1p(i)) - t.known_end)

    def turned(before: float, n: float) -> bool:
        return float(np.sign(short(n))) != before

    signs = np.sign(short(counts))
    # Where growth is beyond every number nothing is told any more; and what is nothing stays nothing.
    lost = np.flatnonzero(np.isnan(signs))
    signs = signs[: lost[0]] if lost.size else signs
    turns = np.flatnonzero((signs[1:] != signs[:-1]) & (signs[1:] != 0) | (signs[1:] == 0))
    found = []
    for turn in turns[signs[turns] != 0]:
        before = float(signs[turn])
        found.append(turn_between(partial(turned, before), float(turn), float(turn + 1))[1])
    if not found:
        raise NoAnswer(_never(t, begun))
    if len(found) > 1:
        years = [count / t.often for count in found]
        shown = " and after ".join(f"{value:,.2f}" for value in years)
        raise SeveralAnswers(f"That is reached more than once: after {shown} years.", years)
    return found[0]


def _never(t: PlanTerms, begun: float) -> str:
    """Why no number of payments gets there."""
    style, (_, pay, _, _, end) = t.style, t.kind.names
    interest = begun * t.known_i
    shown = f"the {pay} of {style.show(t.known_pay, 'money')}"
    if t.kind is GROW:
        return f"The pot never comes to {style.show(t.known_end, 'money')}."
    if t.known_end > begun:
        return f"The {end} of {style.show(t.known_end, 'money')} is more than there is to begin with."
    whose = f"the first {t.period}'s interest of {style.show(interest, 'money')}"
    if t.kind is WITHDRAW:
        return f"The pot never runs down: {shown} never exceeds {whose}, so it lasts forever."
    return f"{shown[0].upper()}{shown[1:]} never covers {whose}."


def _rate(t: PlanTerms) -> float:
    """The rate per period, told from every other that would do as well."""
    n = t.known_n
    if t.kind is GROW and t.known_end == 0 and t.known_start and (not t.known_pay or t.paid == "start"):
        return -1.0  # all is lost
    if t.is_lump_sum and t.known_start and n != inf:
        return expm1(log(t.known_end / t.known_start) / (t.wait + n)) if t.known_end else -1.0
    if n == inf:
        if not t.known_start > t.known_pay * (t.paid == "start"):
            raise NoAnswer("No rate fits: the first payment alone takes the whole pot.")
        if t.wait:
            raise InputError("A rate forever with a deferred start is not worked out; leave out deferred.")
        if t.paid == "start":
            return float((t.known_pay + t.g * t.known_start) / (t.known_start - t.known_pay))
        return t.known_pay / t.known_start + t.g
    if abs(n - round(n)) > 1e-9 or abs(t.wait - round(t.wait)) > 1e-9:
        raise InputError(f"To find a rate the term must make whole payments; {n / t.often:g} years make {n:g}.")
    count, wait = round(n), round(t.wait)
    row = np.zeros(wait + count + 1)
    row[0] = t.known_start
    first = wait + (0 if t.paid == "start" else 1)
    row[first : first + count] += t.kind.sign * t.known_pay * (1 + t.g) ** np.arange(count)
    row[-1] -= t.known_end
    crossing, touching = irr.all_rates(row)
    # All amounts are positive, so the row changes its sign once at most, and there is one rate at most.
    rates = [*crossing, *touching]
    if not rates:
        raise NoAnswer(_no_rate(row))
    return rates[0]


def _no_rate(row: Floats) -> str:
    if (row >= 0).all() or (row <= 0).all():
        return "No rate does: what is paid and what is had are all on one side."
    return "No rate above -100% brings these figures together."

"""Pots and debts: any one of five quantities from the other four.

    grow      opening, deposit, rate, years, closing        a pot that grows
    repay     owed, payment, rate, years, still_owed        a debt that is paid down
    withdraw  pot, withdrawal, rate, years, pot_left        a pot that is lived on

All three are one equation, with the sign of the payments told by the name:

    end = start (1 + i)^(d + n) + sign * payment * ((1 + i)^n - (1 + g)^n) / (i - g)

with n payments, i the rate and g the growth of the payments per period, and d periods before the first one begins.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from functools import partial
from math import expm1, inf, isfinite, log

import numpy as np
from numpy.typing import NDArray

from pennyweight.core import annuity
from pennyweight.core.annuity import Paid
from pennyweight.core.brackets import turn_between
from pennyweight.core.irr import find_rates as irr
from pennyweight.errors import InputError, NoAnswer, SeveralAnswers, choice, nearest
from pennyweight.instruments.plans.plan import Plan
from pennyweight.instruments.plans.plan_terms import PlanKind, PlanTerms
from pennyweight.quantities.amounts import read_amount
from pennyweight.quantities.numbers import LARGEST
from pennyweight.quantities.periods import read_compounding, read_per_year
from pennyweight.quantities.rates import read_rate
from pennyweight.quantities.units import Style, read_value

__all__ = ["GROW", "REPAY", "WITHDRAW", "grow", "repay", "withdraw"]

Floats = NDArray[np.float64]
Amount = str | float | None
Years = str | float | None

GROW = PlanKind("grow", ("opening", "deposit", "rate", "years", "closing"), 1, 1, False, "closing")
REPAY = PlanKind("repay", ("owed", "payment", "rate", "years", "still_owed"), -1, 12, True, "payment")
WITHDRAW = PlanKind("withdraw", ("pot", "withdrawal", "rate", "years", "pot_left"), -1, 1, False, "withdrawal")

_MOST_PERIODS = 100_000


def grow(
    *,
    opening: Amount = None,
    deposit: Amount = None,
    rate: str | float | None = None,
    years: Years = None,
    closing: Amount = None,
    find: str | None = None,
    per_year: str | int = 1,
    compounding: str | int | None = None,
    paid: Paid = "end",
    growth: str | float = 0.0,
    deferred: str | float = 0.0,
    currency: str = "",
) -> Plan:
    """Growing a pot: find its closing, or any other one of the five.

    Args:
        opening, deposit, closing: amounts, positive; a deposit each period. Left out and not asked for: 0.
        rate: yearly, effective unless it says otherwise or `compounding` does.
        years: how long deposits are made.
        find: the unknown; left out: the one that is not given, or the closing.
        per_year: deposits a year, a number or a word ("month").
        compounding: how often a bare rate compounds; makes it a quoted one.
        paid: at the "end" or the "start" of each period.
        growth: the yearly rate at which deposits grow from one to the next, effective.
        deferred: years before the first period begins, in which the pot earns and nothing is paid.
        currency: three letters, shown with amounts.

    Raises InputError, NoAnswer, or SeveralAnswers when, with growing payments, two terms fit.

    >>> round(grow(opening=1000, deposit=100, rate="5%", years=10).answer, 2)
    2886.68
    """
    given = {"opening": opening, "deposit": deposit, "rate": rate, "years": years, "closing": closing}
    return _plan(GROW, given, find, per_year, compounding, paid, growth, deferred, currency)


def repay(
    *,
    owed: Amount = None,
    payment: Amount = None,
    rate: str | float | None = None,
    years: Years = None,
    still_owed: Amount = None,
    find: str | None = None,
    per_year: str | int = 12,
    compounding: str | int | None = None,
    paid: Paid = "end",
    growth: str | float = 0.0,
    deferred: str | float = 0.0,
    currency: str = "",
) -> Plan:
    """Paying down a debt: find its payment, or any other one of the five.

    A bare rate is quoted, compounding as often as is paid; monthly unless `per_year` says otherwise. `years`, `find`,
    `compounding`, `paid`, `growth`, `deferred` and `currency` are as in `grow`; `still_owed` is what is left at the
    end. Unrounded: a loan's schedule rounds each payment to the cent.

    >>> round(repay(owed=100_000, rate="6%", years=30).answer, 2)
    599.55
    """
    given = {"owed": owed, "payment": payment, "rate": rate, "years": years, "still_owed": still_owed}
    return _plan(REPAY, given, find, per_year, compounding, paid, growth, deferred, currency)


def withdraw(
    *,
    pot: Amount = None,
    withdrawal: Amount = None,
    rate: str | float | None = None,
    years: Years = None,
    pot_left: Amount = None,
    find: str | None = None,
    per_year: str | int = 1,
    compounding: str | int | None = None,
    paid: Paid = "end",
    growth: str | float = 0.0,
    deferred: str | float = 0.0,
    currency: str = "",
) -> Plan:
    """Living on a pot: find the withdrawal, or any other one of the five.

    `find="pot"` is the present value of an annuity; `years="forever"` one of a perpetuity. `pot_left` is what is left
    at the end; `rate`, `per_year`, `compounding`, `paid`, `growth`, `deferred` and `currency` are as in `grow`.

    >>> round(withdraw(withdrawal=100, rate="5%", years="forever", find="pot").answer, 2)
    2000.0
    """
    given = {"pot": pot, "withdrawal": withdrawal, "rate": rate, "years": years, "pot_left": pot_left}
    return _plan(WITHDRAW, given, find, per_year, compounding, paid, growth, deferred, currency)


def _plan(
    kind: PlanKind,
    given: Mapping[str, str | float | None],
    find: str | None,
    per_year: str | int,
    compounding: str | int | None,
    paid: Paid,
    growth: str | float,
    deferred: str | float,
    currency: str,
) -> Plan:
    unknown = _unknown(kind, given, find)
    choice(paid, annuity.PAID, "paid")
    often = read_per_year(per_year)
    quoted = (float(often) if kind.quoted else 0.0) if compounding is None else read_compounding(compounding)
    values = {name: None if name == unknown else _read(kind, name, value) for name, value in given.items()}
    start, pay, _, years, end = values.values()
    i = None
    if unknown != "rate":
        i = _per_period(given["rate"], often, quoted, compounding is not None)
    g = read_rate(growth, what="growth").per_period(often)
    wait = read_value(deferred, "years", what="deferred") * often
    if wait < 0 or wait > _MOST_PERIODS:
        said = f"deferred is {deferred}; write years from 0 on, {_MOST_PERIODS:,} periods at most."
        raise InputError(said, at="deferred")
    n = None if years is None else years * often
    terms = PlanTerms(kind, unknown, start, pay, i, n, end, g, wait, often, quoted, paid, Style(currency))
    _check(terms)
    return Plan(_filled(terms, _solve(terms)))


def _filled(t: PlanTerms, answer: float) -> PlanTerms:
    """The terms with the unknown put in."""
    place = t.kind.names.index(t.find)
    if place == 0:
        return replace(t, start=answer)
    if place == 1:
        return replace(t, pay=answer)
    if place == 2:
        return replace(t, i=answer)
    return replace(t, n=answer) if place == 3 else replace(t, end=answer)


def _unknown(kind: PlanKind, given: Mapping[str, object], find: object) -> str:
    """The quantity to find: said, else the only one left out, else the usual one."""
    if find is not None:
        if not isinstance(find, str) or find not in kind.names:
            hint = nearest(find, kind.names) if isinstance(find, str) else ""
            raise InputError(f"There is no '{find}' to find{hint or '.'} There are {', '.join(kind.names)}.")
        if given[find] is not None:
            raise InputError(f"'{find}' is to be found, but is given too; leave it out.")
        return find
    missing = [name for name, value in given.items() if value is None]
    if not missing:
        raise InputError(f"All of {', '.join(kind.names)} are given; leave out the one to find.")
    if kind.usual in missing:
        return kind.usual
    needed = [name for name in missing if name in ("rate", "years")]
    return needed[0] if needed else missing[0]


def _read(kind: PlanKind, name: str, value: str | float | None) -> float | None:
    if name in ("rate", "years") and value is None:
        raise InputError(f"'{name}' is missing: {kind.word} needs {', '.join(kind.names)}, all but one.")
    if name == "rate":
        return 0.0  # read with its frequency, see _per_period
    if name == "years":
        if isinstance(value, str) and value == "forever":
            return inf
        years = read_value(value, "years", what="years")
        if not years > 0:
            raise InputError(f"years is {value}; a term must be above zero.", at="years")
        return years
    amount = read_amount(0.0 if value is None else value, what=name)
    if amount < 0:
        raise InputError(
            f"{name} is {value}; write amounts as positive numbers, their names say which way they go.", at=name
        )
    if amount > LARGEST:
        raise InputError(f"{name} is {value}; amounts go up to {LARGEST:g}.", at=name)
    return amount


def _per_period(given: object, often: int, quoted: float, said: bool) -> float:
    """The rate of one period of a rate that compounds `quoted` times a year (0: effective) unless it says otherwise."""
    rate = read_rate("" if given is None else given, what="rate")
    if said and rate.compounding is not None and rate.compounding != quoted:
        raise InputError(
            f"The rate '{given}' says how it compounds, but compounding says otherwise; leave one of them out."
        )
    i = rate.per_period(often, bare_compounds=quoted)
    if not i > -1:
        raise InputError(f"rate is {given}, which loses everything within one period.", at="rate")
    if not isfinite(i):
        raise InputError(f"rate is {given}, which comes to more in a period than a number can hold.", at="rate")
    return i


def _check(t: PlanTerms) -> None:
    if t.n == inf:
        if t.kind is GROW:
            raise InputError(
                "years is forever; a pot that grows needs a term; only a pot that money is taken from can last "
                "forever.",
                at="years",
            )
        if t.end:
            raise InputError(
                f"years is forever, so nothing is left at an end: leave out {t.kind.names[4]}.", at="years"
            )
        if t.i is not None and t.i <= t.g:
            raise NoAnswer(
                f"Payments that grow by {t.yearly(t.g):.2%} a year forever cannot be met by a rate of "
                f"{t.yearly(t.i):.2%}; the rate must be the larger."
            )
    elif t.n is not None and t.n + t.wait > _MOST_PERIODS:
        raise InputError(f"That makes {t.n + t.wait:,.0f} periods; the most is {_MOST_PERIODS:,}.")
    if t.n is not None and t.n < 1 and t.find != "rate" and not t.is_lump_sum:
        raise InputError(
            f"years is {t.n / t.often:g}, which is shorter than one period of {t.often} a year.", at="years"
        )


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

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
from math import inf, isfinite

from pennyweight.core import annuity
from pennyweight.core.annuity import Paid
from pennyweight.errors import InputError, NoAnswer, choice, nearest
from pennyweight.instruments.plans.plan import Plan
from pennyweight.instruments.plans.plan_terms import GROW, REPAY, WITHDRAW, PlanKind, PlanTerms
from pennyweight.instruments.plans.solving import _MOST_PERIODS, _solve
from pennyweight.quantities.amounts import read_amount
from pennyweight.quantities.numbers import LARGEST
from pennyweight.quantities.periods import read_compounding, read_per_year
from pennyweight.quantities.rates import read_rate
from pennyweight.quantities.units import Style, read_value

__all__ = ["grow", "repay", "withdraw"]

Amount = str | float | None
Years = str | float | None


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

    Parameters
    ----------
    opening, deposit, closing : Amount
        Amounts, positive; a deposit each period. Left out and not asked for: 0.
    rate : str | float | None, optional
        Yearly, effective unless it says otherwise or `compounding` does.
    years : Years, optional
        How long deposits are made.
    find : str | None, optional
        The unknown; left out: the one that is not given, or the closing.
    per_year : str | int, default 1
        Deposits a year, a number or a word ("month").
    compounding : str | int | None, optional
        How often a bare rate compounds; makes it a quoted one.
    paid : Paid, default 'end'
        At the "end" or the "start" of each period.
    growth : str | float, default 0.0
        The yearly rate at which deposits grow from one to the next, effective.
    deferred : str | float, default 0.0
        Years before the first period begins, in which the pot earns and nothing is paid.
    currency : str, default ''
        Three letters, shown with amounts.

    Returns
    -------
    Plan
        See `Plan` for what it holds.

    Raises
    ------
    InputError
        Something given cannot be right; the message names it and says what would be.

    Notes
    -----
    Raises InputError, NoAnswer, or SeveralAnswers when, with growing payments, two terms fit.

    Examples
    --------
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

    Parameters
    ----------
    owed : Amount, optional
        What is owed today; a text such as "86k" serves.
    payment : Amount, optional
        Each payment.
    rate : str | float | None, optional
        Yearly, quoted, compounding as often as is paid.
    years : Years, optional
        The term, in years.
    still_owed : Amount, optional
        What is left after the last payment.
    find : str | None, optional
        The unknown, where all of the five could be one.
    per_year : str | int, default 12
        Payments a year: a number, or a word such as "month".
    compounding : str | int | None, optional
        How often a bare rate compounds, when that is not as often as is paid.
    paid : Paid, default 'end'
        Whether payments come at the "end" or the "start" of a period.
    growth : str | float, default 0.0
        The yearly rise of the payments.
    deferred : str | float, default 0.0
        Years before the first payment.
    currency : str, default ''
        Three letters, shown with amounts.

    Returns
    -------
    Plan
        See `Plan` for what it holds.

    Raises
    ------
    InputError
        Something given cannot be right; the message names it and says what would be.

    Notes
    -----
    A bare rate is quoted, compounding as often as is paid; monthly unless `per_year` says otherwise. `years`, `find`,
    `compounding`, `paid`, `growth`, `deferred` and `currency` are as in `grow`; `still_owed` is what is left at the
    end. Unrounded: a loan's schedule rounds each payment to the cent.

    Examples
    --------
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

    Parameters
    ----------
    pot : Amount, optional
        What there is today.
    withdrawal : Amount, optional
        The first withdrawal.
    rate : str | float | None, optional
        Yearly, effective: what the pot earns.
    years : Years, optional
        How long it lasts, in years.
    pot_left : Amount, optional
        What is left at the end.
    find : str | None, optional
        The unknown, where all of the five could be one.
    per_year : str | int, default 1
        Withdrawals a year: a number, or a word such as "month".
    compounding : str | int | None, optional
        How often a bare rate compounds.
    paid : Paid, default 'end'
        Whether payments come at the "end" or the "start" of a period.
    growth : str | float, default 0.0
        The yearly rise of the withdrawals.
    deferred : str | float, default 0.0
        Years before the first withdrawal.
    currency : str, default ''
        Three letters, shown with amounts.

    Returns
    -------
    Plan
        See `Plan` for what it holds.

    Raises
    ------
    InputError
        Something given cannot be right; the message names it and says what would be.

    Notes
    -----
    `find="pot"` is the present value of an annuity; `years="forever"` one of a perpetuity. `pot_left` is what is left
    at the end; `rate`, `per_year`, `compounding`, `paid`, `growth`, `deferred` and `currency` are as in `grow`.

    Examples
    --------
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

"""Where each figure of a plan comes from."""

from __future__ import annotations

from dataclasses import replace
from functools import partial
from math import inf

from pennyweight.core import annuity
from pennyweight.documents.derivation import Derivation, digits, in_full
from pennyweight.instruments.plans.plan import Plan
from pennyweight.instruments.plans.plan_formula import PlanFormula, plan_formula
from pennyweight.instruments.plans.plan_terms import PlanTerms, Step
from pennyweight.pages.rates.rate_derivations import effective_derivation, period_derivation

__all__ = ["derived", "interest", "paid_in_all", "step_derivations"]

_STEP = 0.0001


def derived(plan: Plan, name: str) -> Derivation:
    """One of the five quantities: the answer by its formula, the others as they were given."""
    one = _answer(plan) if name == plan.find else _given(plan, name)
    return replace(one, formula=_plain(one.formula))


def _answer(plan: Plan) -> Derivation:
    """The unknown by its formula; a rate, and a term with growing payments, by both sides of its equation."""
    t = plan.terms
    formula = plan_formula(t)
    parts = {} if plan.find == "rate" else {f"i, the rate of a {t.period}": _period_rate(plan)}
    if t.known_n != inf and plan.find != "years":
        parts["n, payments"] = Derivation(digits(t.known_n), "years × payments a year", f"{_years(plan)} × {t.often}")
    if t.g:
        parts[f"g, the growth of a {t.period}"] = Derivation(t.style.show(t.g, "rate", places=6))
    if plan.find == "rate":
        return _rate(plan, formula)
    if plan.find == "years":
        return _term(plan, formula, parts)
    for (letter, how), factor in zip(formula.factors.items(), _factors(t), strict=False):
        parts[letter] = Derivation(digits(factor), how)
    return Derivation(plan.shown(plan.find), formula.right, formula.numbers, parts)


def _factors(t: PlanTerms) -> tuple[float, float]:
    """(a, v): what one a period is worth at the start, and what one at the end is."""
    i, n = t.known_i, t.known_n
    return float(annuity.annuity_factor(i, n, growth_per_period=t.g, paid=t.paid)) / (1 + i) ** t.wait, (1 + i) ** -(
        n + t.wait
    )


def _sides(t: PlanTerms) -> tuple[float, float]:
    """Start and payments, and the end, as worth at the start."""
    a, v = _factors(t)
    return t.known_start + t.kind.sign * t.known_pay * a, t.known_end * v


def _rate(plan: Plan, formula: PlanFormula) -> Derivation:
    """A perpetuity's rate by its formula; any other by both sides of its equation, at the rate and beside it."""
    t, style = plan.terms, plan.terms.style
    i = Derivation(style.show(t.known_i, "rate", places=6))
    if t.known_n == inf:
        i = Derivation(i.value, formula.right, formula.numbers)
        how = "i, the rate of a period, as a year's"
        return Derivation(plan.shown("rate"), how, "", {"i": i})
    if t.is_lump_sum and t.known_start and t.known_end:
        span = digits(t.known_n + t.wait)
        i = Derivation(
            i.value,
            f"({t.kind.names[4]} / {t.kind.names[0]})^(1 / periods) - 1",
            f"({style.show(t.known_end, 'money')} / {style.show(t.known_start, 'money')})^(1 / {span}) - 1",
        )
        return Derivation(plan.shown("rate"), "i, the rate of a period, as a year's", "", {"i": i})
    parts = {"i, the rate of a period": replace(i, formula="searched until both sides are the same")}
    for beside in (t.known_i - _STEP, t.known_i, t.known_i + _STEP):
        if beside > -1:
            left, right = _sides(replace(t, i=beside))
            shown = style.show(beside, "rate", places=4)
            parts[f"Start and payments, a period at {shown}"] = Derivation(
                style.show(left, "money"),
                f"against {style.show(right, 'money')} for the end, all as worth at the start",
            )
    how = f"the rate at which both sides are the same: {formula.equation}"
    return Derivation(plan.shown("rate"), how, "", parts)


def _term(plan: Plan, formula: PlanFormula, parts: dict[str, Derivation]) -> Derivation:
    """The term by logarithms; with growing payments by both sides of its equation."""
    t, show = plan.terms, partial(plan.terms.style.show, unit="money")
    start, pay, _, _, end = t.kind.names
    s, p, e = (_put(plan, value) for value in (t.known_start, t.known_pay, t.known_end))
    i, sign = t.known_i, "+" if t.kind.sign > 0 else "-"
    often = f" / {t.often}" if t.often > 1 else ""
    growth = f"(1 + {digits(i)})"
    due = ("", "") if t.paid == "end" else (" × (1 + i)", f" × {growth}")
    waited = ("", "") if not t.wait else (f" × (1 + i)^{t.wait:g}", f" × {growth}^{t.wait:g}")
    if t.g:
        left, right = _sides(t)
        parts["Start and payments"] = Derivation(show(left), "as worth at the start")
        parts["End"] = Derivation(show(right), "as worth at the start")
        how = f"the term at which both sides are the same: {formula.equation}"
        return Derivation(plan.shown("years"), how, "", parts)
    if i == 0:
        first, second = ((end, e), (start, s)) if t.kind.sign > 0 else ((start, s), (end, e))
        return Derivation(
            plan.shown("years"),
            f"({first[0]} - {second[0]}) / {pay}{often}",
            f"({first[1]} - {second[1]}) / {p}{often}",
            parts,
        )
    if not t.known_pay:
        less = f" - {t.wait:g}" if t.wait else ""
        how = f"(log({end} / {start}) / log(1 + i){less}){often}"
        return Derivation(plan.shown("years"), how, f"(log({e} / {s}) / log({1 + i:.12g}){less}){often}", parts)
    how = f"log(({end} × i {sign} {pay}{due[0]}) / ({start}{waited[0]} × i {sign} {pay}{due[0]})) / log(1 + i){often}"
    told = (
        f"log(({e} × {digits(i)} {sign} {p}{due[1]}) / ({s}{waited[1]} × {digits(i)} {sign} {p}{due[1]})) / "
        f"log({1 + i:.12g}){often}"
    )
    return Derivation(plan.shown("years"), how, told, parts)


def _given(plan: Plan, name: str) -> Derivation:
    if name == "rate":
        t = plan.terms
        parts = {f"i, the rate of a {t.period}": _period_rate(plan)}
        if t.quoted and t.quoted != 1:
            effective = t.style.show(plan.effective, "rate")
            parts = {"Effective": effective_derivation(effective, plan.nominal, t.quoted), **parts}
        return Derivation(plan.shown(name), parts=parts)
    return Derivation(plan.shown(name))


def _period_rate(plan: Plan) -> Derivation:
    t, show = plan.terms, plan.terms.style.show
    yearly = plan.nominal if t.quoted else plan.effective
    return period_derivation(
        show(t.known_i, "rate", places=6),
        t.known_i,
        yearly=yearly,
        yearly_shown=show(yearly, "rate", places=4),
        often=t.quoted,
        m=t.often,
    )


def _years(plan: Plan) -> str:
    return digits(plan.terms.known_n / plan.terms.often)


def paid_in_all(plan: Plan) -> Derivation:
    """The payments together: so many level ones, or growing ones as a sum of powers, and a smaller last one."""
    t = plan.terms
    count, pay = plan.whole_payments, _put(plan, t.known_pay)
    how, told = "payment × payments", f"{pay} × {count}"
    if t.g:
        how = "payment × ((1 + g)^payments - 1) / g"
        told = f"{pay} × ((1 + {digits(t.g)})^{count} - 1) / {digits(t.g)}"
    if plan.last_payment is not None:
        how, told = f"{how} + the last, smaller one", f"{told} + {_put(plan, plan.last_payment)}"
    total = sum(step.paid for step in plan.steps())
    return Derivation(t.style.with_unit(total, "money"), how, told)


def interest(plan: Plan) -> Derivation:
    """What stands at the end, and was neither there at the start nor paid."""
    t, steps = plan.terms, plan.steps()
    if not steps:
        return Derivation(t.style.with_unit(0.0, "money"), "no period goes by, so that there is no interest", "")
    opening, closing = _put(plan, steps[0].opening), _put(plan, steps[-1].closing)
    paid = _put(plan, sum(step.paid for step in steps))
    value = t.style.with_unit(sum(step.interest for step in steps), "money")
    start, _, _, _, end = t.kind.names
    if t.kind.sign > 0:
        return Derivation(value, f"{end} - {start} - paid in", f"{closing} - {opening} - {paid}")
    return Derivation(value, f"paid + {_plain(end)} - {start}", f"{paid} + {closing} - {opening}")


def _put(plan: Plan, value: float) -> str:
    return in_full(value, plan.terms.style.places)


def _plain(name: str) -> str:
    return name.replace("_", " ")


def step_derivations(plan: Plan, step: Step) -> dict[str, Derivation]:
    """The columns of a period."""
    t = plan.terms
    show, put = partial(t.style.show, unit="money"), partial(_put, plan)
    sign = "+" if t.kind.sign > 0 else "-"
    begun = f"({put(step.opening)} {sign} {put(step.paid)})" if t.paid == "start" and step.paid else put(step.opening)
    base = "(opening + what is paid at the start)" if t.paid == "start" else "opening"
    if t.kind.sign < 0:
        base = base.replace("+", "-")
    word = {"grow": "Paid in", "repay": "Paid", "withdraw": "Taken out"}[t.kind.word]
    interest = Derivation(show(step.interest), f"{base} × i", f"{begun} × {digits(t.known_i)}")
    if t.is_lump_sum and t.known_n != inf and step.period > t.wait + plan.whole_payments + 1e-9:
        part = digits(t.known_n - plan.whole_payments)
        told = f"{put(step.opening)} × ((1 + {digits(t.known_i)})^{part} - 1)"
        interest = Derivation(show(step.interest), "opening × ((1 + i)^part of a period - 1)", told)
    return {
        "Opening": Derivation(show(step.opening), "what the period before leaves; at first the start"),
        "Interest": interest,
        word: Derivation(show(step.paid), "the payment of the period"),
        "Closing": Derivation(
            show(step.closing),
            f"opening + interest {sign} what is paid",
            f"{put(step.opening)} + {put(step.interest)} {sign} {put(step.paid)}",
        ),
    }

"""Every public name called with every wrong kind of argument; part of `tests.hostile`."""

from __future__ import annotations

import datetime as dt
import inspect
import json
import math
import random
import re
from collections.abc import Callable
from decimal import Decimal
from fractions import Fraction
from pathlib import Path
from typing import Any

import numpy as np
import pandas as pd

import pennyweight as pw
from pennyweight.errors import PennyweightError
from pennyweight.report.forms.csv_form import as_csv
from pennyweight.report.forms.json_form import plain_values

__all__ = ["CALLS", "WRONG", "call_case", "call_with"]

WRONG: list[Any] = [
    None, True, False, -1, 0, 1, 5, 1.5, 2.9, -0.5, 1e-320, 1e15, 1e308, -1e308, 10**400, float("nan"), float("inf"), np.float64(0.1),
    np.int64(3), np.bool_(True), np.array(2.0), np.array([]), np.array([1.0, np.nan]), np.array([[1.0, 2.0]]), np.datetime64("NaT"),
    np.datetime64("2027-01-31"), pd.NA, pd.NaT, pd.Timestamp("2027-01-31"), pd.Series([1.0, 2.0]), pd.Series([1, None], dtype="Int64"),
    Decimal("0.1"), Decimal("NaN"), Decimal("sNaN"), Decimal("Infinity"), Fraction(1, 3), 1j, "", " ", "x", "5%", "150%", "-100%", "1e15%", "6% dayly",
    "²", "٣", "430k", "3m", "a" * 5000, "\0", "\x1b[31m", "2027-01-31", "2027-02-30", "forever", "continuous", "month", "begin", "perpetual", "EUR",
    "XXQ", "de_DE", "xx_YY_zz", b"x", [], [1], ["a"], [None], [1, -2, 3], [[1, 2], [3]], (), (1, 2), {}, {"a": 1}, {"a": None}, object(), Path("none.toml"),
    dt.date(2027, 1, 31), dt.datetime(2027, 1, 31, 5), dt.date(1, 1, 1), dt.date(9999, 12, 31), lambda: 1, range(3), slice(1), Ellipsis, str,
]  # fmt: skip

_DEAL = {
    "deal": "Kiln", "timeline": {"period": "year", "periods": 3}, "inputs": {"price": 9_000, "sales": 4_000, "hurdle": "8%"},
    "money_in": {"pots": "sales"}, "money_out": {"kiln": {"formula": "price", "at": 0}},
    "measures": {"npv": "npv(net, hurdle)"}, "goals": {"npv": {"at_least": 0}}, "scenarios": {"s": {"price": 8_000}},
}  # fmt: skip


def _flows() -> pw.CashFlows:
    return pw.CashFlows([-1000, 300, 420, 680])


def _dated() -> pw.CashFlows:
    return pw.CashFlows([-1000, 1200], dates=["2026-01-01", "2027-03-01"])


def _bond() -> pw.Bond:
    return pw.Bond("5%", "2030-01-15")


def _account() -> pw.Portfolio:
    return pw.Portfolio.from_rows(
        [("2026-01-01", "a", "value", 100.0), ("2026-04-01", "a", "deposit", 5), ("2027-07-01", "a", "value", 115.0)]
    )


def _loan() -> pw.Loan:
    return pw.Loan(10_000, "6%", years=3, start="2027-01-31")


def _deal() -> pw.Deal:
    return pw.Deal.from_dict(_DEAL)


_LOAN = {
    "amount": 10_000, "rate": "6%", "years": 3, "per_year": 12, "paid": "end", "repaid": "level payment", "start": "2027-01-31", "rounding": "half up",
    "interest": "equal periods", "currency": "EUR", "locale": "en", "title": "x", "rate_moves": "payment", "balance_moves": "payment",
    "events": [("2027-03-31", "extra", 50)], "extras": (), "holidays": (), "as_of": None, "fee_up_front": None, "fee_added": None, "fee_each": None,
    "interest_only": None, "residual": None, "compounding": None, "first_payment": None, "amortized_over": None, "months": None, "payment": None,
    "extra_moves": "term", "holiday_moves": "payment",
}  # fmt: skip
_PLAN = {
    "per_year": 12,
    "compounding": None,
    "paid": "end",
    "growth": 0.0,
    "deferred": 0.0,
    "currency": "EUR",
    "find": None,
}
_ROWS = [("2026-01-01", "a", "value", 1.0), ("2027-01-01", "a", "value", 2.0)]
_DAY = "2027-01-31"

CALLS: list[tuple[str, Callable[..., Any], dict[str, Any]]] = [
    ("npv", pw.npv, {"flows": [-100.0, 110.0], "rate": 0.1, "times": [0, 1]}),
    ("irr", pw.irr, {"flows": [-100.0, 110.0], "times": [0, 1]}),
    ("irr_outcomes", pw.irr_outcomes, {"flows": [[-100.0, 110.0], [1, 1]], "times": [0, 1]}),
    ("discount_factors", pw.discount_factors, {"rate": 0.1, "times": [0, 1]}),
    ("annuity_factor", pw.annuity_factor, {"rate": 0.05, "periods": 10, "growth": 0.01, "paid": "end"}),
    ("perpetuity_factor", pw.perpetuity_factor, {"rate": 0.05, "growth": 0.01, "paid": "end"}),
    ("present_value", pw.present_value, {"payment": 1, "future": 2, "rate": 0.05, "periods": 10, "growth": 0, "paid": "end"}),
    ("future_value", pw.future_value, {"payment": 1, "present": 2, "rate": 0.05, "periods": 10, "growth": 0, "paid": "end"}),
    ("level_payment", pw.level_payment, {"owed": 1, "still_owed": 0, "rate": 0.05, "periods": 10, "growth": 0, "paid": "end"}),
    ("payments_needed", pw.payments_needed, {"owed": 10, "payment": 2, "still_owed": 0, "rate": 0.05, "paid": "end"}),
    ("rate_needed", pw.rate_needed, {"owed": 10, "payment": 2, "periods": 8, "paid": "end"}),
    ("effective_rate", pw.effective_rate, {"nominal": 0.05, "per_year": 12}),
    ("nominal_rate", pw.nominal_rate, {"effective": 0.05, "per_year": 12}),
    ("real_rate", pw.real_rate, {"nominal": "5%", "inflation": "2%"}),
    ("simple_interest", pw.simple_interest, {"amount": 10, "rate": "2%", "years": 3}),
    ("years_to_multiply", pw.years_to_multiply, {"rate": "7%", "times": 2}),
    ("rate_facts", pw.rate_facts, {"rate": "6%", "compounding": None, "per_year": 12, "inflation": None, "times": 2, "in_advance": False}),
    ("year_fraction", pw.year_fraction, {"start": _DAY, "end": "2028-02-29", "day_count": "30/360", "termination": None}),
    ("days_between", pw.days_between, {"start": _DAY, "end": "2028-02-29", "day_count": "30/360", "termination": None}),
    ("actual_actual_icma", pw.actual_actual_icma, {"start": _DAY, "end": "2028-02-29", "regular": ("2026-01-31", "2026-07-31"), "per_year": 2}),
    ("payment_dates", pw.payment_dates, {"start": _DAY, "count": 3, "per_year": 12, "roll": "none", "holidays": ()}),
    ("amortize", pw.amortize, {"amount": [1000], "rate": [0.05], "payments": [12], "per_year": 12, "places": 2, "events": None, "extra_moves": "term", "rows": True}),
    ("LoanEvents", lambda **kw: pw.amortize([1000], [0.05], [12], events=pw.LoanEvents(**kw)), {"loan": [0], "number": [2], "what": ["extra"], "value": [5]}),
    ("apr", pw.apr, {"advances": [("2027-01-01", 1000)], "payments": [("2028-01-01", 1100)], "unit": None, "method": "us"}),
    ("CashFlows", pw.CashFlows, {"amounts": [-1, 2], "period": "year", "dates": None, "day_count": "actual/365", "valued_on": None, "currency": ""}),
    ("CashFlows dated", pw.CashFlows, {"amounts": [-1, 2], "dates": [_DAY, "2028-01-31"], "day_count": "30/360", "valued_on": _DAY, "currency": "EUR"}),
    ("CashFlows.from_csv", pw.CashFlows.from_csv, {"path": "none.csv", "period": None, "day_count": "actual/365"}),
    ("CashFlows.from_pandas", pw.CashFlows.from_pandas, {"data": pd.Series([-1.0, 2.0]), "period": "year", "currency": ""}),
    ("CashFlows.npv", lambda rate: _flows().npv(rate), {"rate": "5%"}),
    ("CashFlows.npv dated", lambda rate: _dated().npv(rate), {"rate": "5%"}),
    ("CashFlows.payback", lambda rate, first: _flows().payback(rate, first=first), {"rate": "5%", "first": False}),
    ("CashFlows.roi", lambda on: _flows().roi(on=on), {"on": "all"}),
    ("CashFlows.profitability_index", lambda rate, on: _flows().profitability_index(rate, on=on), {"rate": "5%", "on": "all"}),
    ("CashFlows.modified_irr", lambda **kw: _flows().modified_irr(**kw), {"reinvested_at": "5%", "borrowed_at": "5%"}),
    ("CashFlows.equivalent_annual", lambda rate: _flows().equivalent_annual(rate), {"rate": "5%"}),
    ("CashFlows.discount_factors", lambda rate: _flows().discount_factors(rate), {"rate": "5%"}),
    ("CashFlows.account", lambda rate: _flows().account(rate), {"rate": "5%"}),
    ("CashFlows.working", lambda rate, places: _flows().working(rate, places=places), {"rate": "5%", "places": None}),
    ("CashFlows.report", lambda **kw: _flows().report(**kw), {"rate": "5%", "reinvested_at": None, "borrowed_at": None, "account_at": None, "on": "all"}),
    ("grow", pw.grow, {"opening": 100, "deposit": 5, "rate": "5%", "years": 3, "closing": None, **_PLAN}),
    ("repay", pw.repay, {"owed": 100, "payment": None, "rate": "5%", "years": 3, "still_owed": 0, **_PLAN}),
    ("withdraw", pw.withdraw, {"pot": 100, "withdrawal": None, "rate": "5%", "years": 3, "pot_left": 0, **_PLAN}),
    ("Plan.working", lambda places: pw.repay(owed=100, rate="5%", years=3).working(places=places), {"places": 3}),
    ("Bond", pw.Bond, {"coupon": "5%", "maturity": "2030-01-31", "per_year": 2, "day_count": "30/360", "issued": "2025-03-05", "first_coupon": None, "redemption": 100,
                       "last_coupon": None, "end_of_month": False}),
    ("Bond.price", lambda at_yield, settlement, first: _bond().price(at_yield, settlement, first=first), {"at_yield": "5%", "settlement": _DAY, "first": "simple"}),
    ("Bond.yield_at", lambda price, settlement, first: _bond().yield_at(price, settlement, first=first), {"price": 99, "settlement": _DAY, "first": "simple"}),
    ("Bond.convexity", lambda at_yield, settlement: _bond().convexity(at_yield, settlement), {"at_yield": "5%", "settlement": _DAY}),
    ("Bond.report", lambda **kw: _bond().report(**kw), {"settlement": _DAY, "at_yield": "5%", "price": None, "first": "compound", "currency": ""}),
    ("Bond.discount_rate", lambda **kw: pw.Bond(0, "2027-12-31").discount_rate(**kw), {"price": 99, "settlement": _DAY, "day_count": "actual/360"}),
    ("Bond.price_at_discount", lambda **kw: pw.Bond(0, "2027-12-31").price_at_discount(**kw), {"rate": "5%", "settlement": _DAY, "day_count": "actual/360"}),
    ("Bond.current_yield", lambda price: _bond().current_yield(price), {"price": 99}),
    ("Portfolio", pw.Portfolio, {"dates": ["2026-01-01", "2027-01-01"], "values": [1, 2], "flow_dates": ["2026-03-01"], "flows": [1], "accounts": ("a",), "left_out": ()}),
    ("Portfolio.from_rows", pw.Portfolio.from_rows, {"rows": _ROWS}),
    ("Portfolio.from_rows row", lambda **kw: pw.Portfolio.from_rows([*_ROWS, tuple(kw.values())]), {"date": _DAY, "account": "a", "kind": "value", "amount": 5}),
    ("Portfolio.from_csv", lambda path: pw.Portfolio.from_csv(path), {"path": "none.csv"}),
    ("Portfolio.between", lambda start, end: _account().between(start, end), {"start": None, "end": None}),
    ("Portfolio.modified_dietz", lambda timing: _account().modified_dietz(timing=timing), {"timing": "end"}),
    ("Portfolio.time_weighted", lambda timing: _account().time_weighted(timing=timing), {"timing": "end"}),
    ("Portfolio.report", lambda **kw: _account().report(**kw), {"timing": "end", "benchmark": None, "currency": "EUR"}),
    ("Benchmark", pw.Benchmark, {"dates": ["2026-01-01", "2027-01-01"], "levels": [100, 110]}),
    ("Benchmark.from_csv", pw.Benchmark.from_csv, {"path": "none.csv"}),
    ("Loan", pw.Loan, _LOAN),
    ("Loan events", lambda when, what, amount: pw.Loan(10_000, "6%", years=3, start=_DAY, events=[(when, what, amount)]), {"when": "2027-03-31", "what": "extra", "amount": 5}),
    ("Event", lambda **kw: pw.Loan(10_000, "6%", years=3, start=_DAY, events=[pw.Event(**kw)]), {"when": 3, "what": "balance", "amount": 5000}),
    ("Recurring", lambda **kw: pw.Loan(10_000, "6%", years=3, start=_DAY, extras=[pw.Recurring(**kw)]), {"amount": 5, "first": 3, "last": None, "per_year": "month", "rising": 0}),
    ("PaymentHoliday", lambda **kw: pw.Loan(10_000, "6%", years=3, start=_DAY, holidays=[pw.PaymentHoliday(**kw)]), {"first": 3, "payments": 2, "interest": "added"}),
    ("Loan.but", lambda **kw: _loan().but(**kw), {"years": 4, "rate": "5%"}),
    ("extras_table", _loan().extras_table, {"amounts": [50]}),
    ("extra_needed", _loan().extra_needed, {"paid_off_by": 20}),
    ("offers", _loan().offers, {"others": {"a": _loan()}}),
    ("refinancing", _loan().refinancing, {"on": 5, "costs": 5, "horizon": None, "rate": "3%", "years": 2}),
    ("LoanSet", pw.LoanSet, {"loans": {"a": _loan()}, "needs": 20_000, "own": None, "spare": 5, "order": "as listed", "currency": "EUR", "locale": "en", "title": ""}),
    ("Bill", pw.Bill, {"total": 900, "taxes": 100, "insurance": 50, "per_year": 12}),
    ("LoanStudy", pw.LoanStudy, {"loan": _loan(), "extra": [5], "paid_off_by": None, "offers": {}, "refinance": None, "bill": None, "working": False}),
    ("Takeover", pw.Takeover, {"on": _DAY, "balance": 5000, "rate": "4%", "payment": 100, "maturity": None, "payments_left": None, "years_left": None, "next_payment": None,
                               "original_amount": None, "original_years": 5, "first_payment": None, "payments_made": None, "missed_payments": None, "arrears": None,
                               "per_year": 12, "currency": "", "locale": "en", "title": ""}),
    ("Takeover as made", pw.Takeover, {"on": _DAY, "rate": "4%", "original_amount": 9000, "original_years": 15, "first_payment": "2024-01-31", "payments_made": None}),
    ("read_loan_file", pw.read_loan_file, {"path": "none.toml", "as_of": None}),
    ("loan_sums", pw.loan_sums, {"path": "none.csv", "columns": None, "grouped": None, "places": 2, "currency": "", "strict": False, "folder": None}),
    ("Deal.read", pw.Deal.read, {"path": "none.toml"}),
    ("Deal.from_dict", pw.Deal.from_dict, {"document": _DEAL}),
    ("Deal.from_dict part", lambda **kw: pw.Deal.from_dict({**_DEAL, **kw}).weigh(), {"timeline": {"periods": 3}, "inputs": _DEAL["inputs"], "goals": {}, "scenarios": {}, "note": "x", "loans": {}}),
    ("Deal.from_dict input", lambda price: pw.Deal.from_dict({**_DEAL, "inputs": {"price": price, "sales": 1, "hurdle": "8%"}}).weigh(), {"price": 5}),
    ("Deal.weigh", lambda scenario, inputs: _deal().weigh(scenario, inputs=inputs), {"scenario": "base", "inputs": {"price": 8_000}}),
    ("Deal.weigh input", lambda value: _deal().weigh(inputs={"price": value}), {"value": 5}),
    ("Deal.weigh rate", lambda value: _deal().weigh(inputs={"hurdle": value}), {"value": "5%"}),
    ("Deal.compare", lambda scenarios, **kw: _deal().compare(scenarios, **kw), {"scenarios": ["base"], "inputs": None, "against": None}),
    ("Deal.simulate", lambda **kw: _deal().simulate(**kw), {"cases": 64, "seed": 1, "plain": False, "until": None, "hold": [], "only": ["price"], "show": ["npv"], "fan": ["net"], "scenario": "base", "inputs": None}),
    ("Deal.drivers", lambda **kw: _deal().drivers(**kw), {"measure": "npv", "moved": "10%", "cases": 32, "seed": 1, "hold": [], "only": ["price"], "scenario": "base", "inputs": None}),
    ("Deal.bridge", lambda **kw: _deal().bridge(**kw), {"first": "base", "second": "base", "measure": "npv", "inputs": None}),
    ("Deal.bridge_to", lambda **kw: _deal().bridge_to(**kw), {"newer": _deal(), "measure": "npv", "scenario": "base"}),
    ("Deal.break_even", lambda **kw: _deal().break_even(**kw), {"name": "price", "so_that": "npv == 0", "along": {"sales": "1..9/3"}, "scenarios": None, "between": None, "inputs": None}),
    ("Deal.from_function", lambda **kw: pw.Deal.from_function(lambda a: {"m": a}, **kw).weigh(), {"inputs": {"a": 1}, "goals": None, "measures": None, "lines": None, "timeline": None, "title": None}),
    ("Deal.from_dict uncertain", lambda **kw: pw.Deal.from_dict({**_DEAL, "inputs": {**_DEAL["inputs"], "odd": {"value": 5, "low": 1, "high": 9, **kw}}}).simulate(32), {"uncertain": "pert", "moves_with": None, "decision": False}),
    ("Deal.from_dict normal", lambda **kw: pw.Deal.from_dict({**_DEAL, "inputs": {**_DEAL["inputs"], "odd": {"value": 5, "uncertain": {"shape": "normal", **kw}}}}).simulate(32), {"deviation": 2}),
    ("Deal.from_dict wanders", lambda **kw: pw.Deal.from_dict({**_DEAL, "inputs": {**_DEAL["inputs"], "odd": {"steps": {"1": 5}, "uncertain": kw}}}).simulate(32), {"yearly": "10%", "persists": "50%"}),
    ("Deal.from_dict weights", lambda **kw: pw.Deal.from_dict({**_DEAL, "inputs": {**_DEAL["inputs"], "odd": {"value": 5, "whole": True, "uncertain": {"5": kw["one"], "6": kw["two"]}}}}).simulate(32), {"one": 1, "two": 3}),
    ("Deal.from_dict probability", lambda **kw: pw.Deal.from_dict({**_DEAL, "scenarios": {"s": {"price": 1, **kw}}}).compare().as_dict(), {"probability": "20%"}),
    ("Deal.why", lambda **kw: _deal().why(**kw), {"name": "npv", "at": None, "scenario": "base", "against": None, "depth": 2, "inputs": None}),
    ("Deal.why line", lambda at: _deal().why("net", at=at), {"at": 1}),
    ("Weighing.document", lambda **kw: _deal().weigh().document(**kw), {"by": "year", "lines": ["net"], "first": 1, "last": 2}),
    ("Weighing.line", lambda name: _deal().weigh().line(name), {"name": "net"}),
    ("Deal.from_dict asked", lambda **kw: pw.Deal.from_dict({**_DEAL, **kw}).weigh().as_dict(), {"tables": {"t": {"by": {"held": [1, 2]}, "columns": {"c": "npv"}}}, "questions": {"q": {"find": "price"}}, "checks": {"c": "npv > 0"}, "charts": {"k": {"lines": ["net"]}}, "measures": {"npv": "npv(net, 8%)"}}),
    ("Deal.from_dict question", lambda **kw: pw.Deal.from_dict({**_DEAL, "questions": {"q": kw}}).weigh().as_dict(), {"find": "price", "so_that": "npv >= 0", "between": [1, 9], "pick": "largest", "label": "x"}),
    ("Deal.from_dict best", lambda most, find: pw.Deal.from_dict({**_DEAL, "questions": {"q": {"find": find, "most": most}}}).weigh().as_dict(), {"find": "price", "most": "npv"}),
    ("Deal.from_dict table", lambda **kw: pw.Deal.from_dict({**_DEAL, "tables": {"t": kw}}).weigh().as_dict(), {"by": {"held": [1, 2]}, "columns": {"c": "npv"}, "label": "x"}),
    ("Deal.from_dict axis", lambda **kw: pw.Deal.from_dict({**_DEAL, "tables": {"t": {"by": {"held": kw}, "columns": {"c": "npv"}}}}).weigh().as_dict(), {"values": [1, 2], "unit": "years", "label": "x"}),
    ("Deal.from_dict chart", lambda **kw: str(pw.Deal.from_dict({**_DEAL, "charts": {"c": kw}}).weigh().document()), {"lines": ["net"], "as": "area", "by": "year", "target": 5, "label": "x"}),
    ("Deal.from_dict choice", lambda **kw: pw.Deal.from_dict({**_DEAL, "inputs": {**_DEAL["inputs"], "way": kw}}).weigh().as_dict(), {"value": "a", "choices": ["a", "b"], "fixed": False}),
    ("Deal.from_dict stages", lambda **kw: pw.Deal.from_dict({**_DEAL, "loans": {"bank": {"amount": 900, "rate": "5%", "years": 3, **kw}}}).weigh().as_dict(), {"advances": {"0": "40%", "1": "60%"}}),
    ("Deal.from_dict taken over", lambda **kw: pw.Deal.from_dict({**_DEAL, "loans": {"bank": {"amount": 900, "rate": "5%", "years": 3, **kw}}}).weigh().as_dict(), {"payments_made": 5, "balloon": 2}),
    ("Deal.from_dict scenario", lambda **kw: pw.Deal.from_dict({**_DEAL, "inputs": {**_DEAL["inputs"], "price": {"value": 9, "low": 5, "high": 12}}, "scenarios": {"s": kw}}).weigh("s"), {"based_on": "base", "all_inputs": "worst", "judged_by": "npv", "label": "x"}),
    ("Deal.vary", lambda places, show, scenario: _deal().vary(places, show=show, scenario=scenario), {"places": {"price": [1, 2]}, "show": None, "scenario": "base"}),
    ("Deal.vary values", lambda values: _deal().vary({"price": values}), {"values": [1, 2]}),
    ("Deal.find", lambda **kw: _deal().find(**kw), {"name": "price", "so_that": "npv == 0", "scenarios": None, "between": None, "inputs": None}),
    ("Deal.find best", lambda **kw: _deal().find("price", **kw), {"most": "npv", "least": None}),
    ("Deal.find between", lambda low, high: _deal().find("price", "npv == 0", between=(low, high)), {"low": 1, "high": 5}),
    ("Deal.turning_points", lambda **kw: _deal().turning_points(**kw), {"scenario": "base", "inputs": None}),
]  # fmt: skip
"""(name, what to call, arguments that are right)."""


def call_case(rng: random.Random) -> str | None:
    """One call with one argument, or two, replaced by something wrong; what is wrong with what comes of it."""
    name, call, right = rng.choice(CALLS)
    changed = rng.sample(sorted(right), k=min(len(right), rng.choice([1, 1, 1, 2])))
    return call_with(name, call, right, {argument: rng.choice(WRONG) for argument in changed})


def call_with(name: str, call: Callable[..., Any], right: dict[str, Any], wrong: dict[str, Any]) -> str | None:
    """One call with some arguments replaced by wrong ones; what is wrong with what comes of it."""
    given = {**right, **wrong}
    told = f"{name}({', '.join(f'{argument}={value!r:.60}' for argument, value in wrong.items())})"
    positional = [p.name for p in _parameters(call) if p.kind is inspect.Parameter.POSITIONAL_ONLY]
    try:
        result = call(*(given.pop(argument) for argument in positional), **given)
        problem = _problem(result)
    except PennyweightError:
        raise
    except Exception as error:
        raise type("Defect", (Exception,), {})(f"{told}: {type(error).__name__}: {error}") from error
    return f"{told}: {problem}" if problem else None


def _parameters(call: Callable[..., Any]) -> list[inspect.Parameter]:
    return list(inspect.signature(call).parameters.values())


def _problem(result: Any) -> str | None:
    """What is wrong with a result: infinite, or nan where NaN has no place, when it is a number, shown or handed on."""
    if type(result) in (float, pw.KnownRate) and not math.isfinite(result):
        return f"answers {result}"
    if isinstance(result, np.ndarray | np.floating) and np.issubdtype(np.asarray(result).dtype, np.floating):
        return "answers infinity" if np.isinf(result).any() else None
    if hasattr(result, "as_dict"):
        told = result.as_dict()
        if told != told or json.dumps(told, allow_nan=False) is None:
            return "nan in as_dict"
        json.dumps(plain_values(told), allow_nan=False)
        as_csv(result)
    if isinstance(result, pw.Loan):
        _ = result.schedule, result.apr, result.made
    shown = str(result) if hasattr(result, "document") else repr(result)
    if hasattr(result, "document") and re.search(r"(?<![A-Za-z_.'])(nan|inf)(?![A-Za-z_.'])", shown):
        return f"shows nan or inf: {shown[:200]}"
    return None

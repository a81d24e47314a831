"""The deal language once more, as plainly as it can be said: Python floats, one name and one period at a time.

An independent second implementation of the rules, for tests: no arrays, no order of lines, no compiling. A name is
worked out when it is first asked for in a period, and remembered. Undefined is None.
"""

from __future__ import annotations

import copy
import datetime as dt
import re
from collections.abc import Callable
from functools import cached_property
from typing import Any

from tests.plain_functions import (
    UndefinedError,
    month_on,
)
from tests.plain_reader import Reader
from tests.plain_sets import apart
from tests.plain_splits import divided
from tests.plain_words import found

Value = float | None


class PlainDeal:
    """A deal as its file says it; `inputs` are other values of inputs (or of what a table goes by), `undone` lines
    whose `set` does not hold."""

    def __init__(
        self, document: dict[str, Any], inputs: dict[str, Any] | None = None, undone: tuple[str, ...] = ()
    ) -> None:
        self.document, self.undone = document, undone
        self.thing: tuple[str, int] | None = None
        """The set and the place of the thing whose values are looked at."""
        self.end: int = document["timeline"]["periods"]
        self.per_year = {"year": 1, "half-year": 2, "quarter": 4, "month": 12}[
            document["timeline"].get("period", "year")
        ]
        self.inputs = {**document.get("inputs", {}), **(inputs or {})}
        self.roles = {
            name: (section, item if isinstance(item, dict) else {"formula": item})
            for section in ("values", "money_in", "money_out", "lines", "levels", "measures")
            for name, item in document.get(section, {}).items()
        }
        self.loans: dict[str, Any] = document.get("loans", {})
        self.sets: dict[str, Any] = document.get("sets", {})
        self.each: dict[str, str] = {name: item["each"] for name, (_, item) in self.roles.items() if "each" in item}
        self.each |= {name: item["each"] for name, item in self.loans.items() if "each" in item}
        self.owed: dict[Any, tuple[float, float, int, int]] = {}
        """What is owed at a period's end, the level payment, how many payments are left, and over how many it is spread."""
        self.known: dict[Any, Value] = {}
        self.splits: dict[str, dict[str, list[Any]]] = {}

    @cached_property
    def until(self) -> int:
        """The period to which the deal is counted."""
        moment = self.document["timeline"].get("counted_to")
        return self.end if moment is None else self._stretch(moment)[1]

    def line(self, name: str) -> list[Value]:
        """All periods of a line or level."""
        return [self.at(name, t) for t in range(self.end + 1)]

    def at(self, name: str, t: int) -> Value:
        """The value of a name in a period."""
        key = (name, t, self.thing if name.partition(".")[0] in self.each else None)
        if key not in self.known:
            self.known[key] = self._work_out(name, t)
        return self.known[key]

    def of(self, name: str, place: int) -> PlainDeal:
        """The same deal as one thing of a set sees it."""
        view = copy.copy(self)
        view.thing = (name, place)
        return view

    def things(self, name: str) -> list[str]:
        """The names of the things of a set."""
        if "every" in self.sets[name]:
            return [str(k) for k in range(self.end + 1)]
        return [str(next(iter(row.values()))) for row in self.sets[name]["rows"]]

    def column(self, name: str, column: str) -> list[Any]:
        """A column of a set: as it stands, or other values for it."""
        return self.inputs.get(f"{name}.{column}") or [row[column] for row in self.sets[name]["rows"]]

    def _together(self, name: str, t: int) -> Value:
        """A name as a total reads it: of what each thing of a set has, the sum."""
        own = self.each.get(name.partition(".")[0])
        if own is None:
            return self.at(name, t)
        values = [self.of(own, place).at(name, t) for place in range(len(self.things(own)))]
        return None if any(value is None for value in values) else sum(value or 0.0 for value in values)

    def _work_out(self, name: str, t: int) -> Value:
        totals: dict[str, Callable[[], list[tuple[int, str]]]] = {
            "money_in": lambda: [(1, n) for n, (s, _) in self.roles.items() if s == "money_in"],
            "money_out": lambda: [(1, n) for n, (s, _) in self.roles.items() if s == "money_out"],
            "net": lambda: [(1, "money_in"), (-1, "money_out"), *((1, f"{name}.flow") for name in self.loans)],
        }
        if name in totals and t > self.until:
            return 0.0
        if name in totals:
            parts = [(sign, self._together(part, t)) for sign, part in totals[name]()]
            return None if any(v is None for _, v in parts) else sum(sign * (v or 0.0) for sign, v in parts)
        if name in self.inputs:
            return self._input(self.inputs[name], t)
        if name.startswith("loans."):
            return sum(self._together(f"{loan}.{name[6:]}", t) or 0.0 for loan in self.loans)
        if "." in name:
            loan, part = name.split(".")
            return self._share(loan, part, t) if loan in self.document.get("splits", {}) else self._part(loan, part, t)
        section, item = self.roles[name]
        if "every" in self.sets.get(self.each.get(name, ""), {}):
            age = t - (self.thing or ("", 0))[1]
            if age < 0:
                return 0.0
            if section == "levels" and "start" in item:
                return self.formula(item["start"] if age == 0 else item["formula"], t)
        for moment, value in (item.get("set", {}) if name not in self.undone else {}).items():
            if self._stretch(moment)[0] <= t <= self._stretch(moment)[1]:
                return self.formula(value, t)
        if section == "levels" and t == 0 and "start" in item:
            return self.formula(item["start"], t)
        if section in ("money_in", "money_out", "lines") and not self._runs(name, t):
            return 0.0
        return self.formula(item["formula"], t)

    def _share(self, name: str, part: str, t: int) -> float:
        """A part of a split in one period."""
        if name not in self.splits:
            split = self.document["splits"][name]
            told = {p: [self.formula(text, k) for k in range(self.end + 1)] for p, text in split["paid_in"].items()}
            cash = [self.formula(split["of"], k) for k in range(self.end + 1)]
            self.splits[name] = divided(split["tiers"], told, cash, self.per_year)
        return float(self.splits[name][part][t])

    def _part(self, loan: str, part: str, t: int) -> float:
        """A part of a loan in one period; payments monthly, in periods of whole months."""
        terms = self.loans[loan]
        if t > self.until:
            return 0.0
        if part == "settled":
            return self._state(loan, t)[0] if t == self.until and "counted_to" in self.document["timeline"] else 0.0
        if part == "payment" or part == "interest":
            return self._paid(loan, t)[0 if part == "payment" else 1]
        if part == "principal":
            return self._part(loan, "payment", t) - self._part(loan, "interest", t) + self._part(loan, "settled", t)
        if part == "extra":
            wanted = self.formula(terms.get("extra", 0), t) or 0.0
            return min(max(wanted, 0.0), self._paid(loan, t)[2])
        if part == "drawn":
            return self._state(loan, t)[0] if t == self._begins(loan) else self._advance(loan, t)
        if part == "flow":
            paid = self._part(loan, "payment", t) + self._part(loan, "extra", t) + self._part(loan, "settled", t)
            return self._part(loan, "drawn", t) - paid
        return self._state(loan, t)[0] - self._part(loan, "settled", t)

    def _begins(self, loan: str) -> int:
        terms = self.loans[loan]
        moment = next(iter(terms["advances"])) if "advances" in terms else terms.get("paid_out", 0)
        return self._stretch(moment)[1]

    def _advance(self, loan: str, t: int) -> float:
        """What a loan that is drawn in stages pays out in a period after its first."""
        terms = self.loans[loan]
        shares = {self._stretch(moment)[1]: share for moment, share in terms.get("advances", {}).items()}
        return float(terms["amount"]) * shares[t] if t in shares and t > self._begins(loan) else 0.0

    def _state(self, loan: str, t: int) -> tuple[float, float, int, int]:
        key = (loan, t, self.thing if loan in self.each else None)
        if key not in self.owed:
            terms, begins = self.loans[loan], self._begins(loan)
            i = terms["rate"] / 12
            if t < begins:
                state = (0.0, 0.0, 0, 0)
            elif t == begins:
                owed = self.formula(terms["amount"], t) or 0.0
                owed *= next(iter(terms["advances"].values())) if "advances" in terms else 1.0
                spread = round(12 * (self.formula(terms["years"], t) or 0.0))
                left = min(spread, 12 * terms["balloon"] if "balloon" in terms else spread)
                level = owed * i / (1 - (1 + i) ** -spread)
                for _ in range(terms.get("payments_made", 0)):
                    owed, left, spread = owed + owed * i - level, left - 1, spread - 1
                state = (owed, level, left, spread)
            else:
                _, level, left, spread = self._state(loan, t - 1)
                owed = self._paid(loan, t)[2] - self._part(loan, "extra", t)
                left, spread = left - 12 // self.per_year, spread - 12 // self.per_year
                if more := self._advance(loan, t):
                    owed += more
                    level = owed * i / (1 - (1 + i) ** -spread)
                state = (owed, level, left, spread)
            self.owed[key] = state
        return self.owed[key]

    def _paid(self, loan: str, t: int) -> tuple[float, float, float]:
        """(paid, interest, still owed) after the payments of a period."""
        if t <= self._begins(loan):
            return 0.0, 0.0, 0.0
        owed, level, left, _ = self._state(loan, t - 1)
        paid = interest = 0.0
        for k in range(12 // self.per_year):
            due = owed * self.loans[loan]["rate"] / 12
            now = owed + due if left - k <= 1 else min(level, owed + due)
            owed, paid, interest = owed + due - now, paid + now, interest + due
        return paid, interest, owed

    def _input(self, given: Any, t: int) -> Value:
        if isinstance(given, dict) and "steps" in given:
            reached = [value for period, value in given["steps"].items() if int(period) <= t]
            return float(reached[-1]) if reached else None
        if isinstance(given, dict) and "so_that" in given:
            name = next(name for name, one in self.inputs.items() if one is given)
            self.inputs[name] = found(
                given["so_that"], given["between"], lambda text, x: self.but(name, x).formula(text, 0)
            )
            given = self.inputs[name]
        value = given["value"] if isinstance(given, dict) else given
        return float(value.toordinal()) if isinstance(value, dt.date) else float(value)

    def but(self, name: str, value: float) -> PlainDeal:
        """The deal with another value of one input."""
        return PlainDeal(self.document, {**self.inputs, name: value}, self.undone)

    def _runs(self, name: str, t: int) -> bool:
        _, item = self.roles[name]
        if "at" in item:
            return t == self._stretch(item["at"])[1]
        if {"from", "to", "every"} & item.keys():
            every = item.get("every")
            first = self._stretch(item["from"])[0] if "from" in item else every or 1
            last = self._stretch(item["to"])[1] if "to" in item else self.end
            return first <= t <= last and (every is None or (t - first) % every == 0)
        named = [n for n in self._named_now(str(item["formula"])) if self._is_line(n)]
        cohort = "every" in self.sets.get(self.each.get(name, ""), {})
        return any(self._runs_any(n, t) for n in named) if named else cohort or t >= 1

    def _runs_any(self, name: str, t: int) -> bool:
        if "." in name or (name == "net" and self.loans):
            split = name.split(".")[0] in self.document.get("splits", {})
            return t >= (0 if split or name.split(".")[-1] in ("net", "flow", "drawn", "balance") else 1)
        own = self.each.get(name)
        if own is None and self.thing is not None:  # what is the deal's own runs when any thing that it reads does
            whole = copy.copy(self)
            whole.thing = None
            return whole._runs_any(name, t)
        if own is not None and (self.thing or ("",))[0] != own:
            return any(self.of(own, place)._runs(name, t) for place in range(len(self.things(own))))
        if name in ("net", "money_in", "money_out"):
            sections = ("money_in", "money_out") if name == "net" else (name,)
            return any(self._runs(n, t) for n, (s, _) in self.roles.items() if s in sections)
        return self._runs(name, t)

    def _is_line(self, name: str) -> bool:
        return (
            name in ("net", "money_in", "money_out")
            or "." in name
            or self.roles.get(name, ("",))[0]
            in (
                "money_in",
                "money_out",
                "lines",
            )
        )

    def _named_now(self, formula: str) -> list[str]:
        """Names outside prior(…) and functions over time; none of these are nested in the tests."""
        return re.findall(
            r"[a-z]\w*(?:\.[a-z]+)?", re.sub(r"(prior|total|running|highest|lowest|average|at)\([^()]*\)", "", formula)
        )

    def _stretch(self, moment: Any) -> tuple[int, int]:
        """The first and the last period of a moment."""
        text = str(moment)
        if text.startswith("year "):
            year = int(text[5:]) if text[5:].isdigit() else round(self.formula(text[5:], 0) or 0.0)
            return max((year - 1) * self.per_year + 1, 0) if year else 0, year * self.per_year
        if text.count("-") == 2:
            period = next(k for k in range(self.end + 1) if self.day(k) >= dt.date.fromisoformat(text))
        else:
            period = self.end if text == "end" else int(text) if text.isdigit() else self._asked(text)
        return period, period

    def _asked(self, formula: str) -> int:
        """A period that a formula gives; a day's own, and one after the end for never."""
        value = self.formula(formula, 0) or 0.0
        if value > 600_000:  # a day
            value = self.formula(f"period_of({formula})", 0) or 0.0
        return self.end + 9 if value == float("inf") else round(value)

    def day(self, period: int) -> dt.date:
        """The day a period ends on; the month's last where it has no such day."""
        start = self.document["timeline"]["start"]
        return month_on(start, period * 12 // self.per_year)

    def cell(self, table: str, column: str, **by: float) -> Value:
        """A cell of a table: its formula with what it goes by in the place of its name."""
        return PlainDeal(self.document, {**self.inputs, **by}).formula(
            self.document["tables"][table]["columns"][column], 0
        )

    def best(self, name: str, values: list[Any], figure: str) -> Any:
        """Of these values of an input the one at which a figure is largest, by trying them all."""
        return max(
            values, key=lambda value: PlainDeal(self.document, {**self.inputs, name: value}).formula(figure, 0) or -1e99
        )

    def formula(self, text: Any, t: int) -> Value:
        """A formula in one period, by Python itself."""
        reader = Reader(self, t)
        try:
            lazy = re.sub(r"where = ([^,()]+)", r"where = '\1'", apart(str(text)))  # looked at in each period
            return float(eval(re.sub(r"([\d.]+)%", r"(\1/100)", lazy), {"__builtins__": {}}, reader))
        except (UndefinedError, ZeroDivisionError):
            return None

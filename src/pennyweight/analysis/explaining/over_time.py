"""Where a figure over time comes from: what each line adds to it, what each year does, and the period that matters."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field

import numpy as np

from pennyweight.analysis.explaining.call_rows import CallRows, Rows, added, masked
from pennyweight.analysis.explaining.reason import Reason, Role
from pennyweight.array_kinds import Floats
from pennyweight.deals.definition import Definition
from pennyweight.deals.language.functions import FUNCTIONS
from pennyweight.deals.language.names import bind, runs_with_time
from pennyweight.deals.language.nodes import Call, Compare, Name, Node, names_in, show, walk
from pennyweight.deals.undefined import value_of
from pennyweight.documents.derivation import bracketed, digits

__all__ = ["OverTime", "looks_over_time"]

_BESIDE = 0.01
"""How far beside a rate of return the worth is told: a point."""


def looks_over_time(node: Node) -> bool:
    """Whether a part of a formula makes one figure of all periods."""
    if not isinstance(node, Call) or runs_with_time(node):
        return False
    return FUNCTIONS[node.function].over_time and FUNCTIONS[node.function].result == "single"


@dataclass(eq=False)
class OverTime:
    """Tells calls such as `npv(net, hurdle)` in one case or two; `cases` holds every name of each.

    `of` tells a name in a period at a depth; below `depth` nothing is told.
    """

    deal: Definition
    cases: Sequence[Mapping[str, Floats]]
    of: Callable[[str, int | None, int], Reason]
    depth: int
    by_period: bool = False
    told_by_time: bool = field(default=False, init=False)
    """Whether anything was told by year or period, so that `by_period` made a difference."""

    def told(self, call: Call, depth: int, *, years: bool) -> tuple[str, list[Reason]]:
        """(the numbers it is worked out of, if these are few; what stands below it, at `depth`).

        `years` says whether every year is told, too.
        """
        slots = dict(zip((one.name for one in FUNCTIONS[call.function].parameters), bind(call, ""), strict=False))
        over = next(iter(slots.values()))
        assert over is not None
        told = _Told(self.deal, self.cases, slots, over, self, call, depth, years)
        way = {
            "npv": told.worth, "irr": told.rate_of_return, "payback": told.payback, "total": told.total,
            "average": told.total, "lowest": told.extreme, "highest": told.extreme, "first_period": told.first_period,
            "profitability_index": told.index, "equivalent_annual": told.level_amount,
            "roi": told.gain_over_outlay, "modified_irr": told.modified_rate,
        }.get(call.function)  # fmt: skip
        return way() if way is not None else ("", [])


@dataclass(frozen=True, eq=False)
class _Told(CallRows):
    """One call as it is told."""

    whole: OverTime
    call: Call
    depth: int
    years: bool

    # The functions

    def worth(self) -> tuple[str, list[Reason]]:
        return "", self._worth(self.factors("rate"), "present value", "factor")

    def rate_of_return(self) -> tuple[str, list[Reason]]:
        found = self._found()
        if not np.isfinite(found).all():
            return "", [*self._so_far(self.flows())]
        below = self._worth(self.at(found), "present value", "factor")
        for step, word in ((-_BESIDE, "lower"), (_BESIDE, "higher")):
            beside = [rate + step for rate in found]
            if min(beside) > -1:
                values = [float(flows @ at) for flows, at in zip(self.flows(), self.at(beside), strict=True)]
                how = f"all present values at {self.deal.style.show(beside[0], 'rate')}, added up"
                below.append(self._reason(f"At a rate 1 % {word}", values, "money", how, role="side"))
        return "", below

    def payback(self) -> tuple[str, list[Reason]]:
        flows = self.flows()
        if self.slots.get("rate") is not None:
            flows = tuple(one * at for one, at in zip(flows, self.factors("rate"), strict=True))
        often = self.deal.timeline.per_year
        crossings = [int(np.ceil(one * often - 1e-9)) for one in self._found() if np.isfinite(one)]
        if not crossings or 0 in crossings or not all(np.isfinite(one).all() for one in flows):
            return "", self._so_far(flows)
        totals = tuple(np.cumsum(one) for one in flows)
        below, what = [], "flows" if self.slots.get("rate") is None else "present values"
        for period in sorted({k - before for k in crossings for before in (0, 1)}):
            how, filled = f"all {what} until then, added up", ""
            if period in crossings:
                how, filled = "the total before + the flow", self._plain(totals[0][period - 1], flows[0][period])
            label = f"Running total of {what}, {self._when(period)}"
            values = [float(one[period]) for one in totals]
            below.append(self._reason(label, values, "money", how, filled, role="time"))
        found, k, numbers = self._found()[0], crossings[0], ""
        missing, flow = -float(totals[0][k - 1]), float(flows[0][k])
        if flow > 0 and abs((k - 1 + missing / flow) / often - found) < 1e-9 * max(1.0, found):
            numbers = f"{k - 1} + {self._money(missing)} / {self._money(flow)}"
            numbers = f"({numbers}) / {often}" if often > 1 else numbers
        return numbers, [*below, *(one for period in sorted({*crossings}) for one in self._on_into(period))]

    def total(self) -> tuple[str, list[Reason]]:
        inside = self.inside(0 if self.call.function == "total" else 1)
        flows = tuple(np.where(here, one, 0.0) for one, here in zip(self.rows(self.over), inside, strict=True))
        unit = self.deal.names.unit(self.over)
        if not all(np.isfinite(one).all() for one in flows):
            return "", self._undefined(flows)
        numbers = ""
        if self.call.function == "average":
            numbers = f"{self._shown(float(flows[0].sum()), unit)} / {int(inside[0].sum())}"
        terms = {term: masked(rows, inside) for term, rows in self.terms(self.over).items()}
        below = self._lines(terms, "total", unit)
        if self.years:
            below += self._by_time(flows, tuple(here.astype(float) for here in inside), unit, "")
        return numbers, [*below, *self._on_into(self._most(flows))]

    def extreme(self) -> tuple[str, list[Reason]]:
        lowest = self.call.function == "lowest"
        rows, inside = self.rows(self.over), self.inside(1)
        worst = np.inf if lowest else -np.inf
        if not np.isfinite(self._found()).all():
            return "", self._undefined(masked(rows, inside))
        kept = [np.where(here, one, worst) for one, here in zip(rows, inside, strict=True)]
        orders = [np.argsort(one if lowest else -one, kind="stable") for one in kept]
        below = [one for k in dict.fromkeys(int(order[0]) for order in orders) for one in self._on_into(k)]
        order = orders[0]
        if len(orders) == 1 and order.size > 1 and np.isfinite(kept[0][order[1]]):
            k, word = int(order[1]), "lowest" if lowest else "highest"
            label = f"The next {word}, {self._when(k)}"
            values = [float(one[k]) for one in rows]
            below.append(self._reason(label, values, self.deal.names.unit(self.over), show(self.over), role="time"))
        return "", below

    def first_period(self) -> tuple[str, list[Reason]]:
        inside = np.flatnonzero(self.inside(0)[0])
        if not inside.size:
            return "", []
        turns = [int(one) if np.isfinite(one) else int(inside[-1]) for one in self._found()]
        compared = [part for part in walk(self.over) if isinstance(part, Compare)]
        sides = list(dict.fromkeys(side for one in compared for side in (one.left, one.right))) or [self.over]
        below = []
        for period in dict.fromkeys(k - before for k in turns for before in (0, 1) if k >= before):
            for side in sides:
                if isinstance(side, Name) and side.name in ("t", "year"):
                    continue
                if isinstance(side, Name) and not self.over_time(side.name):
                    if period == turns[0]:
                        below.append(self.whole.of(side.name, None, self.depth))
                elif isinstance(side, Name):
                    below.append(self.whole.of(side.name, period, self.depth))
                elif names_in(side):
                    values = [float(one[period]) for one in self.rows(side)]
                    unit = self.deal.names.unit(side)
                    below.append(
                        self._reason(f"{show(side)}, {self._when(period)}", values, unit, show(side), role="side")
                    )
        return "", below

    def index(self) -> tuple[str, list[Reason]]:
        factors, flows = self.factors("rate"), self.flows()
        below, numbers = [], []
        for sign, word in ((1, "in"), (-1, "out")):
            worth = [float((np.maximum(sign * one, 0.0) * at).sum()) for one, at in zip(flows, factors, strict=True)]
            label = f"Worth of the periods with money {word}"
            how = f"{show(self.over)} * factor, where money {'comes in' if sign > 0 else 'goes out'}"
            below.append(self._reason(label, worth, "money", how, role="side"))
            numbers.append(self._money(worth[0]))
        if self.years and all(np.isfinite(one).all() for one in flows):
            below += self._by_time(flows, factors, "money", "factor")
        return " / ".join(numbers), below

    def gain_over_outlay(self) -> tuple[str, list[Reason]]:
        once = tuple(np.ones(one.size) for one in self.flows())
        below, (coming, going) = self._sides(once, once, "added up")
        return f"{self._money(coming - going)} / {self._money(going)}", below

    def modified_rate(self) -> tuple[str, list[Reason]]:
        lasts = [round(last) for last in self.lasts()]
        borrowed = "reinvested_at" if self.slots.get("borrowed_at") is None else "borrowed_at"
        grown = tuple(one / one[last] for one, last in zip(self.factors("reinvested_at"), lasts, strict=True))
        below, (coming, going) = self._sides(grown, self.factors(borrowed), "with interest, added up")
        years = digits(lasts[0] / self.deal.timeline.per_year, self.deal.style.mark)
        return f"({self._money(coming)} / {self._money(going)}) ** (1 / {years}) - 1", below

    def _sides(self, grown: Rows, begun: Rows, how: str) -> tuple[list[Reason], list[float]]:
        """What comes in and what goes out, each at its factors."""
        below, sums = [], []
        for sign, word, at in ((1, "in", grown), (-1, "out", begun)):
            worth = [float((np.maximum(sign * one, 0.0) * by).sum()) for one, by in zip(self.flows(), at, strict=True)]
            below.append(self._reason(f"Money {word}", worth, "money", f"{show(self.over)}, {how}", role="side"))
            sums.append(worth[0])
        return below, sums

    def level_amount(self) -> tuple[str, list[Reason]]:
        factors = self.factors("rate")
        worth = [float(one @ at) for one, at in zip(self.flows(), factors, strict=True)]
        value = float(value_of(self.deal, self.cases[0], self.call)[0])
        numbers = ""
        if value:
            numbers = f"{self._money(worth[0])} / {digits(worth[0] / value, self.deal.style.mark)}"
        inner = tuple(self._worth(factors, "present value", "factor"))
        how = f"{show(self.over)} * factor, added up"
        return numbers, [self._reason("Present value", worth, "money", how, below=inner, role="side")]

    # What they are made of

    def _worth(self, factors: Rows, word: str, named: str) -> list[Reason]:
        """What each line adds to the worth, and what each year does."""
        flows = self.flows()
        if not all(np.isfinite(one).all() for one in (*flows, *factors)):
            return self._undefined(flows)
        ends = self.ends()
        terms = {term: masked(rows, ends) for term, rows in self.terms(self.over).items()}
        plus = self.slots.get("plus")
        if plus is not None:  # read in the last period itself
            last = tuple(here & ~np.append(here[1:], False) for here in ends)
            for term, rows in self.terms(plus).items():
                terms[term] = added(terms.get(term), masked(rows, last))
        worths = {term: tuple(a * b for a, b in zip(rows, factors, strict=True)) for term, rows in terms.items()}
        below = self._lines(worths, word, "money")
        return below + self._by_time(flows, factors, "money", named) if self.years else below

    def _lines(self, terms: Mapping[Node, Rows], word: str, unit: str, *, deeper: int = 0) -> list[Reason]:
        """What each term adds, the largest first; of two cases the one that differs most. Nothing of a single one."""
        if len(terms) < 2:
            return []
        sums = {term: [float(one.sum()) for one in rows] for term, rows in terms.items()}
        below, left_out = [], []
        for term, values in sorted(sums.items(), key=lambda one: -self._weight(one[1])):
            rows = terms[term]
            if not any(one.any() for one in rows) or self._same(values):
                left_out.append(values)
                continue
            name = term.name if isinstance(term, Name) else show(term)
            k = self._most(rows)
            off = float(rows[0][k]) * float(self.rows(term)[0][k]) < 0
            how = f"{word} of {name}{', taken off' if off else ''}"
            inner: tuple[Reason, ...] = ()
            if isinstance(term, Name) and self.over_time(name) and self.depth + deeper < self.limit:
                inner = (self.whole.of(name, k, self.depth + deeper + 1),)
            label = self.deal.label(name) if isinstance(term, Name) else name
            below.append(self._reason(label, values, unit, how, name=name, below=inner, role="line"))
        return below + self._others(left_out, "line", unit, role="line")

    def _by_time(self, flows: Rows, factors: Rows, unit: str, named: str) -> list[Reason]:
        """What each year adds (each period, where the periods are years or asked for), and the sum until then."""
        self.whole.told_by_time = True
        time = self.deal.timeline
        single = time.per_year == 1 or self.whole.by_period
        keys = np.arange(time.rows) if single else time.year[:, 0].astype(int)
        word = time.period.capitalize() if single else "Year"
        parts = tuple(a * b for a, b in zip(flows, factors, strict=True))
        below, left_out = [], []
        for key in range(int(keys.max()) + 1):
            here = keys == key
            values = [float(one[here].sum()) for one in parts]
            if not any(one[here].any() for one in parts) or self._same(values):
                left_out.append(values)
                continue
            flow, so_far = float(flows[0][here].sum()), float(parts[0][keys <= key].sum())
            how, filled, until = "flows, added up", "", f"so far {self._shown(so_far, unit)}"
            if len(self.cases) > 1:
                how, until = f"differs by {self._shown(values[1] - values[0], unit)}", ""
            elif named and here.sum() == 1:
                factor = self._factor(flow, float(factors[0][here][0]), values[0])
                how, filled = f"flow * {named}", f"{self._shown(flow, unit)} * {factor}"
            elif named:
                how = f"flows of {self._shown(flow, unit)}, each * its {named}"
            below.append(self._reason(f"{word} {key}", values, unit, how, filled, role="time", so_far=until))
        return below + self._others(left_out, word.lower(), unit, role="time")

    def _others(self, left_out: Sequence[Sequence[float]], word: str, unit: str, *, role: Role) -> list[Reason]:
        """What is not told by itself: of one case what is nothing, of two what is the same in both."""
        if not left_out:
            return []
        count = f"{len(left_out)} {word}{'s' if len(left_out) > 1 else ''}"
        said = f"{count} with nothing" if len(self.cases) == 1 else f"{count} the same in both"
        values = [sum(one[k] for one in left_out) for k in range(len(self.cases))]
        return [self._reason("The others", values, unit, said, role=role)]

    def _same(self, values: Sequence[float]) -> bool:
        """Whether two cases agree; one alone never does."""
        return len(values) > 1 and abs(values[1] - values[0]) <= 1e-12 * max(abs(values[0]), abs(values[1]))

    def _factor(self, flow: float, factor: float, value: float) -> str:
        """A factor with no more digits than bring the flow, as it is shown, to its value as that is shown."""
        places = self.deal.style.places
        half = 0.5 * 10.0**-places
        for slack in (half, half * (1.0 + abs(factor))):  # the flow is rounded, too, which no digit mends
            for count in range(4, 8):
                text = f"{factor:.{count}g}"
                if abs(round(flow, places) * float(text) - round(value, places)) <= slack:
                    return text.replace(".", self.deal.style.mark)
        return digits(factor, self.deal.style.mark)

    def _so_far(self, flows: Rows) -> list[Reason]:
        """The running total at the end of each year."""
        if not all(np.isfinite(one).all() for one in flows):
            return self._undefined(flows)
        self.whole.told_by_time = True
        time, totals, below = self.deal.timeline, [np.cumsum(one) for one in flows], []
        step = 1 if self.whole.by_period else time.per_year
        word = time.period.capitalize() if step == 1 else "Year"
        shown: list[float] = []
        for k in range(0, time.rows, step):
            values = [float(one[k]) for one in totals]
            if values != shown or k + step >= time.rows:  # a year in which nothing happens adds no row
                label, shown = f"Running total, {word.lower()} {k // step}", values
                below.append(self._reason(label, values, "money", "all flows until then, added up", role="time"))
        return below if self.years else [below[0], below[-1]]

    def _undefined(self, rows: Rows) -> list[Reason]:
        """On into the first period that is undefined."""
        bad = [np.flatnonzero(~np.isfinite(one)) for one in rows]
        first = next((int(one[0]) for one in bad if one.size), None)
        return [] if first is None else self._on_into(first)

    def _on_into(self, period: int) -> list[Reason]:
        """What is looked at, in one period, and below it how it comes about there."""
        if isinstance(self.over, Name):
            return [self.whole.of(self.over.name, period, self.depth)] if self.over_time(self.over.name) else []
        values, unit = [float(one[period]) for one in self.rows(self.over)], self.deal.names.unit(self.over)
        text, inner = show(self.over), []
        if self.depth < self.limit and isinstance(self.over, Call) and self.over.function == "running":
            until = tuple(self.deal.timeline.t[:, 0] <= period for _ in self.cases)
            terms = {term: masked(rows, until) for term, rows in self.terms(self.over.arguments[0][1]).items()}
            inner = self._lines(terms, "total until then", unit, deeper=1)
        elif self.depth < self.limit:
            known = [name for name in sorted(names_in(self.over)) if self.over_time(name)]
            inner = [self.whole.of(name, period, self.depth + 1) for name in known if name not in ("t", "year")]
        return [self._reason(f"{text}, {self._when(period)}", values, unit, text, below=tuple(inner), role="side")]

    def _found(self) -> list[float]:
        """What the call comes to in each case."""
        return [float(value_of(self.deal, case, self.call)[0]) for case in self.cases]

    def _most(self, rows: Rows) -> int:
        """The period that counts most: the largest, of two cases the one in which they differ most."""
        gap = rows[0] if len(rows) == 1 else rows[1] - rows[0]
        gap = gap if np.any(gap) else rows[0]
        return int(np.argmax(np.abs(np.nan_to_num(gap))))

    def _weight(self, values: Sequence[float]) -> float:
        return abs(values[0]) if len(values) == 1 else abs(values[1] - values[0])

    def _when(self, period: int) -> str:
        return self.deal.timeline.named(period)

    def _money(self, value: float) -> str:
        return self._shown(value, "money")

    def _shown(self, value: float, unit: str) -> str:
        return self.deal.style.show(value, unit)

    def _plain(self, before: float, flow: float) -> str:
        return f"{self._money(before)} + {bracketed(self._money(flow))}"

    def _reason(
        self,
        label: str,
        values: Sequence[float],
        unit: str,
        formula: str,
        filled: str = "",
        *,
        role: Role,
        name: str = "",
        so_far: str = "",
        below: tuple[Reason, ...] = (),
    ) -> Reason:
        known = tuple(value if np.isfinite(value) else None for value in values)
        shown = tuple("undefined" if one is None else self.deal.style.with_unit(one, unit) for one in known)
        return Reason(
            name or label, label, known, shown, unit, None, formula, filled, "", below, role=role, so_far=so_far
        )

    @property
    def limit(self) -> int:
        return self.whole.depth

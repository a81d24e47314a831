"""Where a condition just holds, over two inputs: for each value of one the values of the other, linked to lines."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import TYPE_CHECKING, Any, ClassVar

import numpy as np

from pennyweight.analysis.cases import Model
from pennyweight.analysis.finding.finding import condition_of, limits_of
from pennyweight.analysis.finding.found import Asked
from pennyweight.analysis.plain_values import plain_place
from pennyweight.analysis.searching.answers import refuse_equality
from pennyweight.analysis.searching.outcome import Answers
from pennyweight.array_kinds import Floats
from pennyweight.deals.axis_values import read_places
from pennyweight.deals.definition import Definition
from pennyweight.deals.inputs import input_named, scenario_names, stack
from pennyweight.deals.parts import Input, Question
from pennyweight.described import Described
from pennyweight.documents.shown import Shown
from pennyweight.errors import InputError

if TYPE_CHECKING:
    import pandas as pd

__all__ = ["Branch", "BreakEven", "break_even"]

_ASKED = "?line"
_PLACES = 25
_HALVINGS = 30
"""How often the way to the end of a branch is halved."""


@dataclass(frozen=True, slots=True, repr=False, eq=False)
class Branch(Described):
    """One line: pairs of values, along first, at which the condition just holds. `begins` and `ends` say whether it
    stops there, inside of what was looked at.

    Examples
    --------
    >>> import numpy as np
    >>> Branch("base", np.array([0.0, 0.1]), np.array([5.0, 6.0]), False, False).values.tolist()
    [5.0, 6.0]
    """

    scenario: str
    along: Floats
    values: Floats
    begins: bool
    ends: bool


@dataclass(frozen=True, eq=False, repr=False)
class BreakEven(Shown):
    """The pairs of two inputs at which a condition just holds, as lines.

    Examples
    --------
    >>> from pennyweight import Deal
    >>> found = Deal.starter("taxi").break_even("hull", "npv == 0", along={"grant_share": "0%..30%/4"})
    >>> [round(value, 2) for value in found.branches[0].values.tolist()]
    [392608.9, 439974.34, 500336.33, 579894.58]
    """

    INTERNAL: ClassVar[tuple[str, ...]] = ("definition", "search")

    title: str
    input: str
    along: str
    so_that: str
    branches: tuple[Branch, ...]
    points: Mapping[str, tuple[float, float]]
    """By scenario where it stands: (along, the input)."""
    places: Floats
    """The values along which it was looked at."""
    reasons: Mapping[str, str]
    """By scenario why nothing was found at all."""
    definition: Definition
    search: Asked | None = field(default=None, repr=False, compare=False)

    @property
    def frame(self) -> pd.DataFrame:
        """One row a pair: scenario, branch, the value along, the value of the input."""
        import pandas as pd

        rows = []
        for number, branch in enumerate(self.branches, 1):
            for along, value in zip(branch.along.tolist(), branch.values.tolist(), strict=True):
                rows.append((branch.scenario, number, self._plain(self.along, along), self._plain(self.input, value)))
        return pd.DataFrame(rows, columns=["scenario", "branch", self.along, self.input])

    def as_dict(self) -> dict[str, Any]:
        """Plain values for JSON.

        Returns
        -------
        dict[str, Any]
            Plain values for JSON.
        """
        return {
            "format": 1,
            "deal": self.title,
            "input": self.input,
            "along": self.along,
            "so_that": self.so_that,
            "branches": [
                {
                    "scenario": one.scenario,
                    "along": [self._plain(self.along, value) for value in one.along.tolist()],
                    "values": [self._plain(self.input, value) for value in one.values.tolist()],
                    "begins": one.begins,
                    "ends": one.ends,
                }
                for one in self.branches
            ],
            "points": {
                name: [self._plain(self.along, x), self._plain(self.input, y)] for name, (x, y) in self.points.items()
            },
            "reasons": dict(self.reasons),
        }

    def _plain(self, name: str, value: float) -> Any:
        return plain_place(self.definition.inputs[name], value)


def break_even(
    model: Model,
    name: str,
    so_that: str | None,
    along: Mapping[str, object],
    *,
    scenarios: Sequence[str] = ("base",),
    between: tuple[str | float, str | float] | None = None,
    inputs: Mapping[str, object] | None = None,
) -> BreakEven:
    """Where a condition just holds over two inputs; see `Deal.break_even`."""
    deal = model.definition
    if len(along) != 1:
        raise InputError("Name one input to go along, and its range.", at="along")
    ((other, given),) = along.items()
    item, beside = input_named(deal, name), input_named(deal, other)
    if other == name:
        raise InputError(f"{name} cannot be found along itself; name another input.", at="along")
    for one in (item, beside):
        if one.choices:
            raise InputError(f"{one.name} takes one of several words, of which there is no line.", at="along")
    if inputs and {name, other} & set(inputs):
        raise InputError(f"'{name}' and '{other}' are looked at, so that they cannot be given a value too.", at="with")
    if so_that is None and not deal.goals:
        raise InputError("Say what must come true, such as 'npv == 0': the deal has no goals to meet.")
    text = str(given).strip()
    dense = ".." in text and not any(mark in text.split("..")[1] for mark in "/:") and beside.step is None
    places = read_places(beside, f"{text}/{_PLACES}" if dense else given, what=other)
    if places.size < 2:
        raise InputError(f"{other} goes along a range, such as {other}=0%..30%.", at="along")
    node = condition_of(deal, so_that) if so_that else None
    limits = None if between is None else limits_of(item, between)
    where = f"the condition '{so_that}'"
    question = Question(_ASKED, name, node, so_that or "pays_off", None, "", where, "true", where, limits)
    refuse_equality(question, item)
    asked = Model.of(replace(deal, questions={**deal.questions, _ASKED: question}))
    looker = _Looker(asked, question, item, beside)
    branches: list[Branch] = []
    reasons: dict[str, str] = {}
    for scenario in scenarios:
        found = looker.branches(scenario, np.unique(places), inputs)
        branches += found
        if not found:
            reasons[scenario] = looker.reason
    points = {}
    cases = {scenario: dict(model.inputs_of(scenario, inputs)) for scenario in scenarios}
    for scenario in scenario_names(deal):
        case = model.inputs_of(scenario, inputs)
        points[scenario] = (model.standing(case, other), model.standing(case, name))
    searched = Asked(asked, question, cases)
    return BreakEven(deal.title, name, other, question.asked, tuple(branches), points, places, reasons, deal, searched)


@dataclass
class _Looker:
    """Looks for the answers at places of the other input, and links them."""

    model: Model
    question: Question
    item: Input
    beside: Input
    reason: str = ""

    def branches(self, scenario: str, places: Floats, inputs: Mapping[str, object] | None) -> list[Branch]:
        """The lines of one scenario."""
        case = dict(self.model.inputs_of(scenario, inputs))
        found = self._at(case, places)
        self.reason = next((one.reason for one in found if not one.answers), "")
        # Each open line: its kind, its pairs, and whether it began inside.
        open_lines: list[tuple[str, list[tuple[float, float]], bool]] = []
        closed: list[Branch] = []
        for k, answers in enumerate(found):
            now = [(str(one.kind), one.value) for one in answers.answers]
            kept, left = self._linked(open_lines, now)
            # What is left ends between here and the place before.
            for kind, pairs, begins in left:
                more = self._way(case, kind, pairs[-1][1], found[k - 1], places[k - 1], places[k])
                closed.append(_branch(scenario, [*pairs, *more], begins, True))
            fresh = [one for n, one in enumerate(now) if n not in {n for n, _ in kept}]
            open_lines = [line for _, line in kept]
            for n, line in kept:
                line[1].append((float(places[k]), now[n][1]))
            for kind, value in fresh:
                pairs = [(float(places[k]), value)]
                if k:  # it begins between the place before and here
                    pairs = [*self._way(case, kind, value, answers, places[k], places[k - 1])[::-1], *pairs]
                open_lines.append((kind, pairs, bool(k)))
        closed += [_branch(scenario, pairs, begins, False) for _, pairs, begins in open_lines]
        return sorted(closed, key=lambda one: (one.along[0], one.values[0]))

    def _at(self, case: Mapping[str, Any], places: Floats) -> list[Answers]:
        cases = [self.model.moved(case, self.beside.name, float(place)) for place in places]
        return self.model.answers(self.question, stack(self.model.definition, cases), len(cases))

    def _linked(
        self, lines: Sequence[tuple[str, list[tuple[float, float]], bool]], now: Sequence[tuple[str, float]]
    ) -> tuple[list[tuple[int, tuple[str, list[tuple[float, float]], bool]]], list[Any]]:
        """Answers with the lines they go on with, each the nearest of its kind to where its line was going."""
        pairs = sorted(
            (
                (abs(value - _ahead(line[1])), m, n)
                for m, line in enumerate(lines)
                for n, (kind, value) in enumerate(now)
                if kind == line[0]
            ),
            key=lambda pair: pair[0],
        )
        used_lines: set[int] = set()
        used: dict[int, int] = {}
        for _, m, n in pairs:
            if m not in used_lines and n not in used:
                used_lines.add(m)
                used[n] = m
        kept = [(n, lines[m]) for n, m in sorted(used.items())]
        return kept, [line for m, line in enumerate(lines) if m not in used_lines]

    def _way(
        self, case: Mapping[str, Any], kind: str, value: float, known: Answers, there: float, gone: float
    ) -> list[tuple[float, float]]:
        """Pairs from where a line is known towards the place at which it is gone, ever nearer to its end.

        A line mostly ends where it meets another, so that both are looked for between themselves, ever closer.
        """
        if self.beside.step is not None:
            return []
        limits = known.looked
        now = [(str(one.kind), one.value) for one in known.answers]
        place, pairs = now.index((kind, value)), list[tuple[float, float]]()
        for _ in range(_HALVINGS):
            middle = (there + gone) / 2
            if middle in (there, gone):
                break
            own = now[place][1]
            near = min(
                (one for n, (_, one) in enumerate(now) if n != place), key=lambda one: abs(one - own), default=own
            )
            if near != own:
                low, high = sorted((near, own))
                limits = (max(low - (high - low), limits[0]), min(high + (high - low), limits[1]))
                inside = [one for one in now if limits[0] <= one[1] <= limits[1]]
                place, now = inside.index(now[place]), inside
            question = replace(self.question, between=limits)
            moved = stack(self.model.definition, [self.model.moved(case, self.beside.name, float(middle))])
            (found,) = self.model.answers(question, moved, 1)
            answers = [(str(one.kind), one.value) for one in found.answers]
            if [one for one, _ in answers] == [one for one, _ in now]:
                there, now = middle, answers
                pairs.append((float(middle), now[place][1]))
            else:
                gone = middle
        return pairs


def _ahead(pairs: Sequence[tuple[float, float]]) -> float:
    """Where a line is going: on as it went."""
    if len(pairs) < 2:
        return pairs[-1][1]
    return 2 * pairs[-1][1] - pairs[-2][1]


def _branch(scenario: str, pairs: Sequence[tuple[float, float]], begins: bool, ends: bool) -> Branch:
    ordered = sorted(pairs)
    along, values = (np.array(one) for one in zip(*ordered, strict=True))
    return Branch(scenario, along, values, begins, ends)

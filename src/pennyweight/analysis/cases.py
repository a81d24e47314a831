"""A deal ready to be asked: its definition, its program, and figures for any set of cases."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from pennyweight.analysis.searching.answers import answers_of
from pennyweight.analysis.searching.outcome import Answers
from pennyweight.analysis.searching.solving import solve_plainly
from pennyweight.analysis.showing import show_value
from pennyweight.array_kinds import Floats
from pennyweight.deals.compiler.compile import compile_deal
from pennyweight.deals.compiler.program import Program, asked_name
from pennyweight.deals.definition import Definition
from pennyweight.deals.evaluation import evaluate
from pennyweight.deals.inputs import BASE, Inputs, at_ends, based, inputs_of, moved_by, put_together, stack, value_in
from pennyweight.deals.parts import TOTALS, Question, Scenario
from pennyweight.deals.worked_out import WorkedOut
from pennyweight.plain_text import listed

__all__ = ["Ends", "Model"]


_ROUNDING = 1e-9
_MOST_VALUES = 2**24
_WORSE = {"worst": "worse", "best": "better"}


@dataclass(frozen=True, slots=True)
class Ends:
    """Where a scenario moves inputs: to which end, which stay because nothing gets worse (or better), and ties."""

    chosen: dict[str, float]
    still: list[str] = field(default_factory=list)
    tied: list[str] = field(default_factory=list)


@dataclass(frozen=True)
class Model:
    """A definition with its compiled program. Compiling checks the deal's order, so a Model is a sound deal."""

    definition: Definition
    program: Program

    @classmethod
    def of(cls, definition: Definition) -> Model:
        """Compile a definition."""
        return cls(definition, compile_deal(definition))

    def __reduce__(self) -> tuple[Any, ...]:
        """Another process compiles it again: programs hold functions, which do not travel."""
        return Model.of, (self.definition,)

    def inputs_of(self, scenario: str = BASE, overrides: Mapping[str, object] | None = None) -> Inputs:
        """The inputs of a scenario, with overrides put in their place."""
        return inputs_of(self.definition, scenario, overrides, self._ends)

    def everything(self, inputs: Inputs) -> dict[str, Floats]:
        """All names in one case, width 1; columns, and what has a value for each thing of a set, one for each."""
        hidden = {column.name for table in self.definition.tables.values() for column in table.columns.values()}
        asked = {asked_name(name) for name in self.definition.questions}
        wanted = [name for name in self.program.names if name not in hidden and name not in asked]
        questions = self.definition.questions
        wanted = [name for name in wanted if name not in questions and not name.startswith("?asked ")]
        reached = 0
        for name in wanted:
            reached |= self.program.depends[self.program.names[name]]
        read = [name for name in questions if reached & self.program.bit(name)]
        found = self.evaluate(stack(self.definition, [inputs]), [*wanted, *read])
        space = self.program.space
        alone = {name: value[..., 0] if space[self.program.names[name]] else value for name, value in found.items()}
        return WorkedOut(self.definition, alone) if self.definition.sets else alone

    def with_figures(self, values: Mapping[str, Floats], case: Inputs, wanted: Sequence[str]) -> Mapping[str, Floats]:
        """All names of one case, and some that are not among them."""
        space, more = self.program.space, self.figures([case], wanted)
        alone = {name: one[..., 0] if space[self.program.names[name]] else one for name, one in more.items()}
        both = {**values, **alone}
        return WorkedOut(self.definition, both) if self.definition.sets else both

    def figures(self, cases: Sequence[Inputs], wanted: Sequence[str]) -> dict[str, Floats]:
        """The wanted names for several cases."""
        return self.evaluate(stack(self.definition, cases), wanted)

    def standing(self, case: Inputs, name: str) -> float:
        """The value of an input as it stands: of a series the multiple 1, of what the deal solves what it finds."""
        item = self.definition.inputs[name]
        if (item.solved or item.formula) and name not in case:
            return float(self.figures([case], [name])[name][0])
        return item.neutral if item.is_series else float(value_in(self.definition, case, name))

    def moved(self, case: Inputs, name: str, place: float) -> dict[str, Any]:
        """A case with one input put elsewhere: a value, of a series or a column a multiple, of days so many months."""
        item, found = self.definition.inputs[name], dict(case)
        if item.is_series:
            found[name] = moved_by(item, np.asarray(case[name])[:, None], np.array([place]))[:, 0]
        else:
            found[name] = place
        return found

    def sweep(
        self,
        base: Mapping[str, Floats],
        owner: NDArray[np.intp],
        changes: Mapping[str, Floats],
        wanted: Sequence[str],
    ) -> dict[str, Floats]:
        """The wanted names for cases that start from case `owner[k]` of `base`, inputs in `changes` replaced.

        `base` are inputs side by side (`stack`). A series is replaced by its own values times the figure given for it.
        """
        deal = self.definition
        # A column that is varied has a value for every thing and case; what is too much at once goes piece by piece.
        columns = [item for name in changes if (item := deal.inputs.get(name)) is not None and item.of]
        most = min((_MOST_VALUES // deal.sets[item.of].size for item in columns), default=owner.size)
        if owner.size > max(most, 1):
            parts = [slice(start, start + max(most, 1)) for start in range(0, owner.size, max(most, 1))]
            found = [
                self.sweep(base, owner[part], {name: value[part] for name, value in changes.items()}, wanted)
                for part in parts
            ]
            return {name: np.concatenate([one[name] for one in found], axis=-1) for name in wanted}
        inputs: dict[str, Floats] = {}
        for name, value in base.items():
            wide = value if value.shape[-1] == 1 else value[..., owner]
            moved = deal.inputs.get(name) or deal.parameters.get(name) if name in changes else None
            inputs[name] = wide if moved is None else moved_by(moved, wide, changes[name])
        inputs.update((name, value) for name, value in changes.items() if name not in base)  # one thing's own value
        return self.evaluate(inputs, wanted, cases=owner.size)

    def evaluate(
        self, inputs: Mapping[str, Floats], wanted: Sequence[str], *, cases: int | None = None
    ) -> dict[str, Floats]:
        """The wanted names for inputs side by side; answers they read are looked for first."""
        program, count = self.program, cases or max((value.shape[-1] for value in inputs.values()), default=1)
        known = dict(inputs)
        for question in self._needed(wanted, known):
            found = self._answer_figures(question, known, count)
            given = known.get(question.name)
            known[question.name] = found if given is None else np.where(np.isnan(given), found, given)
        figures = evaluate(program, put_together(self.definition, known), wanted)
        return {name: value if value.shape[-1] == count else _wide(value, count) for name, value in figures.items()}

    def questions_of(self, wanted: Sequence[str]) -> list[Question]:
        """The questions whose answers the wanted names read, those that the deal solves itself left out."""
        return [one for one in self._needed(wanted, {}) if one.name in self.definition.questions]

    def answers(self, question: Question, inputs: Mapping[str, Floats], cases: int) -> list[Answers]:
        """The answers to a question in each of the cases side by side."""
        known = dict(inputs)
        for other in self._needed([asked_name(question.name)], known):
            if other.find != question.find and not self._reaches(question.find, other):
                known[other.name] = self._answer_figures(other, known, cases)
        return self._answers(question, known, cases)

    def _answers(self, question: Question, known: Mapping[str, Floats], cases: int) -> list[Answers]:
        """The answers in each case."""
        return answers_of(self.definition, self.program, self.sweep, question, self._still(question, known), cases)

    def _still(self, question: Question, known: Mapping[str, Floats]) -> dict[str, Floats]:
        """What is known but what the search moves, which is looked for anew at each of its places."""
        sought = self.definition.sought
        return {
            name: value
            for name, value in known.items()
            if name not in sought or not self._reaches(question.find, sought[name])
        }

    def solved(self, case: Inputs) -> dict[str, Answers]:
        """What the deal finds in one case for the inputs that it solves itself and nobody gave a value."""
        base = stack(self.definition, [case])
        return {
            name: self._as_used(question, self.answers(question, base, 1)[0], self.figures([case], [name])[name][0])
            for name, question in self.definition.solved.items()
            if name not in case
        }

    def _as_used(self, question: Question, found: Answers, used: float) -> Answers:
        """What was found, with the value with which everything else was worked out."""
        if len(found.answers) != 1 or not np.isfinite(used):
            return found
        (one,), item = found.answers, self.definition.inputs[question.find]
        shown = show_value(self.definition, item, float(used), one.kind)
        return replace(found, answers=(replace(one, value=float(used), shown=shown),))

    def needs_answers(self, question: str) -> bool:
        """Whether a question reads the answers to others."""
        reached = self.program.depends[self.program.names[asked_name(question)]]
        return any(reached & self.program.bit(other) for other in self.definition.questions)

    def _answer_figures(self, question: Question, known: Mapping[str, Floats], cases: int) -> Floats:
        """The answer in each case as a figure; one wide where nothing that is varied reaches it."""
        reached = self.program.depends[self.program.names[asked_name(question.name)]]
        varied = [name for name, value in known.items() if value.shape[-1] > 1]
        same = not any(self.program.bit(name) & reached for name in varied if name != question.find)
        base_varies = question.between is None and np.size(value_in(self.definition, known, question.find)) > 1
        if same and not base_varies:
            first = {name: value[..., :1] for name, value in known.items()}
            return self._found(question, first, 1)
        return self._found(question, known, cases)

    def _found(self, question: Question, known: Mapping[str, Floats], cases: int) -> Floats:
        """The one answer in each case; of what the deal solves the plain way, where that serves."""
        if question.name not in self.definition.solved or self.definition.inputs[question.find].whole:
            return np.array([self._single(one) for one in self._answers(question, known, cases)])
        still = self._still(question, known)
        found, odd = solve_plainly(self.program, self.sweep, question, still, cases)
        if odd.any():
            mine = np.flatnonzero(odd)
            asked = {name: value if value.shape[-1] == 1 else value[..., mine] for name, value in still.items()}
            found[mine] = [self._single(one) for one in self._answers(question, asked, mine.size)]
        return found

    @staticmethod
    def _single(found: Answers) -> float:
        """The one answer there is, undefined when there are none or several."""
        return found.answers[0].value if len(found.answers) == 1 else float("nan")

    def _needed(self, wanted: Sequence[str], known: Mapping[str, Floats]) -> list[Question]:
        """The questions whose answers the wanted names read, and those that these read, in order."""
        program, questions = self.program, self.definition.sought
        reached = 0
        for name in wanted:
            reached |= program.depends[program.names[name]]
        needed = []
        for name in reversed(program.questions):
            if reached & program.bit(name) and (name not in known or bool(np.isnan(known[name]).any())):
                needed.append(questions[name])
                reached |= program.depends[program.names[asked_name(name)]]
        return needed[::-1]

    def _reaches(self, name: str, question: Question) -> bool:
        """Whether an input reaches what a question looks at, so that its answer moves with it."""
        return bool(self.program.depends[self.program.names[asked_name(question.name)]] & self.program.bit(name))

    def _ends(self, scenario: Scenario, values: Inputs) -> dict[str, float]:
        return self.ends_of(scenario, values).chosen

    def told_ends(self, scenario: str) -> list[str]:
        """What is to be said of a scenario that moves inputs to whichever end hurts or helps: which stay, and ties."""
        told: list[str] = []
        deal = self.definition

        def note(item: Scenario, values: Inputs) -> dict[str, float]:
            found = self.ends_of(item, values)
            judge = deal.label(item.judged_by or next(iter(deal.goals)))
            if found.still:
                stay = "stays" if len(found.still) == 1 else "stay"
                labels = listed([deal.label(name) for name in found.still])
                told.append(f"{labels} {stay}: {judge} does not get {_WORSE[str(item.ends)]} at an end of the range.")
            told.extend(
                f"{judge} is the same at both ends of {deal.label(name)}; the first was taken." for name in found.tied
            )
            return found.chosen

        if any(deal.scenarios[name].ends in ("worst", "best") for name in based(deal, scenario)):
            inputs_of(deal, scenario, None, note)
        return told

    def ends_of(self, scenario: Scenario, values: Inputs) -> Ends:
        """The end of each range that a scenario goes to: all low, all high, or whichever hurts or helps its figure."""
        deal = self.definition
        ranges = {
            name: (item.low, item.high)
            for name, item in deal.inputs.items()
            if not (item.fixed or (item.low is None and item.high is None))
        }
        if scenario.ends in ("low", "high"):
            side = 0 if scenario.ends == "low" else 1
            return Ends({name: end for name, ends in ranges.items() if (end := ends[side]) is not None})
        measure = scenario.judged_by or next(iter(deal.goals))
        goal = deal.goals.get(measure)
        upward = goal is None or goal.at_least is not None
        moved = [(name, end) for name, ends in ranges.items() for end in ends if end is not None]
        cases = [{**values, **at_ends(deal, values, {name: end})} for name, end in moved]
        figures = self.figures([values, *cases], [measure])[measure]
        asked = upward == (scenario.ends == "best")
        worth = np.where(np.isnan(figures), np.nan, figures if asked else -figures)
        # An end at which the figure is undefined is the worst there is.
        worth[1:] = np.where(np.isnan(worth[1:]), -np.inf if scenario.ends == "best" else np.inf, worth[1:])
        base, rest = float(worth[0]), iter(worth[1:].tolist())
        least = 1e-6 if deal.unit(measure) == "money" else 1e-9
        found = Ends({})
        for name, ends in ranges.items():
            places = [(next(rest), end) for end in ends if end is not None]
            best, end = max(places, key=lambda place: place[0])
            if not best > base + _room(best, base, least):
                if base == base and any(abs(value - base) <= _room(value, base, least) for value, _ in places):
                    found.still.append(name)
                continue
            near = [one for value, one in places if value == best or best - value <= _room(best, value, least)]
            found.chosen[name] = near[0]
            if len(near) > 1 and near[0] != near[1]:
                found.tied.append(name)
        return found

    @property
    def shown_lines(self) -> list[str]:
        """Lines in the order a table of periods shows them: in, out, others, net."""
        lines = self.definition.lines
        order = [[name for name, line in lines.items() if line.role == role] for role in ("in", "out", "other")]
        return [*order[0], TOTALS[0], *order[1], TOTALS[1], *order[2], TOTALS[3]]


def _wide(value: Floats, count: int) -> Floats:
    return np.broadcast_to(value, (*value.shape[:-1], count))


def _room(one: float, other: float, least: float) -> float:
    """How far two figures may be apart by rounding alone."""
    sizes = [abs(value) for value in (one, other) if np.isfinite(value)]
    return max(least, _ROUNDING * max(sizes, default=0.0))

"""Weighing one case: figures, goals, verdict, answers, turning points, checks."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from functools import cached_property
from typing import TYPE_CHECKING, Any, ClassVar

import numpy as np

from pennyweight.analysis.cases import Model
from pennyweight.analysis.plain_values import plain_input, plain_place, plain_row, plain_solved
from pennyweight.analysis.searching.outcome import Answers
from pennyweight.analysis.weighing.asked_lines import selection
from pennyweight.analysis.weighing.checks import Check, checks_of, numbers_inside
from pennyweight.analysis.weighing.own_tables import TableResult, table_of
from pennyweight.analysis.weighing.things import each_lines, figures_of_things, things_frame
from pennyweight.analysis.weighing.turning import TurningPoint, answers_and_turns, turning_points
from pennyweight.analysis.weighing.verdict import (
    Figure,
    GoalResult,
    VerdictWord,
    figure_of,
    judged,
    refuse_broken_loans,
    refuse_broken_periods,
    verdict_of,
)
from pennyweight.array_kinds import Floats
from pennyweight.deals.definition import Definition
from pennyweight.deals.inputs import Inputs, as_used, value_in
from pennyweight.deals.undefined import rates_of
from pennyweight.described import FrozenMapping
from pennyweight.documents import Document
from pennyweight.documents.paging import page_of
from pennyweight.documents.shown import Shown
from pennyweight.errors import InputError, nearest
from pennyweight.quantities.argument_checks import a_text

if TYPE_CHECKING:
    import pandas as pd

__all__ = ["Weighing", "lines_frame", "weigh", "work_out_together"]


@dataclass(frozen=True, eq=False, repr=False)
class Weighing(Shown):
    """A deal weighed in one scenario.

    Examples
    --------
    >>> from pennyweight import Deal
    >>> deal = Deal.starter("taxi")
    >>> deal.weigh()
    Weighing('Electric water-taxi for the quay', scenario='base': pays off)
    >>> deal.weigh("wet_summers").verdict
    'falls short'
    """

    title: str
    scenario: str
    scenario_label: str
    verdict: VerdictWord
    inputs: Mapping[str, float | Floats]
    measures: Mapping[str, Figure]
    goals: Mapping[str, GoalResult]
    values: Mapping[str, Floats]
    """Every line and level, (periods + 1,)."""
    model: Model = field(repr=False)
    worked_out: Mapping[str, Floats] = field(repr=False)
    """Every name of the deal, one case wide."""
    case: Inputs = field(repr=False)
    """The inputs with the switches behind them, as the model takes them."""

    INTERNAL: ClassVar[tuple[str, ...]] = ("case", "model", "values", "work_out", "worked_out")

    def __repr__(self) -> str:
        return f"Weighing({self.title[:60]!r}, scenario={self.scenario!r}: {self.verdict})"

    @property
    def definition(self) -> Definition:
        """The deal as it was read."""
        return self.model.definition

    @cached_property
    def answers(self) -> Mapping[str, Answers]:
        """The answers to the deal's questions, worked out when they are first asked for."""
        return FrozenMapping(answers_and_turns(self.model, [self.case], turns=False)[0][0])

    @cached_property
    def solved(self) -> Mapping[str, Answers]:
        """What the deal finds for the inputs that it solves itself, where nobody gave them a value."""
        return FrozenMapping(self.model.solved(self.case))

    def work_out(self) -> None:
        """Work out answers and turning points together, which is quicker than one after the other.

        Examples
        --------
        >>> from pennyweight import Deal
        >>> weighing = Deal.starter("taxi").weigh()
        >>> weighing.work_out()
        >>> len(weighing.turning_points), list(weighing.answers)
        (10, ['top_price'])
        """
        work_out_together([self], turns=True)

    @cached_property
    def tables(self) -> Mapping[str, TableResult]:
        """The deal's tables, worked out when they are first asked for."""
        return FrozenMapping(
            {name: table_of(self.model, table, self.case) for name, table in self.definition.tables.items()}
        )

    @cached_property
    def turning_points(self) -> tuple[TurningPoint, ...]:
        """Where the verdict turns when one input moves alone, worked out when they are first asked for."""
        return tuple(turning_points(self.model, self.case))

    @cached_property
    def checks(self) -> tuple[Check, ...]:
        """What the weighing tells of itself: each with the code of the check, whether it holds, and a sentence."""
        return checks_of(self.model, self.case, self.worked_out, self.scenario)

    def given(self, name: str) -> float | Floats | None:
        """The value of an input; of one thing of a set its own, or that of its column.

        Parameters
        ----------
        name : str
            Its name.

        Returns
        -------
        float | array of float | None
            The value of an input; of one thing of a set its own, or that of its column.

        Notes
        -----
        None where there is no such input

        Examples
        --------
        >>> from pennyweight import Deal
        >>> Deal.starter("taxi").weigh("dear_hull").given("hull")
        470000.0
        """
        if name in self.inputs:
            return self.inputs[name]
        return value_in(self.definition, self.case, name) if name in self.definition.inputs else None

    @property
    def frame(self) -> pd.DataFrame:
        """Lines and levels by period; the index is the period, or its date when the deal has a start."""
        import pandas as pd

        dates = self.definition.timeline.dates
        index: Any = range(self.definition.timeline.rows) if dates is None else dates
        frame = pd.DataFrame(dict(self.values), index=index)
        frame.index.name = "period" if dates is None else "date"
        return frame

    def line(self, name: str) -> Floats:
        """A line, a level, a total or a part of a loan by its name, (periods + 1,).

        Parameters
        ----------
        name : str
            Its name.

        Returns
        -------
        array of float
            A line, a level, a total or a part of a loan by its name, (periods + 1,).

        Raises
        ------
        InputError
            Something given cannot be right; the message names it and says what would be.

        Examples
        --------
        >>> from pennyweight import Deal
        >>> deal = Deal.starter("taxi")
        >>> deal.weigh().line("net")[:2].round(2).tolist()
        [-315000.0, 40368.0]
        """
        program = self.model.program
        own = self.definition.own(a_text(name, what="name"))
        if own is not None and self.worked_out[name].ndim == 2:
            return np.array(self.worked_out[name][:, 0])
        if a_text(name, what="name") not in program.names or not program.over_time[program.names[name]]:
            known = [one for one in program.names if program.over_time[program.names[one]] and one[0] != "?"]
            raise InputError(f"There is no line or level '{name}'{nearest(name, known) or '.'}", at="name")
        return np.array(self.worked_out[name][:, 0])

    @property
    def frames(self) -> dict[str, pd.DataFrame]:
        """`periods` and `years` with the lines, `measures`, `goals`, `turning_points`, the deal's tables by name.

        By the name of each set stand its lines, a row a thing, line and period.
        """
        import pandas as pd

        return {
            "periods": self.frame,
            "years": lines_frame(self, "year"),
            "measures": pd.DataFrame(
                [(f.name, f.value, f.unit, f.reason) for f in self.measures.values()],
                columns=["measure", "value", "unit", "reason"],
            ).set_index("measure"),
            "goals": pd.DataFrame(
                [(g.name, g.state, g.value, g.side, g.bound, g.slack) for g in self.goals.values()],
                columns=["goal", "state", "value", "side", "bound", "slack"],
            ).set_index("goal"),
            "turning_points": pd.DataFrame(
                [(p.input, p.base, p.below, p.above, p.turns_at, p.distance) for p in self.turning_points],
                columns=["input", "base", "below", "above", "turns_at", "distance"],
            ).set_index("input"),
            **{name: table.frame for name, table in self.tables.items()},
            **{
                name: things_frame(self.definition, self.worked_out, name, selection(self.definition, "period"))
                for name in self.definition.sets
                if each_lines(self.definition, name)
            },
        }

    def _for_csv(self) -> pd.DataFrame:
        """Verdict, measures, goals, answers and tables, a row each."""
        import pandas as pd

        rows: list[tuple[str, str, object, str, str]] = [("verdict", "verdict", self.verdict, "", "")]
        rows += [("measure", f.name, f.value, f.unit, f.reason) for f in self.measures.values()]
        rows += [
            ("thing", f"{name}.{thing}.{figure}", value, self.definition.unit(self._full(name, figure)), "")
            for name, figures in figures_of_things(self.definition, self.worked_out).items()
            for figure, own in figures.items()
            for thing, value in own.items()
        ]
        rows += [("goal", g.name, g.state, "", g.reason) for g in self.goals.values()]
        rows += [
            ("answer", name, self.plain_answer(name, answer.value), answer.kind, answer.note)
            for name, item in self.answers.items()
            for answer in item.answers
        ]
        for table in self.tables.values():
            rows += [("table", *cell) for cell in table.cells()]
        return pd.DataFrame(rows, columns=["kind", "name", "value", "unit", "note"]).set_index("kind")

    def _full(self, things: str, figure: str) -> str:
        """The name of a figure of the things of a set: of a column with its set."""
        return figure if figure in self.definition.each else f"{things}.{figure}"

    def _several_rates(self) -> dict[str, Any]:
        """All rates of the measures that have several."""
        found = {name: rates_of(self.definition, self.worked_out, name) for name in self.measures}
        several = {name: rates for name, rates in found.items() if len(rates) > 1}
        return {"irrs": several} if several else {}

    def as_dict(self) -> dict[str, Any]:
        """Plain values for JSON.

        Returns
        -------
        dict[str, Any]
            Plain values for JSON.
        """
        self.work_out()
        return {
            "format": 1,
            "deal": self.title,
            "scenario": self.scenario,
            "verdict": self.verdict,
            "inputs": {name: plain_input(self.definition, name, value) for name, value in self.inputs.items()},
            **({"solved": plain_solved(self.definition, self.inputs, self.solved)} if self.solved else {}),
            "measures": {name: figure.value for name, figure in self.measures.items()},
            **({"sets": figures_of_things(self.definition, self.worked_out)} if self.definition.sets else {}),
            "undefined": {name: figure.reason for name, figure in self.measures.items() if figure.value is None},
            **self._several_rates(),
            "goals": {
                name: {
                    "met": goal.state == "met",
                    "state": goal.state,
                    "value": goal.value,
                    goal.side: goal.bound,
                    "slack": goal.slack,
                }
                for name, goal in self.goals.items()
            },
            "answers": {
                name: [self.plain_answer(name, answer.value) for answer in item.answers]
                for name, item in self.answers.items()
            },
            "tables": {name: table.as_dict() for name, table in self.tables.items()},
            "turning_points": {
                point.input: {
                    "base": point.base,
                    "turns_at": point.turns_at,
                    "distance": point.distance,
                    "below": point.below,
                    "above": point.above,
                    "of_range": point.of_range,
                    "by_scale": point.by_scale,
                    "reason": point.reason,
                    "goals": list(point.goals),
                    "limits": [point.limit_below, point.limit_above],
                    "choices": list(point.choices),
                }
                for point in self.turning_points
            },
            "checks": [{"passed": passed, "check": sentence} for passed, sentence in self.checks],
            "periods": {name: plain_row(value) for name, value in self.values.items()},
            "not_varied": numbers_inside(self.definition),
        }

    def plain_answer(self, name: str, value: float) -> Any:
        """An answer as programs take it: a number, a day, or the word of a choice.

        Parameters
        ----------
        name : str
            That of the question.
        value : float
            The answer.

        Returns
        -------
        Any
            An answer as programs take it: a number, a day, or the word of a choice.

        Examples
        --------
        >>> from pennyweight import Deal
        >>> deal = Deal.starter("four-flats")
        >>> deal.weigh().plain_answer("best_letting", 1.0)
        'rooms'
        """
        return plain_place(self.definition.inputs[self.definition.questions[name].find], value)

    def document(
        self,
        *,
        by: str | None = None,
        lines: Sequence[str] | None = None,
        first: Any = None,
        last: Any = None,
        each: str | None = None,
    ) -> Document:
        """The page of a weighing; `by` adds the table of lines, "period" or "year"; `lines`, `first`, `last` say which.

        Parameters
        ----------
        each : str | None, optional
            Names a set: what is worked out for each of its things is opened, thing by thing.
        by : str | None, optional
            "period" or "year": adds the table of lines.
        lines : Sequence[str] | None, optional
            The lines of that table, by name; all when left out.
        first : optional
            The first period of that table.
        last : optional
            The last period of that table.

        Returns
        -------
        Document
            See `Document` for what it holds.

        Raises
        ------
        InputError
            Something given cannot be right; the message names it and says what would be.

        Examples
        --------
        >>> from pennyweight import Deal
        >>> weighing = Deal.starter("taxi").weigh()
        >>> blocks = weighing.document(by="year", lines=["net"], first=1, last=3).blocks
        >>> [block.title for block in blocks if getattr(block, "role", "") == "periods"]
        ['By year, year 1 to year 3, EUR where no other unit is said']
        """
        periods = None if by is None else selection(self.definition, by, lines, first, last, each)
        self.work_out()
        made: Document = page_of(self).document(self, periods=periods)
        return made


def lines_frame(
    weighing: Weighing, by: str = "period", *, lines: Sequence[str] | None = None, first: Any = None, last: Any = None
) -> pd.DataFrame:
    """Lines and levels by "period" or by "year": amounts are summed, levels show what stands at the year's end, shares
    and rates their average.

    `lines` are those to show, or headings of groups; left out: all. `first` and `last` are periods, days of the
    timeline, or texts such as "year 3"; left out: all of it.
    """
    import pandas as pd

    wanted = selection(weighing.definition, by, lines, first, last)
    chosen = list(weighing.values) if wanted.lines is None else list(wanted.lines)
    shown = slice(wanted.first, wanted.last + 1)
    values = {name: weighing.line(name)[shown] for name in chosen}
    if by == "period":
        return pd.DataFrame(values, index=weighing.frame.index[shown])
    year = weighing.definition.timeline.year[shown, 0].astype(np.int64)
    ends = np.flatnonzero(np.append(np.diff(year), 1))
    count = np.bincount(year - year[0])
    columns = {}
    for name, line in values.items():
        how = weighing.definition.year_shows(name)
        added = line[ends] if how == "last" else np.bincount(year - year[0], weights=line)
        columns[name] = added / count if how == "average" else added
    return pd.DataFrame(columns, index=pd.Index(year[ends], name="year"))


def work_out_together(weighings: Sequence[Weighing], *, turns: bool) -> None:
    """Work out the answers of several weighings of one deal, and their turning points, in one search."""
    asked = [one for one in weighings if "answers" not in one.__dict__ and "turning_points" not in one.__dict__]
    if not asked:
        return
    found = answers_and_turns(asked[0].model, [one.case for one in asked], turns=turns)
    for one, (answers, points) in zip(asked, found, strict=True):
        one.__dict__["answers"] = FrozenMapping(answers)
        if turns:
            one.__dict__["turning_points"] = points


def weigh(model: Model, scenario: str = "base", inputs: Mapping[str, object] | None = None) -> Weighing:
    """Weigh one scenario; see `Deal.weigh`."""
    case = model.inputs_of(scenario, inputs)
    deal = model.definition
    values = model.everything(case)
    refuse_broken_periods(deal, values)
    refuse_broken_loans(deal, values)
    measures = {name: figure_of(deal, values, name) for name in deal.measures}
    goals = {name: judged(deal, goal, values) for name, goal in deal.goals.items()}
    shown = [*model.shown_lines, *deal.levels, *(f"{loan}.{part}" for loan in deal.loans for part in deal.loan_parts)]
    shown += deal.split_parts
    return Weighing(
        title=deal.title,
        scenario=scenario,
        scenario_label=deal.scenario_label(scenario),
        verdict=verdict_of(goals),
        inputs={
            name: float(values[name][0]) if (given := as_used(deal, case, name)) is None else given
            for name in (*deal.inputs, *(one for one in case if one in deal.values or deal.own(one) is not None))
        },
        measures=measures,
        goals=goals,
        values={name: np.array(values[name][:, 0]) for name in shown},
        model=model,
        worked_out=values,
        case=case,
    )

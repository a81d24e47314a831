"""What looking for the value of an input has found."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Any, ClassVar

from pennyweight.analysis.cases import Model
from pennyweight.analysis.plain_values import plain_place
from pennyweight.analysis.searching.outcome import Answer, Answers
from pennyweight.deals.inputs import Inputs
from pennyweight.deals.parts import Input, Question
from pennyweight.documents.shown import Shown

if TYPE_CHECKING:
    import pandas as pd

__all__ = ["Asked", "Found"]


@dataclass(frozen=True, slots=True)
class Asked:
    """What `find` was asked: the model with its question, the scenarios and the inputs in each."""

    model: Model
    question: Question
    cases: Mapping[str, Inputs]

    @property
    def item(self) -> Input:
        """The input that is looked for."""
        return self.model.definition.inputs[self.question.find]


@dataclass(frozen=True, eq=False, repr=False)
class Found(Shown):
    """What `find` found: for each scenario its answers, or the reason why there are none.

    Examples
    --------
    >>> from pennyweight import Deal
    >>> deal = Deal.starter("taxi")
    >>> found = deal.find("hull", "npv == 0", scenarios=["base", "wet_summers"])
    >>> {name: round(answers.values[0], 2) for name, answers in found.answers.items()}
    {'base': 537185.75, 'wet_summers': 338694.26}
    """

    INTERNAL: ClassVar[tuple[str, ...]] = ("search",)

    title: str
    input: str
    label: str
    so_that: str
    by_scale: bool
    looked: tuple[float, float]
    looked_shown: str
    answers: Mapping[str, Answers]
    """The answers by scenario."""
    labels: Mapping[str, str]
    choices: tuple[str, ...] = ()
    """The words of the input, when it takes one of several; an answer is the place of one."""
    by_months: bool = False
    """Whether an answer is how many months later all days of a column fall."""
    search: Asked | None = field(default=None, repr=False, compare=False)
    """What was searched, for whoever looks further: at the answers, just beside them, and over the input."""

    def value(self, answer: Answer) -> float | str:
        """An answer as a program takes it: a number, a day, or the word of a choice.

        Parameters
        ----------
        answer : Answer
            One of the answers.

        Returns
        -------
        float | str
            An answer as a program takes it: a number, a day, or the word of a choice.

        Examples
        --------
        >>> from pennyweight import Deal
        >>> deal = Deal.starter("taxi")
        >>> found = deal.find("swap_year", "npv >= 0")
        >>> [found.value(answer) for answer in found.answers["base"].answers]
        []
        """
        return self._plain(answer.value)

    def _plain(self, value: float) -> float | str:
        """A value of the input as a program takes it."""
        plain: float | str = value if self.search is None else plain_place(self.search.item, value)
        return plain

    @property
    def frame(self) -> pd.DataFrame:
        """One row an answer: scenario, value, kind, note."""
        import pandas as pd

        rows = [
            (name, self.value(answer), answer.kind, answer.note)
            for name, item in self.answers.items()
            for answer in item.answers
        ]
        return pd.DataFrame(rows, columns=["scenario", self.input, "kind", "note"])

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
            "so_that": self.so_that,
            "by_scale": self.by_scale,
            "by_months": self.by_months,
            "between": [end if self.choices else self._plain(end) for end in self.looked],
            "answers": {name: [self.value(one) for one in item.answers] for name, item in self.answers.items()},
            "kinds": {name: [answer.kind for answer in item.answers] for name, item in self.answers.items()},
            "reasons": {name: item.reason for name, item in self.answers.items() if item.reason},
        }

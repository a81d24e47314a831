"""What looking for the value of an input has found, and its page."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field, replace
from typing import TYPE_CHECKING, Any, Literal

from pennyweight.described import Described
from pennyweight.documents import Cell, Column, Document, LinesChart, Table, Text
from pennyweight.documents.derivation import Derivation, Whys, derivation_table
from pennyweight.documents.shown import Shown

if TYPE_CHECKING:
    import pandas as pd

__all__ = ["Answer", "Answers", "Found", "Side"]

Side = Literal["exactly", "at most", "at least"]


@dataclass(frozen=True, slots=True, repr=False)
class Answer(Described):
    """One value that answers; `kind` says on which side of it the condition holds.

    >>> from importlib.resources import files
    >>> from pennyweight import Deal
    >>> deal = Deal.read(str(files("pennyweight.starters") / "taxi/taxi.toml"))
    >>> answer = deal.find("hull", "npv >= 0").outcomes["base"].answers[0]
    >>> answer.kind, answer.shown
    ('at most', 'EUR 537,185.75')
    """

    value: float
    kind: Side
    shown: str
    note: str = ""


@dataclass(frozen=True, slots=True, repr=False)
class Answers(Described):
    """The answers in one scenario, smallest first, or why there is none.

    >>> from importlib.resources import files
    >>> from pennyweight import Deal
    >>> deal = Deal.read(str(files("pennyweight.starters") / "taxi/taxi.toml"))
    >>> found = deal.find("swap_year", "npv < 0").outcomes["base"]
    >>> found.answers, found.looked
    ((), (0.0, 12.0))
    """

    answers: tuple[Answer, ...]
    reason: str
    looked: tuple[float, float] = (0.0, 0.0)
    """The range that was looked through."""
    edge: bool = False
    """Whether the best value lies at an end of what was looked through, so that there may be a better one beyond."""
    always: bool | None = None
    """True when the condition holds for every value looked at that has its figures, False for none; None when it turns
    or was not told."""

    def intervals(self) -> list[tuple[str, str]]:
        """The answers as they read, each with its remarks: "at most 5", "from 2 to 5", or a value.

        >>> Answers((Answer(2.0, "at least", "2"), Answer(5.0, "at most", "5")), "").intervals()
        [('from 2 to 5', '')]
        """
        found: list[tuple[str, str]] = []
        rest = list(self.answers)
        while rest:
            first = rest.pop(0)
            notes = [first.note]
            if first.kind == "at least" and rest and rest[0].kind == "at most":
                last = rest.pop(0)
                notes.append(last.note)
                same = first.value == last.value
                text = first.shown if same else f"from {first.shown} to {last.shown}"
            else:
                text = first.shown if first.kind == "exactly" else f"{first.kind} {first.shown}"
            found.append((text, "; ".join(dict.fromkeys(filter(None, notes)))))
        return found

    @property
    def shown(self) -> str:
        """All of them in one line."""
        return " or ".join(text for text, _ in self.intervals())

    @property
    def told(self) -> str:
        """What stands where the answer is read: `shown`; without an answer "every value" or "none"."""
        return self.shown or ("every value" if self.always else "none")


@dataclass(frozen=True, eq=False, repr=False)
class Found(Shown):
    """What `find` found: for each scenario its answers, or the reason why there are none.

    >>> from importlib.resources import files
    >>> from pennyweight import Deal
    >>> deal = Deal.read(str(files("pennyweight.starters") / "taxi/taxi.toml"))
    >>> found = deal.find("hull", "npv == 0", scenarios=["base", "wet_summers"])
    >>> {name: round(values[0], 2) for name, values in found.answers.items()}
    {'base': 537185.75, 'wet_summers': 338694.26}
    """

    deal: str
    input: str
    label: str
    so_that: str
    by_scale: bool
    looked: tuple[float, float]
    looked_shown: str
    outcomes: Mapping[str, Answers]
    labels: Mapping[str, str]
    choices: tuple[str, ...] = ()
    """The words of the input, when it takes one of several; an answer is the place of one."""
    curve: LinesChart | None = field(default=None, repr=False)
    """What is asked over the input, to be drawn."""
    explain: Callable[[], Mapping[str, Derivation]] | None = field(default=None, repr=False)
    """What was asked at the answers of each scenario, by its label, worked out when it is wanted."""

    @property
    def answers(self) -> dict[str, list[float]]:
        """The answers by scenario."""
        return {name: [answer.value for answer in item.answers] for name, item in self.outcomes.items()}

    def value(self, answer: Answer) -> float | str:
        """An answer as a program takes it: a number, or the word of a choice.

        `answer` is one of the answers.

        >>> from importlib.resources import files
        >>> from pennyweight import Deal
        >>> deal = Deal.read(str(files("pennyweight.starters") / "taxi/taxi.toml"))
        >>> found = deal.find("swap_year", "npv >= 0")
        >>> [found.value(answer) for answer in found.outcomes["base"].answers]
        []
        """
        return self.choices[round(answer.value)] if self.choices else answer.value

    @property
    def frame(self) -> pd.DataFrame:
        """One row an answer: scenario, value, kind, note."""
        import pandas as pd

        rows = [
            (name, self.value(answer), answer.kind, answer.note)
            for name, item in self.outcomes.items()
            for answer in item.answers
        ]
        return pd.DataFrame(rows, columns=["scenario", self.input, "kind", "note"])

    def as_dict(self) -> dict[str, Any]:
        """Plain values for JSON."""
        return {
            "format": 1,
            "deal": self.deal,
            "input": self.input,
            "so_that": self.so_that,
            "by_scale": self.by_scale,
            "between": list(self.looked),
            "answers": {name: [self.value(one) for one in item.answers] for name, item in self.outcomes.items()},
            "kinds": {name: [answer.kind for answer in item.answers] for name, item in self.outcomes.items()},
            "reasons": {name: item.reason for name, item in self.outcomes.items() if item.reason},
        }

    def document(self) -> Document:
        """One line a scenario and answer."""
        rows = []
        for name, item in self.outcomes.items():
            title = self.labels.get(name, name)
            if not item.answers:
                rows.append((Cell(title), Cell(item.told, "question" if item.always else "out"), Cell(item.reason)))
            for text, notes in item.intervals():
                rows.append((Cell(title), Cell(text, "question"), Cell(notes)))
        table = Table(
            self._title(),
            (Column("Scenario", words=True), Column(self.input), Column("Remark", words=True)),
            tuple(rows),
        )
        return Document(
            self.deal, (table, Text(f"Searched between {self.looked_shown}.", "comparison")), "", self._charts()
        )

    def _title(self) -> str:
        what = f"{self.label}, as a multiple of its series" if self.by_scale else self.label
        return f"{what}, so that {self.so_that}"

    def _whys(self) -> Whys:
        told = self.explain() if self.explain is not None else {}
        return {(self._title(), label): derivation_table(label, {label: one}) for label, one in told.items()}

    def _charts(self) -> tuple[LinesChart, ...]:
        """The curve with its answers marked, looked at near them."""
        if self.curve is None:
            return ()
        first = next(iter(self.outcomes.values()))
        marks = tuple(
            {one.shown: (one.shown, one.value) for item in self.outcomes.values() for one in item.answers}.values()
        )
        title = f"{self.label}: {first.shown or 'no value'}, so that {self.so_that}"
        return (replace(self.curve, title=title, marks=marks[:8]),)

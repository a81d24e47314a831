"""What a search has found: answers, or why there is none."""

from __future__ import annotations

from dataclasses import dataclass

from pennyweight.analysis.showing import Side
from pennyweight.described import Described

__all__ = ["Answer", "Answers"]


@dataclass(frozen=True, slots=True, repr=False)
class Answer(Described):
    """One value that answers; `kind` says on which side of it the condition holds.

    Examples
    --------
    >>> from pennyweight import Deal
    >>> deal = Deal.starter("taxi")
    >>> answer = deal.find("hull", "npv >= 0").answers["base"].answers[0]
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

    Examples
    --------
    >>> from pennyweight import Deal
    >>> deal = Deal.starter("taxi")
    >>> found = deal.find("swap_year", "npv < 0").answers["base"]
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

    @property
    def values(self) -> tuple[float, ...]:
        """The values alone, smallest first."""
        return tuple(answer.value for answer in self.answers)

    def intervals(self) -> list[tuple[str, str]]:
        """The answers as they read, each with its remarks: "at most 5", "from 2 to 5", or a value.

        Returns
        -------
        list[tuple[str, str]]
            The answers as they read, each with its remarks: "at most 5", "from 2 to 5", or a value.

        Examples
        --------
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

"""How verdicts and states of goals are shown: their tone, and the sign that says the same where there is no room."""

from __future__ import annotations

from pennyweight.analysis.weighing.verdict import FALLS_SHORT, NEARLY, NO_GOALS, PAYS_OFF, State, VerdictWord
from pennyweight.deals.definition import Definition
from pennyweight.documents.chart_kinds import Good
from pennyweight.documents.model import Tone

__all__ = [
    "GOAL_LEGEND",
    "STATE_MARKS",
    "STATE_TONES",
    "VERDICT_LEGEND",
    "VERDICT_MARKS",
    "VERDICT_TONES",
    "good_side",
    "toned",
]

VERDICT_TONES: dict[VerdictWord, Tone] = {
    PAYS_OFF: "in",
    NEARLY: "question",
    FALLS_SHORT: "out",
    NO_GOALS: "comparison",
}
STATE_TONES: dict[State, Tone] = {"met": "in", "nearly": "question", "missed": "out"}
STATE_MARKS: dict[State, str] = {"met": "✓", "nearly": "≈", "missed": "✗"}
VERDICT_MARKS: dict[VerdictWord, str] = {PAYS_OFF: "✓", NEARLY: "≈", FALLS_SHORT: "✗", NO_GOALS: ""}
GOAL_LEGEND = "✓ met, ≈ nearly, ✗ missed; the figure shows how much is to spare, or how much is missing."
VERDICT_LEGEND = f"✓ {PAYS_OFF}, ≈ {NEARLY}, ✗ {FALLS_SHORT}."


def good_side(deal: Definition, name: str) -> Good:
    """Which way of a figure is good: its goal says so; without one neither is."""
    goal = deal.goals.get(name)
    return "" if goal is None else "high" if goal.at_least is not None else "low"


def toned(deal: Definition, name: str, difference: float) -> Tone:
    """The tone of a difference of a figure: for better or worse where a goal says which is which."""
    good = good_side(deal, name)
    if not good or not difference:
        return "plain"
    return "in" if (difference > 0) == (good == "high") else "out"

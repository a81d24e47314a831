"""How verdicts and states of goals are shown: their tone, and the sign that says the same where there is no room."""

from __future__ import annotations

from pennyweight.analysis.weighing.verdict import FALLS_SHORT, NEARLY, NO_GOALS, PAYS_OFF, State, VerdictWord
from pennyweight.documents.model import Tone

__all__ = ["GOAL_LEGEND", "STATE_MARKS", "STATE_TONES", "VERDICT_LEGEND", "VERDICT_MARKS", "VERDICT_TONES"]

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

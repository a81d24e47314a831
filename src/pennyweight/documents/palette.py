"""The colors of the house, in one place. A tone is a meaning; a word, a sign or a pattern always says it too."""

from __future__ import annotations

__all__ = ["BRASS", "INK", "OXIDE", "PARCHMENT", "PEWTER", "TEXT", "TONES", "VERDIGRIS"]

INK = "#22303C"
"""Text."""
VERDIGRIS = "#2F7F79"
"""Money in."""
OXIDE = "#A8452F"
"""Money out."""
BRASS = "#B5852B"
"""The thing in question."""
PEWTER = "#7C8A94"
"""What is only there for comparison."""
PARCHMENT = "#F6F1E7"
"""The ground."""

TONES = {"plain": INK, "in": VERDIGRIS, "out": OXIDE, "question": BRASS, "comparison": PEWTER}
"""The color of each tone for marks, lines and areas, and in a terminal."""

TEXT = {**TONES, "question": "#8A6419", "comparison": "#5F6C76"}
"""The same for text on the ground: brass and pewter darkened, so that they can be read."""

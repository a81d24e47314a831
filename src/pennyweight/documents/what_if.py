"""What becomes of a result when one assumption moves, worked out beforehand: texts for a page to choose among."""

from __future__ import annotations

from dataclasses import dataclass

from pennyweight.documents.model import Tone

__all__ = ["Assumption", "WhatIf"]


@dataclass(frozen=True, slots=True)
class Assumption:
    """One assumption along its range: what it is at each place, the verdict there, and each figure with its state."""

    label: str
    places: tuple[str, ...]
    base: int
    """The place that is the result as it stands."""
    verdicts: tuple[tuple[str, Tone], ...]
    figures: tuple[tuple[str, ...], ...]
    """Of each figure its text at each place."""
    states: tuple[tuple[str, ...], ...]
    """The same of how its goal fares; empty of a figure without one."""


@dataclass(frozen=True, slots=True)
class WhatIf:
    """The figures that are told, and the assumptions that may be moved, one at a time.

    >>> WhatIf(("Gain",), ()).figures
    ('Gain',)
    """

    figures: tuple[str, ...]
    assumptions: tuple[Assumption, ...]

"""How many examples each generator makes: enough for every run, ten times as many with `make thorough`."""

from __future__ import annotations

import os

__all__ = ["THOROUGH", "cases"]

THOROUGH = bool(os.environ.get("PENNYWEIGHT_THOROUGH"))


def cases(many: int) -> int:
    """The number of examples of a generator in this run: half of `many`, or ten times that half."""
    return 5 * many if THOROUGH else many // 2

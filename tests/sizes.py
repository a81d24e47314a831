"""How much of everything a run tries.

`make test` takes a sample of each: a sixth of the drawn examples, one starter of each kind. `make whole` takes all that is
listed and all the examples that a test names; `make thorough` ten times as many examples.
"""

from __future__ import annotations

import os
from collections.abc import Sequence
from typing import TypeVar

from pennyweight.starters.library import LIBRARY

__all__ = ["SIZES", "THOROUGH", "WHOLE", "cases", "of_each_kind", "some"]

SIZES = ("sample", "whole", "thorough")
_SIZE = SIZES.index(os.environ.get("PENNYWEIGHT_TESTS", "sample"))
WHOLE, THOROUGH = _SIZE >= 1, _SIZE == 2

Item = TypeVar("Item")


def cases(whole: int) -> int:
    """How many examples a generator makes, of which `whole` are all."""
    return (max(whole // 6, min(whole, 4)), whole, 10 * whole)[_SIZE]


def some(items: Sequence[Item], every: int = 6, first: int = 0) -> list[Item]:
    """The items; of a sample every sixth, or as often as is said."""
    return list(items) if WHOLE else list(items)[first::every]


def of_each_kind(names: Sequence[str]) -> list[str]:
    """Starters by their names; of a sample the first of each kind."""
    kinds = {LIBRARY[name].place.partition("/")[0]: name for name in reversed(names)}
    return list(names) if WHOLE else [name for name in names if name in kinds.values()]

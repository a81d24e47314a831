"""The kinds of arrays that everything is worked out on."""

from __future__ import annotations

from typing import TypeAlias

import numpy as np
from numpy.typing import NDArray

__all__ = ["Floats", "Ints"]

Floats: TypeAlias = NDArray[np.float64]
"""Figures; NaN is undefined."""

Ints: TypeAlias = NDArray[np.int64]
"""Whole numbers: places, counts, days."""

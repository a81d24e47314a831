"""Many loans at once, arguments read at the edge."""

from __future__ import annotations

from pennyweight.core.loans import batch
from pennyweight.instruments.arrays.reading import reading

__all__ = ["amortize"]

amortize = reading(batch.amortize, amount="numbers", rate="quoted", payments="numbers")

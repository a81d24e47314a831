"""Cases drawn: what drawing and summing up take beside the evaluation, memory, and two threads beside one."""

from __future__ import annotations

import resource
import time
from collections.abc import Callable
from typing import Any
from unittest.mock import patch

import numpy as np

from benchmarks.measure import Row, best, show
from pennyweight import Deal
from pennyweight.analysis.cases import Model

CASES = 262_144
_MEASURES = ["npv", "irr", "payback"]


def run() -> None:
    """Print what a case of the water-taxi costs, in time of the processor."""
    deal = Deal.starter("taxi")
    inputs = len(deal.simulate(1_024).falling)
    worked_out: dict[int, Any] = {}

    def kept(self: Model, given: Any, wanted: Any, *, cases: int = 1) -> Any:
        if not all(name in worked_out.get(cases, {}) for name in wanted):
            draw = np.random.default_rng(1)
            worked_out[cases] = {name: draw.normal(size=cases) for name in wanted}
        return worked_out[cases]

    with patch.object(Model, "evaluate", kept):
        alone = _spent(lambda: deal.simulate(CASES, show=_MEASURES))
    whole = _spent(lambda: deal.simulate(CASES, show=_MEASURES))
    before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
    found = deal.simulate(1_000_000, show=_MEASURES)
    grown = (resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before) / 1_024
    house = Deal.starter("four-flats")
    wide = best(lambda: house.simulate(8_192), 3)
    with patch("os.cpu_count", lambda: 1):
        narrow = best(lambda: house.simulate(8_192), 3)
    nanoseconds = alone / CASES / inputs * 1e9
    show(
        f"The water-taxi in {CASES:,} drawn cases of {inputs} inputs, {len(_MEASURES)} measures and the verdict",
        [
            Row("ns of the processor a case and input, drawing and summing up", nanoseconds, 60, False),
            Row("MB more for a million cases", grown, 300, False),
            Row("times quicker on two threads than on one, the house over 360 months", narrow / wide, 1.6, True),
        ],
        f"whole: {whole / CASES * 1e6:.1f} µs a case; {found.cases:,} cases at last",
    )


def _spent(call: Callable[[], object]) -> float:
    """Time of the processor."""
    call()
    started = time.process_time()
    call()
    return time.process_time() - started

"""What comes in: a million rows of a CSV against pandas, pandas against arrays, and goals that grow in number."""

from __future__ import annotations

import tempfile
import time
from collections.abc import Callable
from functools import partial
from pathlib import Path

import numpy as np
import pandas as pd

from benchmarks.measure import Row, best, show
from pennyweight import CashFlows, Deal, level_payment, npv

ROWS = 1_000_000


def run() -> None:
    """Print the ratios at the doors."""
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder, "flows.csv")
        days = (np.datetime64("2000-01-01") + np.arange(ROWS) % 9_000).astype(str)
        amounts = np.random.default_rng(1).normal(0, 1_000, ROWS)
        path.write_text(
            "date,amount\n" + "".join(f"{day},{amount:.2f}\n" for day, amount in zip(days, amounts, strict=True))
        )
        ours = best(lambda: CashFlows.from_csv(path), 3)
        theirs = best(lambda: pd.read_csv(path, parse_dates=["date"]), 3)
    rows = [Row("a million dated rows of a CSV, against pandas", ours / theirs, 3, False)]
    for count in (1_000, 10_000):
        table = np.random.default_rng(2).normal(0, 1_000, (count, 31))
        frame, series = pd.DataFrame(table), pd.Series(np.abs(table[:, 0]))
        owed = series.to_numpy()
        level = partial(level_payment, rate_per_period=0.005, periods=360)
        rows += [
            Row(f"npv of {count:,} rows of a frame, against the array",
                _in_turn(partial(npv, frame, 0.05), partial(npv, table, 0.05)), 1.2, False),
            Row(f"level_payment of {count:,} of a Series, against the array",
                _in_turn(partial(level, owed=series), partial(level, owed=owed)), 1.2, False),
        ]  # fmt: skip
    each = {count: _turning(count) / count for count in (300, 1_200)}
    rows.append(Row("a turning point of 1,200 inputs with a goal each, against 300", each[1_200] / each[300], 2, False))
    show("At the doors", rows)


def _in_turn(one: Callable[[], object], other: Callable[[], object]) -> float:
    return best(one, 60) / best(other, 60)


def _turning(count: int) -> float:
    made = Deal.from_dict({
        "deal": "Many",
        "timeline": {"periods": 3},
        "inputs": {f"a{k}": {"value": 100 + k, "unit": "money", "low": 50, "high": 5_000} for k in range(count)},
        "measures": {f"m{k}": f"a{k} * 2 - 150" for k in range(count)},
        "goals": {f"m{k}": {"at_least": 0} for k in range(count)},
    })  # fmt: skip
    start = time.process_time()
    _ = made.weigh().turning_points
    return time.process_time() - start

"""The internal rate of return of every row of a Parquet file: a million projects of eleven flows each, part by part.

python examples/batch_irr.py [ROWS]
"""

from __future__ import annotations

import sys
import tempfile
import time
from pathlib import Path

import numpy as np
import pyarrow as pa
from pyarrow import parquet

from pennyweight import IrrOutcome, irr_outcomes

ROWS = int(sys.argv[1]) if len(sys.argv) > 1 else 1_000_000
NAMES = [f"year_{k}" for k in range(11)]


def make(path: Path) -> None:
    """Made-up projects: a cost, ten years of income, and for some a clean-up at the end."""
    draw = np.random.default_rng(1)
    flows = draw.uniform(50, 300, (ROWS, 11))
    flows[:, 0] = -draw.uniform(500, 1_500, ROWS)
    flows[: ROWS // 50, 10] = -900.0
    parquet.write_table(pa.table({name: flows[:, k] for k, name in enumerate(NAMES)}), path, row_group_size=100_000)


def main() -> None:
    """Rates row group by row group, so that memory does not grow with the file."""
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "projects.parquet"
        make(path)
        begun, counts, rates = time.perf_counter(), dict[str, int](), list[np.ndarray]()
        for batch in parquet.ParquetFile(path).iter_batches(100_000):
            flows = np.column_stack([batch.column(name).to_numpy() for name in NAMES])
            found, outcomes = irr_outcomes(flows)
            rates.append(found)
            for code, count in zip(*np.unique(outcomes, return_counts=True), strict=True):
                reason = IrrOutcome(int(code)).name
                counts[reason] = counts.get(reason, 0) + int(count)
        every = np.concatenate(rates)
        print(f"{ROWS:,} rows in {time.perf_counter() - begun:.1f} s")
        print(f"middle rate {np.nanmedian(every):.2%}, outcomes {counts}")


if __name__ == "__main__":
    main()

"""A book of loans from Parquet: what it pays and owes by month and branch, and how much of it is due within a year."""

from __future__ import annotations

import tempfile
from pathlib import Path

import numpy as np
import pandas as pd

from pennyweight import loan_sums


def made_up(count: int) -> pd.DataFrame:
    """Loans of the Larkmere savings bank."""
    draw = np.random.default_rng(7)
    return pd.DataFrame(
        {
            "amount": draw.integers(5_000, 400_000, count).astype(float),
            "rate": draw.integers(300, 700, count) / 1e4,
            "months": draw.choice([60, 120, 240, 360], count),
            "start": pd.Timestamp("2026-11-30") + pd.to_timedelta(draw.integers(0, 365, count), unit="D"),
            "interest_only": draw.choice([0, 0, 0, 24], count),
            "branch": draw.choice(["Quay", "Hill", "Mill"], count),
        }
    )


def main() -> None:
    """Write the book, sum it up, and look at it with pandas."""
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "loans.parquet"
        made_up(20_000).to_parquet(path, row_group_size=5_000)
        book = loan_sums(path, grouped="branch", currency="EUR")
    frame = book.frame
    print(f"{book.loans:,} loans; {book.sampled} kept in exact books beside, all the same")
    print(frame.groupby("branch")[["paid_out", "interest"]].sum().round(2).to_string())
    next_year = frame[frame["month"].str.startswith("2028")]
    print(f"Paid back in 2028: EUR {next_year['principal'].sum():,.2f}")


if __name__ == "__main__":
    main()

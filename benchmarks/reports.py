"""Pictures and reports of the four-flat house, in fresh processes, beside what Matplotlib needs to start."""

from __future__ import annotations

import subprocess
import sys
import tempfile
from importlib.resources import files
from pathlib import Path

from benchmarks.measure import Row, best, show

_START = """
from matplotlib.figure import Figure
made = Figure(figsize=(10, 6.25), dpi=128)
made.subplots().plot([1, 2], [3, 4])
made.savefig({target!r})
"""


def run() -> None:
    """Print the ratios of a picture and of each form of a report."""
    house = str(files("pennyweight.starters") / "house/four-flats-house.toml")
    with tempfile.TemporaryDirectory() as folder:

        def python(*arguments: str) -> None:
            subprocess.run([sys.executable, *arguments], check=True, capture_output=True)

        def weigh(*endings: str) -> float:
            outputs = [part for ending in endings for part in ("--output", str(Path(folder, f"out{ending}")))]
            return best(lambda: python("-m", "pennyweight", "weigh", house, *outputs), 3)

        start = best(lambda: python("-c", _START.format(target=str(Path(folder, "start.png")))), 3)
        plain = weigh()
        rows = [Row("a picture more, in Matplotlib's own start", (weigh(".png") - plain) / start, 2, False)]
        rows += [
            Row(f"a report {ending} more, in weighing alone", (weigh(ending) - plain) / plain, 2, False)
            for ending in (".html", ".pdf", ".xlsx")
        ]
        show("Pictures and reports of the house", rows, f"start {start:.2f} s; weighing alone {plain:.2f} s")

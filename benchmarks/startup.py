"""What it costs to begin: importing the library, and asking the command line for help."""

from __future__ import annotations

import statistics
import subprocess
import sys
import time
from pathlib import Path

from benchmarks.measure import Row, show

TURNS = 15


def run() -> None:
    """Print the ratios of starting up, as whole processes in turn."""
    python = sys.executable
    script = str(Path(python).parent / "pennyweight")
    ours, numpy = in_turn([python, "-c", "import pennyweight; pennyweight.npv"], [python, "-c", "import numpy"])
    helped, click = in_turn([script, "--help"], [python, "-c", "import click"])
    show(
        f"Starting ({ours * 1e3:.0f} ms to a first function, {helped * 1e3:.0f} ms to the help)",
        [
            Row("import pennyweight and its npv, against import numpy", ours / numpy, 1.3, False),
            Row("pennyweight --help, against python -c 'import click'", helped / click, 3, False),
        ],
    )


def in_turn(a: list[str], b: list[str]) -> tuple[float, float]:
    """Median seconds of two commands run in turn."""
    seconds: tuple[list[float], list[float]] = ([], [])
    for turn in range(TURNS + 1):
        for command, row in zip((a, b), seconds, strict=True):
            start = time.perf_counter()
            subprocess.run(command, stdout=subprocess.DEVNULL, check=True)
            if turn:
                row.append(time.perf_counter() - start)
    return statistics.median(seconds[0]), statistics.median(seconds[1])

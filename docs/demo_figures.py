"""Every figure of the demo as JSON, and what differs from an earlier run.

    python docs/demo_figures.py > before.json
    python docs/demo_figures.py --against before.json

Run it before and after a change that should move no figure. A figure differs when it moved by more than 1e-11 of
itself.
"""

from __future__ import annotations

import argparse
import contextlib
import io
import json
import sys
from collections.abc import Iterator
from importlib.resources import files
from pathlib import Path
from typing import Any

from pennyweight.cli.main import status

STARTERS = Path(str(files("pennyweight") / "starters"))


def commands() -> list[list[str]]:
    """The demo's commands, and each deal in each scenario."""
    taxi, first, flat = (
        str(STARTERS / name) for name in ("taxi/taxi.toml", "first/first.toml", "loans/four-flats.toml")
    )
    endowment = STARTERS / "endowment"
    scenarios = ("base", "dear_hull", "wet_summers", "wet_and_dear", "more_quays", "bank_loan")
    return [
        *(["weigh", taxi, "--scenario", name] for name in scenarios),
        ["weigh", first],
        ["compare", taxi],
        ["vary", taxi, "hull=380k..500k/7", "hurdle=6%..14%:2%"],
        ["vary", taxi, "trips=80%..120%/5"],
        ["find", taxi, "hull", "npv == 0", "--scenario", "all"],
        ["find", taxi, "swap_year", "npv >= 0", "--scenario", "all"],
        ["flows", str(STARTERS / "flows" / "boatyard.csv"), "--rate", "7%", "--account-at", "3%"],
        ["returns", str(endowment / "statements.csv"), "--benchmark", str(endowment / "index.csv")],
        ["grow", "--opening", "6k", "--deposit", "350", "--per-year", "month", "--rate", "3.5%", "--closing", "41k"],
        ["withdraw", "--withdrawal", "24k", "--growth", "2%", "--rate", "4%", "--years", "25", "--find", "pot"],
        ["repay", "--owed", "86k", "--rate", "4.2%", "--years", "15"],
        ["loan", str(STARTERS / "loans" / "studio.toml")],
        ["loan", str(STARTERS / "loans" / "four-flats-takeover.toml")],
        ["loan", flat],
        ["rates", "6%", "--compounding", "half-yearly", "--inflation", "2%"],
        ["bond", "--coupon", "4%", "--maturity", "2031-06-15", "--settlement", "2026-11-23", "--price", "97.25"],
        ["bond", "--coupon", "0%", "--maturity", "2027-08-31", "--settlement", "2026-11-23", "--price", "97.25"],
    ]


def told() -> dict[str, Any]:
    """The JSON of each command, by the command."""
    found = {}
    for command in commands():
        out = io.StringIO()
        with contextlib.redirect_stdout(out):
            code = status([*command, "--format", "json"])
        name = " ".join(part.removeprefix(str(STARTERS)) for part in command)
        found[name] = json.loads(out.getvalue()) if out.getvalue() else {"status": code}
    return found


def leaves(value: Any, path: str = "") -> Iterator[tuple[str, Any]]:
    """Every plain value with the path to it."""
    if isinstance(value, dict):
        for key, one in value.items():
            yield from leaves(one, f"{path}.{key}")
    elif isinstance(value, list):
        for place, one in enumerate(value):
            yield from leaves(one, f"{path}[{place}]")
    else:
        yield path, value


def differs(old: Any, new: Any) -> bool:
    """Whether a value is another one."""
    if isinstance(old, float | int) and isinstance(new, float | int):
        return abs(old - new) > 1e-11 * max(abs(old), abs(new))
    return bool(old != new)


def main() -> None:
    """Print the figures, or what differs from those of a file."""
    parser = argparse.ArgumentParser(description="The figures of the demo.")
    parser.add_argument("--against", type=Path, help="a file of an earlier run")
    asked = parser.parse_args()
    now = told()
    if asked.against is None:
        json.dump(now, sys.stdout, indent=1, ensure_ascii=False)
        return
    old, new = dict(leaves(json.loads(asked.against.read_text(encoding="utf-8")))), dict(leaves(now))
    moved = [path for path in old if path in new and differs(old[path], new[path])]
    print(f"{len(old):,} values before, {len(new):,} now, {len(moved)} differ, {len(old.keys() - new.keys())} gone")
    for path in [*moved, *sorted(old.keys() - new.keys())][:60]:
        print(f"{path}: {old[path]} -> {new.get(path, 'gone')}")
    fresh = sorted({path.rsplit("]", 1)[-1].rsplit(".", 1)[-1] for path in new.keys() - old.keys()})
    print(f"new keys: {', '.join(fresh) or 'none'}")


if __name__ == "__main__":
    main()

"""A report for a bank: the deal as it stands and in its worst case, page one first, in three forms."""

from __future__ import annotations

import tempfile
from pathlib import Path

from pennyweight import Deal


def main() -> None:
    """Weigh the house, and write what a bank asks for."""
    deal = Deal.starter("four-flats")
    weighing = deal.weigh()
    print(f"{weighing.title}: {weighing.verdict}")
    for name, goal in weighing.goals.items():
        print(f"  {name}: {goal.state}, {goal.slack:+,.4f} to spare")
    with tempfile.TemporaryDirectory() as folder:
        for ending in ("pdf", "html", "xlsx"):
            path = Path(folder) / f"house.{ending}"
            weighing.write(path, prepared_by="J. Alder, Larkmere", dated="2026-11-30")
            print(f"  {path.name}: {path.stat().st_size // 1024:,} KB")
    dearer = deal.weigh(inputs={"price": "scale 1.1"})
    print(f"At a price one tenth higher it {dearer.verdict}.")


if __name__ == "__main__":
    main()

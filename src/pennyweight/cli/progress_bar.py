"""A bar on standard error for what takes more than two seconds, when that is a terminal."""

from __future__ import annotations

import sys
import time
from collections.abc import Iterator
from contextlib import contextmanager
from typing import Any

import click

from pennyweight.progress import listening

__all__ = ["shown_progress"]

_PATIENCE = 2.0
"""Seconds before a bar is worth its lines."""


@contextmanager
def shown_progress(*, patience: float = _PATIENCE) -> Iterator[None]:
    """Show how far the work inside has come; interrupted, say how far it was."""
    if not sys.stderr.isatty():
        yield
        return
    bar = _Bar(patience)
    try:
        with listening(bar.told):
            yield
    except KeyboardInterrupt:
        bar.end()
        if bar.last:
            click.echo(bar.last, err=True)
        raise
    finally:
        bar.end()


class _Bar:
    def __init__(self, patience: float) -> None:
        self.begun, self.patience = time.monotonic(), patience
        self.shown: Any = None
        self.tasks: dict[str, Any] = {}
        self.last = ""

    def told(self, what: str, done: float, total: float | None) -> None:
        """Hear how far a work has come, and show it once it takes long."""
        of = f" of {total:,.0f}" if total is not None else ""
        self.last = f"Stopped after {done:,.0f}{of} {what}; nothing was written."
        if self.shown is None:
            if time.monotonic() - self.begun < self.patience:
                return
            self.shown = _started()
        said = f"{done:,.0f}{of} {what}"
        if what not in self.tasks:
            self.tasks[what] = self.shown.add_task(said, total=total)
        self.shown.update(self.tasks[what], description=said, completed=done, total=total)

    def end(self) -> None:
        """Take the bar away."""
        if self.shown is not None:
            self.shown.stop()
            self.shown = None


def _started() -> Any:
    from rich.console import Console
    from rich.progress import BarColumn, Progress, TextColumn, TimeElapsedColumn, TimeRemainingColumn

    columns = (
        TextColumn("{task.description}"),
        BarColumn(),
        TimeElapsedColumn(),
        TextColumn("gone,"),
        TimeRemainingColumn(),
        TextColumn("to go"),
    )
    shown = Progress(*columns, console=Console(stderr=True), transient=True)
    shown.start()
    return shown

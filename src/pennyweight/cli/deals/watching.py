"""`pennyweight weigh DEAL --watch`: weigh again whenever the deal or a file it reads is saved."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from pathlib import Path
from typing import TYPE_CHECKING

import click

from pennyweight.documents import Document
from pennyweight.errors import PennyweightError
from pennyweight.pages.comparing.watch_changes import marked, what_changed
from pennyweight.plain_text import visible
from pennyweight.reading.text_files import files_read

if TYPE_CHECKING:
    from pennyweight.analysis.weighing.weighing import Weighing

__all__ = ["saved", "watch"]

Saves = Callable[[set[Path]], Iterable[object]]


def watch(deal: Path, weigh: Callable[[], Weighing], page: Callable[[Weighing], Document], saves: Saves) -> None:
    """Weigh and show again after every save, until it is interrupted; a mistake is told and the last page stays.

    `saves` gives something whenever one of the files is saved.
    """
    last: Weighing | None = None
    shown: Document | None = None
    known: set[Path] = {deal.resolve()}
    try:
        while True:
            told = ""
            with files_read() as read:
                try:
                    now = weigh()
                    shown = page(now)
                    if last is not None:
                        told = what_changed(last, now)
                        shown = marked(shown, last, now)
                    last = now
                except PennyweightError as error:
                    told = f"Not weighed: {visible(str(error))} The page above is of the last good file."
                    told = told if shown is not None else f"Not weighed: {visible(str(error))}"
            known |= set(read)
            _redraw(shown, told, deal)
            if next(iter(saves(known)), None) is None:
                return
    except KeyboardInterrupt:
        click.echo("Stopped.")


def saved(files: set[Path]) -> Iterator[object]:
    """Each time one of the files is saved; editors replace files, so their folders are watched."""
    from watchfiles import watch as changes

    folders = {path.parent for path in files}
    return iter(changes(*folders, watch_filter=lambda _, path: Path(path).resolve() in files, recursive=False))


def _redraw(shown: Document | None, told: str, deal: Path) -> None:
    from pennyweight.report.terminal import print_document

    click.clear()
    if shown is not None:
        print_document(shown)
    if told:
        click.secho(f"\n{told}", bold=True)
    click.echo(f"Watching {visible(str(deal))}; Ctrl-C ends it.")

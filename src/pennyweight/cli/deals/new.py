"""`pennyweight new`"""

from __future__ import annotations

from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

import click

from pennyweight.errors import InputError, Place
from pennyweight.starters.library import LIBRARY

if TYPE_CHECKING:
    from pennyweight.documents import Document

__all__ = ["command", "copy_starter", "listing"]


@click.command("new")
@click.argument("file", type=click.Path(path_type=Path), required=False)
@click.option(
    "--starter",
    type=click.Choice(list(LIBRARY)),
    default="first",
    show_default=True,
    help="Choose the deal or loan to start from.",
)
@click.option("--name", "title", metavar="TEXT", help="Name the deal; without it, it is called as the file is.")
@click.option("--list", "listing", is_flag=True, help="List the starters by what they answer.")
def command(file: Path | None, starter: str, title: str | None, listing: bool) -> None:
    """Write a deal or loan file with comments, ready to be changed. It never overwrites a file.

    Example: pennyweight new kiln.toml --name "A kiln for the studio"
    """
    if file is None or listing:
        context = click.get_current_context()
        given = context.get_parameter_source("starter") is not click.core.ParameterSource.DEFAULT
        if given or title is not None or (file is not None and listing):
            option = "--starter" if given else "--name" if title is not None else "--list"
            raise InputError(
                f"{option} and no file: write pennyweight new FILE.toml."
                if not listing
                else f"--list shows all starters; leave out {option if option != '--list' else file}.",
                at=Place.of_option(option),
            )
        _list_starters()
        return
    if file.suffix != ".toml":
        raise InputError(f"{file}: a deal or loan file ends in .toml.", at=Place.of_file(file))
    for path in copy_starter(starter, file, title or file.stem.replace("_", " ").replace("-", " ").capitalize()):
        click.echo(f"Written: {path}")
    called = _named(file)
    click.echo(
        f"See it with: pennyweight loan {called}"
        if LIBRARY[starter].is_loan
        else f"Weigh it with: pennyweight weigh {called}"
    )


def _list_starters() -> None:
    from pennyweight.report.terminal import print_document

    print_document(listing())


def listing() -> Document:
    """The starters, by what they answer."""
    from pennyweight.documents import Cell, Column, Document, Table

    rows = tuple((Cell(name, "question"), Cell(starter.answers)) for name, starter in LIBRARY.items())
    columns = (Column("Starter", words=True), Column("What it answers", words=True))
    note = "Write one as a file of your own with: pennyweight new FILE.toml --starter NAME"
    return Document("Deals and loans to start from", (Table("", columns, rows, note),))


def copy_starter(starter: str, file: Path, title: str | None = None) -> list[Path]:
    """Write a starter's deal as `file` and its data beside it; all or nothing."""
    import tomlkit

    from pennyweight.report.files import replace_with

    chosen = LIBRARY[starter]
    text = chosen.text()
    if title is not None:
        document = tomlkit.parse(text)
        document["loan" if "loan" in document else "deal"] = title
        text = tomlkit.dumps(document)
    schema = f"{'loan' if chosen.is_loan else 'deal'}.schema.json"
    text = text.replace(f"#:schema ../schemas/{schema}", f"#:schema {schema}", 1).replace("THIS_FILE", _named(file))
    contents = {file: text}
    contents.update({file.parent / name: chosen.beside(name) for name in chosen.data})
    beside = file.parent / schema
    if not beside.exists():  # it is the same for every file; one that is there is left as it is
        contents[beside] = LIBRARY["first"].beside(f"../schemas/{schema}")
    if not file.parent.is_dir():
        raise InputError(f"{file}: there is no folder {file.parent}.", at=Place.of_file(file))
    for path in contents:
        if path.exists():
            raise InputError(f"{path} is there already; choose another name or folder.", at=Place.of_file(path))
    for path, content in contents.items():
        try:
            replace_with(path, partial(_fill, content))
        except InputError:
            for written in contents:  # none of them was there before
                written.unlink(missing_ok=True)
            raise
    return list(contents)


def _fill(content: str, target: Path) -> None:
    target.write_text(content, encoding="utf-8")


def _named(file: Path) -> str:
    """A file as it is typed in a command."""
    return f'"{file}"' if " " in str(file) else str(file)

"""`pennyweight new`"""

from __future__ import annotations

from importlib.resources import files
from pathlib import Path

import click

from pennyweight.errors import InputError, Place

__all__ = ["STARTERS", "command", "copy_starter"]

STARTERS = {
    "first": ("first/first.toml", ()),
    "taxi": ("taxi/taxi.toml", ("ridership.csv",)),
    "four-flats": ("house/four-flats-house.toml", ()),
    "loan": ("loans/studio.toml", ("studio-events.csv",)),
    "takeover": ("loans/four-flats-takeover.toml", ()),
    "layers": ("loans/four-flats.toml", ()),
}
"""Each starter's deal or loan file, and the data files that go beside it."""


@click.command("new")
@click.argument("file", type=click.Path(path_type=Path))
@click.option(
    "--starter",
    type=click.Choice(list(STARTERS)),
    default="first",
    show_default=True,
    help="Choose the deal or loan to start from.",
)
@click.option("--title", metavar="TEXT", help="Set the title; without it, the name of the file is the title.")
def command(file: Path, starter: str, title: str | None) -> None:
    """Write a deal or loan file with comments, ready to be changed. It never overwrites a file.

    Example: pennyweight new kiln.toml --title "A kiln for the studio"
    """
    if file.suffix != ".toml":
        raise InputError(f"{file}: a deal or loan file ends in .toml.", at=Place.of_file(file))
    for path in copy_starter(starter, file, title or file.stem.replace("_", " ").replace("-", " ").capitalize()):
        click.echo(f"Written: {path}")
    is_loan = STARTERS[starter][0].startswith("loans/")
    click.echo(f"See it with: pennyweight loan {file}" if is_loan else f"Weigh it with: pennyweight weigh {file}")


def copy_starter(starter: str, file: Path, title: str | None = None) -> list[Path]:
    """Write a starter's deal as `file` and its data beside it; all or nothing."""
    import tomlkit

    inside, data = STARTERS[starter]
    place, _, main = inside.partition("/")
    folder = files("pennyweight") / "starters" / place
    text = (folder / main).read_text(encoding="utf-8")
    if title is not None:
        document = tomlkit.parse(text)
        document["loan" if "loan" in document else "deal"] = title
        text = tomlkit.dumps(document)
    kind = "loan" if inside.startswith("loans/") else "deal"
    schema = f"{kind}.schema.json"
    text = text.replace(f"#:schema ../schemas/{schema}", f"#:schema {schema}", 1)
    contents = {file: text}
    contents.update({file.parent / name: (folder / name).read_text(encoding="utf-8") for name in data})
    beside = file.parent / schema
    if not beside.exists():  # it is the same for every file; one that is there is left as it is
        contents[beside] = (files("pennyweight") / "starters" / "schemas" / schema).read_text(encoding="utf-8")
    if not file.parent.is_dir():
        raise InputError(f"{file}: there is no folder {file.parent}.", at=Place.of_file(file))
    for path in contents:
        if path.exists():
            raise InputError(f"{path} is there already; choose another name or folder.", at=Place.of_file(path))
    for path, content in contents.items():
        try:
            path.write_text(content, encoding="utf-8")
        except OSError as error:
            for written in contents:  # none of them was there before
                written.unlink(missing_ok=True)
            raise InputError(f"{path} cannot be written: {error.strerror}.", at=Place.of_file(path)) from None
    return list(contents)

"""What the commands share: options for input and output, and how a result is delivered."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from pathlib import Path
from typing import Any, TypeVar

import click

from pennyweight.documents import Document
from pennyweight.errors import InputError
from pennyweight.report.files import ENDINGS, Result, as_csv, as_json, check_drawable, check_ending, write

__all__ = ["deal_argument", "deliver", "output_options", "overrides", "read_overrides", "scenario_option"]

Command = TypeVar("Command", bound=Callable[..., Any])

deal_argument = click.argument("deal", type=click.Path(path_type=Path))

scenario_option = click.option(
    "--scenario",
    default="base",
    show_default=True,
    metavar="NAME",
    help="The scenario; 'base' is the deal as it stands.",
)

overrides = click.option(
    "--with",
    "replaced",
    multiple=True,
    metavar="INPUT=VALUE",
    help="Put a value in place of an input (430k, 9%, or 'scale 0.85', 'shift 500'); repeatable.",
)


def output_options(command: Command) -> Command:
    """Add --format and --output to a command."""
    endings = " ".join(ENDINGS)
    command = click.option(
        "--output",
        "outputs",
        multiple=True,
        type=click.Path(path_type=Path),
        metavar="FILE",
        help=f"Also write a file; its ending picks the form ({endings}); repeatable.",
    )(command)
    return click.option(
        "--format",
        "form",
        type=click.Choice(["table", "csv", "json"]),
        default="table",
        show_default=True,
        help="The form on standard output.",
    )(command)


def read_overrides(pairs: Iterable[str]) -> dict[str, object]:
    """INPUT=VALUE texts as a mapping."""
    found: dict[str, object] = {}
    for pair in pairs:
        name, equals, value = pair.partition("=")
        if not equals or not name.strip() or not value.strip():
            raise InputError(f"--with {pair}: write INPUT=VALUE, such as hull=430k.")
        if name.strip() in found:
            raise InputError(f"--with gives {name.strip()} twice.")
        found[name.strip()] = value.strip()
    return found


def deliver(
    compute: Callable[[], Result],
    form: str,
    outputs: Iterable[Path],
    *,
    page: Callable[[Any], Document] | None = None,
) -> Any:
    """Work out a result, write its files, and print it. Nothing is written before everything is worked out."""
    paths = list(outputs)
    for path in paths:
        check_ending(path)
    result = compute()
    document = page(result) if page is not None else result.document()
    for path in paths:  # all are sound before the first is written
        check_drawable(path, document)
    for path in paths:
        write(result, path, document=document)
    if form == "json":
        click.echo(as_json(result), nl=False)
    elif form == "csv":
        click.echo(as_csv(result), nl=False)
    else:
        from pennyweight.report.terminal import print_document

        print_document(document)
    for path in paths:
        click.echo(f"Written: {path}", err=True)
    return result

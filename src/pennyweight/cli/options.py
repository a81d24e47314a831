"""What the commands share: options for input and output, and how a result is delivered."""

from __future__ import annotations

import datetime as dt
import sys
from collections.abc import Callable, Collection, Iterable
from pathlib import Path
from typing import TYPE_CHECKING, Any, TypeVar

import click
from click.core import ParameterSource

from pennyweight.cli.completing import inputs_to_set, scenarios
from pennyweight.cli.progress_bar import shown_progress
from pennyweight.documents import Document
from pennyweight.errors import InputError, PennyweightError, Place, nearest
from pennyweight.plain_text import listed, visible
from pennyweight.quantities.dates import read_date
from pennyweight.quantities.lists import split_list
from pennyweight.reading.day_columns import ORDERS
from pennyweight.reading.embedded_files import MADE_WITH, REPORT_ENDINGS, Carried, MadeWith, to_carry
from pennyweight.reading.text_files import FilesRead, files_read, note_form
from pennyweight.report.cover import Cover, read_logo
from pennyweight.report.files import check_drawable, check_ending, check_target, write
from pennyweight.report.forms.csv_form import as_csv
from pennyweight.report.forms.form import Written
from pennyweight.report.forms.registry import FORMS, STREAMS

if TYPE_CHECKING:
    from pennyweight.analysis.deal import Deal

__all__ = [
    "as_made",
    "deal_argument",
    "deliver",
    "each_name_once",
    "on_option",
    "output_options",
    "overrides",
    "read_overrides",
    "read_pairs",
    "scenario_option",
    "table_options",
    "tell_made",
]

_FORCE = "pennyweight.force"
_COVER = "pennyweight.cover"
_MADE = "pennyweight.made"
_PLAIN_FORMS = (".json", ".csv")
"""Forms that show nothing of a page, so that none need be made for them."""

Command = TypeVar("Command", bound=Callable[..., Any])
Worked = TypeVar("Worked")

deal_argument = click.argument("deal", type=click.Path(path_type=Path))

scenario_option = click.option(
    "--scenario",
    default="base",
    show_default=True,
    metavar="NAME",
    shell_complete=scenarios,
    help="Use this scenario; 'base' is the deal as it stands.",
)

on_option = click.option("--on", metavar="ADDRESS", help="Have a Dask cluster do the work: tcp://HOST:PORT.")

overrides = click.option(
    "--with",
    "replaced",
    multiple=True,
    metavar="INPUT=VALUE",
    shell_complete=inputs_to_set,
    help="Replace the value of an input: 430k, 9%, 'scale 0.85' or 'shift 500'. Repeatable.",
)


def table_options(*columns: str, sheet: bool = True) -> Callable[[Command], Command]:
    """Add --column, --decimal, --dates and --sheet to a command that reads tables with these columns."""

    def add(command: Command) -> Command:
        if sheet:
            command = click.option(
                "--sheet", metavar="NAME", help="Read this sheet of a workbook (.xlsx); without it, the first."
            )(command)
        command = click.option(
            "--decimal", type=click.Choice([".", ","]), help="Set the decimal mark, when the amounts do not tell."
        )(command)
        command = click.option(
            "--dates", "order", type=click.Choice(ORDERS), help="Set which comes first, when the dates do not tell."
        )(command)
        return click.option(
            "--column",
            "columns",
            multiple=True,
            metavar="NAME=HEADER",
            help=f"Say how the file calls the column {', '.join(columns[:-1])} or {columns[-1]}. Repeatable.",
        )(command)

    return add


def read_pairs(texts: Iterable[str], known: Collection[str], option: str, *, turned: bool = False) -> dict[str, str]:
    """NAME=WORD texts as a mapping, with names that are known, each once.

    With `turned` it is by word: a name may have several, and a word has one name.
    """
    found: dict[str, str] = {}
    place = Place.of_option(option)
    for text in texts:
        name, equals, value = (part.strip() for part in text.partition("="))
        if not equals or name not in known or not value:
            raise InputError(
                f"{option} {text}: write NAME=WORD, with NAME one of {', '.join(known)}{nearest(name, known) or '.'}",
                at=place,
            )
        key, meant = (value, name) if turned else (name, value)
        if key in found:
            again = f"'{found[key]}' and '{meant}'" if found[key] != meant else f"'{meant}' twice"
            raise InputError(f"{option} gives {key} as {again}; give it once.", at=place)
        found[key] = meant
    return found


def each_name_once(names: Iterable[str], option: str) -> tuple[str, ...]:
    """Names that were given by an option, each once."""
    found = tuple(names)
    for name in found:
        if found.count(name) > 1:
            raise InputError(f"{option} gives {name} twice; give it once.", at=Place.of_option(option))
    return found


def names_of(texts: Iterable[str], option: str) -> list[str]:
    """Names that were given by an option, one by one or several with commas between; each once."""
    return list(
        each_name_once((name for text in texts for name in split_list(text, what=Place.of_option(option))), option)
    )


def output_options(command: Command) -> Command:
    """Add --format, --output and --force to a command."""
    endings = " ".join(FORMS)
    command = click.option(
        "--force",
        is_flag=True,
        expose_value=False,
        callback=lambda ctx, _, value: ctx.meta.__setitem__(_FORCE, value),
        help="Allow --output to replace a file that Pennyweight did not write.",
    )(command)
    command = click.option(
        "--output",
        "outputs",
        multiple=True,
        type=click.Path(path_type=Path),
        metavar="FILE",
        help=f"Write the result to a file too; the extension sets the format ({endings}). Repeatable.",
    )(command)
    for name, metavar, said in (
        ("title", "TEXT", "Set the title of a report (.html, .pdf, .xlsx)."),
        ("prepared_by", "NAME", "Say on a report who has prepared it."),
        ("logo", "FILE", "Put a picture (PNG or JPEG) on page one of a report."),
        ("dated", "DAY", "Say on a report when it was made: a day, 'none', or, without this, today."),
        ("without", "source", "Leave the files it was made of off the pages of a report; they go along all the same."),
    ):
        command = click.option(
            f"--{name.replace('_', '-')}", name, metavar=metavar, help=said, expose_value=False, callback=_to_cover
        )(command)
    return click.option(
        "--format",
        "form",
        type=click.Choice(["table", *STREAMS]),
        default="table",
        show_default=True,
        help="Choose the format of the standard output.",
    )(command)


def _to_cover(ctx: click.Context, param: click.Parameter, value: str | None) -> None:
    if value is not None:
        ctx.meta.setdefault(_COVER, {})[param.name] = value


def read_overrides(pairs: Iterable[str]) -> dict[str, object]:
    """INPUT=VALUE texts as a mapping."""
    found: dict[str, object] = {}
    for pair in pairs:
        name, equals, value = pair.partition("=")
        if not equals or not name.strip() or not value.strip():
            raise InputError(f"--with {pair}: write INPUT=VALUE, such as hull=430k.", at=Place.of_option("--with"))
        if name.strip() in found:
            raise InputError(f"--with gives {name.strip()} twice.", at=Place.of_option("--with"))
        found[name.strip()] = value.strip()
    return found


def deliver(
    compute: Callable[[], Any],
    form: str,
    outputs: Iterable[Path],
    *,
    page: Callable[[Any], Document] | None = None,
    table: Callable[[Any], str] = as_csv,
) -> Any:
    """Work out a result, write its files, and print it. Nothing is written before everything is worked out."""
    paths = list(outputs)
    force = bool(click.get_current_context().meta.get(_FORCE))
    for path in paths:
        check_ending(path)
    _refuse_idle(paths)
    _check_cover()
    if len({path.resolve() for path in paths}) < len(paths):
        raise InputError(
            "--output names one file twice; give each form a file of its own.", at=Place.of_option("--output")
        )
    drawn = form not in STREAMS or any(path.suffix.lower() not in _PLAIN_FORMS for path in paths)

    def work() -> tuple[Any, Document, str, bytes]:
        result = compute()
        document = (result.document() if page is None else page(result)) if drawn else Document("", ())
        rows = table(result) if form == "csv" or any(path.suffix.lower() == ".csv" for path in paths) else ""
        streamed = STREAMS[form].render(Written(result, document, rows)) if form in STREAMS else b""
        return result, document, rows, streamed

    with files_read() as read, shown_progress():
        result, document, rows, streamed = _told_by_option(work)
    cover = _cover(read, reports=any(path.suffix.lower() in REPORT_ENDINGS for path in paths))
    for path in paths:  # all are sound before the first is written
        check_drawable(path, document)
        check_target(path, read=read, force=force, header=rows.split("\n", 1)[0])
    written: list[str] = []
    for path in paths:
        try:
            write(result, path, document=document, table=rows, cover=cover)
        except InputError as error:
            before = f" Written before it: {', '.join(written)}." if written else ""
            raise InputError(f"{error}{before}", at=error.place or "") from None
        written.append(str(path))
    if form in STREAMS:
        plain = (getattr(sys.stdout, "encoding", None) or "").lower().replace("-", "") == "utf8"
        click.echo(streamed if plain else streamed.decode(), nl=False)
    else:
        from pennyweight.report.terminal import print_document

        print_document(document)
    for remark in read.remarks:
        click.echo(visible(remark), err=True)
    for path in paths:
        click.echo(f"Written: {visible(str(path))}", err=True)
    return result


def _refuse_idle(paths: list[Path]) -> None:
    """Refuse options of outputs that there are none of."""
    given = click.get_current_context().meta
    reports = listed(REPORT_ENDINGS, "or")
    if given.get(_COVER) and not any(path.suffix.lower() in REPORT_ENDINGS for path in paths):
        option = f"--{next(iter(given[_COVER])).replace('_', '-')}"
        raise InputError(f"{option} is for reports; say --output FILE with {reports}, too.", at=Place.of_option(option))
    if given.get(_FORCE) and not paths:
        raise InputError("--force is for --output, which is not there; leave it out.", at=Place.of_option("--force"))


def _check_cover() -> None:
    """Refuse words of a report that say nothing, before anything is worked out."""
    given = click.get_current_context().meta.get(_COVER, {})
    if given.get("without", "source") != "source":
        raise InputError(
            f"--without {given['without']}: a report can be made without its source; write --without source.",
            at=Place.of_option("--without"),
        )
    _day_made(given.get("dated", "none"))


def _cover(read: FilesRead, *, reports: bool) -> Cover:
    """What the options say of page one, and the files that were read, to go along: a deal or loan file first."""
    given = click.get_current_context().meta.get(_COVER, {})
    logo = read_logo(Path(given["logo"])) if given.get("logo") else b""
    if given.get("logo"):
        read.setdefault(Path(given["logo"]).resolve(), "")  # so that it is not written over
    carried = to_carry(read) if reports else Carried()
    again = _again() if carried.files else ""
    if (made := _made_with()) is not None and carried.main.endswith(".toml"):
        carried = Carried({**carried.files, MADE_WITH: made.as_text()})
    return Cover(
        given.get("title", ""),
        given.get("prepared_by", ""),
        logo,
        again,
        carried,
        _day_made(given.get("dated", "today")),
        source_shown="without" not in given,
    )


def _day_made(written: str) -> dt.date | None:
    if written in ("none", "today"):
        return None if written == "none" else dt.date.today()
    return dt.date.fromisoformat(str(read_date(written, what=Place.of_option("--dated"))))


def _made_with() -> MadeWith | None:
    """The scenario and the values with which this command works; None of a deal as it stands."""
    context = click.get_current_context()
    if isinstance(made := context.meta.get(_MADE), MadeWith):
        return made
    params = context.params
    scenario, pairs = params.get("scenario", "base"), params.get("replaced", ())
    if not isinstance(scenario, str) or scenario == "all" or (scenario == "base" and not pairs):
        return None
    inputs = {name.strip(): value.strip() for name, _, value in (pair.partition("=") for pair in pairs)}
    return MadeWith(scenario, inputs)


def as_made(deal: Deal, scenario: str, replaced: Iterable[str]) -> tuple[str, dict[str, object] | None]:
    """The scenario and the inputs to work with: as said, or, of a report, as it was made; told either way."""
    inputs, made = read_overrides(replaced), deal.made_with
    if made is None:
        return scenario, inputs
    said = click.get_current_context().get_parameter_source("scenario") is ParameterSource.COMMANDLINE
    if said or inputs:
        note_form(f"The report was made with {made.told}; here the deal is weighed otherwise, as it is asked.")
        return scenario, inputs
    note_form(f"As the report was made: {made.told}. The deal as it stands: --scenario base.")
    click.get_current_context().meta[_MADE] = made
    return made.scenario, dict(made.inputs)


def tell_made(deal: Deal) -> None:
    """Say of a report that was made otherwise that the deal as it stands is looked at."""
    if deal.made_with is not None:
        note_form(f"The report was made with {deal.made_with.told}; here the deal as it stands is looked at.")


def _again() -> str:
    """How the same is made of the report, when it was asked for with more than its file."""
    context = click.get_current_context()
    words = [context.command.name or ""]
    if context.params.get("scenario", "base") != "base":
        words.append(f"--scenario {context.params['scenario']}")
    words += [f"--with {pair}" for pair in context.params.get("replaced", ())]
    said = "Every command that takes a deal or loan file takes this report instead."
    return f"{said} The figures here are those of: {' '.join(words)}." if len(words) > 1 else said


def _told_by_option(compute: Callable[[], Worked]) -> Worked:
    """Compute; an error about a parameter that was given by an option names the option."""
    try:
        return compute()
    except PennyweightError as error:
        context = click.get_current_context()
        place = error.place
        if place is None or place.file or place.option or len(place.keys) != 1:
            raise
        for param in context.command.params:
            given = param.name and context.get_parameter_source(param.name) is ParameterSource.COMMANDLINE
            if given and param.name == place.keys[0] and isinstance(param, click.Option):
                raise error.placed(Place.of_option(param.opts[0], *place.keys)) from None
        if place.keys[0] in {pair.partition("=")[0].strip() for pair in context.params.get("replaced", ())}:
            raise error.placed(Place.of_option(f"--with {place.keys[0]}", *place.keys)) from None
        raise

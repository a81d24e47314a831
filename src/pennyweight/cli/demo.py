"""`pennyweight demo`"""

from __future__ import annotations

from importlib.resources import files
from pathlib import Path

import click

from pennyweight.errors import InputError, Place

__all__ = ["command"]


_DATA = (
    "taxi/taxi.toml",
    "taxi/ridership.csv",
    "flows/boatyard.csv",
    "endowment/statements.csv",
    "endowment/index.csv",
    "loans/studio.toml",
    "loans/studio-events.csv",
    "loans/four-flats-takeover.toml",
    "loans/four-flats.toml",
    "loans/loans.csv",
    "loans/loans-events.csv",
    "house/four-flats-house.toml",
    "schemas/deal.schema.json",
    "schemas/loan.schema.json",
)

_COMMANDED = (
    "taxi.toml",
    "boatyard.csv",
    "statements.csv",
    "index.csv",
    "studio.toml",
    "four-flats-takeover.toml",
    "four-flats.toml",
    "four-flats-house.toml",
    "loans.csv",
    "loans-events.csv",
)


_REPORTS = (".html", ".pdf", ".xlsx")


@click.command("demo")
@click.option(
    "--folder",
    type=click.Path(path_type=Path),
    default=Path("pennyweight-demo"),
    show_default=True,
    help="Write the files to this folder.",
)
def command(folder: Path) -> None:
    """Weigh the Larkmere water-taxi, compare its scenarios, vary two inputs, answer its question, and the rest.

    Leaves the deal files, the charts and the results in a folder. Example: pennyweight demo
    """
    from pennyweight.cli.main import main
    from pennyweight.report.files import check_target

    for name in (
        "weighing.json",
        "weighing.png",
        "map.png",
        "house.png",
        "boatyard.png",
        "endowment.png",
        "studio.json",
        "studio.png",
        "takeover.png",
        *(f"{of}{ending}" for of in ("taxi", "house", "studio") for ending in _REPORTS),
    ):
        check_target(folder / name, read=(), force=False)
    taxi, boatyard, statements, index, studio, takeover, layers, house, loans, events = _copy_data(folder)
    commands = (
        [
            "weigh",
            str(taxi),
            "--output",
            str(folder / "weighing.json"),
            "--output",
            str(folder / "weighing.png"),
            *_report(folder, "taxi", "The harbour board of Larkmere"),
        ],
        ["compare", str(taxi)],
        ["vary", str(taxi), "hull=380k..500k/7", "hurdle=6%..14%:2%", "--output", str(folder / "map.png")],
        ["find", str(taxi), "hull", "npv == 0", "--scenario", "all"],
        ["simulate", str(taxi), "--fan", "reserve"],
        ["drivers", str(taxi), "npv"],
        ["compare", str(taxi), "--scenario", "dear_hull", "--scenario", "more_quays", "--bridge", "npv"],
        ["why", str(taxi), "npv", "--against", "wet_summers", "--depth", "1"],
        ["weigh", str(house), "--output", str(folder / "house.png"), *_report(folder, "house", "J. Alder, Larkmere")],
        ["flows", str(boatyard), "--rate", "7%", "--currency", "EUR", "--output", str(folder / "boatyard.png")],
        ["returns", str(statements), "--benchmark", str(index), "--output", str(folder / "endowment.png")],
        ["grow", "--opening", "6k", "--deposit", "350", "--per-year", "month", "--rate", "3.5%", "--closing", "41k"],
        ["withdraw", "--withdrawal", "24k", "--growth", "2%", "--rate", "4%", "--years", "25", "--find", "pot"],
        ["repay", "--owed", "86k", "--rate", "4.2%", "--years", "15", "--currency", "EUR"],
        [
            "loan",
            str(studio),
            "--output",
            str(folder / "studio.json"),
            "--output",
            str(folder / "studio.png"),
            *_report(folder, "studio", "The ceramicist"),
        ],
        ["loan", str(takeover), "--output", str(folder / "takeover.png")],
        ["loan", str(layers)],
        ["book", str(loans), "--events", str(events), "--grouped", "branch", "--currency", "EUR"],
        ["rates", "6%", "--compounding", "half-yearly", "--inflation", "2%"],
        ["bond", "--coupon", "4%", "--maturity", "2031-06-15", "--settlement", "2026-11-23", "--price", "97.25"],
    )
    for arguments in commands:
        click.secho(f"\n$ pennyweight {' '.join(_quoted(part) for part in arguments)}\n", bold=True)
        main.main(args=arguments, prog_name="pennyweight", standalone_mode=False)
    click.echo("\nMore deals to start from: pennyweight new --list")
    click.echo(f"Done. Deal files, charts, reports and results are in {folder}{_slash(folder)}")


def _report(folder: Path, name: str, by: str) -> list[str]:
    """The options that leave a report in every form one would hand over."""
    outputs = [part for ending in _REPORTS for part in ("--output", str(folder / f"{name}{ending}"))]
    return [*outputs, "--prepared-by", by, "--dated", "none"]  # the same bytes every time


def _copy_data(folder: Path) -> tuple[Path, ...]:
    starters = files("pennyweight") / "starters"
    contents = {folder / name.split("/")[1]: (starters / name).read_text(encoding="utf-8") for name in _DATA}
    contents = {path: text.replace("#:schema ../schemas/", "#:schema ", 1) for path, text in contents.items()}
    try:
        folder.mkdir(parents=True, exist_ok=True)
        for path, content in contents.items():
            if path.name.endswith(".schema.json"):  # nobody's own work: an older one is replaced
                continue
            if path.exists() and path.read_text(encoding="utf-8", errors="replace") != content:
                raise InputError(
                    f"{path} is there already and is not the demo's (changed since, or of an older version); "
                    "delete it or choose another --folder.",
                    at=Place.of_file(path),
                )
        for path, content in contents.items():
            path.write_text(content, encoding="utf-8")
    except OSError as error:
        raise InputError(f"{folder} cannot be written: {error.strerror}.", at=Place.of_file(folder)) from None
    return tuple(folder / name for name in _COMMANDED)


def _quoted(part: str) -> str:
    return f'"{part}"' if " " in part else part


def _slash(folder: Path) -> str:
    return "" if str(folder).endswith("/") else "/"

"""What is released: names completed by the shell, the manual page, one version, examples that run, the site."""

from __future__ import annotations

import os
import re
import subprocess
import sys
import tomllib
from pathlib import Path
from typing import Any

import click
import pytest
from docs import make_site, pages
from release.make_man import page

import pennyweight
from pennyweight import Deal, InputError, Loan
from pennyweight.cli.main import COMMANDS, status
from tests.sizes import WHOLE, some

ROOT = Path(__file__).parent.parent
EXAMPLES = sorted((ROOT / "examples").glob("*.py"))


@pytest.mark.parametrize(
    ("typed", "offered"),
    [
        ("weigh taxi.toml --scenario w", ["wet_summers", "wet_and_dear"]), ("find taxi.toml h", ["hull", "hurdle"]),
        ("vary taxi.toml hull=1..2/2 cr", ["crew="]), ("why taxi.toml ba", ["battery", "bank_share", "battery_paid"]), ("new x.toml --starter st", ["stop-working"]),
        ("simulate taxi.toml --show npv,i", ["npv,irr"]), ("drivers taxi.toml pay", ["payback"]), ("compare taxi.toml --bridge n", ["npv"]),
        ("weigh taxi.toml --with hu", ["hull=", "hurdle="]), ("weigh nothing.toml --scenario ", ["base"]), ("si", ["simulate"]),
        ("simulate taxi.toml --fan res", ["resale", "reserve"]), ("weigh broken.toml --scenario w", []),
    ],
)  # fmt: skip
def test_names_are_completed(
    typed: str, offered: list[str], tmp_path: Path, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    monkeypatch.chdir(tmp_path)
    assert status(["new", "taxi.toml", "--starter", "taxi"]) == 0
    Path("broken.toml").write_text("deal = ", encoding="utf-8")
    words = f"pennyweight {typed}"
    monkeypatch.setenv("COMP_WORDS", words)
    monkeypatch.setenv("COMP_CWORD", str(words.count(" ")))
    monkeypatch.setenv("_PENNYWEIGHT_COMPLETE", "bash_complete")
    capsys.readouterr()
    with pytest.raises(SystemExit):  # the shell's question is answered, and nothing else done
        status([])
    found = [line.partition(",")[2] for line in capsys.readouterr().out.split("\n") if line]
    assert sorted(found) == sorted(offered)


def test_the_manual_page_has_every_command_and_option() -> None:
    text = page().replace("\\-", "-")
    for name in COMMANDS:
        assert f".SH {name.upper()}\n" in text
        command = pennyweight.cli.main.main.get_command(click.Context(pennyweight.cli.main.main), name)  # type: ignore[attr-defined]
        assert all(
            option in text for param in command.params if isinstance(param, click.Option) for option in param.opts
        )


def test_the_version_stands_in_one_place() -> None:
    project = tomllib.loads((ROOT / "pyproject.toml").read_text(encoding="utf-8"))["project"]
    assert "version" in project["dynamic"]
    assert f"version: {pennyweight.__version__}\n" in (ROOT / "CITATION.cff").read_text(encoding="utf-8")
    changes = (ROOT / "CHANGELOG.md").read_text(encoding="utf-8")
    heads = re.findall(r"^## \[([^\]]+)\]", changes, flags=re.MULTILINE)
    assert heads[:2] == ["Unreleased", pennyweight.__version__]
    assert set(re.findall(r"^### (\w+)", changes, flags=re.MULTILINE)) <= {
        "Added",
        "Changed",
        "Deprecated",
        "Removed",
        "Fixed",
        "Security",
    }
    # Each need has a lowest version that is tried.
    lowest = {
        line.partition("==")[0].lower()
        for line in (ROOT / "constraints-lowest.txt").read_text(encoding="utf-8").split("\n")
        if "==" in line
    }
    assert {need.partition(">=")[0].lower() for need in project["dependencies"]} <= lowest


@pytest.mark.parametrize("path", some(EXAMPLES, every=5), ids=lambda path: path.stem)
def test_every_example_runs_and_says_what_came_out(path: Path, tmp_path: Path) -> None:
    text = path.read_text(encoding="utf-8")
    assert len(text.splitlines()) < 60
    # What a file leaves out is told as a warning of ours; any other warning is a mistake.
    asked = [
        sys.executable,
        "-W",
        "error",
        "-W",
        "default::UserWarning",
        str(path),
        *(["2000"] if path.stem == "batch_irr" else []),
    ]
    done = subprocess.run(
        asked, capture_output=True, text=True, cwd=tmp_path, check=False, env={**os.environ, "MPLBACKEND": "agg"}
    )
    assert done.returncode == 0, done.stderr
    assert len(done.stdout.splitlines()) >= 2
    assert "nan " not in done.stdout.lower().split("cover")[0]


@pytest.mark.parametrize("path", some(pages.PAGES, every=9), ids=lambda path: path.stem)
def test_every_page_says_what_its_commands_print(path: Path) -> None:
    if path.stem == "README" and not WHOLE:
        pytest.skip("the demo takes its time; make whole")
    text = path.read_text(encoding="utf-8")
    assert pages.refreshed(text) == text


def test_pages_that_are_made_of_the_code_are_up_to_date() -> None:
    for path, text in make_site.generated().items():
        assert path.read_text(encoding="utf-8") == text, path
    rows = re.findall(
        r"^\| `([^`]+)` \| ([^|]*) \|",
        (ROOT / "docs/reference/json.md").read_text(encoding="utf-8"),
        flags=re.MULTILINE,
    )
    assert len(rows) > 200
    assert not [key for key, said in rows if not said.strip()]


def test_every_link_of_the_documentation_leads_somewhere() -> None:
    """Pages, pictures and headings: nothing is fetched, and what is linked is there."""
    for path in [
        *pages.PAGES,
        *(ROOT / "docs/reference").rglob("*.md"),
        ROOT / "SECURITY.md",
        ROOT / "CONTRIBUTING.md",
    ]:
        for link in re.findall(r"\]\(([^)#\s]+)(?:#[^)]*)?\)", path.read_text(encoding="utf-8")):
            if not link.startswith(("http:", "https:", "mailto:")):
                assert (path.parent / link).exists(), f"{path.relative_to(ROOT)}: {link}"


@pytest.mark.skipif(not WHOLE, reason="building the site takes a minute; make whole")
def test_the_site_is_built_without_a_warning(tmp_path: Path) -> None:
    asked = [sys.executable, "-m", "sphinx", "-W", "--keep-going", "-q", "-b", "html", "docs", str(tmp_path / "site")]
    done = subprocess.run(asked, capture_output=True, text=True, cwd=ROOT, check=False)
    assert done.returncode == 0, done.stderr[-2_000:]
    names = {one.relative_to(tmp_path / "site").as_posix() for one in (tmp_path / "site").rglob("*.html")}
    assert names >= {
        "index.html",
        "guide/weigh.html",
        "howto/offers.html",
        "reference/commands.html",
        "reference/python/deals.html",
    }


@pytest.mark.parametrize("ending", [".pdf", ".html", ".xlsx", ".png", ".csv", ".json", ".txt", ".svg"])
def test_results_write_themselves(ending: str, tmp_path: Path) -> None:
    result, path = Loan(9_000, "5%", years=1), tmp_path / f"loan{ending}"
    words: dict[str, Any] = {"title": "The kiln's loan", "prepared_by": "J. Alder", "dated": "2027-01-31"}
    if ending not in (".pdf", ".html", ".xlsx"):  # they have no page one
        for name, value in words.items():
            with pytest.raises(InputError, match=f"{name} stands on page one of a report"):
                result.write(path, **{name: value})
        assert not path.exists()
        words = {}
    result.write(path, **words)
    first = path.read_bytes()
    assert len(first) > 60
    result.write(path, **words)
    if ending not in (".png", ".svg"):
        assert path.read_bytes() == first
    other = tmp_path / f"mine{ending}"
    other.write_bytes(b"not yours\n" * 20)
    with pytest.raises(InputError, match="has not written it; choose another name, or say replace=True"):
        result.write(other)
    result.write(other, replace=True)
    assert len(other.read_bytes()) > 60


def test_what_cannot_be_written_is_told(tmp_path: Path) -> None:
    result = Deal.starter("first").weigh()
    for given, said in (
        ("x.doc", "unknown file extension"),
        (tmp_path / "none" / "x.pdf", "there is no folder"),
        (5, "must be the name of a file"),
    ):
        with pytest.raises(InputError, match=said):
            result.write(given)  # type: ignore[arg-type]
    with pytest.raises(InputError, match="dated is 'soon'"):
        result.write(tmp_path / "x.pdf", dated="soon")
    assert not list(tmp_path.iterdir())

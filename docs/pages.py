"""Pages whose commands and Python lines are run: what stands below them is what they print, written by a script.

In a `console` block each line after `$ pennyweight …` is a line of its output; a gap is "…". Write the first words of a
line, and its rest is filled in. `<!-- all -->` before a block shows the whole output; `<!-- fails -->` says that the
last command is refused. A `text` block below a `python` block is what it prints. `<!-- file: kiln.toml -->` before a
block puts it into that file, `<!-- needs: demo -->` the files of the demo into demo/. A page runs in a folder of its
own, in order.
"""

from __future__ import annotations

import re
import shlex
import sys
import tempfile
from collections.abc import Iterator
from contextlib import chdir, redirect_stderr, redirect_stdout
from dataclasses import dataclass
from difflib import SequenceMatcher
from io import StringIO
from pathlib import Path
from typing import Any

from pennyweight.cli.demo import _copy_data
from pennyweight.cli.main import status

__all__ = ["PAGES", "Block", "blocks_of", "refreshed", "squeezed"]

ROOT = Path(__file__).parent.parent
PAGES = tuple(
    sorted(
        {
            *(ROOT / "docs").glob("*.md"),
            *(ROOT / "docs/guide").glob("*.md"),
            *(ROOT / "docs/howto").glob("*.md"),
            ROOT / "README.md",
        }
        - {ROOT / "docs/language.md"}
    )
)
"""Every page that shows what commands print; those of the starters and the language are generated whole."""

_FENCE = re.compile(r"((?:^<!--[^\n]*-->\n)*)^```(\w+)\n(.*?)^```\n", re.MULTILINE | re.DOTALL)
_CLOSE = 0.55
"""How alike a line must be to the one it stands for."""


@dataclass(frozen=True)
class Block:
    """A fenced block with its remarks, and where it stands in the page."""

    remarks: str
    kind: str
    text: str
    start: int
    stop: int

    def remark(self, name: str) -> str | None:
        """What a remark says: of "file: kiln.toml" the name, of a bare word nothing."""
        found = re.search(rf"<!-- {name}(?:: *([^\n]*?))? -->", self.remarks)
        return None if found is None else found[1] or ""


def blocks_of(text: str) -> list[Block]:
    """The blocks of a page, in order."""
    return [Block(one[1], one[2], one[3], one.start(3), one.end(3)) for one in _FENCE.finditer(text)]


def refreshed(text: str) -> str:
    """The page with what its commands and its Python lines print now."""
    with tempfile.TemporaryDirectory() as folder, chdir(folder):
        found, at = [], 0
        for block, new in _run(text):
            found += [text[at : block.start], new]
            at = block.stop
        return "".join([*found, text[at:]])


def squeezed(line: str) -> str:
    """A line without what only lines it up."""
    return " ".join(line.split())


def _run(text: str) -> Iterator[tuple[Block, str]]:
    """Each block with what it must say."""
    if "<!-- needs: demo -->" in text:
        _copy_data(Path("demo"))
    scope: dict[str, Any] = {"__name__": "page"}
    printed: str | None = None
    for block in blocks_of(text):
        if (name := block.remark("file")) is not None:
            Path(name).write_text(block.text, encoding="utf-8")
        if block.kind == "console":
            yield block, _console(block)
        elif block.kind == "python" and block.remark("file") is None:
            printed = _python(block.text, scope)
            continue
        elif block.kind == "text" and printed is not None:
            yield block, printed
        printed = None


def _console(block: Block) -> str:
    """The commands, each with the lines that it shows as they are printed now."""
    parts = re.split(r"^\$ ", block.text, flags=re.MULTILINE)[1:]
    found = []
    for number, part in enumerate(parts):
        command, _, below = part.partition("\n")
        found.append(f"$ {command}")
        if not command.startswith("pennyweight "):
            found += [line for line in below.split("\n") if line]
            continue
        refused = block.remark("fails") is not None and number == len(parts) - 1
        output = [line.rstrip() for line in _printed(command, refused).rstrip("\n").split("\n")]
        shown = [line.rstrip() for line in below.split("\n") if line.strip()]
        found += output if block.remark("all") is not None else _matched(shown, output, command)
    return "\n".join(found) + "\n"


def _printed(command: str, refused: bool) -> str:
    said = StringIO()
    with redirect_stdout(said), redirect_stderr(said):
        code = status(shlex.split(command)[1:])
    if bool(code) != refused:
        raise SystemExit(f"{command}: status {code}: {said.getvalue()[-600:]}")
    return said.getvalue()


def _matched(shown: list[str], output: list[str], command: str) -> list[str]:
    """For each line that is shown the line of the output that it stands for."""
    found, at = [], 0
    for line in shown:
        if line.strip() == "…":
            found.append("…")
            continue
        asked = squeezed(line)
        # What follows the line before comes first, then what stands above it.
        order = [*range(at, len(output)), *range(at)]
        rest = [(squeezed(output[place]), place) for place in order if output[place].strip()]
        place = next((place for one, place in rest if one == asked), None)
        if place is None:
            place = next((place for one, place in rest if one.startswith(asked)), None)
        if place is None:
            near = [(SequenceMatcher(None, one, asked).ratio(), -place) for one, place in rest]
            ratio, back = max(near, default=(0.0, 0))
            if ratio < _CLOSE:
                raise SystemExit(f"{command}: prints no line like '{asked}'.")
            place = -back
        found.append(output[place])
        at = place + 1
    return found


def _python(code: str, scope: dict[str, Any]) -> str:
    said = StringIO()
    with redirect_stdout(said):
        exec(compile(code, "page", "exec"), scope)
    return said.getvalue()


def main() -> None:
    """Write every page anew, or those that are named."""
    for path in [Path(one).resolve() for one in sys.argv[1:]] or PAGES:
        text = path.read_text(encoding="utf-8")
        try:
            new = refreshed(text)
        except SystemExit as error:
            raise SystemExit(f"{path.relative_to(ROOT)}: {error}") from None
        if new != text:
            path.write_text(new, encoding="utf-8")
            print(f"Written: {path.relative_to(ROOT)}")


if __name__ == "__main__":
    main()

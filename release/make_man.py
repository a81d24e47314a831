"""Write the manual page of the command, from the commands themselves."""

from __future__ import annotations

import sys
from pathlib import Path

import click

from pennyweight import __version__
from pennyweight.cli.main import COMMANDS
from pennyweight.cli.main import main as group

HEAD = """.TH PENNYWEIGHT 1 "" "Pennyweight {version}" "Pennyweight"
.SH NAME
pennyweight \\- weigh deals: does it pay off, by how much, and how wrong may each assumption be
.SH SYNOPSIS
.B pennyweight
.I COMMAND
[\\fIOPTIONS\\fR] [\\fIFILES\\fR]
.SH DESCRIPTION
A deal is a text file: what goes in, how the money moves, what must come true. Each command answers one kind of question
about it; others measure flows, loans, bonds and portfolios.
"""
TAIL = """.SH EXIT STATUS
0 done; 1 not "pays off" under \\-\\-strict; 2 bad input; 3 no answer.
.SH ENVIRONMENT
COLUMNS: how wide output to a pipe is.
"""


def page() -> str:
    """The page, in the language of man."""
    parts = [HEAD.format(version=__version__)]
    for name in COMMANDS:
        command = group.get_command(click.Context(group), name)
        assert command is not None
        context = click.Context(command, info_name=f"pennyweight {name}")
        parts.append(
            f".SH {_escaped(name.upper())}\n.B {_escaped(command.get_usage(context).removeprefix('Usage: '))}\n.PP\n"
        )
        parts.append(f"{_escaped(' '.join((command.help or '').split()))}\n")
        for option in command.params:
            record = option.get_help_record(context)
            if record:
                parts.append(f".TP\n.B {_escaped(record[0])}\n{_escaped(' '.join(record[1].split()))}\n")
    return "".join([*parts, TAIL])


def _escaped(text: str) -> str:
    return text.replace("\\", "\\\\").replace("-", "\\-").replace("\n.", "\n\\&.").replace("'", "\\(aq")


def main() -> None:
    """Write it to the file that is named."""
    path = Path(sys.argv[1] if len(sys.argv) > 1 else "build/man/pennyweight.1")
    path.parent.mkdir(parents=True, exist_ok=True)
    path.write_text(page(), encoding="utf-8")
    print(f"Written: {path}")


if __name__ == "__main__":
    main()

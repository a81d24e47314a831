"""The `pennyweight` command: finds the command asked for, and turns errors into one short paragraph."""

from __future__ import annotations

import codecs
import contextlib
import io
import logging
import os
import signal
import sys
import warnings
from importlib import import_module

import click

from pennyweight.errors import NoAnswer, PennyweightError, nearest
from pennyweight.plain_text import one_line, spelled

__all__ = ["COMMANDS", "main", "run"]

COMMANDS = {
    "grow": ("instruments.grow", "Find what a pot grows to, or any other of its five quantities."),
    "repay": ("instruments.repay", "Find the payment of a debt, or any other of its five quantities."),
    "withdraw": ("instruments.withdraw", "Find what a pot pays out, or any other of its five quantities."),
    "rates": ("instruments.rates", "Turn a rate into its other forms."),
    "weigh": ("deals.weigh", "Weigh a deal: verdict, figures, goals, answers, turning points."),
    "compare": ("deals.compare", "Put scenarios, or whole deals, side by side."),
    "vary": ("deals.vary", "Vary one or two inputs of a deal."),
    "why": ("deals.why", "Show where a figure of a deal comes from."),
    "find": ("deals.find", "Find the value of an input at which a condition comes true."),
    "drivers": ("deals.drivers", "Show which inputs of a deal drive a measure most."),
    "simulate": ("deals.simulate", "Draw uncertain inputs many times: the chance that a deal pays off."),
    "flows": ("instruments.flows", "Measure cash flows in a CSV: NPV, IRR, payback and the rest."),
    "loan": ("instruments.loan", "Show the schedule of a loan, to the cent."),
    "book": ("instruments.book", "Sum up by month what very many loans pay and owe."),
    "returns": ("instruments.returns", "Work out the returns of a portfolio from its statements."),
    "bond": ("instruments.bond", "Price a bond: yield, accrued interest, duration."),
    "new": ("deals.new", "Write a deal file with comments, ready to be changed."),
    "functions": ("deals.functions", "List the functions that formulas can use."),
    "demo": ("demo", "Run the main commands on the demo deal."),
}
"""Each command with its module, which is loaded when it is called, and its one line of help."""


class _Commands(click.Group):
    def list_commands(self, ctx: click.Context) -> list[str]:
        return list(COMMANDS)

    def get_command(self, ctx: click.Context, cmd_name: str) -> click.Command | None:
        if cmd_name not in COMMANDS:
            return None
        module, command_help = COMMANDS[cmd_name]
        command: click.Command = import_module(f"pennyweight.cli.{module}").command
        command.short_help = command_help
        return command

    def format_commands(self, ctx: click.Context, formatter: click.HelpFormatter) -> None:
        with formatter.section("Commands"):
            formatter.write_dl([(name, told) for name, (_, told) in COMMANDS.items()])

    def resolve_command(
        self, ctx: click.Context, args: list[str]
    ) -> tuple[str | None, click.Command | None, list[str]]:
        if args and args[0] not in COMMANDS and not args[0].startswith("-"):
            hint = nearest(args[0], COMMANDS) or "."
            raise click.UsageError(f"There is no command '{args[0]}'{hint} See pennyweight --help.")
        name, command, rest = super().resolve_command(ctx, args)
        if command is not None and not ctx.resilient_parsing:  # a shell that asks what may come is not told off
            rest = _in_new_words(name or "", rest)
            _refuse_twice(command, rest)
        return name, command, rest


def _refuse_twice(command: click.Command, args: list[str]) -> None:
    """Refuse an option that is given twice and would count once."""
    context = click.Context(command, **command.context_settings)
    _, _, order = command.make_parser(context).parse_args(list(args))
    for param in order:
        once = isinstance(param, click.Option) and not param.multiple and not param.is_flag
        if once and order.count(param) > 1:
            raise click.UsageError(f"{param.opts[0]} is given {order.count(param)} times; give it once.")


RENAMED = {
    "loan": {"--amount": "--owed", "--residual": "--still-owed", "--interest": "--day-count"},
    "new": {"--title": "--name"},
}
"""Options by their old words, which go on working for a while: what each is called now."""


def _in_new_words(command: str, args: list[str]) -> list[str]:
    """The arguments with options by the words they have now; an old one is told."""
    renamed, found = RENAMED.get(command, {}), []
    for argument in args:
        word, equals, value = argument.partition("=")
        if word in renamed:
            click.echo(f"{word} is called {renamed[word]} now; the old word goes on working for a while.", err=True)
            word = renamed[word]
        found.append(f"{word}{equals}{value}")
    return found


@click.group(
    cls=_Commands,
    invoke_without_command=True,
    context_settings={"help_option_names": ["-h", "--help"], "max_content_width": 100},
)
@click.version_option(None, "--version", package_name="pennyweight", prog_name="pennyweight")
@click.pass_context
def main(ctx: click.Context) -> None:
    """Pennyweight weighs deals: does it pay off, by how much, and how wrong may each assumption be.

    Rates are yearly, spans are in years. Amounts may be typed as 430k, 1.2mn or 1,250.50, rates as 5%, 0.05 or
    "6% monthly".
    """
    if ctx.invoked_subcommand is None:
        click.echo(ctx.get_help())


def run() -> None:
    """Run the command line; exit status 0 done, 1 not "pays off" under --strict, 2 bad input, 3 no answer."""
    closed = sys.stdout is None
    _tame_streams()
    _quieten()
    signal.signal(signal.SIGINT, signal.default_int_handler)
    signal.signal(signal.SIGTERM, lambda *_: sys.exit(143))  # so that what is half done is cleaned up
    code = status(sys.argv[1:])
    sys.exit(_ended("Standard output is closed, so nothing was shown.", 2) if closed and code == 0 else code)


def status(arguments: list[str]) -> int:
    """Run the command line with these arguments and return its exit status."""
    try:
        result = main.main(args=arguments, prog_name="pennyweight", standalone_mode=False)
        sys.stdout.flush()
    except click.exceptions.Exit as leaving:
        return leaving.exit_code
    except (click.Abort, KeyboardInterrupt):
        return _ended("Stopped.", 130)
    except click.ClickException as error:
        return _ended(one_line(error.format_message()), 2)
    except PennyweightError as error:
        told = [str(one) for one in error.mistakes]
        sentence = "\n  ".join([f"{len(told)} mistakes:", *told]) if told else str(error)
        return _ended(sentence, 3 if isinstance(error, NoAnswer) else 2)
    except BrokenPipeError:
        _let_go_of_output()
        return 0
    except SystemExit as leaving:
        if leaving.code != 1:
            raise
        _let_go_of_output()  # click's way to say that whoever read has seen enough
        return 0
    except UnicodeError:
        return _ended("Something that was given holds bytes that are no text in UTF-8; write it in UTF-8.", 2)
    except OSError as error:
        _let_go_of_output()
        return _ended(f"Standard output cannot be written: {error.strerror or 'the system refuses it'}.", 2)
    return result if isinstance(result, int) else 0


def _ended(sentence: str, code: int) -> int:
    """Say it, where there is somewhere to say it."""
    with contextlib.suppress(OSError):
        click.echo(f"pennyweight: {sentence}" if code in (2, 3) else sentence, err=True)
    return code


def _quieten() -> None:
    """What the libraries below have to say is no answer to a question that was asked."""
    warnings.simplefilter("ignore")
    for name in ("matplotlib", "PIL", "fontTools", "pypdf"):
        logging.getLogger(name).setLevel(logging.CRITICAL)


def _let_go_of_output() -> None:
    """Leave nothing for the interpreter to flush into a stream that takes nothing any more."""
    nowhere = os.open(os.devnull, os.O_WRONLY)
    with contextlib.suppress(OSError, ValueError):
        os.dup2(nowhere, sys.stdout.fileno())


def _tame_streams() -> None:
    """Streams that cannot show a sign spell it out, whatever writes to them."""

    def spell(error: UnicodeError) -> tuple[str, int]:
        assert isinstance(error, UnicodeEncodeError)
        return spelled(error.object[error.start : error.end], error.encoding), error.end

    for name in ("stdout", "stderr"):
        if getattr(sys, name) is None:  # closed before we began
            setattr(sys, name, open(os.devnull, "w", encoding="utf-8"))  # noqa: SIM115
    codecs.register_error("pennyweight.spelled", spell)
    for stream in (sys.stdout, sys.stderr):
        if isinstance(stream, io.TextIOWrapper):
            stream.reconfigure(errors="pennyweight.spelled")

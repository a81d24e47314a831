"""The entry point: `pennyweight`, and `python -m pennyweight`."""

from __future__ import annotations

import signal

__all__ = ["run"]


def run() -> None:
    """Run the command line; while its modules are loaded nothing is under way that Ctrl-C would have to clean up."""
    signal.signal(signal.SIGINT, signal.SIG_DFL)
    from pennyweight.cli.main import run as run_command

    run_command()


if __name__ == "__main__":
    run()

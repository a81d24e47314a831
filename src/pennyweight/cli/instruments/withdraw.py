"""`pennyweight withdraw`"""

from __future__ import annotations

from pennyweight.cli.instruments.plans import plan_command
from pennyweight.instruments.plans.plan_terms import WITHDRAW
from pennyweight.instruments.plans.plans import withdraw

__all__ = ["command"]

_TEXT = """Living on a pot: find the withdrawal, or the pot it takes, the rate, the years or the pot left.

Example: pennyweight withdraw --withdrawal 30k --growth 2% --rate 4% --years 25 --find pot
"""

command = plan_command(WITHDRAW, withdraw, _TEXT)

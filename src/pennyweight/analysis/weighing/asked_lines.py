"""Which lines and levels of a deal are asked for, and from where to where."""

from __future__ import annotations

from dataclasses import dataclass

from pennyweight.analysis.weighing.asked_period import read_period
from pennyweight.deals.definition import Definition
from pennyweight.deals.parts import TOTALS
from pennyweight.errors import InputError, choice, nearest
from pennyweight.quantities.argument_checks import a_list, a_text

__all__ = ["Selection", "groups_of", "selection"]


@dataclass(frozen=True, slots=True)
class Selection:
    """What a table of periods shows: by period or year, which lines, from where to where (in periods)."""

    by: str
    lines: tuple[str, ...] | None
    first: int
    last: int
    each: str = ""
    """The set of whose things every line is opened; empty: none."""


def selection(
    deal: Definition,
    by: str,
    lines: object = None,
    first: object = None,
    last: object = None,
    each: object = None,
) -> Selection:
    """Read what an asker wants to see; InputError says what there is.

    `lines` are names of lines, levels and parts of loans, or of groups; `first` and `last` periods, days, or "year 3".
    `each` is a set: what is worked out for each of its things is opened.
    """
    choice(by, ("period", "year"), "by")
    chosen: tuple[str, ...] | None = None
    if lines is not None:
        groups = groups_of(deal)
        loans = [*deal.loans, *(["loans"] if deal.loans else [])]
        known = [*deal.lines, *deal.levels, *TOTALS, *(f"{loan}.{part}" for loan in loans for part in deal.loan_parts)]
        known += deal.split_parts
        names: dict[str, None] = {}
        for one in a_list(lines, what="lines", of="names of lines and levels"):
            name = a_text(one, what="A line").strip()
            if name in groups:
                names.update(dict.fromkeys(groups[name]))
            elif name in known:
                names[name] = None
            else:
                raise InputError(
                    f"There is no line or level '{name}'{nearest(name, [*known, *groups]) or '.'}", at="lines"
                )
        if not names:
            raise InputError("lines is empty; name at least one line.", at="lines")
        chosen = tuple(names)
    start = 0 if first is None else read_period(deal, first, "first", first_of_year=True)
    end = deal.timeline.periods if last is None else read_period(deal, last, "last", first_of_year=False)
    if start > end:
        raise InputError(f"first is period {start}, after last, period {end}; write the earlier one first.", at="first")
    opened = "" if each is None else a_text(each, what="each")
    if opened and opened not in deal.sets:
        known_sets = f"the sets are {', '.join(deal.sets)}" if deal.sets else "the deal has none"
        raise InputError(f"There is no set '{opened}'{nearest(opened, deal.sets) or f'; {known_sets}.'}", at="each")
    own = [name for name in chosen or (*deal.lines, *deal.levels, *_parts(deal)) if deal.each.get(name) == opened]
    if opened and not own:
        raise InputError(
            f"None of these lines is worked out for each of {opened}, so 'each' changes nothing.", at="each"
        )
    return Selection(by, chosen, start, end, opened)


def _parts(deal: Definition) -> list[str]:
    return [f"{loan}.{part}" for loan in deal.loans for part in deal.loan_parts]


def groups_of(deal: Definition) -> dict[str, list[str]]:
    """The headings of a deal with the lines and levels under each, amounts of one side apart from another's."""
    found: dict[str, list[str]] = {}
    headings = {name: line.group for name, line in deal.lines.items()}
    headings |= {name: level.group for name, level in deal.levels.items()}
    for name, group in headings.items():
        if group:
            found.setdefault(group, []).append(name)
    return found

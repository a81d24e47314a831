"""Splits of proceeds: what each party gets, tier by tier, period by period, for all cases at once.

A tier with a rate pays back what was paid in, with a yearly return compounded by the period, to each party in
proportion to what it is owed. A catch-up gives a party its part of all that was given beyond what was paid in. A tier
of shares goes on until a party has earned a yearly return, or takes all the rest.
"""

from __future__ import annotations

from collections.abc import Sequence
from functools import partial

import numpy as np

from pennyweight.array_kinds import Floats
from pennyweight.core import rate_forms
from pennyweight.deals.compiler.masks import over_time
from pennyweight.deals.compiler.slots import Instruction, Slots
from pennyweight.deals.parts import Split, Tier
from pennyweight.deals.timeline import Timeline

__all__ = ["compile_split", "split_trouble"]


def compile_split(program: Slots, split: Split) -> None:
    """All parts of a split as one instruction."""
    nodes = [split.of, *split.paid_in.values()]
    args = [over_time(program, program.translate(node)) for node in nodes]
    terms = [program.translate(node) for tier in split.tiers for node in tier.nodes]
    depends = 0
    for arg in (*args, *terms):
        depends |= program.depends[arg]
    outs = {name: program.slot(True, depends) for name in split.parts}
    compute = partial(_split, split, program.time)
    program.instructions.append(Instruction(compute, (*args, *terms), tuple(outs.values()), steps=True))
    for name, slot in outs.items():
        program.names[name] = slot
        program.masks[name] = np.ones(program.time.rows, np.bool_)


def split_trouble(tiers: Sequence[Tier], values: Sequence[float]) -> str:
    """Why these values of the terms make no split, in the order of `Tier.nodes`; empty where they do."""
    rest = iter(values)
    before: float | None = None
    for k, tier in enumerate(tiers, 1):
        own = dict(zip(tier.terms, (next(rest) for _ in tier.nodes), strict=True))
        asked = own.get("rate", own.get("until"))
        shares = [own[party] for party in tier.shares]
        if any(value != value for value in own.values()):
            return f"a term of tier {k} is undefined"
        if asked is not None and asked <= (-1.0 if before is None else before):
            return f"tier {k} asks for {asked:.2%}, which the tier before gives already; the returns must rise"
        if tier.to is not None and not 0 < own["to"] < own["share"] <= 1:
            return (
                f"tier {k} catches up to {own['to']:.2%} with a share of {own['share']:.2%}; the share must be larger"
            )
        if shares and (min(shares) < 0 or abs(sum(shares) - 1) > _WHOLE):
            return f"the shares of tier {k} make {sum(shares):.2%}; they must make 100%, none below 0%"
        before = before if asked is None else asked
    return ""


_WHOLE = 1e-9


class _TierNow:
    """A tier with the values of its terms, and what it has to keep in mind."""

    def __init__(self, tier: Tier, values: list[Floats], time: Timeline, parties: list[str], width: int) -> None:
        self.tier = tier
        rest = iter(values)
        self.rate = next(rest) if tier.rate is not None else None
        self.to = next(rest) if tier.to is not None else None
        self.share = next(rest) if tier.share is not None else None
        self.shares = {party: next(rest) for party in tier.shares}
        self.until = next(rest) if tier.until is not None else None
        yearly = self.rate if self.rate is not None else self.until
        self.growth = None if yearly is None else 1.0 + rate_forms.per_period(yearly, time.per_year)
        self.owed = np.zeros((len(parties), width))
        """Of a rate what each party is owed; of `until` (the first row) what its party still lacks."""


def _split(split: Split, time: Timeline, of: Floats, *rest: Floats) -> tuple[Floats, ...]:
    """Every part, (periods + 1, cases)."""
    parties = list(split.paid_in)
    paid_in, terms = rest[: len(parties)], list(rest[len(parties) :])
    width = max(value.shape[-1] for value in (of, *rest))
    wide = [np.broadcast_to(term, (width,)) for term in terms]
    same = max((term.shape[-1] for term in terms), default=1) == 1
    cases = (tuple(float(term[k]) for term in wide) for k in range(1 if same else width))
    broken = np.array([bool(split_trouble(split.tiers, case)) for case in cases] or [False])
    tiers: list[_TierNow] = []
    for tier in split.tiers:
        count = len(tier.nodes)
        tiers.append(_TierNow(tier, terms[:count], time, parties, width))
        terms = terms[count:]
    given = np.zeros((len(tiers), len(parties), time.rows, width))
    lacking = np.zeros((len(tiers), time.rows, width))
    put_in, out = np.zeros(width), np.zeros(width)
    counted = np.zeros((len(parties), width))  # what a party got beyond what its own money brought it
    for t in range(time.rows):
        now = np.array([np.broadcast_to(one[t], (width,)) for one in paid_in])
        put_in = put_in + now.sum(axis=0)
        left = np.where(of[t] >= 0, of[t], np.nan) + np.zeros(width)
        got = np.zeros((len(parties), width))
        for k, here in enumerate(tiers):
            if here.growth is not None:
                here.owed = here.owed * here.growth
            if here.rate is not None:
                here.owed = here.owed + now - got  # a tier before has paid a part of it
                total = here.owed.sum(axis=0)
                paid = np.minimum(left, total)
                part = np.where(total > 0, here.owed / np.where(total > 0, total, 1.0), 0.0) * paid
                here.owed = here.owed - part
                lacking[k, t] = total - paid
            elif here.to is not None and here.share is not None:
                own = parties.index(str(here.tier.party))
                beyond = np.maximum(out + got.sum(axis=0) - put_in, 0.0)
                wanted = np.maximum(here.to * beyond - counted[own], 0.0) / (here.share - here.to)
                paid = np.minimum(left, wanted)
                others = [n for n in range(len(parties)) if n != own]
                part = np.zeros((len(parties), width))
                part[own] = paid * here.share
                part[others] = paid * (1.0 - here.share) / max(len(others), 1)
                counted = counted + part
                lacking[k, t] = wanted - paid
            else:
                shares = np.array([np.broadcast_to(here.shares.get(party, np.zeros(1)), (width,)) for party in parties])
                paid = left
                if here.until is not None:
                    own = parties.index(str(here.tier.party))
                    here.owed[0] = here.owed[0] + now[own] - got[own]
                    lacks = np.maximum(here.owed[0], 0.0)
                    with np.errstate(divide="ignore", invalid="ignore"):
                        wanted = np.where(lacks > 0, lacks / shares[own], 0.0)
                    paid = np.minimum(left, wanted)
                part = paid * shares
                if here.until is not None:
                    here.owed[0] = here.owed[0] - part[own]
                    lacking[k, t] = np.maximum(here.owed[0], 0.0)
                counted = counted + part
            got = got + part
            given[k, :, t] = part
            left = left - paid
            # What later tiers give a party counts towards what an earlier `until` says it has earned.
            for before in tiers[:k]:
                if before.until is not None:
                    before.owed[0] = before.owed[0] - part[parties.index(str(before.tier.party))]
        out = out + got.sum(axis=0)
    parts = [given[:, n].sum(axis=0) for n in range(len(parties))]
    parts += [given[k, n] for n in range(len(parties)) for k in range(len(tiers))]
    parts += [given[k].sum(axis=0) for k in range(len(tiers))]
    parts += [lacking[k] for k in range(len(tiers)) if split.tiers[k].has_end]
    if broken.any():  # terms that make no split give nobody anything that can be told
        parts = [np.where(broken, np.nan, part) for part in parts]
    return tuple(parts)

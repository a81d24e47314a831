"""A split of proceeds as a clerk keeps its accounts: party by party, tier by tier, period by period."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from typing import Any

__all__ = ["divided"]


def divided(
    tiers: Sequence[Mapping[str, Any]],
    paid_in: Mapping[str, Sequence[Any]],
    proceeds: Sequence[Any],
    per_year: int = 1,
    number: Callable[[Any], Any] = float,
) -> dict[str, list[Any]]:
    """Every part by its name, period by period; `number` makes the numbers of the terms what the accounts are kept in."""
    parties, none = list(paid_in), number(0)
    parts: dict[str, list[Any]] = {}
    owed: dict[tuple[int, str], Any] = {}  # by tier and party what a return still asks
    counted = dict.fromkeys(parties, none)  # what a party got, but what its own money brought it
    invested = out = none

    def grown(yearly: Any) -> Any:
        return number(1 + number(yearly)) ** (number(1) / per_year)

    for t, there in enumerate(proceeds):
        put_in = {party: number(paid_in[party][t]) for party in parties}
        invested += sum(put_in.values())
        got, left = dict.fromkeys(parties, none), number(there)
        for k, tier in enumerate(tiers):
            gift = dict.fromkeys(parties, none)
            if "rate" in tier:
                for party in parties:
                    owed[k, party] = owed.get((k, party), none) * grown(tier["rate"]) + put_in[party] - got[party]
                asked = sum(owed[k, party] for party in parties)
                for party in parties:
                    gift[party] = min(left, asked) * owed[k, party] / asked if asked else none
                    owed[k, party] -= gift[party]
            elif "catch_up" in tier:
                party, to, share = tier["catch_up"], number(tier["to"]), number(tier["share"])
                profit = max(out + sum(got.values()) - invested, none)
                asked = max(to * profit - counted[party], none) / (share - to)
                for one in parties:
                    gift[one] = min(left, asked) * (share if one == party else (1 - share) / max(len(parties) - 1, 1))
            else:
                shares = {party: number(tier["shares"].get(party, 0)) for party in parties}
                ((party, yearly),) = tier.get("until", {"": 0}).items()
                asked = left
                if party:
                    owed[k, party] = owed.get((k, party), none) * grown(yearly) + put_in[party] - got[party]
                    asked = max(owed[k, party], none) / shares[party]
                gift = {one: min(left, asked) * shares[one] for one in parties}
            if "rate" not in tier:
                counted = {party: counted[party] + gift[party] for party in parties}
            for before in range(
                k + 1
            ):  # what a party gets counts towards the return until which an earlier tier goes on
                for party in tiers[before].get("until", {}):
                    owed[before, party] -= gift[party]
            here = sum(gift.values())
            left -= here
            got = {party: got[party] + gift[party] for party in parties}
            for party in parties:
                parts.setdefault(f"{party}_{k + 1}", []).append(gift[party])
            parts.setdefault(f"tier_{k + 1}", []).append(here)
            parts.setdefault(f"lacked_{k + 1}", []).append(asked - here)
        out += sum(got.values())
        for party in parties:
            parts.setdefault(party, []).append(got[party])
        for k, tier in enumerate(tiers):
            still = [max(owed[k, party], none) for party in tier.get("until", {})]
            lacks = parts[f"lacked_{k + 1}"][-1] if not still else still[0]
            parts.setdefault(f"owed_{k + 1}", []).append(lacks)
    return parts

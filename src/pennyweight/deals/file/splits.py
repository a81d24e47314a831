"""`[splits.NAME]` of a deal file: who paid in what, and the tiers in which proceeds go back."""

from __future__ import annotations

from pennyweight.deals.file.context import Context
from pennyweight.deals.file.entry_shapes import SplitShape, TierShape
from pennyweight.deals.language.nodes import Node
from pennyweight.deals.language.translation import folded
from pennyweight.deals.parts import Split, Tier
from pennyweight.errors import InputError, nearest

__all__ = ["read_splits"]


def read_splits(context: Context) -> dict[str, Split]:
    """The splits of a deal, their tiers in an order that can be filled."""
    found = {}
    for name, item in context.shape.splits.items():
        with context.noting("splits", name):
            found[name] = _split(context, name, item)
    return found


def _split(context: Context, name: str, item: SplitShape) -> Split:
    where = context.where("splits", name)
    if not item.paid_in:
        raise InputError(f"{where}: name in 'paid_in' who paid in what, such as {{ investor = 'calls' }}.", at=where)
    for party in item.paid_in:
        taken = party.startswith(("tier_", "owed_")) or party.rpartition("_")[2].isdigit()
        if taken or not party.isidentifier() or not party[0].isalpha():
            raise InputError(
                f"{where}: '{party}' cannot be a party; use letters and _, and no number at the end.", at=where
            )
    if not item.tiers:
        raise InputError(f"{where}: write the tiers, the last of them shares of all the rest.", at=where)
    tiers = tuple(_tier(context, name, number, tier) for number, tier in enumerate(item.tiers))
    _check_order(tiers, where)
    paid_in = {party: context.parse(given, "splits", name, "paid_in", party) for party, given in item.paid_in.items()}
    of = context.parse(item.of, "splits", name, "of")
    return Split(name, of, paid_in, tiers, item.label or name.replace("_", " "), where, str(item.of))


def _tier(context: Context, split: str, number: int, item: TierShape) -> Tier:
    where, parties = f"{context.where('splits', split)}, tier {number + 1}", list(context.shape.splits[split].paid_in)
    kinds = [key for key in ("rate", "catch_up", "shares") if getattr(item, key) is not None]
    if len(kinds) != 1:
        said = f"has {' and '.join(kinds)}" if kinds else "has none of them"
        raise InputError(f"{where} {said}; a tier is one of 'rate', 'catch_up' and 'shares'.", at=where)
    if item.until is not None and kinds != ["shares"]:
        raise InputError(f"{where}: 'until' goes with 'shares'; leave it out.", at=where)
    if (item.to is None) == (kinds == ["catch_up"]):
        raise InputError(
            f"{where}: 'catch_up' and 'to' go together, such as catch_up = 'sponsor', to = '20%'.", at=where
        )

    def parsed(given: int | float | str) -> Node:
        return context.parse(given, "splits", split, "tiers")

    def known(party: str) -> str:
        if party not in parties:
            raise InputError(
                f"{where}: there is no party '{party}'{nearest(party, parties) or '.'} The parties are "
                f"{', '.join(parties)}.",
                at=where,
            )
        return party

    if item.rate is not None:
        return Tier(rate=parsed(item.rate))
    if item.catch_up is not None and item.to is not None:
        to, share = parsed(item.to), parsed(item.share)
        low, high = folded(to), folded(share)
        if low is not None and high is not None and not 0 < low < high <= 1:
            raise InputError(
                f"{where}: it catches up to {item.to} with a share of {item.share}; the share must be larger, 100% at "
                "most.",
                at=where,
            )
        return Tier(party=known(item.catch_up), to=to, share=share)
    shares = {known(party): parsed(given) for party, given in (item.shares or {}).items()}
    numbers = [folded(node) for node in shares.values()]
    if all(one is not None for one in numbers) and abs(sum(one or 0.0 for one in numbers) - 1) > 1e-9:
        total = sum(one or 0.0 for one in numbers)
        raise InputError(f"{where}: the shares add up to {total * 100:.10g}%; they must make 100%.", at=where)
    if item.until is None:
        return Tier(shares=shares)
    if len(item.until) != 1:
        raise InputError(f"{where}: 'until' names one party and its return, such as {{ investor = '15%' }}.", at=where)
    ((party, rate),) = item.until.items()
    return Tier(shares=shares, party=known(party), until=parsed(rate))


def _check_order(tiers: tuple[Tier, ...], where: str) -> None:
    """Refuse tiers that nothing would reach, and a last one that leaves money over."""
    kinds = ["rate" if tier.rate else "catch_up" if tier.to else "until" if tier.until else "rest" for tier in tiers]
    if kinds[-1] != "rest":
        raise InputError(f"{where}: the last tier must be shares of all the rest, without 'until'.", at=where)
    for k, kind in enumerate(kinds[:-1]):
        if kind == "rest":
            raise InputError(f"{where}: tier {k + 1} takes all the rest, so that tier {k + 2} gets nothing.", at=where)
        if kind == "rate" and k and kinds[k - 1] != "rate":
            raise InputError(f"{where}: tier {k + 1} has a rate; tiers with a rate come first.", at=where)
    if "catch_up" in kinds and "rate" not in kinds[: kinds.index("catch_up")]:
        raise InputError(f"{where}: a catch-up follows a tier with a rate, to which it catches up.", at=where)
    before: float | None = None
    for k, tier in enumerate(tiers):
        asked = tier.rate or tier.until
        given = folded(asked) if asked else None
        if given is not None and before is not None and given <= before:
            raise InputError(
                f"{where}: tier {k + 1} asks for {given:.10g}, which tier {k} already gives; the returns must rise.",
                at=where,
            )
        before = given if given is not None else before

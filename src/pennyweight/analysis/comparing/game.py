"""Whose share of a difference is whose: Shapley's value, exactly or by orders drawn in pairs."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from pennyweight.analysis.simulating.chances import error_of
from pennyweight.array_kinds import Floats

__all__ = ["Corners", "Division", "divided"]

Corners = Callable[[NDArray[np.bool_]], Floats]
"""The figure at corners, (corners, players): true where a player has its new value."""

_MOST_EXACT = 10
_PAIRS = 8
"""So many pairs of orders come first, then twice as many each time."""
_MOST_AT_ONCE = 256
_MOST_PAIRS = 16_384
_CLOSE = 1e-4


@dataclass(frozen=True)
class Division:
    """How a difference falls to players: (players,) each.

    `alone` is what each does first, all others old, `last` what it does when all others are new; `errors` are 0 where
    every order was taken. `pairs` is by two players what they do together beyond what each does alone.
    """

    shares: Floats
    errors: Floats
    alone: Floats
    last: Floats
    pairs: dict[tuple[int, int], float]
    before: float
    after: float
    orders: int
    """How many orders were drawn; 0: all were taken."""


def divided(players: int, corners: Corners, *, seed: int = 1) -> Division:
    """What each player adds on average over all orders in which they may come.

    Up to ten players every corner is looked at; with more, orders are drawn with their reverse until no share may be
    off by more than 1e-4 of the whole movement. Each order's parts add up to the difference, and so do the shares.
    Sources: L. S. Shapley, "A Value for n-Person Games", 1953; antithetic orders: R. Mitchell and others, Journal of
    Machine Learning Research 23, 2022, 1-46.

    >>> both = divided(2, lambda corner: corner @ np.array([3.0, 1.0]) + 2.0 * corner.all(axis=1))
    >>> both.shares.tolist(), both.pairs
    ([4.0, 2.0], {(0, 1): 2.0})
    """
    return _exact(players, corners) if players <= _MOST_EXACT else _drawn(players, corners, seed)


def _looked(corners: Corners, masks: NDArray[np.bool_]) -> Floats:
    """The figure at corners, each looked at once."""
    kept, back = np.unique(masks, axis=0, return_inverse=True)
    return corners(kept)[back.reshape(-1)]


def _exact(players: int, corners: Corners) -> Division:
    numbers = np.arange(1 << players)
    masks = (numbers[:, None] >> np.arange(players) & 1).astype(np.bool_)
    value = _looked(corners, masks)
    size = masks.sum(axis=1)
    # How often each set of others stands before a player: s! (n - s - 1)! / n!
    chance = np.ones(players)
    for s in range(1, players):
        chance[s] = chance[s - 1] * s / (players - s)
    chance /= players
    shares = np.empty(players)
    for one in range(players):
        without = numbers[~masks[:, one]]
        shares[one] = float(((value[without | 1 << one] - value[without]) * chance[size[without]]).sum())
    whole = (1 << players) - 1
    alone = np.array([value[1 << one] - value[0] for one in range(players)])
    last = np.array([value[whole] - value[whole ^ 1 << one] for one in range(players)])
    pairs = {
        (a, b): float(value[1 << a | 1 << b] - value[1 << a] - value[1 << b] + value[0])
        for a in range(players)
        for b in range(a + 1, players)
    }
    return Division(shares, np.zeros(players), alone, last, pairs, float(value[0]), float(value[whole]), 0)


def _drawn(players: int, corners: Corners, seed: int) -> Division:
    draw = np.random.Generator(np.random.PCG64(seed))
    parts: list[Floats] = []
    ends = np.vstack([np.zeros((1, players)), np.ones((1, players)), np.eye(players), 1 - np.eye(players)]) == 1
    value = _looked(corners, ends)
    before, after = float(value[0]), float(value[1])
    alone, last = value[2 : 2 + players] - before, after - value[2 + players :]
    count = _PAIRS
    while True:
        orders = np.array([draw.permutation(players) for _ in range(count)])
        orders = np.concatenate([orders, orders[:, ::-1]])
        place = np.empty_like(orders)
        np.put_along_axis(place, orders, np.arange(players)[None, :].repeat(len(orders), axis=0), axis=1)
        masks = place[:, None, :] < np.arange(1, players)[None, :, None]
        inner = _looked(corners, masks.reshape(-1, players)).reshape(len(orders), players - 1)
        steps = np.diff(np.column_stack([np.full(len(orders), before), inner, np.full(len(orders), after)]), axis=1)
        moved = np.empty_like(steps)
        np.put_along_axis(moved, orders, steps, axis=1)
        parts.append((moved[:count] + moved[count:]) / 2)
        count = min(2 * count, _MOST_AT_ONCE)
        pairs = np.concatenate(parts)
        shares = pairs.mean(axis=0)
        errors = np.array([error_of(pairs[:, one]) for one in range(players)])
        movement = max(abs(after - before), float(np.abs(shares).sum()))
        if errors.max() <= _CLOSE * movement or len(pairs) >= _MOST_PAIRS:
            return Division(shares, errors, alone, last, {}, before, after, 2 * len(pairs))

"""Figures that move together: rank correlations, and the normal ones that bring them about."""

from __future__ import annotations

import numpy as np

from pennyweight.array_kinds import Floats

__all__ = ["factor_of", "is_possible", "nearest_possible", "normal_correlations", "rank_correlations"]

_HAIR = 1e-10
_ROUNDS = 500


def normal_correlations(ranks: Floats) -> Floats:
    """The correlations of normals whose ranks have these correlations (Spearman's): 2 sin(pi r / 6).

    Source: K. Pearson, "On Further Methods of Determining Correlation", Drapers' Company Research Memoirs IV, 1907.

    >>> normal_correlations(np.array([0.5])).round(4)
    array([0.5176])
    """
    return 2.0 * np.sin(np.pi * ranks / 6.0)


def rank_correlations(normals: Floats) -> Floats:
    """The other way round.

    >>> rank_correlations(normal_correlations(np.array([0.5]))).round(12)
    array([0.5])
    """
    return 6.0 / np.pi * np.arcsin(normals / 2.0)


def is_possible(matrix: Floats) -> bool:
    """Whether any figures can be correlated like this: no eigenvalue below zero.

    >>> is_possible(np.array([[1, 0.9, -0.9], [0.9, 1, 0.9], [-0.9, 0.9, 1]]))
    False
    """
    return bool(np.linalg.eigvalsh(matrix).min() >= -_HAIR)


def nearest_possible(matrix: Floats) -> Floats:
    """The nearest matrix of correlations that can be, by the root of the squared differences.

    Source: N. J. Higham, "Computing the nearest correlation matrix", IMA Journal of Numerical Analysis 22, 2002,
    329-343: projections in turn, with Dykstra's correction.

    >>> near = nearest_possible(np.array([[1, 1, 0], [1, 1, 1], [0, 1, 1.0]]))
    >>> near.round(4).tolist()
    [[1.0, 0.7607, 0.1573], [0.7607, 1.0, 0.7607], [0.1573, 0.7607, 1.0]]
    """
    found, correction = matrix.astype(np.float64), np.zeros_like(matrix, dtype=np.float64)
    for _ in range(_ROUNDS):
        shifted = found - correction
        values, vectors = np.linalg.eigh(shifted)
        projected = (vectors * np.maximum(values, 0.0)) @ vectors.T
        correction = projected - shifted
        before, found = found, projected.copy()
        np.fill_diagonal(found, 1.0)
        if np.abs(found - before).max() < _HAIR:
            break
    return found


def factor_of(matrix: Floats) -> Floats:
    """A matrix F with F Fᵀ the correlations, also where these leave no room (an eigenvalue of zero).

    >>> factor = factor_of(np.array([[1.0, 0.6], [0.6, 1.0]]))
    >>> (factor @ factor.T).round(12).tolist()
    [[1.0, 0.6], [0.6, 1.0]]
    """
    values, vectors = np.linalg.eigh(matrix)
    if values.min() > _HAIR:
        return np.asarray(np.linalg.cholesky(matrix), dtype=np.float64)
    return np.asarray(vectors * np.sqrt(np.maximum(values, 0.0)))

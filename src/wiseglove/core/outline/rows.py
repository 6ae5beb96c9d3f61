"""Least squares whose rows have few unknowns each, as those of places along an outline do."""

from __future__ import annotations

from dataclasses import dataclass

import numba as nb
import numpy as np
from numpy.typing import NDArray
from scipy.linalg.lapack import dposv

Array = NDArray[np.float64]


@dataclass(frozen=True)
class Rows:
    """Rows of a linear system: the unknowns that each has (M, W), rising, and their factors (M, W)."""

    unknown: NDArray[np.int64]
    factor: Array

    def times(self, unknowns: Array) -> Array:
        """What the rows give (M,) for unknowns (U,)."""
        return np.asarray(np.einsum("mw,mw->m", self.factor, unknowns[self.unknown]))

    def add(self, weights: Array, targets: Array, matrix: Array, right: Array) -> None:
        """Add their normal equations to matrix (U, U), its upper half only, and right side (U, R).

        The rows are to give targets (M, R), and count by weights (M,).
        """
        _add(self.unknown, self.factor, weights, targets, matrix, right)


def joined(*several: Rows) -> Rows:
    """Rows of equal width below one another."""
    return Rows(np.concatenate([r.unknown for r in several]), np.concatenate([r.factor for r in several]))


def solved(matrix: Array, right: Array) -> Array:
    """Unknowns (U, R) of normal equations whose matrix is positive definite; only its upper half is read, and written over.

    Turned over, rows are columns, as LAPACK has them: the matrix is not copied. Raises LinAlgError where it is not positive definite.
    """
    _, unknowns, refused = dposv(matrix.T, right, lower=1, overwrite_a=1)
    if refused:
        raise np.linalg.LinAlgError("the normal equations are not positive definite")
    return np.asarray(unknowns)


@nb.njit(cache=True, fastmath=True)
def _add(unknown, factor, weights, targets, matrix, right):  # type: ignore[no-untyped-def]
    rows, width = unknown.shape
    for m in range(rows):
        for a in range(width):
            one = unknown[m, a]
            heavy = weights[m] * factor[m, a]
            if heavy == 0.0:
                continue
            for r in range(targets.shape[1]):
                right[one, r] += heavy * targets[m, r]
            for b in range(a, width):
                matrix[one, unknown[m, b]] += heavy * factor[m, b]

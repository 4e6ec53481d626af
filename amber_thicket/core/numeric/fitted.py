"""Least squares with many rows and few unknowns, by the normal equations."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

# Rows summed at single precision before they are added up at double.
_ROWS = 4096


def fit_rows(rows: NDArray[np.floating], wanted: NDArray[np.floating]) -> NDArray[np.float64]:
    """The entries (K,) or (K, M) with which rows (N, K) come nearest to what is wanted, (N,) or (N, M), in the sum of
    squares; the smallest of them where several do. For well-scaled unknowns, a few; N may be millions.

    Source: Golub & Van Loan, Matrix Computations, 4th ed., 5.3.2.
    """
    right = wanted.reshape(len(rows), -1)
    gram, product = np.zeros((rows.shape[1],) * 2), np.zeros((rows.shape[1], right.shape[1]))
    for first in range(0, len(rows), _ROWS):
        part = rows[first : first + _ROWS]
        gram += part.T @ part
        product += part.T @ right[first : first + _ROWS]
    # Columns of very different size would make the smaller ones look like none.
    size = np.sqrt(np.maximum(np.diag(gram), 1e-300))
    entries = np.linalg.lstsq(gram / np.outer(size, size), product / size[:, None], rcond=1e-10)[0] / size[:, None]
    return np.asarray(np.where(np.diag(gram)[:, None] > 0, entries, 0.0).reshape(rows.shape[1:] + wanted.shape[1:]))

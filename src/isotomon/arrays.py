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

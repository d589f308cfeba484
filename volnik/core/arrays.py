"""The one form of columns of numbers."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]
Bools = NDArray[np.bool_]

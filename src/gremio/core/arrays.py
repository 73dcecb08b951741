"""What arrays of numbers are called in signatures."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

Array = npt.NDArray[np.float64]
Rows = npt.NDArray[np.intp]
Flags = npt.NDArray[np.bool_]

"""The kinds of numbers that the core computes on."""

import numpy as np
import numpy.typing as npt

Array = npt.NDArray[np.float64]
IntArray = npt.NDArray[np.int64]
Flags = npt.NDArray[np.bool_]
#: One figure, or one for each operating point.
Figure = float | Array

"""Array types shared by the core."""

from typing import Any

import numpy as np
import numpy.typing as npt

Float64 = npt.NDArray[np.float64]
Float32 = npt.NDArray[np.float32]
Uint8 = npt.NDArray[np.uint8]
Bool = npt.NDArray[np.bool_]
Int = npt.NDArray[np.int64]
AnyArray = npt.NDArray[Any]

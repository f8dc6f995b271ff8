"""Array types of the core: float64, time last; single precision only where it is kept."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

Samples = NDArray[np.float64]
SingleSamples = NDArray[np.float32]
Spectrum = NDArray[np.complex128]
Mask = NDArray[np.bool_]
Indices = NDArray[np.intp]

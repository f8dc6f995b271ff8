"""The weights of the network that says how far off a fit is likely to be, fitted so that the landings agreed on are right.

On 17,000 made-up hits of three recipes: the least mean of log(1 + (cents off / 5)^2). Means and spreads of the signs (in
the order of `consensus.py`), their weights, and six hidden units.
"""

from __future__ import annotations

import numpy as np

# fmt: off
CENTRES = np.array([
    1.755, 0.165, 0.189, 0.326, 1.870, -3.824,
    -4.518, 0.053, 2.072, 2.174,
])
SCALES = np.array([
    1.474, 0.371, 0.391, 0.469, 0.719, 1.609,
    7.537, 0.937, 1.468, 1.250,
])
LINEAR = np.array([
    0.344, 0.358, 0.501, 0.791, 0.097, 0.149,
    -0.014, -0.116, -0.011, 0.239,
])
HIDDEN = np.array([
    [-0.006, 0.574, -0.474, -0.306, 0.018, 0.664],
    [-0.536, 0.570, 0.264, -0.595, 0.378, -0.940],
    [-0.642, 0.066, -0.023, -0.318, 0.211, -0.466],
    [-0.121, -0.163, 0.326, 0.080, 0.679, -0.201],
    [-0.880, -0.359, -0.419, 0.387, -0.100, -0.029],
    [-0.131, -0.741, 0.068, -0.365, -0.122, 0.548],
    [0.173, -0.222, 0.214, 0.568, -0.570, -0.213],
    [-0.053, 0.539, -1.117, 0.603, 0.344, 0.453],
    [-0.167, 0.207, 0.597, 0.438, 0.051, 0.230],
    [-0.203, -0.233, 0.051, 0.034, -0.714, -0.186],
])
HIDDEN_BIAS = np.array([
    -0.142, -0.363, 0.558, 0.215, -0.127, -0.338,
])
OUTPUT = np.array([
    1.199, 1.119, -0.918, -0.772, -0.985, 1.178,
])
# fmt: on

"""How much each sign of a kick counts: two logistic models fitted on 900 made-up loops, half of them with a bass.

Six bands each of rise, level, fall, what is left later and share of what was added; then the eight against the others.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from juglant.core.types import Samples

# A sign is held within so many of its own spreads: beyond lies what the loops did not show.
HELD = 5.0


@dataclass(frozen=True)
class Logistic:
    """A logistic model: the mean and spread of each sign over the loops, its weight, and the bias."""

    centres: Samples
    scales: Samples
    weights: Samples
    bias: float

    def chance(self, signs: Samples) -> Samples:
        """The chance of each of (places, signs), (places,), 0..1."""
        held = np.clip((signs - self.centres) / self.scales, -HELD, HELD)
        return np.asarray(1 / (1 + np.exp(-(held @ self.weights + self.bias))))


# fmt: off
# A place by itself.
ALONE_CENTRES = np.array([
    7.656, 8.563, 11.886, 14.452, 16.896, 17.193,
    -12.359, -12.262, -13.116, -13.354, -18.562, -21.975,
    -0.594, -1.836, -5.472, -7.384, -9.232, -9.632,
    -3.096, -4.653, -5.696, -5.456, -4.464, -3.792,
    -16.851, -15.711, -18.194, -19.782, -31.066, -35.845,
])
ALONE_SCALES = np.array([
    15.495, 16.789, 18.840, 18.479, 18.311, 20.816,
    11.889, 11.643, 12.078, 11.850, 13.677, 17.621,
    9.539, 9.068, 8.660, 9.586, 14.210, 19.010,
    14.015, 13.698, 14.259, 14.010, 17.117, 20.813,
    16.928, 15.245, 15.453, 14.931, 20.490, 27.235,
])
ALONE_WEIGHTS = np.array([
    0.953, -0.352, -0.501, 1.310, 0.071, -0.071,
    1.750, 2.559, 1.214, 1.578, 0.461, 0.451,
    1.873, 0.970, -1.557, 0.435, -1.821, -0.499,
    0.806, -0.492, 0.293, -0.055, 0.858, 0.060,
    -0.597, 0.110, -0.166, -0.244, 0.256, 0.909,
])
ALONE = Logistic(ALONE_CENTRES, ALONE_SCALES, ALONE_WEIGHTS, -5.126)
# And against the sound that the surest places share, and against what begins the loop.
AMONG_CENTRES = np.array([
    7.656, 8.563, 11.886, 14.452, 16.896, 17.193,
    -12.359, -12.262, -13.116, -13.354, -18.562, -21.975,
    -0.594, -1.836, -5.472, -7.384, -9.232, -9.632,
    -3.096, -4.653, -5.696, -5.456, -4.464, -3.792,
    -16.851, -15.711, -18.194, -19.782, -31.066, -35.845,
    0.424, 0.382, 1.670, 2.240, -5.103, 0.984,
    0.353, 0.414,
])
AMONG_SCALES = np.array([
    15.495, 16.789, 18.840, 18.479, 18.311, 20.816,
    11.889, 11.643, 12.078, 11.850, 13.677, 17.621,
    9.539, 9.068, 8.660, 9.586, 14.210, 19.010,
    14.015, 13.698, 14.259, 14.010, 17.117, 20.813,
    16.928, 15.245, 15.453, 14.931, 20.490, 27.235,
    0.360, 0.428, 1.195, 0.531, 7.939, 0.051,
    0.351, 0.530,
])
AMONG_WEIGHTS = np.array([
    0.351, -0.125, 0.197, 0.562, 0.107, 0.005,
    1.531, 1.307, 0.321, 1.068, 0.843, -0.052,
    1.191, 0.728, -0.993, 0.462, -0.582, -0.675,
    0.382, -0.411, 0.282, -0.147, 0.475, 0.029,
    -0.321, 0.123, -0.116, -0.432, 0.047, 0.809,
    1.724, 0.534, 0.588, -0.209, 2.249, -0.480,
    0.967, -0.108,
])
AMONG = Logistic(AMONG_CENTRES, AMONG_SCALES, AMONG_WEIGHTS, -5.371)
# fmt: on

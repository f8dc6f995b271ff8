"""Which job a sound does in a hit, from where its energy lies."""

from __future__ import annotations

from juglant.core.measure.bands import spectrum_of
from juglant.core.types import Samples

SILENT = 1e-6
# Which job a layer does, from its energy: this project's choice (docs/methods.md).
HIGH_HZ, LOW_HZ = 250.0, 150.0
EARLY_S, EARLY_SHARE, LATE_S = 0.03, 0.9, 0.06
MOST_SHARE = 0.5


def job_of(audio: Samples, *, sample_rate: int) -> str:
    """'click', 'body' or 'tail' by where the energy lies in frequency and time; 'silent' without any."""
    return job_from(audio, *spectrum_of(audio, sample_rate=sample_rate))


def job_from(audio: Samples, frequency: Samples, power: Samples) -> str:
    """The same, with the spectrum that `spectrum_of` gives."""
    sample_rate = round(2 * float(frequency[-1])) if frequency.size > 1 else 1
    total = float(power.sum())
    if total <= SILENT**2:
        return "silent"
    energy = audio**2
    early = float(energy[: round(EARLY_S * sample_rate)].sum()) / float(energy.sum())
    if early > EARLY_SHARE or float(power[frequency > HIGH_HZ].sum()) > MOST_SHARE * total:
        return "click"
    late = float(energy[round(LATE_S * sample_rate) :].sum()) / float(energy.sum())
    low = float(power[frequency < LOW_HZ].sum()) / total
    return "tail" if late > MOST_SHARE and low > MOST_SHARE else "body"

"""What a sound can serve as, and why, by its register, what is left above after the stroke, and how long it falls.

Whatever made it: the lowest and shortest is a kick, a skin that rings a tom, a middle that goes on hissing a snare, a band
without a body a clap, what is nearly all above 3 kHz a hat. The limits are set on one recorded kit and the drums of a sound
set (Debian's packages); they are tried on kits that were not looked at for them.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from scipy import signal as filters

from juglant.core.measure.character import fall_ms
from juglant.core.model.ids import Role
from juglant.core.types import Samples

BEGINS_AT = 0.05
# The stroke itself is over after this, and what is looked at ends here, s.
AFTER_S, UNTIL_S = 0.04, 0.2
HIGH_HZ, BODY_HZ, MIDDLE_HZ, TOP_HZ, LOW_HZ = (2000, 16000), (100, 500), (700, 2500), (3000, 16000), (30, 130)
UNDER_HZ = (30, 1500)
# Above 2 kHz against below 1.5 kHz once the stroke is over: less is a skin or a body, more goes on hissing.
DULL_DB = -15.0
# A cymbal falls longer than this, and rings longer than any snare; a kick is shorter than a tom.
CYMBAL_MS, OPEN_MS, TOM_MS, UNWIRED_MS = 2500.0, 600.0, 860.0, 600.0
CLAP_MIDDLE_DB, CLAP_TOP_DB, SNARE_DB, KICK_LOW_DB, UNWIRED_LOW_DB = -3.5, -4.5, 2.0, -6.0, -14.0
ORDER = 4
SILENT = 1e-6


@dataclass(frozen=True)
class ReadRole:
    """What a sound can serve as, and the figures that say so, in words."""

    role: Role
    because: tuple[str, ...]


def _band(sound: Samples, ends: tuple[float, float], rate: int) -> Samples:
    high = min(ends[1], 0.45 * rate)
    if ends[0] >= high:
        return np.zeros_like(sound)
    return np.asarray(filters.sosfilt(_sections(ends[0], high, rate), sound))


@lru_cache(maxsize=32)
def _sections(low: float, high: float, rate: int) -> Samples:
    # Not to be written to; the filter asks for an array that may be.
    return np.asarray(filters.butter(ORDER, (low, high), "bandpass", fs=rate, output="sos"))


def _energy_db(sound: Samples) -> float:
    return 10 * float(np.log10(np.sum(sound**2) + 1e-12))


def role_of(sound: Samples, *, sample_rate: int) -> ReadRole | None:
    """What a sound of one channel, (frames,), can serve as; None of silence."""
    peak = float(np.max(np.abs(sound), initial=0.0))
    if peak < SILENT:
        return None
    sound = np.asarray(sound, dtype=np.float64) / peak
    sound = sound[int(np.argmax(np.abs(sound) > BEGINS_AT)) :]
    falls, all_db = fall_ms(sound, sample_rate=sample_rate), _energy_db(sound)
    after = slice(round(AFTER_S * sample_rate), round(UNTIL_S * sample_rate))
    left_db = _energy_db(_band(sound, HIGH_HZ, sample_rate)[after]) - _energy_db(_band(sound, UNDER_HZ, sample_rate)[after])
    body, middle, top, low = (
        _energy_db(_band(sound, ends, sample_rate)) - all_db for ends in (BODY_HZ, MIDDLE_HZ, TOP_HZ, LOW_HZ)
    )
    length = f"falls by 60 dB in {falls:.0f} ms"
    if left_db < DULL_DB:
        said = f"{-left_db:.0f} dB less above 2 kHz than below it once the stroke is over"
        if low < UNWIRED_LOW_DB and falls < UNWIRED_MS:
            return ReadRole("snare", (said, f"hardly a low, {low:.0f} dB below 130 Hz, and short: {length}"))
        if falls < TOM_MS and low > KICK_LOW_DB:
            return ReadRole("kick", (f"{low:.0f} dB of it below 130 Hz", said, length))
        return ReadRole("tom", (said, length, f"{body:.0f} dB of it from 100 to 500 Hz"))
    if falls > CYMBAL_MS:
        return ReadRole("open hat", (length, f"{top:.0f} dB of it above 3 kHz"))
    if middle > CLAP_MIDDLE_DB and top < CLAP_TOP_DB:
        return ReadRole("clap", (f"{middle:.0f} dB of it from 700 Hz to 2.5 kHz", f"no body: {body:.0f} dB", length))
    if body - top > SNARE_DB:
        return ReadRole("snare", (f"a body, {body:.0f} dB from 100 to 500 Hz, and a hiss that outlasts it", length))
    return ReadRole("hat" if falls < OPEN_MS else "open hat", (f"{top:.0f} dB of it above 3 kHz", length))

"""What small systems would play of the bass, and the mid that it needs there."""

from __future__ import annotations

import numpy as np
from scipy import fft

from juglant.core.analysis.analyse import Analysis
from juglant.core.findings.finding import Finding, Fix
from juglant.core.loop.render import bass_description, render_stem
from juglant.core.measure.level import k_weighted
from juglant.core.memory import newest
from juglant.core.model.stem import BASS
from juglant.core.model.track import Track
from juglant.core.synth.bass import MOST_MID_DB, OFF_DB
from juglant.core.types import Samples

# A laptop or a phone plays little below (this project's choice until there are playback stand-ins).
SMALL_FROM_HZ = 180.0
# The mid is set a little over what is needed, so that the finding is answered.
MARGIN_DB, STEP_DB = 0.5, 0.5


def _spectrum(track: Track) -> Samples:
    """K-weighted spectrum of the bass line alone, complex (bins,)."""
    audio = render_stem(track, BASS.of("before"))
    size = fft.next_fast_len(audio.size, real=True)
    return np.asarray(fft.rfft(k_weighted(audio, sample_rate=track.sheet.sample_rate), size))


def _above(sample_rate: int, bins: int) -> slice:
    return slice(int(np.ceil(SMALL_FROM_HZ / (sample_rate / 2) * (bins - 1))), None)


def _share_db(spectrum: Samples, above: slice) -> float:
    """K-weighted level of what small systems play, re the whole, dB."""
    power = np.abs(spectrum) ** 2
    return 10 * float(np.log10(max(float(power[above].sum()) / max(float(power.sum()), 1e-30), 1e-12)))


@newest(16)
def _heard_db(description: Track) -> float | None:
    """What small systems play of a bass line, re all of it, dB; None where it is silent (pure, remembered, bounded)."""
    spectrum = _spectrum(description)
    return _share_db(spectrum, _above(description.sheet.sample_rate, spectrum.size)) if np.any(spectrum) else None


@newest(16)
def _needed_mid_db(description: Track, wanted: float) -> float | None:
    """The lowest level of the mid at which small systems play as much, dB; None where none does."""
    bass = description.bass
    off, full = (
        _spectrum(description.model_copy(update={"bass": bass.model_copy(update={"mid_db": mid_db})}))
        for mid_db in (OFF_DB, 0.0)
    )
    # The mid is added to the rest: one render says what every level of it makes.
    mid, above = full - off, _above(description.sheet.sample_rate, off.size)
    for level_db in np.arange(-48.0, MOST_MID_DB + STEP_DB, STEP_DB):
        if _share_db(off + 10 ** (level_db / 20) * mid, above) >= wanted:
            return float(level_db)
    return None


def lost_on_small_systems(found: Analysis) -> list[Finding]:
    """A bass of which small systems play nothing."""
    track = found.track
    if not track.notes():
        return []
    description = bass_description(track)
    share = _heard_db(description)
    if share is None or share >= track.limits.small_system_db:
        return []
    recorded = track.bass.source == "recorded line"
    needed = None if recorded else _needed_mid_db(description, track.limits.small_system_db + MARGIN_DB)
    fixes: tuple[Fix, ...] = ()
    reason = f"A laptop or a phone plays little below {SMALL_FROM_HZ:.0f} Hz, and the bass has next to nothing above."
    if needed is not None:
        reason += f" A mid at {needed:.1f} dB would be heard."
        bass = track.bass.model_copy(update={"mid_db": needed})
        fixes = (Fix(label=f"Mid at {needed:.1f} dB", track=track.model_copy(update={"bass": bass})),)
    elif recorded:
        reason += " It is a recorded line: an octave above it, or some drive, belongs to where it was made."
    else:
        reason += " Even a mid at full level would not be enough: drive it more, or begin it lower."
    return [
        Finding(
            id="bass-lost-on-small-systems",
            step="hits",
            severity="look",
            title="Small systems play nothing of the bass",
            reason=reason,
            value=share,
            unit="dB",
            limit=track.limits.small_system_db,
            limit_kind="this project's choice",
            hit_id="bass",
            fixes=fixes,
        )
    ]


FINDERS = (lost_on_small_systems,)

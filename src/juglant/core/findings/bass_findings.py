"""What small systems would play of the bass, and the mid that it needs there."""

from __future__ import annotations

import numpy as np
from scipy import fft

from juglant.core.analysis.analyse import Analysis
from juglant.core.errors import InvalidTrack
from juglant.core.findings.finding import Finding, Fix
from juglant.core.loop.bass_line import bass_description
from juglant.core.loop.render import render_stem
from juglant.core.measure.level import k_weighted
from juglant.core.memory import newest
from juglant.core.model.ids import BASS_PART
from juglant.core.model.stem import BASS
from juglant.core.model.track import Track
from juglant.core.plans.driven_highs import SPLIT_HZ, with_driven_highs
from juglant.core.synth.bass import LAYERS, MOST_MID_DB, OFF_DB
from juglant.core.types import Samples

# A laptop or a phone plays little below (this project's choice until there are playback stand-ins).
SMALL_FROM_HZ = 180.0
# The mid is set a little over what is needed, so that the finding is answered.
MARGIN_DB, STEP_DB = 0.5, 0.5
# The least drive of the highs that is enough, above the usual split first.
SPLITS_HZ, DRIVES_DB = (SPLIT_HZ, SPLIT_HZ / 2), (6.0, 12.0, 18.0, 24.0, 30.0)


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
        _spectrum(description.with_part(BASS_PART, instrument=bass.model_copy(update={"mid_db": mid_db})))
        for mid_db in (OFF_DB, 0.0)
    )
    # The mid is added to the rest: one render says what every level of it makes.
    mid, above = full - off, _above(description.sheet.sample_rate, off.size)
    if any(one.on for one in description.bass_chain):
        return _needed_through_a_chain(description, wanted)
    for level_db in np.arange(-48.0, MOST_MID_DB + STEP_DB, STEP_DB):
        if _share_db(off + 10 ** (level_db / 20) * mid, above) >= wanted:
            return float(level_db)
    return None


def _or_silent(share_db: float | None) -> float:
    """A share as a number: of a silent line none is played."""
    return -np.inf if share_db is None else share_db


def _needed_through_a_chain(description: Track, wanted: float) -> float | None:
    """The same where the line goes through a chain, which need not add up: each level tried is rendered."""
    levels = np.arange(-48.0, MOST_MID_DB + STEP_DB, STEP_DB)

    def share(level_db: float) -> float:
        bass = description.bass.model_copy(update={"mid_db": level_db})
        return _or_silent(_heard_db(description.with_part(BASS_PART, instrument=bass)))

    low, high = 0, len(levels) - 1
    if share(float(levels[high])) < wanted:
        return None
    while low < high:
        middle = (low + high) // 2
        low, high = (low, middle) if share(float(levels[middle])) >= wanted else (middle + 1, high)
    return float(levels[low])


def _driven_highs(track: Track) -> tuple[Fix, ...]:
    wanted = track.limits.small_system_db + MARGIN_DB

    def solved(now: Track) -> Track:
        for split_hz in SPLITS_HZ:
            for drive_db in DRIVES_DB:
                made = with_driven_highs(now, BASS_PART, split_hz, drive_db)
                if _or_silent(_heard_db(bass_description(made))) >= wanted:
                    return made
        raise InvalidTrack(
            f"there is too little above {SPLITS_HZ[-1]:g} Hz in this line to drive; its lows have to be driven too, or an "
            "octave of it added where it was made"
        )

    return (Fix(label="Drive its highs", solve=solved),)


def lost_on_small_systems(found: Analysis) -> list[Finding]:
    """A bass of which small systems play nothing."""
    track = found.track
    if not track.notes():
        return []
    description = bass_description(track)
    share = _heard_db(description)
    if share is None or share >= track.limits.small_system_db:
        return []
    recorded = not track.bass.is_made
    needed = None if recorded else _needed_mid_db(description, track.limits.small_system_db + MARGIN_DB)
    fixes: tuple[Fix, ...] = ()
    reason = f"A laptop or a phone plays little below {SMALL_FROM_HZ:.0f} Hz, and the bass has next to nothing above."
    if needed is not None:
        reason += f" A mid at {needed:.1f} dB would be heard."
        bass = track.bass.model_copy(update={"mid_db": needed})
        fixes = (Fix(label=f"Mid at {needed:.1f} dB", track=track.with_part(BASS_PART, instrument=bass)),)
    elif recorded:
        what = "It is layers of its own" if track.bass.source == LAYERS else "It is a recorded line"
        reason += f" {what}: drive on its highs makes what small systems play, and leaves its lows clean."
        fixes = _driven_highs(track)
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

"""Findings of hits of one role that fall together."""

from __future__ import annotations

from juglant.core.analysis.analyse import Analysis
from juglant.core.analysis.coincide import (
    LEAST_APART_MS,
    Coincidence,
    coincidences,
    moved,
    muted,
    shifted_strokes,
    stem_coincidences,
    with_hit_muted,
)
from juglant.core.findings.finding import Finding, Fix
from juglant.core.measure.bands import CENTRES_HZ

# Nominal names of the third-octave bands (IEC 61260-1).
NOMINAL = (25, 31.5, 40, 50, 63, 80, 100, 125, 160, 200)
MOST_PAIRS = 3


def hits_fall_together(found: Analysis) -> list[Finding]:
    """Two claps, snares or kicks within 20 ms of each other, and what their sum loses."""
    track = found.track
    limit = track.limits.comb_loss_db
    said = [_finding(found, pair) for pair in coincidences(track)[:MOST_PAIRS] if pair.loss_db <= limit]
    return said + [_with_a_stem(found, pair) for pair in stem_coincidences(track)[:MOST_PAIRS]]


def _with_a_stem(found: Analysis, pair: Coincidence) -> Finding:
    track = found.track
    one, stem = track.hit_of(pair.one), track.hit_of(pair.other).name
    wanted, side = -pair.best_shift_ms, "after" if pair.apart_ms > 0 else "before"
    fixes = [Fix(label=f"Mute {one.name}", track=with_hit_muted(track, one.id))]
    shifted = shifted_strokes(track, one.id, wanted)
    if shifted is not None and shifted != track:
        fixes.insert(0, Fix(label=f"Move {one.name} by {wanted:+.1f} ms", track=shifted))
    return Finding(
        id=f"together-{pair.one}-{pair.other}",
        step="separate",
        topic="other parts",
        severity="look" if pair.loss_db <= track.limits.comb_loss_db else "note",
        title=f"{one.name} falls beside one in {stem}",
        reason=(
            f"{stem} strikes {abs(pair.apart_ms):.1f} ms {side} it, {pair.count} times: both are heard as one that is "
            f"smeared, and around {band_name(pair.band_hz)} the sum is {pair.loss_db:+.1f} dB re both."
        ),
        value=abs(pair.apart_ms),
        unit="ms",
        limit=LEAST_APART_MS,
        limit_kind="this project's choice",
        place_beats=pair.at_beats,
        hit_id=pair.one,
        fixes=tuple(fixes),
    )


def _finding(found: Analysis, pair: Coincidence) -> Finding:
    track = found.track
    one, other = track.hit_of(pair.one).name, track.hit_of(pair.other).name
    fixes = [Fix(label=f"Mute {other} there", track=muted(track, pair))]
    better = moved(track, pair)
    if better is not None and better != track:
        fixes.insert(0, Fix(label=f"Move {other} by {pair.best_shift_ms:+.1f} ms", track=better))
    return Finding(
        id=f"together-{pair.one}-{pair.other}",
        step="separate",
        topic="other parts",
        severity="look",
        title=f"{one} and {other} take from each other",
        reason=(
            f"{pair.count} strokes fall within 20 ms of each other; the first two are {abs(pair.apart_ms):.1f} ms apart: "
            f"around {band_name(pair.band_hz)} the sum has {-pair.loss_db:.1f} dB less than both have."
        ),
        value=pair.loss_db,
        unit="dB",
        limit=track.limits.comb_loss_db,
        limit_kind="this project's choice",
        place_beats=pair.at_beats,
        hit_id=pair.other,
        fixes=tuple(fixes),
    )


def band_name(centre_hz: float) -> str:
    """A band as it is usually called."""
    step = CENTRES_HZ.index(centre_hz)
    nominal = NOMINAL[step % 10] * 10 ** (step // 10)
    return f"{nominal / 1000:g} kHz" if nominal >= 1000 else f"{nominal:g} Hz"


FINDERS = (hits_fall_together,)

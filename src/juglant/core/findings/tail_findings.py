"""Findings of pitched low parts that ring into each other."""

from __future__ import annotations

from juglant.core.analysis.analyse import Analysis
from juglant.core.findings.finding import Finding, Fix
from juglant.core.memory import newest
from juglant.core.model.ids import BASS_PART
from juglant.core.model.track import Track
from juglant.core.tune.tails import Ringing, choked, left_of, ringings

# So many pairs are told of; each more of a kit that is out of tune says the same.
MOST_PAIRS = 3


@newest(8)
def _found(description: Track, tones: tuple[tuple[int, float], ...]) -> tuple[tuple[Ringing, Track, float], ...]:
    """Pairs that swell, each with the track in which they cut each other and the beats then left (pure, remembered)."""
    out, note_hz = [], dict(tones)
    for pair in ringings(description, note_hz)[:MOST_PAIRS]:
        cut = choked(description, pair.one, pair.other)
        left = left_of(cut, pair, note_hz)
        out.append((pair, cut, left.beats if left else 0.0))
    return tuple(out)


def tails_beat(found: Analysis) -> list[Finding]:
    """Two hits whose tails sound at once, a few Hz apart."""
    track, limits, out = found.track, found.track.limits, []
    for pair, cut, left in _found(track, tuple(found.note_hz.items())):
        one = track.hit_of(pair.one).name
        other = "the bass" if pair.other == BASS_PART else track.hit_of(pair.other).name
        strong = pair.beats > limits.beats_beating
        apart = abs(pair.one_hz - pair.other_hz)
        out.append(
            Finding(
                id=f"tails-{pair.one}-{pair.other}",
                step="tune",
                severity="look" if strong else "note",
                title=f"{one} and {other} ring into each other and beat",
                reason=(
                    f"{pair.one_hz:.1f} and {pair.other_hz:.1f} Hz are {apart:.1f} Hz apart for "
                    f"{1000 * pair.overlap_s:.0f} ms. In one choke group {left:.2f} beats are left."
                ),
                value=pair.beats,
                unit="beats heard",
                limit=limits.beats_beating if strong else limits.beats_swell,
                limit_kind="this project's choice",
                place_beats=pair.at_beats,
                hit_id=pair.one if pair.other == BASS_PART else pair.other,
                fixes=(Fix(label="Let them cut each other", track=cut),),
            )
        )
    return out


FINDERS = (tails_beat,)

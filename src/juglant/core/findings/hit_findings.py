"""Findings of the kick as it is heard."""

from __future__ import annotations

from juglant.core.analysis.analyse import Analysis
from juglant.core.findings.finding import Finding, Fix
from juglant.core.hit.shorten import shortened
from juglant.core.tune.length import shortest_gap_ms

LEAST_ROOM_DB = 0.1


def kick_too_long(found: Analysis) -> list[Finding]:
    """A kick longer than the gap to the next one is cut by it."""
    gap = shortest_gap_ms(found.track)
    length = found.kick.timing.length_ms if found.kick else None
    if gap is None or length is None or length <= gap:
        return []
    owner = found.track.sheet.owner
    ratio = 0.97 * gap / length
    return [
        Finding(
            id="kick-too-long",
            step="hits",
            severity="note" if owner == "kick-is-bass" else "look",
            title="The kick is longer than the gap to the next",
            reason="Each kick cuts the one before it: normal where the kick is the bass, elsewhere a lost tail.",
            value=length,
            unit="ms",
            limit=gap,
            limit_kind="common practice",
            fixes=(
                Fix(
                    label=f"Shorten to {0.97 * gap:.0f} ms",
                    track=found.track.model_copy(update={"kick": shortened(found.track.kick, ratio)}),
                ),
            ),
        )
    ]


def peak_over(found: Analysis) -> list[Finding]:
    """True peak of the loop over the limit."""
    track, peak = found.track, found.levels.true_peak_db
    limits = track.limits
    if peak is None or peak <= limits.true_peak_look_dbtp:
        return []
    down = peak - limits.true_peak_look_dbtp + LEAST_ROOM_DB
    mix = track.mix
    quieter = mix.model_copy(
        update={
            "kick_gain_db": max(-40.0, round(mix.kick_gain_db - down, 2)),
            "bass_gain_db": max(-40.0, round(mix.bass_gain_db - down, 2)),
        }
    )
    return [
        Finding(
            id="true-peak",
            step="hits",
            severity="fix" if peak > limits.true_peak_fix_dbtp else "look",
            title="The loop peaks over the limit",
            reason="Kick and bass together leave no room for the rest of the track.",
            value=peak,
            unit="dBTP",
            limit=limits.true_peak_look_dbtp,
            limit_kind="this project's choice",
            fixes=(Fix(label=f"Both {down:.1f} dB down", track=track.model_copy(update={"mix": quieter})),),
        )
    ]


FINDERS = (kick_too_long, peak_over)

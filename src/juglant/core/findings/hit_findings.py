"""Findings of the kick as it is heard."""

from __future__ import annotations

import numpy as np

from juglant.core.analysis.analyse import SILENT_PEAK, Analysis
from juglant.core.findings.finding import Finding, Fix
from juglant.core.hit.shorten import shortened
from juglant.core.hit.start import Start
from juglant.core.hit.starts import STARTS, measured_start
from juglant.core.model.ids import BASS_PART, KICK_ID
from juglant.core.model.part import Part
from juglant.core.model.strokes import struck
from juglant.core.model.track import Track
from juglant.core.parameter.fields import within
from juglant.core.synth.take import Take
from juglant.core.tune.length import shortest_gap_ms

LEAST_ROOM_DB = 0.1


def _with_a_kick(track: Track) -> Track:
    """The track with the first starting point's kick, in its key."""
    return track.with_hit(KICK_ID, measured_start(_first_kick(), track.sheet).hit)


def _first_kick() -> Start:
    return next(one for one in STARTS if one.role == "kick")


def nothing_written(found: Analysis) -> list[Finding]:
    """An empty track: one press makes it sound."""
    track = found.track
    if track.kicks() or track.notes() or track.kit or track.kick_loop.take is not None or track.kick.layers:
        return []

    def solved(now: Track) -> Track:
        beats = tuple(struck(float(beat)) for beat in range(now.sheet.length_beats))
        return _with_a_kick(now).with_strokes(KICK_ID, beats)

    return [
        Finding(
            id="nothing-written",
            step="track",
            severity="note",
            title="Nothing is written yet",
            reason=f"Begin with {_first_kick().name} in your key on every beat, write your own, or load sounds or a loop.",
            value=None,
            unit="",
            limit=None,
            limit_kind="this project's choice",
            fixes=(Fix(label="A kick on every beat", solve=solved),),
        )
    ]


def kick_silent(found: Analysis) -> list[Finding]:
    """Kicks that are written and make no sound."""
    track, kicks = found.track, found.track.kicks()
    if not kicks or np.any(np.abs(found.stems.kick_before) > SILENT_PEAK):
        return []
    # A recording that is missing, or a silent one, has its own finding.
    if track.kick_loop.plays or any(isinstance(layer.source, Take) for layer in track.kick.heard()):
        return []
    return [
        Finding(
            id="kick-silent",
            step="hits",
            severity="fix",
            title="The kick makes no sound",
            reason="Its strokes are written and no layer of it sounds: start it from a sound in your key, or load one.",
            value=float(len(kicks)),
            unit="strokes",
            limit=None,
            limit_kind="this project's choice",
            hit_id=KICK_ID,
            place_beats=kicks[0],
            fixes=(Fix(label=f"Start it from {_first_kick().name}", solve=_with_a_kick),),
        )
    ]


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
                    track=found.track.with_hit(KICK_ID, shortened(found.track.kick, ratio)),
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
    quieter = track
    for part in (KICK_ID, BASS_PART):
        quieter = quieter.with_part(part, gain_db=within(Part, "gain_db", track.part(part).gain_db - down))
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
            fixes=(Fix(label=f"Both {down:.1f} dB down", track=quieter),),
        )
    ]


FINDERS = (nothing_written, kick_silent, kick_too_long, peak_over)

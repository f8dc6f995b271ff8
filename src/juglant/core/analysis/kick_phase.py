"""How kick and bass add up at the hit, and the bass where they add best."""

from __future__ import annotations

from juglant.core.analysis.analyse import analysed
from juglant.core.errors import InvalidTrack
from juglant.core.model.ids import BASS_PART
from juglant.core.model.part import Part
from juglant.core.model.track import Track
from juglant.core.parameter.fields import within
from juglant.core.separate.phase import Phase, measure_phase

# What was measured worth less than this is left as it is.
LEAST_GAIN_DB = 0.1


def kick_phase(track: Track) -> Phase | None:
    """How kick and bass add up as they are and at their best; None where they do not meet."""
    found = analysed(track)
    if found.contest.reason is not None:
        return None
    stems = found.stems
    return measure_phase(stems.kick, stems.bass_unducked, found.contest.active_any(), sample_rate=track.sheet.sample_rate)


def in_phase(track: Track) -> Track:
    """The track with the bass moved or turned so that it adds best; raises InvalidTrack where nothing is won."""
    found = kick_phase(track)
    if found is None or found.gain_db <= LEAST_GAIN_DB:
        raise InvalidTrack("kick and bass add as well as they can by the bass's start and polarity")
    own = track.bass_part
    shift_ms = within(Part, "shift_ms", own.shift_ms + found.shift_ms)
    return track.with_part(BASS_PART, shift_ms=shift_ms, inverted=own.inverted != found.inverted)

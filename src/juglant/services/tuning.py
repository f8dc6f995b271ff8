"""Tuning hits of a track: what the ladder shows, and moves that are applied as one step."""

from __future__ import annotations

from juglant.core.analysis.analyse import analysed
from juglant.core.commands.hits import TuneMove
from juglant.core.memory import newest
from juglant.core.model.track import Track
from juglant.core.pictures.ladder import Ladder, draw_ladder
from juglant.core.pictures.line import Line, draw_line, moment
from juglant.core.signal.envelope import with_edges
from juglant.core.tune.cure import cure_of
from juglant.core.tune.retune import tuned
from juglant.formats.wav import wav_float
from juglant.services.hits import matched_wav

EDGE_MS = 5.0


@newest(8)
def ladder_of(track: Track) -> Ladder:
    """Every hit on the rungs of the key (pure, remembered, bounded)."""
    return draw_ladder(track)


@newest(6)
def line_of(track: Track) -> Line:
    """The bass line and the kick against it (pure, remembered, bounded)."""
    return draw_line(analysed(track))


def moment_wav(track: Track, from_beats: float, to_beats: float, note: int = 0, cure_id: str | None = None) -> bytes:
    """Kick and bass between two places of the loop with short edges, 32-bit float WAV; with a note's cure or without."""
    if cure_id is not None:
        track = cure_of(track, note, cure_id).track
    audio, rate = moment(analysed(track), from_beats, to_beats), track.sheet.sample_rate
    return wav_float(with_edges(audio, start_ms=EDGE_MS, end_ms=EDGE_MS, sample_rate=rate), rate)


def retuned_wav(track: Track, move: TuneMove) -> bytes:
    """A hit as it would sound after a move, at matched loudness, as a 32-bit float WAV; nothing is stored."""
    return matched_wav(track, move.hit_id, tuned(track, move.hit_id, move.frequency_hz, move.way).hit_of(move.hit_id).hit)

"""Tuning hits of a track: what the ladder shows, and moves that are applied as one step."""

from __future__ import annotations

from pydantic import BaseModel, ConfigDict, Field

from juglant.core.errors import InvalidTrack, NoSuchPart
from juglant.core.hit.transpose import Way
from juglant.core.memory import newest
from juglant.core.model.track import Track
from juglant.core.music.notes import nearest_note
from juglant.core.music.scales import spelled
from juglant.core.music.tempo import beat_ms
from juglant.core.pictures.ladder import Ladder, draw_ladder, nearest_moves
from juglant.core.pictures.line import Line, draw_line, moment
from juglant.core.signal.envelope import with_edges
from juglant.core.tune.cure import Cure, Evening, cures, evened, without_beats
from juglant.core.tune.length import with_length
from juglant.core.tune.retune import tuned
from juglant.core.tune.schools import by_school
from juglant.core.tune.targets import School
from juglant.formats.wav import wav_float
from juglant.services.hits import matched_wav
from juglant.services.tracks import State, Workspace
from juglant.services.views import analysed

LOWEST_HZ, HIGHEST_HZ = 16.0, 4000.0
EDGE_MS = 5.0


class TuneMove(BaseModel):
    """One hit and where it should land."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)
    hit_id: str = Field(max_length=40)
    frequency_hz: float = Field(ge=LOWEST_HZ, le=HIGHEST_HZ)
    way: Way = "as set"


@newest(8)
def ladder_of(track: Track) -> Ladder:
    """Every hit on the rungs of the key (pure, remembered, bounded)."""
    return draw_ladder(track)


def _label(track: Track, moves: list[TuneMove]) -> str:
    if len(moves) != 1:
        return f"Tune {len(moves)} hits"
    sheet, move = track.sheet, moves[0]
    number, _ = nearest_note(move.frequency_hz, sheet.a4_hz)
    return f"Land {track.hit_of(move.hit_id).name} on {spelled(number, sheet.tonic, sheet.scale, sheet.middle_c)}"


def tune(store: Workspace, track_id: str, edition: int, moves: list[TuneMove]) -> State:
    """Move hits to where they should land, as one step; raises InvalidTrack where one has no pitch, and moves none then."""
    track = store.current(track_id, edition)
    changed = track
    for move in moves:
        changed = tuned(changed, move.hit_id, move.frequency_hz, move.way)
    return store.edit(track_id, edition, changed, label=_label(track, moves)[:80])


def tune_all(store: Workspace, track_id: str, edition: int) -> State:
    """Bring every pitched hit to its nearest note of the key, as one step; raises InvalidTrack where all are there."""
    track = store.current(track_id, edition)
    wanted = nearest_moves(ladder_of(track).hits)
    if not wanted:
        raise InvalidTrack("every pitched hit is on a note of the key, or marked as intended; there is nothing to tune")
    return tune(store, track_id, edition, [TuneMove(hit_id=name, frequency_hz=hz) for name, hz in wanted.items()])


SCHOOL_LABELS: dict[School, str] = {
    "tonic": "{} on the tonic",
    "fifth": "{} on the fifth",
    "chords": "{} follows the chords",
    "unpitched": "{} short and unpitched",
}


def follow_school(store: Workspace, track_id: str, edition: int, hit_id: str, school: School, way: Way) -> State:
    """Make a hit as one school of tuning asks, as one step; raises InvalidTrack where it cannot be."""
    track = store.current(track_id, edition)
    label = SCHOOL_LABELS[school].format(track.hit_of(hit_id).name)
    return store.edit(track_id, edition, by_school(track, hit_id, school, way), label=label)


@newest(4)
def cures_of(track: Track, note: int) -> tuple[Cure, ...]:
    """What could be done about the kick against one note of the line, each measured (pure, remembered, bounded)."""
    return tuple(cures(analysed(track), note))


def _cure(track: Track, note: int, cure_id: str) -> Cure:
    for one in cures_of(track, note):
        if one.id == cure_id:
            return one
    raise NoSuchPart(f"there is no cure {cure_id!r} for this note")


def apply_cure(store: Workspace, track_id: str, edition: int, note: int, cure_id: str) -> State:
    """Apply one cure of the kick against a note, as one step."""
    one = _cure(store.current(track_id, edition), note, cure_id)
    return store.edit(track_id, edition, one.track, label=one.title[:80])


@newest(6)
def line_of(track: Track) -> Line:
    """The bass line and the kick against it (pure, remembered, bounded)."""
    return draw_line(analysed(track))


def even_line(store: Workspace, track_id: str, edition: int, way: Evening) -> State:
    """Set every note's own level so that all of the line are as loud, as one step."""
    return store.edit(track_id, edition, evened(store.current(track_id, edition), way), label=f"Even the line, {way}")


def shorten_kick(store: Workspace, track_id: str, edition: int) -> State:
    """Make the kick so short that no note of the line swells against it, as one step."""
    return store.edit(track_id, edition, without_beats(store.current(track_id, edition)), label="Shorten the kick")


def make_long(store: Workspace, track_id: str, edition: int, hit_id: str, length_ms: float) -> State:
    """Make a hit as long as asked, as one step; raises InvalidTrack where it does not come so far."""
    track = store.current(track_id, edition)
    beats = length_ms / beat_ms(track.sheet.bpm)
    label = f"{track.hit_of(hit_id).name}: {length_ms:.0f} ms long, {beats:.2f} beats"
    return store.edit(track_id, edition, with_length(track, hit_id, length_ms), label=label[:80])


def moment_wav(track: Track, from_beats: float, to_beats: float, note: int = 0, cure_id: str | None = None) -> bytes:
    """Kick and bass between two places of the loop with short edges, 32-bit float WAV; with a note's cure or without."""
    if cure_id is not None:
        track = _cure(track, note, cure_id).track
    audio, rate = moment(analysed(track), from_beats, to_beats), track.sheet.sample_rate
    return wav_float(with_edges(audio, start_ms=EDGE_MS, end_ms=EDGE_MS, sample_rate=rate), rate)


def retuned_wav(track: Track, move: TuneMove) -> bytes:
    """A hit as it would sound after a move, at matched loudness, as a 32-bit float WAV; nothing is stored."""
    return matched_wav(track, move.hit_id, tuned(track, move.hit_id, move.frequency_hz, move.way).hit_of(move.hit_id).hit)

"""Ways to even the bass line: compared, heard, taken."""

from __future__ import annotations

from juglant.core.analysis.evenness import EvenWay, even_ways
from juglant.core.errors import NoSuchPart
from juglant.core.loop.render import render_stem
from juglant.core.measure.level import no_louder
from juglant.core.memory import newest
from juglant.core.model.stem import BASS
from juglant.core.model.track import Track
from juglant.formats.wav import wav_float
from juglant.services.tracks import State, Workspace


@newest(3)
def _ways(track: Track) -> tuple[tuple[EvenWay, Track], ...]:
    return tuple(even_ways(track))


def even_ways_of(track: Track) -> list[EvenWay]:
    """The line evened each way, made and measured (remembered)."""
    return [way for way, _ in _ways(track)]


def _evened(track: Track, way_id: str) -> tuple[EvenWay, Track]:
    for way, made in _ways(track):
        if way.id == way_id:
            return way, made
    raise NoSuchPart(f"there is no way {way_id!r} to even this line")


def even_way_wav(track: Track, way_id: str) -> bytes:
    """The bass before carve and duck as one way makes it, no louder than it is now, as a 32-bit float WAV."""
    rate = track.sheet.sample_rate
    now, made = (render_stem(one, BASS.of("before")) for one in (track, _evened(track, way_id)[1]))
    return wav_float(no_louder(made, now, sample_rate=rate), rate)


def take_even_way(store: Workspace, track_id: str, edition: int, way_id: str) -> State:
    """Even the line one way, in place of how it is held now, as one step."""
    way, made = _evened(store.current(track_id, edition), way_id)
    return store.edit(track_id, edition, made, label=f"Steady bass: {way.title.lower()}")

"""What a track plays, printed into a take that remembers what it was made from, and says when that has changed."""

from __future__ import annotations

import hashlib
import json
from typing import Literal

import numpy as np
from pydantic import BaseModel, ConfigDict, Field

from juglant.core.errors import InvalidAudio, NoSuchPart
from juglant.core.loop.render import heard_kick, heard_stem, render_stems
from juglant.core.model.ids import KICK_ID, PART_PATTERN
from juglant.core.model.stem import StemRef
from juglant.core.model.track import Track
from juglant.core.model.velocity import HARDEST
from juglant.core.music.tempo import BEATS_PER_BAR, MOST_BARS, frame_at
from juglant.core.signal.envelope import with_edges
from juglant.core.synth.takes import TakeAudio
from juglant.core.types import Samples
from juglant.services.hits import stroke_audio, stroke_key
from juglant.services.takes import LONGEST_NAME, ListedTake, LoadedTake, MadeOf, Shelf
from juglant.services.tracks import Workspace
from juglant.store.errors import NotFound

SILENT, EDGE_MS = 1e-7, 2.0
# What says nothing of how a track sounds.
NOT_HEARD = {"name", "intended"}


class PrintOf(BaseModel):
    """What is printed. hit: one stroke at full strength; layer: one layer of it; part: its line over so many bars;
    everything: what is heard of all parts over so many bars."""

    model_config = ConfigDict(frozen=True, extra="forbid")
    of: Literal["hit", "layer", "part", "everything"]
    part: str = Field(default=KICK_ID, max_length=40, pattern=PART_PATTERN)
    layer: str | None = Field(default=None, max_length=40, pattern=r"^[a-z0-9-]+$")
    from_bar: int = Field(default=0, ge=0, lt=MOST_BARS)
    bars: int = Field(default=MOST_BARS, ge=1, le=MOST_BARS)


class PrintedTake(PrintOf):
    """The same, and what the take is called."""

    name: str = Field(min_length=1, max_length=LONGEST_NAME)


def _named(track: Track, what: PrintOf) -> str:
    """What is printed, in words."""
    if what.of == "hit":
        return track.part(what.part).name
    if what.of == "layer":
        one = track.part(what.part)
        found = next((layer for layer in one.hit.layers if layer.id == what.layer), None)
        if found is None:
            raise NoSuchPart(f"{one.name} has no layer {what.layer!r}: choose one of its own")
        return f"{found.name} of {one.name}"
    first, last = what.from_bar + 1, min(track.sheet.bars, what.from_bar + what.bars)
    bars = f"bar {first}" if first == last else f"bars {first} to {last}"
    return f"{'everything' if what.of == 'everything' else track.part(what.part).name}, {bars}"


def printed(track: Track, what: PrintOf) -> Samples:
    """What a track plays, (channels, frames), as it is heard; raises NoSuchPart, and InvalidAudio where it is silent."""
    _named(track, what)
    if what.of in ("hit", "layer"):
        if what.of == "hit" and what.part == KICK_ID:
            audio = heard_kick(track).audio * 10 ** (track.kick_part.gain_db / 20)
        else:
            audio = stroke_audio(track, what.part, velocity=HARDEST, robin=0, layer_id=what.layer)
        rows = np.atleast_2d(audio)
    else:
        whole = render_stems(track).loop if what.of == "everything" else heard_stem(track, StemRef(what.part))
        sheet = track.sheet
        bars = (what.from_bar, what.from_bar + what.bars)
        ends = [frame_at(bar * BEATS_PER_BAR, sheet.bpm, sheet.sample_rate) for bar in bars]
        rows = np.atleast_2d(whole)[:, ends[0] : ends[1]]
        if rows.shape[1] < 2:
            raise InvalidAudio(f"the track has {sheet.bars} bars: choose one of them to begin with")
        if rows.shape[1] < np.atleast_2d(whole).shape[1]:
            # Cut out of the loop; all of it goes round as it is.
            edged = [with_edges(row, start_ms=0.2, end_ms=EDGE_MS, sample_rate=sheet.sample_rate) for row in rows]
            rows = np.stack(edged)
    if float(np.max(np.abs(rows), initial=0.0)) < SILENT:
        raise InvalidAudio(f"{_named(track, what)} is silent: there is nothing to print")
    return np.asarray(rows, dtype=np.float64)


def source_key(track: Track, what: PrintOf) -> str:
    """A hash of what a print is made from: it changes when that does; raises NoSuchPart where it is there no more."""
    _named(track, what)
    if what.of in ("hit", "layer") and what.part != KICK_ID:
        return stroke_key(track, what.part, velocity=HARDEST, robin=0, layer_id=what.layer)
    if what.of in ("hit", "layer"):
        own = stroke_key(track, what.part, velocity=HARDEST, robin=0, layer_id=what.layer)
        heard = f"{own} {track.carve.model_dump_json()} {track.sheet.bpm}"
    else:
        heard = json.dumps(track.model_dump(mode="json", exclude=NOT_HEARD))
    return hashlib.sha256(heard.encode()).hexdigest()[:24]


def print_take(shelf: Shelf, track: Track, track_id: str, what: PrintedTake) -> LoadedTake:
    """What a track plays as a take; raises NoSuchPart, and InvalidAudio where it is silent."""
    of = PrintOf(**what.model_dump(include=set(PrintOf.model_fields)))
    audio = printed(track, of)
    made_of = MadeOf(
        way="printed",
        said=f"{_named(track, of)} of {track.name}",
        track=track_id,
        printed=of.model_dump_json(),
        key=source_key(track, of),
    )
    return shelf.keep(what.name, TakeAudio(audio, track.sheet.sample_rate), made_of=made_of)


def has_changed(track: Track | None, made_of: MadeOf) -> bool:
    """Whether what a take was printed from is another now, or there no more."""
    if made_of.printed is None:
        return False
    if track is None:
        return True
    try:
        return source_key(track, PrintOf.model_validate_json(made_of.printed)) != made_of.key
    except NoSuchPart:
        return True


def listed(store: Workspace) -> list[ListedTake]:
    """Every take on the shelf, the newest first, and whether what it was printed from has changed."""
    takes, tracks = Shelf(store.path).all(), dict[str, Track | None]()
    for one in takes:
        of = one.made_of
        if of is not None and of.track is not None and of.track not in tracks:
            try:
                tracks[of.track] = store.state(of.track).track
            except NotFound:
                tracks[of.track] = None
    return [
        one.model_copy(update={"changed": has_changed(tracks.get(one.made_of.track or ""), one.made_of)})
        if one.made_of is not None and one.made_of.printed is not None
        else one
        for one in takes
    ]

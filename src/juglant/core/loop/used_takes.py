"""Which recorded sounds a track is made of, where each is used, and which of them are not there."""

from __future__ import annotations

from dataclasses import dataclass

from juglant.core.errors import MissingSound
from juglant.core.model.ids import BASS_PART, KICK_ID
from juglant.core.model.track import Track
from juglant.core.synth.bass import LAYERS
from juglant.core.synth.take import Take
from juglant.core.synth.takes import NO_TAKE, is_there

TAKES_FOLDER = "takes"
RECORDED = ("recorded note", "recorded line")
# A recorded bass for which no sound was chosen.
NAMELESS = ""


@dataclass(frozen=True)
class UsedTake:
    """A recorded sound in its place: its id, the part, where it is used in words, and the id of what is found of it."""

    take: str
    part: str
    where: str
    finding: str

    @property
    def hit_id(self) -> str | None:
        """The hit it belongs to, None for the bass."""
        return None if self.part == BASS_PART else self.part

    @property
    def file(self) -> str:
        """The file it is delivered as."""
        return f"{TAKES_FOLDER}/{self.take}.wav"


def used_takes(track: Track) -> list[UsedTake]:
    """Every recorded sound a track is made of, in the order of its parts."""
    out = []
    layered = [track.hit_of(BASS_PART)] if track.bass.source == LAYERS else []
    for one in (*track.hits(), *layered):
        for layer in one.hit.layers:
            sounds = layer.source.sounds if isinstance(layer.source, Take) else ()
            for number, take in enumerate(sound for sound in sounds if sound != NO_TAKE):
                where, own = f"the layer {layer.name} of {one.name}", f"-{number + 1}" if number else ""
                out.append(UsedTake(take, one.id, where, f"take-missing-{one.id}-{layer.id}{own}"))
    if track.bass.source in RECORDED:
        out.append(UsedTake(track.bass.take or NAMELESS, BASS_PART, "the bass", "take-missing-bass"))
    if track.kick_loop.plays and track.kick_loop.take:
        out.append(UsedTake(track.kick_loop.take, KICK_ID, "the kick's loop", "take-missing-kick-loop"))
    return out


def missing_takes(track: Track) -> list[UsedTake]:
    """Those that are nowhere: they are silent."""
    return [one for one in used_takes(track) if one.take == NAMELESS or not is_there(one.take)]


def said_missing(one: UsedTake) -> str:
    """What is missing, in a sentence that names the file."""
    if one.take == NAMELESS:
        return f"no sound is chosen for {one.where}: load one"
    return f"{one.file} is missing, the sound of {one.where}: put it back, or load its file again"


def with_every_take(track: Track, parts: set[str]) -> Track:
    """The track itself; raises MissingSound where a recorded sound of one of these parts is not there."""
    lost = [said_missing(one) for one in missing_takes(track) if one.part in parts]
    if lost:
        raise MissingSound("; ".join(lost) + "; nothing was computed")
    return track

"""The key of a dropped loop or MIDI file."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel, ConfigDict

from juglant.core.errors import InvalidMidi
from juglant.core.hit.render import folded
from juglant.core.tune.key import Mode, find_key, keys_of, weights_of_notes
from juglant.formats.midi import read_notes
from juglant.formats.takes import read_take

MIDI_HEAD = b"MThd"
MOST_SHOWN = 5


class KeyView(BaseModel):
    """One key that fits, and how sure that is."""

    model_config = ConfigDict(frozen=True)
    tonic: str
    scale: Mode
    correlation: float
    confidence: float


class FileKey(BaseModel):
    """Keys of a file, the likeliest first; a4_hz: the concert pitch of a recording whose notes agree on one."""

    model_config = ConfigDict(frozen=True)
    source: Literal["audio", "notes"]
    notes: int
    guesses: tuple[KeyView, ...]
    a4_hz: float | None


def key_of_file(data: bytes) -> FileKey:
    """The key of a sound file's first 30 s, or of a MIDI file; raises InvalidAudio or InvalidMidi."""
    a4_hz, count = None, 0
    if data[:4] == MIDI_HEAD:
        notes = read_notes(data)
        if not notes:
            raise InvalidMidi("this MIDI file has no notes but those of drums: there is no key to find")
        guesses, count = keys_of(weights_of_notes([(note, length) for _, length, note in notes])), len(notes)
    else:
        take = read_take(data, from_s=0.0, channels="mono").take
        found = find_key(folded(take.audio), sample_rate=take.sample_rate)
        guesses, a4_hz = found.guesses, found.a4_hz
    return FileKey(
        source="notes" if count else "audio",
        notes=count,
        guesses=tuple(
            KeyView(
                tonic=one.tonic,
                scale=one.mode,
                correlation=round(one.correlation, 3),
                confidence=round(one.confidence, 3),
            )
            for one in guesses[:MOST_SHOWN]
        ),
        a4_hz=None if a4_hz is None else round(a4_hz, 2),
    )

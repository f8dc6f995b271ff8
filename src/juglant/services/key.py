"""The key of a dropped loop or MIDI file."""

from __future__ import annotations

from typing import Literal

import numpy as np
from pydantic import BaseModel, ConfigDict

from juglant.core.errors import InvalidMidi
from juglant.core.hit.render import folded
from juglant.core.model.strokes import BassNote
from juglant.core.music.notes import note_hz, pitch_class
from juglant.core.music.scales import Tonic
from juglant.core.signal.envelope import with_edges
from juglant.core.signal.shift import resampled
from juglant.core.tune.key import KeyFound, Mode, find_key, keys_of, offered_a4, weights_of_notes
from juglant.core.tune.roots import BarRoots, roots_of_notes
from juglant.core.tune.written import bars_of, lowest_line
from juglant.core.types import Samples
from juglant.formats.midi import read_notes
from juglant.formats.takes import read_take
from juglant.formats.wav import wav_float

MIDI_HEAD = b"MThd"
MOST_SHOWN = 5
# The triad under a loop: its root between C3 and B3, held as loud as the loop.
ROOT_NOTE, HEARD_S, PEAK, EDGE_MS = 48, 8.0, 0.5, 20.0
# Notes of a file are played at 120 BPM, each fading.
BEAT_S, TONE_S = 0.5, 0.6
TRIADS: dict[Mode, tuple[int, ...]] = {"major": (0, 4, 7), "natural minor": (0, 3, 7)}


class KeyView(BaseModel):
    """One key that fits, and how sure that is."""

    model_config = ConfigDict(frozen=True)
    tonic: str
    scale: Mode
    correlation: float
    confidence: float


class FileKey(BaseModel):
    """Keys of a file, the likeliest first; a4_hz: the concert pitch of a recording whose notes agree on one; offered
    where the track has another. line, bars, roots: of a MIDI file its lowest notes as a bass line, bars and roots."""

    model_config = ConfigDict(frozen=True)
    source: Literal["audio", "notes"]
    notes: int
    guesses: tuple[KeyView, ...]
    a4_hz: float | None
    a4_offered: bool
    line: tuple[BassNote, ...] = ()
    bars: int = 0
    roots: tuple[BarRoots, ...] = ()


def key_of_file(data: bytes, *, a4_hz: float) -> FileKey:
    """The key of a sound file's first 30 s, or of a MIDI file; raises InvalidAudio or InvalidMidi.

    a4_hz: concert pitch of the track, so that another one is offered.
    """
    found, count, notes = KeyFound((), None), 0, list[tuple[float, float, int]]()
    line: tuple[BassNote, ...] = ()
    if data[:4] == MIDI_HEAD:
        notes = read_notes(data)
        if not notes:
            raise InvalidMidi("this MIDI file has no notes but those of drums: there is no key to find")
        found, count = KeyFound(keys_of(weights_of_notes([(note, length) for _, length, note in notes])), None), len(notes)
        line = lowest_line(notes)
    else:
        take = read_take(data, from_s=0.0, channels="mono").take
        found = find_key(folded(take.audio), sample_rate=take.sample_rate)
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
            for one in found.guesses[:MOST_SHOWN]
        ),
        a4_hz=None if found.a4_hz is None else round(found.a4_hz, 2),
        a4_offered=offered_a4(found, a4_hz) is not None,
        line=line,
        bars=bars_of(line) if line else 0,
        roots=roots_of_notes(notes, bars_of(line)) if line else (),
    )


def _played(notes: list[tuple[float, float, int]], a4_hz: float, sample_rate: int) -> Samples:
    """The first seconds of a file's notes as plain tones, (frames,), at a middling tempo."""
    out = np.zeros(round(HEARD_S * sample_rate))
    for start, length, number in notes:
        first = round(start * BEAT_S * sample_rate)
        time = np.arange(min(round(length * BEAT_S * sample_rate), max(0, out.size - first))) / sample_rate
        if time.size:
            tone = np.sin(2 * np.pi * note_hz(number, a4_hz) * time) * np.exp(-time / TONE_S)
            out[first : first + time.size] += with_edges(tone, start_ms=5, end_ms=5, sample_rate=sample_rate)
    return out


def heard_in_key(data: bytes, tonic: Tonic, mode: Mode, *, a4_hz: float, sample_rate: int) -> bytes:
    """A loop's first seconds with the tonic triad of a key held under it, as a 32-bit float WAV: what fits does not rub.

    The notes of a MIDI file are played as plain tones. Raises InvalidAudio or InvalidMidi where the file is neither.
    """
    if data[:4] == MIDI_HEAD:
        loop = _played(read_notes(data), a4_hz, sample_rate)
    else:
        take = read_take(data, from_s=0.0, channels="mono").take
        loop = resampled(take.audio[:, : round(HEARD_S * take.sample_rate)], take.sample_rate, sample_rate)[0]
    time = np.arange(loop.size) / sample_rate
    root = ROOT_NOTE + pitch_class(tonic)
    triad = np.sum([np.sin(2 * np.pi * note_hz(root + up, a4_hz) * time) for up in TRIADS[mode]], axis=0)
    rms = float(np.sqrt(np.mean(loop**2)))
    both = loop + triad * rms / max(float(np.sqrt(np.mean(triad**2))), 1e-9)
    peak = float(np.max(np.abs(both)))
    return wav_float(
        with_edges(both * min(1.0, PEAK / max(peak, 1e-9)), start_ms=EDGE_MS, end_ms=EDGE_MS, sample_rate=sample_rate),
        sample_rate,
    )

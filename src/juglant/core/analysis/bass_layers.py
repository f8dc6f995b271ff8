"""The layers of the bass apart: how loud each is over the line, and where it lies."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from juglant.core.loop.bass_line import bass_line, note_spans
from juglant.core.loop.place import loop_frames, place
from juglant.core.loop.recorded_line import line_layers
from juglant.core.measure.bands import CENTRES_HZ, quick_band_energies
from juglant.core.measure.level import db, loop_loudness
from juglant.core.model.ids import BASS_PART
from juglant.core.model.track import Track
from juglant.core.music.notes import note_hz
from juglant.core.synth.bass import LAYERS, note_layers
from juglant.core.types import Samples

# A layer lies where its third-octave bands are within this of its strongest.
RANGE_DB = 20.0
SILENT_PEAK = 1e-6


@dataclass(frozen=True)
class BassLayer:
    """One layer over the whole line at its level in the loop, before it is held, carved or ducked.

    from_hz, to_hz: centres of the lowest and highest third-octave band within 20 dB of its strongest.
    """

    name: str
    peak_db: float
    loudness_lufs: float
    from_hz: float
    to_hz: float


def layer_lines(track: Track) -> dict[str, Samples]:
    """Each layer of the bass over the loop at mix level, by name, each (loop_frames,), not moved or turned."""
    gain = 10 ** (track.bass_part.gain_db / 20)
    if track.bass.source == LAYERS:
        return {"source": bass_line(track.with_part(BASS_PART, chain=(), shift_ms=0.0, inverted=False))}
    if track.bass.source == "recorded line":
        return {name: gain * line for name, line in line_layers(track).items()}
    sheet, total = track.sheet, loop_frames(track)
    out: dict[str, Samples] = {}
    for note, start, frames in note_spans(track):
        hz, level = note_hz(note.note, sheet.a4_hz), gain * 10 ** (note.gain_db / 20)
        for name, sound in note_layers(track.bass, hz, frames=frames, sample_rate=sheet.sample_rate).items():
            place(out.setdefault(name, np.zeros(total)), sound * level, start)
    return out


def bass_layers(track: Track) -> list[BassLayer]:
    """Every layer that sounds, measured."""
    rate, out = track.sheet.sample_rate, []
    for name, line in layer_lines(track).items():
        peak = float(np.max(np.abs(line), initial=0.0))
        if peak <= SILENT_PEAK:
            continue
        energy = quick_band_energies(line, sample_rate=rate)
        heard = np.flatnonzero(energy >= energy.max() * 10 ** (-RANGE_DB / 10))
        out.append(
            BassLayer(
                name=name,
                peak_db=db(peak),
                loudness_lufs=loop_loudness(line, sample_rate=rate),
                from_hz=CENTRES_HZ[heard[0]],
                to_hz=CENTRES_HZ[heard[-1]],
            )
        )
    return out

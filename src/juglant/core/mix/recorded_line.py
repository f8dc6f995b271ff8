"""A bass line that comes as a recorded loop, from where its bar 1 is."""

from __future__ import annotations

from functools import lru_cache

import numpy as np

from juglant.core.hit.render import folded
from juglant.core.mix.place import cut, place
from juglant.core.model.sheet import BEATS_PER_BAR
from juglant.core.model.track import Track
from juglant.core.music.tempo import beat_ms, frame_at
from juglant.core.signal.shift import resampled
from juglant.core.synth.takes import find_take
from juglant.core.types import Samples

# A file this close to whole bars is a loop of them.
NEARLY_BARS = 0.02


@lru_cache(maxsize=4)
def _audio(take: str, sample_rate: int) -> Samples:
    """A take in one channel at another rate, (frames,), remembered; without it nothing."""
    found = find_take(take)
    if found is None:
        return np.zeros(0)
    audio: Samples = resampled(np.atleast_2d(folded(found.audio)), found.sample_rate, sample_rate)[0]
    audio.setflags(write=False)
    return audio


def recorded_line(track: Track) -> Samples:
    """The loop's bass from its file, (loop_frames,): from bar 1, again where it is whole bars, fewer than the loop's."""
    sheet, bass = track.sheet, track.bass
    out = np.zeros(frame_at(sheet.length_beats, sheet.bpm, sheet.sample_rate))
    audio = _audio(bass.take, sheet.sample_rate) if bass.take else np.zeros(0)
    audio = audio[round(bass.begin_ms * sheet.sample_rate / 1000) :]
    if not audio.size:
        return out
    bars = 1000 * audio.size / sheet.sample_rate / beat_ms(sheet.bpm) / BEATS_PER_BAR
    whole = round(bars)
    repeats = 1 <= whole < sheet.bars and abs(bars - whole) < NEARLY_BARS * whole
    every = whole if repeats else sheet.bars
    for bar in range(0, sheet.bars, every):
        start = frame_at(bar * BEATS_PER_BAR, sheet.bpm, sheet.sample_rate)
        room = frame_at((bar + every) * BEATS_PER_BAR, sheet.bpm, sheet.sample_rate) - start
        place(out, cut(audio, min(room, out.size - start), sample_rate=sheet.sample_rate), start)
    return out

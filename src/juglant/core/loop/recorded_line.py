"""A bass line that comes as a recorded loop, from where its bar 1 is."""

from __future__ import annotations

import numpy as np
from scipy import ndimage

from juglant.core.loop.place import cut, gaps, place
from juglant.core.memory import remembered
from juglant.core.model.sheet import Sheet
from juglant.core.model.track import Track
from juglant.core.music.tempo import BEATS_PER_BAR, beat_ms, frame_at
from juglant.core.signal.crossover import high_branch, low_branch
from juglant.core.signal.envelope import frames_of
from juglant.core.signal.filters import filter_loop
from juglant.core.signal.shift import resampled, stretched
from juglant.core.synth.bass import Bass, gain_of, side_sections
from juglant.core.synth.takes import find_take
from juglant.core.types import Samples

# A file this close to whole bars is a loop of them.
NEARLY_BARS = 0.02
# A note's own level comes and goes in this time.
RAMP_MS = 5.0


@remembered()
def _audio(take: str, sample_rate: int) -> Samples:
    """A take at another rate, (channels, frames), remembered; without it nothing."""
    found = find_take(take)
    if found is None:
        return np.zeros((1, 0))
    audio: Samples = resampled(found.audio, found.sample_rate, sample_rate)
    audio.setflags(write=False)
    return audio


def repeats_every(frames: int, sheet: Sheet) -> int:
    """After how many bars a recording of so many frames begins again: its own where it is whole bars, else the loop's."""
    bars = 1000 * frames / sheet.sample_rate / beat_ms(sheet.bpm) / BEATS_PER_BAR
    whole = round(bars)
    return whole if 1 <= whole < sheet.bars and abs(bars - whole) < NEARLY_BARS * whole else sheet.bars


def laid(audio: Samples, sheet: Sheet) -> Samples:
    """A recording that begins on bar 1, (frames,), over the loop, (loop_frames,), each turn cut where the next begins."""
    out, every = np.zeros(frame_at(sheet.length_beats, sheet.bpm, sheet.sample_rate)), repeats_every(audio.size, sheet)
    for bar in range(0, sheet.bars, every):
        start = frame_at(bar * BEATS_PER_BAR, sheet.bpm, sheet.sample_rate)
        room = frame_at((bar + every) * BEATS_PER_BAR, sheet.bpm, sheet.sample_rate) - start
        place(out, cut(audio, min(room, out.size - start), sample_rate=sheet.sample_rate), start)
    return out


def recorded(take: str | None, begin_ms: float, sample_rate: int, *, side: bool = False) -> Samples:
    """A take from a place on, in one channel, or half of what its sides differ by, (frames,); empty where there is none."""
    audio = _audio(take, sample_rate) if take else np.zeros((1, 0))
    return _one(audio[:, frames_of(begin_ms, sample_rate) :], side)


def _one(audio: Samples, side: bool) -> Samples:
    if side:
        return (audio[0] - audio[1]) / 2 if audio.shape[0] == 2 else np.zeros(0)
    return np.asarray(audio.mean(axis=0))


@remembered()
def _fitted(take: str, begin_ms: float, frames: int, sample_rate: int) -> Samples:
    """A take from a place on, made `frames` long at its own pitch, (channels, frames), remembered."""
    audio = _audio(take, sample_rate)[:, frames_of(begin_ms, sample_rate) :]
    if not audio.shape[1]:
        return audio
    out = stretched(audio, frames / audio.shape[1], sample_rate=sample_rate)
    out.setflags(write=False)
    return out


def line_audio(bass: Bass, sheet: Sheet, *, side: bool = False) -> Samples:
    """A recorded line over the loop as it is, (loop_frames,), in one channel; or half of what its sides differ by."""
    if bass.take and bass.fit_bars:
        frames = frame_at(bass.fit_bars * BEATS_PER_BAR, sheet.bpm, sheet.sample_rate)
        one = _one(_fitted(bass.take, bass.begin_ms, frames, sheet.sample_rate), side)
    else:
        one = recorded(bass.take, bass.begin_ms, sheet.sample_rate, side=side)
    return laid(one if one.size else np.zeros(1), sheet)


def line_layers(track: Track) -> dict[str, Samples]:
    """The recorded line in its layers, each (loop_frames,): what lies below the crossover and above, or all as one."""
    sheet, bass = track.sheet, track.bass
    line, rate = line_audio(bass, sheet) * _note_gains(track), sheet.sample_rate
    if not bass.layered:
        return {"source": line}
    return {
        "sub": gain_of(bass.sub_db) * filter_loop(line, low_branch(bass.cross_hz, sample_rate=rate), sample_rate=rate),
        "source": gain_of(bass.upper_db)
        * filter_loop(line, high_branch(bass.cross_hz, sample_rate=rate), sample_rate=rate),
    }


def recorded_line(track: Track) -> Samples:
    """The loop's bass from its file in one channel, (loop_frames,), its notes at their own levels."""
    line: Samples = np.sum(list(line_layers(track).values()), axis=0)
    return line


def recorded_sides(track: Track) -> Samples:
    """Half of what the file's sides differ by above the mono corner, as far as the width goes, (loop_frames,)."""
    sheet, bass = track.sheet, track.bass
    side = line_audio(bass, sheet, side=True) * _note_gains(track)
    corner = side_sections(bass, sample_rate=sheet.sample_rate)
    return np.asarray(bass.width_pct / 100 * filter_loop(side, corner, sample_rate=sheet.sample_rate))


def _note_gains(track: Track) -> Samples:
    """The level of the note that is written at each place, as a factor, (loop_frames,); 1 between notes."""
    sheet = track.sheet
    out, notes = np.ones(frame_at(sheet.length_beats, sheet.bpm, sheet.sample_rate)), track.notes()
    if not any(note.gain_db for note in notes):
        return out
    starts = [frame_at(note.at_beats, sheet.bpm, sheet.sample_rate) for note in notes]
    for note, start, room in zip(notes, starts, gaps(starts, out.size), strict=True):
        frames = min(frame_at(note.length_beats, sheet.bpm, sheet.sample_rate), room)
        out[np.arange(start, start + frames) % out.size] = 10 ** (note.gain_db / 20)
    return np.asarray(ndimage.uniform_filter1d(out, max(1, frames_of(RAMP_MS, sheet.sample_rate)), mode="wrap"))

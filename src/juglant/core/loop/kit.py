"""Stems of the kit: each hit's strokes with their strength, timing, round robin, and what cuts them."""

from __future__ import annotations

from bisect import bisect_right

import numpy as np
from scipy import ndimage

from juglant.core.hit.render import RenderedHit, panned
from juglant.core.loop.choke import choking_parts, cutters, recipe
from juglant.core.loop.distance import set_back
from juglant.core.loop.level import at_level, without_level
from juglant.core.loop.pitched import placed_strokes
from juglant.core.loop.place import cut, place
from juglant.core.memory import remembered
from juglant.core.model.hit import Hit
from juglant.core.model.ids import KICK_ID
from juglant.core.model.part import KickCut, Part
from juglant.core.model.sheet import Sheet
from juglant.core.model.track import Track
from juglant.core.music.tempo import frame_at
from juglant.core.signal.envelope import frames_of
from juglant.core.signal.filters import butterworth, filter_loop
from juglant.core.types import Samples, SingleSamples

CUT_FADE_MS = 15.0


def kit_description(track: Track, hit_id: str) -> Track:
    """The part of a track that one hit's stem is made from: the hit, and when those of its choke group are struck."""
    own, hit = track.sheet, track.hit_of(hit_id)
    sheet = Sheet(bpm=own.bpm, bars=own.bars, sample_rate=own.sample_rate, swing_pct=own.swing_pct)
    if any(stroke.note is not None for stroke in hit.strokes):
        sheet = sheet.model_copy(update={"a4_hz": own.a4_hz})
    own_hit = hit.model_copy(update={"name": "x", "role": "percussion"})
    made = recipe(sheet, own_hit, *choking_parts(track, hit_id)).with_hit(KICK_ID, hit.hit.kick or Hit())
    if not hit.kick_cut.on:
        return made
    kick = track.kick_part
    return made.with_part(KICK_ID, strokes=kick.strokes, shift_ms=kick.shift_ms, muted=kick.muted)


def room_before(start: int, ends: list[int], total: int) -> int:
    """Frames until the next of the frames that cut a sound, the loop's wrap in; `ends` rise and are not empty."""
    after = bisect_right(ends, start)
    return (ends[after] if after < len(ends) else ends[0] + total) - start


def kit_stem(track: Track, hit: Part) -> Samples:
    """One hit's pattern as it sounds on the second pass, (loop_frames,) or (2, loop_frames)."""
    sheet = track.sheet
    total = frame_at(sheet.length_beats, sheet.bpm, sheet.sample_rate)
    played, rings = placed_strokes(track, hit), hit.hit.velocity.rings
    ends = sorted({*cutters(track, hit.id), *([] if rings else [start for _, start, _ in played])})
    gain = 10 ** (hit.gain_db / 20)
    sounds: list[tuple[int, RenderedHit, Samples]] = []
    for _, start, rendered in played:
        room = room_before(start, ends, total) + rendered.lead_frames if ends else rendered.audio.shape[-1]
        sounds.append((start, rendered, cut(rendered.audio, room, sample_rate=sheet.sample_rate)))
    wide = any(sound.ndim == 2 for _, _, sound in sounds)
    out = np.zeros((2, total) if wide else total)
    for start, rendered, sound in sounds:
        place(out, sound * gain, start - rendered.lead_frames)
    if hit.kick_cut.on:
        out = under_the_kick(track, hit.kick_cut, out)
    if hit.distance.far_pct > 0 and np.any(out):
        out = set_back(np.atleast_2d(out), hit.distance, sample_rate=sheet.sample_rate).heard
    if not (hit.inverted or hit.pan_pct):
        return out
    return panned(np.atleast_2d(out), hit.pan_pct, -1.0 if hit.inverted else 1.0)


def under_the_kick(track: Track, settings: KickCut, stem: Samples) -> Samples:
    """A stem, (loop_frames,) or (2, loop_frames), without its lows while the kick sounds, faded in and out over 15 ms."""
    sheet, total = track.sheet, stem.shape[-1]
    rate = sheet.sample_rate
    there, fade = np.zeros(total, dtype=bool), max(1, frames_of(CUT_FADE_MS, rate))
    # Half of each fade lies outside.
    before, after = (frames_of(ms, rate) + fade // 2 for ms in (settings.ahead_ms, settings.hold_ms))
    for at in track.kicks():
        start = frame_at(at, sheet.bpm, rate)
        there[np.arange(start - before, start + after) % total] = True
    share = there.astype(float)
    # Twice a mean over half the fade: an edge without corners.
    for _ in range(2):
        share = ndimage.uniform_filter1d(share, max(1, fade // 2), mode="wrap")
    cut_away = filter_loop(stem, butterworth(4, settings.corner_hz, "highpass", sample_rate=rate), sample_rate=rate)
    return np.asarray(stem - share * (stem - cut_away))


def cached_kit_stem(description: Track) -> Samples:
    """The stem of the first hit of a description (pure, remembered but for its level)."""
    own = description.kit[0]
    return at_level(_kit_stem(without_level(description, own.id)), own.gain_db)


@remembered()
def _kit_stem(description: Track) -> SingleSamples:
    # Kept in single precision, 140 dB under its own peak: a kit over sixteen bars is most of what is remembered.
    stem = kit_stem(description, description.hit_of(description.kit[0].id)).astype(np.float32)
    stem.setflags(write=False)
    return stem

"""Roots of the bars, proposed from a part of the track, and heard against it."""

from __future__ import annotations

import numpy as np

from juglant.core.errors import InvalidTrack
from juglant.core.hit.render import folded
from juglant.core.loop.render import heard_stem
from juglant.core.memory import newest
from juglant.core.model.ids import BASS_PART
from juglant.core.model.stem import StemRef
from juglant.core.model.track import Track
from juglant.core.music.notes import note_hz
from juglant.core.music.tempo import BEATS_PER_BAR, frame_at
from juglant.core.signal.envelope import with_edges
from juglant.core.tune.roots import BarRoots, roots_of_notes, roots_of_sound
from juglant.formats.wav import wav_float

# The root under a part: an octave of C3 to B3, with its fifth, as loud as the part; peak of both.
ROOT_NOTE, PEAK, EDGE_MS = 48, 0.5, 20.0
PARTIALS = (0, 12, 19)


@newest(8)
def roots_of_part(track: Track, part: str) -> tuple[BarRoots, ...]:
    """The likeliest roots of every bar: of the line as it is written, of any other part as it is heard.

    Raises NoSuchPart where the track has none of that name.
    """
    sheet = track.sheet
    if part == BASS_PART and track.bass.source != "recorded line":
        return roots_of_notes([(note.at_beats, note.length_beats, note.note) for note in track.notes()], sheet.bars)
    stem = folded(heard_stem(track, StemRef(part)))
    return roots_of_sound(stem, sheet.bars, bpm=sheet.bpm, a4_hz=sheet.a4_hz, sample_rate=sheet.sample_rate)


def heard_roots(track: Track, part: str, roots: list[int | None]) -> bytes:
    """A part with a tone on each bar's root held under it, as a 32-bit float WAV: what fits does not rub.

    Raises NoSuchPart, and InvalidTrack where no root is named.
    """
    if not any(root is not None for root in roots):
        raise InvalidTrack("no root is named for any bar: there is nothing to hear against")
    sheet = track.sheet
    stem = np.array(folded(heard_stem(track, StemRef(part))))
    tone = np.zeros(stem.size)
    for bar, root in enumerate(roots[: sheet.bars]):
        first, last = (frame_at(one * BEATS_PER_BAR, sheet.bpm, sheet.sample_rate) for one in (bar, bar + 1))
        if root is None:
            continue
        time = np.arange(last - first) / sheet.sample_rate
        hz = [note_hz(ROOT_NOTE + root + up, sheet.a4_hz) for up in PARTIALS]
        held = np.sum([np.sin(2 * np.pi * one * time) / (1 + at) for at, one in enumerate(hz)], axis=0)
        tone[first:last] = with_edges(held, start_ms=EDGE_MS, end_ms=EDGE_MS, sample_rate=sheet.sample_rate)
    rms = float(np.sqrt(np.mean(stem**2)))
    level = rms / max(float(np.sqrt(np.mean(tone**2))), 1e-9) if rms > 0 else 0.1
    both = stem + tone * level
    peak = float(np.max(np.abs(both)))
    return wav_float(both * min(1.0, PEAK / max(peak, 1e-9)), sheet.sample_rate)

"""Roots of the chords, bar by bar: heard in a sound, read in notes, and the line put on them.

Weights of the pitch classes of a bar against triads: root, third and fifth of major and minor as they stand in the partials
of one (template matching; Fujishima 1999), with what lies in the bass counted once more, since chords stand on their root.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from juglant.core.errors import InvalidTrack
from juglant.core.model.ids import BASS_PART
from juglant.core.model.strokes import HIGHEST_BASS_NOTE, LOWEST_BASS_NOTE, BassNote
from juglant.core.model.track import Track
from juglant.core.music.notes import note_hz
from juglant.core.music.tempo import BEATS_PER_BAR, MOST_BARS, frame_at
from juglant.core.tune.key import peaks_of
from juglant.core.types import Samples

# Root, third, fifth.
TRIADS = ((0, 4, 7), (0, 3, 7))
SHARE = (1.0, 0.8, 0.9)
# Notes under this carry the root; how much that counts, and how much of a fit's lead makes one sure: this project's choice.
BASS_BELOW, BASS_SHARE, SHARPNESS = 52, 0.5, 10.0
# The lowest note that a small club or bar plays (method: systems) is where the octave of a root begins: F sharp 1.
LOWEST_HZ = 45.0
LONGEST_BEATS, LEAST_BEATS = 1.0, 0.25


@dataclass(frozen=True)
class RootGuess:
    """One pitch class from C as a bar's root, and its share of the belief in all twelve."""

    root: int
    confidence: float


@dataclass(frozen=True)
class BarRoots:
    """A bar and its likeliest roots, the first of them the one proposed; empty where nothing sounds."""

    bar: int
    guesses: tuple[RootGuess, ...]


def root_of(weights: Samples, bass: Samples, most: int = 3) -> tuple[RootGuess, ...]:
    """Roots by the weights of the pitch classes from C and of those in the bass, both (12,), the likeliest first.

    Raises ValueError for other shapes.
    """
    if weights.shape != (12,) or bass.shape != (12,):
        raise ValueError(f"weights and bass must be (12,), got {weights.shape} and {bass.shape}")
    if not np.any(weights > 0):
        return ()
    unit = weights / np.linalg.norm(weights)
    low = bass / max(float(np.sum(bass)), 1e-12)
    fits = []
    for root in range(12):
        best = 0.0
        for triad in TRIADS:
            shape = np.zeros(12)
            shape[[(root + step) % 12 for step in triad]] = SHARE
            best = max(best, float(unit @ (shape / np.linalg.norm(shape))))
        fits.append(best + BASS_SHARE * float(low[root]))
    belief = np.exp(SHARPNESS * (np.array(fits) - max(fits)))
    belief /= belief.sum()
    ranked = np.argsort(-belief, kind="stable")[:most]
    return tuple(RootGuess(int(root), float(belief[root])) for root in ranked)


def roots_of_notes(notes: Sequence[tuple[float, float, int]], bars: int) -> tuple[BarRoots, ...]:
    """Roots of (start, length, number) in beats, bar by bar: each note by how long it is in the bar."""
    out = []
    for bar in range(min(bars, MOST_BARS)):
        first, last = bar * BEATS_PER_BAR, (bar + 1) * BEATS_PER_BAR
        weights, bass, low = np.zeros(12), np.zeros(12), 128
        inside = [(min(at + long, last) - max(at, first), number) for at, long, number in notes]
        for length, number in inside:
            if length > 0:
                weights[number % 12] += length
                low = min(low, number)
        for length, number in inside:
            # The lowest voice, whatever its register.
            if length > 0 and number < low + 12:
                bass[number % 12] += length * (1.0 if number == low else 0.5)
        out.append(BarRoots(bar, root_of(weights, bass)))
    return tuple(out)


def roots_of_sound(loop: Samples, bars: int, *, bpm: float, a4_hz: float, sample_rate: int) -> tuple[BarRoots, ...]:
    """Roots of a loop, (frames,), bar by bar, from its spectral peaks; its first frame is bar 1."""
    out = []
    for bar in range(bars):
        first, last = (frame_at(one * BEATS_PER_BAR, bpm, sample_rate) for one in (bar, bar + 1))
        piece = loop[first:last]
        weights, bass = np.zeros(12), np.zeros(12)
        if piece.size and np.any(piece):
            pitch, level = peaks_of(piece, sample_rate, a4_hz=a4_hz)
            nearest = np.round(pitch)
            # A peak between two notes tells of neither.
            weight = level * np.maximum(0, 1 - 2 * np.abs(pitch - nearest))
            names = nearest.astype(int) % 12
            weights = np.bincount(names, weight, minlength=12).astype(np.float64)
            bass = np.bincount(names, weight * (nearest < BASS_BELOW), minlength=12).astype(np.float64)
        out.append(BarRoots(bar, root_of(weights, bass)))
    return tuple(out)


def root_in_bar(track: Track, at_beats: float) -> int | None:
    """The root said for the bar of a place, as a pitch class from C; None where none is said."""
    bar = int(at_beats // BEATS_PER_BAR)
    return track.sheet.roots[bar] if bar < len(track.sheet.roots) else None


def bass_octave(root: int, a4_hz: float) -> int:
    """The lowest note of a pitch class that a small club still plays."""
    notes = range(LOWEST_BASS_NOTE, HIGHEST_BASS_NOTE + 1)
    return next(n for n in notes if n % 12 == root and note_hz(n, a4_hz) >= LOWEST_HZ)


def off_roots(track: Track) -> list[BassNote]:
    """Notes of the line that are neither the root said for their bar nor its fifth."""
    out = []
    for note in track.notes():
        root = root_in_bar(track, note.at_beats)
        if root is not None and (note.note - root) % 12 not in (0, 7):
            out.append(note)
    return out


def with_line_on_roots(track: Track) -> Track:
    """The track with a note on its bar's root under every kick: one that begins there is moved, else one is put there.

    The octave is the lowest that a small club plays; a new note ends at the next note or kick, a beat later at the latest,
    and one that sounds on is cut short by it. Raises InvalidTrack without roots or kicks, and where the bass is a recorded
    line, which cannot be written.
    """
    if track.bass.source == "recorded line":
        raise InvalidTrack("the bass is a recorded line: it plays what was recorded, whatever is written under it")
    if not any(root is not None for root in track.sheet.roots):
        raise InvalidTrack("no root is said for any bar: type them, or take them from a part or a MIDI file")
    kicks = sorted(at for at in track.kick_at_beats if at < track.sheet.length_beats)
    placed = [(at, root) for at in kicks if (root := root_in_bar(track, at)) is not None]
    if not placed:
        raise InvalidTrack("no kick is struck in a bar whose root is said: there is nothing to put a note under")
    notes = {note.at_beats: note for note in track.bass_notes}
    for at, root in placed:
        number = bass_octave(root, track.sheet.a4_hz)
        if at in notes:
            notes[at] = notes[at].model_copy(update={"note": number})
            continue
        ends = [one for one in (*notes, *kicks) if one > at]
        room = min([*ends, track.sheet.length_beats]) - at
        # Half of what is there: the next note starts from silence.
        length = max(LEAST_BEATS, min(LONGEST_BEATS, room / 2))
        notes[at] = BassNote(at_beats=at, length_beats=min(length, room), note=number)
    in_order = [notes[at] for at in sorted(notes)]
    starts = [note.at_beats for note in in_order[1:]]
    cut = [
        note.model_copy(update={"length_beats": min(note.length_beats, after - note.at_beats)})
        for note, after in zip(in_order, [*starts, float("inf")], strict=True)
    ]
    return track.with_part(BASS_PART, notes=tuple(cut))

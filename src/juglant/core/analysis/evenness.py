"""How even the notes of the bass line are, and three ways to even them, each made and measured."""

from __future__ import annotations

import math
from dataclasses import dataclass
from statistics import median

import numpy as np

from juglant.core.loop.bass_line import bass_line, bass_stem
from juglant.core.loop.place import gaps
from juglant.core.measure.level import LOUDNESS_OFFSET, db, k_weighting, loop_loudness
from juglant.core.model.ids import BASS_PART
from juglant.core.model.steady import Hold, Steady
from juglant.core.model.strokes import BassNote
from juglant.core.model.track import Track, lowest_note_hz
from juglant.core.music.tempo import frame_at
from juglant.core.parameter.fields import within
from juglant.core.progress import steps
from juglant.core.separate.steady import HeldLine, distortion_db, hold_gain, lows_of, with_hold
from juglant.core.signal.decimate import decimate
from juglant.core.signal.envelope import frames_of
from juglant.core.signal.filters import filter_loop
from juglant.core.types import Samples

# A note counts by its first 400 ms, the block of BS.1770; below this it is no note that sounds.
BLOCK_MS, SILENT_LUFS = 400.0, -70.0
# Thresholds are tried from the loudest note down, in these steps, and each of these ratios.
STEP_DB, MOST_STEPS = 2.0, 10
RATIOS = (2.0, 4.0)
RELEASES_MS = (150.0, 50.0)
# Of settings within this of the least spread the gentlest is taken.
NEARLY_LU = 0.3
LU_A_DB_OVER = 0.25
HOLDS: tuple[tuple[Hold, str, str], ...] = (
    ("lows compressed", "lows", "Compress the lows"),
    ("limited", "limit", "Limit"),
)
# Settings are tried on the line at about this rate.
SEARCH_RATE, KEPT_SHARE = 6000, 0.8
# Without a written note the gain may move as slowly as half of this.
LOWEST_HZ = 40.0
ROUNDS = 2


@dataclass(frozen=True)
class Evenness:
    """The notes of the line against each other.

    spread_lu: the loudest less the quietest, None under two notes that sound; distortion_db: what the holding gain adds re
    the line, None where it rests; peak_db, loudness_lufs: of the line, None where it is silent.
    """

    spread_lu: float | None
    distortion_db: float | None
    peak_db: float | None
    loudness_lufs: float | None


@dataclass(frozen=True)
class EvenWay:
    """One way to even the line, made and measured; settings: what is dialled in."""

    id: str
    title: str
    settings: str
    measured: Evenness


def note_loudness(track: Track, line: Samples, *, sample_rate: int) -> list[float | None]:
    """K-weighted loudness of the first 400 ms of each note of a line (frames,), LUFS, in order; None where none sounds."""
    weighted = filter_loop(line, k_weighting(sample_rate), sample_rate=sample_rate)
    return weighted_notes(track, weighted, sample_rate=sample_rate)


def weighted_notes(track: Track, weighted: Samples, *, sample_rate: int) -> list[float | None]:
    """The same of a line that is K-weighted already, (frames,)."""
    energy = weighted**2
    most = frames_of(BLOCK_MS, sample_rate)
    found: list[float | None] = []
    for first, last in _stretches(track, weighted.size, sample_rate):
        mean = float(np.take(energy, np.arange(first, min(last, first + most)), mode="wrap").mean())
        level = LOUDNESS_OFFSET + 10 * math.log10(max(mean, 1e-20))
        found.append(level if level > SILENT_LUFS else None)
    return found


def _stretches(track: Track, total: int, sample_rate: int) -> list[tuple[int, int]]:
    """First and one-past-last frame of each note of the line at a rate, in order, each ended by the next."""
    bpm, notes = track.sheet.bpm, track.notes()
    starts = [frame_at(note.at_beats, bpm, sample_rate) for note in notes]
    ends = [frame_at(note.at_beats + note.length_beats, bpm, sample_rate) for note in notes]
    rooms = gaps(starts, total)
    return [(start, max(start + 1, min(end, start + room))) for start, end, room in zip(starts, ends, rooms, strict=True)]


def spread_of(levels: list[float | None]) -> float | None:
    """The loudest note less the quietest, LU; None under two that sound."""
    heard = [one for one in levels if one is not None]
    return max(heard) - min(heard) if len(heard) > 1 else None


def evenness(track: Track) -> Evenness:
    """How even the line is as it is held now, before carve and duck."""
    rate, line = track.sheet.sample_rate, bass_line(track)
    gain = hold_gain(line, track.steady, given_db=track.bass_part.gain_db, sample_rate=rate)
    held = with_hold(line, gain, track.steady, sample_rate=rate)
    peak = float(np.max(np.abs(held), initial=0.0))
    return Evenness(
        spread_lu=spread_of(note_loudness(track, held, sample_rate=rate)),
        distortion_db=distortion_db(line, gain, track.steady, lowest_note_hz(track) or LOWEST_HZ, sample_rate=rate),
        peak_db=db(peak) if peak > 0 else None,
        loudness_lufs=loop_loudness(held, sample_rate=rate) if peak > 0 else None,
    )


def even_ways(track: Track) -> list[tuple[EvenWay, Track]]:
    """The line evened by its notes' levels, by compressing its lows and by limiting; empty under two notes that sound."""
    bare = track.with_part(BASS_PART, steady=Steady())
    if spread_of(note_loudness(bare, bass_line(bare), sample_rate=track.sheet.sample_rate)) is None:
        return []
    notes = by_notes(bare)
    out = [(EvenWay("notes", "Each note's own level", _gains_said(notes), evenness(notes)), notes)]
    for hold, name, title in steps(HOLDS):
        made = held_by(bare, hold)
        out.append((EvenWay(name, title, _held_said(made.steady), evenness(made)), made))
    return out


def by_notes(track: Track) -> Track:
    """The line with each of its notes as loud as the middle of them, as they sound in their places."""
    for _ in range(ROUNDS):
        levels = note_loudness(track, bass_line(track), sample_rate=track.sheet.sample_rate)
        middle = median(level for level in levels if level is not None)
        moved = {
            note.at_beats: middle - level for note, level in zip(_inside(track), levels, strict=True) if level is not None
        }
        gains = {note.at_beats: note.gain_db + moved.get(note.at_beats, 0.0) for note in _inside(track)}
        # What would pass the loudest a note can be takes all down with it.
        top = max(gains.values())
        over = top - within(BassNote, "gain_db", top)
        line = tuple(
            note.model_copy(update={"gain_db": within(BassNote, "gain_db", gains[note.at_beats] - over)})
            if note.at_beats in gains
            else note
            for note in track.bass_notes
        )
        track = track.with_part(BASS_PART, notes=line)
    return track


def _inside(track: Track) -> list[BassNote]:
    """The notes that sound in the loop as they are written, in the order in which they sound."""
    inside = [note for note in track.bass_notes if note.at_beats < track.sheet.length_beats]
    return sorted(inside, key=lambda note: note.at_beats)


def held_by(track: Track, hold: Hold) -> Track:
    """The line held by a compressor on its lows or a limiter, as loud as it was: the gentlest of the best of those tried.

    Tried on a decimated line; the best has the least spread, each dB of distortion over the limit counting as 0.25 LU.
    """
    factor = max(1, track.sheet.sample_rate // SEARCH_RATE)
    rate = round(track.sheet.sample_rate / factor)
    line = decimate(bass_line(track) * 10 ** (-track.bass_part.gain_db / 20), factor, pass_share=KEPT_SHARE)
    lowest, most = lowest_note_hz(track) or LOWEST_HZ, track.limits.low_note_distortion_db
    found, tries = [], _tries(track, line, hold, rate)
    # Every try works on the same band: what of it moves slowly is known once.
    judged = HeldLine(line, tries[0], lowest, sample_rate=rate)
    for settings in tries:
        gain = hold_gain(line, settings, given_db=0.0, sample_rate=rate)
        spread = spread_of(note_loudness(track, with_hold(line, gain, settings, sample_rate=rate), sample_rate=rate))
        added = judged.distortion_db(gain)
        over = 0.0 if added is None else max(0.0, added - most)
        found.append(((spread or 0.0) + LU_A_DB_OVER * over, settings))
    least = min(cost for cost, _ in found)
    return as_loud(track, next(settings for cost, settings in found if cost <= least + NEARLY_LU))


def as_loud(track: Track, settings: Steady) -> Track:
    """The track held so, with the make-up that gives its line the loudness it has without."""
    rate = track.sheet.sample_rate
    made = track.with_part(BASS_PART, steady=settings.model_copy(update={"makeup_db": 0.0}))
    lost = loop_loudness(bass_line(track), sample_rate=rate) - loop_loudness(bass_stem(made), sample_rate=rate)
    up = within(Steady, "makeup_db", lost)
    return track.with_part(BASS_PART, steady=settings.model_copy(update={"makeup_db": up}))


def _tries(track: Track, line: Samples, hold: Hold, sample_rate: int) -> list[Steady]:
    """Settings to try on a line, the gentlest first: thresholds from its loudest note down past its quietest."""
    ruler = "ceiling_db" if hold == "limited" else "threshold_db"
    seen = line if hold == "limited" else lows_of(line, Steady().split_hz, sample_rate=sample_rate)
    stretches = _stretches(track, line.size, sample_rate)
    peaks = [float(np.max(np.abs(np.take(seen, np.arange(first, last), mode="wrap")))) for first, last in stretches]
    levels = [db(peak) for peak in peaks if peak > 0]
    last = max(min(levels) - 2 * STEP_DB, max(levels) - MOST_STEPS * STEP_DB)
    steps = [within(Steady, ruler, float(one)) for one in np.arange(max(levels), last - STEP_DB, -STEP_DB)]
    if hold == "limited":
        return [Steady(hold=hold, ceiling_db=step, release_ms=ms) for ms in RELEASES_MS for step in steps]
    return [
        Steady(hold=hold, threshold_db=step, ratio=ratio, release_ms=ms)
        for ms in RELEASES_MS
        for ratio in RATIOS
        for step in steps
    ]


def _gains_said(track: Track) -> str:
    gains = [note.gain_db for note in _inside(track)]
    return f"{min(gains):+.1f} to {max(gains):+.1f} dB".replace("-", "−")


def _held_said(one: Steady) -> str:
    if one.hold == "limited":
        said = f"ceiling {one.ceiling_db:.1f} dB, release {one.release_ms:.0f} ms, make-up {one.makeup_db:+.1f} dB"
    else:
        said = (
            f"below {one.split_hz:.0f} Hz from {one.threshold_db:.1f} dB, {one.ratio:g}:1, attack {one.attack_ms:.0f} ms, "
            f"release {one.release_ms:.0f} ms, make-up {one.makeup_db:+.1f} dB"
        )
    return said.replace("-", "−").replace("make−up", "make-up")

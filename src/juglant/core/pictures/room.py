"""Pictures of the room made for the kick: clash map, carve response, duck over one stroke, pitch path."""

from __future__ import annotations

from typing import Literal

import numpy as np
from scipy import fft

from juglant.core.analysis.analyse import Analysis, BandTable
from juglant.core.analysis.duck_aims import keyed_by_notes
from juglant.core.duck.curve import GainRows, starts_s
from juglant.core.duck.part_curves import first_curve, starts_beats
from juglant.core.duck.strokes import Activity
from juglant.core.measure.bands import FRAME_S, LOW_CENTRES_HZ
from juglant.core.measure.timing import low_band_envelope
from juglant.core.model.duck import Duck
from juglant.core.model.ids import BASS_PART, KICK_ID
from juglant.core.model.track import Track
from juglant.core.music.scales import spelled
from juglant.core.pictures.strip import Picture, rounded
from juglant.core.separate.clearance import Contest
from juglant.core.separate.filters import carve_sections, floor_sections, move_sections, yielder
from juglant.core.signal.decimate import decimate
from juglant.core.signal.filters import response
from juglant.core.types import Mask, Samples

RESPONSE_HZ = np.geomspace(20, 2000, 161)
SPECTRUM_HZ = np.geomspace(20, 400, 105)
SPECTRUM_OCTAVES, SPECTRUM_RATE = 1 / 12, 2000
LOWEST_SHOWN_DB = -60.0
ENVELOPE_POINTS = 240
# A lane keeps every so manieth row of a curve; a stroke is drawn so long.
LANE_ROWS, STROKE_BEATS = 16, 0.125
# A change of slope by more than this is a corner of the curve.
CORNER_DB_PER_S = 5.0


class ClashMap(Picture):
    """Kick over bass in dB by band and 20 ms frame, over active cells; None elsewhere. Rows are bands, low to high."""

    frame_beats: float
    centres_hz: tuple[float, ...]
    judged: tuple[bool, ...]
    before_db: tuple[tuple[float | None, ...], ...]
    after_db: tuple[tuple[float | None, ...], ...]


class CarvePicture(Picture):
    """Response of the moves, each and summed with the floor filter, and the parts' mean spectra; kick_*: by zones."""

    frequency_hz: tuple[float, ...]
    sum_db: tuple[float, ...]
    moves_db: tuple[tuple[float, ...], ...]
    kick_sum_db: tuple[float, ...]
    kick_moves_db: tuple[tuple[float, ...], ...]
    spectrum_hz: tuple[float, ...]
    kick_db: tuple[float, ...]
    bass_before_db: tuple[float, ...]
    bass_after_db: tuple[float, ...]


class StrokeNote(Picture):
    """A bass note near the shown stroke, in ms after it."""

    name: str
    start_ms: float
    end_ms: float
    kept: bool


class DuckPicture(Picture):
    """The duck around its tightest stroke: gain, active part, recovery, notes, and kick and target as sound.

    kick_db, target_db, heard_db: envelopes at envelope_ms; the kick's in the low band re its own peak; the target's
    un-ducked and as its gain leaves it: of the bass in the low band re the kick's peak, of another part whole, re its own.
    Of a kick that gives way to the notes of the bass both are in the low band, and key says which is the bass.
    """

    key: Literal["kick", "bass"]
    stroke_beats: float
    start_ms: float
    end_ms: float
    gain_ms: tuple[float, ...]
    gain_db: tuple[float, ...]
    envelope_ms: tuple[float, ...]
    kick_db: tuple[float, ...]
    target_db: tuple[float, ...]
    heard_db: tuple[float, ...]
    active_from_ms: float
    active_to_ms: float
    recovery_ms: float
    notes: tuple[StrokeNote, ...]


def _cells(kick: Samples, bass: Samples, active: Mask) -> tuple[tuple[float | None, ...], ...]:
    ahead = 10 * np.log10(np.clip(np.maximum(kick, 1e-30) / np.maximum(bass, 1e-30), 1e-3, 1e3))
    return tuple(
        tuple(round(float(v), 1) if on else None for v, on in zip(row, mask, strict=True))
        for row, mask in zip(ahead, active, strict=True)
    )


class ClashLayers(Picture):
    """Levels of kick and bass in every band and 20 ms frame, dB re the loudest cell of both, whole, -60 at the least."""

    kick_before_db: tuple[tuple[int, ...], ...]
    bass_before_db: tuple[tuple[int, ...], ...]
    kick_db: tuple[tuple[int, ...], ...]
    bass_db: tuple[tuple[int, ...], ...]


def draw_layers(found: Analysis) -> ClashLayers:
    """Each part's own level, cell by cell."""
    table = found.table
    top = max(float(table.kick_before.max()), float(table.bass_before.max()), 1e-30)

    def levels(energy: Samples) -> tuple[tuple[int, ...], ...]:
        level = np.rint(10 * np.log10(np.maximum(energy / top, 1e-6))).astype(int)
        return tuple(tuple(row) for row in level.tolist())

    return ClashLayers(
        kick_before_db=levels(table.kick_before),
        bass_before_db=levels(table.bass_before),
        kick_db=levels(table.kick),
        bass_db=levels(table.bass),
    )


def draw_clash(found: Analysis) -> ClashMap:
    """The clash before and as heard."""
    return draw_map(found.track, found.table, found.contest)


def draw_map(track: Track, table: BandTable, contest: Contest) -> ClashMap:
    """The same from the bands alone."""
    return ClashMap(
        frame_beats=FRAME_S * track.sheet.bpm / 60,
        centres_hz=rounded(np.array(LOW_CENTRES_HZ), 1),
        judged=contest.judged,
        before_db=_cells(table.kick_before, table.bass_before, contest.active),
        after_db=_cells(table.kick, table.bass, contest.active),
    )


def mean_spectrum(loop: Samples, *, sample_rate: int) -> Samples:
    """Mean power around each of SPECTRUM_HZ over the loop, a twelfth of an octave wide, (points,)."""
    factor = max(1, sample_rate // SPECTRUM_RATE)
    slow = decimate(loop, factor, pass_share=0.7)
    size = fft.next_fast_len(slow.size, real=True)
    power = np.concatenate(([0.0], np.cumsum(np.abs(fft.rfft(slow, size)) ** 2)))
    half = 2 ** (SPECTRUM_OCTAVES / 2)
    low = np.floor(SPECTRUM_HZ / half * size * factor / sample_rate).astype(int)
    high = np.ceil(SPECTRUM_HZ * half * size * factor / sample_rate).astype(int) + 1
    last = power.size - 1
    return np.asarray(power[high.clip(max=last)] - power[low.clip(max=last)])


def draw_carve(found: Analysis) -> CarvePicture:
    """The carve's response over the mean spectra of both parts."""
    track, rate = found.track, found.track.sheet.sample_rate
    carve, zoned = track.carve, track.sheet.owner == "zones"
    moves, kick_moves = (carve.moves if carve.on else (), carve.kick_moves if carve.on and zoned else ())

    def gain_db(sections: Samples) -> Samples:
        if not len(sections):
            return np.zeros(RESPONSE_HZ.size)
        magnitude = np.abs(response(sections, RESPONSE_HZ, sample_rate=rate))
        return 20 * np.log10(np.maximum(magnitude, 1e-4))

    whole, kick = (
        np.vstack((carve_sections(track, part), floor_sections(track))) for part in (yielder(track.sheet.owner), KICK_ID)
    )
    stems = found.stems
    spectra = [mean_spectrum(x, sample_rate=rate) for x in (stems.kick, stems.bass_before, stems.bass_unducked)]
    top = max(1e-30, *(float(s.max()) for s in spectra))
    levels = [rounded(np.maximum(10 * np.log10(np.maximum(s / top, 1e-9)), LOWEST_SHOWN_DB), 1) for s in spectra]
    return CarvePicture(
        frequency_hz=rounded(RESPONSE_HZ, 2),
        sum_db=rounded(gain_db(whole), 2),
        moves_db=tuple(rounded(gain_db(move_sections((move,), sample_rate=rate)), 2) for move in moves),
        kick_sum_db=rounded(gain_db(kick), 2),
        kick_moves_db=tuple(rounded(gain_db(move_sections((move,), sample_rate=rate)), 2) for move in kick_moves),
        spectrum_hz=rounded(SPECTRUM_HZ, 2),
        kick_db=levels[0],
        bass_before_db=levels[1],
        bass_after_db=levels[2],
    )


def _around(track: Track, part: str, one: Activity) -> list[StrokeNote]:
    """Notes or strokes of a part that sound between this key and the next."""
    sheet = track.sheet
    beat_s, loop_s, gap = 60 / sheet.bpm, sheet.length_beats * 60 / sheet.bpm, one.next_hit_s - one.hit_s
    if part == BASS_PART:
        sounds = [
            (note.at_beats, note.length_beats, spelled(note.note, sheet.tonic, sheet.scale, sheet.middle_c))
            for note in track.notes()
        ]
    else:
        sounds = [(at, STROKE_BEATS, "") for at in starts_beats(track, part)]
    out = []
    for at, length, name in sounds:
        start = (at * beat_s - one.hit_s) % loop_s
        start = start - loop_s if start >= gap else start
        end = start + length * beat_s
        if end > 1e-6 and start < gap:
            kept = start >= one.end_s - 1e-6
            out.append(StrokeNote(name=name, start_ms=1000 * max(0.0, start), end_ms=1000 * min(end, gap), kept=kept))
    return out


def draw_duck(found: Analysis) -> DuckPicture | None:
    """The bass's duck around the stroke that leaves the least time; None where there is nothing to duck for."""
    stems = found.stems
    return draw_curve(found.track, BASS_PART, found.rows, found.strokes, stems.kick, stems.bass_unducked)


def draw_curve(
    track: Track,
    part: str,
    rows: GainRows,
    strokes: list[Activity],
    kick: Samples,
    target: Samples,
    curve: Duck | None = None,
) -> DuckPicture | None:
    """A part's gain around the key that leaves the least time, over the kick (loop_frames,); None where nothing keys it.

    kick: of a kick that gives way to the notes of the bass it is those, around the note that the kick has most under.

    target: the part un-ducked in one channel, (loop_frames,).

    curve: the one whose keys strokes are, by default the part's first.
    """
    if not strokes:
        return None
    sheet = track.sheet
    by_notes = keyed_by_notes(track, part)
    under_notes = part == KICK_ID and by_notes
    if under_notes:
        # Where the kick has most under it: elsewhere there is nothing to see.
        one = max(strokes, key=lambda stroke: _sounds(target, stroke, sheet.sample_rate))
    else:
        one = min(strokes, key=lambda stroke: stroke.recovery_s)
    loop_s = float(rows.at_s[-1])
    ahead = max(-starts_s(curve or first_curve(track, part)), -one.start_s) + 0.005
    gap = one.next_hit_s - one.hit_s
    since = np.concatenate([rows.at_s - one.hit_s + turn * loop_s for turn in (-1, 0, 1)])
    gains = np.concatenate([rows.gain_db] * 3)
    shown = (since >= -ahead) & (since <= gap)
    # Every fourth row of a return is 2 ms, finer than a pixel; corners are kept.
    slope = np.diff(gains) / np.maximum(np.diff(since), 1e-9)
    corner = np.concatenate(([True], np.abs(np.diff(slope)) > CORNER_DB_PER_S, [True]))
    kept = np.flatnonzero(shown & (corner | (np.arange(since.size) % 4 == 0)))
    grid = np.linspace(-ahead, gap, ENVELOPE_POINTS)
    ends = np.interp([-ahead, gap], since, gains)
    envelope, rate = low_band_envelope(kick, sample_rate=sheet.sample_rate)
    place = np.round((one.hit_s + grid) * rate).astype(int) % envelope.size
    loudest = max(float(envelope.max()), 1e-9)
    level = 20 * np.log10(np.maximum(envelope[place] / loudest, 1e-3))
    if part == BASS_PART or under_notes:
        lows, _ = low_band_envelope(target, sample_rate=sheet.sample_rate)
        sound = lows[place] / loudest
    else:
        sound = _peaks(target, one.hit_s + grid, sheet.sample_rate)
    under = np.interp(grid, since, gains)
    plain = 20 * np.log10(np.maximum(sound, 1e-3))
    return DuckPicture(
        key="bass" if by_notes else "kick",
        stroke_beats=one.hit_s * sheet.bpm / 60,
        start_ms=-1000 * ahead,
        end_ms=1000 * gap,
        gain_ms=rounded(1000 * np.concatenate(([-ahead], since[kept], [gap])), 2),
        gain_db=rounded(np.concatenate(([ends[0]], gains[kept], [ends[1]])), 2),
        envelope_ms=rounded(1000 * grid, 2),
        kick_db=rounded(level, 1),
        target_db=rounded(plain, 1),
        heard_db=rounded(np.maximum(plain + under, -60.0), 1),
        active_from_ms=1000 * one.start_s,
        active_to_ms=1000 * one.end_s,
        recovery_ms=1000 * one.recovery_s,
        notes=tuple(_around(track, part, one)),
    )


def _sounds(sound: Samples, one: Activity, sample_rate: int) -> float:
    """Energy of a loop while a key needs room."""
    at = np.arange(round(one.hit_s * sample_rate), round((one.hit_s + one.end_s) * sample_rate)) % sound.size
    return float(np.sum(sound[at] ** 2))


def _peaks(sound: Samples, at_s: Samples, sample_rate: int) -> Samples:
    """The highest sample around each of evenly spaced times, re the highest of all, (times,)."""
    width = max(1, round(float(at_s[1] - at_s[0]) * sample_rate))
    first = np.round(at_s * sample_rate).astype(int)
    near = np.abs(sound[(first[:, None] + np.arange(width)) % sound.size]).max(axis=1)
    return np.asarray(near / max(float(np.abs(sound).max()), 1e-9))


def lane(rows: GainRows, bpm: float) -> tuple[tuple[float, ...], tuple[float, ...]]:
    """A part's gain over the loop for a small picture: places in beats and dB, corners kept, at most one point in 8 ms."""
    slope = np.diff(rows.gain_db) / np.maximum(np.diff(rows.at_s), 1e-9)
    corner = np.concatenate(([True], np.abs(np.diff(slope)) > CORNER_DB_PER_S, [True]))
    kept = np.flatnonzero(corner | (np.arange(rows.at_s.size) % LANE_ROWS == 0))
    return rounded(rows.at_s[kept] * bpm / 60, 4), rounded(rows.gain_db[kept], 2)

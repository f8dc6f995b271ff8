"""Every measurement of a track, from its rendered audio: what the screens, the report and the findings are made of."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from juglant.core.analysis.beats import Beating, LoopPartials, beating_by_note
from juglant.core.analysis.room_cost import RoomCost, measure_room
from juglant.core.analysis.stem_bands import bands_of, kick_strokes, plain_part
from juglant.core.duck.curve import GainRows, rows_to_gain
from juglant.core.duck.guards import Guards, measure_guards
from juglant.core.duck.part_curves import curves_of
from juglant.core.duck.strokes import Activity, activities
from juglant.core.hit.render import RenderedHit
from juglant.core.loop.bass_line import cached_note
from juglant.core.loop.gain import gain_rows
from juglant.core.loop.pitched import strokes_in_cents
from juglant.core.loop.place import loop_frames
from juglant.core.loop.render import Stems, heard_kick, heard_stem, render_stems
from juglant.core.measure.hit import HitMeasures, measure_hit
from juglant.core.measure.landing import measure_landing
from juglant.core.measure.level import db, loop_loudness, true_peak
from juglant.core.memory import newest, remembered
from juglant.core.model.ids import BASS_PART
from juglant.core.model.stem import BASS, KICK
from juglant.core.model.strokes import BassNote
from juglant.core.model.track import Track, lowest_note_hz
from juglant.core.music.notes import note_hz
from juglant.core.music.tempo import frame_at
from juglant.core.separate.aims import Clearance, measure_clearance
from juglant.core.separate.clearance import Contest, find_contest
from juglant.core.separate.filters import floor_only
from juglant.core.signal.filters import filter_loop
from juglant.core.synth.bass import Bass
from juglant.core.types import Samples

# A bass note is measured on a rendering of this length.
NOTE_MEASURE_S = 0.6
SILENT_PEAK = 1e-6


@dataclass(frozen=True)
class Levels:
    """Levels of the loop and what its parts cost, dB; None where there is nothing.

    subsonic_cost_db: peak that a floor filter would win, where it is off; floor_cost_db: peak that it costs (minus: wins),
    where it is on.
    """

    loop_loudness_lufs: float | None
    before_loudness_lufs: float | None
    match_db: float
    peak_db: float | None
    true_peak_db: float | None
    kick_peak_db: float | None
    bass_peak_db: float | None
    kick_cost_db: float | None
    bass_cost_db: float | None
    subsonic_cost_db: float | None
    floor_cost_db: float | None


@dataclass(frozen=True)
class BandTable:
    """Low third-octave energies by 20 ms frame, each (bands, frames)."""

    kick_before: Samples
    bass_before: Samples
    kick: Samples
    bass: Samples
    bass_unducked: Samples
    kick_unducked: Samples


@dataclass(frozen=True)
class Analysis:
    """All that is measured of one track; beatings: the kick against each note of the line, in order."""

    track: Track
    stems: Stems
    kick_hit: RenderedHit
    kick: HitMeasures | None
    note_hz: dict[int, float]
    contest: Contest
    clearance: Clearance
    carved_clearance_db: float | None
    table: BandTable
    levels: Levels
    room: RoomCost | None
    rows: GainRows
    strokes: list[Activity]
    guards: Guards
    beatings: tuple[Beating | None, ...]

    @property
    def beating(self) -> Beating | None:
        """The strongest beating of the kick against any note of the line, None where none is heard."""
        return max((one for one in self.beatings if one is not None), key=lambda one: one.beats, default=None)


@newest(64)
def measured_note_hz(bass_json: str, number: int, a4_hz: float, sample_rate: int) -> float | None:
    """Fundamental of a bass note as rendered, or None where it cannot be measured (remembered by description)."""
    bass = Bass.model_validate_json(bass_json)
    audio = cached_note(bass, note_hz(number, a4_hz), round(NOTE_MEASURE_S * sample_rate), sample_rate)
    return measure_landing(np.asarray(audio), sample_rate=sample_rate).landing_hz


@newest(16)
def _measured_hit(key: tuple[bytes, int, float, float]) -> HitMeasures:
    data, sample_rate, bpm, a4_hz = key
    return measure_hit(np.frombuffer(data), sample_rate=sample_rate, bpm=bpm, a4_hz=a4_hz)


def _peak_db(audio: Samples) -> float | None:
    peak = float(np.max(np.abs(audio), initial=0.0))
    return db(peak) if peak > SILENT_PEAK else None


def _low(stems: Stems) -> Samples:
    return stems.with_sides("heard", stems.kick + stems.bass)


def _low_without_floor(track: Track) -> Samples:
    """Kick and bass as heard, with the floor filter off."""
    bare = track.model_copy(update={"carve": track.carve.model_copy(update={"floor_on": False})})
    kick, bass = heard_stem(bare, KICK), heard_stem(bare, BASS)
    return kick + bass


def measure_levels(track: Track, stems: Stems) -> Levels:
    """Levels and headroom of a loop."""
    rate = track.sheet.sample_rate
    loop, before = stems.loop, stems.loop_before
    peak = _peak_db(loop)
    if peak is None:
        return Levels(None, None, 0.0, None, None, None, None, None, None, None, None)
    after_lufs, before_lufs = (loop_loudness(x, sample_rate=rate) for x in (loop, before))
    kick_peak, bass_peak = _peak_db(stems.kick), _peak_db(stems.bass)
    subsonic = None
    if not track.carve.floor_on:
        # On the low parts alone: the filter touches nothing else.
        low = stems.kick + stems.bass
        filtered = filter_loop(low, floor_only(track.carve, sample_rate=rate), sample_rate=rate)
        left = _peak_db(loop + filtered - low)
        subsonic = peak - left if left is not None else None
    floor_cost = None
    if track.carve.floor_on and (bare := _peak_db(loop - _low(stems) + _low_without_floor(track))) is not None:
        floor_cost = peak - bare
    # What the peak were without it, everything else sounding: the kit takes room too.
    heard = {"kick": stems.kick, "bass": stems.with_sides("heard", stems.bass)}
    without = {part: _peak_db(loop - stem) for part, stem in heard.items()}
    return Levels(
        loop_loudness_lufs=after_lufs,
        before_loudness_lufs=before_lufs,
        # What turns the louder down to the quieter: minus where after is louder.
        match_db=before_lufs - after_lufs,
        peak_db=peak,
        true_peak_db=db(true_peak(loop)),
        kick_peak_db=kick_peak,
        bass_peak_db=bass_peak,
        kick_cost_db=None if without["kick"] is None else peak - without["kick"],
        bass_cost_db=None if without["bass"] is None else peak - without["bass"],
        subsonic_cost_db=subsonic,
        floor_cost_db=floor_cost,
    )


def contest_of(track: Track) -> tuple[Contest, BandTable]:
    """The contested region and every stem's low band energies, each measured once for whoever asks."""
    # What nothing ducks is measured once.
    plain = [ref.of("unducked") if curves_of(track, ref.part) else ref for ref in (BASS, KICK)]
    refs = KICK.of("before"), BASS.of("before"), KICK, BASS, *plain
    table = BandTable(*(bands_of(track, ref) for ref in refs))
    contest = find_contest(table.kick_before, table.bass_before, track.sheet.owner, kick_strokes(track), track.sheet.zones)
    return contest, table


def _notes_hz(track: Track) -> dict[int, float]:
    """Fundamental of every note number of the line, each rendered alone; without those that cannot be measured."""
    sheet, bass_json = track.sheet, track.bass.model_dump_json()
    numbers = sorted({note.note for note in track.notes()})
    found = {number: measured_note_hz(bass_json, number, sheet.a4_hz, sheet.sample_rate) for number in numbers}
    return {number: hz for number, hz in found.items() if hz is not None}


def _line_hz(track: Track, line: Samples) -> dict[int, float]:
    """The same where the line is a recording or layers, (loop_frames,): of each number where it is written longest."""
    sheet = track.sheet
    longest: dict[int, BassNote] = {}
    for note in track.notes():
        if note.note not in longest or note.length_beats > longest[note.note].length_beats:
            longest[note.note] = note
    found = {}
    for number, note in sorted(longest.items()):
        ends = note.at_beats, min(note.at_beats + note.length_beats, sheet.length_beats)
        first, last = (frame_at(at, sheet.bpm, sheet.sample_rate) for at in ends)
        hz = measure_landing(np.asarray(line[first:last]), sample_rate=sheet.sample_rate).landing_hz
        if hz is not None:
            found[number] = hz
    return found


def analyse(track: Track) -> Analysis:
    """Render a track and measure everything of it."""
    sheet = track.sheet
    stems, hit = render_stems(track), heard_kick(track)
    measured = None
    if hit.audio.size and np.any(np.abs(hit.audio) > SILENT_PEAK):
        measured = _measured_hit((np.ascontiguousarray(hit.audio).tobytes(), sheet.sample_rate, sheet.bpm, sheet.a4_hz))
    contest, table = contest_of(track)
    clearance = measure_clearance(
        sheet,
        contest,
        kick_before=table.kick_before,
        bass_before=table.bass_before,
        kick=table.kick,
        bass_unducked=table.bass_unducked,
        bass=table.bass,
        kick_unducked=table.kick_unducked,
    )
    tones = _notes_hz(track) if track.bass.is_made else _line_hz(track, stems.bass_before)
    rows = gain_rows(track, loop_frames(track))
    strokes = activities(track, contest.active_any()) if contest.reason is None else []
    gain = rows_to_gain(rows, loop_frames(track), sample_rate=sheet.sample_rate)
    beatings: tuple[Beating | None, ...] = ()
    if measured is not None and measured.landing.landing_hz is not None and tones:
        onset_s = measured.timing.onset_ms / 1000 + (measured.landing.sweep_ms or 0.0) / 1000
        found = beating_by_note(
            track,
            LoopPartials(stems.kick, sheet.sample_rate),
            LoopPartials(stems.bass, sheet.sample_rate),
            strokes_in_cents(track, track.kick_hit()),
            landing_hz=measured.landing.landing_hz,
            settled_s=max(0.0, onset_s - hit.lead_frames / sheet.sample_rate),
            note_hz=tones,
        )
        beatings = tuple(found)
    return Analysis(
        track=track,
        stems=stems,
        kick_hit=hit,
        kick=measured,
        note_hz=tones,
        contest=contest,
        clearance=clearance,
        carved_clearance_db=clearance.carved_db,
        table=table,
        levels=measure_levels(track, stems),
        room=measure_room(track, stems),
        rows=rows,
        strokes=strokes,
        guards=measure_guards(track, plain_part(track, BASS_PART), gain, rows, strokes, lowest_hz=lowest_note_hz(track)),
        beatings=beatings,
    )


@remembered()
def analysed(track: Track) -> Analysis:
    """A track's measurements (pure, remembered, bounded)."""
    return analyse(track)

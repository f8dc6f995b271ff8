"""The low-end strip: kick and bass as ribbons of pitch against beats, measured on the rendered stems."""

from __future__ import annotations

import numpy as np
from pydantic import BaseModel, ConfigDict
from scipy.ndimage import uniform_filter1d

from juglant.core.analysis.analyse import Analysis
from juglant.core.analysis.stem_bands import Whatever
from juglant.core.hit.render import folded
from juglant.core.hit.transpose import transposed
from juglant.core.loop.choke import cutters
from juglant.core.loop.pitched import stroke_cents, strokes_in_cents
from juglant.core.loop.render import heard_stem, stem_made_of
from juglant.core.measure.bands import FRAME_S, LOW_CENTRES_HZ
from juglant.core.measure.landing import PitchPath
from juglant.core.measure.level import db
from juglant.core.measure.timing import low_band_envelope
from juglant.core.memory import remembered
from juglant.core.model.ids import KICK_ID
from juglant.core.model.part import Part
from juglant.core.model.sheet import Sheet
from juglant.core.model.stem import StemRef
from juglant.core.model.track import Track
from juglant.core.music.notes import note_hz
from juglant.core.music.scales import pitch_class, scale_classes, spelled
from juglant.core.tune.hit_pitch import hit_pitch
from juglant.core.types import Samples

# The strip shows these notes: E1 41.2 Hz is the lowest string of a bass, B flat 3 the top of a kick's audible fall.
LOWEST_NOTE, HIGHEST_NOTE = 24, 62
POINTS_PER_LOOP = 1200
SHORTEST_STEP_S = 0.01
# Kick and bass fight in a frame where the owner is ahead by less than this: this project's choice.
FIGHT_DB = 3.0
# One frame alone is the filters' own smear.
SHORTEST_FIGHT_FRAMES = 2
SMOOTH_S = 0.04
SILENT_DB = -60.0
# Less than a sample at any rate and tempo.
TOUCHING_BEATS = 1e-6
DIGITS = 4


class Picture(BaseModel):
    """Measured data reduced to what a screen can show."""

    model_config = ConfigDict(frozen=True)


class Rung(Picture):
    """A note of the key."""

    note: int
    name: str
    frequency_hz: float
    tonic: bool


class Ribbon(Picture):
    """One sound on the strip: pitch and level over time, in dB re the loudest low part; before: ahead of carve and duck."""

    part: str
    label: str
    time_beats: tuple[float, ...]
    pitch_hz: tuple[float, ...]
    level_db: tuple[float, ...]
    before_db: tuple[float, ...]


class Fight(Picture):
    """Where kick and bass fight."""

    from_beats: float
    to_beats: float
    low_hz: float
    high_hz: float


class Strip(Picture):
    """Everything on the strip."""

    length_beats: int
    rungs: tuple[Rung, ...]
    ribbons: tuple[Ribbon, ...]
    fights: tuple[Fight, ...]
    fights_before: tuple[Fight, ...]


def rounded(values: Samples, digits: int = DIGITS) -> tuple[float, ...]:
    """Figures short enough to send."""
    return tuple(np.round(values, digits).tolist())


def rungs(sheet: Sheet, lowest: int = LOWEST_NOTE, highest: int = HIGHEST_NOTE) -> tuple[Rung, ...]:
    """Notes of the key from the lowest to the highest, which are the strip's where none are named."""
    classes, tonic = scale_classes(sheet.tonic, sheet.scale), pitch_class(sheet.tonic)
    return tuple(
        Rung(
            note=number,
            name=spelled(number, sheet.tonic, sheet.scale, sheet.middle_c),
            frequency_hz=round(note_hz(number, sheet.a4_hz), DIGITS),
            tonic=number % 12 == tonic,
        )
        for number in range(lowest, highest + 1)
        if number % 12 in classes
    )


def _path_of(found: Analysis, cents: float) -> PitchPath | None:
    """The measured path of the kick, or of the version of it that strokes of their own pitch play."""
    if not cents:
        return found.kick.landing.path if found.kick else None
    version = found.track.with_hit(KICK_ID, transposed(found.track.kick, cents))
    return hit_pitch(version, version.hit_of(KICK_ID)).landing.path


def _kick_ribbons(found: Analysis, peak: float, before: float, reference: float) -> list[Ribbon]:
    """Each stroke's measured pitch path, at the level its stem has, as long as what cuts it leaves it."""
    if found.kick is None or peak <= 0:
        return []
    track, sheet = found.track, found.track.sheet
    lead_s = found.kick_hit.lead_frames / sheet.sample_rate
    strokes = track.played(track.kick_hit())
    cuts = [frame / sheet.sample_rate * sheet.bpm / 60 for frame in cutters(track, KICK_ID)]
    ends, out = sorted({*cuts, *(stroke.at_beats for stroke in strokes)}), []
    for stroke in strokes:
        at, path = stroke.at_beats, _path_of(found, stroke_cents(track, track.kick_hit(), stroke))
        if path is None:
            continue
        beats = (path.time_s - lead_s) * sheet.bpm / 60
        shape = path.level_db - path.level_db.max()
        following = next((end for end in ends if end > at + TOUCHING_BEATS), ends[0] + sheet.length_beats)
        kept = beats < following - at
        out.append(
            Ribbon(
                part="kick",
                label=f"kick on beat {at + 1:g}",
                time_beats=rounded(at + beats[kept]),
                pitch_hz=rounded(path.pitch_hz[kept], 2),
                level_db=rounded(shape[kept] + db(peak / reference), 1),
                before_db=rounded(shape[kept] + db(max(before, 1e-9) / reference), 1),
            )
        )
    return out


def _levels(envelope: Samples, rate: int, times_s: Samples, reference: float) -> Samples:
    """A stem's level at some times, dB re a reference."""
    inside = np.minimum((times_s * rate).astype(int), envelope.size - 1)
    level: Samples = np.maximum(20 * np.log10(np.maximum(envelope[inside] / reference, 1e-9)), SILENT_DB)
    return level


def _bass_ribbons(found: Analysis, heard: Samples, before: Samples, rate: int, reference: float) -> list[Ribbon]:
    """Each note's measured fundamental, at the level the heard stem has."""
    sheet = found.track.sheet
    beat_s = 60 / sheet.bpm
    step_s = max(SHORTEST_STEP_S, sheet.length_beats * beat_s / POINTS_PER_LOOP)
    notes, out = found.track.notes(), []
    for index, note in enumerate(notes):
        following = notes[index + 1].at_beats if index + 1 < len(notes) else sheet.length_beats
        length_s = min(note.length_beats, following - note.at_beats) * beat_s
        hz = found.note_hz.get(note.note)
        if hz is None or length_s <= 0:
            continue
        times = note.at_beats * beat_s + np.append(np.arange(0, length_s, step_s), length_s)
        out.append(
            Ribbon(
                part="bass",
                label=spelled(note.note, sheet.tonic, sheet.scale, sheet.middle_c),
                time_beats=rounded(times / beat_s),
                pitch_hz=(round(hz, 2),) * times.size,
                level_db=rounded(_levels(heard, rate, times, reference), 1),
                before_db=rounded(_levels(before, rate, times, reference), 1),
            )
        )
    return out


def _low_parts(track: Track) -> list[Part]:
    """Other parts that are drawn: those of the low group, and subs with lines of their own."""
    low = track.low_group.parts
    return [one for one in track.hits() if one.id != KICK_ID and (one.id in low or one.role == "sub")]


def _part_ribbons(track: Track, one: Part, reference: float) -> list[Ribbon]:
    """Each stroke of a hit at the pitch it is played at, at the level its heard stem has until it is over."""
    sheet, pitch = track.sheet, hit_pitch(track, one)
    strokes = strokes_in_cents(track, one)
    if pitch.used_hz is None or not strokes:
        return []
    envelope, rate = _level_of_stem(track, StemRef(one.id))
    before, _ = _level_of_stem(track, StemRef(one.id, "before"))
    beat_s, out = 60 / sheet.bpm, []
    step_s = max(SHORTEST_STEP_S, sheet.length_beats * beat_s / POINTS_PER_LOOP)
    for index, stroke in enumerate(strokes):
        following = strokes[index + 1].at_beats if index + 1 < len(strokes) else float(sheet.length_beats)
        length = following - stroke.at_beats
        if stroke.length_beats is not None:
            length = min(length, stroke.length_beats)
        times = stroke.at_beats * beat_s + np.append(np.arange(0, length * beat_s, step_s), length * beat_s)
        level = _levels(envelope, rate, times, reference)
        were = _levels(before, rate, times, reference)
        sounding = np.flatnonzero((level > SILENT_DB) | (were > SILENT_DB))
        if not sounding.size:
            continue
        until = slice(0, int(sounding[-1]) + 1)
        hz = pitch.used_hz * 2 ** (stroke.tune_cents / 1200)
        out.append(
            Ribbon(
                part=one.id,
                label=f"{one.name} on beat {stroke.at_beats + 1:g}",
                time_beats=rounded(times[until] / beat_s),
                pitch_hz=(round(hz, 2),) * int(sounding[-1] + 1),
                level_db=rounded(level[until], 1),
                before_db=rounded(were[until], 1),
            )
        )
    return out


def _level_of(sound: Samples, sample_rate: int) -> tuple[Samples, int]:
    """The low band's level over a loop, and its rate.

    Partials beat with each other at the note's own pitch: the level is their rms over a few cycles.
    """
    envelope, slow = low_band_envelope(sound, sample_rate=sample_rate)
    # A running sum leaves a hair under zero where a long silence follows sound.
    mean = uniform_filter1d(envelope**2, max(1, round(SMOOTH_S * slow)), mode="wrap")
    return np.sqrt(np.maximum(mean, 0.0)), slow


@remembered()
def _level_of_made(made_of: str, ref: StemRef, given: Whatever) -> tuple[Samples, int]:
    return _level_of(folded(heard_stem(given.track, ref)), given.track.sheet.sample_rate)


def _level_of_stem(track: Track, ref: StemRef) -> tuple[Samples, int]:
    return _level_of_made(stem_made_of(track, ref), ref, Whatever(track))


def fights(found: Analysis, *, before: bool = False) -> tuple[Fight, ...]:
    """Runs of frames in which the owner is not clearly ahead in the judged bands, as heard or before carve and duck."""
    contest, table = found.contest, found.table
    rows = contest.judged_bands
    if contest.reason is not None or not rows:
        return ()
    sign = 1.0 if found.clearance.goal.kind == "at_least" else -1.0
    active = contest.active[rows]
    pair = (table.kick_before, table.bass_before) if before else (table.kick, table.bass)
    kick, bass = (one[rows] * active for one in pair)
    ahead = sign * 10 * np.log10(np.maximum(kick.sum(axis=0), 1e-30) / np.maximum(bass.sum(axis=0), 1e-30))
    bad = active.any(axis=0) & (ahead < FIGHT_DB)
    edges = np.flatnonzero(np.diff(np.concatenate(([0], bad.astype(int), [0]))))
    per_beat = found.track.sheet.bpm / 60
    out = []
    for first, last in zip(edges[::2], edges[1::2], strict=True):
        if last - first < SHORTEST_FIGHT_FRAMES:
            continue
        cells = active[:, first:last].any(axis=1)
        centres = np.array(LOW_CENTRES_HZ)[rows][cells]
        out.append(
            Fight(
                from_beats=round(float(first) * FRAME_S * per_beat, DIGITS),
                to_beats=round(min(float(last) * FRAME_S * per_beat, found.track.sheet.length_beats), DIGITS),
                low_hz=round(float(centres.min()) / 10**0.05, 1),
                high_hz=round(float(centres.max()) * 10**0.05, 1),
            )
        )
    return tuple(out)


def draw_strip(found: Analysis) -> Strip:
    """The strip of a track."""
    rate = found.stems.sample_rate
    kick, _ = low_band_envelope(found.stems.kick, sample_rate=rate)
    kick_before, _ = low_band_envelope(found.stems.kick_before, sample_rate=rate)
    bass, slow = _level_of(found.stems.bass, rate)
    bass_before, _ = _level_of(found.stems.bass_before, rate)
    peak, before = float(kick.max(initial=0.0)), float(kick_before.max(initial=0.0))
    # One reference for both: what is drawn of before and after can be compared.
    reference = max(peak, before, float(bass.max(initial=0.0)), float(bass_before.max(initial=0.0)), 1e-9)
    return Strip(
        length_beats=found.track.sheet.length_beats,
        rungs=rungs(found.track.sheet),
        ribbons=(
            *_kick_ribbons(found, peak, before, reference),
            *_bass_ribbons(found, bass, bass_before, slow, reference),
            *(ribbon for one in _low_parts(found.track) for ribbon in _part_ribbons(found.track, one, reference)),
        ),
        fights=fights(found),
        fights_before=fights(found, before=True),
    )

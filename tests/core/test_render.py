"""Sound from descriptions: exact lengths and places, silence at the ends, no control that breaks anything."""

from __future__ import annotations

import numpy as np
import pytest
from scipy import signal as dsp
from support import sheet_with

from juglant.core.analysis.analyse import Analysis
from juglant.core.duck.curve import rows_to_gain
from juglant.core.hit.render import render_hit, render_layer
from juglant.core.loop.gain import gain_rows
from juglant.core.loop.place import loop_frames
from juglant.core.loop.render import STATES, render_stem, render_stems, stem_description, stem_made_of
from juglant.core.model.carve import Carve, Move
from juglant.core.model.duck import Duck
from juglant.core.model.hit import Hit, Layer
from juglant.core.model.stem import BASS, KICK, StemRef
from juglant.core.model.strokes import BassNote
from juglant.core.model.track import Track
from juglant.core.synth.bass import Bass, render_note
from juglant.core.synth.registry import RENDERERS, AnyEngine
from juglant.core.synth.sweep import Sweep

ENGINES = {model.model_fields["engine"].default: model for model in RENDERERS}


def db(value: float) -> float:
    return 20 * np.log10(max(abs(value), 1e-12))


def layer_of(source: AnyEngine, **settings: object) -> Layer:
    return Layer(id="one", name="One", source=source, **settings)  # type: ignore[arg-type]


def _extremes() -> list[tuple[str, str, float]]:
    found = []
    for name, model in {**ENGINES, "layer": Layer}.items():
        for field, described in model.model_json_schema()["properties"].items():
            if "minimum" in described:
                found += [(name, field, described["minimum"]), (name, field, described["maximum"])]
    return found


@pytest.mark.parametrize(("name", "field", "value"), _extremes())
def test_no_control_makes_nan_or_overload_or_a_click(name: str, field: str, value: float) -> None:
    if name == "layer":
        layers = [layer_of(engine(), **{field: value}) for engine in ENGINES.values()]
    else:
        layers = [layer_of(ENGINES[name](**{field: value}))]
    for layer in layers:
        audio = render_hit(Hit(layers=(layer,)), sample_rate=48000).audio
        assert np.all(np.isfinite(audio))
        assert np.max(np.abs(audio)) <= 10 ** (24 / 20)
        # Method: starts and ends are silent to -90 dBFS.
        assert db(float(np.max(np.abs(audio[..., 0])))) < -90
        assert db(float(np.max(np.abs(audio[..., -1])))) < -90


@pytest.mark.parametrize("field", [f for f, d in Bass.model_json_schema()["properties"].items() if "minimum" in d])
@pytest.mark.parametrize("end", ["minimum", "maximum"])
@pytest.mark.parametrize("frames", [2, 480, 24000])
def test_no_control_of_the_bass_breaks_a_note(field: str, end: str, frames: int) -> None:
    value = Bass.model_json_schema()["properties"][field][end]
    note = render_note(Bass(**{field: value}), 58.27, frames=frames, sample_rate=48000)
    assert note.size == frames
    assert np.all(np.isfinite(note))
    assert max(db(note[0]), db(note[-1])) < -90


@pytest.mark.parametrize("shape", [0.0, 1.0, 1.5, 2.0])
@pytest.mark.parametrize(("drive_db", "landing_hz"), [(0, 250), (12, 250), (30, 250), (30, 60)])
def test_aliasing_is_80_db_under_the_fundamental(shape: float, drive_db: float, landing_hz: float) -> None:
    """Method: tonal engines with notes up to 250 Hz. A steady tone has energy only at multiples of its pitch."""
    source = Sweep(
        landing_hz=landing_hz,
        start_semitones=0,
        shape=shape,
        drive_db=drive_db,
        hold_ms=1000,
        decay_ms=3000,
        release_ms=500,
    )
    tone = render_layer(layer_of(source), sample_rate=48000)[4800:43200]
    spectrum = np.abs(np.fft.rfft(tone * dsp.windows.blackmanharris(tone.size)))
    frequency = np.fft.rfftfreq(tone.size, 1 / 48000)
    away = np.abs(frequency / landing_hz - np.round(frequency / landing_hz)) * landing_hz
    # Blackman-Harris: the main lobe is four bins wide to each side, here 5 Hz; its side lobes are at -92 dB.
    between = (away > 8) & (frequency > 0.5 * landing_hz)
    assert db(spectrum[between].max() / spectrum.max()) < -80


@pytest.mark.parametrize("track_name", ["solved", "untouched"])
def test_the_same_description_gives_the_same_samples(track_name: str, request: pytest.FixtureRequest) -> None:
    track: Track = request.getfixturevalue(track_name)
    layers = track.kick.layers
    one, other = ([render_layer(layer, sample_rate=48000) for layer in layers] for _ in range(2))
    for first, second in zip(one, other, strict=True):
        assert np.array_equal(first, second)


@pytest.mark.parametrize(("bpm", "bars", "rate"), [(126, 4, 48000), (40, 1, 96000), (260, 8, 44100), (133.7, 3, 88200)])
def test_stems_are_exactly_as_long_as_the_loop(bpm: float, bars: int, rate: int, solved: Track) -> None:
    track = sheet_with(solved, bpm=bpm, bars=bars, sample_rate=rate)
    stems = render_stems(track)
    wanted = round(bars * 4 * 60 / bpm * rate)
    for stem in (stems.kick, stems.kick_before, stems.bass, stems.bass_before, stems.bass_unducked, stems.loop):
        assert stem.size == wanted
        assert np.all(np.isfinite(stem))


def test_a_tail_over_the_end_is_heard_at_the_start(untouched: Track) -> None:
    late = untouched.having(kick_at_beats=(15.75,), bass_notes=())
    stem = render_stem(late, StemRef("kick", "before"))
    hit = render_hit(late.kick, sample_rate=48000).audio * 10 ** (late.kick_part.gain_db / 20)
    start = round(15.75 * 60 / 126 * 48000)
    over = hit.size - (stem.size - start)
    assert over > 0
    assert np.allclose(stem[:over], hit[-over:], atol=1e-12)


def test_each_kick_cuts_the_one_before_within_five_ms(untouched: Track) -> None:
    fast = untouched.having(kick_at_beats=(0.0, 0.25), bass_notes=())
    alone = untouched.having(kick_at_beats=(0.25,), bass_notes=())
    second = round(0.25 * 60 / 126 * 48000)
    assert np.allclose(*(render_stem(one, StemRef("kick", "before"))[second : second + 9000] for one in (fast, alone)))


def test_notes_sound_where_they_stand(untouched: Track) -> None:
    note = BassNote(at_beats=3.25, length_beats=0.5, note=34)
    stem = render_stem(untouched.having(bass_notes=(note,)), StemRef("bass", "before"))
    first, last = (round(beat * 60 / 126 * 48000) for beat in (3.25, 3.75))
    heard = np.flatnonzero(stem)
    assert first <= heard[0] <= first + 2
    assert last - 3 <= heard[-1] < last


@pytest.mark.parametrize("ref", [one.of(state) for one in (KICK, BASS) for state in STATES], ids=lambda ref: ref.file_name)
def test_a_stem_follows_from_its_own_description_alone(ref: StemRef, solved: Track) -> None:
    louder = solved.model_copy(update={"name": "Other", "sheet": solved.sheet.model_copy(update={"tonic": "C"})})
    assert stem_made_of(louder, ref) == stem_made_of(solved, ref)
    if ref != BASS:
        # What ducks it is no part of a description: it follows from the keys.
        assert np.array_equal(render_stem(stem_description(solved, ref), ref), render_stem(solved, ref))


def test_loop_is_the_sum_of_its_stems(found: Analysis) -> None:
    stems = found.stems
    assert np.array_equal(stems.loop, stems.kick + stems.bass)
    assert np.array_equal(stems.loop_before, stems.kick_before + stems.bass_before)


def test_the_duck_is_its_rows_times_the_unducked_stem(found: Analysis) -> None:
    """Method: the duck CSV applied to the un-ducked stem rebuilds the ducked one within -60 dB; ours is exact."""
    gain = 10 ** (np.interp(np.arange(found.stems.bass.size) / 48000, found.rows.at_s, found.rows.gain_db) / 20)
    error = found.stems.bass - found.stems.bass_unducked * gain
    assert db(np.sqrt(np.mean(error**2)) / np.sqrt(np.mean(found.stems.bass**2))) < -200


@pytest.mark.parametrize("shape", ["bell", "low shelf", "high shelf", "high-pass"])
def test_the_carve_changes_the_spectrum_by_its_response(shape: str, untouched: Track) -> None:
    move = Move(shape=shape, frequency_hz=80, gain_db=-6, q=1.0)  # type: ignore[arg-type]
    track = untouched.model_copy(update={"carve": Carve(on=True, moves=(move,))})
    before, after = render_stem(track, StemRef("bass", "before")), render_stem(track, StemRef("bass", "unducked"))
    # As on the second pass: the loop is periodic, so its spectrum is multiplied by the response exactly.
    spectra = [np.fft.rfft(x) for x in (before, after)]
    frequency = np.fft.rfftfreq(before.size, 1 / 48000)
    strong = np.abs(spectra[0]) > 1e-3 * np.abs(spectra[0]).max()
    from juglant.core.separate.filters import move_sections

    _, wanted = dsp.sosfreqz(move_sections((move,), sample_rate=48000), frequency[strong], fs=48000)
    assert np.allclose(spectra[1][strong] / spectra[0][strong], wanted, atol=1e-4)


@pytest.mark.parametrize("owner", ["kick", "shared", "kick-is-bass", "bass"])
def test_only_the_yielder_is_carved(owner: str, untouched: Track) -> None:
    track = sheet_with(untouched, owner=owner).model_copy(update={"carve": Carve(on=True, moves=(Move(gain_db=-6),))})
    stems = render_stems(track)
    assert np.array_equal(stems.kick, stems.kick_before) == (owner != "bass")
    assert np.array_equal(stems.bass_unducked, stems.bass_before) == (owner == "bass")


def test_nothing_to_play_is_silence() -> None:
    stems = render_stems(Track())
    assert stems.loop.size == loop_frames(Track())
    assert not np.any(stems.loop)


@pytest.mark.parametrize("depth_db", [0.0, 6.0, 24.0])
def test_rows_stay_between_nothing_and_the_depth(depth_db: float, solved: Track) -> None:
    track = solved.having(duck=Duck(on=True, depth_db=depth_db, hold_ms=300, return_ms=900, fall_ms=30))
    rows = gain_rows(track, loop_frames(track))
    assert rows.gain_db.max() <= 0
    assert rows.gain_db.min() == pytest.approx(-depth_db)
    assert np.all(np.diff(rows.at_s) > 0)
    moving = np.abs(np.diff(rows.gain_db)) > 1e-6
    assert np.diff(rows.at_s)[moving].max(initial=0) <= 5e-4 + 1e-9
    gain = rows_to_gain(rows, loop_frames(track), sample_rate=48000)
    # Wrapped: the end of the loop meets its start without a step.
    assert abs(gain[-1] - gain[0]) < 0.02

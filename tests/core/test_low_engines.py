"""Rumble, bass and long sub: made to the tempo, following the kick, folding nothing back, mono underneath; all measured."""

from __future__ import annotations

import numpy as np
import pytest
from scipy import signal as dsp
from support import same_sound

from juglant.core.analysis.analyse import analyse
from juglant.core.findings.bass_findings import lost_on_small_systems
from juglant.core.hit.render import render_hit
from juglant.core.hit.starts import STARTS
from juglant.core.loop.render import STATES, heard_stem, render_stem, render_stems
from juglant.core.measure.rumble import measure_rumble
from juglant.core.model.hit import Hit, Layer
from juglant.core.model.part import Part
from juglant.core.model.sheet import Sheet
from juglant.core.model.stem import BASS, StemRef, StemState
from juglant.core.model.strokes import BassNote, Stroke
from juglant.core.model.track import Track, track_from_json, track_to_json
from juglant.core.synth.bass import Bass, note_layers, render_note
from juglant.core.synth.beater import Beater
from juglant.core.synth.registry import render_engine
from juglant.core.synth.rumble import BEATS, Rumble
from juglant.core.synth.skins import Skins
from juglant.core.synth.sweep import Sweep
from juglant.core.synth.tail import Tail
from juglant.core.synth.takes import TakeAudio, provide, take_id

RATE = 48000
KICK = Hit(layers=(Layer(id="body", name="Body", source=Sweep(landing_hz=55)),))


def rumble(settings: Rumble, bpm: float = 120.0) -> np.ndarray:
    kick = render_hit(KICK, sample_rate=RATE).audio
    return render_engine(settings, tune=1, sample_rate=RATE, strike=kick, bpm=bpm)


def level_db(audio: np.ndarray, low_hz: float, high_hz: float) -> float:
    power = np.abs(np.fft.rfft(audio)) ** 2
    frequency = np.fft.rfftfreq(audio.size, 1 / RATE)
    return float(10 * np.log10(power[(frequency >= low_hz) & (frequency < high_hz)].sum() + 1e-30))


@pytest.mark.parametrize("bpm", [90, 126, 174])
@pytest.mark.parametrize("division", list(BEATS))
def test_repeats_are_where_the_tempo_puts_them(bpm: float, division: str) -> None:
    dry = Rumble(
        division=division, take_ms=20, room_pct=0, drive_db=0, low_pass_hz=600, upper_db=-60, fade_db=0, gap_ms=0  # type: ignore[arg-type]
    )  # fmt: skip
    audio = rumble(dry, bpm)
    step = BEATS[division] * 60 / bpm
    count = round(1 / BEATS[division]) - 1
    assert audio.size == round(60 / bpm * RATE)
    # The same sound each time: its place against the first is found by correlation.
    first = audio[round(step * RATE) - 240 : round(step * RATE) + 960]
    for turn in range(2, count + 1):
        around = audio[round(turn * step * RATE) - 340 : round(turn * step * RATE) + 1060]
        lag = int(np.argmax(np.correlate(around, first[: around.size], mode="valid"))) - 100
        assert abs(lag) <= 4, turn
    assert np.max(np.abs(audio[: round((step - 0.002) * RATE)])) < 1e-3 * np.max(np.abs(audio))


def test_it_stays_between_its_floor_and_its_low_pass_and_ends_before_the_next_kick() -> None:
    audio = rumble(Rumble(gap_ms=60, upper_db=-60, drive_db=12))
    assert audio.size == round((0.5 - 0.06) * RATE)
    inside = level_db(audio, 28, 160)
    assert level_db(audio, 0, 14) < inside - 30
    assert level_db(audio, 800, 20000) < inside - 40
    with_upper = rumble(Rumble(gap_ms=60, upper_db=-10, drive_db=12))
    assert level_db(with_upper, 180, 600) > level_db(audio, 180, 600) + 6


def test_its_low_end_is_one_in_mono() -> None:
    wide = rumble(Rumble(width_pct=80, low_pass_hz=300, upper_db=-12))
    side, mid = (wide[0] - wide[1]) / 2, wide.mean(axis=0)
    assert wide.shape[0] == 2
    assert level_db(side, 20, 60) < level_db(mid, 20, 60) - 20
    assert level_db(side, 180, 400) > level_db(mid, 180, 400) - 12


@pytest.mark.parametrize("semitones", [7, 12, 24])
def test_the_middle_of_a_rumble_is_its_kick_pitched_up(semitones: float) -> None:
    """Struck by a steady tone, what the upper part adds is that tone, so many semitones up."""
    tone = 0.5 * np.sin(2 * np.pi * 80 * np.arange(RATE // 2) / RATE)

    def made(upper_db: float) -> np.ndarray:
        settings = Rumble(
            division="1/8", take_ms=600, room_pct=0, drive_db=0, low_pass_hz=110, upper_db=upper_db,
            upper_semitones=semitones,
        )  # fmt: skip
        return render_engine(settings, tune=1, sample_rate=RATE, strike=tone, bpm=60)

    added, plain = made(-6), made(-60)
    # Both are brought to one peak: what is the rumble's own is taken out by its own share.
    upper = added - plain * float(added @ plain / (plain @ plain))
    hz = 80 * 2 ** (semitones / 12)
    power, frequency = np.abs(np.fft.rfft(upper)) ** 2, np.fft.rfftfreq(upper.size, 1 / RATE)
    assert 1200 * np.log2(float(frequency[np.argmax(power)]) / hz) == pytest.approx(0, abs=15)
    # What is added lies above the rumble's own lows.
    assert level_db(upper, 20, 70) < level_db(upper, 110, 2000) - 20


def test_the_octave_partner_of_a_long_kick_is_what_a_small_system_plays_of_its_tail() -> None:
    """Common practice: a small system plays next to nothing under 80 Hz. A beat and a half long, at 126 BPM 714 ms."""
    hawser = next(one for one in STARTS if one.name == "Hawser").hit
    without = hawser.model_copy(update={"layers": tuple(one for one in hawser.layers if one.id != "upper")})
    small = dsp.butter(8, 80, "highpass", fs=RATE, output="sos")
    tails = []
    for hit in (hawser, without):
        audio = render_hit(hit, sample_rate=RATE, bpm=126).mono
        whole, played = (one[round(0.15 * RATE) : round(0.55 * RATE)] for one in (audio, dsp.sosfilt(small, audio)))
        tails.append((level_db(whole, 20, 70), level_db(played, 20, 400)))
    assert tails[0][1] > tails[1][1] + 3
    assert tails[0][0] == pytest.approx(tails[1][0], abs=0.5)
    # An octave, to the cent, and under the note it goes with.
    partner, tail = (next(one for one in hawser.layers if one.id == name).source.landing_hz for name in ("upper", "tail"))
    assert partner == pytest.approx(2 * tail, rel=1e-6)


@pytest.mark.parametrize("drive_db", [12, 30])
def test_a_rumble_folds_nothing_back(drive_db: float) -> None:
    """Method: aliases 80 dB under the fundamental. A repeat of a steady tone has energy at its multiples alone."""
    settings = Rumble(
        division="1/8", take_ms=600, room_pct=0, drive_db=drive_db, low_pass_hz=600, upper_db=-12, upper_semitones=12,
        gap_ms=0,
    )  # fmt: skip
    steady = np.sin(2 * np.pi * 100 * np.arange(RATE) / RATE)
    audio = render_engine(settings, tune=1, sample_rate=RATE, strike=steady, bpm=50)
    # One repeat, from 0.6 to 1.2 s; the transposed part is half as long.
    tone = audio[round(0.66 * RATE) : round(0.86 * RATE)]
    frequency = np.fft.rfftfreq(tone.size, 1 / RATE)
    level = np.abs(np.fft.rfft(tone * dsp.windows.blackmanharris(tone.size)))
    away = np.abs(frequency / 100 - np.round(frequency / 100)) * 100
    assert 20 * np.log10(level[away > 40].max() / level.max()) < -80


def made_of(kick: Hit) -> Track:
    one = Part(
        id="under", name="Under", role="rumble", hit=Hit(layers=(Layer(id="r", name="R", source=Rumble()),)),
        strokes=(Stroke(at_beats=0, velocity=127),),
    )  # fmt: skip
    return Track(sheet=Sheet(bars=1, bpm=126), kick=kick, kick_at_beats=(0,), kit=(one,))


def test_a_rumble_follows_the_kick_and_the_kick_is_stored_once() -> None:
    track = made_of(KICK)
    stem = render_stem(track, StemRef("under"))
    assert np.max(np.abs(stem)) > 0.05
    higher = Hit(layers=(Layer(id="body", name="Body", source=Sweep(landing_hz=70)),))
    assert not np.allclose(stem, render_stem(made_of(higher), StemRef("under")))
    assert not np.any(render_stem(made_of(Hit()), StemRef("under")))
    text = track_to_json(track.with_hit("under", track.hit_of("under").hit))
    assert text.count('"sweep"') == 1
    assert track_from_json(text) == track


def test_a_rumble_hears_a_struck_kick_as_it_is() -> None:
    struck = Layer(id="skin", name="Skin", source=Skins(landing_hz=80), struck_by="stick")
    stick = Layer(id="stick", name="Stick", source=Beater(decay_ms=40), muted=True)
    by_stick, by_hand = (
        made_of(Hit(layers=(one, stick))) for one in (struck, struck.model_copy(update={"struck_by": None}))
    )
    assert not np.allclose(render_stem(by_stick, StemRef("under")), render_stem(by_hand, StemRef("under")))


def test_rumble_figures_on_signals_whose_figures_are_known() -> None:
    rng = np.random.default_rng(3)
    band = dsp.butter(6, (25, 110), "bandpass", fs=RATE, output="sos")
    # Noise of equal energy in every third octave: pink in the range.
    white = rng.standard_normal(4 * RATE)
    spectrum = np.fft.rfft(white)
    spectrum[1:] /= np.sqrt(np.arange(1, spectrum.size))
    pink = dsp.sosfilt(band, np.fft.irfft(spectrum))
    tone = np.sin(2 * np.pi * 55 * np.arange(RATE) / RATE)
    even = measure_rumble(pink, tone, between_ms=4000, sample_rate=RATE)
    narrow = measure_rumble(0.25 * tone, tone, between_ms=1000, sample_rate=RATE)
    assert even is not None
    assert narrow is not None
    assert even.evenness_db < 5 < 25 < narrow.evenness_db
    assert narrow.under_kick_db == pytest.approx(-12.04, abs=0.4)
    assert narrow.steadiness_db < 1
    cut = tone.copy()
    cut[: RATE // 10] = 0
    cut[RATE - RATE // 20 :] = 0
    gaps = measure_rumble(cut, tone, between_ms=1000, sample_rate=RATE)
    assert gaps is not None
    # The filter rings on a little after the sound has ended.
    assert 30 < gaps.gap_before_ms <= 50
    assert gaps.gap_after_ms == pytest.approx(100, abs=6)
    assert measure_rumble(np.zeros(100), tone, between_ms=1000, sample_rate=RATE) is None


SOURCES = [
    {"source": "saw", "filter_octaves": 8, "filter_sweep_octaves": 6},
    {"source": "pulse", "filter_octaves": 8, "pulse_pct": 5},
    {"source": "pulse", "filter_octaves": 8, "pulse_pct": 50, "drive_db": 12},
    {"source": "fm pluck", "fm_ratio": 7, "fm_index": 10, "fm_decay_ms": 2000},
    {"source": "sub", "harmonics_pct": 80, "drive_db": 18},
    {"source": "saw", "filter_octaves": 8, "mid_db": 0, "mid_drive_db": 12},
    {"source": "pulse", "filter_octaves": 8, "pulse_pct": 5, "mid_db": 0, "mid_drive_db": 30, "mid_from_hz": 800},
    {"source": "sub", "harmonics_pct": 0, "mid_db": 24, "mid_drive_db": 12},
]


@pytest.mark.parametrize("frequency_hz", [36.7, 55.0, 98.0])
def test_a_new_bass_begins_with_a_blip_that_is_heard_and_its_mid_reaches_a_small_system(frequency_hz: float) -> None:
    """The blip within 10 dB of the note's peak; the mid at its end 24 dB over its middle, and nothing else moved."""
    layers = note_layers(Bass(), frequency_hz, frames=RATE // 2, sample_rate=RATE)
    peaks = {name: 20 * np.log10(np.max(np.abs(layer))) for name, layer in layers.items()}
    assert peaks["start"] > peaks["source"] - 10
    low, high = (note_layers(Bass(mid_db=level), frequency_hz, frames=RATE // 2, sample_rate=RATE) for level in (0.0, 24.0))
    assert high["mid"] == pytest.approx(10 ** (24 / 20) * low["mid"])
    assert np.array_equal(high["source"], low["source"])


def test_a_recorded_bass_note_begins_where_it_is_said_to() -> None:
    time = np.arange(RATE) / RATE
    tone = 0.5 * np.sin(2 * np.pi * 55 * time)
    takes = {}
    for lead in (0, 12000):
        sound = TakeAudio(np.append(np.zeros(lead), tone)[None], RATE)
        takes[take_id(sound.audio, RATE)] = sound
    provide(takes.get)
    plain, late = takes
    notes = [
        render_note(
            Bass(source="recorded note", take=take, note_begin_ms=begin, root_hz=55, blip_db=-60), 61.7,
            frames=RATE // 2, sample_rate=RATE,
        )
        for take, begin in ((plain, 0.0), (late, 250.0), (late, 0.0))
    ]  # fmt: skip
    assert same_sound(notes[1], notes[0], within=1e-6)
    assert np.max(np.abs(notes[2][: RATE // 8])) < 1e-3


@pytest.mark.parametrize("settings", SOURCES, ids=lambda one: " ".join(map(str, one.values())))
@pytest.mark.parametrize("frequency_hz", [62.5, 250])
def test_no_source_folds_anything_back(settings: dict[str, float], frequency_hz: float) -> None:
    """Method: notes up to 250 Hz, aliases 80 dB under the fundamental. Whole ratios leave energy at multiples alone."""
    bass = Bass(blip_db=-60, detune_cents=0, **settings)  # type: ignore[arg-type]
    tone = render_note(bass, frequency_hz, frames=60000, sample_rate=RATE)[6000:54000]
    frequency = np.fft.rfftfreq(tone.size, 1 / RATE)
    level = np.abs(np.fft.rfft(tone * dsp.windows.blackmanharris(tone.size)))
    away = np.abs(frequency / frequency_hz - np.round(frequency / frequency_hz)) * frequency_hz
    assert 20 * np.log10(level[away > 0.4 * frequency_hz].max() / level.max()) < -80


def test_a_saw_and_a_pulse_have_the_partials_of_their_series() -> None:
    """Fourier series: a saw's partials fall as 1/k, a square has none that are even."""
    for source, expected in (("saw", [0, -6.02, -9.54, -12.04]), ("pulse", [0, None, -9.54, None])):
        bass = Bass(
            source=source, filter_octaves=8, detune_cents=0, sub_db=-60, blip_db=-60, pulse_pct=50  # type: ignore[arg-type]
        )  # fmt: skip
        tone = render_note(bass, 100, frames=60000, sample_rate=RATE)[6000:54000]
        level = np.abs(np.fft.rfft(tone * np.hanning(tone.size)))
        lines = [20 * np.log10(level[100 * k] / level[100]) for k in (1, 2, 3, 4)]
        for line, wanted in zip(lines, expected, strict=True):
            assert line < -60 if wanted is None else line == pytest.approx(wanted, abs=0.3)


def test_detune_beats_and_the_sweep_closes() -> None:
    apart = render_note(
        Bass(source="saw", detune_cents=40, filter_octaves=1, filter_sweep_octaves=0, sub_db=-60, blip_db=-60), 100,
        frames=3 * RATE, sample_rate=RATE,
    )  # fmt: skip
    beat_hz = 100 * (2 ** (20 / 1200) - 2 ** (-20 / 1200))
    envelope = np.abs(dsp.hilbert(apart))[2400:-2400]
    spectrum = np.abs(np.fft.rfft(envelope - envelope.mean(), 1 << 20))
    frequency = np.fft.rfftfreq(1 << 20, 1 / RATE)
    assert frequency[np.argmax(spectrum * (frequency < 8))] == pytest.approx(beat_hz, abs=0.15)
    swept = render_note(
        Bass(source="saw", filter_octaves=1, filter_sweep_octaves=5, filter_decay_ms=60, blip_db=-60), 60,
        frames=RATE, sample_rate=RATE,
    )  # fmt: skip
    bright = [level_db(part, 400, 8000) - level_db(part, 0, 200) for part in (swept[:2400], swept[24000:26400])]
    assert bright[0] > bright[1] + 20


LINE = Track(
    sheet=Sheet(bars=1), bass=Bass(mid_db=-9, width_pct=80),
    bass_notes=(BassNote(at_beats=0, length_beats=1, note=34), BassNote(at_beats=2, length_beats=1, note=38)),
)  # fmt: skip


@pytest.mark.parametrize("state", STATES)
def test_width_of_the_mid_leaves_mono_and_the_sub_as_they_are(state: StemState) -> None:
    narrow = LINE.having(bass=LINE.bass.model_copy(update={"width_pct": 0}))
    wide, mono = heard_stem(LINE, BASS.of(state)), render_stem(narrow, BASS.of(state))
    assert heard_stem(narrow, BASS.of(state)).ndim == 1
    assert same_sound(wide.mean(axis=0), mono, within=1e-12)
    side = (wide[0] - wide[1]) / 2
    assert level_db(side, 20, 100) < level_db(mono, 20, 100) - 35
    assert level_db(side, 250, 1500) > level_db(mono, 250, 1500) - 6
    assert render_stems(LINE).loop.shape[0] == 2


def test_a_bass_that_small_systems_miss_is_found_and_the_mid_it_needs_is_enough() -> None:
    heard = LINE.having(bass=Bass(harmonics_pct=45))
    assert lost_on_small_systems(analyse(heard)) == []
    plain = {"harmonics_pct": 0, "blip_db": -60}
    for bass in (Bass(**plain), Bass(source="saw", filter_octaves=0.5, filter_sweep_octaves=0, blip_db=-60)):  # type: ignore[arg-type]
        track = LINE.having(bass=bass)
        (found,) = lost_on_small_systems(analyse(track))
        (fix,) = found.fixes
        assert fix.track is not None
        assert lost_on_small_systems(analyse(fix.track)) == []
        # One decibel less would not have been.
        less = fix.track.bass.model_copy(update={"mid_db": fix.track.bass.mid_db - 1.5})
        assert lost_on_small_systems(analyse(track.having(bass=less)))


def test_a_long_sub_glides_onto_its_note_brightly_and_stays_near_it() -> None:
    def instant_hz(settings: Tail) -> np.ndarray:
        """Frequency by the sample, from the times at which the tone rises through zero."""
        tone = render_engine(settings, tune=1, sample_rate=RATE)
        up = np.flatnonzero((tone[:-1] < 0) & (tone[1:] >= 0))
        times = up + tone[up] / (tone[up] - tone[up + 1])
        return np.interp(np.arange(tone.size), (times[:-1] + times[1:]) / 2, RATE / np.diff(times))

    long = Tail(landing_hz=60, attack_ms=0.5, hold_ms=1500, decay_ms=2000)
    glide = instant_hz(long.model_copy(update={"glide_semitones": 12, "glide_ms": 200}))
    at = [1200 * np.log2(glide[round(s * RATE)] / 60) for s in (0.1, 0.2, 1.2)]
    # By 24 dB in its time: a sixteenth of the way is left, here of 12 semitones.
    assert at[0] == pytest.approx(1200 * 10 ** (-0.6), rel=0.05)
    assert at[1] == pytest.approx(1200 * 10 ** (-1.2), rel=0.1)
    assert abs(at[2]) < 3
    drift = 1200 * np.log2(instant_hz(long.model_copy(update={"drift_cents": 12}))[2400:60000] / 60)
    assert np.max(np.abs(drift)) == pytest.approx(12, abs=1.5)
    bright = render_engine(long.model_copy(update={"bright_db": -6, "bright_ms": 60}), tune=1, sample_rate=RATE)
    plain = render_engine(long, tune=1, sample_rate=RATE)
    start, later = slice(0, 2400), slice(24000, 48000)
    assert level_db(bright[start], 100, 400) > level_db(plain[start], 100, 400) + 10
    assert level_db(bright[later], 100, 400) < level_db(plain[later], 40, 80) - 100

"""A bass line held steady and played in layers: what the tools leave and what they add, against known sounds."""

from __future__ import annotations

import numpy as np
import pytest
from support import same_sound

from juglant.core.analysis.bass_layers import bass_layers, layer_lines
from juglant.core.analysis.evenness import even_ways, evenness, note_loudness
from juglant.core.loop.bass_line import bass_line, bass_stem
from juglant.core.loop.render import render_stem
from juglant.core.model.carve import Carve
from juglant.core.model.duck import Duck
from juglant.core.model.sheet import Sheet
from juglant.core.model.steady import Steady
from juglant.core.model.stem import StemRef
from juglant.core.model.strokes import BassNote
from juglant.core.model.track import Track
from juglant.core.model.version_one import Mix
from juglant.core.separate.steady import distortion_db, hold_gain, with_hold
from juglant.core.synth.bass import Bass, note_layers, render_note
from juglant.core.synth.takes import TakeAudio, provide, take_id

RATE = 48000
KNOWN: dict[str, TakeAudio] = {}


@pytest.fixture(autouse=True, scope="module")
def _known() -> None:
    provide(KNOWN.get)


def tone(hz: float, peak: float, seconds: float = 4.0, rate: int = RATE) -> np.ndarray:
    """Whole cycles, so that the loop closes."""
    frames = round(round(hz * seconds) / hz * rate)
    return peak * np.sin(2 * np.pi * round(hz * seconds) * np.arange(frames) / frames)


def line_of(*gains_db: float, note: int = 34, **track: object) -> Track:
    """One plain note of a beat after another at these levels."""
    notes = tuple(BassNote(at_beats=i, length_beats=0.9, note=note, gain_db=gain) for i, gain in enumerate(gains_db))
    bass = Bass(harmonics_pct=0, blip_db=-60)
    return Track(**{"sheet": Sheet(bars=2), "bass": bass, "bass_notes": notes, "mix": Mix(bass_gain_db=-6)} | track)


@pytest.mark.parametrize(("over_db", "ratio"), [(6.0, 2.0), (9.0, 4.0), (12.0, 20.0)])
def test_a_held_tone_comes_down_by_the_published_law(over_db: float, ratio: float) -> None:
    # Giannoulis, Massberg & Reiss 2012 (JAES), eq. 4: beyond the knee the output rises by 1/R of what the input does.
    one = Steady(hold="lows compressed", threshold_db=-20, ratio=ratio, attack_ms=1, release_ms=1500)
    gain = hold_gain(tone(60, 10 ** ((over_db - 20) / 20)), one, given_db=0, sample_rate=RATE)
    assert 20 * np.log10(np.median(gain)) == pytest.approx((1 / ratio - 1) * over_db, abs=0.4)


@pytest.mark.parametrize("rate", [44100, 48000, 96000])
@pytest.mark.parametrize("ceiling_db", [-3.0, -12.0])
def test_the_limiter_lets_no_sample_through_and_rests_below(rate: int, ceiling_db: float) -> None:
    loud = tone(55, 0.9, rate=rate) * np.linspace(0.2, 1, tone(55, 0.9, rate=rate).size)
    one = Steady(hold="limited", ceiling_db=ceiling_db)
    held = with_hold(loud, hold_gain(loud, one, given_db=0, sample_rate=rate), one, sample_rate=rate)
    assert np.max(np.abs(held)) <= 10 ** (ceiling_db / 20) + 1e-9
    quiet = loud * 10 ** (ceiling_db / 20) / 2
    assert np.array_equal(hold_gain(quiet, one, given_db=0, sample_rate=rate), np.ones(quiet.size))


@pytest.mark.parametrize("release_ms", [10.0, 25.0])
def test_a_release_faster_than_a_cycle_adds_harmonics_and_the_figure_says_how_much(release_ms: float) -> None:
    hz, level = 50.0, 10 ** (-6 / 20)
    sound = tone(hz, level)
    one = Steady(hold="lows compressed", threshold_db=-20, ratio=6, attack_ms=1, release_ms=release_ms)
    gain = hold_gain(sound, one, given_db=0, sample_rate=RATE)
    stated = distortion_db(sound, gain, one, hz, sample_rate=RATE)
    held = with_hold(sound, gain, one, sample_rate=RATE)
    power = np.abs(np.fft.rfft(held)) ** 2
    own = round(hz * held.size / RATE)
    measured = 10 * np.log10((power.sum() - power[own]) / power.sum())
    assert stated == pytest.approx(measured, abs=1.5)
    slow = one.model_copy(update={"release_ms": 1500.0})
    gain = hold_gain(sound, slow, given_db=0, sample_rate=RATE)
    assert (distortion_db(sound, gain, slow, hz, sample_rate=RATE) or 0) < stated - 15


@pytest.mark.parametrize("hold", ["lows compressed", "limited"])
def test_what_is_held_is_as_on_the_second_pass(hold: str) -> None:
    one = Steady(hold=hold, threshold_db=-24, ceiling_db=-18, release_ms=400)
    loop = np.concatenate((tone(55, 0.1, 0.5), tone(55, 0.8, 0.5)))
    twice = np.concatenate((loop, loop, loop))
    gain, long = (hold_gain(x, one, given_db=0, sample_rate=RATE) for x in (loop, twice))
    assert same_sound(gain, long[loop.size : 2 * loop.size], within=1e-4)


def test_only_the_lows_are_compressed() -> None:
    low, high = tone(60, 0.8), tone(1500, 0.1)
    one = Steady(hold="lows compressed", threshold_db=-30, ratio=8)
    held = with_hold(low + high, hold_gain(low + high, one, given_db=0, sample_rate=RATE), one, sample_rate=RATE)
    power = np.abs(np.fft.rfft(held)) / (held.size / 2)
    assert 20 * np.log10(power[round(60 * held.size / RATE)] / 0.8) < -15
    assert 20 * np.log10(power[round(1500 * held.size / RATE)] / 0.1) == pytest.approx(0, abs=0.1)


def test_the_spread_is_that_of_the_notes_and_each_way_leaves_what_it_says() -> None:
    track = line_of(0, -6, -3, 0, -9, 0, -6, 0)
    assert evenness(track).spread_lu == pytest.approx(9, abs=0.05)
    assert evenness(track).distortion_db is None
    ways = {way.id: (way, made) for way, made in even_ways(track)}
    assert list(ways) == ["notes", "lows", "limit"]
    for way, made in ways.values():
        levels = note_loudness(made, bass_stem(made), sample_rate=RATE)
        heard = [level for level in levels if level is not None]
        assert way.measured.spread_lu == pytest.approx(max(heard) - min(heard), abs=1e-6)
        assert way.measured.spread_lu < 9
    assert ways["notes"][0].measured.spread_lu < 0.05
    assert ways["notes"][0].measured.distortion_db is None
    for name in ("lows", "limit"):
        way, made = ways[name]
        assert (way.measured.distortion_db or 0) < -30
        # As loud as it was: what is compared is not level.
        assert way.measured.loudness_lufs == pytest.approx(evenness(track).loudness_lufs, abs=0.1)
        assert made.steady.hold != "off"


@pytest.mark.parametrize(
    "track",
    [line_of(), line_of(0), line_of(0, 0, mix=Mix(bass_gain_db=-40), bass=Bass(source="recorded note"))],
    ids=["no notes", "one note", "silent"],
)
def test_where_fewer_than_two_notes_sound_there_is_nothing_to_even(track: Track) -> None:
    assert evenness(track).spread_lu is None
    assert even_ways(track) == []
    held = track.having(steady=Steady(hold="limited", makeup_db=24))
    assert np.all(np.isfinite(bass_stem(held)))


def test_a_held_bass_is_what_carve_and_duck_begin_from() -> None:
    track = line_of(0, -6, 0, -6, steady=Steady(hold="limited", ceiling_db=-12))
    before = render_stem(track, StemRef("bass", "before"))
    assert np.max(np.abs(before)) == pytest.approx(10 ** (-18 / 20), rel=1e-3)
    # Remembered apart from its level, which is the last thing it is given.
    assert same_sound(before, bass_stem(track), within=1e-15, share=1e-9)
    plain = track.having(carve=Carve(), duck=Duck())
    assert np.array_equal(render_stem(plain, StemRef("bass")), before)


def recording(sides: bool = True) -> str:
    """Noise over four bars of two sides; the id it is known by."""
    frames = round(4 * 4 * 60 / 126 * RATE)
    noise = 0.2 * np.random.default_rng(7).standard_normal((2, frames))
    audio = noise if sides else noise[:1]
    take = take_id(audio, RATE)
    KNOWN[take] = TakeAudio(audio, RATE)
    return take


@pytest.mark.parametrize("cross_hz", [60.0, 110.0, 250.0])
def test_the_layers_of_a_recording_sum_to_it_and_meet_at_minus_six(cross_hz: float) -> None:
    # Linkwitz 1976: each branch is -6.02 dB at the corner and the sum is an all-pass.
    whole = Track(
        sheet=Sheet(bpm=126, bars=4), bass=Bass(source="recorded line", take=recording()), mix=Mix(bass_gain_db=0)
    )  # fmt: skip
    split = whole.having(
        bass=whole.bass.model_copy(update={"layered": True, "cross_hz": cross_hz, "sub_db": 0, "upper_db": 0})
    )
    spectrum = np.abs(np.fft.rfft(bass_line(whole)))
    hz = np.fft.rfftfreq(bass_line(whole).size, 1 / RATE)
    heard = (hz > 20) & (hz < 20000)
    both = 20 * np.log10(np.abs(np.fft.rfft(bass_line(split)))[heard] / spectrum[heard])
    assert np.max(np.abs(both)) < 0.1
    at = int(np.argmin(np.abs(hz - cross_hz)))
    for line in layer_lines(split).values():
        assert 20 * np.log10(np.abs(np.fft.rfft(line))[at] / spectrum[at]) == pytest.approx(-6.02, abs=0.1)
    assert [one.name for one in bass_layers(split)] == ["sub", "source"]


def test_sides_of_a_recording_are_its_own_above_the_mono_corner() -> None:
    track = Track(sheet=Sheet(bpm=126, bars=4), mix=Mix(bass_gain_db=0), bass=Bass(
        source="recorded line", take=recording(), width_pct=100, mono_below_hz=200,
    ))  # fmt: skip
    side = bass_line(track, side=True)
    audio = KNOWN[recording()].audio
    asked = (audio[0] - audio[1]) / 2
    hz = np.fft.rfftfreq(side.size, 1 / RATE)
    ratio = np.abs(np.fft.rfft(side)) / np.abs(np.fft.rfft(asked[: side.size]))
    assert np.max(20 * np.log10(ratio[(hz > 20) & (hz < 70)])) < -35
    assert np.median(20 * np.log10(ratio[(hz > 800) & (hz < 8000)])) == pytest.approx(0, abs=0.1)
    mono = track.having(bass=track.bass.model_copy(update={"take": recording(sides=False)}))
    assert not np.any(bass_line(mono, side=True))


@pytest.mark.parametrize("source", ["sub", "saw", "pulse", "fm pluck"])
def test_the_layers_of_a_note_are_the_note_and_the_sub_is_plain(source: str) -> None:
    bass = Bass(source=source, layered=True, cross_hz=120, sub_db=0, mid_db=-20)
    parts = note_layers(bass, 55, frames=RATE, sample_rate=RATE)
    assert set(parts) == {"sub", "source", "mid", "start"}
    note = render_note(bass, 55, frames=RATE, sample_rate=RATE)
    assert same_sound(np.sum(list(parts.values()), axis=0), note, within=1e-12)
    # The sub is its note alone; the source is cut where it begins, by 24 dB an octave.
    power = np.abs(np.fft.rfft(parts["sub"] * np.hanning(RATE))) ** 2
    assert 10 * np.log10(power[100:].sum() / power[:100].sum()) < -60
    quieter = note_layers(bass.model_copy(update={"sub_db": -12}), 55, frames=RATE, sample_rate=RATE)
    assert np.max(quieter["sub"]) / np.max(parts["sub"]) == pytest.approx(10 ** (-12 / 20), rel=1e-6)
    assert same_sound(quieter["source"], parts["source"], within=1e-12, share=1e-6)

"""What struck things do, of the engines: skins heard by their velocity, sticks, wires behind a shell, beaters, plates."""

from __future__ import annotations

import numpy as np
import pytest
import scipy

from juglant.core.hit.render import render_hit
from juglant.core.hit.start import Start
from juglant.core.hit.start_kicks import KICKS
from juglant.core.hit.start_others import RUMBLES
from juglant.core.measure.character import fall_ms, measure_character
from juglant.core.synth.beater import Beater
from juglant.core.synth.beater import render as beat
from juglant.core.synth.metal import Metal
from juglant.core.synth.metal import render as ring
from juglant.core.synth.skins import Skins
from juglant.core.synth.skins import render as strike

RATE = 48000
# Zeros of the Bessel functions that are the modes of a circular membrane, over the lowest (Abramowitz & Stegun, table 9.5).
MODES = {
    "(0,1)": 1.0,
    "(1,1)": 3.8317 / 2.4048,
    "(2,1)": 5.1356 / 2.4048,
    "(0,2)": 5.5201 / 2.4048,
    "(1,2)": 7.0156 / 2.4048,
}
EVEN = {"drop_semitones": 0, "second_db": -60, "damping": 0, "place": 0.4, "ring_ms": 900, "stiffness": 0.8}


def skins(**settings: object) -> np.ndarray:
    return strike(Skins.model_validate(settings), tune=1, sample_rate=RATE)


def level_db(sound: np.ndarray, hz: float) -> float:
    window = np.hanning(sound.size)
    turn = np.exp(-2j * np.pi * hz * np.arange(sound.size) / RATE)
    return float(20 * np.log10(np.abs(np.sum(sound * window * turn)) + 1e-12))


def test_a_skin_is_heard_by_its_velocity_six_decibels_an_octave_brighter() -> None:
    """Radiation by velocity: every mode by the ratio of its frequency, as differentiation has it."""
    moved, heard = (skins(**EVEN, landing_hz=120, heard_by=way) for way in ("movement", "velocity"))
    gained = {name: level_db(heard, 120 * ratio) - level_db(moved, 120 * ratio) for name, ratio in MODES.items()}
    for name, ratio in MODES.items():
        assert gained[name] - gained["(0,1)"] == pytest.approx(20 * np.log10(ratio), abs=0.3), name


def test_no_thump_lies_under_a_note_that_is_heard_by_velocity() -> None:
    def under_db(sound: np.ndarray) -> float:
        low = scipy.signal.sosfilt(scipy.signal.butter(4, 60, "lowpass", fs=RATE, output="sos"), sound)
        return float(10 * np.log10(np.sum(low**2) / np.sum(sound**2)))

    soft = {**EVEN, "landing_hz": 196, "stiffness": 0.1, "ring_ms": 300}
    assert under_db(skins(**soft, heard_by="velocity")) < under_db(skins(**soft)) - 8


@pytest.mark.parametrize("ring_ms", [300, 900, 1800, 2900])
def test_a_skin_rings_as_long_as_it_says(ring_ms: float) -> None:
    # At the centre of the ruler of strength its ring is as set.
    sound = skins(landing_hz=90, ring_ms=ring_ms, second_db=-60, drop_semitones=0, damping=2, place=0, strength=0.5)
    assert fall_ms(sound, sample_rate=RATE) == pytest.approx(ring_ms, rel=0.06)


def test_a_harder_stick_is_shorter_and_higher() -> None:
    found = []
    for stiffness in (0.1, 0.5, 0.9):
        settings = {"landing_hz": 110, "second_db": -60, "stiffness": stiffness}
        with_stick, without = (skins(**settings, stick_db=db, stick_hz=3000) for db in (0, -60))
        # What the stick adds, whatever the level of the whole.
        share = float(np.dot(with_stick[4000:], without[4000:]) / np.dot(without[4000:], without[4000:]))
        stick = (with_stick - share * without)[:4000]
        like = measure_character(stick, sample_rate=RATE)
        assert like is not None
        found.append((like.centre_hz, like.fall_ms))
    assert found[0][0] < found[1][0] < found[2][0]
    assert found[0][1] > found[1][1] > found[2][1]
    assert all(2000 <= hz <= 6000 for hz, _ in found)


@pytest.mark.parametrize("shell_cm", [10, 35, 70])
def test_wires_answer_later_by_the_air_between_the_skins(shell_cm: float) -> None:
    """343 m a second: 35 cm are a millisecond."""
    settings = {"landing_hz": 180, "second_db": -60, "wires_db": 0, "wires_hz": 4000, "stiffness": 0, "drop_semitones": 0}

    def begins_ms(sound: np.ndarray) -> float:
        rattle = np.abs(scipy.signal.sosfilt(scipy.signal.butter(6, 6000, "highpass", fs=RATE, output="sos"), sound))
        return float(np.argmax(rattle > 0.02 * rattle.max())) / RATE * 1000

    later = begins_ms(skins(**settings, shell_cm=shell_cm)) - begins_ms(skins(**settings))
    assert later == pytest.approx(shell_cm / 34.3, abs=0.15)


@pytest.mark.parametrize("knock_hz", [400, 1500, 4000])
def test_a_beater_knocks_at_its_pitch(knock_hz: float) -> None:
    quiet = {"high_pass_hz": 12000, "low_pass_hz": 200, "blip_db": -60}
    sound = beat(
        Beater.model_validate({**quiet, "knock_hz": knock_hz, "knock_db": 0, "knock_ms": 40}), tune=1, sample_rate=RATE
    )
    power = np.abs(np.fft.rfft(sound, 1 << 16))
    found = np.argmax(power) * RATE / (1 << 16)
    assert abs(np.log2(found / knock_hz)) < 1 / 12
    assert np.max(np.abs(sound)) == pytest.approx(0.9, abs=0.1)


@pytest.mark.parametrize("tilt", [-9, -4, 3])
def test_plates_are_tilted_as_they_say(tilt: float) -> None:
    def slope(settings: dict[str, object]) -> float:
        noise = {"ring_db": -60, "noise_db": 0, "noise_hz": 2500, "open": 0.6}
        sound = ring(Metal.model_validate(noise | settings), tune=1, sample_rate=RATE)
        hz, power = scipy.signal.welch(sound, RATE, nperseg=2048)
        return float(10 * np.log10(power[(hz > 11000) & (hz < 13000)].mean() / power[(hz > 5500) & (hz < 6500)].mean()))

    assert slope({"tilt_db_per_octave": tilt}) - slope({}) == pytest.approx(tilt, abs=0.5)


def test_a_wash_falls_slower_behind_the_stroke() -> None:
    """Two straight lines: the stroke's 24 dB in its own time, then the wash's, 15 dB below it."""
    settings = Metal(open=0.1, wash_db=-15, wash_ms=600, ring_db=-60, noise_db=0)
    sound = ring(settings, tune=1, sample_rate=RATE)
    level = 10 * np.log10(np.convolve(sound**2, np.ones(960) / 960, "valid")[::480] + 1e-20)
    # Every 10 ms; the wash alone is left after a tenth of a second.
    late = np.polyfit(np.arange(15, 50) * 0.01, level[15:50], 1)[0]
    assert late == pytest.approx(-24 / 0.6, rel=0.12)
    assert level[0] - level[15] > 15


@pytest.mark.parametrize(
    ("settings", "name"),
    [
        (Skins(heard_by="velocity", shell_cm=80, stick_db=0, stick_hz=10000, ring_ms=3000, wires_db=0), "skins"),
        (Skins(heard_by="velocity", shell_cm=80, stick_db=0, stick_hz=500, landing_hz=400, place=0.95, strength=0), "soft"),
        (Beater(knock_db=6, knock_hz=6000, knock_ms=80), "beater"),
        (Metal(tilt_db_per_octave=-12, wash_db=0, wash_ms=4000, open=1), "plates"),
        (Metal(tilt_db_per_octave=3, wash_db=0, wash_ms=20, open=0), "short plates"),
    ],
)
def test_at_their_ends_they_stay_finite_and_end_in_silence(settings: object, name: str) -> None:
    engine = {"Skins": strike, "Beater": beat, "Metal": ring}[type(settings).__name__]
    for tune in (0.25, 1, 4):
        for rate in (22050, 48000, 192000):
            sound = engine(settings, tune=tune, sample_rate=rate)  # type: ignore[operator]
            assert np.isfinite(sound).all(), name
            assert np.max(np.abs(sound)) < 10 ** (24 / 20), name
            assert np.max(np.abs(sound[-3:])) < 10 ** (-90 / 20), name


@pytest.mark.parametrize("rumble", RUMBLES, ids=lambda start: start.name)
@pytest.mark.parametrize("kick", ["Quay", "Dredger", "Lantern", "Cooper"])
def test_a_rumble_is_brought_to_one_level_and_nothing_else_is_lost(rumble: Start, kick: str) -> None:
    """Third octaves from 31.5 to 80 Hz within 6 dB; silent before its first repeat and in its gap, as without."""
    made_of = next(one.hit for one in KICKS if one.name == kick)
    layer = rumble.hit.layers[0]
    spreads, sounds = [], []
    for even_pct in (0, 100):
        source = layer.source.model_copy(update={"even_pct": even_pct})
        hit = rumble.hit.model_copy(update={"kick": made_of, "layers": (layer.model_copy(update={"source": source}),)})
        sound = render_hit(hit, sample_rate=RATE, bpm=126).mono
        power = np.abs(np.fft.rfft(sound, 1 << 17)) ** 2
        hz = np.fft.rfftfreq(1 << 17, 1 / RATE)
        bands = [power[(hz >= at / 2 ** (1 / 6)) & (hz < at * 2 ** (1 / 6))].sum() for at in (31.5, 40, 50, 63, 80)]
        spreads.append(10 * np.log10(max(bands) / min(bands)))
        sounds.append(sound)
    assert spreads[1] <= 6 < spreads[0]
    plain, evened = sounds
    assert evened.size == plain.size
    first = round({"1/16": 0.25, "1/16 triplet": 1 / 6}[layer.source.division] * 60 / 126 * RATE)  # type: ignore[union-attr]
    # A few samples either way: the rumble is made at a quarter of the rate.
    assert np.max(np.abs(evened[: first - 100])) < 1e-3 * np.max(np.abs(evened))

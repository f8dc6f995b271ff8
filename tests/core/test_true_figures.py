"""Figures against what they claim: beats, lengths, attacks, headroom, and what cannot be measured."""

from __future__ import annotations

import numpy as np
import pytest
from scipy import signal as dsp

from juglant.core.analysis.analyse import analyse
from juglant.core.analysis.beats import longest_stretch
from juglant.core.analysis.headroom import measure_headroom
from juglant.core.findings.tail_findings import tails_beat
from juglant.core.loop.render import heard_stem, render_stem
from juglant.core.measure.hit import measure_hit
from juglant.core.measure.timing import measure_length_ms, measure_timing
from juglant.core.model.hit import Hit, Layer
from juglant.core.model.part import Part
from juglant.core.model.stem import BASS, StemRef
from juglant.core.model.strokes import Stroke
from juglant.core.model.track import Track
from juglant.core.music.notes import note_hz
from juglant.core.synth.tail import Tail
from juglant.core.synth.take import Take
from juglant.core.synth.takes import TakeAudio, provide, take_id
from juglant.core.tune.hit_pitch import hit_pitch
from juglant.core.tune.line import meetings

RATE = 48000
NOTE = 34


def held(hz: float, ms: float) -> Hit:
    source = Tail(landing_hz=hz, attack_ms=2, hold_ms=ms, decay_ms=60, release_ms=20)
    return Hit(layers=(Layer(id="a", name="A", source=source),))


def line_track(**parts: object) -> Track:
    """One long note of a plain sine, and whatever a test puts beside it."""
    return Track.model_validate(
        {
            "bass_notes": ({"at_beats": 0, "length_beats": 8, "note": NOTE},), "sheet": {"bpm": 120, "bars": 2},
            "bass": {"harmonics_pct": 0, "blip_db": -60}, "mix": {"kick_gain_db": -8, "bass_gain_db": -8}, **parts,
        }
    )  # fmt: skip


def dips_of(audio: np.ndarray) -> int:
    """Dips of a sum's envelope by half of it or more: scipy alone."""
    envelope = np.abs(dsp.hilbert(audio))
    return int(dsp.find_peaks(-envelope, prominence=0.5 * float(envelope.max()), distance=RATE // 20)[0].size)


@pytest.mark.parametrize(("strokes", "ms"), [(1, 300.0), (4, 300.0), (8, 300.0), (1, 1500.0)])
def test_beats_are_those_of_one_stretch_however_often_it_comes(strokes: int, ms: float) -> None:
    """Textbook acoustics (Helmholtz): |f1 - f2| times how long both sound. Counted in the envelope of one stroke."""
    apart_hz = 6.0
    at = tuple(float(8 * k / strokes) for k in range(strokes))
    found = analyse(line_track(kick=held(note_hz(NOTE, 440) + apart_hz, ms), kick_at_beats=at))
    assert found.beating is not None
    once = apart_hz * ms / 1000
    # The overlap lasts a little longer than the hold, and never several strokes together.
    assert once - 0.3 <= found.beating.beats <= once + 0.9
    seconds = found.beating.overlap_s
    start = round(0.01 * RATE)
    heard = dips_of((found.stems.kick + found.stems.bass)[start : start + round(seconds * RATE)])
    assert heard == pytest.approx(found.beating.beats, abs=1)
    (met,) = meetings(found)
    assert met.beats_heard == found.beating.beats


MASKS = [("0000", 0, 0), ("0110", 1, 2), ("1101", 3, 3), ("1111", 0, 4), ("1011100", 2, 3), ("1000111", 4, 4)]


@pytest.mark.parametrize(("mask", "start", "length"), MASKS)
def test_the_longest_stretch_goes_through_the_loops_end(mask: str, start: int, length: int) -> None:
    assert longest_stretch(np.array([one == "1" for one in mask])) == (start, length)


def test_a_long_sub_of_the_kit_is_heard_against_the_bass() -> None:
    sub = Part(
        id="sub", name="Sub", role="percussion", hit=held(note_hz(NOTE, 440) + 3, 1200),
        strokes=(Stroke(at_beats=0, velocity=127),),
    )  # fmt: skip
    track = line_track(kit=(sub,))
    (said,) = (one for one in tails_beat(analyse(track)) if one.id == "tails-sub-bass")
    assert said.hit_id == "sub"
    seconds = 1.2
    both = (render_stem(track, StemRef("sub")) + render_stem(track, BASS))[480 : round(seconds * RATE)]
    assert said.value == pytest.approx(dips_of(both), abs=1)
    fixed = said.fixes[0].track
    assert fixed is not None
    # They cut each other: the note that starts with it cuts it, and nothing beats.
    assert fixed.bass_part.choke == fixed.kit[0].choke != 0
    assert not [one for one in tails_beat(analyse(fixed)) if one.id == said.id]


def ringing(hz: float, ms_to_24_db: float) -> np.ndarray:
    time = np.arange(RATE) / RATE
    return np.append(np.sin(2 * np.pi * hz * time) * 10 ** (-24 / 20 * time / (ms_to_24_db / 1000)), np.zeros(RATE // 2))


@pytest.mark.parametrize("hz", [110.0, 150.0, 220.0, 330.0])
@pytest.mark.parametrize("ms", [80.0, 147.0, 300.0])
def test_a_tom_is_as_long_as_it_rings(hz: float, ms: float) -> None:
    """A closed form: an exponential falls by 24 dB in the time that was written, by 60 dB in two and a half of it."""
    found = measure_hit(ringing(hz, ms), sample_rate=RATE, bpm=120, a4_hz=440).timing
    assert found.length_of == f"{hz / 2:.0f} to {2 * hz:.0f} Hz"
    assert found.length_ms == pytest.approx(ms, rel=0.03, abs=5)
    assert found.t60_ms == pytest.approx(2.5 * ms, rel=0.02)


def test_a_hat_is_measured_whole_and_a_low_hit_in_the_low_band() -> None:
    time = np.arange(RATE) / RATE
    noise = np.random.default_rng(1).standard_normal(RATE) * 10 ** (-24 / 20 * time / 0.1)
    hat = dsp.sosfilt(dsp.butter(4, 7000, "highpass", fs=RATE, output="sos"), noise)
    assert measure_timing(hat, sample_rate=RATE).length_of == "whole signal"
    assert measure_length_ms(hat, sample_rate=RATE) == pytest.approx(100, rel=0.15)
    assert measure_hit(ringing(60, 200), sample_rate=RATE, bpm=120, a4_hz=440).timing.length_of == "low band"


@pytest.mark.parametrize("hz", [40.0, 55.0, 80.0])
@pytest.mark.parametrize("attack_ms", [2.0, 10.0, 22.0])
def test_an_attack_is_the_same_with_and_without_silence_ahead(hz: float, attack_ms: float) -> None:
    time = np.arange(RATE) / RATE
    hit = np.sin(2 * np.pi * hz * time) * np.minimum(1000 * time / attack_ms, 1) * np.exp(-5 * time)
    alone = measure_timing(hit, sample_rate=RATE).attack_ms
    after = measure_timing(np.append(np.zeros(9600), hit), sample_rate=RATE).attack_ms
    assert alone == pytest.approx(after, abs=0.2)
    # The definition by scipy alone: 10 to 90 % of the zero-phase low band's envelope, up to its first high maximum.
    padded = np.concatenate((np.zeros(9600), hit, np.zeros(9600)))
    low = dsp.sosfiltfilt(dsp.butter(4, [20, 150], "bandpass", fs=RATE, output="sos"), padded)
    envelope = np.abs(dsp.hilbert(low))
    top = int(dsp.find_peaks(envelope, height=envelope.max() / 2)[0][0])
    rise = envelope[: top + 1] / envelope[top]
    wanted = 1000 * (np.argmax(rise >= 0.9) - np.flatnonzero(rise < 0.1)[-1]) / RATE
    assert alone == pytest.approx(wanted, abs=0.6)


def test_headroom_costs_are_of_the_whole_loop() -> None:
    clap = Part(
        id="tom", name="Tom", role="tom", hit=held(180, 200), gain_db=-3,
        strokes=tuple(Stroke(at_beats=float(beat), velocity=127) for beat in range(8)),
    )  # fmt: skip
    track = line_track(kick=held(60, 150), kick_at_beats=tuple(float(beat) for beat in range(8)), kit=(clap,))
    found = analyse(track)
    stems = {ref.part: heard_stem(track, ref) for ref in (StemRef("kick"), StemRef("bass"), StemRef("tom"))}
    peak = {name: np.max(np.abs(sum(one for other, one in stems.items() if other != name))) for name in stems}
    whole = np.max(np.abs(sum(stems.values())))
    room = measure_headroom(found)
    assert room.kick_cost_db == pytest.approx(20 * np.log10(whole / peak["kick"]), abs=0.01)
    assert room.bass_cost_db == pytest.approx(20 * np.log10(whole / peak["bass"]), abs=0.01)
    assert found.levels.kick_cost_db == room.kick_cost_db


def test_a_sound_without_a_length_is_not_a_short_one() -> None:
    """A long sub whose file ends loud: its fall at the start is not what it is tuned by."""
    time = np.arange(2 * RATE) / RATE
    pitch = 46.25 * (1 + 1.5 * np.exp(-time / 0.06))
    audio = 0.8 * np.sin(2 * np.pi * np.cumsum(pitch) / RATE)[None]
    take = take_id(audio, RATE)
    provide(lambda wanted: TakeAudio(audio, RATE) if wanted == take else None)
    hit = Hit(layers=(Layer(id="a", name="A", source=Take(take=take, fade_ms=0.5)),))
    sub = Part(id="sub", name="Sub", role="percussion", hit=hit, strokes=(Stroke(at_beats=0, velocity=127),))
    pitch_of = hit_pitch(line_track(kit=(sub,)), sub)
    assert pitch_of.length_ms is None or pitch_of.length_ms > 1500
    assert pitch_of.used == "landing"
    assert abs(1200 * np.log2((pitch_of.used_hz or 1) / 46.25)) < 3

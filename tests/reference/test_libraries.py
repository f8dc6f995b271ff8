"""The main job against general-purpose libraries that compute the same things independently."""

from __future__ import annotations

import io
import warnings

import librosa
import mido
import numpy as np
import parselmouth
import pyloudnorm
import pytest
import soundfile

from juglant.core.hit.render import render_layer
from juglant.core.measure.landing import measure_landing
from juglant.core.measure.level import loop_loudness
from juglant.core.model.hit import Layer
from juglant.core.model.track import Track
from juglant.core.music.notes import cents_between, note_hz
from juglant.core.music.scales import STEPS, TONICS, key_spelling, scale_classes
from juglant.core.synth.sweep import Sweep
from juglant.formats.midi import track_midi
from juglant.formats.wav import read_audio, wav_24, wav_float

with warnings.catch_warnings():
    warnings.simplefilter("ignore")
    from music21 import pitch, scale

RATE = 48000
SCALES = {
    "major": scale.MajorScale,
    "natural minor": scale.MinorScale,
    "harmonic minor": scale.HarmonicMinorScale,
    "dorian": scale.DorianScale,
    "phrygian": scale.PhrygianScale,
    "lydian": scale.LydianScale,
    "mixolydian": scale.MixolydianScale,
    "locrian": scale.LocrianScale,
}


def test_frequencies_of_all_notes() -> None:
    """Library: music21."""
    for number in range(12, 97):
        assert note_hz(number, 440) == pytest.approx(pitch.Pitch(midi=number).frequency, rel=1e-9)


@pytest.mark.parametrize("name", SCALES)
def test_notes_and_spelling_of_every_key(name: str) -> None:
    """Library: music21; 'b' is written '-' there."""
    for tonic in TONICS:
        theirs = SCALES[name](tonic.replace("b", "-")).getPitches()[:7]
        assert {p.pitchClass for p in theirs} == scale_classes(tonic, name), tonic  # type: ignore[arg-type]
        names = key_spelling(tonic, name)  # type: ignore[arg-type]
        assert {p.name.replace("-", "b") for p in theirs} == {names[p.pitchClass] for p in theirs}, tonic


def test_every_scale_starts_on_its_tonic_and_rises() -> None:
    for steps in STEPS.values():
        assert steps[0] == 0
        assert list(steps) == sorted(set(steps))
        assert max(steps) < 12


@pytest.mark.parametrize("hz", [60, 997, 4000])
def test_loudness_of_tones_and_noise(hz: float) -> None:
    """Library: pyloudnorm; its default filter differs a little from the standard's: 0.1 dB (0.3 in the sub)."""
    time = np.arange(4 * RATE) / RATE
    audio = 0.3 * np.sin(2 * np.pi * hz * time) + 0.02 * np.random.default_rng(5).standard_normal(time.size)
    theirs = pyloudnorm.Meter(RATE).integrated_loudness(audio)
    assert loop_loudness(audio, sample_rate=RATE) == pytest.approx(theirs, abs=0.3 if hz < 100 else 0.1)


@pytest.mark.parametrize("hz", [41.2, 58.27, 110.0, 196.0])
def test_landing_of_steady_tones_against_two_trackers(hz: float) -> None:
    """Libraries: librosa (yin) and Praat (autocorrelation), on a decaying tone without a sweep."""
    source = Sweep(landing_hz=hz, start_semitones=0, shape=1, hold_ms=800, decay_ms=2000)
    audio = render_layer(Layer(id="t", name="T", source=source), sample_rate=RATE)
    ours = measure_landing(audio, sample_rate=RATE).landing_hz
    assert ours is not None
    yin = np.median(librosa.yin(audio[: 2 * RATE], fmin=25, fmax=400, sr=RATE, frame_length=8192)[4:-8])
    praat = parselmouth.Sound(audio, RATE).to_pitch_ac(pitch_floor=25, pitch_ceiling=400).selected_array["frequency"]
    # Both settle a whole lag at a time and interpolate: a few cents.
    assert abs(cents_between(ours, float(yin))) < 8
    assert abs(cents_between(ours, float(np.median(praat[praat > 0])))) < 3
    assert abs(cents_between(ours, hz)) < 0.5


def test_landing_of_a_tom_against_praat() -> None:
    """Library: Praat on the settled end of a drum skin (mode ratios 1, 1.593, 2.136: Abramowitz & Stegun table 9.5)."""
    time = np.arange(RATE) / RATE
    fall = 98 * (1 + 0.25 * np.exp(-time / 0.03))
    phase = 2 * np.pi * np.cumsum(fall) / RATE
    skin = sum(
        level * np.sin(ratio * phase) * np.exp(-time * decay)
        for ratio, level, decay in ((1, 1, 5), (1.593, 0.4, 14), (2.136, 0.25, 20))
    )
    ours = measure_landing(skin, sample_rate=RATE).landing_hz
    praat = parselmouth.Sound(skin[RATE // 3 :], RATE).to_pitch_ac(pitch_floor=40, pitch_ceiling=300)
    theirs = float(np.median([f for f in praat.selected_array["frequency"] if f > 0]))
    assert ours is not None
    assert abs(cents_between(ours, theirs)) < 12
    assert abs(cents_between(ours, 98)) < 3


def test_midi_read_back(solved: Track) -> None:
    """Library: mido. Published: 126 BPM is 476190 microseconds a quarter (Standard MIDI Files 1.0)."""
    file = mido.MidiFile(file=io.BytesIO(track_midi(solved)))
    tempos = [message.tempo for track in file.tracks for message in track if message.type == "set_tempo"]
    assert tempos == [476190]
    assert file.length == pytest.approx(16 * 60 / 126, abs=0.001)
    starts: dict[str, list[tuple[float, int]]] = {}
    for track in file.tracks[1:]:
        now, held = 0, 0
        for message in track:
            now += message.time
            if message.type == "note_on":
                starts.setdefault(track.name, []).append((now / file.ticks_per_beat, message.note))
                held += 1
            held -= message.type == "note_off"
            assert held in (0, 1)
    assert [at for at, _ in starts["kick"]] == solved.kicks()
    assert starts["bass"] == [(note.at_beats, note.note) for note in solved.notes()]


@pytest.mark.parametrize("rate", [44100, 48000, 96000])
def test_wavs_read_back(rate: int) -> None:
    """Library: soundfile (libsndfile)."""
    audio = np.random.default_rng(7).uniform(-0.9, 0.9, 1001)
    back, found = soundfile.read(io.BytesIO(wav_float(audio, rate)))
    assert found == rate
    assert np.array_equal(back, audio.astype(np.float32))
    back, _ = soundfile.read(io.BytesIO(wav_24(audio, rate, landing_hz=55)))
    # Half a step of rounding, and a step as full scale is 8388607 on writing and 8388608 on reading.
    assert np.max(np.abs(back - audio)) <= 1.5 * 2**-23
    own = read_audio(wav_float(np.stack((audio, -audio)), rate))
    assert own.sample_rate == rate
    assert own.audio.shape == (2, 1001)

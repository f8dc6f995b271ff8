"""A hit of an asked length: measured again from the rendered hit, for engines and recordings, shorter and longer."""

from __future__ import annotations

import numpy as np
import pytest
from scipy import signal as dsp

from juglant.core.errors import InvalidTrack, NoSuchPart
from juglant.core.hit.render import render_hit
from juglant.core.model.hit import Hit, Layer
from juglant.core.model.ids import KICK_ID
from juglant.core.model.part import Part
from juglant.core.model.track import Track
from juglant.core.synth.beater import Beater
from juglant.core.synth.clap import Clap
from juglant.core.synth.sweep import Sweep
from juglant.core.synth.take import Take
from juglant.core.synth.takes import TakeAudio, provide, take_id
from juglant.core.tune.hit_pitch import hit_pitch
from juglant.core.tune.length import with_length
from juglant.demo.track import untouched_track

BEAT_MS = 60_000 / 126
RATE = 48000
KNOWN: dict[str, TakeAudio] = {}


@pytest.fixture(autouse=True)
def _sounds() -> None:
    provide(KNOWN.get)


def kick_of(*layers: Layer) -> Track:
    return untouched_track().having(kick=Hit(layers=layers))


def recorded_track(seconds: float, decay: float) -> Track:
    time = np.arange(round(seconds * RATE)) / RATE
    turns = np.cumsum(52 * (1 + 2 * np.exp(-time / 0.02))) / RATE
    audio = np.atleast_2d(0.8 * np.sin(2 * np.pi * turns) * np.exp(-decay * time)).astype(np.float32)
    name = take_id(audio.astype(float), RATE)
    KNOWN[name] = TakeAudio(audio, RATE)
    return kick_of(Layer(id="a", name="A", source=Take(take=name)))


def heard_ms(track: Track) -> float:
    """From its onset until the kick's envelope under 200 Hz stays under -24 dB, by scipy alone; zero phase: ms less."""
    audio = render_hit(track.kick, sample_rate=RATE, bpm=track.sheet.bpm).mono
    low = dsp.sosfiltfilt(dsp.butter(4, 200, fs=RATE, output="sos"), np.pad(audio, RATE))
    envelope = np.abs(dsp.hilbert(low))[RATE:]
    loud = np.flatnonzero(envelope > envelope.max() * 10 ** (-24 / 20))
    begins = np.flatnonzero(np.abs(audio) > 0.01 * np.max(np.abs(audio)))[0]
    return float(1000 * (loud[-1] - begins) / RATE)


@pytest.mark.parametrize("beats", [0.25, 0.5, 0.75, 1.0, 1.5])
def test_a_kick_of_engines_becomes_as_long_as_asked(beats: float) -> None:
    track = with_length(untouched_track(), KICK_ID, beats * BEAT_MS)
    assert heard_ms(track) == pytest.approx(beats * BEAT_MS, abs=0.02 * beats * BEAT_MS + 9)


@pytest.mark.parametrize("share", [0.4, 0.7, 0.95])
def test_a_recorded_kick_is_cut_with_a_fade(share: float) -> None:
    track = recorded_track(seconds=1.2, decay=4.0)
    whole_ms = heard_ms(track)
    cut = with_length(track, KICK_ID, share * whole_ms)
    assert heard_ms(cut) == pytest.approx(share * whole_ms, rel=0.03)
    audio = render_hit(cut.kick, sample_rate=RATE, bpm=126).mono
    assert np.max(np.abs(np.diff(audio[-480:]))) < 0.01


@pytest.mark.parametrize("length_ms", [90.0, 400.0])
def test_a_hit_of_the_kit_follows_by_its_own_rings(length_ms: float) -> None:
    clap = Part(id="k", name="Clap", role="clap", hit=Hit(layers=(Layer(id="a", name="A", source=Clap()),)))
    track = untouched_track().having(kit=(clap,))
    made = with_length(track, "k", length_ms)
    assert hit_pitch(made, made.hit_of("k")).length_ms == pytest.approx(length_ms, rel=0.02)


def test_nothing_but_the_length_is_changed() -> None:
    before = untouched_track()
    after = with_length(before, KICK_ID, 0.5 * BEAT_MS)
    assert after.having(kick=before.kick) == before
    assert [layer.id for layer in after.kick.layers] == [layer.id for layer in before.kick.layers]
    # The attack is the same sound: a longer decay is not heard in the first 10 ms.
    one, other = (render_hit(track.kick, sample_rate=RATE, bpm=126).mono[:480] for track in (before, after))
    assert np.max(np.abs(one - other)) < 0.02 * np.max(np.abs(one))


def long_kick() -> Track:
    sweep = Sweep(landing_hz=50, start_semitones=24, sweep_ms=90, hold_ms=0, decay_ms=200)
    return kick_of(Layer(id="a", name="A", source=sweep))


@pytest.mark.parametrize(
    ("track", "length_ms", "said"),
    [
        (untouched_track(), 5.0, "between 10 and 4000 ms"),
        (untouched_track(), float("nan"), "between 10 and 4000 ms"),
        (untouched_track().having(kick=Hit()), 200.0, "silent or ends in noise"),
        (kick_of(Layer(id="a", name="A", source=Beater())), 2000.0, "gets no longer than"),
        (long_kick(), 12.0, "gets no shorter than"),
        (recorded_track(seconds=0.5, decay=5.0), 2000.0, "gets no longer than"),
    ],
)
def test_what_cannot_be_so_long_says_how_far_it_comes(track: Track, length_ms: float, said: str) -> None:
    with pytest.raises(InvalidTrack, match=said):
        with_length(track, KICK_ID, length_ms)


def test_a_hit_that_is_not_there_is_named() -> None:
    with pytest.raises(NoSuchPart, match="nobody"):
        with_length(untouched_track(), "nobody", 100.0)

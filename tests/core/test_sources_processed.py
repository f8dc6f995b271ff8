"""Whatever a part is made of can be processed: what a stage changes is heard, measured, and may be by-passed."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
from pydantic import TypeAdapter, ValidationError
from scipy import signal as dsp
from support import same_sound

from juglant.core.analysis.analyse import analyse
from juglant.core.analysis.chain_changes import bass_changes, hit_changes
from juglant.core.chain.delay import Delay
from juglant.core.chain.looped import process_loop
from juglant.core.chain.registry import AnyProcessor, Processor
from juglant.core.chain.reverb import Reverb
from juglant.core.chain.saturate import Saturate
from juglant.core.commands.hits import DriveHighs
from juglant.core.errors import InvalidTrack, NoSuchPart
from juglant.core.findings.registry import applied, find_all
from juglant.core.hit.start_kicks import KICKS
from juglant.core.hit.strokes import cached_mono
from juglant.core.listen.bypass import Bypass, compared
from juglant.core.loop.kick_loop import with_kick_loop
from juglant.core.loop.render import heard_stem, render_stem, render_stems
from juglant.core.measure.landing import measure_landing
from juglant.core.model.hit import Hit, Layer
from juglant.core.model.stem import BASS, KICK
from juglant.core.model.track import Track, track_from_json, track_to_json
from juglant.core.synth.bass import Bass
from juglant.core.synth.beater import Beater
from juglant.core.synth.takes import TakeAudio, provide, take_id
from juglant.core.types import Samples

RATE = 48000
KNOWN: dict[str, TakeAudio] = {}
PROCESSOR: TypeAdapter[Any] = TypeAdapter(Processor)
SAW = Bass(source="saw")
# Every processor there is, set so that it has something to do on any low sound.
STAGES: dict[str, dict[str, Any]] = {
    "drive": {"drive_db": 20.0},
    "eq": {"frequency_hz": 100.0, "gain_db": -9.0},
    "transient": {"attack_db": 12.0, "sustain_db": -12.0},
    "compressor": {"threshold_db": -40.0, "ratio": 8.0},
    "drawn": {"points": [{"at_ms": 0, "level_db": 0}, {"at_ms": 60, "level_db": -20}]},
    "reverb": {"level_db": -3.0, "low_cut_hz": 40.0},
    "delay": {"level_db": -3.0, "low_cut_hz": 20.0},
    "gate": {"pattern": "x-"},
    "reverse": {},
    "width": {},
    "clip": {"gain_db": 18.0, "ceiling_db": -12.0},
    "limiter": {"gain_db": 12.0, "ceiling_dbtp": -12.0},
}


@pytest.fixture(autouse=True)
def _known() -> None:
    provide(KNOWN.get)


def known(audio: Samples) -> str:
    rows = np.atleast_2d(audio)
    take = take_id(rows, RATE)
    KNOWN[take] = TakeAudio(rows, RATE)
    return take


def stage(kind: str) -> AnyProcessor:
    made: AnyProcessor = PROCESSOR.validate_python({"kind": kind, **STAGES[kind]})
    return made


def recorded_line(track: Track, bass: Bass = SAW) -> Samples:
    """The line of a track as a file, (loop_frames,)."""
    made = track.having(bass=bass)
    return render_stem(made, BASS.of("before")) / 10 ** (track.bass_part.gain_db / 20)


def line_track(track: Track) -> Track:
    take = known(recorded_line(track))
    return track.having(bass=Bass(source="recorded line", take=take))


def loop_track(track: Track, kick: int = 0) -> Track:
    """A track whose kick is one bar of four strokes, recorded."""
    bpm = track.sheet.bpm
    out = np.zeros(round(4 * 60 / bpm * RATE))
    sound = cached_mono(KICKS[kick].hit, 127, 0, RATE, 0.0).audio
    for at in range(4):
        first = round(at * 60 / bpm * RATE)
        out[first : first + sound.size] += 0.5 * sound[: out.size - first][: round(60 / bpm * RATE)]
    return with_kick_loop(track, known(out), 0.0, None)


def note_track(track: Track) -> Track:
    time = np.arange(RATE) / RATE
    tone = 0.6 * np.sin(2 * np.pi * 58.27 * time) + 0.2 * np.sin(2 * np.pi * 174.8 * time)
    return track.having(bass=Bass(source="recorded note", take=known(tone), root_hz=58.27))


SOURCES = {"a recorded line": line_track, "a recorded note": note_track, "a sub": lambda track: track}


def bass_with(track: Track, *chain: AnyProcessor) -> Track:
    return track.having(bass_chain=chain)


def apart_db(one: Samples, other: Samples) -> float:
    """What two sounds differ by, re the first, dB."""
    first, second = (np.atleast_2d(sound) for sound in (one, other))
    return 10 * float(np.log10(np.sum((first - second) ** 2) / np.sum(first**2) + 1e-30))


@pytest.mark.parametrize("source", SOURCES)
@pytest.mark.parametrize("kind", [one for one in STAGES if one != "width"])
def test_every_processor_is_heard_on_every_bass(source: str, kind: str, untouched: Track) -> None:
    track = SOURCES[source](untouched)
    made = bass_with(track, stage(kind))
    before, after = (render_stems(one).loop for one in (track, made))
    assert apart_db(heard_stem(track, BASS), heard_stem(made, BASS)) > -40
    assert apart_db(before, after) > -60
    (moved,) = bass_changes(made)
    assert not moved.idle
    # Nobody else's stem moves, and by-passing it is the track without it, at the same loudness.
    assert same_sound(render_stem(made, KICK), render_stem(track, KICK))
    found = compared(made, Bypass(part="bass", stage=0))
    assert not found.idle
    assert same_sound(heard_stem(found.track, BASS), heard_stem(track, BASS))


@pytest.mark.parametrize("place", ["layer", "bus"])
@pytest.mark.parametrize("kind", [one for one in STAGES if one != "width"])
def test_every_processor_is_heard_on_a_kick_loop(place: str, kind: str, untouched: Track) -> None:
    track = loop_track(untouched)
    hit = track.kick
    if place == "bus":
        hit = hit.model_copy(update={"bind": True, "bus": (stage(kind),)})
    else:
        hit = hit.model_copy(update={"layers": (hit.layers[0].model_copy(update={"chain": (stage(kind),)}),)})
    made = track.having(kick=hit)
    assert apart_db(render_stem(track, KICK), render_stem(made, KICK)) > -40
    moved = hit_changes(made, "kick")
    (change,) = moved.bus if place == "bus" else moved.layers[hit.layers[0].id]
    assert not change.idle
    asked = Bypass(part="kick", stage=0, layer=None if place == "bus" else hit.layers[0].id)
    assert same_sound(render_stem(compared(made, asked).track, KICK), render_stem(track, KICK))


def test_what_is_on_a_bus_that_is_not_bound_is_measured_and_not_heard(untouched: Track) -> None:
    track = loop_track(untouched)
    made = track.having(kick=track.kick.model_copy(update={"bus": (stage("drive"),)}))
    assert same_sound(render_stem(made, KICK), render_stem(track, KICK))
    (change,) = hit_changes(made, "kick").bus
    assert not change.idle


def test_twenty_decibels_of_drive_on_a_kick_loop_are_heard_in_the_loop(untouched: Track) -> None:
    track = loop_track(untouched)
    hit = track.kick.model_copy(update={"bind": True, "bus": (Saturate(drive_db=20),)})
    made = track.having(kick=hit)
    before, after = (np.abs(np.fft.rfft(render_stem(one, KICK))) for one in (track, made))
    hz = np.fft.rfftfreq(render_stem(track, KICK).size, 1 / RATE)
    above = (hz > 200) & (hz < 2000)
    share = [10 * np.log10(np.sum(one[above] ** 2) / np.sum(one**2)) for one in (before, after)]
    # Harmonics that were not there.
    assert share[1] - share[0] > 3


@pytest.mark.parametrize(
    ("change", "what"),
    [
        ({"gain_db": -6.0}, "level"),
        ({"inverted": True}, "polarity"),
        ({"offset_ms": 20.0}, "offset"),
        ({"tune_cents": 300.0}, "tune"),
        ({"low_cut_hz": 100.0}, "low cut"),
        ({"high_cut_hz": 100.0}, "high cut"),
        ({"muted": True}, "mute"),
    ],
    ids=lambda value: value if isinstance(value, str) else "",
)
def test_the_place_of_a_loops_layer_is_heard(change: dict[str, Any], what: str, untouched: Track) -> None:
    track = loop_track(untouched)
    (layer,) = track.kick.layers
    made = track.having(kick=track.kick.model_copy(update={"layers": (layer.model_copy(update=change),)}))
    one, other = render_stem(track, KICK), render_stem(made, KICK)
    if what == "level":
        assert same_sound(other, one * 10 ** (-6 / 20), within=1e-9)
    elif what == "polarity":
        assert same_sound(other, -one, within=1e-9)
    elif what == "offset":
        assert same_sound(other, np.roll(one, 960), within=1e-9)
    elif what == "mute":
        assert not np.any(other)
    else:
        assert apart_db(one, other) > -30
    if what == "tune":
        # As long and as often struck, a minor third higher where it lands.
        beat = round(60 / track.sheet.bpm * RATE)
        landed = [measure_landing(each[beat : 2 * beat], sample_rate=RATE).landing_hz for each in (one, other)]
        assert 1200 * np.log2(landed[1] / landed[0]) == pytest.approx(300, abs=30)  # type: ignore[operator]


def test_another_layer_is_struck_with_a_loop(untouched: Track) -> None:
    track = loop_track(untouched)
    click = Layer(id="click", name="Click", source=Beater(), gain_db=-3)
    made = track.having(kick=track.kick.model_copy(update={"layers": (*track.kick.layers, click)}))
    added = render_stem(made, KICK.of("before")) - render_stem(track, KICK.of("before"))
    peak = np.max(np.abs(added))
    assert peak > 0.01
    for at in track.kicks():
        start = round(at * 60 / track.sheet.bpm * RATE)
        assert np.max(np.abs(added[start : start + 960])) > 0.5 * peak


def test_a_loop_of_an_older_description_sounds_as_it_did(untouched: Track) -> None:
    """What was written before loops went through layers has no word of it: it stays raw, whatever is on its layers."""
    track = loop_track(untouched)
    driven = track.kick.model_copy(update={"bind": True, "bus": (Saturate(drive_db=20),)})
    document = track_to_json(track.having(kick=driven))
    older = track_from_json(document.replace('"processed": true', '"processed": false'))
    raw = track.having(kick_loop=track.kick_loop.model_copy(update={"processed": False}))
    assert same_sound(render_stem(older, KICK), render_stem(raw, KICK))
    with pytest.raises(NoSuchPart, match="not heard"):
        compared(older, Bypass(part="kick", stage=0))


@pytest.mark.parametrize("kind", sorted(STAGES))
def test_a_processed_loop_is_the_same_on_every_pass(kind: str, untouched: Track) -> None:
    """The second pass is the first one that counts: what goes round three times more comes out as it did."""
    sound = recorded_line(untouched)[None]
    starts = [round(note.at_beats * 60 / untouched.sheet.bpm * RATE) for note in untouched.notes()]
    bpm = untouched.sheet.bpm
    once = process_loop((stage(kind),), sound, starts, sample_rate=RATE, bpm=bpm)[-1]
    total = sound.shape[1]
    if kind in ("gate", "reverse"):
        # Their pattern and their turn begin with each pass.
        assert once.shape == sound.shape
        return
    longer = [start + turn * total for turn in range(2) for start in starts]
    twice = process_loop((stage(kind),), np.tile(sound, 2), longer, sample_rate=RATE, bpm=bpm)[-1]
    assert once.shape[0] == twice.shape[0]
    assert apart_db(once, twice[:, :total]) < -80
    assert apart_db(once, twice[:, total:]) < -80


def test_sides_that_a_chain_makes_stay_out_of_the_lows(untouched: Track) -> None:
    made = bass_with(line_track(untouched), Reverb(wide=True, level_db=0, low_cut_hz=20))
    stem = heard_stem(made, BASS)
    assert stem.shape[0] == 2
    side = np.abs(np.fft.rfft((stem[0] - stem[1]) / 2)) ** 2
    middle = np.abs(np.fft.rfft(stem.mean(axis=0))) ** 2
    hz = np.fft.rfftfreq(stem.shape[1], 1 / RATE)
    low, high = (hz > 20) & (hz < 75), (hz > 300) & (hz < 3000)
    assert 10 * np.log10(side[low].sum() / middle[low].sum()) < -45
    assert 10 * np.log10(side[high].sum() / middle[high].sum()) > -30


def test_a_delayed_copy_on_a_bass_is_refused_with_a_way_out(untouched: Track) -> None:
    with pytest.raises((InvalidTrack, ValidationError), match="its own width"):
        bass_with(untouched, stage("width"))


def test_the_highs_are_driven_and_the_lows_left(untouched: Track) -> None:
    track = line_track(untouched)
    done = DriveHighs(part="bass").done(track)
    before, after = (render_stem(one, BASS.of("before")) for one in (track, done.track))
    low = dsp.butter(6, 110, "lowpass", fs=RATE, output="sos")
    lows = [np.sum(dsp.sosfiltfilt(low, one) ** 2) for one in (before, after)]
    assert 10 * np.log10(lows[1] / lows[0]) == pytest.approx(0, abs=0.3)
    hz = np.fft.rfftfreq(before.size, 1 / RATE)
    above = hz > 1000
    highs = [np.sum(np.abs(np.fft.rfft(one)[above]) ** 2) for one in (before, after)]
    assert highs[1] > 1.5 * highs[0]
    assert "low end" in done.said[0]
    # Pressed again it is moved, not doubled; on a hit it is on the bus, which is bound by it.
    assert DriveHighs(part="bass", split_hz=300).done(done.track).track.bass_chain[0].from_hz == 300  # type: ignore[union-attr]
    kick = DriveHighs(part="kick").done(track).track.kick
    assert kick.bind
    assert len(kick.bus) == 1


def test_a_stage_that_does_nothing_is_named_and_may_be_removed(untouched: Track) -> None:
    made = bass_with(untouched, Saturate(drive_db=0))
    found = find_all(analyse(made))
    said = next(one for one in found if one.id == "bass-idle-0")
    assert "changes nothing" in said.title
    assert applied(said.fixes[0], made).bass_chain == ()


def test_a_recorded_line_that_small_systems_lose_is_driven_until_they_play_it(untouched: Track) -> None:
    soft = recorded_line(untouched, Bass(source="saw", filter_octaves=1.2, filter_sweep_octaves=0, blip_db=-60))
    track = untouched.having(bass=Bass(source="recorded line", take=known(soft)))
    lost = [one for one in find_all(analyse(track)) if one.id == "bass-lost-on-small-systems"]
    assert lost, "the trial's own line is heard by small systems: it tries nothing"
    made = applied(lost[0].fixes[0], track)
    assert made.bass_chain
    assert not [one for one in find_all(analyse(made)) if one.id == "bass-lost-on-small-systems"]


@pytest.mark.parametrize("settings", [Reverb(ring_ms=300), Delay(every="1/8", feedback_pct=20)])
def test_a_bar_that_feeds_nothing_is_heard_dry_and_what_rings_rings_on(settings: Reverb | Delay) -> None:
    """Beside the loop: echoes of all of it are the sum of those of each bar (they are linear)."""
    rate, bpm = 8000, 120.0
    bar = 2 * rate
    loop = np.random.default_rng(5).standard_normal((1, 4 * bar)) * 0.1

    def wet(bars_db: tuple[float, ...]) -> Samples:
        fed = settings.model_copy(update={"bars_db": bars_db})
        return process_loop((fed,), loop, (), sample_rate=rate, bpm=bpm)[-1] - loop

    last = wet((-60.0, -60.0, -60.0, 0.0))
    energy = [float(np.sum(last[:, k * bar : (k + 1) * bar] ** 2)) for k in range(4)]
    # It rings on into the first bar of the next pass, and is over by the second.
    assert energy[3] > energy[0] > 0
    assert max(energy[1:3]) < 1e-6 * energy[3]
    if isinstance(settings, Delay):
        apart = [wet(tuple(0.0 if one == k else -60.0 for one in range(4))) for k in range(4)]
        assert np.allclose(np.sum(apart, axis=0), wet(()), atol=1e-9)
        assert np.allclose(wet((-6.0,) * 4), 10 ** (-6 / 20) * wet(()), atol=1e-9)


def test_a_hit_is_not_fed_by_bar() -> None:
    layer = Layer(id="a", name="A", source=Beater(), chain=(Reverb(bars_db=(0.0, -60.0)),))
    with pytest.raises(ValidationError, match="alike in every bar"):
        Hit(layers=(layer,))

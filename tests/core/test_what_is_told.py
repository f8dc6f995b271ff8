"""What a track is told: sounds that start late, one sound twice, hits beside those of a loop, a rumble that hums."""

from __future__ import annotations

import numpy as np
import pytest

from juglant.core.analysis.analyse import analyse
from juglant.core.chain.compressor import Compressor
from juglant.core.findings.coincidence_findings import hits_fall_together
from juglant.core.findings.finding import Finding
from juglant.core.findings.late_findings import starts_late
from juglant.core.findings.layer_findings import idle_processors, missing_click
from juglant.core.findings.loop_findings import kick_loop_goes_round, peaky_rumble
from juglant.core.findings.registry import find_all
from juglant.core.findings.sides_findings import same_sound_twice
from juglant.core.hit.fit import fit_layers, fitted
from juglant.core.loop.kick_loop import with_kick_loop
from juglant.core.loop.render import heard_stem
from juglant.core.measure.lead import lead_in_ms
from juglant.core.model.hit import Hit, Layer
from juglant.core.model.part import Part
from juglant.core.model.stem import BASS, StemRef
from juglant.core.model.strokes import Stroke
from juglant.core.model.track import Track
from juglant.core.synth.beater import Beater
from juglant.core.synth.clap import Clap
from juglant.core.synth.rumble import Rumble
from juglant.core.synth.sweep import Sweep
from juglant.core.synth.take import Take
from juglant.core.synth.takes import TakeAudio, provide, take_id

RATE = 48000
BPM = 120.0
BEAT = RATE // 2
SOUNDS: dict[str, TakeAudio] = {}


@pytest.fixture(autouse=True)
def _sounds() -> None:
    """Only the newest places are looked at: other trials of this process may have named more."""
    provide(SOUNDS.get)


def taken(audio: np.ndarray) -> str:
    """The id of a sound, (frames,), that is there from now on."""
    sound = TakeAudio(np.atleast_2d(audio), RATE)
    name = take_id(sound.audio, RATE)
    SOUNDS[name] = sound
    return name


def thump(lead_ms: float = 0.0, hz: float = 61.0) -> np.ndarray:
    time = np.arange(RATE // 2) / RATE
    sound = 0.7 * np.sin(2 * np.pi * hz * time) * np.minimum(1000 * time, 1) * np.exp(-9 * time)
    return np.append(np.zeros(round(lead_ms * RATE / 1000)), sound)


def recorded(take: str, **source: object) -> Hit:
    return Hit(layers=(Layer(id="take-1", name="Thump", source=Take(take=take, **source)),))  # type: ignore[arg-type]


def track_of(**parts: object) -> Track:
    return Track.model_validate({"sheet": {"bpm": BPM, "bars": 1}, **parts})


def kit_of(hit: Hit, role: str = "percussion", at: tuple[float, ...] = (1.0,), name: str = "thump") -> Part:
    strokes = tuple(Stroke(at_beats=beat, velocity=127) for beat in at)
    return Part(id=name, name=name.title(), role=role, hit=hit, strokes=strokes)  # type: ignore[arg-type]


def first_sound(audio: np.ndarray) -> int:
    """The first frame within 40 dB of the loudest."""
    mono = np.abs(audio if audio.ndim == 1 else audio.mean(axis=0))
    return int(np.argmax(mono > 0.01 * mono.max()))


@pytest.mark.parametrize("lead_ms", [0.0, 3.7, 42.0, 300.0, 1234.5])
@pytest.mark.parametrize("floor_db", [None, -70.0])
def test_a_planted_lead_in_is_found_to_the_millisecond(lead_ms: float, floor_db: float | None) -> None:
    sound = thump(lead_ms)
    if floor_db is not None:
        sound = sound + 10 ** (floor_db / 20) * np.random.default_rng(3).standard_normal(sound.size)
    assert lead_in_ms(sound, sample_rate=RATE) == pytest.approx(lead_ms, abs=1.0)


@pytest.mark.parametrize("attack_ms", [150.0, 400.0])
def test_a_soft_attack_has_no_figure(attack_ms: float) -> None:
    time = np.arange(RATE) / RATE
    pad = 0.5 * np.sin(2 * np.pi * 110 * time) * np.minimum(1000 * time / attack_ms, 1) * np.exp(-2 * time)
    assert lead_in_ms(np.append(np.zeros(RATE // 5), pad), sample_rate=RATE) is None
    assert lead_in_ms(np.zeros(1000), sample_rate=RATE) is None


def of_hit(take: str) -> tuple[Track, StemRef, int]:
    return track_of(kit=[kit_of(recorded(take))]), StemRef("thump"), BEAT


def of_kick(take: str) -> tuple[Track, StemRef, int]:
    return track_of(kick=recorded(take), kick_at_beats=(1.0,)), StemRef("kick"), BEAT


def of_bass(take: str) -> tuple[Track, StemRef, int]:
    bass = {"source": "recorded note", "take": take, "root_hz": 61.0, "blip_db": -60}
    notes = ({"at_beats": 1, "length_beats": 1, "note": 35},)
    return track_of(bass=bass, bass_notes=notes), BASS, BEAT


def of_stem(take: str) -> tuple[Track, StemRef, int]:
    return track_of(kit=[kit_of(recorded(take), "context", (0.0,))]), StemRef("thump"), 0


def of_line(take: str) -> tuple[Track, StemRef, int]:
    return track_of(bass={"source": "recorded line", "take": take}), BASS, 0


PLACES = [of_hit, of_kick, of_bass, of_stem, of_line]


@pytest.mark.parametrize("place", PLACES, ids=lambda one: one.__name__)
def test_a_lead_in_makes_a_sound_late_by_that_is_told_and_its_fix_answers(place: object) -> None:
    # 57 ms are on no sixteenth of any tempo here.
    track, ref, wanted = place(taken(thump(57.0)))  # type: ignore[operator]
    (said,) = starts_late(analyse(track))
    assert said.value == pytest.approx(57, abs=1)
    assert 1000 * (first_sound(heard_stem(track, ref)) - wanted) / RATE == pytest.approx(57, abs=6)
    fixed = said.fixes[0].track
    assert fixed is not None
    assert abs(1000 * (first_sound(heard_stem(fixed, ref)) - wanted) / RATE) < 6
    assert starts_late(analyse(fixed)) == []
    # Without one nothing is told.
    plain, _, _ = place(taken(thump()))  # type: ignore[operator]
    assert starts_late(analyse(plain)) == []


@pytest.mark.parametrize("late_is_first", [True, False])
def test_layer_fit_takes_a_recorded_layer_from_its_onset_and_moves_no_other_for_silence(late_is_first: bool) -> None:
    late = Layer(id="late", name="Late", source=Take(take=taken(thump(42.0))), gain_db=0 if late_is_first else -12)
    body = Layer(id="body", name="Body", source=Sweep(landing_hz=61), gain_db=-12 if late_is_first else 0)
    hit = Hit(layers=(late, body))
    fit = fit_layers(hit, RATE)
    assert fit is not None
    made = {one.id: one for one in fitted(hit, fit).layers}
    assert made["late"].source.begin_ms == pytest.approx(42, abs=1)  # type: ignore[union-attr]
    # Within a period or so of each other, and not 42 ms apart.
    assert abs(made["late"].offset_ms) <= 10
    assert abs(made["body"].offset_ms) <= 10
    assert fit.after_db >= fit.now_db


def test_a_loop_whose_first_sound_is_on_a_sixteenth_is_not_late() -> None:
    track, _, _ = of_line(taken(thump(375.0)))
    assert starts_late(analyse(track)) == []


def sided(left: Layer, right: Layer) -> Track:
    return track_of(kit=[kit_of(Hit(layers=(left, right)), "clap", name="clap")])


def pair(seed: int = 0, same: bool = True, gain_db: float = 0.0) -> Track:
    left = Layer(id="a", name="A", source=Clap(seed=seed), pan_pct=-100)
    other = Clap(seed=seed if same else seed + 77)
    return sided(left, Layer(id="b", name="B", source=other, pan_pct=100, gain_db=gain_db))


def test_the_same_sound_on_both_sides_is_told_and_two_takes_are_not() -> None:
    (said,) = same_sound_twice(analyse(pair()))
    assert said.value == pytest.approx(100, abs=0.5)
    # Nearly the same counts too.
    assert len(same_sound_twice(analyse(pair(gain_db=-1.5)))) == 1
    assert same_sound_twice(analyse(pair(same=False))) == []
    for fix in said.fixes:
        assert fix.track is not None
        assert same_sound_twice(analyse(fix.track)) == []


def test_a_bus_that_changes_nothing_is_told() -> None:
    layers = (Layer(id="a", name="A", source=Clap(), gain_db=-12),)
    idle = Hit(layers=layers, bind=True, bus=(Compressor(threshold_db=0),))
    (said,) = idle_processors(analyse(track_of(kit=[kit_of(idle, "clap", name="clap")])))
    assert "bus" in said.title
    fixed = said.fixes[0].track
    assert fixed is not None
    assert fixed.kit[0].hit.bus == ()
    busy = idle.model_copy(update={"bus": (Compressor(threshold_db=-40, ratio=8),)})
    assert idle_processors(analyse(track_of(kit=[kit_of(busy, "clap", name="clap")]))) == []


def test_the_click_is_judged_by_what_sounds_and_not_by_what_layers_are_called() -> None:
    body = Layer(id="body", name="Click", source=Sweep(landing_hz=52))
    (said,) = missing_click(analyse(track_of(kick=Hit(layers=(body,)), kick_at_beats=(0,))))
    assert said.value is not None
    assert said.value < -50
    # One recorded layer that holds its click needs no other.
    rng = np.random.default_rng(5)
    clicked = thump()
    clicked[:240] += 0.4 * rng.standard_normal(240) * np.exp(-np.arange(240) / 60)
    assert missing_click(analyse(track_of(kick=recorded(taken(clicked)), kick_at_beats=(0,)))) == []
    beater = Layer(id="x", name="X", source=Beater(), gain_db=-10)
    assert missing_click(analyse(track_of(kick=Hit(layers=(body, beater)), kick_at_beats=(0,)))) == []


def loop_with_claps(clap: np.ndarray, late_ms: float) -> np.ndarray:
    """A bar of a quiet pad with a clap on two and four, a little late."""
    out = 0.02 * np.sin(2 * np.pi * 220 * np.arange(4 * BEAT) / RATE)
    for beat in (1, 3):
        at = beat * BEAT + round(late_ms * RATE / 1000)
        out[at : at + clap.size] += clap[: out.size - at]
    return out


@pytest.mark.parametrize(("late_ms", "told"), [(6.0, True), (-6.0, True), (0.0, False), (60.0, False)])
def test_a_clap_in_a_loop_beside_the_kits_is_told(late_ms: float, told: bool) -> None:
    clap = kit_of(Hit(layers=(Layer(id="a", name="A", source=Clap()),)), "clap", (1.0, 3.0), "clap")
    sound = heard_stem(track_of(kit=[clap]), StemRef("clap"))
    one = (sound if sound.ndim == 1 else sound.mean(axis=0))[BEAT : BEAT + RATE // 4]
    stem = kit_of(recorded(taken(loop_with_claps(one, late_ms))), "context", (0.0,), "loop")
    said: list[Finding] = [
        f for f in hits_fall_together(analyse(track_of(kit=[clap, stem]))) if f.id == "together-clap-loop"
    ]
    assert bool(said) == told
    if told:
        assert f"{abs(late_ms):.1f} ms {'after' if late_ms > 0 else 'before'}" in said[0].reason
        fixed = said[0].fixes[0].track
        assert fixed is not None
        assert fixed.kit[0].strokes[0].shift_ms == pytest.approx(late_ms, abs=1.1)


@pytest.mark.parametrize(("source", "told"), [(Rumble(), False), (Rumble(low_pass_hz=60, floor_hz=45), True)])
def test_a_rumble_that_hums_on_one_note_is_told(source: Rumble, told: bool) -> None:
    kick = Hit(layers=(Layer(id="a", name="A", source=Sweep(landing_hz=50)),))
    hit = Hit(layers=(Layer(id="r", name="R", source=source),))
    rumble = kit_of(hit, "rumble", (0, 1, 2, 3), "rumble")
    said = peaky_rumble(analyse(track_of(kick=kick, kick_at_beats=(0, 1, 2, 3), kit=[rumble])))
    assert [one.hit_id for one in said] == (["rumble"] if told else [])
    for one in said:
        assert one.value is not None
        assert one.value > 6
        # Its own fix answers it.
        fixed = one.fixes[0].track
        assert fixed is not None
        assert peaky_rumble(analyse(fixed)) == []


def test_processing_of_a_kick_that_comes_as_a_loop_is_said_to_do_nothing() -> None:
    bar = np.zeros(4 * BEAT)
    for beat in range(4):
        bar[beat * BEAT : beat * BEAT + RATE // 2 - 10] += thump()[: RATE // 2 - 10]
    track = with_kick_loop(track_of(), taken(bar), 0.0, 0)
    # As descriptions are that were written before loops went through their layers.
    track = track.having(kick_loop=track.kick_loop.model_copy(update={"processed": False}))
    assert kick_loop_goes_round(analyse(track)) == []
    kick = track.kick.model_copy(update={"bind": True, "bus": (Compressor(threshold_db=-30),)})
    processed = track.having(kick=kick)
    assert np.array_equal(heard_stem(processed, StemRef("kick")), heard_stem(track, StemRef("kick")))
    (said,) = kick_loop_goes_round(analyse(processed))
    through, stroke = (one.track for one in said.fixes)
    assert through is not None
    assert stroke is not None
    assert through.kick_loop.plays
    assert not np.array_equal(heard_stem(through, StemRef("kick")), heard_stem(track, StemRef("kick")))
    assert not stroke.kick_loop.plays
    for fixed in (through, stroke):
        assert "kick-loop-unprocessed" not in {one.id for one in find_all(analyse(fixed))}

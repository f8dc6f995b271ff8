"""What is asked for arrives, or it is said why not: tuning, layers that join a hit, rolls of recorded hits."""

from __future__ import annotations

import numpy as np
import pytest

from juglant.core.chain.equalizer import Equalizer
from juglant.core.chain.saturate import Saturate
from juglant.core.errors import InvalidTrack
from juglant.core.hit.levelled import rolled_levelled
from juglant.core.hit.render import render_hit
from juglant.core.hit.roll import Roll, rolled
from juglant.core.hit.starts import STARTS
from juglant.core.measure.landing import measure_landing
from juglant.core.measure.level import energy_loudness_db, true_peak
from juglant.core.model.hit import Hit, Layer
from juglant.core.model.sheet import Sheet
from juglant.core.model.track import Track
from juglant.core.music.notes import cents_between, note_hz
from juglant.core.synth.beater import Beater
from juglant.core.synth.skins import Skins
from juglant.core.synth.sweep import Sweep
from juglant.core.synth.tail import Tail
from juglant.core.synth.take import Take
from juglant.core.synth.takes import TakeAudio, provide, take_id
from juglant.core.tune.added import with_layer
from juglant.core.tune.hit_pitch import hit_pitch
from juglant.core.tune.retune import layer_landings, tuned

RATE = 48000
F_1 = 29


def of_kick(*sources: object, key: str = "F", gains: tuple[float, ...] = ()) -> Track:
    layers = tuple(
        Layer(id=f"l{i}", name=f"L{i}", source=one, gain_db=gains[i] if gains else 0)  # type: ignore[arg-type]
        for i, one in enumerate(sources)
    )
    return Track(sheet=Sheet(tonic=key), kick=Hit(layers=layers), kick_at_beats=(0, 1, 2, 3))


def pitch_hz(track: Track) -> float:
    found = hit_pitch(track, track.kick_hit()).used_hz
    assert found is not None
    return found


KICKS = {start.name: start.hit for start in STARTS if start.role == "kick"}


@pytest.mark.parametrize("name", KICKS)
@pytest.mark.parametrize("number", [F_1, 34, 36])
def test_a_kick_lands_where_it_is_asked_to_at_the_first_press_and_stays(name: str, number: int) -> None:
    track = Track(sheet=Sheet(tonic="F"), kick=KICKS[name], kick_at_beats=(0, 1, 2, 3))
    wanted = note_hz(number, 440)
    for _ in range(3):
        track = tuned(track, "kick", wanted)
        assert abs(cents_between(pitch_hz(track), wanted)) <= 2


@pytest.mark.parametrize("sources", [(Sweep(),), (Sweep(), Tail()), (Sweep(landing_hz=50), Beater(), Tail(landing_hz=50))])
def test_layers_on_one_note_arrive_whatever_their_sum_reads(sources: tuple) -> None:
    track = tuned(of_kick(*sources), "kick", note_hz(31, 440))
    for one in layer_landings(track, track.kick_hit()):
        assert abs(cents_between(one.landing_hz, note_hz(31, 440))) <= 2 + one.uncertainty_cents


def test_layers_on_different_notes_are_told_and_nothing_is_moved() -> None:
    track = of_kick(Sweep(landing_hz=50), Beater(), Tail(landing_hz=50), Skins(landing_hz=110))
    with pytest.raises(InvalidTrack, match=r"layers land 16\d cents apart .*bring them together first"):
        tuned(track, "kick", note_hz(F_1, 440))


JOINING = {
    "a tail": Layer(id="new", name="New", source=Tail(landing_hz=61)),
    "skins": Layer(id="new", name="New", source=Skins()),
    "a beater": Layer(id="new", name="New", source=Beater()),
    "a second body": Layer(id="new", name="New", source=Sweep(landing_hz=70), gain_db=6),
}


@pytest.mark.parametrize("kind", JOINING)
@pytest.mark.parametrize("start", ["Quay", "Dredger", "Rivet"])
def test_a_layer_joins_on_the_hits_note_at_its_level_and_the_peak_stays(kind: str, start: str) -> None:
    track = Track(sheet=Sheet(tonic="F"), kick=KICKS[start], kick_at_beats=(0, 1, 2, 3))
    landing = pitch_hz(track)
    added = with_layer(track, "kick", JOINING[kind])
    hit = added.track.kick
    before, after = (render_hit(one, sample_rate=RATE).mono for one in (track.kick, hit))
    assert 20 * np.log10(np.max(np.abs(after)) / np.max(np.abs(before))) <= 0.11
    assert added.said.startswith("New is added: ")
    new = hit.layers[-1]
    # The others stay where they are, and are lowered together.
    for one, own in zip(track.kick.layers, hit.layers, strict=False):
        assert (own.offset_ms, own.inverted) == (one.offset_ms, one.inverted)
        assert own.gain_db <= one.gain_db
    if kind != "a beater":
        alone = render_hit(Hit(layers=(new.model_copy(update={"offset_ms": 0.0}),)), sample_rate=RATE).mono
        own_hz = measure_landing(alone, sample_rate=RATE).landing_hz
        assert own_hz is not None
        off = cents_between(own_hz, landing) % 1200
        assert min(off, 1200 - off) < 25
        # Heard, and not in front: within 6 dB of a level 6 dB under the hit's own low end.
        under = energy_loudness_db(alone, sample_rate=RATE) - energy_loudness_db(after, sample_rate=RATE)
        assert -20 < under < 3


def test_two_layers_that_are_asked_for_at_once_are_two() -> None:
    track = Track(sheet=Sheet(tonic="F"), kick=KICKS["Quay"], kick_at_beats=(0,))
    for _ in range(3):
        track = with_layer(track, "kick", Layer(id="tail-1", name="Tail", source=Tail())).track
    names = [(one.id, one.name) for one in track.kick.layers[-3:]]
    assert names == [("tail-1", "Tail"), ("tail-2", "Tail 2"), ("tail-3", "Tail 3")]


def test_a_layer_joins_a_hit_of_which_another_is_heard_alone() -> None:
    kick = KICKS["Quay"]
    alone = kick.model_copy(update={"layers": (kick.layers[0].model_copy(update={"solo": True}), *kick.layers[1:])})
    tail = Layer(id="new", name="New", source=Tail())
    made = [with_layer(Track(kick=hit, kick_at_beats=(0,)), "kick", tail).track.kick for hit in (kick, alone)]
    assert [one.solo for one in made[1].layers] == [True, *[False] * (len(made[1].layers) - 1)]
    assert [one.gain_db for one in made[1].layers] == [one.gain_db for one in made[0].layers]


def test_a_first_layer_takes_the_tonic_and_leaves_room() -> None:
    added = with_layer(Track(sheet=Sheet(tonic="F")), "kick", Layer(id="new", name="Body", source=Sweep(), gain_db=6))
    assert added.said == "Body is added: on F1"
    assert abs(cents_between(pitch_hz(added.track), note_hz(F_1, 440))) <= 25
    assert np.max(np.abs(render_hit(added.track.kick, sample_rate=RATE).mono)) <= 10 ** (-0.9 / 20)


def recorded() -> Take:
    time = np.arange(RATE) / RATE
    audio = np.sin(2 * np.pi * (55 * time + 3 * (1 - np.exp(-40 * time)))) * np.exp(-6 * time)
    sound = TakeAudio(np.append(np.zeros(RATE // 4), 0.9 * audio)[None], RATE)
    take = take_id(sound.audio, RATE)
    provide(lambda wanted: sound if wanted == take else None)
    return Take(take=take, begin_ms=250.0)


CHAINS: dict[str, tuple] = {"plain": (), "with a chain": (Equalizer(), Saturate(drive_db=6))}


@pytest.mark.parametrize("chain", CHAINS)
@pytest.mark.parametrize("amount", [40.0, 100.0])
def test_rolls_of_a_recorded_hit_differ_sound_begin_where_it_does_and_keep_its_level(chain: str, amount: float) -> None:
    hit = Hit(layers=(Layer(id="a", name="A", source=recorded(), chain=CHAINS[chain]),))
    origin = render_hit(hit, sample_rate=RATE).mono
    wanted = energy_loudness_db(origin, sample_rate=RATE)
    made, roll = [], Roll(seed=7, amount_pct=amount, only_front=False)
    for index in range(16):
        source = rolled(hit, roll, index).layers[0].source
        assert isinstance(source, Take)
        assert source.begin_ms == 250.0
        done = rolled_levelled(hit, roll, index, sample_rate=RATE, bpm=120)
        audio = render_hit(done.hit, sample_rate=RATE).mono
        assert abs(energy_loudness_db(audio, sample_rate=RATE) - wanted) <= 4
        assert 20 * np.log10(true_peak(audio[None])) <= -0.99
        assert done.is_there
        if CHAINS[chain]:
            assert done.hit.layers[0].chain != hit.layers[0].chain
        made.append(audio)
    # All sixteen are different sounds, brought to one level.
    for i in range(16):
        for j in range(i):
            size = max(made[i].size, made[j].size)
            a, b = (np.pad(x, (0, size - x.size)) for x in (made[i], made[j]))
            scale = np.sqrt(np.sum(a**2) / np.sum(b**2))
            assert np.sum((a - scale * b) ** 2) > 1e-6 * np.sum(a**2)


@pytest.mark.parametrize("name", list(KICKS)[:3])
def test_rolls_of_any_hit_keep_its_level(name: str) -> None:
    hit = KICKS[name]
    wanted = energy_loudness_db(render_hit(hit, sample_rate=RATE).mono, sample_rate=RATE)
    for index in range(8):
        roll = Roll(seed=3, amount_pct=100, only_front=False)
        audio = render_hit(rolled_levelled(hit, roll, index, sample_rate=RATE, bpm=120).hit, sample_rate=RATE).mono
        assert 20 * np.log10(true_peak(audio[None])) <= -0.99
        assert abs(energy_loudness_db(audio, sample_rate=RATE) - wanted) <= 4.1

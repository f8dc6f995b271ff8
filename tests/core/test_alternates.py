"""Several recordings of one thing as one hit: grouped by how hard it was struck, aligned, even, played in turn.

Recordings are made here; how hard, when and how alike they were struck is the truth."""

from __future__ import annotations

from itertools import pairwise

import numpy as np
import pytest
from made_loops import kit
from near_meters import RATE, made_tom

from juglant.core.errors import InvalidAudio
from juglant.core.hit.alternates import Alternates, Picked, alternates_of, strokes_in, unlike
from juglant.core.hit.strokes import render_stroke
from juglant.core.loop.kit import kit_stem
from juglant.core.model.hit import Hit, Layer
from juglant.core.model.part import Part
from juglant.core.model.strokes import Stroke
from juglant.core.model.track import Track, track_from_json, track_to_json
from juglant.core.synth.takes import TakeAudio, provide, take_id

STRENGTHS_DB = (0.0, -9.0, -20.0)
EACH = 4


def recorded(levels_db: list[float], sound: np.ndarray, every_s: float = 0.9, noise: float = 1e-6) -> TakeAudio:
    """One recording of so many strokes, each a little longer or shorter than the others."""
    sound = (sound * np.linspace(1, 0, sound.size) ** 0.5)[: round(0.7 * RATE)]
    sound = sound * np.minimum(1, np.linspace(20, 0, sound.size))
    out = noise * np.random.default_rng(1).standard_normal(round((0.3 + every_s * len(levels_db)) * RATE))
    for number, level in enumerate(levels_db):
        at = round((0.2 + every_s * number) * RATE) + 37 * number
        own = sound * np.exp(-np.arange(sound.size) / RATE * (number // 3 % 4))
        out[at : at + own.size] += 10 ** (level / 20) * own
    audio = 0.8 * out[None] / np.max(np.abs(out))
    provide(lambda wanted: TakeAudio(audio, RATE) if wanted == take_id(audio, RATE) else None)
    return TakeAudio(audio, RATE)


def made_of(*takes: TakeAudio) -> tuple[Alternates, list[Picked]]:
    known = {take_id(one.audio, one.sample_rate): one for one in takes}
    picked = [stroke for take, one in known.items() for stroke in strokes_in(take, one)]
    return alternates_of(picked, known), picked


def hit_of(made: Alternates) -> Hit:
    return Hit(layers=(Layer(id="a", name="a", source=made.source),), velocity=made.velocity)


def peak_db(sound: np.ndarray) -> float:
    return float(20 * np.log10(np.max(np.abs(sound))))


@pytest.fixture(scope="module")
def levels_db() -> list[float]:
    jitter = np.random.default_rng(5).uniform(-0.9, 0.9, EACH * len(STRENGTHS_DB))
    return [STRENGTHS_DB[number % 3] + jitter[number] for number in range(EACH * len(STRENGTHS_DB))]


def test_strokes_are_grouped_by_how_hard_they_were_struck(levels_db: list[float]) -> None:
    made, picked = made_of(recorded(levels_db, made_tom(120)))
    assert len(picked) == 12
    strengths = sorted({one.velocity for one in made.strokes}, reverse=True)
    assert len(strengths) == 3
    assert strengths[0] == 127
    for one in made.strokes:
        assert strengths.index(one.velocity) == (one.number - 1) % 3
    assert made.said == ("3 strengths, the strongest first: 4, 4, 4 strokes",)
    assert made.velocity.robins == EACH


def test_every_stroke_of_a_strength_is_as_loud_and_a_softer_one_is_softer_by_what_was_recorded(
    levels_db: list[float],
) -> None:
    made, _ = made_of(recorded(levels_db, made_tom(120)))
    hit, strengths = hit_of(made), sorted({one.velocity for one in made.strokes}, reverse=True)
    loud = {
        velocity: [
            10 * np.log10(np.sum(render_stroke(hit, velocity=velocity, robin=turn, sample_rate=RATE).audio ** 2))
            for turn in range(EACH)
        ]
        for velocity in strengths
    }
    for found in loud.values():
        assert max(found) - min(found) < 0.5
    for velocity, recorded_db in zip(strengths, STRENGTHS_DB, strict=True):
        assert np.mean(loud[velocity]) - np.mean(loud[127]) == pytest.approx(recorded_db, abs=1.0)


def test_in_turn_no_two_strokes_are_the_same_and_all_begin_at_one_sample(levels_db: list[float]) -> None:
    made, _ = made_of(recorded(levels_db, made_tom(120)))
    hit = hit_of(made)
    for velocity in {one.velocity for one in made.strokes}:
        sounds = [render_stroke(hit, velocity=velocity, robin=turn, sample_rate=RATE).audio for turn in range(EACH)]
        begins = [int(np.argmax(np.abs(one) > 0.02 * np.max(np.abs(one)))) for one in sounds]
        assert max(begins) - min(begins) <= 1
        for turn in range(EACH):
            one, other = (sounds[at % EACH][: round(0.3 * RATE)] for at in (turn, turn + 1))
            size = min(one.size, other.size)
            assert not np.allclose(one[:size], other[:size], atol=1e-3)


def test_the_loop_plays_them_in_turn_and_a_stored_track_keeps_them(levels_db: list[float]) -> None:
    made, _ = made_of(recorded(levels_db, made_tom(120)))
    strokes = tuple(Stroke(at_beats=at, velocity=127) for at in range(4))
    track = Track().having()
    part = Part(id="tom", name="Tom", role="tom", hit=hit_of(made), strokes=strokes, gain_db=0)
    track = track.model_copy(update={"parts": (*track.parts, part)})
    again = track_from_json(track_to_json(track))
    assert again == track
    stem = kit_stem(again, again.hit_of("tom"))
    beat = 60 / again.sheet.bpm * RATE
    played = [stem[round(at * beat) : round(at * beat) + round(0.3 * RATE)] for at in range(4)]
    peaks = [peak_db(one) for one in played]
    assert max(peaks) - min(peaks) < 1.5
    for one, other in pairwise(played):
        assert not np.allclose(one, other, atol=1e-3)


def test_one_stroke_alone_is_said_to_be_one() -> None:
    made, picked = made_of(recorded([0.0], made_tom(120)))
    assert len(picked) == 1
    assert made.said == ("one stroke alone: every stroke sounds the same, and softer ones are made from it",)
    assert made.velocity.robins == 1
    # It is still softer when it is struck softly.
    hit = hit_of(made)
    loud, soft = (render_stroke(hit, velocity=at, sample_rate=RATE).audio for at in (127, 40))
    assert peak_db(soft) < peak_db(loud) - 10


def test_several_files_of_one_stroke_each_are_one_hit_too() -> None:
    takes = [recorded([0.0], made_tom(120) * np.exp(-np.arange(made_tom(120).size) / RATE * n)) for n in range(5)]
    made, picked = made_of(*takes)
    assert len({one.take for one in picked}) == 5
    assert made.velocity.robins == 5
    assert len(made.source.sounds) == 5


def test_another_thing_among_them_and_what_rings_into_the_next_is_named() -> None:
    sounds = recorded([0.0, -1, 0.5, -0.5, 0.2], made_tom(120))
    audio = sounds.audio[0].copy()
    hiss = np.diff(np.random.default_rng(0).standard_normal(8000), prepend=0) * np.exp(-np.arange(8000) / 2000)
    audio[-round(0.5 * RATE) : -round(0.5 * RATE) + 8000] += 0.4 * hiss
    take = TakeAudio(audio[None], RATE)
    known = {take_id(take.audio, RATE): take}
    picked = strokes_in(next(iter(known)), take)
    other = unlike(picked, known)
    assert {picked[at].begin_ms for at in other} == {picked[-1].begin_ms}
    rings = np.zeros(2 * RATE)
    long = np.sin(2 * np.pi * 90 * np.arange(RATE) / RATE) * np.exp(-np.arange(RATE) / RATE / 0.2)
    for at in (4800, 16800):
        rings[at : at + RATE] += 0.4 * long
    found = strokes_in("0" * 24, TakeAudio(rings[None], RATE))
    assert [one.why_not for one in found] == ["the next one begins while it still rings", None]


@pytest.mark.parametrize("sound", [np.zeros(RATE), 1e-9 * np.ones(RATE), np.ones(3)])
def test_nothing_is_refused_in_words(sound: np.ndarray) -> None:
    assert strokes_in("0" * 24, TakeAudio(sound[None], RATE)) == []
    with pytest.raises(InvalidAudio, match="no stroke is chosen"):
        alternates_of([], {})


def test_what_is_set_for_the_layer_works_on_all_of_them(levels_db: list[float]) -> None:
    made, _ = made_of(recorded(levels_db, kit(0)["snare"]))
    hit = hit_of(made)
    layer = hit.layers[0]
    short = hit.model_copy(
        update={"layers": (layer.model_copy(update={"source": made.source.model_copy(update={"length_ms": 60.0})}),)}
    )
    for turn in range(EACH):
        assert render_stroke(short, velocity=127, robin=turn, sample_rate=RATE).audio.size <= round(0.13 * RATE)
        assert render_stroke(hit, velocity=127, robin=turn, sample_rate=RATE).audio.size > round(0.13 * RATE)

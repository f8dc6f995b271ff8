"""Near to far: what comes out is drier or further, duller and quieter by the amount said, by meters of this trial's own."""

from __future__ import annotations

import json
import math

import numpy as np
import pytest
from scipy import signal

from juglant.core.analysis.standing import apart, away, beside_kick_lu
from juglant.core.commands.place import Balance
from juglant.core.errors import InvalidTrack
from juglant.core.hit.starts import STARTS
from juglant.core.loop.distance import sound_set_back
from juglant.core.loop.render import render_stem, render_stems
from juglant.core.measure.level import loop_loudness
from juglant.core.model.distance import Distance
from juglant.core.model.hit import Hit
from juglant.core.model.ids import Role
from juglant.core.model.part import Part
from juglant.core.model.references import consistent
from juglant.core.model.stem import KICK, StemRef
from juglant.core.model.strokes import Stroke
from juglant.core.model.track import Track, track_from_json, track_to_json
from juglant.core.types import Samples

RATE = 48000
ROLES: tuple[Role, ...] = ("snare", "clap", "hat", "open hat", "tom", "percussion")
# Of noise in all of the room's band both sides are as little alike as can be told in its time; of a tone they are tones.
NOISY = ("clap",)
AMOUNTS = (10, 25, 50, 75, 100)


def part(role: Role, name: str, number: int = 0, **changes: object) -> Part:
    start = [one for one in STARTS if one.role == role][number]
    return Part(
        id=name, name=name.title(), role=role, hit=start.hit,
        strokes=(Stroke(at_beats=1), Stroke(at_beats=3)), **changes,
    )  # fmt: skip


def with_parts(*parts: Part) -> Track:
    made = Track().with_hit("kick", next(one for one in STARTS if one.role == "kick").hit)
    made = made.with_part("kick", strokes=tuple(Stroke(at_beats=beat) for beat in range(4)))
    return made.model_copy(update={"parts": (*made.parts, *parts)})


def stem(track: Track, name: str) -> Samples:
    audio = np.asarray(render_stem(track, StemRef(name)))
    return np.asarray(np.broadcast_to(np.atleast_2d(audio), (2, audio.shape[-1])))


def between(rows: Samples, low_hz: float, high_hz: float) -> Samples:
    return np.asarray(signal.sosfilt(signal.butter(6, (low_hz, high_hz), "bandpass", fs=RATE, output="sos"), rows))


def power(row: Samples) -> float:
    return float(np.mean(row**2))


def ratio_db(rows: Samples, low_hz: float = 400, high_hz: float = 1500) -> float:
    """Direct to room of a sound from the middle: what both sides differ by is the room's alone, and half of it."""
    rows = between(rows, low_hz, high_hz)
    middle, side = (rows[0] + rows[1]) / 2, (rows[0] - rows[1]) / 2
    return 10 * math.log10((power(middle) - power(side)) / (2 * power(side)))


def above_2k_db(rows: Samples) -> float:
    spectrum = np.sum(np.abs(np.fft.rfft(rows)) ** 2, axis=0)
    top = np.fft.rfftfreq(rows.shape[-1], 1 / RATE) >= 2000
    return 10 * math.log10(float(np.sum(spectrum[top]) / np.sum(spectrum)))


@pytest.mark.parametrize("role", ROLES)
def test_one_move_makes_a_sound_further_duller_and_quieter_by_what_is_said(role: Role) -> None:
    """Kuttruff's room acoustics, from memory: 6 dB of direct to room per doubling, 0 dB at the critical distance."""
    near = with_parts(part(role, "one"))
    plain, last = stem(near, "one"), (math.inf, above_2k_db(stem(near, "one")))
    for far_pct in AMOUNTS:
        track = near.with_part("one", distance=Distance(far_pct=far_pct))
        heard, found = stem(track, "one"), away(track, "one")
        assert found is not None
        assert found.direct_to_room_db is not None
        quieter = loop_loudness(plain, sample_rate=RATE) - loop_loudness(heard, sample_rate=RATE)
        # Not gated it is exact; with the gate of BS.1770 a room's tail counts or not by how loud it is.
        assert quieter == pytest.approx(3 * far_pct / 25, abs=1.0)
        assert found.quieter_lu == pytest.approx(3 * far_pct / 25, abs=0.05)
        doublings = far_pct / 25
        said = 18 - 6 * doublings - 20 * math.log10(min(1.0, doublings))
        assert found.direct_to_room_db == pytest.approx(said, abs=0.1)
        if role in NOISY:
            assert ratio_db(heard, 350, 1500) == pytest.approx(said, abs=2.5)
        now = (found.direct_to_room_db, above_2k_db(heard))
        assert now < last
        assert now[1] < last[1]
        assert found.bright_db == pytest.approx(now[1], abs=1.0)
        last = now
        # The lows stay one sound in the middle, and the whole is heard in mono.
        lows = between(heard, 20, 100)
        assert power(lows[0] - lows[1]) < 1e-3 * power(heard[0] + heard[1])
        in_mono = np.broadcast_to(heard.mean(axis=0), heard.shape)
        lost = loop_loudness(heard, sample_rate=RATE) - loop_loudness(np.array(in_mono), sample_rate=RATE)
        assert found.mono_loss_lu == pytest.approx(lost, abs=0.6)
        assert lost < 3.2


def test_near_is_the_sound_as_it_is_and_the_room_goes_round_with_the_loop() -> None:
    track = with_parts(part("clap", "one"))
    far = track.with_part("one", distance=Distance(far_pct=0, ring_ms=2000))
    assert np.array_equal(stem(track, "one"), stem(far, "one"))
    found = away(track, "one")
    assert found is not None
    assert found.direct_to_room_db is None
    assert found.quieter_lu == 0
    # A stroke at the loop's end is heard on at its start, and nothing clicks there.
    late = with_parts(part("clap", "one").model_copy(update={"strokes": (Stroke(at_beats=7.75),)}))
    late = late.with_part("one", distance=Distance(far_pct=75, ring_ms=1500))
    rows = stem(late, "one")
    ring = rows[:, : RATE // 4]
    assert power(ring) > 0.01 * power(rows)
    steps = np.abs(np.diff(np.concatenate((rows[0], rows[0][:1]))))
    assert steps[-1] <= np.max(steps[: RATE // 4]) * 1.5


@pytest.mark.parametrize("far_pct", [20, 75, 100])
def test_one_stroke_of_it_is_as_its_strokes_in_the_loop(far_pct: float) -> None:
    track = with_parts(part("clap", "one").model_copy(update={"strokes": (Stroke(at_beats=1),)}))
    distance = Distance(far_pct=far_pct)
    rows = stem(track.with_part("one", distance=distance), "one")
    alone = sound_set_back(np.array(stem(track, "one")[0]), distance, sample_rate=RATE)
    assert alone.shape[0] == 2
    assert np.max(np.abs(alone[:, -1])) < 10**-4.5
    assert ratio_db(alone) == pytest.approx(ratio_db(rows), abs=1.0)


def test_two_claps_are_kept_apart_by_what_is_stated_wherever_the_front_one_goes() -> None:
    claps = (part("clap", "front"), part("clap", "back", number=4, distance=Distance(far_pct=50, behind="front")))
    for far_pct, held_pct in ((0, 50), (25, 50), (50, 50), (80, 20)):
        track = with_parts(*claps).with_part("front", distance=Distance(far_pct=far_pct))
        track = track_from_json(track_to_json(consistent(Track.model_validate(track.model_dump()))))
        found, back = apart(track, "back"), away(track, "back")
        assert found is not None
        assert back is not None
        assert (found.front, found.asked_pct, found.held_pct) == ("front", 50, held_pct)
        assert back.far_pct == min(100, far_pct + 50)
        assert found.louder_lu == pytest.approx(0.12 * held_pct, abs=0.1)
        if far_pct >= 25:
            assert found.drier_db == pytest.approx(0.24 * held_pct, abs=0.2)
            measured = ratio_db(stem(track, "front")) - ratio_db(stem(track, "back"))
            assert measured == pytest.approx(0.24 * held_pct, abs=2.5)
        else:
            assert found.drier_db is None


def test_what_a_part_is_kept_behind_goes_and_it_stands_where_it_stood() -> None:
    claps = (part("clap", "front", distance=Distance(far_pct=30)),
             part("clap", "back", distance=Distance(far_pct=40, behind="front", ring_ms=800)))  # fmt: skip
    before = with_parts(*claps)
    gone = before.model_copy(update={"parts": tuple(one for one in before.parts if one.id != "front")})
    after = consistent(gone, before)
    assert after.part("back").distance == Distance(far_pct=70, ring_ms=800)
    assert np.array_equal(stem(before, "back"), stem(after, "back"))


@pytest.mark.parametrize(("distances", "said"), [
    ({"one": Distance(behind="one")}, "cannot be kept behind 'one'"),
    ({"one": Distance(behind="other"), "other": Distance(behind="one")}, "cannot be kept behind"),
    ({"one": Distance(behind="other"), "other": Distance(behind="third")}, "has no place of its own"),
    ({"one": Distance(behind="kick")}, "stays near"),
    ({"one": Distance(behind="nobody")}, "nobody"),
    ({"kick": Distance(far_pct=10)}, "'kick' has no distance"),
    ({"bass": Distance(far_pct=10)}, "'bass' has no distance"),
])  # fmt: skip
def test_no_circle_no_place_behind_what_is_not_there_and_low_parts_stay_near(
    distances: dict[str, Distance], said: str
) -> None:
    track = with_parts(part("clap", "one"), part("snare", "other"), part("hat", "third"))
    document = json.loads(track_to_json(track))
    for one in document["parts"]:
        if one["id"] in distances:
            one["distance"] = distances[one["id"]].model_dump()
    with pytest.raises(InvalidTrack, match=said):
        consistent(track_from_json(json.dumps(document)))


def test_silence_far_away_is_silence() -> None:
    track = with_parts(part("clap", "one", distance=Distance(far_pct=100)).model_copy(update={"hit": Hit()}))
    assert not np.any(render_stem(track, StemRef("one")))
    assert away(track, "one") is None
    assert beside_kick_lu(track, "one") is None


@pytest.mark.parametrize("asked_lu", [-22.0, -15.3, -9.0])
def test_a_part_is_as_loud_beside_the_kick_as_asked_near_and_far(asked_lu: float) -> None:
    for far_pct in (0, 60):
        track = with_parts(part("open hat", "one", distance=Distance(far_pct=far_pct)), part("clap", "two"))
        done = Balance(part="one", beside_kick_lu=asked_lu).done(track)
        kick = np.asarray(render_stem(done.track, KICK))
        kick_lufs = loop_loudness(np.array(np.broadcast_to(kick, (2, kick.size))), sample_rate=RATE)
        assert loop_loudness(stem(done.track, "one"), sample_rate=RATE) - kick_lufs == pytest.approx(asked_lu, abs=0.1)
        assert not done.said
        # Nothing else was moved.
        assert np.array_equal(stem(track, "two"), stem(done.track, "two"))
        assert np.array_equal(render_stems(track).kick, render_stems(done.track).kick)


def test_a_balance_that_cannot_be_says_how_far_it_comes() -> None:
    track = with_parts(part("hat", "one"))
    loud = Balance(part="one", beside_kick_lu=20).done(track)
    assert loud.track.part("one").gain_db == 6
    assert "its level ends" in loud.said[0]
    for refused, said in ((track.with_part("one", strokes=()), "silent"), (track.with_part("kick", strokes=()), "silent")):
        with pytest.raises(InvalidTrack, match=said):
            Balance(part="one", beside_kick_lu=-10).done(refused)
    with pytest.raises(InvalidTrack, match="held against"):
        Balance(part="kick", beside_kick_lu=-10).done(track)

"""A kick that comes as a loop: its strokes read, fitted to the tempo, carved and keyed like any kick."""

from __future__ import annotations

import numpy as np
import pytest
from reference_clearance import clearance_db
from support import same_sound

from juglant.core.analysis.analyse import analyse
from juglant.core.errors import InvalidTrack
from juglant.core.findings.registry import applied, find_all
from juglant.core.hit.start_kicks import KICKS
from juglant.core.hit.strokes import cached_mono
from juglant.core.loop.kick_loop import with_kick_loop
from juglant.core.loop.render import heard_kick, render_stem, render_stems
from juglant.core.measure.strokes import find_strokes
from juglant.core.model.hit import Hit
from juglant.core.model.stem import StemRef
from juglant.core.model.strokes import Stroke
from juglant.core.model.track import Track
from juglant.core.plans.plan import planned
from juglant.core.reports.swap_check import Swap, swapped
from juglant.core.synth.takes import TakeAudio, provide, take_id
from juglant.core.tune.retune import tuned
from juglant.services.takes import takes_of

RATE = 48000
KNOWN: dict[str, TakeAudio] = {}
STEADY = (0.0, 1.0, 2.0, 3.0)
BROKEN = (0.0, 0.75, 2.0, 2.5, 3.25)


@pytest.fixture(autouse=True, scope="module")
def _known() -> None:
    provide(KNOWN.get)


def loop_of(
    hit: Hit, places: tuple[float, ...], bpm: float, rate: int = RATE, *, noise_db: float | None = None
) -> np.ndarray:
    """One bar of a hit at places in beats, each cutting the last; with hats on half beats where noise is asked for."""
    out = np.zeros(round(4 * 60 / bpm * rate))
    sound = cached_mono(hit, 127, 0, rate, 0.0).audio
    ends = [*places[1:], 4.0]
    for at, end in zip(places, ends, strict=True):
        first, last = round(at * 60 / bpm * rate), min(out.size, round(end * 60 / bpm * rate))
        out[first : min(last, first + sound.size)] += 0.5 * sound[: last - first]
    if noise_db is not None:
        rng = np.random.default_rng(3)
        for at in np.arange(0.5, 4, 0.5):
            first = round(at * 60 / bpm * rate)
            hat = np.diff(rng.standard_normal(2401)) * np.exp(-np.arange(2400) / 400)
            hat *= 10 ** (noise_db / 20)
            out[first : first + 2400] += hat[: out.size - first]
    return out


def known(audio: np.ndarray, rate: int = RATE) -> str:
    take = take_id(np.atleast_2d(audio), rate)
    KNOWN[take] = TakeAudio(np.atleast_2d(audio), rate)
    return take


@pytest.mark.parametrize("start", KICKS, ids=lambda start: start.name)
@pytest.mark.parametrize("places", [STEADY, BROKEN], ids=["steady", "broken"])
@pytest.mark.parametrize("noise_db", [None, -20.0], ids=["alone", "with hats"])
def test_strokes_are_found_where_they_were_put(start: object, places: tuple[float, ...], noise_db: float | None) -> None:
    bpm = 126.0
    loop = loop_of(start.hit, places, bpm, noise_db=noise_db)  # type: ignore[attr-defined]
    found = find_strokes(loop, sample_rate=RATE)
    assert len(found) == len(places)
    assert [one.at_s for one in found] == pytest.approx([at * 60 / bpm for at in places], abs=0.0015)
    assert all(-3 < one.level_db <= 0 for one in found)


@pytest.mark.parametrize(
    "audio",
    [np.zeros(RATE), 0.5 * np.sin(2 * np.pi * 3000 * np.arange(RATE) / RATE), np.ones(10), np.zeros(1)],
    ids=["silence", "a high tone", "a step", "one sample"],
)
def test_what_has_no_kick_has_none(audio: np.ndarray) -> None:
    assert len(find_strokes(audio, sample_rate=RATE)) <= 1


@pytest.mark.parametrize("rate", [44100, 48000])
def test_a_loop_is_the_kick_with_its_strokes_on_the_grid(untouched: Track, rate: int) -> None:
    loop = loop_of(untouched.kick, BROKEN, untouched.sheet.bpm, rate)
    track = with_kick_loop(untouched, known(loop, rate), 0.0, None)
    assert track.kick_loop.fit_bars == 0
    bars = track.sheet.bars
    assert track.kicks() == pytest.approx([4 * bar + at for bar in range(bars) for at in BROKEN], abs=0.01)
    stem = render_stem(track, StemRef("kick", "before")) / 10 ** (track.kick_part.gain_db / 20)
    if rate == RATE:
        # Recorded sounds are kept as 32-bit floats, 140 dB under full scale exact.
        assert same_sound(stem[: loop.size - 300], loop[: stem.size][: loop.size - 300], within=1e-7)
    frames = round(4 * 60 / track.sheet.bpm * RATE)
    assert same_sound(stem[frames + 1000 : 2 * frames - 1000], stem[1000 : frames - 1000], within=1e-3)
    # The stroke that is cut out lands where the kick of the loop does.
    landing = analyse(track).kick.landing.landing_hz  # type: ignore[union-attr]
    own = analyse(untouched).kick.landing.landing_hz  # type: ignore[union-attr]
    assert landing is not None
    assert 1200 * np.log2(landing / own) == pytest.approx(0, abs=10)
    assert takes_of(track) == [known(loop, rate)]


@pytest.mark.parametrize("bpm", [112.0, 133.0])
def test_a_loop_of_another_tempo_is_fitted_stroke_by_stroke(untouched: Track, bpm: float) -> None:
    loop = loop_of(untouched.kick, STEADY, bpm)
    track = with_kick_loop(untouched, known(loop), 0.0, None)
    assert track.kick_loop.fit_bars == 1
    assert track.kicks() == pytest.approx(list(range(4 * track.sheet.bars)), abs=0.01)
    stem = render_stem(track, StemRef("kick", "before")) / 10 ** (track.kick_part.gain_db / 20)
    beat = 60 / track.sheet.bpm * RATE
    for index in range(8):
        start = round(index * beat)
        apart = [np.sum((stem[start + k + 8 : start + k + 4000] - loop[8:4000]) ** 2) for k in range(-8, 9)]
        assert abs(int(np.argmin(apart)) - 8) <= 2, index
        assert min(apart) < 1e-3 * np.sum(loop[8:4000] ** 2), index


def test_its_attack_is_whole_and_its_pitch_as_recorded_when_it_is_fitted(untouched: Track) -> None:
    track = with_kick_loop(untouched, known(loop_of(untouched.kick, STEADY, 118.0)), 0.0, None)
    (plain, fitted) = (heard_kick(one).audio[:2000] for one in (untouched, track))
    scale = np.dot(plain, fitted) / np.dot(plain, plain)
    assert np.sum((fitted - scale * plain) ** 2) < 1e-3 * np.sum(fitted**2)


def test_a_loop_is_carved_and_keys_the_duck_like_any_kick(untouched: Track) -> None:
    track = with_kick_loop(untouched, known(loop_of(untouched.kick, STEADY, untouched.sheet.bpm)), 0.0, None)
    made = planned(track).track
    found = analyse(made)
    assert found.clearance.short_db is not None
    assert found.clearance.short_db < 0.25
    stems = render_stems(made)
    parts = {"kick": stems.kick, "kick-before": stems.kick_before, "bass": stems.bass, "bass-before": stems.bass_before}
    assert clearance_db(parts, "kick", RATE, found.clearance.strokes_s) == pytest.approx(found.clearance.after_db, abs=0.1)


def test_off_its_stroke_is_played_and_may_be_retuned(untouched: Track) -> None:
    track = with_kick_loop(untouched, known(loop_of(untouched.kick, STEADY, untouched.sheet.bpm)), 0.0, None)
    with pytest.raises(InvalidTrack, match="play its stroke on the grid"):
        tuned(track, "kick", 49.0)
    played = track.having(kick_loop=track.kick_loop.model_copy(update={"on": False}))
    loop, strokes = (render_stem(one, StemRef("kick", "before")) for one in (track, played))
    assert np.dot(loop, strokes) > 0.98 * np.sqrt(np.dot(loop, loop) * np.dot(strokes, strokes))
    landing = analyse(tuned(played, "kick", 51.91)).kick.landing.landing_hz  # type: ignore[union-attr]
    assert 1200 * np.log2(landing / 51.91) == pytest.approx(0, abs=5)
    # A fix that changes the kick is heard: its stroke is played from then on.
    (out,) = [one for one in find_all(analyse(track)) if one.id == "landing-out-of-key"]
    fixed = applied(out.fixes[0], track)
    assert not fixed.kick_loop.plays
    assert "landing-out-of-key" not in {one.id for one in find_all(analyse(fixed))}
    # Another kick in its place is heard.
    assert not swapped(track, Swap(kick=untouched.kick)).kick_loop.plays


@pytest.mark.parametrize(
    ("loop", "begin_ms", "says"),
    [(None, 0.0, "no sound"), ("tone", 0.0, "no kick"), ("kick", 29000.0, "no sound")],
)
def test_what_cannot_be_a_kick_loop_is_refused(untouched: Track, loop: str | None, begin_ms: float, says: str) -> None:
    sounds = {
        None: "f" * 24,
        "tone": known(0.3 * np.sin(2 * np.pi * 3000 * np.arange(RATE) / RATE)),
        "kick": known(loop_of(untouched.kick, STEADY, 126.0)),
    }
    with pytest.raises(InvalidTrack, match=says):
        with_kick_loop(untouched, sounds[loop], begin_ms, None)


def test_softer_strokes_of_a_loop_are_softer_on_the_grid(untouched: Track) -> None:
    loop = loop_of(untouched.kick, STEADY, untouched.sheet.bpm)
    loop[loop.size // 4 : loop.size // 2] *= 10 ** (-12 / 20)
    strokes = with_kick_loop(untouched, known(loop), 0.0, None).kick_part.strokes
    full = Stroke(at_beats=0, velocity=127)
    assert strokes[0].velocity == full.velocity
    assert strokes[1].velocity == pytest.approx(127 - 126 * 12 / untouched.kick.velocity.range_db, abs=3)

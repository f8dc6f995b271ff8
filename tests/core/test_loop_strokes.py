"""What of a recorded loop is a kick: snares, claps and a bass are not; each place says how sure it is, and is put right."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

import numpy as np
import pytest

from juglant.core.errors import InvalidTrack
from juglant.core.hit.start_kicks import KICKS
from juglant.core.hit.starts import STARTS
from juglant.core.hit.strokes import cached_mono
from juglant.core.loop.kick_loop import read_loop, with_kick_loop, with_loop_stroke
from juglant.core.measure.strokes import FoundStroke, find_strokes, read_strokes
from juglant.core.model.hit import Hit
from juglant.core.model.track import Track
from juglant.core.synth.bass import Bass, render_note
from juglant.core.synth.takes import TakeAudio, provide, take_id

RATE, BPM, BARS = 48000, 126.0, 2
SIXTEENTH_S = 60 / BPM / 4
# Sixteenths of two bars. The snares fall between the kicks.
SIX, FOUR = (0, 6, 10, 16, 22, 26), tuple(range(0, 32, 4))
SNARES = (4, 12, 20, 28)
BACKS = {one.name: one.hit for one in STARTS if one.role in ("snare", "clap")}
# Bass lines: sixteenths, fundamentals in Hz, lengths in sixteenths.
LINES: dict[str, tuple[tuple[int, float, int], ...]] = {
    "broken": tuple((at, 55 * 2 ** ((0, 0, 3, 5)[i % 4] / 12), 2) for i, at in enumerate((3, 8, 11, 14, 19, 24, 27, 30))),
    "off the beat": tuple((at, 48.0, 2) for at in range(2, 32, 4)),
    "rolling": tuple((at, 52.0, 1) for at in range(32) if at % 4),
}
SOURCES = {"sub": Bass(blip_db=-60), "saw": Bass(source="saw", blip_db=-60), "with a blip": Bass(source="saw")}
KNOWN: dict[str, TakeAudio] = {}


@pytest.fixture(autouse=True)
def _known() -> None:
    provide(KNOWN.get)


@lru_cache
def sound(name: str) -> np.ndarray:
    hits: dict[str, Hit] = {one.name: one.hit for one in KICKS} | BACKS
    return np.asarray(cached_mono(hits[name], 127, 0, RATE, 0.0).audio)


@lru_cache
def note(source: str, hz: float, sixteenths: int) -> np.ndarray:
    return render_note(SOURCES[source], hz, frames=round(sixteenths * SIXTEENTH_S * RATE), sample_rate=RATE)


def loop_of(
    kick: str,
    kicks: tuple[int, ...],
    back: str | None = None,
    line: str | None = None,
    source: str = "saw",
    bass_db: float = -6,
) -> np.ndarray:
    """Two bars: kicks that cut each other, a snare or clap on two and four, hats off the beat, a bass line."""
    out = np.zeros(round(BARS * 16 * SIXTEENTH_S * RATE))
    hat = np.diff(np.random.default_rng(5).standard_normal(2401)) * np.exp(-np.arange(2400) / 400)

    def put(audio: np.ndarray, at: int, gain: float, end: int = 16 * BARS) -> None:
        first = round(at * SIXTEENTH_S * RATE)
        frames = min(audio.size, out.size - first, round((end - at) * SIXTEENTH_S * RATE))
        out[first : first + frames] += gain * audio[:frames]

    for at, end in zip(kicks, (*kicks[1:], 16 * BARS), strict=True):
        put(sound(kick), at, 0.6, end)
    for at in SNARES if back else ():
        put(sound(back or ""), at, 0.5)
    for at in range(2, 32, 4):
        put(hat, at, 0.05)
    for at, hz, long in LINES[line] if line else ():
        put(note(source, hz, long), at, 0.6 * 10 ** (bass_db / 20))
    return out


@dataclass
class Read:
    """How many kicks there are, were missed, were read that are none, and how many loops were read without a mistake."""

    kicks: int = 0
    missed: int = 0
    false: int = 0
    whole: int = 0
    loops: int = 0

    def add(self, loop: np.ndarray, kicks: tuple[int, ...]) -> list[tuple[float, bool]]:
        """Read a loop; each place's confidence with whether it is a kick."""
        truth = np.array(kicks) * SIXTEENTH_S
        found = read_strokes(loop, sample_rate=RATE)
        are = [bool(np.min(np.abs(truth - one.at_s)) < 0.012) for one in found]
        false = sum(one.sure and not kick for one, kick in zip(found, are, strict=True))
        missed = truth.size - sum(one.sure and kick for one, kick in zip(found, are, strict=True))
        self.kicks, self.missed, self.false = self.kicks + truth.size, self.missed + missed, self.false + false
        self.loops, self.whole = self.loops + 1, self.whole + (false == missed == 0)
        return [(one.confidence, kick) for one, kick in zip(found, are, strict=True)]


@pytest.mark.parametrize("kick", [one.name for one in KICKS])
def test_snares_and_claps_are_no_kicks(kick: str) -> None:
    read = Read()
    for back in (None, *BACKS):
        for kicks in (SIX, FOUR):
            read.add(loop_of(kick, kicks, back), kicks)
    assert read.missed == 0
    # One loop of a kick may fall: a long kick's tail under a low snare.
    assert read.false <= 2
    assert read.whole >= read.loops - 1


def test_a_bass_line_is_not_read_as_kicks_and_confidence_means_what_it_says() -> None:
    read, said = Read(), list[tuple[float, bool]]()
    for kick in KICKS:
        for line in LINES:
            kicks = SIX if line == "broken" else FOUR
            for source in SOURCES:
                for bass_db in (-9, -4):
                    said += read.add(loop_of(kick.name, kicks, "Gangway", line, source, bass_db), kicks)
    assert read.missed <= 0.03 * read.kicks
    assert read.false <= 0.08 * read.kicks
    assert read.whole >= 0.85 * read.loops
    chance, kick = np.array(said).T
    assert np.mean(kick[chance >= 0.9]) >= 0.93
    assert np.mean(kick[chance < 0.1]) <= 0.03
    assert np.mean(kick[chance >= 0.9]) > np.mean(kick[(chance >= 0.5) & (chance < 0.9)])


@pytest.mark.parametrize(
    "audio",
    [np.zeros(RATE), np.zeros(1), np.ones(10), 0.5 * np.sin(2 * np.pi * 3000 * np.arange(RATE) / RATE)],
    ids=["silence", "one sample", "a step", "a high tone"],
)
def test_what_holds_no_kick_is_read_as_none(audio: np.ndarray) -> None:
    assert find_strokes(audio, sample_rate=RATE) == []


def loaded(track: Track, audio: np.ndarray) -> Track:
    take = take_id(np.atleast_2d(audio), RATE)
    KNOWN[take] = TakeAudio(np.atleast_2d(audio), RATE)
    return with_kick_loop(track, take, 0.0, None)


def test_places_are_shown_with_their_beats_and_a_press_puts_them_right(untouched: Track) -> None:
    track = loaded(untouched, loop_of("Quay", SIX, "Shutter", "off the beat", bass_db=-5))
    read = read_loop(track)
    assert read is not None
    assert read.length_beats == pytest.approx(8, abs=0.01)
    on = [one for one in read.strokes if one.on]
    assert [one.at_beats for one in on] == pytest.approx([at / 4 for at in SIX], abs=0.03)
    others = [one for one in read.strokes if not one.on]
    assert others
    assert max(one.confidence for one in others) < 0.5 <= min(one.confidence for one in on)
    # One more, in both turns of the four bars, where it was read; then away again.
    chosen = others[0]
    more = with_loop_stroke(track, chosen.at_s, True)
    added = sorted(set(more.kick_at_beats) - set(track.kick_at_beats))
    assert len(added) == 2
    assert added[1] - added[0] == pytest.approx(8, abs=0.01)
    again = read_loop(more)
    assert again is not None
    assert next(one for one in again.strokes if one.at_s == chosen.at_s).on
    assert with_loop_stroke(more, chosen.at_s, False).kick_at_beats == track.kick_at_beats
    # And one of the kicks away.
    fewer = with_loop_stroke(track, on[1].at_s, False)
    assert len(fewer.kick_at_beats) == len(track.kick_at_beats) - 2
    assert with_loop_stroke(fewer, on[1].at_s, True).kick_at_beats == track.kick_at_beats


def test_where_nothing_was_read_there_is_nothing_to_put_right(untouched: Track) -> None:
    track = loaded(untouched, loop_of("Quay", FOUR))
    with pytest.raises(InvalidTrack, match=r"nothing that could be a kick begins 0\.200 s"):
        with_loop_stroke(track, 0.2, True)
    with pytest.raises(InvalidTrack, match="nothing that could be a kick"):
        with_loop_stroke(untouched, 0.0, True)
    assert read_loop(untouched) is None


def test_the_hit_is_cut_where_it_stands_alone(untouched: Track) -> None:
    """A bass under every kick but the last, which is the one that is cut out."""
    loop = loop_of("Quay", FOUR)
    for at in range(0, 28, 4):
        first = round((at + 1) * SIXTEENTH_S * RATE)
        long = note("sub", 41.0, 3)
        loop[first : first + long.size] += 0.4 * long
    track = loaded(untouched, loop)
    source = track.kick.layers[0].source
    assert source.begin_ms == pytest.approx(28 * SIXTEENTH_S * 1000, abs=3)  # type: ignore[union-attr]


def test_what_is_found_says_how_loud_and_how_sure(untouched: Track) -> None:
    found = find_strokes(loop_of("Quay", FOUR), sample_rate=RATE)
    assert [type(one) for one in found] == [FoundStroke] * len(FOUR)
    assert all(one.sure and 0.5 <= one.confidence <= 1 and -3 < one.level_db <= 0 for one in found)

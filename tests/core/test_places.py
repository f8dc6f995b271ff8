"""Where sounds go on a loop: placed with its wrap, cut by what starts, laid bar by bar, let down under the kick.

Expected values are counted by hand or by a plain loop over samples, never by the code under test.
"""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from support import same_sound, sheet_with, tone

from juglant.core.hit.strokes import stroke_tempo
from juglant.core.loop.choke import choking_parts, cutters
from juglant.core.loop.kit import kit_description, kit_stem, room_before, under_the_kick
from juglant.core.loop.place import CUT_FADE_MS, cut, gaps, place
from juglant.core.loop.recorded_line import laid, recorded_line, recorded_sides, repeats_every
from juglant.core.loop.render import render_stem
from juglant.core.model.part import KickCut, Part
from juglant.core.model.sheet import Sheet
from juglant.core.model.stem import BASS, KICK, StemRef
from juglant.core.model.strokes import BassNote, Stroke
from juglant.core.model.track import Track
from juglant.core.model.version_one import Mix
from juglant.core.synth.bass import Bass
from juglant.core.synth.takes import TakeAudio, provide, take_id

RATE = 48000
# 120 BPM: a beat is 24,000 frames, a bar 96,000.
BEAT, BAR = 24000, 96000


@settings(max_examples=80, deadline=None)
@given(size=st.integers(1, 40), length=st.integers(0, 130), start=st.integers(-90, 90), sides=st.sampled_from([1, 2]))
def test_a_sound_is_placed_sample_by_sample_around_the_loop(size: int, length: int, start: int, sides: int) -> None:
    audio = np.arange(1.0, length + 1)
    wanted = np.zeros(size)
    for index, sample in enumerate(audio):
        wanted[(start + index) % size] += sample
    loop = np.zeros((2, size)) if sides == 2 else np.zeros(size)
    place(loop, audio, start)
    assert np.array_equal(loop, np.stack([wanted, wanted]) if sides == 2 else wanted)


@pytest.mark.parametrize("frames", [-5, 0, 1, 100, 999, 1000, 5000])
@pytest.mark.parametrize("sides", [1, 2])
def test_a_sound_that_is_cut_ends_in_silence_and_is_itself_until_the_fade(frames: int, sides: int) -> None:
    audio = np.ones((2, 1000)) if sides == 2 else np.ones(1000)
    out = cut(audio, frames, sample_rate=RATE)
    assert out.shape == (*audio.shape[:-1], min(1000, max(0, frames)))
    if frames >= 1000:
        assert np.array_equal(out, audio)
        return
    fade = round(CUT_FADE_MS * RATE / 1000)
    assert np.all(out[..., : max(0, frames - fade)] == 1)
    if frames > 1:
        assert np.max(np.abs(out[..., -1])) < 1e-3


@pytest.mark.parametrize(
    ("starts", "total", "wanted"),
    [([], 100, []), ([30], 100, [100]), ([0, 40, 90], 100, [40, 50, 10]), ([0, 0], 9, [0, 9])],
)
def test_the_room_from_start_to_start_goes_around_the_loop(starts: list[int], total: int, wanted: list[int]) -> None:
    assert gaps(starts, total) == wanted


@pytest.mark.parametrize(
    ("start", "ends", "wanted"),
    [(0, [40, 90], 40), (40, [40, 90], 50), (90, [40, 90], 50), (95, [40, 90], 45), (3, [3], 100)],
)
def test_the_room_to_what_cuts_a_sound(start: int, ends: list[int], wanted: int) -> None:
    assert room_before(start, ends, 100) == wanted


def hit(part_id: str, *at_beats: float, choke: int = 0, muted: bool = False, hz: float = 100) -> Part:
    strokes = tuple(Stroke(at_beats=at, velocity=127) for at in at_beats)
    return Part(id=part_id, name=part_id, role="tom", hit=tone(hz), strokes=strokes, choke=choke, muted=muted, gain_db=0)


GROUPED = Track(
    sheet=Sheet(bpm=120, bars=1),
    kick=tone(50),
    kick_at_beats=(0.0, 2.0),
    kit=(
        hit("one", 0.5, choke=1),
        hit("two", 1.0, 3.0, choke=1),
        hit("free", 0.25),
        hit("mute", 0.75, choke=1, muted=True),
    ),
    bass_notes=(BassNote(at_beats=1.5, length_beats=2, note=33),),
    mix=Mix(kick_choke=1, bass_choke=1),
)


@pytest.mark.parametrize(
    ("part", "beats"),
    [
        ("one", [0, 1, 1.5, 2, 3]),
        ("two", [0, 0.5, 1.5, 2]),
        ("kick", [0.5, 1, 1.5, 3]),
        ("bass", [0, 0.5, 1, 2, 3]),
        ("free", []),
    ],
)
def test_a_part_is_cut_where_anything_else_of_its_group_starts(part: str, beats: list[float]) -> None:
    assert GROUPED.part(part).choke == (0 if part == "free" else 1)
    assert cutters(GROUPED, part) == [round(at * BEAT) for at in beats]


@pytest.mark.parametrize("part", ["one", "two", "kick", "bass"])
def test_what_cuts_a_part_holds_when_others_start_and_nothing_of_how_they_sound(part: str) -> None:
    louder = GROUPED.having(
        kit=tuple(one.model_copy(update={"hit": tone(70), "gain_db": 3.0}) for one in GROUPED.kit),
        bass=Bass(source="saw"),
        kick=tone(61),
    )
    assert choking_parts(louder, part) == choking_parts(GROUPED, part)
    later = GROUPED.having(kick_at_beats=(0.0, 2.5), bass_notes=())
    assert choking_parts(later, part) != choking_parts(GROUPED, part)
    assert choking_parts(GROUPED, "free") == []


def test_a_hits_stem_is_silent_after_it_is_cut() -> None:
    stem = render_stem(GROUPED, StemRef("two"))
    # Struck on 1, cut by the bass on 1.5; struck on 3, cut by the kick on 4 that is 0.
    for first, last, heard in ((1.0, 1.5, True), (1.5, 3.0, False), (3.0, 4.0, True), (0.0, 1.0, False)):
        inside = stem[round(first * BEAT) + 300 : round(last * BEAT) - 1]
        assert (np.max(np.abs(inside)) > 1e-6) == heard


def test_a_stem_stands_alone_from_its_description_and_a_tempo_counts_only_where_it_is_heard() -> None:
    description = kit_description(GROUPED, "two")
    assert np.array_equal(kit_stem(description, description.kit[0]), kit_stem(GROUPED, GROUPED.hit_of("two")))
    assert stroke_tempo(GROUPED.hit_of("two").hit, 133) == 0
    fast = GROUPED.model_copy(update={"sheet": Sheet(bpm=121, bars=1)})
    assert kit_description(fast, "two") != description


def test_under_the_kick_the_lows_are_gone_and_elsewhere_nothing_is_changed() -> None:
    track = GROUPED.having(kick_at_beats=(1.0,))
    low = np.sin(2 * np.pi * 40 * np.arange(BAR) / RATE)
    settings_ = KickCut(on=True, corner_hz=150, ahead_ms=20, hold_ms=200)
    out = under_the_kick(track, settings_, low)
    rms = lambda a, b: float(np.sqrt(np.mean(out[a:b] ** 2)))  # noqa: E731
    # 24 dB an octave, nearly two octaves under the corner: 40 dB and more away.
    assert rms(BEAT + 2400, BEAT + 8400) < 0.01 * rms(0, BEAT // 2)
    away = np.r_[0 : BEAT - 3000, BEAT + 13000 : BAR]
    assert same_sound(out[away], low[away], within=1e-6)
    both = under_the_kick(track, settings_, np.stack([low, 0.5 * low]))
    assert same_sound(both[1], 0.5 * both[0], within=1e-12)


@pytest.mark.parametrize(
    ("seconds", "bars", "turns"),
    [(2.0, 4, 4), (4.0, 4, 2), (4.05, 4, 2), (5.0, 4, 1), (8.0, 4, 1), (60.0, 4, 1), (2.0, 16, 16)],
)
def test_a_recording_of_whole_bars_is_laid_again_and_each_turn_ends_where_the_next_begins(
    seconds: float, bars: int, turns: int
) -> None:
    sheet = Sheet(bpm=120, bars=bars)
    audio = np.ones(round(seconds * RATE))
    assert sheet.bars // repeats_every(audio.size, sheet) == turns
    out = laid(audio, sheet)
    assert out.size == bars * BAR
    # Never two at once.
    assert np.max(out) == 1
    filled = turns * min(seconds, 2 * bars / turns) / (2 * bars)
    assert np.mean(out > 0.5) == pytest.approx(filled, abs=0.03)


def test_a_recorded_line_is_the_middle_of_its_file_at_its_notes_levels() -> None:
    time = np.arange(BAR) / RATE
    left, right = 0.5 * np.sin(2 * np.pi * 55 * time), 0.25 * np.sin(2 * np.pi * 55 * time)
    audio = np.stack([left, right]).astype(np.float32).astype(float)
    take = take_id(audio, RATE)
    provide(lambda asked: TakeAudio(audio, RATE) if asked == take else None)
    notes = (BassNote(at_beats=0, length_beats=1, note=33), BassNote(at_beats=2, length_beats=1, note=33, gain_db=-12))
    track = Track(
        sheet=Sheet(bpm=120, bars=1), bass=Bass(source="recorded line", take=take, width_pct=100, mono_below_hz=60),
        bass_notes=notes, mix=Mix(bass_gain_db=0),
    )  # fmt: skip
    line = recorded_line(track)
    middle = (left + right) / 2
    assert line[2400 : BEAT - 2400] == pytest.approx(middle[2400 : BEAT - 2400], abs=1e-4)
    quiet = slice(2 * BEAT + 2400, 3 * BEAT - 2400)
    assert line[quiet] == pytest.approx(middle[quiet] * 10 ** (-12 / 20), abs=1e-4)
    # Half of what the sides differ by, above the mono corner: at 55 Hz under 60 nearly nothing.
    side = recorded_sides(track)
    assert np.sqrt(np.mean(side**2)) < 0.75 * np.sqrt(np.mean(((left - right) / 2) ** 2))
    assert not np.any(recorded_line(track.having(bass=Bass(source="recorded line", take="f" * 24))))


@pytest.mark.parametrize("bars", [8, 16])
def test_long_loops_are_whole_and_their_pictures_have_no_holes(bars: int, solved: Track) -> None:
    """A running mean of what is never negative came out a hair under zero at these lengths."""
    from juglant.core.analysis.analyse import analyse
    from juglant.core.pictures.strip import draw_strip

    # Four bars of notes and a long silence after them.
    track = sheet_with(solved, bars=bars)
    with np.errstate(invalid="raise"):
        strip = draw_strip(analyse(track))
    assert strip.length_beats == 4 * bars
    assert {ribbon.part for ribbon in strip.ribbons} == {"kick", "bass"}
    assert all(np.isfinite(ribbon.level_db).all() for ribbon in strip.ribbons)
    frames = round(4 * bars * 60 / 126 * RATE)
    assert render_stem(track, KICK).size == render_stem(track, BASS).size == frames

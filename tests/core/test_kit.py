"""The kit in the loop: strokes where they stand, as hard as they are struck, cut by what cuts them; strokes themselves."""

from __future__ import annotations

import numpy as np
import pytest

from juglant.core.errors import NoSuchPart
from juglant.core.hit.render import render_hit
from juglant.core.hit.strokes import render_stroke
from juglant.core.loop.render import render_stem, render_stems, stem_description
from juglant.core.measure.level import db
from juglant.core.model.hit import Hit, Layer
from juglant.core.model.part import Part
from juglant.core.model.sheet import Sheet
from juglant.core.model.stem import StemRef
from juglant.core.model.strokes import BassNote, Stroke
from juglant.core.model.track import Track
from juglant.core.model.velocity import Velocity, VelocityMap
from juglant.core.synth.clap import Clap
from juglant.core.synth.metal import Metal
from juglant.core.synth.skins import Skins

RATE, BPM = 48000, 126.0
BEAT = 60 / BPM * RATE


def hit_of(source: object, **velocity: object) -> Hit:
    return Hit(layers=(Layer(id="one", name="One", source=source),), velocity=Velocity(**velocity))  # type: ignore[arg-type]


def track_of(*kit: Part, swing_pct: float = 50, bars: int = 1) -> Track:
    return Track(sheet=Sheet(bpm=BPM, bars=bars, swing_pct=swing_pct), kit=kit)


def onsets(stem: np.ndarray) -> list[int]:
    loud = np.flatnonzero(np.abs(stem) > 0)
    breaks = np.flatnonzero(np.diff(loud) > 200)
    return [int(loud[0]), *(int(loud[k + 1]) for k in breaks)] if loud.size else []


CLAP = Clap(room_db=-60, tail_ms=20)


@pytest.mark.parametrize("swing_pct", [50.0, 58.0, 66.7, 75.0])
def test_swing_and_timing_move_strokes_by_what_they_say(swing_pct: float) -> None:
    strokes = (
        Stroke(at_beats=0.5, velocity=127),
        Stroke(at_beats=1.25, velocity=127),
        Stroke(at_beats=2, velocity=127, shift_ms=-12),
    )
    clap = Part(id="clap", name="Clap", role="clap", hit=hit_of(CLAP), strokes=strokes)
    stem = render_stem(track_of(clap, swing_pct=swing_pct), StemRef("clap"))
    # The second sixteenth of a pair falls at the swing's share of the eighth; eighths stay.
    wanted = [0.5 * BEAT, (1 + 0.5 * swing_pct / 100) * BEAT, 2 * BEAT - 0.012 * RATE]
    assert onsets(stem) == pytest.approx(wanted, abs=3)


def test_swing_moves_kick_and_bass_alike_and_straight_moves_nothing() -> None:
    track = Track(
        sheet=Sheet(bpm=BPM, bars=1, swing_pct=60),
        kick_at_beats=(0.0, 0.75),
        bass_notes=(BassNote(at_beats=0.75, length_beats=0.5, note=34),),
    )
    assert track.kicks() == pytest.approx([0, 0.8])
    assert track.notes()[0].at_beats == pytest.approx(0.8)
    assert track.notes()[0].at_beats + track.notes()[0].length_beats == pytest.approx(1.3)
    straight = track.model_copy(update={"sheet": Sheet(bpm=BPM, bars=1)})
    assert straight.kicks() == [0, 0.75]


def test_a_stroke_early_on_the_first_beat_sounds_at_the_end_of_the_loop() -> None:
    clap = Part(id="c", name="C", role="clap", hit=hit_of(CLAP), strokes=(Stroke(at_beats=0, velocity=127, shift_ms=-20),))
    stem = render_stem(track_of(clap), StemRef("c"))
    assert onsets(stem)[-1] == pytest.approx(stem.size - 0.02 * RATE, abs=3)


def test_closed_chokes_open_and_a_stroke_cuts_the_last_unless_it_rings() -> None:
    opened = Part(
        id="open",
        name="O",
        role="open hat",
        hit=hit_of(Metal(open=0.8)),
        strokes=(Stroke(at_beats=0, velocity=127),),
        choke=1,
    )
    closed = Part(
        id="shut", name="S", role="hat", hit=hit_of(Metal(open=0)), strokes=(Stroke(at_beats=0.5, velocity=127),), choke=1
    )
    free = opened.model_copy(update={"choke": 0})
    until = round(0.5 * BEAT)
    choked = render_stem(track_of(opened, closed), StemRef("open"))
    assert np.max(np.abs(choked[until + 1 :])) == 0
    assert np.max(np.abs(choked[until - 960 : until - 480])) > 0
    assert np.max(np.abs(render_stem(track_of(free, closed), StemRef("open"))[until + 480 :])) > 0
    twice = opened.model_copy(
        update={"strokes": (Stroke(at_beats=0, velocity=127), Stroke(at_beats=0.5, velocity=1)), "choke": 0}
    )
    cut = render_stem(track_of(twice), StemRef("open"))
    ringing = twice.model_copy(update={"hit": twice.hit.model_copy(update={"velocity": Velocity(rings=True)})})
    after = slice(until + 480, until + 4800)
    assert np.sum(render_stem(track_of(ringing), StemRef("open"))[after] ** 2) > 20 * np.sum(cut[after] ** 2)


@pytest.mark.parametrize("range_db", [0.0, 24.0, 60.0])
def test_velocity_is_even_in_db(range_db: float) -> None:
    hit = hit_of(CLAP, range_db=range_db, darker_octaves=0, softer_ms=0)
    peaks = [db(float(np.max(np.abs(render_stroke(hit, velocity=v, sample_rate=RATE).audio)))) for v in (127, 64, 1)]
    assert peaks[0] - peaks[1] == pytest.approx(range_db * 63 / 126, abs=0.01)
    assert peaks[0] - peaks[2] == pytest.approx(range_db, abs=0.01)


def test_softer_is_darker_and_slower_and_hardest_is_the_hit_itself() -> None:
    hit = hit_of(Clap(centre_hz=4000), darker_octaves=4, softer_ms=10)

    def brightness(velocity: int) -> float:
        audio = render_stroke(hit, velocity=velocity, sample_rate=RATE).audio
        power, hz = np.abs(np.fft.rfft(audio)) ** 2, np.fft.rfftfreq(audio.size, 1 / RATE)
        return float((power * hz).sum() / power.sum())

    centres = [brightness(v) for v in (127, 90, 40, 1)]
    assert centres == sorted(centres, reverse=True)
    assert centres[0] > 1.3 * centres[-1]
    assert np.array_equal(render_stroke(hit, velocity=127, sample_rate=RATE).audio, render_hit(hit, sample_rate=RATE).audio)
    with pytest.raises(ValueError, match="velocity must be 1 to 127, got 0"):
        render_stroke(hit, velocity=0, sample_rate=RATE)


def test_a_map_moves_its_parameter_from_the_soft_value_to_the_set_one() -> None:
    maps = (
        VelocityMap(layer_id="one", parameter="strength", soft=0.1),
        VelocityMap(layer_id="gone", parameter="x", soft=1),
    )
    mapped = hit_of(Skins(strength=0.9), range_db=0, darker_octaves=0, softer_ms=0, maps=maps)
    plain = hit_of(Skins(strength=0.1), range_db=0, darker_octaves=0, softer_ms=0)
    softest = render_stroke(mapped, velocity=1, sample_rate=RATE).audio
    wanted = render_stroke(plain, velocity=127, sample_rate=RATE).audio
    count = min(softest.size, wanted.size) - 500
    assert np.allclose(softest[:count], wanted[:count], atol=1e-6)


def test_round_robins_differ_repeat_and_stay_near() -> None:
    hit = hit_of(CLAP, robins=3, robin_db=2, robin_cents=20)
    takes = [render_stroke(hit, velocity=127, robin=k, sample_rate=RATE).audio for k in range(4)]
    assert np.array_equal(takes[0], takes[3])
    assert np.array_equal(takes[0], render_hit(hit, sample_rate=RATE).audio)
    for a, b in ((0, 1), (1, 2), (0, 2)):
        count = min(takes[a].size, takes[b].size)
        assert abs(np.corrcoef(takes[a][:count], takes[b][:count])[0, 1]) < 0.5
    strokes = tuple(Stroke(at_beats=at, velocity=127) for at in (0, 1, 2, 3))
    stem = render_stem(track_of(Part(id="c", name="C", role="clap", hit=hit, strokes=strokes, gain_db=0)), StemRef("c"))
    for index, take in enumerate((*takes[:3], takes[0])):
        start = round(index * BEAT)
        count = min(3000, take.size)
        assert np.allclose(stem[start : start + count], take[:count], atol=1e-9)


def test_the_loop_is_the_sum_of_every_stem_in_as_many_channels_as_it_needs(solved: Track) -> None:
    wide = Hit(layers=(Layer(id="a", name="A", source=CLAP, pan_pct=-60),))
    clap = Part(id="clap", name="C", role="clap", hit=wide, strokes=(Stroke(at_beats=1),))
    hat = Part(id="hat", name="H", role="hat", hit=hit_of(Metal()), strokes=(Stroke(at_beats=0.5),))
    mono = render_stems(solved.having(kit=(hat,)))
    assert mono.loop.ndim == 1
    stems = render_stems(solved.having(kit=(clap, hat)))
    low = np.stack((stems.kick + stems.bass,) * 2)
    clap_stem, hat_stem = (render_stem(solved.having(kit=(clap, hat)), StemRef(i)) for i in ("clap", "hat"))
    assert np.allclose(stems.loop, low + clap_stem + hat_stem)
    assert stems.loop.shape == (2, stems.kick.size)


def test_a_hits_stem_follows_from_its_own_description() -> None:
    clap = Part(id="clap", name="C", role="clap", hit=hit_of(CLAP), strokes=(Stroke(at_beats=1),))
    hat = Part(id="hat", name="H", role="hat", hit=hit_of(Metal()), strokes=(Stroke(at_beats=0.5),))
    track = track_of(clap, hat)
    other = track_of(clap, hat.model_copy(update={"hit": hit_of(Metal(open=0.5))}))
    assert stem_description(track, StemRef("clap")) == stem_description(other, StemRef("clap"))
    assert stem_description(track, StemRef("hat")) != stem_description(other, StemRef("hat"))
    with pytest.raises(NoSuchPart, match="there is no part 'gong'"):
        render_stem(track, StemRef("gong"))
    with pytest.raises(ValueError, match="differ from each other, got 'clap' twice"):
        track_of(clap, clap)


def test_kick_strokes_change_strength_and_timing_and_nothing_else(solved: Track) -> None:
    soft = solved.having(kick_strokes=(Stroke(at_beats=1, velocity=40, shift_ms=10),))
    before, after = render_stem(solved, StemRef("kick", "before")), render_stem(soft, StemRef("kick", "before"))
    late = round(0.01 * RATE)
    beat, window = round(BEAT), 6000
    assert np.allclose(after[: beat - 600], before[: beat - 600])
    assert 0 < np.max(np.abs(after[beat + late : beat + window])) < 0.5 * np.max(np.abs(before[beat : beat + window]))

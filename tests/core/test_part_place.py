"""A part's place: pan, start and polarity as they are heard, and low parts lined up with each other.

Pan keeps the energy (common practice: sides go as cosine and sine of a quarter turn).
"""

from __future__ import annotations

import io
from collections.abc import Callable

import mido
import numpy as np
import pytest

from juglant.core.analysis.analyse import analyse
from juglant.core.analysis.low_group import low_group_figures
from juglant.core.commands.room import AlignLow
from juglant.core.errors import InvalidTrack, NoSuchPart
from juglant.core.findings.registry import find_all
from juglant.core.hit.strokes import cached_mono
from juglant.core.loop.gain import part_rows
from juglant.core.loop.groups import own_ids
from juglant.core.loop.kick_loop import with_kick_loop
from juglant.core.loop.place import loop_frames
from juglant.core.loop.render import heard_stem, render_stem, stem_refs
from juglant.core.model.duck import Duck
from juglant.core.model.hit import Hit, Layer
from juglant.core.model.part import KickCut, Part
from juglant.core.model.stem import StemRef
from juglant.core.model.strokes import BassNote, Doubling, Stroke
from juglant.core.model.track import Track
from juglant.core.pictures.pair_map import draw_pair
from juglant.core.plans.computed_for import changed_since, refit_parts
from juglant.core.synth.clap import Clap
from juglant.core.synth.recorded_loop import KickLoop
from juglant.core.synth.tail import Tail
from juglant.core.synth.takes import TakeAudio, provide, take_id
from juglant.demo.kit import with_kit, with_targets
from juglant.services.deliver import delivered

RATE = 48000
KNOWN: dict[str, TakeAudio] = {}


@pytest.fixture(autouse=True, scope="module")
def _known() -> None:
    provide(KNOWN.get)


def tail(part: str, role: str, **place: object) -> Part:
    hit = Hit(layers=(Layer(id="low", name="Low", source=Tail(landing_hz=58.27, attack_ms=3, hold_ms=500, decay_ms=400)),))
    strokes = tuple(Stroke(at_beats=at) for at in (2.0, 6.0, 10.0, 14.0))
    return Part(id=part, name=part.capitalize(), role=role, hit=hit, strokes=strokes, gain_db=-10, **place)  # type: ignore[arg-type]


def having(track: Track, *kit: Part) -> Track:
    group = track.low_group.model_copy(update={"parts": tuple(one.id for one in kit)})
    return track.having(kit=kit, low_group=group)


def stem(track: Track, part: str) -> np.ndarray:
    return np.asarray(heard_stem(track, StemRef(part)))


@pytest.mark.parametrize("pan_pct", [-100.0, -40.0, 25.0, 100.0])
def test_pan_goes_by_cosine_and_sine(untouched: Track, pan_pct: float) -> None:
    middle = stem(having(untouched, tail("low", "sub")), "low")
    sides = stem(having(untouched, tail("low", "sub", pan_pct=pan_pct)), "low")
    angle = (pan_pct / 100 + 1) * np.pi / 4
    assert sides.shape == (2, middle.size)
    for side, share in zip(sides, (np.cos(angle), np.sin(angle)), strict=True):
        assert np.allclose(side, np.sqrt(2) * share * middle, atol=1e-6)


@pytest.mark.parametrize("shift_ms", [-50.0, -3.5, 7.0])
def test_start_moves_all_of_it_around_the_loop(untouched: Track, shift_ms: float) -> None:
    still = stem(having(untouched, tail("low", "sub")), "low")
    moved = stem(having(untouched, tail("low", "sub", shift_ms=shift_ms)), "low")
    frames = round(shift_ms * RATE / 1000)
    # Starts are rounded to a frame each.
    best = min(np.max(np.abs(np.roll(still, frames + off) - moved)) for off in (-1, 0, 1))
    assert best < 0.01 * np.max(np.abs(still))


def test_polarity_turns_it_over(untouched: Track) -> None:
    still, turned = (stem(having(untouched, tail("low", "sub", inverted=on)), "low") for on in (False, True))
    assert np.array_equal(turned, -still)


def kick_loop_of(track: Track) -> Track:
    """The track with its kick as a loop of one bar, three strokes of its own sound."""
    sound, out = cached_mono(track.kick, 127, 0, RATE, 0.0).audio, np.zeros(round(4 * 60 / track.sheet.bpm * RATE))
    for at in (0.0, 1.0, 2.5):
        first = round(at * 60 / track.sheet.bpm * RATE)
        out[first : first + sound.size] += 0.5 * sound[: out.size - first]
    name = take_id(out[None], RATE)
    KNOWN[name] = TakeAudio(out[None], RATE)
    return with_kick_loop(track, name, 0.0, None)


LOW: dict[str, tuple[str, Callable[[Track], Track]]] = {
    "kick": ("kick", lambda track: track),
    "bass": ("bass", lambda track: track),
    "a kick loop": ("kick", kick_loop_of),
    "a fitted kick loop": ("kick", lambda track: kick_loop_of(track).with_part("kick", loop=fitted(track))),
}


def fitted(track: Track) -> KickLoop:
    return kick_loop_of(track).kick_loop.model_copy(update={"fit_bars": 1, "processed": True})


@pytest.mark.parametrize("which", LOW)
def test_kick_and_bass_have_a_place_like_any_part(untouched: Track, which: str) -> None:
    part, made = LOW[which]
    track = made(untouched)
    still, frames = stem(track, part), round(6.0 * RATE / 1000)
    assert np.allclose(stem(track.with_part(part, inverted=True), part), -still, rtol=0, atol=1e-12)
    moved = stem(track.with_part(part, shift_ms=6.0), part)
    # Starts are rounded to a frame each.
    best = min(np.max(np.abs(np.roll(still, frames + off) - moved)) for off in (-1, 0, 1))
    assert best < 0.01 * np.max(np.abs(still))
    silent = track.with_part(part, muted=True)
    assert not stem(silent, part).any()
    other = "bass" if part == "kick" else "kick"
    assert np.array_equal(stem(silent, other), stem(track, other))
    # What is silent is said, and nothing is made of it.
    assert find_all(analyse(silent))
    assert (silent.kicks() if part == "kick" else silent.notes()) == []


def test_what_is_keyed_by_the_kick_moves_with_it(solved: Track) -> None:
    later = solved.with_part("kick", shift_ms=20.0)
    gains = [part_rows(one, "bass", loop_frames(one)) for one in (solved, later)]
    at_s, db = gains[0].at_s, gains[0].gain_db
    middle = (at_s > 1) & (at_s < 3)
    assert np.interp(at_s[middle] + 0.02, gains[1].at_s, gains[1].gain_db) == pytest.approx(db[middle], abs=0.3)
    # A kick in another place is another kick to what was computed for it.
    assert "kick" in changed_since(later, "bass")
    assert "kick" in changed_since(solved.with_part("kick", inverted=True), "bass")
    assert "part" in changed_since(solved.with_part("bass", muted=True), "bass")


@pytest.mark.parametrize("part", ["kick", "bass"])
@pytest.mark.parametrize("name", ["pan_pct", "kick_cut", "doubles"])
def test_what_a_low_part_does_not_have_is_refused(untouched: Track, part: str, name: str) -> None:
    given = {"pan_pct": 10.0, "kick_cut": KickCut(on=True), "doubles": Doubling(of="bass" if part == "kick" else "kick")}
    with pytest.raises(InvalidTrack, match=f"'{part}' has no {name}: nothing of it would be heard"):
        untouched.with_part(part, **{name: given[name]})


def test_parts_in_another_order_are_listed_in_it_and_sound_the_same(solved: Track) -> None:
    track = with_targets(with_kit(solved))
    turned = track.model_copy(update={"parts": track.parts[::-1]})
    order, files = [one.id for one in turned.parts], dict(delivered(turned))
    assert order[-2:] == ["bass", "kick"]
    for ref in stem_refs(track):
        assert np.array_equal(render_stem(turned, ref), render_stem(track, ref))
    assert list(dict.fromkeys(ref.part for ref in stem_refs(turned))) == order
    assert own_ids(turned) == order
    stems = [name.removeprefix("stems/").removeprefix("kit-").removesuffix(".wav") for name in files if "stems/" in name]
    assert [name for name in stems if name in order] == order
    lines = [one.name for one in mido.MidiFile(file=io.BytesIO(files["track.mid"])).tracks[1:]]
    assert list(dict.fromkeys(lines)) == order
    assert refit_parts(turned) == refit_parts(track) == []


@pytest.mark.parametrize(("shift_ms", "inverted"), [(4.0, False), (0.0, True), (-3.0, True)])
def test_two_low_parts_are_lined_up(untouched: Track, shift_ms: float, inverted: bool) -> None:
    """The sum's energy, against that of both added without loss."""
    track = having(untouched, tail("first", "sub"), tail("second", "tom", shift_ms=shift_ms, inverted=inverted))

    def loss_db(track: Track) -> float:
        one, other = stem(track, "first"), stem(track, "second")
        rms = [float(np.sqrt(np.mean(x**2))) for x in (one, other, one + other)]
        return 20 * np.log10(max(rms[2], 1e-12) / (rms[0] + rms[1]))

    done = AlignLow(one="first", other="second").done(track)
    assert loss_db(track) < -0.5
    # Of those within 0.2 dB of the best the smallest move is taken.
    assert loss_db(done.track) > -0.25
    assert "Second" in done.said[0]
    assert np.array_equal(stem(done.track, "first"), stem(track, "first"))
    with pytest.raises(InvalidTrack, match="as well as they can"):
        AlignLow(one="first", other="second").done(done.track)
    # What is offered is what is done.
    assert [low_group_figures(one).pairs[0].worth for one in (track, done.track)] == [True, False]


def test_the_kick_stays_where_it_is(untouched: Track) -> None:
    low = tail("low", "sub").model_copy(update={"strokes": tuple(Stroke(at_beats=float(at)) for at in range(16))})
    track = untouched.having(kit=(low,), bass_notes=(BassNote(at_beats=0, length_beats=1, note=34),))
    done = AlignLow(one="low", other="kick").done(track)
    assert done.track.kick_at_beats == track.kick_at_beats
    assert done.track.parts[:2] == track.parts[:2]
    assert (done.track.kit[0].shift_ms, done.track.kit[0].inverted) != (0.0, False)


def test_what_does_not_meet_or_is_not_there_is_refused(untouched: Track) -> None:
    clap = Part(
        id="clap", name="Clap", role="clap", hit=Hit(layers=(Layer(id="c", name="C", source=Clap()),)),
        strokes=(Stroke(at_beats=1),),
    )  # fmt: skip
    track = having(untouched, tail("low", "sub"), clap)
    with pytest.raises(InvalidTrack, match="do not meet"):
        AlignLow(one="low", other="clap").done(track)
    with pytest.raises(InvalidTrack, match="not with itself"):
        AlignLow(one="low", other="low").done(track)
    with pytest.raises(NoSuchPart):
        AlignLow(one="low", other="nobody").done(track)


def test_the_map_of_two_parts_reads_their_levels_by_band_and_time(untouched: Track) -> None:
    """The second is the same sound 6 dB louder at its first stroke, and not there at the others."""
    louder = tail("second", "tom").model_copy(update={"strokes": (Stroke(at_beats=2.0),), "gain_db": -4.0})
    track = having(untouched, tail("first", "sub"), louder)
    found = draw_pair(track, "first", "second")
    row = int(np.argmin(np.abs(np.log(np.array(found.centres_hz) / 58.27))))
    cells = found.over_db[row]

    def at(beats: float) -> float | None:
        return cells[round(beats / found.frame_beats)]

    assert at(2.5) == pytest.approx(-6.0, abs=0.3)
    assert at(6.5) == pytest.approx(30.0, abs=0.1)
    assert at(1.0) is None
    assert len(cells) * found.frame_beats == pytest.approx(16, abs=found.frame_beats)
    other = draw_pair(track, "second", "first").over_db[row]
    assert other[round(2.5 / found.frame_beats)] == pytest.approx(6.0, abs=0.3)
    assert other[round(6.5 / found.frame_beats)] is None


@pytest.mark.parametrize(
    ("kicks", "notes", "said", "fixed"),
    [
        (tuple(range(8)), tuple(range(16)), "fewer keys", True),
        (tuple(range(16)), (*range(8), *(at + 0.5 for at in range(8, 16))), "less of it lies under the keys", False),
    ],
    ids=["the kick rests in half of the bars", "the bass plays between the kicks in half of the bars"],
)
def test_where_a_bar_is_ducked_less_its_own_reason_is_said(
    untouched: Track, kicks: tuple[float, ...], notes: tuple[float, ...], said: str, fixed: bool
) -> None:
    line = tuple(BassNote(at_beats=float(at), length_beats=0.45, note=34) for at in notes)
    duck = Duck(on=True, depth_db=12, fall_ms=3, hold_ms=60, return_ms=120)
    places = tuple(float(at) for at in kicks)
    track = untouched.having(kick_at_beats=places, bass_notes=line, duck=duck)
    found = next(one for one in find_all(analyse(track)) if one.id == "level-jump")
    assert said in found.reason
    assert bool(found.fixes) is fixed

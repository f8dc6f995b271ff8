"""The bass as layers of its own: any engines and recordings in pitch, each with its band, chain, level and start."""

from __future__ import annotations

import numpy as np
import pytest
from support import sheet_with

from juglant.core.analysis.analyse import analyse
from juglant.core.chain.equalizer import Equalizer
from juglant.core.chain.saturate import Saturate
from juglant.core.errors import InvalidTrack, NoSuchPart
from juglant.core.findings.registry import find_all
from juglant.core.listen.bypass import Bypass, without
from juglant.core.loop.render import render_stem, stem_refs
from juglant.core.loop.used_takes import used_takes
from juglant.core.model.hit import Hit, Layer
from juglant.core.model.stem import BASS
from juglant.core.model.strokes import BassNote
from juglant.core.model.track import Track, track_from_json, track_to_json
from juglant.core.plans.computed_for import changed_since
from juglant.core.plans.plan import make_room
from juglant.core.synth.bass import LAYERS
from juglant.core.synth.rumble import Rumble
from juglant.core.synth.tail import Tail
from juglant.core.synth.take import Take
from juglant.core.synth.takes import TakeAudio, provide, take_id
from juglant.services.takes import takes_of

RATE = 48000
KNOWN: dict[str, TakeAudio] = {}
SUB = Tail(landing_hz=58.27, attack_ms=3, hold_ms=600, decay_ms=400)


@pytest.fixture(autouse=True, scope="module")
def _known() -> None:
    provide(KNOWN.get)


def recording() -> str:
    """Two seconds of a saw at A1, as a file would hold it."""
    time = np.arange(2 * RATE) / RATE
    audio = 0.4 * sum(np.sin(2 * np.pi * 55 * k * time) / k for k in range(1, 30))[None]
    name = take_id(audio, RATE)
    KNOWN[name] = TakeAudio(audio, RATE)
    return name


def layer(name: str, **fields: object) -> Layer:
    return Layer(id=name, name=name.title(), **({"source": SUB} | fields))  # type: ignore[arg-type]


def layered(track: Track, *layers: Layer, **part: object) -> Track:
    bass = track.bass.model_copy(update={"source": LAYERS})
    return track.with_part("bass", instrument=bass, hit=Hit(layers=layers), **part)


def stem(track: Track, state: str = "before") -> np.ndarray:
    return np.asarray(render_stem(track, BASS.of(state)))  # type: ignore[arg-type]


def note_hz(audio: np.ndarray, first: int, last: int, near_hz: float) -> float:
    """The strongest partial within a semitone of a pitch, by an FFT of its own, Hz."""
    piece = audio[first:last] * np.hanning(last - first)
    size = 2**20
    level = np.abs(np.fft.rfft(piece, size))
    hz = np.arange(level.size) * RATE / size
    band = (hz > near_hz / 2 ** (1 / 12)) & (hz < near_hz * 2 ** (1 / 12))
    at = np.flatnonzero(band)[0] + int(np.argmax(level[band]))
    down, mid, up = np.log(level[at - 1 : at + 2])
    return float((at + 0.5 * (down - up) / (down - 2 * mid + up)) * RATE / size)


@pytest.mark.parametrize("source", ["engine", "recording"])
@pytest.mark.parametrize("a4_hz", [440.0, 432.0])
def test_every_note_is_heard_at_its_pitch(untouched: Track, source: str, a4_hz: float) -> None:
    track = sheet_with(untouched, a4_hz=a4_hz)
    notes = tuple(BassNote(at_beats=2.0 * i, length_beats=1.5, note=n) for i, n in enumerate((29, 33, 36, 41)))
    made = layered(track, layer("one", source=SUB if source == "engine" else Take(take=recording())), notes=notes)
    audio, beat = stem(made), 60 / made.sheet.bpm * RATE
    for note in notes:
        first, last = (round(at * beat) for at in (note.at_beats + 0.2, note.at_beats + 1.4))
        wanted = a4_hz * 2 ** ((note.note - 69) / 12)
        assert abs(1200 * np.log2(note_hz(audio, first, last, wanted) / wanted)) < 6
        # It ends where it is written to end.
        after = audio[round((note.at_beats + 1.6) * beat) : round((note.at_beats + 1.9) * beat)]
        assert np.max(np.abs(after)) < 1e-6 * np.max(np.abs(audio))


def test_layers_add_up_and_each_has_its_level_start_and_chain(untouched: Track) -> None:
    two = layer("one", gain_db=-9.0), layer("other", source=Take(take=recording()), gain_db=-9.0)
    # All three are tuned by one pitch, so that what is added is the same.
    both, first, second = (
        stem(layered(untouched, *some).with_hit("bass", Hit(layers=some, landing_by_hand_hz=58.27)))
        for some in (two, two[:1], two[1:])
    )
    assert np.allclose(both, first + second, atol=1e-9)
    louder = stem(layered(untouched, layer("low", gain_db=-6.0)))
    assert np.allclose(louder, stem(layered(untouched, layer("low"))) * 10 ** (-6 / 20), atol=1e-9)
    late = stem(layered(untouched, layer("low", offset_ms=10.0)))
    still = stem(layered(untouched, layer("low")))
    frames, beat = round(0.010 * RATE), round(60 / untouched.sheet.bpm * RATE)
    assert np.allclose(late[frames : beat // 2], still[: beat // 2 - frames], atol=1e-6)
    driven = stem(layered(untouched, layer("low", chain=(Saturate(drive_db=18.0),))))
    assert not np.allclose(driven, still, atol=1e-3)
    # What begins ahead of its note is heard ahead of it.
    line = (BassNote(at_beats=2, length_beats=1, note=34),)
    early, at = stem(layered(untouched, layer("low", offset_ms=-10.0), notes=line)), 2 * beat
    assert np.abs(early[at - frames : at]).max() > 0.1 * np.abs(early).max()
    assert not early[: at - frames - 2].any()


@pytest.mark.parametrize("cross_hz", [80.0, 110.0, 220.0])
def test_a_crossover_sums_flat(untouched: Track, cross_hz: float) -> None:
    """One sound in two layers that meet at a crossover, chains by-passed, against the sound whole: within 0.1 dB."""
    source, off = Take(take=recording()), (Equalizer(on=False),)
    line = (BassNote(at_beats=0, length_beats=4, note=33),)
    whole = stem(layered(untouched, layer("whole", source=source), notes=line))
    halves = stem(
        layered(
            untouched,
            layer("low", source=source, high_cut_hz=cross_hz, chain=off),
            layer("high", source=source, low_cut_hz=cross_hz, chain=off),
            notes=line,
        )
    )
    # Inside the note, at every partial of the saw.
    piece = slice(round(0.3 * RATE), round(1.7 * RATE))
    levels = [np.abs(np.fft.rfft(one[piece] * np.hanning(piece.stop - piece.start), 2**18)) for one in (whole, halves)]
    peaks = [round(55 * k * 2**18 / RATE) for k in range(1, 30)]
    for one in peaks:
        near = slice(one - 3, one + 4)
        assert abs(20 * np.log10(levels[1][near].max() / levels[0][near].max())) < 0.1


def test_clean_lows_and_driven_highs_are_two_layers(untouched: Track) -> None:
    source = Take(take=recording())
    clean = layered(
        untouched, layer("low", source=source, high_cut_hz=220.0), layer("high", source=source, low_cut_hz=220.0)
    )
    driven = layered(
        untouched,
        layer("low", source=source, high_cut_hz=220.0),
        layer("high", source=source, low_cut_hz=220.0, chain=(Saturate(drive_db=24.0),)),
    )
    hz = np.fft.rfftfreq(stem(clean).size, 1 / RATE)
    before, after = (np.abs(np.fft.rfft(stem(one))) ** 2 for one in (clean, driven))
    lows, highs = hz < 90, hz > 2000
    assert abs(10 * np.log10(after[lows].sum() / before[lows].sum())) < 0.5
    assert 10 * np.log10(after[highs].sum() / before[highs].sum()) > 3
    # By-passed, the stage is not there.
    plain = without(driven, Bypass(part="bass", layer="high", stage=0))
    assert np.allclose(stem(plain), stem(clean), atol=1e-9)
    silent = without(driven, Bypass(part="bass", layer="high"))
    assert np.abs(np.fft.rfft(stem(silent)))[highs].max() < 0.1 * np.abs(np.fft.rfft(stem(driven)))[highs].max()
    with pytest.raises(NoSuchPart):
        without(driven, Bypass(part="bass", layer="nobody"))


@pytest.mark.parametrize("width_pct", [0.0, 60.0])
def test_lows_stay_in_the_middle_and_sides_are_as_wide_as_said(untouched: Track, width_pct: float) -> None:
    layers = layer("low", high_cut_hz=200.0), layer("high", source=Take(take=recording()), low_cut_hz=200.0, pan_pct=-70.0)
    track = layered(untouched, *layers)
    track = track.with_part("bass", instrument=track.bass.model_copy(update={"width_pct": width_pct}))
    heard = np.atleast_2d(analyse(track).stems.with_sides("before", analyse(track).stems.bass_before))
    if width_pct == 0:
        assert heard.shape[0] == 1
        return
    side = np.fft.rfft((heard[0] - heard[1]) / 2)
    hz = np.fft.rfftfreq(heard.shape[1], 1 / RATE)
    assert np.abs(side[hz < 75]).max() < 1e-3 * np.abs(side).max()
    assert np.abs(side).max() > 0


def test_notes_have_their_own_levels_slides_and_bends(untouched: Track) -> None:
    plain = (BassNote(at_beats=0, length_beats=2, note=34), BassNote(at_beats=4, length_beats=2, note=36))
    bent = (plain[0], plain[1].model_copy(update={"gain_db": -6.0, "slide_ms": 300.0}))
    held = layer("low", source=Tail(landing_hz=58.27, attack_ms=3, hold_ms=2000, decay_ms=400))
    one, other = (layered(untouched, held, notes=notes) for notes in (plain, bent))
    beat = 60 / untouched.sheet.bpm * RATE
    first, last = round(4.02 * beat), round(4.35 * beat)
    assert note_hz(stem(one), first, last, 65.4) > 1.02 * note_hz(stem(other), first, last, 60.0)
    tail = slice(round(5.2 * beat), round(5.8 * beat))
    levels = [np.sqrt(np.mean(stem(track)[tail] ** 2)) for track in (one, other)]
    assert 20 * np.log10(levels[1] / levels[0]) == pytest.approx(-6, abs=0.3)
    assert np.array_equal(stem(one)[: round(beat)], stem(other)[: round(beat)])


def test_it_is_separated_like_any_bass(untouched: Track) -> None:
    track = layered(
        untouched, layer("low", gain_db=-4.0), layer("high", source=Take(take=recording()), low_cut_hz=150.0, gain_db=-9.0)
    )
    made = make_room(track)
    assert analyse(made).clearance.after_db == pytest.approx(10, abs=0.2)
    assert changed_since(made, "bass") == ()
    other = made.with_hit("bass", Hit(layers=(made.bass_part.hit.layers[0].model_copy(update={"tune_cents": 100.0}),)))
    assert changed_since(other, "bass") == ("part",)
    text = track_to_json(made)
    assert track_from_json(text) == made
    for ref in stem_refs(made):
        assert np.all(np.isfinite(render_stem(track_from_json(text), ref)))


def test_its_recordings_are_the_tracks(untouched: Track) -> None:
    name = recording()
    track = layered(untouched, layer("high", source=Take(take=name)))
    assert name in takes_of(track)
    assert [one.part for one in used_takes(track)] == ["bass"]
    # Kept, and unheard, while another source plays.
    other = track.with_part("bass", instrument=track.bass.model_copy(update={"source": "saw"}))
    assert other.bass_part.hit == track.bass_part.hit
    assert not any(one.part == "bass" for one in used_takes(other))
    gone = layered(untouched, layer("high", source=Take(take="f" * 24)))
    assert any("take-missing" in one.id for one in find_all(analyse(gone)))


def test_what_cannot_sound_is_said_or_refused(untouched: Track) -> None:
    empty = layered(untouched)
    assert not stem(empty).any()
    (said,) = [one for one in find_all(analyse(empty)) if one.id == "notes-unheard-bass"]
    assert "no layer that sounds" in said.reason
    assert said.fixes == ()
    with pytest.raises(InvalidTrack, match="have no bus"):
        untouched.with_hit("bass", Hit(bus=(Saturate(),)))
    with pytest.raises(InvalidTrack, match="a rumble is made of the kick"):
        untouched.with_hit("bass", Hit(layers=(layer("low", source=Rumble()),)))
    with pytest.raises(NoSuchPart):
        untouched.hit_of("bass")
    muted = layered(untouched, layer("low"), muted=True)
    assert not stem(muted).any()

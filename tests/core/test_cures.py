"""Ways out of beating: strokes with a pitch of their own, schools applied, chokes across instruments, tails told apart."""

from __future__ import annotations

import io
import struct

import mido
import numpy as np
import pytest
from scipy import signal as dsp

from juglant.core.analysis.analyse import analyse
from juglant.core.errors import InvalidTrack
from juglant.core.findings.tail_findings import tails_beat
from juglant.core.loop.render import render_stem
from juglant.core.model.hit import Hit, Layer
from juglant.core.model.part import Part
from juglant.core.model.stem import BASS, KICK, StemRef
from juglant.core.model.strokes import Stroke
from juglant.core.model.track import Track
from juglant.core.music.notes import cents_between, note_hz
from juglant.core.synth.sweep import Sweep
from juglant.core.synth.tail import Tail
from juglant.core.tune.cure import cures
from juglant.core.tune.hit_pitch import hit_pitch
from juglant.core.tune.line import meetings
from juglant.core.tune.schools import by_school, one_pitch
from juglant.core.tune.targets import chord_roots
from juglant.services.deliver import delivered

RATE, BPM = 48000, 120
BEAT = RATE // 2
NOTES = ((0, 2, 34), (2, 1, 41), (4, 3, 39), (7, 0.5, 34), (8, 1, 41), (9, 1, 53), (10, 2, 34))


def held(landing_hz: float, **tail: float) -> Hit:
    """A plain tone, so that anybody can measure it."""
    source = Tail(landing_hz=landing_hz, **{"attack_ms": 2, "hold_ms": 900, "decay_ms": 900, **tail})  # type: ignore[arg-type]
    return Hit(layers=(Layer(id="a", name="A", source=source),))


def track_of(**parts: object) -> Track:
    notes = [{"at_beats": at, "length_beats": length, "note": note} for at, length, note in NOTES]
    return Track.model_validate(
        {
            "sheet": {"tonic": "Bb", "bpm": BPM, "bars": 4}, "kick": held(note_hz(34, 440)), "bass_notes": notes,
            "kick_at_beats": (0.0, 4.0, 8.0, 12.0), "bass": {"harmonics_pct": 0, "blip_db": -60}, **parts,
        }
    )  # fmt: skip


def loudest_hz(audio: np.ndarray) -> float:
    """The strongest frequency by a zero-padded spectrum (numpy): no part of our own measuring."""
    power = np.abs(np.fft.rfft(audio * np.hanning(audio.size), 1 << 20))
    return float(np.argmax(power) * RATE / (1 << 20))


def test_the_root_of_a_bar_is_what_the_line_holds_longest() -> None:
    # Bar 3: F in two octaves for two beats, B flat for two: the first of equals.
    assert chord_roots(track_of()) == [(0, 34), (1, 39), (2, 41)]


def test_following_the_chords_puts_each_stroke_on_its_bars_root() -> None:
    track = by_school(track_of(), "kick", "chords")
    stem = render_stem(track, StemRef("kick", "before"))
    roots = (34, 39, 41, 41)
    for bar, root in enumerate(roots):
        hz = loudest_hz(stem[bar * 4 * BEAT + 4800 : bar * 4 * BEAT + 4800 + RATE // 2])
        off = cents_between(hz, note_hz(root, 440))
        assert (off + 600) % 1200 - 600 == pytest.approx(0, abs=5), bar
    again = by_school(track, "kick", "tonic")
    assert {stroke.tune_cents for stroke in again.kick_part.strokes} == {0}
    assert one_pitch(track, "kick").kick_strokes == ()


def test_each_pitch_is_a_file_and_a_midi_note_of_its_own() -> None:
    track = by_school(track_of(), "kick", "chords")
    files = dict(delivered(track))
    names = sorted(name for name in files if name.startswith("hits/kick"))
    assert names == ["hits/kick_+500ct.wav", "hits/kick_-500ct.wav"]
    at = files[names[0]].index(b"smpl")
    assert struct.unpack("<I", files[names[0]][at + 20 : at + 24])[0] == 39
    tracks = {part.name: part for part in mido.MidiFile(file=io.BytesIO(files["track.mid"])).tracks}
    struck = {name: [m.note for m in part if m.type == "note_on"] for name, part in tracks.items() if "kick" in name}
    assert {name: len(notes) for name, notes in struck.items()} == {"kick": 1, "kick_+500ct": 1, "kick_-500ct": 2}
    assert len({note for notes in struck.values() for note in notes}) == 3


def test_short_and_unpitched_is_under_four_cycles() -> None:
    kick = Hit(layers=(Layer(id="a", name="A", source=Sweep(landing_hz=55, sweep_ms=20, decay_ms=300)),))
    track = by_school(track_of(kick=kick), "kick", "unpitched")
    assert hit_pitch(track, track.kick_hit()).landing.cycles < 4
    with pytest.raises(InvalidTrack, match="no note as it is"):
        by_school(track, "kick", "unpitched")


@pytest.mark.parametrize("school", ["tonic", "fifth", "chords"])
def test_a_school_asks_for_a_pitch(school: str) -> None:
    with pytest.raises(InvalidTrack, match="no measured pitch"):
        by_school(track_of(kick=Hit(layers=())), "kick", school)  # type: ignore[arg-type]


TOM = {"id": "tom", "name": "Tom", "role": "tom", "hit": held(98), "strokes": ({"at_beats": 1, "velocity": 127},)}


@pytest.mark.parametrize(
    ("stem", "choke", "cut_beats"),
    [
        (BASS.of("before"), {"bass": 1, "tom": 1}, 1),
        (BASS.of("before"), {"bass": 2, "kick": 2}, 4),
        (KICK.of("before"), {"kick": 1, "tom": 1}, 1),
        (StemRef("tom"), {"tom": 3, "bass": 3}, 2),
        (StemRef("tom"), {"tom": 3, "kick": 3}, 4),
    ],
)
def test_parts_of_a_group_cut_each_other_without_a_click(stem: StemRef, choke: dict[str, int], cut_beats: int) -> None:
    mix = {f"{part}_choke": group for part, group in choke.items() if part != "tom"}
    tom = {**TOM, "choke": choke.get("tom", 0), "hit": held(98, hold_ms=2000, decay_ms=2000)}
    notes = [{"at_beats": at, "length_beats": 4, "note": note} for at, note in ((0, 34), (2, 41), (6, 34))]
    parts = {"bass_notes": notes, "kick": held(58, hold_ms=2000, decay_ms=2000), "kick_at_beats": (0.0, 4.0, 8.0, 12.0)}
    free = render_stem(track_of(kit=({**tom, "choke": 0},), **parts), stem)
    cut = render_stem(track_of(kit=(tom,), mix=mix, **parts), stem)
    at = cut_beats * BEAT
    assert np.sqrt(np.mean(free[at + 240 : at + 2400] ** 2)) > 0.03
    if stem != BASS.of("before") or cut_beats != 4:
        assert np.max(np.abs(cut[at + 240 : at + 2400])) == pytest.approx(0, abs=1e-9)
    # What lies above 1 kHz around the cut stays 55 dB under the tone: no click (this project's limit).
    high = dsp.sosfiltfilt(dsp.butter(4, 1000, "highpass", fs=RATE, output="sos"), cut)
    around = slice(at - 2400, at + 2400)
    assert np.sum(high[around] ** 2) < 10**-5.5 * np.sum(cut[around] ** 2)


def beating_track() -> Track:
    """A kick 1.2 Hz over the first note's B flat; the second note is a fifth up."""
    return track_of(
        kick=held(note_hz(34, 440) + 1.2),
        kick_at_beats=(0.0,),
        bass_notes=[{"at_beats": at, "length_beats": 4, "note": note} for at, note in ((0, 34), (8, 41))],
    )


def test_ways_out_are_measured_and_keep_what_they_say() -> None:
    found = analyse(beating_track())
    before = {one.note: one.beats_heard for one in meetings(found)}
    assert before[34] > 0.25
    offered = cures(found, 34)
    assert {"shorter-kick", "stroke", "kick-34", "later-note"} <= {one.id for one in offered}
    assert cures(found, 41) == []
    for one in offered:
        assert one.beats < 0.5 * before[34]
        after = meetings(analyse(one.track))
        assert one.worst_beats == pytest.approx(max(each.beats_heard for each in after)), one.id
    # Best first: none that leaves a swell stands before one that does not.
    swells = [one.worst_beats >= 0.25 for one in offered]
    assert swells == sorted(swells)


def test_a_stroke_on_the_note_beats_no_more() -> None:
    found = analyse(beating_track())
    cure = next(one for one in cures(found, 34) if one.id == "stroke")
    assert cure.track.kick_hit().strokes[0].tune_cents == pytest.approx(
        cents_between(note_hz(34, 440), note_hz(34, 440) + 1.2), abs=0.5
    )
    stem = render_stem(cure.track, StemRef("kick", "before"))
    assert cents_between(loudest_hz(stem[4800 : 4800 + RATE]), note_hz(34, 440)) == pytest.approx(0, abs=3)


def toms(apart_hz: float) -> tuple[Part, ...]:
    strokes = (Stroke(at_beats=1, velocity=127),), (Stroke(at_beats=2, velocity=127),)
    pitches = (98.0, 98.0 + apart_hz)
    return tuple(
        Part(id=f"tom{i}", name=f"Tom {i}", role="tom", hit=held(hz, hold_ms=1500, decay_ms=1500), strokes=own)
        for i, (hz, own) in enumerate(zip(pitches, strokes, strict=True))
    )


@pytest.mark.parametrize("apart_hz", [2.0, 4.0])
def test_tails_of_two_hits_that_beat_are_found_and_choked(apart_hz: float) -> None:
    """Counted apart from our measuring: swells of the two stems' sum, one for each turn of |f1 - f2|."""
    track = track_of(kit=toms(apart_hz), kick_at_beats=(), bass_notes=())
    (said,) = tails_beat(analyse(track))
    both = render_stem(track, StemRef("tom0")) + render_stem(track, StemRef("tom1"))
    envelope = np.abs(dsp.hilbert(both))[2 * BEAT + 4800 : 2 * BEAT + 4800 + RATE]
    dips, _ = dsp.find_peaks(-envelope, prominence=0.3 * float(envelope.max()), distance=RATE // 20)
    assert np.median(np.diff(dips)) / RATE == pytest.approx(1 / apart_hz, rel=0.06)
    assert said.value is not None
    assert said.value > apart_hz
    fixed = said.fixes[0].track
    assert fixed is not None
    assert {one.choke for one in fixed.kit} == {1}
    assert tails_beat(analyse(fixed)) == []


def test_hits_in_tune_with_each_other_are_left_alone() -> None:
    assert tails_beat(analyse(track_of(kit=toms(0.02), kick_at_beats=(), bass_notes=()))) == []

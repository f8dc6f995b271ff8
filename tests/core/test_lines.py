"""A line for any pitched part: heard at its notes, ended where they end, doubled, in turn by bar, and told where not.

Pitches are read by an outside spectrum of this file (parabola through the log peak of a Hann-windowed, zero-padded FFT);
notes are 12-tone equal temperament re A4, ISO 16.
"""

from __future__ import annotations

import io
import json

import mido
import numpy as np
import pytest

from juglant.core.analysis.analyse import analyse
from juglant.core.commands.hits import FitLayers
from juglant.core.commands.lines import DoubleLine, LineInTurn
from juglant.core.errors import InvalidTrack, NoSuchPart
from juglant.core.findings.registry import find_all
from juglant.core.hit.starts import STARTS, measured_start
from juglant.core.hit.transpose import retuned
from juglant.core.loop.line_loop import with_line_loop
from juglant.core.loop.render import heard_stem
from juglant.core.model.hit import Hit, Layer
from juglant.core.model.ids import CONTEXT
from juglant.core.model.part import Part
from juglant.core.model.references import consistent
from juglant.core.model.stem import StemRef
from juglant.core.model.strokes import BassNote, Doubling, Stroke
from juglant.core.model.track import Track, track_from_json, track_to_json
from juglant.core.pictures.ladder import draw_ladder
from juglant.core.pictures.strip import draw_strip
from juglant.core.reports.swap_check import Swap, swapped
from juglant.core.synth.take import Take
from juglant.core.synth.takes import TakeAudio, provide, take_id
from juglant.core.tune.part_lines import line_of_part
from juglant.core.tune.schools import following_chords
from juglant.core.tune.tails import ringings
from juglant.formats.midi import track_midi

RATE = 48000


def start_hit(role: str, name: str, track: Track) -> Part:
    start = next(one for one in STARTS if (one.role, one.name) == (role, name))
    made = measured_start(start, track.sheet)
    part = role.replace(" ", "-")
    return Part(id=part, name=role.capitalize(), role=start.role, hit=made.hit, strokes=())


def with_line(track: Track, notes: list[tuple[float, float | None, int]], name: str = "Ballast") -> Track:
    """The track with a long sub that plays (start, length, number)."""
    strokes = tuple(Stroke(at_beats=at, length_beats=length, note=note, velocity=127) for at, length, note in notes)
    one = start_hit("sub", name, track).model_copy(update={"strokes": strokes})
    return track.having(kit=(*track.kit, one))


def mono(track: Track, part: str) -> np.ndarray:
    stem = heard_stem(track, StemRef(part))
    return stem if stem.ndim == 1 else stem.mean(axis=0)


def pitch_hz(sound: np.ndarray, lowest: float = 20, highest: float = 1000) -> float:
    """The strongest partial of a sound, Hz."""
    size = 1 << 19
    spectrum = np.abs(np.fft.rfft(sound * np.hanning(sound.size), size))
    hz = np.fft.rfftfreq(size, 1 / RATE)
    inside = (hz > lowest) & (hz < highest)
    at = int(np.flatnonzero(inside)[np.argmax(spectrum[inside])])
    a, b, c = np.log(spectrum[at - 1 : at + 2])
    return float((at + 0.5 * (a - c) / (a - 2 * b + c)) * RATE / size)


def equal_hz(note: int, a4_hz: float = 440) -> float:
    return a4_hz * 2 ** ((note - 69) / 12)


def cents(hz: float, of: float) -> float:
    return 1200 * np.log2(hz / of)


def span(track: Track, part: str, begins: float, ends: float) -> np.ndarray:
    beat = 60 / track.sheet.bpm * RATE
    return mono(track, part)[round(begins * beat) : round(ends * beat)]


LINE = [(0, 1.5, 34), (2, 1.0, 37), (4, 2.0, 29), (7, 0.5, 41), (8, 1.0, 46)]


@pytest.mark.parametrize("name", ["Ballast", "Sounding", "Draught", "Trench"])
@pytest.mark.parametrize("a4_hz", [440.0, 432.0])
def test_every_note_sounds_at_its_pitch_and_ends_where_it_ends(untouched: Track, name: str, a4_hz: float) -> None:
    sheet = untouched.sheet.model_copy(update={"a4_hz": a4_hz})
    track = with_line(untouched.model_copy(update={"sheet": sheet}), LINE, name)
    whole = mono(track, "sub")
    for at, length, note in LINE:
        # Past the fall into the note.
        sound = span(track, "sub", at + 0.25 * length, at + length - 0.05)
        assert cents(pitch_hz(sound), equal_hz(note, a4_hz)) == pytest.approx(0, abs=6), note
        after = span(track, "sub", at + length + 0.02, at + length + 0.3)
        assert np.max(np.abs(after)) < 1e-6 * np.max(np.abs(whole))


def test_a_note_without_an_end_sounds_as_long_as_the_hit(untouched: Track) -> None:
    held = with_line(untouched, [(0, None, 34)])
    cut = with_line(untouched, [(0, 0.5, 34)])
    assert np.sum(mono(held, "sub") ** 2) > 1.5 * np.sum(mono(cut, "sub") ** 2)


def test_a_stroke_beside_its_notes_stays_at_the_hits_own_pitch(untouched: Track) -> None:
    track = with_line(untouched, [(0, 2, 34)])
    one = track.kit[-1]
    plain = Stroke(at_beats=4, velocity=127)
    track = track.having(kit=(*track.kit[:-1], one.model_copy(update={"strokes": (*one.strokes, plain)})))
    own = line_of_part(track, "sub").root_hz
    assert own is not None
    assert cents(pitch_hz(span(track, "sub", 4.3, 5.5)), own) == pytest.approx(0, abs=6)


def test_a_note_slides_from_the_one_before_and_bends_to_its_end(untouched: Track) -> None:
    track = with_line(untouched, [(0, 2, 34), (2, 2, 46)])
    one = track.kit[-1]
    slid = (one.strokes[0], one.strokes[1].model_copy(update={"slide_ms": 400.0, "bend_cents": -1200.0}))
    track = track.having(kit=(*track.kit[:-1], one.model_copy(update={"strokes": slid})))
    begins = pitch_hz(span(track, "sub", 2.0, 2.25))
    arrived = pitch_hz(span(track, "sub", 2.75, 2.95))
    ends = pitch_hz(span(track, "sub", 3.8, 3.99))
    assert cents(begins, equal_hz(34)) == pytest.approx(190, abs=120)
    assert cents(arrived, equal_hz(46)) == pytest.approx(0, abs=90)
    assert cents(ends, equal_hz(34)) == pytest.approx(60, abs=120)


def test_the_figures_are_what_the_sound_is_measured_at(untouched: Track) -> None:
    found = line_of_part(with_line(untouched, LINE), "sub")
    assert [(one.note, one.count) for one in found.notes] == [(29, 1), (34, 1), (37, 1), (41, 1), (46, 1)]
    assert all(abs(one.off_cents or 0) < 2 and one.off_cents is not None for one in found.notes)
    assert found.unheard is None
    assert found.root_name is not None


def test_a_note_the_sound_does_not_reach_is_told(untouched: Track) -> None:
    """Four octaves up: further than a sound is moved."""
    found = line_of_part(with_line(untouched, [(0, 1, 96)]), "sub")
    assert found.notes[0].off_cents is not None
    assert abs(found.notes[0].off_cents) > 10


@pytest.mark.parametrize(
    ("role", "name", "said"),
    [("clap", "Mooring", "no pitch could be measured"), ("rumble", "Undertow", "made of the kick")],
)
def test_a_line_on_what_has_no_pitch_is_refused_in_words(untouched: Track, role: str, name: str, said: str) -> None:
    track = untouched.having(kit=(start_hit(role, name, untouched),))
    with pytest.raises(InvalidTrack, match=said):
        DoubleLine(part=role, of="bass").done(track)
    with pytest.raises(InvalidTrack, match=said):
        LineInTurn(part=role, of="bass", bars=(2,)).done(track)


def silent_sub(track: Track) -> Track:
    return track.having(kit=(start_hit("sub", "Ballast", track),))


def test_a_doubled_line_follows_while_linked_and_stays_when_copied(untouched: Track) -> None:
    track = silent_sub(untouched)
    linked = DoubleLine(part="sub", of="bass", octaves=1).done(track).track
    copied = DoubleLine(part="sub", of="bass", octaves=1, linked=False).done(track).track
    assert np.array_equal(mono(linked, "sub"), mono(copied, "sub"))
    assert np.max(np.abs(mono(linked, "sub"))) > 0.01
    first = untouched.notes()[0]
    sound = span(linked, "sub", first.at_beats + 0.1, first.at_beats + first.length_beats)
    assert cents(pitch_hz(sound, highest=300), equal_hz(first.note + 12)) == pytest.approx(0, abs=15)
    moved = tuple(note.model_copy(update={"note": note.note + 2}) for note in untouched.bass_notes)
    after = [one.having(bass_notes=moved) for one in (linked, copied)]
    assert not np.array_equal(mono(after[0], "sub"), mono(linked, "sub"))
    assert np.array_equal(mono(after[1], "sub"), mono(copied, "sub"))


def test_a_doubled_line_stays_when_who_had_it_is_removed(untouched: Track) -> None:
    lead = with_line(untouched, LINE)
    follower = start_hit("sub", "Trench", untouched).model_copy(update={"id": "low", "name": "Low"})
    track = lead.having(kit=(*lead.kit, follower))
    track = DoubleLine(part="low", of="sub").done(track).track
    before = mono(track, "low")
    left = consistent(track.having(kit=tuple(one for one in track.kit if one.id != "sub")), track)
    assert left.kit[0].doubles is None
    assert np.array_equal(mono(left, "low"), before)


@pytest.mark.parametrize(
    ("doubles", "said"),
    [({"low": "low"}, "no line of its own"), ({"low": "sub", "sub": "low"}, "no line of its own")],
)
def test_a_circle_of_doublings_is_no_track(untouched: Track, doubles: dict[str, str], said: str) -> None:
    kit = tuple(start_hit("sub", "Ballast", untouched).model_copy(update={"id": one}) for one in ("sub", "low"))
    document = json.loads(track_to_json(untouched.having(kit=kit)))
    for one in document["parts"][2:]:
        one["doubles"] = {"of": doubles[one["id"]]} if one["id"] in doubles else None
    with pytest.raises(InvalidTrack, match=said):
        track_from_json(json.dumps(document))


def test_odd_doublings_are_refused(untouched: Track) -> None:
    track = silent_sub(untouched)
    for part, of, said in (("sub", "sub", "itself"), ("kick", "bass", "own pattern"), ("sub", "kick", "has no notes")):
        with pytest.raises(InvalidTrack, match=said):
            DoubleLine(part=part, of=of).done(track)
    with pytest.raises(NoSuchPart):
        DoubleLine(part="nobody", of="bass").done(track)
    with pytest.raises(NoSuchPart):
        DoubleLine(part="sub", of="nobody").done(track)
    dangling = track.kit[0].model_copy(update={"doubles": Doubling(of="nobody")})
    with pytest.raises(InvalidTrack, match="nobody"):
        consistent(track.having(kit=(dangling,)))
    stem = track.kit[0].model_copy(update={"role": CONTEXT, "id": "rest"})
    with pytest.raises(InvalidTrack, match="rest of the track"):
        DoubleLine(part="rest", of="bass").done(track.having(kit=(stem,)))


def energy(track: Track, part: str, bar: int) -> float:
    """Of a bar, once the floor filter's ringing of what ended with the bar before is over."""
    return float(np.sum(span(track, part, 4 * bar + 0.5, 4 * bar + 3.98) ** 2))


def test_two_parts_in_turn_never_sound_together(untouched: Track) -> None:
    notes = tuple(BassNote(at_beats=at, length_beats=1.5, note=34) for at in (0, 2, 3, 4, 6, 7, 8, 11, 12, 15))
    track = silent_sub(untouched.having(bass_notes=notes))
    done = LineInTurn(part="sub", of="bass", bars=(2, 4)).done(track)
    for bar in range(4):
        mine, other = energy(done.track, "sub", bar), energy(done.track, "bass", bar)
        quiet, loud = (mine, other) if bar % 2 == 0 else (other, mine)
        assert quiet < 1e-6 * loud, bar
    # Nothing of the line is lost, and it can be dealt out anew.
    again = LineInTurn(part="sub", of="bass", bars=(1, 2)).done(done.track).track
    places = sorted([*(note.at_beats for note in again.bass_notes), *(one.at_beats for one in again.kit[0].strokes)])
    assert places == sorted(note.at_beats for note in notes)
    assert {one.at_beats // 4 for one in again.kit[0].strokes} == {0, 1}


@pytest.mark.parametrize(("bars", "said"), [((9,), "in the loop"), ((1, 2, 3, 4), "never play")])
def test_a_turn_that_leaves_somebody_without_a_bar_is_refused(untouched: Track, bars: tuple[int, ...], said: str) -> None:
    with pytest.raises(InvalidTrack, match=said):
        LineInTurn(part="sub", of="bass", bars=bars).done(silent_sub(untouched))


def test_what_a_part_had_besides_is_said_to_be_taken_out(untouched: Track) -> None:
    track = silent_sub(untouched)
    struck = track.kit[0].model_copy(update={"strokes": (Stroke(at_beats=1.25), Stroke(at_beats=5.25))})
    done = LineInTurn(part="sub", of="bass", bars=(2,)).done(track.having(kit=(struck,)))
    assert "2 notes of Sub were taken out" in done.said


def test_a_line_is_written_to_midi_on_a_channel_of_its_own(untouched: Track) -> None:
    """Read back with mido, as any host would."""
    file = mido.MidiFile(file=io.BytesIO(track_midi(with_line(untouched, LINE))))
    line = next(one for one in file.tracks if one.name == "sub_line")
    now, on = 0, []
    for message in line:
        now += message.time
        if message.type == "note_on":
            on.append((now / file.ticks_per_beat, message.note, message.channel))
    assert [(at, note) for at, note, _ in on] == [(at, note) for at, _, note in LINE]
    channels = {message.channel for one in file.tracks if one.name != "sub_line" for message in one if not message.is_meta}
    assert {channel for _, _, channel in on}.isdisjoint(channels)


def test_a_track_without_lines_reads_and_sounds_as_before(untouched: Track) -> None:
    document = json.loads(track_to_json(with_line(untouched, [(0, 1, 34)])))
    for one in document["parts"][2:]:
        for stroke in one["strokes"]:
            for field in ("note", "length_beats", "slide_ms", "bend_cents"):
                del stroke[field]
        del one["doubles"]
    old = track_from_json(json.dumps(document))
    assert old.kit[-1].strokes[0].note is None
    assert np.max(np.abs(mono(old, "sub"))) > 0.01


def test_notes_on_what_has_no_pitch_are_found_and_made_strokes(untouched: Track) -> None:
    clap = start_hit("clap", "Mooring", untouched).model_copy(update={"strokes": (Stroke(at_beats=1, note=60),)})
    track = untouched.having(kit=(clap,))
    found = next(one for one in find_all(analyse(track)) if one.id == "notes-unheard-clap")
    assert "no pitch could be measured" in found.reason.lower()
    made = found.fixes[0].track
    assert made is not None
    assert made.kit[0].strokes[0].note is None
    assert not any(one.id.startswith("notes-unheard") for one in find_all(analyse(made)))


def test_a_part_heard_at_its_notes_alone_is_not_out_of_key_by_itself(untouched: Track) -> None:
    track = with_line(untouched, LINE)
    # Between two notes of the key by itself.
    moved = retuned(track.kit[-1].hit, 1.0, 2 ** (50 / 1200))
    track = track.with_hit("sub", moved)
    assert not any(one.hit_id == "sub" and "out of key" in one.title for one in find_all(analyse(track)))
    sound = span(track, "sub", 0.3, 1.4)
    assert cents(pitch_hz(sound), equal_hz(34)) == pytest.approx(0, abs=6)


def test_each_keeps_its_own_line_in_its_bars(untouched: Track) -> None:
    """Nothing of the other's is mixed in, and what is given up is said."""
    bass = tuple(BassNote(at_beats=float(at), length_beats=1, note=34) for at in (0, 4, 8, 12))
    track = with_line(untouched.having(bass_notes=bass), [(5, 1, 41), (9, 1, 29), (13, 1, 46)])
    done = LineInTurn(part="sub", of="bass", bars=(2, 4)).done(track)
    assert [(one.at_beats, one.note) for one in done.track.kit[-1].strokes] == [(5, 41), (13, 46)]
    assert [one.at_beats for one in done.track.bass_notes] == [0, 8]
    assert done.said[1:] == ("2 notes of the bass were taken out", "1 note of Sub was taken out")


def test_a_note_without_an_end_ends_where_the_other_takes_over(untouched: Track) -> None:
    track = with_line(untouched, [(3.5, None, 34), (4, None, 37), (15.5, None, 34)])
    done = LineInTurn(part="sub", of="bass", bars=(1, 4)).done(track).track
    # The loop begins again with a bar of its own: the last one rings on.
    assert [(one.at_beats, one.length_beats) for one in done.kit[-1].strokes] == [(3.5, 0.5), (15.5, None)]


def test_a_recorded_line_is_silent_where_another_plays(untouched: Track) -> None:
    audio = heard_stem(untouched, StemRef("bass").of("before"))
    sound = TakeAudio(np.atleast_2d(audio), RATE)
    name = take_id(sound.audio, RATE)
    provide({name: sound}.get)
    track = with_line_loop(silent_sub(untouched), name, 0.0).track
    assert track.bass.source == "recorded line"
    twice = LineInTurn(part="sub", of="bass", bars=(2,)).done(track).track
    done = LineInTurn(part="sub", of="bass", bars=(1,)).done(twice).track
    assert energy(done, "bass", 0) < 1e-6 * energy(done, "bass", 2)
    assert energy(done, "sub", 0) > 1e6 * energy(done, "sub", 2)


def test_beats_are_found_at_the_notes_that_are_heard(untouched: Track) -> None:
    """A note a semitone from the bass's beats with it; the pitch that the sound has by itself is heard nowhere."""
    bass = (BassNote(at_beats=0, length_beats=8, note=34),)
    held = untouched.having(bass_notes=bass)
    rubs, agrees = (with_line(held, [(0, 8, note)], "Trench") for note in (35, 34))
    hz = {34: equal_hz(34)}
    found = [[one for one in ringings(track, hz) if {"sub", "bass"} == {one.one, one.other}] for track in (rubs, agrees)]
    assert len(found[0]) == 1
    # Of the fundamentals, or of partials of the same number.
    apart = abs(found[0][0].one_hz - found[0][0].other_hz) / (equal_hz(35) - equal_hz(34))
    assert apart == pytest.approx(round(apart), abs=0.05)
    assert round(apart) >= 1
    assert found[1] == []


def test_the_strip_draws_a_sub_at_its_notes_as_long_as_they_last(untouched: Track) -> None:
    track = with_line(untouched, LINE)
    drawn = [ribbon for ribbon in draw_strip(analyse(track)).ribbons if ribbon.part == "sub"]
    assert len(drawn) == len(LINE)
    for ribbon, (at, length, note) in zip(drawn, LINE, strict=True):
        assert cents(ribbon.pitch_hz[0], equal_hz(note)) == pytest.approx(0, abs=3)
        assert ribbon.time_beats[0] == pytest.approx(at, abs=1e-3)
        # Smoothed over 40 ms.
        assert ribbon.time_beats[-1] <= at + length + 1e-3
        assert ribbon.time_beats[-1] >= at + 0.5 * length


def test_two_takes_of_one_performance_are_lined_up_and_play_a_line(untouched: Track) -> None:
    """One heard through the air: 2.7 ms later, turned over, duller. In the sum nothing of the low band is lost any more."""
    time = np.arange(RATE) / RATE
    near = np.exp(-3 * time) * (np.sin(2 * np.pi * 55 * time) + 0.4 * np.sin(2 * np.pi * 165 * time))
    late = round(0.0027 * RATE)
    far = -0.8 * np.exp(-3 * time) * (np.sin(2 * np.pi * 55 * time) + 0.1 * np.sin(2 * np.pi * 165 * time))
    far = np.concatenate((np.zeros(late), far[:-late]))
    sounds = [TakeAudio(one[None], RATE) for one in (near, far)]
    names = [take_id(sound.audio, RATE) for sound in sounds]
    provide(dict(zip(names, sounds, strict=True)).get)
    layers = tuple(Layer(id=f"take-{i}", name=f"Take {i}", source=Take(take=name)) for i, name in enumerate(names))
    sub = Part(id="sub", name="Sub", role="sub", hit=Hit(layers=layers), strokes=(Stroke(at_beats=0, note=33),))
    track = untouched.having(kit=(sub,))
    after = FitLayers(part="sub").done(track).track
    assert after.kit[0].hit.layers[1].inverted != after.kit[0].hit.layers[0].inverted
    put = (layers[0].model_copy(update={"offset_ms": 1000 * late / RATE}), layers[1].model_copy(update={"inverted": True}))
    ideal = track.having(kit=(sub.model_copy(update={"hit": Hit(layers=put)}),))
    energies = [float(np.sum(mono(one, "sub") ** 2)) for one in (track, after, ideal)]
    assert 10 * np.log10(energies[2] / energies[0]) > 5
    # Of those within 0.2 dB of the best the smallest move is taken.
    assert 10 * np.log10(energies[1] / energies[2]) > -0.3
    played = tuple(
        Stroke(at_beats=at, length_beats=1.5, note=note, velocity=127) for at, note in ((0.0, 33), (2.0, 38), (4.0, 28))
    )
    line = after.having(kit=(after.kit[0].model_copy(update={"strokes": played}),))
    for stroke in played:
        sound = span(line, "sub", stroke.at_beats + 0.2, stroke.at_beats + 1.4)
        assert cents(pitch_hz(sound), equal_hz(stroke.note or 0)) == pytest.approx(0, abs=6)


def test_another_key_moves_every_line_and_the_roots(untouched: Track) -> None:
    roots = (10, 3, None, 5)
    track = with_line(untouched, LINE)
    track = track.model_copy(update={"sheet": track.sheet.model_copy(update={"roots": roots})})
    moved = swapped(track, Swap(tonic="C"))
    assert [one.note for one in moved.kit[-1].strokes] == [note + 2 for _, _, note in LINE]
    assert moved.sheet.roots == (0, 5, None, 7)


def test_a_part_heard_at_its_notes_is_not_moved_on_the_ladder_and_follows_no_school(untouched: Track) -> None:
    track = with_line(untouched, LINE)
    track = track.with_hit("sub", retuned(track.kit[-1].hit, 1.0, 2 ** (50 / 1200)))
    drawn = draw_ladder(track)
    assert next(one for one in drawn.hits if one.id == "sub").by_notes
    assert "sub" not in drawn.to_tune
    with pytest.raises(InvalidTrack, match="plays a line"):
        following_chords(track, "sub")


def test_the_bass_is_told_to_keep_its_line(untouched: Track) -> None:
    track = with_line(untouched, LINE)
    with pytest.raises(InvalidTrack, match="keeps a line of its own"):
        DoubleLine(part="bass", of="sub").done(track)
    with pytest.raises(InvalidTrack, match="gives bars away"):
        LineInTurn(part="bass", of="sub", bars=(1,)).done(track)

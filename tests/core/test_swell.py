"""A swell: it ends on its beat to the sample, rises to it, whatever the tempo; and MIDI begins it in time."""

from __future__ import annotations

import io

import mido
import numpy as np
import pytest

from juglant.core.commands.registry import carried_out
from juglant.core.commands.swell import Swell
from juglant.core.errors import InvalidTrack
from juglant.core.hit.render import render_hit
from juglant.core.hit.starts import CLAPS, OPEN_HATS, SUBS
from juglant.core.loop.kit import kit_stem
from juglant.core.model.part import Part
from juglant.core.model.sheet import Sheet
from juglant.core.model.track import Track, track_from_json, track_to_json
from juglant.formats.midi import track_midi

RATE = 48000


def track_of(bpm: float = 126, start: int = 0) -> Track:
    hit = (CLAPS[0], OPEN_HATS[0], SUBS[0])[start].hit
    part = Part(id="clap", name="Clap", role="clap", hit=hit, gain_db=0)
    return Track(sheet=Sheet(bpm=bpm, bars=2, sample_rate=RATE)).model_copy(update={"parts": (*Track().parts, part)})


def stem(track: Track) -> np.ndarray:
    return np.atleast_2d(kit_stem(track, track.hit_of("swell"))).mean(axis=0)


@pytest.mark.parametrize("bpm", [90.0, 126.0, 174.0])
@pytest.mark.parametrize(("way", "start"), [("reversed", 0), ("reversed", 1), ("rising", 2)])
@pytest.mark.parametrize(("beat", "length"), [(4.0, 2.0), (7.5, 1.0), (1.0, 4.0)])
def test_it_rises_and_ends_on_its_beat(bpm: float, way: str, start: int, beat: float, length: float) -> None:
    asked = Swell(part="clap", at_beats=beat, length_beats=length, way=way)  # type: ignore[arg-type]
    source = render_hit(SUBS[0].hit, sample_rate=RATE, bpm=bpm).mono
    lasts_s = np.flatnonzero(np.abs(source) > 10 ** (-36 / 20) * np.max(np.abs(source)))[-1] / RATE
    if way == "rising" and length * 60 / bpm > lasts_s:
        with pytest.raises(InvalidTrack, match="are to rise"):
            carried_out(track_of(bpm, start), asked)
        return
    made = carried_out(track_of(bpm, start), asked).track
    sound, per_beat = stem(made), 60 / bpm * RATE
    end = round(beat * per_beat)
    around = np.roll(sound, -end)
    # Nothing after the beat until it begins again, and its loudest moment right before it.
    after = around[2 : round((8 - length) * per_beat) - 400]
    assert np.max(np.abs(after)) < 2e-3 * np.max(np.abs(sound))
    before = around[::-1][: round(length * per_beat)]
    levels = [float(np.sqrt(np.mean(part**2))) for part in np.array_split(before, 8)]
    assert levels[0] == max(levels)
    heard = [one for one in levels if one > 1e-3 * levels[0]]
    assert heard == sorted(heard, reverse=True)
    assert np.max(np.abs(before[:2400])) > 0.3 * np.max(np.abs(sound))


def test_its_end_stays_on_the_beat_when_the_tempo_changes_and_a_stored_track_keeps_it() -> None:
    made = carried_out(track_of(), Swell(part="clap", at_beats=4, length_beats=2)).track
    faster = track_from_json(track_to_json(made.model_copy(update={"sheet": Sheet(bpm=150, bars=2, sample_rate=RATE)})))
    sound = stem(faster)
    end = round(4 * 60 / 150 * RATE)
    loudest = int(np.argmax(np.convolve(sound**2, np.ones(480), "same")))
    assert 0 <= end - loudest < 0.12 * RATE


def test_in_midi_it_is_struck_as_much_earlier_as_it_is_long() -> None:
    made = carried_out(track_of(), Swell(part="clap", at_beats=4, length_beats=2)).track
    file = mido.MidiFile(file=io.BytesIO(track_midi(made)))
    own = next(one for one in file.tracks if any(getattr(each, "name", "") == "swell" for each in one))
    now = 0.0
    for message in own:
        now += message.time
        if message.type == "note_on":
            assert now / file.ticks_per_beat == pytest.approx(2, abs=0.15)
            break
    else:
        pytest.fail("no note")


@pytest.mark.parametrize(
    ("asked", "why"),
    [({"part": "bass", "at_beats": 4}, "an instrument"), ({"part": "clap", "at_beats": 9}, "beyond the loop")],
)
def test_what_cannot_swell_is_refused(asked: dict, why: str) -> None:
    with pytest.raises(InvalidTrack, match=why):
        carried_out(track_of(), Swell(length_beats=2, **asked))

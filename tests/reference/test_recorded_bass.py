"""A recorded finger bass of an open sound set, carved and ducked: skipped where the set is not installed."""

from __future__ import annotations

import re

import numpy as np
import pytest
from outside_room import RATE, begins_before_s, k_weighted, low_middle_db, note_levels, response_db
from reference_clearance import clearance_db
from sound_set import SOUND_SET, sounds
from unlike_tracks import UNLIKE

from juglant.core.analysis.analyse import Analysis, analyse
from juglant.core.loop.render import render_stems
from juglant.core.measure.landing import measure_landing
from juglant.core.model.track import Track
from juglant.core.music.notes import note_hz
from juglant.core.plans.bare import unplanned
from juglant.core.plans.plan import make_room
from juglant.core.synth.takes import TakeAudio, provide

FINGERED = "f1" * 12
LOUD_DB = 4.0
PLAYED = re.compile(r"Finger Bass A1")


@pytest.fixture(scope="module")
def fingered() -> Track:
    """The held line of the sub on a recorded string."""
    if not SOUND_SET.exists():
        pytest.skip("Debian's fluid-soundfont-gm is not installed")
    ((audio, rate),) = sounds(PLAYED).values()
    provide(lambda take: TakeAudio(audio[None], rate) if take == FINGERED else None)
    root = measure_landing(audio, sample_rate=rate).landing_hz
    assert root is not None
    track = UNLIKE["sub, held, 126"]
    bass = track.bass.model_copy(update={"source": "recorded note", "take": FINGERED, "root_hz": round(root, 2)})
    # A string has less of its fundamental than a sub: as loud as it takes to be in the kick's way.
    return track.with_part("bass", instrument=bass, gain_db=LOUD_DB)


@pytest.fixture(scope="module", params=["kick", "shared"])
def made(request: pytest.FixtureRequest, fingered: Track) -> Analysis:
    sheet = fingered.sheet.model_copy(update={"owner": request.param})
    return analyse(make_room(fingered.model_copy(update={"sheet": sheet})))


def test_a_recorded_bass_keeps_its_low_end_and_the_kick_is_clear(made: Analysis) -> None:
    """The same limits as of made-up basses, by scipy from the stems."""
    track, stems = made.track, made.stems
    assert track.duck.on or track.carve.on
    hz, gain_db = response_db(stems.bass_before, stems.bass_unducked, track.carve.floor_hz)
    lowest = min(note_hz(note.note, 440) for note in track.notes())
    assert gain_db.max() <= 0.35
    assert gain_db[hz >= lowest].min() >= -6.15
    named = {"kick": stems.kick, "kick-before": stems.kick_before, "bass": stems.bass, "bass-before": stems.bass_before}
    reached = clearance_db(named, track.sheet.owner, RATE, made.clearance.strokes_s)
    assert made.clearance.after_db == pytest.approx(reached, abs=0.3)
    assert made.clearance.goal.short_db(reached) < 0.5
    assert abs(low_middle_db(stems.bass_unducked) - low_middle_db(stems.bass_before)) < 6
    beat_s = 60 / track.sheet.bpm
    spans = [(note.at_beats * beat_s, note.length_beats * beat_s) for note in track.notes()]
    floored = render_stems(unplanned(track)).bass_unducked
    lost = note_levels(floored, spans) - note_levels(stems.bass_unducked, spans)
    line = 10 * np.log10(np.sum(k_weighted(floored) ** 2) / np.sum(k_weighted(stems.bass_unducked) ** 2))
    assert lost.max() - line <= 1.6
    loop_s = float(made.rows.at_s[-1])
    for stroke in made.strokes if track.duck.on else []:
        early = begins_before_s(made.rows.at_s, made.rows.gain_db, stroke.hit_s, loop_s)
        assert early <= (track.duck.fall_ms + 2) / 1000 + 0.001

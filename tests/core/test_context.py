"""The rest of the track as stems from files: heard, counted in the levels, priced in the low end, and not delivered."""

from __future__ import annotations

import io

import mido
import numpy as np
import pytest
import soundfile
from reference_clearance import clearance_db
from support import same_sound

from juglant.core.analysis.analyse import analyse
from juglant.core.analysis.other_parts import other_parts
from juglant.core.errors import InvalidTrack
from juglant.core.findings.coincidence_findings import hits_fall_together
from juglant.core.findings.registry import find_all
from juglant.core.loop.place import loop_frames
from juglant.core.loop.render import render_stem, render_stems
from juglant.core.measure.level import db
from juglant.core.model.stem import StemRef
from juglant.core.model.track import Track
from juglant.core.pictures.ladder import draw_ladder
from juglant.core.plans.bare import without_room
from juglant.core.plans.plan import planned
from juglant.core.synth.takes import TakeAudio, provide, take_id
from juglant.core.tune.cure import evened
from juglant.core.tune.line import note_map
from juglant.services.deliver import delivered

KNOWN: dict[str, TakeAudio] = {}
RATE = 48000


def pad(rate: int = RATE, seconds: float = 6.0, hz: float = 55.0) -> str:
    """A held tone of two sides as a file would bring it; the id it is known by."""
    time = np.arange(round(seconds * rate)) / rate
    audio = np.stack((0.3 * np.sin(2 * np.pi * hz * time), 0.2 * np.sin(2 * np.pi * 2 * hz * time)))
    take = take_id(audio, rate)
    KNOWN[take] = TakeAudio(audio, rate)
    return take


@pytest.fixture(autouse=True, scope="module")
def _known() -> None:
    provide(KNOWN.get)


def with_stem(track: Track, *, begin_ms: float = 0.0, at: tuple[float, ...] = (0.0,), **part: object) -> Track:
    stem = {
        "id": "context", "name": "Pads", "role": "context", "gain_db": 0,
        "hit": {
            "layers": [
                {"id": "take-1", "name": "Pads", "source": {"engine": "take", "take": pad(), "begin_ms": begin_ms}}
            ],
            "velocity": {"rings": True},
        },
        "strokes": [{"at_beats": place, "velocity": 127} for place in at],
    } | part  # fmt: skip
    return track.having(kit=[stem])


def test_a_stem_plays_from_its_bar_one_and_counts_in_the_levels(solved: Track) -> None:
    track = with_stem(solved, begin_ms=1500)
    stem = render_stem(track, StemRef("context"))
    wanted = KNOWN[pad()].audio[:, round(1.5 * RATE) :]
    assert stem.shape == (2, loop_frames(track))
    # But for the short fade at its start it is the file from there on.
    assert same_sound(stem[:, 960:96_000], wanted[:, 960:96_000], within=1e-6)
    found, without = analyse(track), analyse(solved)
    assert found.levels.peak_db == pytest.approx(db(float(np.max(np.abs(found.stems.loop)))))
    assert found.levels.peak_db != pytest.approx(without.levels.peak_db, abs=0.1)
    # Clearance is between kick and bass; what the stem takes from it stands under other parts.
    assert found.clearance == without.clearance
    (part,) = other_parts(found)
    assert part.cost_db > 1
    assert part.high_pass_hz is not None


def test_a_muted_stem_is_kept_and_silent(solved: Track) -> None:
    track = with_stem(solved, muted=True)
    assert not np.any(render_stem(track, StemRef("context")))
    assert analyse(track).levels == analyse(solved).levels


def test_it_stays_out_of_what_is_delivered_and_out_of_the_tuning(solved: Track) -> None:
    track = with_stem(solved)
    files, plain = dict(delivered(track)), dict(delivered(solved))
    assert not [name for name in files if "context" in name]
    for name in ("loop.wav", "loop-before.wav"):
        ours, alone = (soundfile.read(io.BytesIO(each[name]))[0] for each in (files, plain))
        assert np.array_equal(ours, alone), name
    names = [part.name for part in mido.MidiFile(file=io.BytesIO(files["track.mid"])).tracks]
    assert "context" not in names
    # The description keeps it, and its sound goes with the bundle.
    assert any(name.startswith("takes/") for name in files)
    assert [one.id for one in draw_ladder(track).hits] == ["kick"]
    assert hits_fall_together(analyse(track)) == []


def test_asked_for_it_is_delivered_as_stems_and_in_the_loops(solved: Track) -> None:
    files = dict(delivered(with_stem(solved), rest=True))
    stems = {name: soundfile.read(io.BytesIO(data), always_2d=True)[0] for name, data in files.items() if "stems/" in name}
    assert "stems/kit-context.wav" in stems
    loop = soundfile.read(io.BytesIO(files["loop.wav"]), always_2d=True)[0]
    heard = sum(stems[f"stems/{name}.wav"] for name in ("kick", "bass", "kit-context"))
    assert same_sound(loop, heard, within=1e-6)


@pytest.mark.parametrize("rate", [44100, 96000])
def test_a_file_of_another_rate_plays_at_its_own_pitch(solved: Track, rate: int) -> None:
    take = pad(rate, hz=110)
    track = with_stem(solved)
    layer = track.kit[0].hit.layers[0]
    source = layer.source.model_copy(update={"take": take})
    hit = track.kit[0].hit.model_copy(update={"layers": (layer.model_copy(update={"source": source}),)})
    stem = render_stem(track.with_hit("context", hit), StemRef("context"))[0][: 2 * RATE]
    power = np.abs(np.fft.rfft(stem * np.hanning(stem.size)))
    assert np.argmax(power) / 2 == pytest.approx(110, abs=0.5)


def line(bars: int, rate: int, bpm: float = 126.0) -> str:
    """A bass loop of so many bars as a file would bring it: a new tone on every beat."""
    frames = round(bars * 4 * 60 / bpm * rate)
    beat = np.arange(frames) * bpm / 60 / rate
    hz = 58.27 * 2 ** (np.floor(beat) % 3 * 5 / 12)
    audio = 0.4 * np.sin(2 * np.pi * np.cumsum(hz) / rate)[None]
    take = take_id(audio, rate)
    KNOWN[take] = TakeAudio(audio, rate)
    return take


def with_line(track: Track, take: str | None, **changes: object) -> Track:
    bass = track.bass.model_copy(update={"source": "recorded line", "take": take, **changes})
    return track.with_part("bass", instrument=bass, gain_db=0)


@pytest.mark.parametrize(
    ("bars", "rate", "repeats"), [(4, 48000, False), (2, 48000, True), (1, 44100, True), (3, 48000, True)]
)
def test_a_bass_may_come_as_a_loop_and_is_repeated_by_whole_bars(
    solved: Track, bars: int, rate: int, repeats: bool
) -> None:
    bare = without_room(solved)
    stem = render_stem(with_line(bare, line(bars, rate)), StemRef("bass", "before"))
    assert stem.size == loop_frames(bare)
    bar = loop_frames(bare) // 4
    first = stem[4800 : bars * bar - 4800]
    assert np.sqrt(np.mean(first**2)) == pytest.approx(0.4 / np.sqrt(2), rel=0.02)
    if repeats and rate == 48000:
        again = stem[bars * bar + 4800 : min(2 * bars * bar, stem.size) - 4800]
        # A bar is not a whole number of frames: the repeat may lie half a frame off.
        assert np.max(np.abs(again - first[: again.size])) < 0.02


def test_a_recorded_line_is_carved_ducked_and_moved_like_any_bass(solved: Track) -> None:
    track = with_line(without_room(solved), line(4, RATE))
    before = analyse(track)
    assert before.clearance.before_db is not None
    done = planned(track)
    stems = render_stems(done.track)
    parts = {"kick": stems.kick, "bass": stems.bass, "kick-before": stems.kick_before, "bass-before": stems.bass_before}
    reached = analyse(done.track).clearance.after_db
    assert reached is not None
    assert reached > before.clearance.before_db + 3
    assert clearance_db(parts, "kick", RATE, before.clearance.strokes_s) == pytest.approx(reached, abs=0.1)
    turned = render_stem(track.with_part("bass", shift_ms=-2.0, inverted=True), StemRef("bass", "before"))
    assert same_sound(turned, -np.roll(render_stem(track, StemRef("bass", "before")), -96), within=1e-12)
    assert note_map(track) == []
    with pytest.raises(InvalidTrack, match="recorded line is played as it is"):
        evened(track, "K-weighted")


@pytest.mark.parametrize("take", [None, "f" * 24])
def test_a_line_that_is_not_there_is_silent_and_said(solved: Track, take: str | None) -> None:
    track = with_line(without_room(solved), take)
    assert not np.any(render_stem(track, StemRef("bass", "before")))
    found = analyse(track)
    assert found.clearance.after_db is None
    assert any(finding.id == "take-missing-bass" for finding in find_all(found))


def test_notes_of_a_recorded_line_have_their_own_level(solved: Track) -> None:
    line = with_line(solved, take=pad(seconds=8))
    quiet = line.having(
        bass_notes=tuple(n.model_copy(update={"gain_db": -12.0 if n.at_beats < 1 else 0.0}) for n in line.bass_notes)
    )
    first = line.notes()[0]
    middle = round((first.at_beats + first.length_beats / 2) * 60 / line.sheet.bpm * RATE)
    window = slice(middle - 500, middle + 500)
    loud, soft = (render_stem(one, StemRef("bass", "before"))[window] for one in (line, quiet))
    assert same_sound(soft, loud * 10 ** (-12 / 20), within=1e-9, share=1e-6)


def test_bar_one_past_the_end_is_silence(solved: Track) -> None:
    assert not np.any(render_stem(with_line(solved, line(1, RATE), begin_ms=29_000), StemRef("bass", "before")))


def test_notes_of_a_recorded_line_are_measured_where_they_are_written(solved: Track) -> None:
    """What sounds counts, not what is written: a tone a fourth up on the second beat, whatever its note says."""
    notes = [{"at_beats": at, "length_beats": 1, "note": note} for at, note in ((0, 34), (1, 36), (2, 44))]
    track = with_line(solved, line(4, RATE)).having(bass_notes=notes)
    found = analyse(track)
    assert found.note_hz[34] == pytest.approx(58.27, rel=0.003)
    assert found.note_hz[36] == pytest.approx(58.27 * 2 ** (5 / 12), rel=0.003)
    assert found.note_hz[44] == pytest.approx(58.27 * 2 ** (10 / 12), rel=0.003)

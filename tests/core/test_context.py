"""The rest of the track as stems from files: heard, counted in the levels, priced in the low end, and not delivered."""

from __future__ import annotations

import io

import mido
import numpy as np
import pytest
import soundfile

from juglant.core.findings.coincidence_findings import hits_fall_together
from juglant.core.measure.level import db
from juglant.core.mix.analyse import analyse
from juglant.core.mix.others import other_parts
from juglant.core.mix.render import loop_frames, render_stem
from juglant.core.model.track import Track
from juglant.core.pictures.ladder import draw_ladder
from juglant.core.synth.takes import TakeAudio, provide, take_id
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
    return Track.model_validate({**track.model_dump(), "kit": [stem]})


def test_a_stem_plays_from_its_bar_one_and_counts_in_the_levels(solved: Track) -> None:
    track = with_stem(solved, begin_ms=1500)
    stem = render_stem(track, "kit-context")
    wanted = KNOWN[pad()].audio[:, round(1.5 * RATE) :]
    assert stem.shape == (2, loop_frames(track))
    # But for the short fade at its start it is the file from there on.
    assert stem[:, 960:96_000] == pytest.approx(wanted[:, 960:96_000], abs=1e-6)
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
    assert not np.any(render_stem(track, "kit-context"))
    assert analyse(track).levels == analyse(solved).levels


def test_it_stays_out_of_what_is_delivered_and_out_of_the_tuning(solved: Track) -> None:
    track = with_stem(solved)
    files, plain = delivered(track), delivered(solved)
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


@pytest.mark.parametrize("rate", [44100, 96000])
def test_a_file_of_another_rate_plays_at_its_own_pitch(solved: Track, rate: int) -> None:
    take = pad(rate, hz=110)
    track = with_stem(solved)
    layer = track.kit[0].hit.layers[0]
    source = layer.source.model_copy(update={"take": take})
    hit = track.kit[0].hit.model_copy(update={"layers": (layer.model_copy(update={"source": source}),)})
    stem = render_stem(track.with_hit("context", hit), "kit-context")[0][: 2 * RATE]
    power = np.abs(np.fft.rfft(stem * np.hanning(stem.size)))
    assert np.argmax(power) / 2 == pytest.approx(110, abs=0.5)

"""A hit copied into another role: a part of its own, in key, played as its role is, and all of it said."""

from __future__ import annotations

from typing import get_args

import numpy as np
import pytest

from juglant.core.commands.copies import CopiedAs, CopyHit
from juglant.core.commands.registry import carried_out
from juglant.core.errors import InvalidTrack
from juglant.core.hit.render import render_hit
from juglant.core.loop.render import heard_stem
from juglant.core.model.stem import StemRef
from juglant.core.model.track import Track
from juglant.core.music.scales import nearest_scale_note
from juglant.demo.kit import with_kit

RATE = 48000


@pytest.fixture(scope="module")
def track(solved: Track) -> Track:
    return with_kit(solved)


@pytest.mark.parametrize("role", get_args(CopiedAs))
@pytest.mark.parametrize("part", ["kick", "tom", "clap"])
def test_a_copy_is_a_part_of_its_own_and_the_first_stays(track: Track, part: str, role: CopiedAs) -> None:
    done = carried_out(track, CopyHit(part=part, role=role))
    made = done.track.parts[-1]
    assert made.role == role
    assert made.strokes
    assert done.track.parts[:-1] == track.parts
    assert len({one.id for one in done.track.parts}) == len(done.track.parts) == len(track.parts) + 1
    assert len({one.name for one in done.track.parts}) == len(done.track.parts)
    assert np.array_equal(heard_stem(done.track, StemRef(part)), heard_stem(track, StemRef(part)))
    assert np.max(np.abs(heard_stem(done.track, StemRef(made.id)))) > 1e-3
    assert any("usual places of its role" in one for one in done.said)
    assert any("cuts and is cut by the hats" in one for one in done.said) is (role in ("hat", "open hat"))
    # Twice is another one, under another name.
    again = carried_out(done.track, CopyHit(part=part, role=role)).track
    assert len({one.name for one in again.parts}) == len(again.parts) == len(track.parts) + 2


def test_a_copy_off_the_key_is_brought_to_its_nearest_note_and_that_is_said(track: Track) -> None:
    off = track.part("tom").hit
    layers = tuple(layer.model_copy(update={"tune_cents": layer.tune_cents + 43}) for layer in off.layers)
    done = carried_out(track.with_hit("tom", off.model_copy(update={"layers": layers})), CopyHit(part="tom", role="sub"))
    sheet = track.sheet
    sound = render_hit(done.track.parts[-1].hit, sample_rate=RATE, bpm=sheet.bpm).mono
    # The strongest partial below 400 Hz of what rings on, by a long transform.
    power = np.abs(np.fft.rfft(sound[RATE // 10 :] * np.hanning(sound.size - RATE // 10), 1 << 20))
    hz = float(np.argmax(power[: round(400 / RATE * (1 << 20))]) * RATE / (1 << 20))
    assert abs(nearest_scale_note(hz, sheet.tonic, sheet.scale, sheet.a4_hz)[1]) < 15
    assert any("cents to" in one and "nearest note of the key" in one for one in done.said)


def test_a_name_of_forty_letters_is_copied_twice_under_two_names(track: Track) -> None:
    long = track.with_part("tom", name="A tom of which the name takes all of it")
    for _ in range(2):
        long = carried_out(long, CopyHit(part="tom", role="percussion")).track
    names = [one.name for one in long.parts]
    assert len(set(names)) == len(names)
    assert max(len(name) for name in names) <= 40


@pytest.mark.parametrize(("part", "words"), [("bass", "not a hit"), ("tom", "at most 40 parts")])
def test_what_cannot_be_copied_is_refused_in_words(track: Track, part: str, words: str) -> None:
    full = track
    while part == "tom" and len(full.parts) < 40:
        full = carried_out(full, CopyHit(part="clap", role="percussion")).track
    with pytest.raises(InvalidTrack, match=words):
        carried_out(full, CopyHit(part=part, role="tom"))

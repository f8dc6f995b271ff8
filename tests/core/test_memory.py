"""What is remembered of audio: bounded in bytes, the same samples as made anew, and no level is part of it."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass

import numpy as np
import pytest
from support import same_sound, tone

from juglant.core import memory
from juglant.core.analysis.stem_bands import bands_of
from juglant.core.loop.render import render_stem, stem_refs
from juglant.core.memory import (
    MOST_BYTES,
    RenderStore,
    bytes_of,
    forget,
    handed,
    newest,
    remembered,
    remembered_bytes,
)
from juglant.core.model.part import Part
from juglant.core.model.stem import BASS, KICK, StemRef
from juglant.core.model.strokes import BassNote, Stroke
from juglant.core.model.track import Track
from juglant.core.model.version_one import Mix
from juglant.core.synth.takes import TakeAudio, find_take, provide, was_missed

MB = 1_000_000


@dataclass(frozen=True)
class Two:
    one: np.ndarray
    other: tuple[np.ndarray, ...]


def test_bytes_are_counted_however_deep_they_lie() -> None:
    audio = np.zeros(MB)
    assert bytes_of(Two(audio, (audio, audio))) == pytest.approx(24 * MB, rel=0.01)
    assert bytes_of({"a": [audio]}) == pytest.approx(8 * MB, rel=0.01)
    assert bytes_of(audio.astype(np.float32)) == pytest.approx(4 * MB, rel=0.01)
    assert bytes_of(b"x" * MB) == pytest.approx(MB, rel=0.01)
    assert bytes_of(1.0) < 1000


def test_what_is_remembered_has_a_limit_and_the_oldest_goes_first(monkeypatch: pytest.MonkeyPatch) -> None:
    forget()
    made: list[int] = []

    @remembered()
    def sound(number: int) -> np.ndarray:
        made.append(number)
        return np.zeros(5 * MB)

    for number in range(3 * MOST_BYTES // (40 * MB)):
        sound(number)
        assert remembered_bytes() <= MOST_BYTES
    made.clear()
    sound(number)
    sound(0)
    assert made == [0]
    forget()
    assert remembered_bytes() == 0


def at_once(count: int, ask: Callable[[], object]) -> list[object]:
    """The same asked by so many at the same time, and what each got: a result or an error."""
    ready = threading.Barrier(count)

    def one() -> object:
        ready.wait()
        try:
            return ask()
        except ValueError as error:
            return error

    with ThreadPoolExecutor(count) as pool:
        return [waiting.result() for waiting in [pool.submit(one) for _ in range(count)]]


@pytest.mark.parametrize("kind", [remembered(), newest(4)], ids=["in bytes", "the newest"])
def test_eight_who_ask_for_the_same_at_once_cost_one(kind: Callable) -> None:
    forget()
    made: list[int] = []

    @kind
    def slow(number: int) -> np.ndarray:
        made.append(number)
        time.sleep(0.2)
        return np.full(4, float(number))

    got = at_once(8, lambda: slow(3))
    assert made == [3]
    assert all(one is got[0] for one in got)
    # Another key does not wait for it.
    assert len(at_once(2, lambda: slow(len(made)))) == 2


@pytest.mark.parametrize("kind", [remembered(), newest(4)], ids=["in bytes", "the newest"])
def test_all_who_wait_hear_of_an_error_and_the_next_tries_again(kind: Callable) -> None:
    tried: list[int] = []

    @kind
    def failing(number: int) -> int:
        tried.append(number)
        time.sleep(0.1)
        if len(tried) == 1:
            raise ValueError("not this time")
        return number

    assert [str(one) for one in at_once(4, lambda: failing(7))] == ["not this time"] * 4
    assert tried == [7]
    assert failing(7) == 7
    assert tried == [7, 7]


def test_what_was_begun_before_all_was_forgotten_is_not_kept() -> None:
    going, held = threading.Event(), threading.Event()
    sounds = ["missing"]

    @newest(4)
    def made_of() -> str:
        found = sounds[0]
        going.set()
        held.wait(10)
        return found

    with ThreadPoolExecutor(1) as pool:
        early = pool.submit(made_of)
        going.wait(10)
        sounds[0] = "arrived"
        forget()
        held.set()
        assert early.result() == "missing"
    assert made_of() == "arrived"


def test_a_result_larger_than_is_kept_is_made_each_time() -> None:
    made: list[int] = []

    @remembered(largest_bytes=MB)
    def sound(number: int) -> np.ndarray:
        made.append(number)
        return np.zeros(number)

    for number in (10, 10, MB, MB):
        sound(number)
    assert made == [10, MB, MB]


def test_many_threads_get_what_one_would() -> None:
    forget()

    @remembered()
    def sound(number: int) -> np.ndarray:
        return np.full(1000, float(number))

    wrong: list[int] = []

    def work() -> None:
        for number in [*range(40)] * 5:
            if sound(number)[0] != number:
                wrong.append(number)

    threads = [threading.Thread(target=work) for _ in range(8)]
    for one in threads:
        one.start()
    for one in threads:
        one.join()
    assert wrong == []


def track_at(kick_db: float, bass_db: float, hit_db: float) -> Track:
    clap = Part(id="clap", name="C", role="clap", hit=tone(200), strokes=(Stroke(at_beats=1),), gain_db=hit_db)
    note = BassNote(at_beats=0.5, length_beats=1, note=33)
    mix = Mix(kick_gain_db=kick_db, bass_gain_db=bass_db)
    return Track(kick=tone(50), kick_at_beats=(0.0, 1.0), kit=(clap,), bass_notes=(note,), mix=mix)


PARTS = {"kick": KICK, "bass": BASS, "clap": StemRef("clap")}


@pytest.mark.parametrize("part", PARTS)
def test_a_level_is_heard_exactly_and_is_no_part_of_what_is_remembered(part: str, monkeypatch: pytest.MonkeyPatch) -> None:
    forget()
    quiet, loud = track_at(-12, -12, -12), track_at(-6.5, -6.5, -6.5)
    factor = 10 ** (5.5 / 20)
    first = {ref: render_stem(quiet, ref) for ref in stem_refs(quiet)}
    bands = bands_of(quiet, PARTS[part])
    before = remembered_bytes()
    for ref, stem in first.items():
        assert same_sound(render_stem(loud, ref), stem * factor, within=1e-12, share=1e-6)
    assert same_sound(bands_of(loud, PARTS[part]), bands * factor**2, share=1e-6)
    assert remembered_bytes() == before


def test_what_is_remembered_cannot_be_written_to() -> None:
    for ref in stem_refs(track_at(0, 0, 0)):
        with pytest.raises(ValueError, match="read-only"):
            render_stem(track_at(0, 0, 0), ref)[0] = 1.0


def test_made_anew_it_is_the_same(solved: Track) -> None:
    before = {ref: render_stem(solved, ref) for ref in stem_refs(solved)}
    memory.forget()
    for ref, stem in before.items():
        assert np.array_equal(render_stem(solved, ref), stem)


def test_two_stores_share_nothing_and_a_script_has_one_of_its_own() -> None:
    made: list[int] = []

    @remembered()
    def sound(number: int) -> np.ndarray:
        made.append(number)
        return np.zeros(1000)

    @newest(2)
    def figure(number: int) -> int:
        made.append(-number)
        return number

    one, other = RenderStore(), RenderStore()
    for store in (one, other, one, other):
        with handed(store):
            sound(1)
            figure(1)
    assert made == [1, -1, 1, -1]
    assert one.remembered_bytes() == other.remembered_bytes() > 8000
    with handed(one):
        forget()
    assert one.remembered_bytes() == 0 < other.remembered_bytes()
    # A store that is smaller keeps less: what does not fit is made again.
    with handed(RenderStore(4000)):
        sound(1)
        sound(1)
        assert remembered_bytes() == 0
    assert made == [1, -1, 1, -1, 1, 1]


def test_a_take_of_one_store_is_missed_in_another() -> None:
    sound = TakeAudio(np.ones((1, 10)), 48000)
    with handed(RenderStore()):
        provide({"a" * 24: sound}.get)
        assert find_take("a" * 24) is not None
    with handed(RenderStore()):
        assert find_take("a" * 24) is None
        assert was_missed("a" * 24)
    assert not was_missed("a" * 24)

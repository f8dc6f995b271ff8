"""Impacts and their ranking against a known tool's onsets in the same run; a long shelf; how soon a slice is heard."""

from __future__ import annotations

import statistics
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

from bench.line import Line

sys.path.insert(0, str(Path(__file__).resolve().parents[1] / "tests"))
TIMES, TAKES, SLICES, MINUTE_S, RATE = 5, 200, 40, 60, 48000


def _median_ms(run: Callable[[], Any], times: int = TIMES) -> float:
    run()
    found = []
    for _ in range(times):
        began = time.perf_counter()
        run()
        found.append(1000 * (time.perf_counter() - began))
    return statistics.median(found)


def recorded_lines() -> list[Line]:
    """A minute of loops searched and ranked, two hundred takes listed, a slice of one made ready to be heard."""
    import librosa
    import numpy as np
    from made_loops import PATTERNS, made_loop  # type: ignore[import-not-found]

    from juglant.core.measure.impacts import find_impacts
    from juglant.core.synth.takes import TakeAudio
    from juglant.services.impacts import heard_of, ranked, weighed
    from juglant.services.takes import Shelf, take_wav
    from juglant.services.tracks import Workspace

    loops = [made_loop(list(PATTERNS)[number % len(PATTERNS)], 122.0, number % 3)[0] for number in range(16)]
    minute = np.concatenate(loops)[: MINUTE_S * RATE]
    single = minute.astype(np.float32)
    found = find_impacts(minute, sample_rate=RATE)

    def rank() -> None:
        weights = []
        for one in found:
            first, last = (round(at * RATE) for at in heard_of(one))
            weights.append(weighed(one, minute[first:last], RATE))
        ranked(tuple(one for one in weights if one is not None), "kick")

    onsets = _median_ms(lambda: librosa.onset.onset_detect(y=single, sr=RATE))
    impacts = _median_ms(lambda: find_impacts(minute, sample_rate=RATE))
    ranking = _median_ms(rank, 3)
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "bench.sqlite3"
        Workspace(path).prepare()
        shelf = Shelf(path)
        random = np.random.default_rng(0)
        for number in range(TAKES):
            sound = 0.3 * random.standard_normal((1, RATE // 4)) * np.exp(-np.arange(RATE // 4) / 3000)
            shelf.keep(f"Take {number}", TakeAudio(sound, RATE))
        long = shelf.keep("Long", TakeAudio(0.5 * minute[None, : 20 * RATE], RATE)).id
        listed = _median_ms(shelf.all)
        slices = [1000 * one.begin_s for one in found if one.begin_s < 18][:SLICES]
        heard = []
        for begin_ms in slices:
            began = time.perf_counter()
            take_wav(shelf, long, begin_ms, 250, RATE)
            heard.append(1000 * (time.perf_counter() - began))
    return [
        Line("impacts of a minute, over librosa's onsets", impacts / onsets, "x", 1.0),
        Line("impacts of a minute ranked, over the same", ranking / onsets, "x", 10),
        Line("two hundred takes listed", listed, "ms", 100),
        Line("a slice of 20 s made ready to be heard", statistics.median(heard), "ms", 25),
    ]

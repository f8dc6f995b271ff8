"""Landing and tuning against known tools, on hits that are made here."""

from __future__ import annotations

import statistics
import sys
import time
import warnings
from pathlib import Path

from bench.line import Line, Measured, bars_of, slowness, timed_ms, yardstick_ms

sys.path.insert(0, str(Path(__file__).resolve().parents[1] / "tests"))
HITS, PYIN_HITS = 60, 6
SEED = 4242


def landing_lines() -> list[Line]:
    """Landing against pyin on the same hits: time and error."""
    import librosa
    import numpy as np
    from made_hits import pitched  # type: ignore[import-not-found]

    from juglant.core.measure.landing import measure_landing

    rng = np.random.default_rng(SEED)
    hits = [pitched(rng) for _ in range(HITS)]
    first = timed_ms(lambda: measure_landing(hits[0].audio, sample_rate=hits[0].sample_rate), 1)
    for hit in hits:
        measure_landing(hit.audio, sample_rate=hit.sample_rate)
    times, errors, ratios, their_errors = [], [], [], []
    before = yardstick_ms("transforms")
    for number, hit in enumerate(hits):
        began = time.perf_counter()
        landing = measure_landing(hit.audio, sample_rate=hit.sample_rate).landing_hz
        ours = time.perf_counter() - began
        times.append(1000 * ours)
        error = abs(1200 * np.log2(landing / (hit.landing_hz or 1.0))) if landing else 1200.0
        errors.append(float(error))
        if number >= PYIN_HITS:
            continue
        began = time.perf_counter()
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            pitch, _, _ = librosa.pyin(
                hit.audio, fmin=25, fmax=400, sr=hit.sample_rate, frame_length=8192, hop_length=512, resolution=0.1
            )
        theirs = time.perf_counter() - began
        level = librosa.feature.rms(y=hit.audio, frame_length=8192, hop_length=512)[0][: pitch.size]
        known = np.isfinite(pitch)
        weight = np.where(known, level**2, 0)
        heard = 2 ** (np.sum(weight[known] * np.log2(pitch[known])) / weight[known].sum()) if known.any() else None
        their_errors.append(float(abs(1200 * np.log2(heard / hit.landing_hz))) if heard else 1200.0)
        ratios.append(theirs / ours)
    slow = slowness("transforms", before, yardstick_ms("transforms"))
    return [
        Line("landing, first call", first, "ms"),
        Line("landing, one hit", Measured(statistics.median(times), slow), "ms", 5),
        Line("landing, times faster than pyin", statistics.median(ratios), "x", 30, at_least=True),
        Line("landing, median error", statistics.median(errors), "cents", 1),
        Line("pyin, median error on its hits", statistics.median(their_errors), "cents"),
    ]


def tune_lines() -> list[Line]:
    """A kit of 32 on the ladder, the line against the kick, and Praat on the same hits."""
    import numpy as np
    import parselmouth
    from made_hits import pitched

    from juglant.core.analysis.analyse import analyse
    from juglant.core.analysis.beats import LoopPartials, beating_by_note
    from juglant.core.measure.landing import measure_landing
    from juglant.core.measure.timing import measure_length_ms
    from juglant.core.signal.shift import length_kept
    from juglant.core.tune.line import meetings, note_map

    rng = np.random.default_rng(SEED + 1)
    kit = [pitched(rng) for _ in range(32)]

    def measure() -> None:
        for hit in kit:
            measure_landing(hit.audio, sample_rate=hit.sample_rate)
            measure_length_ms(hit.audio, sample_rate=hit.sample_rate)

    praat_errors: list[float] = []

    def praat() -> None:
        praat_errors.clear()
        for hit in kit:
            sound = parselmouth.Sound(hit.audio, hit.sample_rate)
            floor_hz = max(25, 3.2 * hit.sample_rate / hit.audio.size)
            found_hz = sound.to_pitch_ac(time_step=0.005, pitch_floor=floor_hz, pitch_ceiling=400).selected_array[
                "frequency"
            ]
            # The settled end of what it heard.
            known = found_hz[found_hz > 0]
            late = float(np.median(known[known.size // 2 :])) if known.size else 1.0
            praat_errors.append(abs(1200 * float(np.log2(late / (hit.landing_hz or 1.0)))))

    found = analyse(bars_of(16))
    second = np.sin(2 * np.pi * 58.27 * np.arange(48000) / 48000)[None] * np.exp(-4 * np.arange(48000) / 48000)

    def moved() -> None:
        length_kept(second, 1.1, keep_frames=1440, sample_rate=48000)

    landing_hz = (found.kick.landing.landing_hz if found.kick else None) or 58.27

    def line() -> None:
        kick, bass = (LoopPartials(stem, found.track.sheet.sample_rate) for stem in (found.stems.kick, found.stems.bass))
        strokes = found.track.played(found.track.kick_hit())
        beating_by_note(found.track, kick, bass, strokes, landing_hz=landing_hz, settled_s=0.05, note_hz=found.note_hz)
        meetings(found)
        note_map(found.track)

    measure()
    moved()
    line()
    ours, theirs = timed_ms(measure, 3), timed_ms(praat, 3)
    return [
        Line("a kit of 32, landing and length", ours, "ms", 300),
        Line("the same, times faster than Praat's autocorrelation", theirs / ours, "x"),
        Line("Praat, median error on the kit", statistics.median(praat_errors), "cents"),
        Line("sixteen bars of the line against the kick", timed_ms(line, 5), "ms", 200),
        Line("a second moved with its length kept", timed_ms(moved, 5), "ms"),
    ]

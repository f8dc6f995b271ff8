"""What `./juglant bench` runs: medians and ratios within one run, compiled code warm, first calls stated apart."""

from __future__ import annotations

import gzip
import json
import statistics
import subprocess
import sys
import tempfile
import time
import urllib.error
import urllib.request
import warnings
from collections.abc import Callable
from dataclasses import asdict, dataclass
from pathlib import Path
from typing import Any

from bench.machine import undisturbed

ROOT = Path(__file__).resolve().parents[1]
sys.path.insert(0, str(ROOT / "tests"))
HITS, PYIN_HITS = 60, 6
SEED = 4242


@dataclass(frozen=True)
class Line:
    """One figure, its unit, and the limit it is held against (None: stated only)."""

    name: str
    value: float
    unit: str
    limit: float | None = None
    at_least: bool = False

    @property
    def within(self) -> bool:
        """Whether the limit is kept."""
        if self.limit is None:
            return True
        return self.value >= self.limit if self.at_least else self.value <= self.limit


def timed_ms(work: Callable[[], Any], times: int) -> float:
    """Median time of a call in ms."""
    found = []
    for _ in range(times):
        began = time.perf_counter()
        work()
        found.append(1000 * (time.perf_counter() - began))
    return statistics.median(found)


def yardstick_lines() -> list[Line]:
    """How fast this machine is just now: plain Python, so that the times below can be compared between runs."""
    return [Line("yardstick: a million additions in Python", timed_ms(lambda: sum(range(1_000_000)), 9), "ms")]


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
    return [
        Line("landing, first call", first, "ms"),
        Line("landing, one hit", statistics.median(times), "ms", 5),
        Line("landing, times faster than pyin", statistics.median(ratios), "x", 30, at_least=True),
        Line("landing, median error", statistics.median(errors), "cents", 1),
        Line("pyin, median error on its hits", statistics.median(their_errors), "cents"),
    ]


def _bars(count: int) -> Any:
    """The demo's four bars, over and over, or fewer of them."""
    from juglant.demo.track import solved_track

    track = solved_track()
    notes = [
        note.model_copy(update={"at_beats": at})
        for turn in range(-(-count // 4))
        for note in track.bass_notes
        if (at := note.at_beats + 16 * turn) < 4 * count
    ]
    sheet = track.sheet.model_copy(update={"bars": count})
    return track.model_copy(
        update={
            "sheet": sheet,
            "bass_notes": tuple(notes),
            "kick_at_beats": tuple(float(beat) for beat in range(4 * count)),
        }
    )


def _duck_lines() -> list[Line]:
    """Fits of targets over eight bars, and what to type into a compressor."""
    from juglant.core.duck.compressor import key_level, match_compressor
    from juglant.core.duck.targets import part_rows
    from juglant.core.mix.ducks import plan_part, plan_targets
    from juglant.core.mix.kick_stem import loop_frames
    from juglant.core.mix.render import render_stem
    from juglant.core.model.duck import Duck, Ducking, Target
    from juglant.core.model.hit import Hit, Layer
    from juglant.core.model.kit import KitHit, Stroke
    from juglant.core.synth.chord import Chord

    # Six low chords that meet the kick, so that each has to be solved.
    strokes = tuple(Stroke(at_beats=float(4 * bar), velocity=127) for bar in range(8))
    hit = Hit(layers=(Layer(id="c", name="C", source=Chord(landing_hz=60, hold_ms=1200, chord="fifth")),))
    parts = [
        KitHit(id=f"low-{i}", name=f"Low {i}", role="chord", hit=hit, strokes=strokes, gain_db=0.5 * i) for i in range(6)
    ]
    targets = tuple(Target(part=one.id, curves=(Duck(on=True),)) for one in parts)
    track = _bars(8).model_copy(update={"kit": tuple(parts), "ducking": Ducking(targets=targets)})
    plan_targets(track)
    rows = part_rows(track, "bass", loop_frames(track))
    rate = track.sheet.sample_rate

    def matched() -> None:
        match_compressor(rows, key_level(render_stem(track, "kick"), sample_rate=rate))

    return [
        Line("duck of one part fitted, eight bars", timed_ms(lambda: plan_part(track, "bass"), 3), "ms", 120),
        Line("ducks of six parts fitted, eight bars", timed_ms(lambda: plan_targets(track), 3), "ms", 400),
        Line("compressor matched to a curve, eight bars", timed_ms(matched, 3), "ms", 600),
    ]


def render_lines() -> list[Line]:
    """Kick, loop and measurement."""
    from juglant.core.hit.render import cached_recipe, render_layer, sum_layers
    from juglant.core.hit.strokes import cached_mono, cached_stroke
    from juglant.core.mix import kick_stem
    from juglant.core.mix import render as mix
    from juglant.core.mix.analyse import contest_of, measure_levels
    from juglant.core.mix.plan import plan_carve, plan_duck
    from juglant.core.model.hit import Layer
    from juglant.core.synth.sweep import Sweep
    from juglant.core.synth.tail import Tail
    from juglant.demo.track import solved_track, untouched_track

    began = time.perf_counter()
    track = solved_track()
    first = 1000 * (time.perf_counter() - began)
    long_sweep = Sweep(hold_ms=300, decay_ms=900, release_ms=300, drive_db=6)
    layers = [
        *track.kick.layers,
        Layer(id="long", name="Long", source=long_sweep),
        Layer(id="bed", name="Bed", source=Tail(hold_ms=300, decay_ms=900, release_ms=300)),
    ]

    def kick() -> None:
        sum_layers(layers, [render_layer(layer, sample_rate=48000) for layer in layers], sample_rate=48000)

    eight = _bars(8)

    def loop() -> None:
        for cache in (
            cached_stroke,
            cached_mono,
            mix.cached_note,
            kick_stem.kick_before,
            kick_stem.carved_kick,
            mix._bass_before,
            mix._carved_bass,
            cached_recipe,
        ):
            cache.cache_clear()
        mix.render_stems(eight)

    kick()
    loop()
    stems = mix.render_stems(eight)

    def measure() -> None:
        contest_of(eight, stems)
        measure_levels(eight, stems)

    measure()
    bare = untouched_track()
    return [
        Line("demo solved, first call", first, "ms"),
        Line("kick of five layers, 1.5 s, rendered", timed_ms(kick, 15), "ms", 40),
        Line("eight bars with carve and duck, rendered", timed_ms(loop, 9), "ms", 400),
        Line("eight bars, measured", timed_ms(measure, 9), "ms", 400),
        Line("carve solved", timed_ms(lambda: plan_carve(bare), 3), "ms"),
        Line("duck solved", timed_ms(lambda: plan_duck(bare), 3), "ms"),
        *_duck_lines(),
    ]


def engine_lines() -> list[Line]:
    """One second of every engine."""
    from juglant.core.synth.bass import Bass, render_note
    from juglant.core.synth.beater import Beater
    from juglant.core.synth.clap import Clap
    from juglant.core.synth.fm import Fm
    from juglant.core.synth.metal import Metal
    from juglant.core.synth.registry import AnyEngine, render_engine
    from juglant.core.synth.rumble import Rumble
    from juglant.core.synth.skins import Skins
    from juglant.core.synth.snare import Snare
    from juglant.core.synth.sweep import Sweep
    from juglant.core.synth.tail import Tail

    sounds: dict[str, tuple[AnyEngine, float]] = {
        "body": (Sweep(hold_ms=100, decay_ms=600, release_ms=300, drive_db=6), 15),
        "beater": (Beater(decay_ms=330), 15),
        "tail": (Tail(hold_ms=100, decay_ms=600, release_ms=300), 15),
        "two skins with wires": (Skins(ring_ms=480, second_ring_ms=400, wires_db=-12, wires_ms=160), 30),
        "snare": (Snare(tone_ms=380, noise_ms=400), 15),
        "clap": (Clap(room_ms=420), 15),
        "metal": (Metal(open=0.78), 15),
        "fm": (Fm(decay_ms=500, release_ms=500, second_index=2, band_octaves=2), 15),
    }
    kick = render_engine(sounds["body"][0], tune=1, sample_rate=48000)
    lines = []
    for name, (source, limit) in sounds.items():
        seconds = render_engine(source, tune=1, sample_rate=48000).size / 48000
        took = timed_ms(lambda source=source: render_engine(source, tune=1, sample_rate=48000), 9)  # type: ignore[misc]
        lines.append(Line(f"{name}, a second of it", took / seconds, "ms", limit))
    wide = Rumble(length_beats=2, width_pct=50)
    lines.append(
        Line(
            "rumble, a second of it, two sides",
            timed_ms(lambda: render_engine(wide, tune=1, sample_rate=48000, strike=kick, bpm=120), 9) / 0.97,
            "ms",
            15,
        )
    )
    for kind in ("sub", "saw", "pulse", "fm pluck"):
        bass = Bass.model_validate({"source": kind, "mid_db": -12})
        took = timed_ms(lambda bass=bass: render_note(bass, 58.27, frames=48000, sample_rate=48000), 9)  # type: ignore[misc]
        lines.append(Line(f"bass, {kind} with a mid, a second of it", took, "ms", 15))
    return lines


def address_of(server: subprocess.Popen[str]) -> str:
    """The address a server prints first."""
    line = server.stdout.readline() if server.stdout else ""
    return next(word for word in line.split() if word.startswith("http"))


def answer_after_s(folder: Path) -> tuple[float, float]:
    """Seconds from starting a server to its first answer, and to its first answer about a track."""
    began = time.perf_counter()
    command = [sys.executable, "-m", "juglant.cli", "demo", "--no-browser", "--port", "0", "--data", str(folder)]
    with subprocess.Popen(command, stdout=subprocess.PIPE, text=True) as server:  # noqa: S603
        try:
            address = address_of(server)
            page = _when(address, began)
            return page, _when(f"{address}api/tracks", began)
        finally:
            server.terminate()


def _when(address: str, began: float) -> float:
    while True:
        try:
            urllib.request.urlopen(address, timeout=30).read()  # noqa: S310
        except urllib.error.HTTPError:
            return time.perf_counter() - began
        except OSError:
            time.sleep(0.01)
            continue
        return time.perf_counter() - began


def start_lines() -> list[Line]:
    """Server start, the second time (the first one solves the demo)."""
    with tempfile.TemporaryDirectory() as folder:
        first = answer_after_s(Path(folder))
        again = [answer_after_s(Path(folder)) for _ in range(3)]
    return [
        Line("server start to a solved demo, first time", first[1], "s"),
        Line("server start to first answer", statistics.median(page for page, _ in again), "s", 3),
        Line("server start to first answer about a track", statistics.median(api for _, api in again), "s"),
    ]


def page_lines() -> list[Line]:
    """Size of the built page before fonts."""
    built = ROOT / "web" / "dist"
    parts = [p for p in built.rglob("*") if p.suffix in {".js", ".css", ".html", ".svg"}]
    size = sum(len(gzip.compress(part.read_bytes())) for part in parts)
    return [Line("front end gzipped, before fonts", size / 1000, "kB", 300)]


def in_page_lines() -> list[Line]:
    """What is measured in a browser."""
    from bench.page import page_figures

    found = page_figures()
    return [
        Line("edit to sound, median", found.edit_to_sound_ms, "ms", 150),
        Line("pictures while a ruler is dragged", found.pictures_per_s, "/s", 30, at_least=True),
        Line("the same with the loop playing", found.pictures_per_s_playing, "/s", 30, at_least=True),
        Line("response drawn while a move is dragged, playing", found.carve_per_s, "/s", 30, at_least=True),
        Line("curve drawn while a point of the duck is dragged, playing", found.duck_per_s, "/s", 30, at_least=True),
        Line("sixteen of five layers, seen and playable", found.roll_ms, "ms", 1000),
        Line("the same, every sound fetched ahead", found.sounds_ms, "ms"),
        Line("taken from this machine meanwhile, at most", 100 * found.stolen, "%"),
    ]


def kit_lines() -> list[Line]:
    """The demo with its kit: everything the page asks after an edit of one hit."""
    from juglant.core.findings.registry import find_all
    from juglant.core.hit.roll import Roll
    from juglant.core.mix.analyse import analyse
    from juglant.core.pictures.sheet import small_of
    from juglant.demo.kit import with_kit
    from juglant.demo.track import solved_track
    from juglant.services.variations import contact_sheet

    track = with_kit(solved_track())
    found = analyse(track)
    find_all(found)
    seeds = iter(range(1000))

    def sheet() -> None:
        small_of.cache_clear()
        contact_sheet(track, "kick", Roll(next(seeds), 40, only_front=False))

    return [
        Line("findings of the demo with its kit", timed_ms(lambda: find_all(found), 5), "ms"),
        Line("a contact sheet of the kick, measured", timed_ms(sheet, 5), "ms"),
    ]


def tune_lines() -> list[Line]:
    """A kit of 32 on the ladder, the line against the kick, and Praat on the same hits."""
    import numpy as np
    import parselmouth
    from made_hits import pitched

    from juglant.core.measure.landing import measure_landing
    from juglant.core.measure.timing import measure_length_ms
    from juglant.core.mix.analyse import analyse
    from juglant.core.signal.shift import length_kept
    from juglant.core.tune.beats import beating_by_note
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

    found = analyse(_bars(16))
    second = np.sin(2 * np.pi * 58.27 * np.arange(48000) / 48000)[None] * np.exp(-4 * np.arange(48000) / 48000)

    def moved() -> None:
        length_kept(second, 1.1, keep_frames=1440, sample_rate=48000)

    landing_hz = (found.kick.landing.landing_hz if found.kick else None) or 58.27

    def line() -> None:
        beating_by_note(
            found.track, found.stems.kick, found.stems.bass, landing_hz=landing_hz, settled_s=0.05, note_hz=found.note_hz
        )
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


LENGTHS_BARS = (1, 2, 4, 8, 16)


def separate_lines() -> list[Line]:
    """The clash map and the plan, by the length of the loop: no worse than linear."""
    from juglant.core.mix.analyse import contest_of
    from juglant.core.mix.plan import plan_carve, without_room
    from juglant.core.mix.render import render_stems
    from juglant.core.pictures.room import draw_map

    maps, plans = {}, {}
    for bars in LENGTHS_BARS:
        track = without_room(_bars(bars))
        stems = render_stems(track)

        def mapped(track: Any = track, stems: Any = stems) -> None:
            contest, table = contest_of(track, stems)
            draw_map(track, table, contest)

        def planned(track: Any = track) -> None:
            # With the re-measure of what the carve left.
            carved, _, _ = plan_carve(track)
            contest_of(carved, render_stems(carved))

        planned()
        maps[bars], plans[bars] = timed_ms(mapped, 3), timed_ms(planned, 3)
    mirrored = without_room(_bars(8))
    mirrored = mirrored.model_copy(update={"carve": mirrored.carve.model_copy(update={"mirror_pct": 50})})
    shown = "/".join(str(bars) for bars in LENGTHS_BARS)
    return [
        Line("clash map of eight bars", maps[8], "ms", 250),
        Line("carve planned and measured again, eight bars", plans[8], "ms", 400),
        Line("the same with half a mirror on the owner", timed_ms(lambda: plan_carve(mirrored), 3), "ms"),
        *(Line(f"the same, {bars} bars", plans[bars], "ms") for bars in LENGTHS_BARS if bars != 8),
        # Linear would be 16: under that it grows more slowly than the loop.
        Line(f"plan, sixteen bars over one ({shown})", plans[16] / plans[1], "x", 16),
        Line("map, sixteen bars over one", maps[16] / maps[1], "x", 20),
    ]


# Parts that are timed in this process; the page's are timed one by one where they are measured.
TIMED = (yardstick_lines, landing_lines, render_lines, engine_lines, kit_lines, tune_lines, separate_lines)
OTHERS = (page_lines, start_lines, in_page_lines)
TIMED_TRIES = 3


def run_bench(*, as_json: bool) -> int:
    """Run everything; 1 where a limit is not kept."""
    lines: list[Line] = []
    stolen = 0.0

    def say(found: list[Line]) -> None:
        for line in found:
            lines.append(line)
            if not as_json:
                word = "" if line.limit is None else f"{'at least' if line.at_least else 'under'} {line.limit:g}"
                verdict = "" if line.within else "  OVER"
                sys.stdout.write(f"{line.name:<48}{line.value:>10.2f} {line.unit:<6}{word}{verdict}\n")
                sys.stdout.flush()

    for part in TIMED:
        found, share = undisturbed(part, TIMED_TRIES)
        stolen = max(stolen, share)
        say(found)
    say([Line("taken from this machine so far, at most", 100 * stolen, "%")])
    for part in OTHERS:
        say(part())
    if as_json:
        sys.stdout.write(json.dumps([{**asdict(line), "within": line.within} for line in lines]) + "\n")
    return 0 if all(line.within for line in lines) else 1

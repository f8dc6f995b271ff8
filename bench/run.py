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
from dataclasses import asdict
from pathlib import Path

from bench.edits import edit_lines
from bench.line import YARDSTICKS, Line, Measured, bars_of, slowness, timed_ms, yardstick_ms
from bench.machine import undisturbed
from bench.parts import parts_lines
from bench.pitch import landing_lines, tune_lines
from bench.recorded import recorded_lines
from bench.room import clash_bands, duck_lines, separate_lines
from bench.server import server_lines

ROOT = Path(__file__).resolve().parents[1]


def yardstick_lines() -> list[Line]:
    """How fast this machine is just now, by each kind of work that the figures below are held against."""
    return [Line(f"yardstick: {kind}", yardstick_ms(kind), "ms") for kind in YARDSTICKS]


def render_lines() -> list[Line]:
    """Kick, loop and measurement."""
    from juglant.core.analysis.analyse import measure_levels
    from juglant.core.hit.render import render_layer, sum_layers
    from juglant.core.loop import render as mix
    from juglant.core.memory import forget
    from juglant.core.model.hit import Layer
    from juglant.core.plans.plan import plan_carve, plan_duck
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

    eight = bars_of(8)

    def loop() -> None:
        forget()
        mix.render_stems(eight)

    kick()
    loop()
    stems = mix.render_stems(eight)

    def measure() -> None:
        clash_bands(eight, stems)
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
        *duck_lines(),
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
        lines.append(Line(f"{name}, a second of it", took.per(seconds), "ms", limit))
    wide = Rumble(length_beats=2, width_pct=50)
    lines.append(
        Line(
            "rumble, a second of it, two sides",
            timed_ms(lambda: render_engine(wide, tune=1, sample_rate=48000, strike=kick, bpm=120), 9).per(0.97),
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
    before = yardstick_ms("loop")
    with tempfile.TemporaryDirectory() as folder:
        first = answer_after_s(Path(folder))
        again = [answer_after_s(Path(folder)) for _ in range(3)]
    slow = slowness("loop", before, yardstick_ms("loop"))
    return [
        Line("server start to a solved demo, first time", first[1], "s"),
        Line("server start to first answer", Measured(statistics.median(page for page, _ in again), slow), "s", 3),
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

    before = yardstick_ms("loop")
    found = page_figures()
    slow = slowness("loop", before, yardstick_ms("loop"))

    def held(value: float) -> Measured:
        return Measured(value, slow)

    return [
        Line("edit to sound, median", held(found.edit_to_sound_ms), "ms", 150),
        Line("edit to dimmed headlines, median", held(found.dimmed_ms), "ms", 100),
        Line("edit to settled headlines, median", held(found.settled_ms), "ms", 1200),
        Line("pictures while a ruler is dragged", held(found.pictures_per_s), "/s", 30, at_least=True),
        Line("the same with the loop playing", held(found.pictures_per_s_playing), "/s", 30, at_least=True),
        Line("response drawn while a move is dragged, playing", held(found.carve_per_s), "/s", 30, at_least=True),
        Line("curve drawn while a point of the duck is dragged, playing", held(found.duck_per_s), "/s", 30, at_least=True),
        Line("sixteen of five layers, seen and playable", held(found.roll_ms), "ms", 1000),
        Line("the same, every sound fetched ahead", found.sounds_ms, "ms"),
        Line("a newcomer's page to before and after heard", held(found.newcomer_s), "s", 10),
        Line("taken from this machine meanwhile, at most", 100 * found.stolen, "%"),
    ]


def kit_lines() -> list[Line]:
    """The demo with its kit: everything the page asks after an edit of one hit."""
    from juglant.core.analysis.analyse import analyse
    from juglant.core.findings.registry import find_all
    from juglant.core.hit.likeness import Rolling
    from juglant.core.hit.roll import Roll
    from juglant.demo.kit import with_kit
    from juglant.demo.track import solved_track
    from juglant.services.variations import contact_sheet

    track = with_kit(solved_track())
    found = analyse(track)
    find_all(found)
    seeds = iter(range(1000))

    def sheet() -> None:
        contact_sheet(track, "kick", Rolling(Roll(next(seeds), 40, only_front=False)))

    return [
        Line("findings of the demo with its kit", timed_ms(lambda: find_all(found), 5), "ms"),
        Line("a contact sheet of the kick, measured", timed_ms(sheet, 5), "ms"),
    ]


# Parts that are timed in this process; the page's are timed one by one where they are measured.
TIMED = (
    yardstick_lines, landing_lines, render_lines, engine_lines, kit_lines, tune_lines, separate_lines, edit_lines,
    parts_lines,
    recorded_lines,
)  # fmt: skip
OTHERS = (page_lines, start_lines, server_lines, in_page_lines)
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
                # What the limit is here: the machine may be slower now than where it was set.
                here = line.limit and (line.limit / line.slow if line.at_least else line.limit * line.slow)
                word += f" ({here:.4g} at this hour)" if line.limit is not None and line.slow != 1.0 else ""
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
        sys.stdout.write(json.dumps([{**asdict(line), "slow": line.slow, "within": line.within} for line in lines]) + "\n")
    return 0 if all(line.within for line in lines) else 1

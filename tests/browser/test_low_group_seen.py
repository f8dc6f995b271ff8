"""A whole low end on the page, from a kick loop and a recorded bass to files.

Both processed, with a rumble, a snare, and a long sub whose line is played in and takes turns with the bass; separated pair
by pair, drums on a bus, one shared room, and every stem delivered.
"""

from __future__ import annotations

import io
import re
import zipfile
from collections.abc import Callable
from pathlib import Path

import numpy as np
import soundfile
from page import Tab, bench_tab, downloaded, settled
from playwright.sync_api import expect
from support import Server

from juglant.core.hit.strokes import cached_mono
from juglant.core.loop.render import heard_stem
from juglant.core.model.hit import Hit, Layer
from juglant.core.model.part import Part
from juglant.core.model.stem import StemRef
from juglant.core.model.strokes import Stroke
from juglant.core.model.track import Track
from juglant.core.synth.rumble import Rumble
from juglant.core.synth.snare import Snare
from juglant.core.synth.sweep import Sweep
from juglant.core.synth.tail import Tail
from juglant.demo.kit import with_kit

RATE = 48000


def parts(track: Track) -> Track:
    """The demo with a rumble, a long sub and a snare, its kick and line not there yet."""

    def hit(id_: str, name: str, role: str, sources: list[object], at: tuple[float, ...], gain_db: float) -> Part:
        layers = tuple(Layer(id=f"l{i}", name=f"L{i}", source=source) for i, source in enumerate(sources))  # type: ignore[arg-type]
        strokes = tuple(Stroke(at_beats=beat) for beat in at)
        return Part(id=id_, name=name, role=role, hit=Hit(layers=layers), strokes=strokes, gain_db=gain_db)  # type: ignore[arg-type]

    made = with_kit(track)
    body = Sweep(landing_hz=215, start_semitones=3, decay_ms=160)
    kit = (
        *made.kit,
        hit("rumble", "Rumble", "rumble", [Rumble()], tuple(float(beat) for beat in range(16)), -7),
        hit("long-sub", "Long sub", "sub", [Tail(landing_hz=46.2, hold_ms=700, decay_ms=400)], (2.0, 10.0), -8),
        hit("snare", "Snare", "snare", [body, Snare()], (1.0, 3.0, 5.0, 7.0, 9.0, 11.0, 13.0, 15.0), -6),
    )
    return made.having(kit=kit)


def test_a_whole_low_end_is_separated_pressed_sent_and_delivered(
    server: Server, tabs: Callable[[], Tab], solved: Track, tmp_path: Path
) -> None:
    server.load(parts(solved))
    loop, sound = np.zeros(round(4 * 60 / 126 * RATE)), cached_mono(solved.kick, 127, 0, RATE, 0.0).audio
    for at in range(4):
        first = round(at * 60 / 126 * RATE)
        loop[first : first + 15000] = 0.5 * sound[:15000]
    path, line = tmp_path / "Found kick loop.wav", tmp_path / "Found bass line.wav"
    soundfile.write(path, loop, RATE, subtype="FLOAT")
    soundfile.write(line, heard_stem(solved, StemRef("bass", "before")), RATE, subtype="FLOAT")
    tab = tabs()
    # A circle is refused.
    tab.expected = ("422",)
    page = tab.open(server.address)
    page.get_by_label("Sound files", exact=True).set_input_files([path, line])
    page.get_by_role("dialog").get_by_role("button", name="Add", exact=True).click()
    settled(page)

    # Drive and EQ on the loop.
    steps = page.get_by_role("navigation", name="Steps")
    steps.get_by_role("link", name="Hits").click()
    page.get_by_role("tab", name="Bus").click()
    page.get_by_role("checkbox", name="Bind the sum").check()
    for name in ("Drive", "EQ"):
        page.get_by_role("button", name="Add a processor").click()
        page.locator(".dropdown-menu.show").get_by_role("button", name=re.compile(f"^{name} ")).click()
        settled(page)
    expect(page.get_by_text("changes nothing")).to_have_count(0)

    # Clean lows, driven highs of the recorded line, in one press.
    page.get_by_role("toolbar", name="Kit").get_by_role("button", name="Bass").click()
    page.get_by_role("button", name="Clean lows, driven highs").click()
    settled(page)
    driven = page.get_by_role("region", name="Chain of The line").get_by_role("listitem", name="Drive")
    expect(driven).to_contain_text("low end")

    # A line of its own for the long sub, played in, then in turn with the bass.
    steps.get_by_role("link", name="Track").click()
    page.get_by_label("Line of", exact=True).select_option("Long sub")
    page.get_by_role("button", name="Play long sub in").click()
    desk = page.get_by_role("region", name="Play in Long sub")
    desk.get_by_label("Played on").select_option("Simulated keyboard")
    desk.get_by_role("button", name="Take a pass").click()
    expect(desk.get_by_text("Taking down what is played")).to_be_visible()
    expect(desk.get_by_role("button", name="Take a pass")).to_be_visible()
    page.keyboard.press("Space")
    settled(page)
    notes = page.get_by_role("table", name="Notes of Long sub")
    expect(notes.get_by_role("row", name=re.compile("^B♭1 8 "))).to_be_visible()
    page.get_by_role("button", name="Take turns").click()
    expect(page.get_by_role("status").filter(has_text="in turn with the bass").first).to_be_visible()
    settled(page)

    # The low group, pair by pair.
    steps.get_by_role("link", name="Separate").click()
    bench_tab(page, "Other parts")
    group = page.get_by_role("region", name="Low group")
    for name in ("Rumble", "Long sub", "Snare"):
        group.get_by_role("checkbox", name=name).check()
        settled(page)
    table = group.get_by_role("table", name="The low group zone by zone")
    expect(table.get_by_role("row", name=re.compile("Bass Rumble")).first).to_be_visible()
    group.get_by_role("button", name="Cut where it is short").click()
    said = page.get_by_role("status").filter(has_text=re.compile("loses|is still|nothing was cut"))
    expect(said.first).to_be_visible()
    settled(page)
    # A zone given to another; a circle is said, and nothing is lost by it.
    # It is measured anew first.
    give = group.get_by_role("button", name="Give sub to Bass over Kick")
    expect(give).to_be_enabled()
    give.click()
    expect(table.get_by_role("row", name=re.compile("^sub Bass Kick"))).to_be_visible()
    settled(page)
    circle = group.get_by_role("button", name="Give sub to Long sub over Bass")
    expect(circle).to_be_enabled()
    circle.click()
    expect(page.get_by_text(re.compile("in a circle")).first).to_be_visible()

    # Drums on a bus, one shared room.
    steps.get_by_role("link", name="Hits").click()
    page.get_by_role("button", name="Buses").click()
    page.get_by_role("button", name="Add a bus").click()
    page.locator(".dropdown-menu.show").get_by_role("button", name="Drums").click()
    bus = page.get_by_role("region", name="Bus Drums")
    expect(bus.get_by_role("checkbox", name="Snare", exact=True)).to_be_checked()
    bus.get_by_role("button", name="Add a processor").click()
    page.locator(".dropdown-menu.show").get_by_role("button", name=re.compile("^Soft clip")).click()
    settled(page)
    page.get_by_role("button", name="Add a space").click()
    page.locator(".dropdown-menu.show").get_by_role("button", name="Room").click()
    space = page.get_by_role("region", name="Space Room")
    space.get_by_role("button", name="Type Snare").click()
    page.keyboard.type("-9")
    page.keyboard.press("Enter")
    settled(page)

    steps.get_by_role("link", name="Deliver").click()
    with zipfile.ZipFile(downloaded(page, "Download everything", tmp_path)) as archive:
        read = {
            name: soundfile.read(io.BytesIO(archive.read(name)), always_2d=True)[0].T
            for name in archive.namelist()
            if name.endswith(".wav") and name.startswith(("loop.wav", "stems/"))
        }
    both = {name: np.repeat(audio, 2 // audio.shape[0], axis=0) for name, audio in read.items()}
    heard = [name for name in both if name.startswith("stems/") and not re.search("before|unducked", name)]
    wanted = {"kick", "bass", "kit-rumble", "kit-long-sub", "kit-snare", "bus-drums", "space-room"}
    assert {f"stems/{name}.wav" for name in wanted} <= set(heard)
    for name in heard:
        assert np.max(np.abs(both[name])) > 1e-4, name
        assert np.all(np.isfinite(both[name])), name
    assert np.max(np.abs(np.sum([both[name] for name in heard], axis=0) - both["loop.wav"])) < 1e-5
    # Bars 2 and 4 are the long sub's, the others the recorded line's.
    for bar in range(4):
        span = slice(round((4 * bar + 0.5) * 60 / 126 * RATE), round((4 * bar + 3.9) * 60 / 126 * RATE))
        sub, bass = (float(np.sum(both[f"stems/{name}.wav"][:, span] ** 2)) for name in ("kit-long-sub", "bass"))
        quiet, heard_there = (sub, bass) if bar % 2 == 0 else (bass, sub)
        assert quiet < 1e-3 * heard_there, bar
    # The loop is heard driven: it is not the file that was loaded.
    kick = both["stems/kick-before.wav"][0]
    plain = loop[: RATE // 2] / np.linalg.norm(loop[: RATE // 2])
    played = kick[: RATE // 2] / np.linalg.norm(kick[: RATE // 2])
    assert np.linalg.norm(plain - played) > 0.1

"""A line for any part: played in by the simulated keyboard and by keys, in turn with the bass, doubled, and delivered."""

from __future__ import annotations

import io
import json
import re
import zipfile
from collections.abc import Callable
from pathlib import Path

import mido
import numpy as np
import pytest
import soundfile
from page import Tab, downloaded, listen, settled, taken_down
from playwright.sync_api import Page, expect
from support import Server

from juglant.core.hit.starts import STARTS, measured_start
from juglant.core.model.part import Part
from juglant.core.model.strokes import Stroke
from juglant.core.model.track import Track

BEAT_S = 60 / 126
# Root, root, fifth and octave of B flat in every bar, as the simulated keyboard plays them.
PHRASE = [(4 * bar + at, note) for bar in range(4) for at, note in ((0, 34), (1.5, 34), (2, 41), (3, 46))]


def with_part(track: Track, role: str, name: str) -> Track:
    start = next(one for one in STARTS if (one.role, one.name) == (role, name))
    made = measured_start(start, track.sheet)
    one = Part(id=role, name=role.capitalize(), role=start.role, hit=made.hit, strokes=(Stroke(at_beats=1.25),))
    return track.having(kit=(one,))


def opened(server: Server, tab: Tab, track: Track, part: str) -> Page:
    server.load(track)
    page = tab.open(server.address, "track")
    page.get_by_label("Line of", exact=True).select_option(part)
    page.get_by_role("button", name=f"Play {part.lower()} in").click()
    return page


def pitch_hz(sound: np.ndarray, rate: int) -> float:
    size = 1 << 18
    spectrum = np.abs(np.fft.rfft(sound * np.hanning(sound.size), size))
    hz = np.fft.rfftfreq(size, 1 / rate)
    inside = (hz > 25) & (hz < 500)
    return float(hz[inside][np.argmax(spectrum[inside])])


def equal_hz(note: int) -> float:
    return 440 * 2 ** ((note - 69) / 12)


def test_a_line_played_in_is_what_was_played_and_takes_turns_with_the_bass(
    server: Server, tabs: Callable[[], Tab], untouched: Track, tmp_path: Path
) -> None:
    page = opened(server, tabs(), with_part(untouched, "sub", "Draught"), "Sub")
    desk = page.get_by_role("region", name="Play in Sub")
    desk.get_by_label("Played on").select_option("Simulated keyboard")
    desk.get_by_role("button", name="Take a pass").click()
    expect(desk.get_by_text("Taking down what is played")).to_be_visible()
    expect(desk.get_by_role("button", name="Take a pass")).to_be_visible()
    settled(page)
    page.keyboard.press("Space")
    notes = page.get_by_role("table", name="Notes of Sub")
    for name, count in (("B♭1", "8"), ("F2", "4"), ("B♭2", "4")):
        row = notes.get_by_role("row", name=re.compile(f"^{name} "))
        expect(row).to_contain_text(count)
        expect(row.get_by_role("cell").nth(3)).to_have_text(re.compile(r"^[+−]?[0-2] ct$"))
    with zipfile.ZipFile(downloaded_from(page, tmp_path)) as archive:
        file = mido.MidiFile(file=io.BytesIO(archive.read(midi_of(archive))))
        stem, rate = soundfile.read(io.BytesIO(archive.read("stems/kit-sub.wav")))
    line = next(one for one in file.tracks if one.name == "sub_line")
    now, on = 0, []
    for message in line:
        now += message.time
        if message.type == "note_on":
            on.append((now / file.ticks_per_beat, message.note))
    assert on == PHRASE
    for at, note in PHRASE[:4]:
        piece = stem[round((at + 0.1) * BEAT_S * rate) : round((at + 0.45) * BEAT_S * rate)]
        assert 1200 * np.log2(pitch_hz(piece, rate) / equal_hz(note)) == pytest.approx(0, abs=12)

    # In turn with the bass: bars 2 and 4 are the sub's.
    page.get_by_role("navigation", name="Steps").get_by_role("link", name="Track").click()
    page.get_by_label("Line of", exact=True).select_option("Sub")
    page.get_by_role("button", name="Take turns").click()
    expect(page.get_by_role("status").filter(has_text="in turn with the bass").first).to_be_visible()
    settled(page)
    with zipfile.ZipFile(downloaded_from(page, tmp_path)) as archive:
        sub, bass = (soundfile.read(io.BytesIO(archive.read(f"stems/{name}.wav")))[0] for name in ("kit-sub", "bass"))
    for bar in range(4):
        span = slice(round((4 * bar + 0.5) * BEAT_S * rate), round((4 * bar + 3.95) * BEAT_S * rate))
        mine, other = float(np.sum(sub[span] ** 2)), float(np.sum(bass[span] ** 2))
        quiet, loud = (mine, other) if bar % 2 == 0 else (other, mine)
        assert quiet < 1e-5 * loud, bar


def downloaded_from(page: Page, folder: Path) -> Path:
    page.get_by_role("navigation", name="Steps").get_by_role("link", name="Deliver").click()
    return downloaded(page, "Download everything", folder)


def midi_of(archive: zipfile.ZipFile) -> str:
    return next(
        name for name in archive.namelist() if name.endswith(".mid") and "trigger" not in name and "duck" not in name
    )


def test_keys_are_heard_in_pitch_and_open_nothing(server: Server, tabs: Callable[[], Tab], untouched: Track) -> None:
    page = opened(server, tabs(), with_part(untouched, "sub", "Ballast"), "Sub")
    key = page.get_by_role("button", name=re.compile("^Play A1, outside the key$|^Play A1$"))
    expect(key).to_be_visible()
    page.keyboard.press("h")
    listen(page, 1.2)
    page.keyboard.down("h")
    expect(key).to_have_attribute("data-down", "true")
    sound, rate = taken_down(page)
    page.keyboard.up("h")
    expect(key).not_to_have_attribute("data-down", "true")
    assert np.max(np.abs(sound)) < 0.9
    loud = np.flatnonzero(np.abs(sound) > 0.01)
    piece = sound[loud[0] + round(0.1 * rate) : loud[0] + round(0.5 * rate)]
    assert 1200 * np.log2(pitch_hz(piece, rate) / equal_hz(33)) == pytest.approx(0, abs=15)
    # K, L and A are notes now: nothing is soloed, banded or switched.
    for letter in "kla":
        page.keyboard.press(letter)
    assert page.evaluate("[juglantPlayer.view.solo, juglantPlayer.view.band, juglantPlayer.view.side]")[:2] == [None, "all"]
    page.get_by_role("button", name="Play sub in").click()
    page.keyboard.press("k")
    assert page.evaluate("juglantPlayer.view.solo") == "kick"


# Beats heard when each key went down, and how long each was held, by the events' own times.
CLOCK = f"""
window.pressed = []; window.lengthsMs = []; let downAt = 0;
addEventListener('keydown', (e) => {{
  downAt = e.timeStamp;
  window.pressed.push(juglantPlayer.beat() - (performance.now() - e.timeStamp) / 1000 / {BEAT_S});
}}, true);
addEventListener('keyup', (e) => window.lengthsMs.push(e.timeStamp - downAt), true);
"""


def test_keys_pressed_over_the_loop_are_written_where_they_were_heard(
    server: Server, tabs: Callable[[], Tab], untouched: Track
) -> None:
    """Beside the page's own clock: the beat that was heard when the key went down, by the event's own time."""
    page = opened(server, tabs(), with_part(untouched, "sub", "Draught"), "Sub")
    page.get_by_label("Quantise").fill("0")
    desk = page.get_by_role("region", name="Play in Sub")
    desk.get_by_role("button", name="Take a pass").click()
    expect(desk.get_by_text("Taking down what is played")).to_be_visible()
    page.evaluate(CLOCK)
    for key in "ug":
        page.keyboard.press(key, delay=120)
        page.wait_for_timeout(400)
    expect(desk.get_by_role("button", name="Take a pass")).to_be_visible()
    settled(page)
    pressed, lengths_ms = page.evaluate("[window.pressed, window.lengthsMs]")
    strokes = sorted(kit_of(page)[0]["strokes"], key=lambda one: one["at_beats"])
    assert [one["note"] for one in strokes] == [34, 31]
    for stroke, beat, length_ms in zip(strokes, pressed, lengths_ms, strict=True):
        # A busy machine's sound goes on in larger steps; what is handled late is not written late.
        assert stroke["at_beats"] == pytest.approx(beat, abs=0.03 / BEAT_S)
        assert stroke["length_beats"] == pytest.approx(length_ms / 1000 / BEAT_S, abs=0.05 / BEAT_S)
        assert stroke["velocity"] == 100


DEVICE = """
navigator.requestMIDIAccess = async () => {
  const input = Object.assign(new EventTarget(), { id: 'bench', name: 'Bench keys' });
  window.midiSays = (...data) =>
    input.dispatchEvent(Object.assign(new Event('midimessage'), { data: new Uint8Array(data) }));
  return Object.assign(new EventTarget(), { inputs: new Map([['bench', input]]) });
};
"""


def test_a_midi_device_plays_in_pitch_and_by_pressure(server: Server, tabs: Callable[[], Tab], untouched: Track) -> None:
    """A device of this trial's own, as the browser would show one; it is asked for when one is wanted, and not before."""
    server.load(with_part(untouched, "sub", "Draught"))
    tab = tabs()
    tab.page.add_init_script(DEVICE)
    page = tab.open(server.address, "track")
    page.get_by_label("Line of", exact=True).select_option("Sub")
    page.get_by_role("button", name="Play sub in").click()
    desk = page.get_by_role("region", name="Play in Sub")
    assert page.evaluate("typeof window.midiSays") == "undefined"
    desk.get_by_label("Played on").select_option("A MIDI device")
    expect(desk.get_by_label("Played on")).to_have_value("bench")
    desk.get_by_role("button", name="Take a pass").click()
    expect(desk.get_by_text("Taking down what is played")).to_be_visible()
    for note, velocity in ((34, 120), (41, 40)):
        page.evaluate("([note, velocity]) => midiSays(0x90, note, velocity)", [note, velocity])
        page.wait_for_timeout(300)
        page.evaluate("(note) => midiSays(0x80, note, 0)", note)
    # A control that is no note plays none.
    page.evaluate("midiSays(0xb0, 1, 64)")
    expect(desk.get_by_role("button", name="Take a pass")).to_be_visible()
    settled(page)
    strokes = sorted(kit_of(page)[0]["strokes"], key=lambda one: one["at_beats"])
    assert [(one["note"], one["velocity"]) for one in strokes] == [(34, 120), (41, 40)]
    # Quantised all of the way.
    assert all(one["at_beats"] % 0.25 == 0 for one in strokes)


def kit_of(page: Page) -> list[dict]:
    """The kit of the newest track as it is stored."""
    found: list[dict] = json.loads(
        page.evaluate(
            """async () => {
              const tracks = await (await fetch('/api/tracks')).json();
              return JSON.stringify((await (await fetch(`/api/tracks/${tracks[0].id}`)).json()).track.parts.slice(2));
            }"""
        )
    )
    return found


def test_a_linked_line_says_whose_it_is_and_is_made_its_own(
    server: Server, tabs: Callable[[], Tab], untouched: Track
) -> None:
    server.load(with_part(untouched, "sub", "Ballast"))
    page = tabs().open(server.address, "track")
    page.get_by_label("Line of", exact=True).select_option("Sub")
    region = page.get_by_role("region", name="Line of Sub")
    region.get_by_label("Octaves away").select_option("+1")
    region.get_by_role("button", name="Double it").click()
    expect(region.get_by_text("Plays the line of Bass, +1 oct")).to_be_visible()
    expect(page.get_by_role("region", name="Play in Sub")).to_have_count(0)
    region.get_by_role("button", name="Make it its own").click()
    expect(region.get_by_role("button", name="Double it")).to_be_visible()
    settled(page)
    page.get_by_role("button", name="Undo", exact=True).click()
    expect(region.get_by_text("Plays the line of Bass, +1 oct")).to_be_visible()


def test_a_part_without_a_pitch_says_so_and_is_struck(server: Server, tabs: Callable[[], Tab], untouched: Track) -> None:
    page = opened(server, tabs(), with_part(untouched, "clap", "Mooring"), "Clap")
    expect(page.get_by_role("region", name="Line of Clap")).to_contain_text("no pitch could be measured")
    expect(page.get_by_role("region", name="Play in Clap")).to_contain_text("every key strikes it as it is")

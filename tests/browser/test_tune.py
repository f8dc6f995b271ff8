"""Sounds from files into the key: loaded, tuned, cured of beating, taken away and measured by others."""

from __future__ import annotations

import io
import re
import struct
import wave
import zipfile
from collections.abc import Callable
from pathlib import Path

import librosa
import numpy as np
import soundfile
from page import Tab, bench_tab, downloaded, listen, settled, taken_down
from playwright.sync_api import Page, expect
from support import Server

RATE = 44100
SOUNDS = {
    "Found kick": (56.9, 0.9, 4.0),
    "Long 808": (52.1, 2.0, 1.5),
    "Low tom": (96.0, 0.5, 9.0),
    # Over 300 ms: shorter it is tuned by what is heard, its fall in.
    "High tom": (151.0, 0.5, 8.0),
}
# B flat natural minor, as pitch classes (any handbook).
KEY = {10, 0, 1, 3, 5, 6, 8}


def recorded(folder: Path) -> list[Path]:
    """Sounds as a recorder would leave them, made with the standard library and numpy."""
    paths = []
    for name, (hz, seconds, decay) in SOUNDS.items():
        time = np.arange(round(seconds * RATE)) / RATE
        turn = np.cumsum(hz * (1 + 0.8 * np.exp(-time / 0.015))) / RATE
        sound = 0.8 * np.sin(2 * np.pi * turn) * np.exp(-decay * time) * np.minimum(1, time / 0.001)
        path = folder / f"{name}.wav"
        with wave.open(str(path), "wb") as file:
            file.setnchannels(1)
            file.setsampwidth(2)
            file.setframerate(RATE)
            file.writeframes((sound * 32767).astype("<i2").tobytes())
        paths.append(path)
    return paths


def go(page: Page, step: str) -> None:
    page.get_by_role("navigation", name="Steps").get_by_role("link", name=step).click()


def lands(page: Page, hit: str) -> str:
    return page.get_by_role("slider", name=f"{hit} lands at", exact=True).get_attribute("aria-valuetext") or ""


def cents_off_key(data: bytes) -> float:
    """How far a delivered hit is from its nearest note of the key, by librosa's pyin on its tail (library)."""
    audio, rate = soundfile.read(io.BytesIO(data))
    tail = audio[round(0.12 * rate) : round(0.7 * rate)]
    pitch, _, _ = librosa.pyin(tail, fmin=40, fmax=400, sr=rate, frame_length=8192, resolution=0.02)
    number = librosa.hz_to_midi(np.nanmedian(pitch))
    assert round(number) % 12 in KEY
    return float(100 * (number - round(number)))


def test_found_sounds_end_in_the_key_and_the_kick_stops_beating(
    tabs: Callable[[], Tab], server: Server, tmp_path: Path
) -> None:
    tab = tabs()
    # What is refused is said in a message of the page; the browser notes the status.
    tab.expected = ("422",)
    page = tab.open(server.address, "tune")
    broken = tmp_path / "film.wav"
    broken.write_bytes(b"\0\0\0\x18ftypmp42" + bytes(4000))
    page.get_by_label("Sound files", exact=True).set_input_files([*recorded(tmp_path), broken])
    dialog = page.get_by_role("dialog")
    expect(dialog.get_by_text("this is a video, or sound in a container for video")).to_be_visible()
    expect(dialog.get_by_label("Use of Found kick.wav")).to_have_value("kick")
    expect(dialog.get_by_label("Use of Long 808.wav")).to_have_value("bass")
    dialog.get_by_role("button", name="Add 4 sounds").click()
    expect(page.get_by_role("button", name=re.compile("^High tom "))).to_be_visible()
    settled(page)

    # Out of tune as found: said by findings, and seen on the ladder.
    expect(page.get_by_role("region", name="The kick lands out of key")).to_be_visible()
    expect(page.get_by_role("region", name="Low tom is out of key")).to_be_visible()
    assert "B♭1 −41 ct" in lands(page, "Kick")

    # Heard before it is applied, the kick's new note is the one that is named.
    listen(page, 1.5)
    page.get_by_role("button", name="Hear Kick on B♭1").click()
    heard, rate = taken_down(page)
    assert rate == 48000
    assert np.max(np.abs(heard)) > 0.01

    page.get_by_role("button", name=re.compile("^Tune all")).click()
    expect(page.get_by_role("button", name="All in tune")).to_be_visible()
    settled(page)
    for hit in ("Kick", "Low tom", "High tom"):
        assert re.search(r" 0 ct$", lands(page, hit)), lands(page, hit)

    # By hand and by key: a grip moves from note to note, and one undo brings it back.
    grip = page.get_by_role("slider", name="Low tom lands at", exact=True)
    before = grip.get_attribute("aria-valuetext")
    grip.focus()
    page.keyboard.press("ArrowUp")
    expect(grip).not_to_have_attribute("aria-valuetext", before or "")
    settled(page)
    page.get_by_role("button", name="Undo").click()
    expect(grip).to_have_attribute("aria-valuetext", before or "")

    # By mouse: dragged far from any note, it says so while it is held, and is brought back by undo.
    box = grip.bounding_box()
    assert box is not None
    x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
    page.mouse.move(x, y)
    page.mouse.down()
    page.mouse.move(x, y - 60, steps=6)
    expect(page.get_by_text(re.compile("moved .*: far, it changes character"))).to_be_visible()
    page.mouse.up()
    expect(grip).not_to_have_attribute("aria-valuetext", before or "")
    settled(page)
    page.get_by_role("button", name="Undo").click()
    expect(grip).to_have_attribute("aria-valuetext", before or "")

    # Detuned by a third of a semitone it swells against the bass; made short it does not.
    page.get_by_role("button", name=re.compile("^Kick .*: .*, firm")).click()
    settled(page)
    meeting = page.get_by_role("region", name="Kick against the bass")
    bench_tab(page, "Against the bass")
    expect(meeting.get_by_role("row").nth(1)).to_contain_text("clean")
    bench_tab(page, "Where it could land")
    page.get_by_role("button", name="Land here: on A♭1").click()
    settled(page)
    bench_tab(page, "Against the bass")
    expect(meeting.get_by_text(re.compile("^(a swell|beating)$")).first).to_be_visible()
    # Ways out, each measured: heard, applied, undone.
    meeting.get_by_role("button", name="Ways out for", disabled=False).first.click()
    ways = meeting.get_by_role("table", name="Ways out for")
    expect(ways.get_by_role("row").nth(1)).to_be_visible()
    first_row = meeting.get_by_role("table", name="Kick against each note").get_by_role("row").nth(1)
    before_cure = first_row.text_content() or ""
    # It is fetched first, on a busy machine for a while.
    listen(page, 6)
    ways.get_by_role("button", name="Hear: ").first.click()
    heard, _ = taken_down(page)
    assert np.max(np.abs(heard)) > 0.01
    ways.get_by_role("button", name="Apply: ").first.click()
    expect(ways).to_be_hidden()
    settled(page)
    page.get_by_role("button", name="Undo").click()
    settled(page)
    expect(first_row).to_have_text(before_cure)
    meeting.get_by_role("button", name="Shorten the kick until none swells").click()
    expect(meeting.get_by_role("button", name="Shorten the kick until none swells")).to_be_hidden()
    settled(page)
    assert meeting.get_by_text(re.compile("^(a swell|beating)$")).count() == 0
    page.get_by_role("button", name="Undo").click()
    settled(page)
    page.get_by_role("button", name="Undo").click()
    settled(page)

    bench_tab(page, "Where it could land")
    # Each school is a step: after the chords some strokes have a pitch of their own, on the tonic none has.
    page.get_by_role("button", name="Kick: following the chords").click()
    settled(page)
    expect(page.locator("[data-hit=kick] title", has_text="strokes at").first).to_be_attached()
    page.get_by_role("button", name="Kick: on the tonic").click()
    settled(page)
    expect(page.locator("[data-hit=kick] title", has_text="strokes at")).to_have_count(0)

    go(page, "Deliver")
    expect(page.get_by_role("heading", name="Deliver")).to_be_visible()
    path = downloaded(page, "Download everything", tmp_path)
    with zipfile.ZipFile(path) as archive:
        files = {name: archive.read(name) for name in archive.namelist()}
    toms = [name for name in files if name.startswith("hits/tom") and name.endswith(".wav")]
    assert len(toms) >= 2
    for name in ("kick.wav", *toms):
        assert abs(cents_off_key(files[name])) < 6, name
        at = files[name].index(b"smpl")
        unity, fraction = struct.unpack("<II", files[name][at + 20 : at + 28])
        assert unity % 12 in KEY
        assert fraction == 0
    assert sum(name.startswith("takes/") for name in files) == 4


def test_a_kick_that_never_rests_is_tuned_by_where_its_low_end_lies(
    tabs: Callable[[], Tab], server: Server, tmp_path: Path
) -> None:
    time = np.arange(RATE // 2) / RATE
    fall = np.cumsum(58 * (1 + 0.9 * np.exp(-time / 0.25))) / RATE
    shell = np.random.default_rng(5).standard_normal(time.size)
    kick = (0.6 * np.sin(2 * np.pi * fall) + 0.08 * np.convolve(shell, np.ones(60) / 8, "same")) * np.exp(-16 * time)
    path = tmp_path / "Loose kick.wav"
    soundfile.write(path, 0.8 * kick / np.max(np.abs(kick)), RATE, "PCM_24")
    page = tabs().open(server.address, "tune")
    page.get_by_label("Sound files", exact=True).set_input_files([path])
    dialog = page.get_by_role("dialog")
    expect(dialog.get_by_label("Use of Loose kick.wav")).to_have_value("kick")
    dialog.get_by_role("button", name="Add", exact=True).click()
    expect(dialog).to_be_hidden()
    settled(page)
    bench_tab(page, "Its pitch")
    said = page.get_by_text(re.compile(r"Its low end lies around [\d.]+ Hz, ±\d+ ct"))
    expect(said).to_be_visible()
    about = re.search(r"around ([\d.]+) Hz", said.text_content() or "")
    assert about is not None
    # Between where the skin is going and where it begins.
    assert 58 < float(about.group(1)) < 110
    page.get_by_role("button", name="take", exact=False).filter(has_text=about.group(1)).click()
    expect(page.get_by_text("tuned by what was said by hand")).to_be_visible()
    bench_tab(page, "Where it could land")
    expect(page.get_by_role("button", name=re.compile("^Hear Kick on ")).first).to_be_visible()
    page.get_by_role("button", name="Undo", exact=True).click()
    bench_tab(page, "Its pitch")
    expect(said).to_be_visible()
    settled(page)

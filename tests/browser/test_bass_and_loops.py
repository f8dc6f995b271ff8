"""The bass evened and split on the page; parts that come as recordings: a kick loop, a pad that gives way."""

from __future__ import annotations

import io
import re
import zipfile
from collections.abc import Callable
from pathlib import Path

import numpy as np
import soundfile
from page import FADED_IN_S, Tab, bench_tab, downloaded, heard, settled
from playwright.sync_api import expect
from support import Server

from juglant.core.hit.strokes import cached_mono
from juglant.core.model.track import Track

RATE = 48000
UNEVEN_DB = (0.0, -6.0, -3.0, -9.0)


def uneven(track: Track) -> Track:
    notes = tuple(note.model_copy(update={"gain_db": UNEVEN_DB[i % 4]}) for i, note in enumerate(track.bass_notes))
    return track.having(bass_notes=notes)


def spread_of(page: object, name: str) -> float:
    row = page.get_by_role("table", name="Evenness of the bass line").get_by_role("row", name=re.compile(f"^{name}"))  # type: ignore[attr-defined]
    return float(re.search(r"(\d+\.\d) LU", row.inner_text()).group(1))  # type: ignore[union-attr]


def test_the_line_is_evened_and_the_bass_split_into_layers(
    server: Server, tabs: Callable[[], Tab], solved: Track, tmp_path: Path
) -> None:
    server.load(uneven(solved))
    page = tabs().open(server.address, "separate")
    settled(page)
    bench_tab(page, "The bass itself")
    before = spread_of(page, "As it is")
    assert before > 8
    page.get_by_role("button", name="Compare ways").click()
    table = page.get_by_role("table", name="Evenness of the bass line")
    expect(table.get_by_role("row", name=re.compile("^Limit"))).to_be_visible()
    promised = spread_of(page, "Limit")
    assert promised < before - 3
    page.get_by_role("button", name="Take: Limit").click()
    expect(page.get_by_label("Held by")).to_have_value("limited")
    expect(page.get_by_role("slider", name="Ceiling")).to_be_visible()
    expect(table.get_by_role("row", name=re.compile(f"^As it is {promised} LU"))).to_be_visible()
    settled(page)
    # In layers: the sub alone is turned off, and what lies under the crossover goes down in the file.
    page.get_by_role("checkbox", name="In layers").check()
    layers = page.get_by_role("table", name="Layers of the bass")
    expect(layers.get_by_role("row", name=re.compile("^Sub"))).to_be_visible()
    settled(page)
    stems = []
    for _ in range(2):
        page.get_by_role("navigation", name="Steps").get_by_role("link", name="Deliver").click()
        with zipfile.ZipFile(downloaded(page, "Download everything", tmp_path)) as archive:
            stems.append(soundfile.read(io.BytesIO(archive.read("stems/bass-before.wav")))[0])
        page.get_by_role("navigation", name="Steps").get_by_role("link", name="Separate").click()
        sub = page.get_by_role("region", name="Bass in layers").get_by_role("slider", name="Sub")
        sub.focus()
        page.keyboard.press("Home")
        expect(layers.get_by_role("row", name=re.compile("^Sub"))).to_have_count(0)
        settled(page)
    hz = np.fft.rfftfreq(stems[0].size, 1 / RATE)
    low = [float(np.sum(np.abs(np.fft.rfft(stem))[(hz > 30) & (hz < 70)] ** 2)) for stem in stems]
    assert low[1] < 0.2 * low[0]


def test_a_kick_loop_is_read_heard_and_replayed(
    server: Server, tabs: Callable[[], Tab], untouched: Track, tmp_path: Path
) -> None:
    server.load(untouched.having(kick_at_beats=(0.0,), kit=(), bass_notes=()))
    loop, sound = np.zeros(round(4 * 60 / 126 * RATE)), cached_mono(untouched.kick, 127, 0, RATE, 0.0).audio
    for at in (0.0, 1.5, 2.0, 3.0):
        first = round(at * 60 / 126 * RATE)
        loop[first : first + 10000] = 0.5 * sound[:10000]
    path = tmp_path / "Found kick loop.wav"
    soundfile.write(path, loop, RATE, subtype="FLOAT")
    page = tabs().open(server.address)
    page.get_by_label("Sound files", exact=True).set_input_files(path)
    dialog = page.get_by_role("dialog")
    expect(dialog.get_by_label("Use of Found kick loop.wav")).to_have_value("kick loop")
    dialog.get_by_role("button", name="Add", exact=True).click()
    section = page.get_by_role("region", name="Kick from a loop")
    expect(section.get_by_text("16 strokes on the grid")).to_be_visible()
    expect(page.get_by_role("status").filter(has_text="kicks were read in the loop")).to_be_visible()
    settled(page)
    # One of four is said to be none, in every bar, and again to be one.
    read = section.get_by_role("group", name="Kicks read in the loop").get_by_role("button", name="Kick at 1.2.5,")
    expect(read).to_have_attribute("aria-pressed", "true")
    read.click()
    expect(section.get_by_text("12 strokes on the grid")).to_be_visible()
    expect(read).to_have_attribute("aria-pressed", "false")
    read.click()
    expect(section.get_by_text("16 strokes on the grid")).to_be_visible()
    settled(page)
    page.keyboard.press("Space")
    expect(page.get_by_role("banner").get_by_role("button", name="Stop")).to_be_visible()
    heard(page, FADED_IN_S)
    played, rate = heard(page, 4)
    assert np.max(np.abs(played)) > 0.01
    # What sounds repeats with the bar, and not with the beat.
    bar = round(4 * 60 / 126 * rate)
    same = [float(np.dot(played[:bar], played[k : k + bar]) / np.dot(played[:bar], played[:bar])) for k in (bar, bar // 4)]
    assert same[0] > 0.9 > same[1] + 0.2
    page.get_by_role("banner").get_by_role("button", name="Stop").click()
    section.get_by_role("checkbox", name="From the loop").uncheck()
    expect(section.get_by_text("the stroke cut out is played on the grid")).to_be_visible()
    settled(page)


def test_a_pad_gives_way_under_the_kick_and_goes_with_the_files_where_asked(
    server: Server, tabs: Callable[[], Tab], tmp_path: Path
) -> None:
    time = np.arange(round(16 * 60 / 126 * RATE)) / RATE
    path = tmp_path / "Warm pad.wav"
    soundfile.write(path, 0.2 * np.sin(2 * np.pi * 58.27 * time) + 0.1 * np.sin(2 * np.pi * 349 * time), RATE)
    page = tabs().open(server.address)
    page.get_by_label("Sound files", exact=True).set_input_files(path)
    page.get_by_role("dialog").get_by_role("button", name="Add", exact=True).click()
    bench_tab(page, "Rest of the track")
    expect(page.get_by_role("region", name="The rest of the track").get_by_text("Warm pad", exact=True)).to_be_visible()
    settled(page)
    page.get_by_role("navigation", name="Steps").get_by_role("link", name="Separate").click()
    bench_tab(page, "Other parts")
    costs = page.get_by_role("table", name="What other parts cost")
    row = costs.get_by_role("row", name=re.compile("^Warm pad"))
    expect(row).to_be_visible()
    page.get_by_role("button", name="High-pass Warm pad under the kick").click()
    expect(row).to_contain_text("Hz under the kick")
    expect(row).to_contain_text(re.compile(r"0\.[01] dB"))
    settled(page)
    page.get_by_role("navigation", name="Steps").get_by_role("link", name="Deliver").click()
    names = []
    for _ in range(2):
        with zipfile.ZipFile(downloaded(page, "Download everything", tmp_path)) as archive:
            names.append(archive.namelist())
        page.get_by_role("checkbox", name="With the rest of the track").check()
    assert "stems/kit-context.wav" not in names[0]
    assert "stems/kit-context.wav" in names[1]

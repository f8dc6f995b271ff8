"""A level line drawn on the page: by keys, copied from bar to bar, in the file, and taken off."""

from __future__ import annotations

import io
import zipfile
from collections.abc import Callable
from pathlib import Path

import numpy as np
import soundfile
from page import Tab, downloaded, settled
from playwright.sync_api import expect
from support import Server

from juglant.core.model.track import Track
from juglant.demo.kit import with_kit

RATE = 48000


def test_the_bass_fades_along_its_line(server: Server, tabs: Callable[[], Tab], solved: Track, tmp_path: Path) -> None:
    server.load(with_kit(solved))
    page = tabs().open(server.address, "hits?hit=bass")
    settled(page)
    line = page.get_by_role("region", name="Level line of Bass")
    line.get_by_role("button", name="Draw one").click()
    last = line.get_by_role("button", name="Point 2")
    last.focus()
    for _ in range(12):
        page.keyboard.press("ArrowDown")
    expect(line.get_by_role("group", name="Level line of Bass of 2 points")).to_have_accessible_name(
        "Level line of Bass of 2 points: 0.0 dB at 1.1, −12.0 dB at 5.1"
    )
    settled(page)
    page.get_by_role("navigation", name="Steps").get_by_role("link", name="Deliver").click()
    with zipfile.ZipFile(downloaded(page, "Download everything", tmp_path)) as archive:
        faded = soundfile.read(io.BytesIO(archive.read("stems/bass-before.wav")))[0]
    page.go_back()
    line.get_by_role("button", name="Take it off").click()
    expect(line.get_by_role("button", name="Draw one")).to_be_visible()
    settled(page)
    page.get_by_role("navigation", name="Steps").get_by_role("link", name="Deliver").click()
    with zipfile.ZipFile(downloaded(page, "Download everything", tmp_path)) as archive:
        plain = soundfile.read(io.BytesIO(archive.read("stems/bass-before.wav")))[0]
    # Half way through it is 6 dB down.
    middle = slice(plain.size // 2 - RATE, plain.size // 2 + RATE)
    down = 10 * np.log10(np.sum(faded[middle] ** 2) / np.sum(plain[middle] ** 2))
    assert abs(down + 6) < 1
    assert 20 * np.log10(np.max(np.abs(faded[:9600])) / np.max(np.abs(plain[:9600]))) > -1


def test_bar_one_of_a_line_is_put_in_every_bar(server: Server, tabs: Callable[[], Tab], solved: Track) -> None:
    server.load(with_kit(solved))
    page = tabs().open(server.address, "hits?hit=clap")
    settled(page)
    page.get_by_role("tab", name="In the loop").click()
    line = page.get_by_role("region", name="Level line of Clap")
    line.get_by_role("button", name="Draw one").click()
    settled(page)
    line.get_by_role("button", name="Point 1").focus()
    page.keyboard.press("ArrowDown")
    expect(line.get_by_role("button", name="Point 1: −1.0 dB")).to_be_visible()
    settled(page)
    line.get_by_role("button", name="Bar 1 in every bar").click()
    expect(line.get_by_role("button", name="Point 4")).to_be_visible()
    expect(line.get_by_role("button", name="Point 5")).to_have_count(0)
    settled(page)
    page.reload()
    page.get_by_role("tab", name="In the loop").click()
    expect(line.get_by_role("button", name="Point 4: −1.0 dB at 4.1")).to_be_visible()

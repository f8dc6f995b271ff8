"""Recorded parts processed on the page: what is set is measured there, heard, by-passed, and in the files."""

from __future__ import annotations

import io
import re
import zipfile
from collections.abc import Callable
from pathlib import Path

import numpy as np
import soundfile
from page import Tab, downloaded, settled
from playwright.sync_api import Page, expect
from support import Server

from juglant.core.hit.strokes import cached_mono
from juglant.core.loop.render import render_stem
from juglant.core.model.stem import BASS
from juglant.core.model.track import Track
from juglant.core.synth.bass import Bass
from juglant.core.types import Samples

RATE = 48000


def go(page: Page, step: str) -> None:
    page.get_by_role("navigation", name="Steps").get_by_role("link", name=step).click()


def add(page: Page, path: Path, use: str) -> None:
    page.get_by_label("Sound files", exact=True).set_input_files(path)
    dialog = page.get_by_role("dialog")
    dialog.get_by_label(re.compile("^Use of")).select_option(use)
    dialog.get_by_role("button", name="Add", exact=True).click()
    settled(page)


def stems(page: Page, folder: Path) -> dict[str, Samples]:
    go(page, "Deliver")
    with zipfile.ZipFile(downloaded(page, "Download everything", folder)) as archive:
        return {
            name: soundfile.read(io.BytesIO(archive.read(f"stems/{name}.wav")))[0]
            for name in ("kick", "bass-before", "kick-before")
        }


def above_db(stem: Samples, hz: float) -> float:
    """Energy above a frequency re all of it, dB."""
    power = np.abs(np.fft.rfft(stem if stem.ndim == 1 else stem.mean(axis=1))) ** 2
    at = np.fft.rfftfreq(stem.shape[0], 1 / RATE) > hz
    return 10 * float(np.log10(power[at].sum() / power.sum()))


def test_a_kick_loop_and_a_bass_line_from_files_are_driven(
    server: Server, tabs: Callable[[], Tab], untouched: Track, tmp_path: Path
) -> None:
    track = untouched.having(kick_at_beats=(0.0,), kit=())
    server.load(track)
    loop, sound = np.zeros(round(4 * 60 / 126 * RATE)), cached_mono(untouched.kick, 127, 0, RATE, 0.0).audio
    for at in range(4):
        first = round(at * 60 / 126 * RATE)
        loop[first : first + 15000] = 0.5 * sound[:15000]
    kick, line = tmp_path / "Kick loop.wav", tmp_path / "Bass line.wav"
    soundfile.write(kick, loop, RATE, subtype="FLOAT")
    saw = render_stem(untouched.having(bass=Bass(source="saw")), BASS.of("before"))
    soundfile.write(line, 2 * saw, RATE, subtype="FLOAT")
    page = tabs().open(server.address)
    add(page, kick, "kick loop")
    add(page, line, "line")
    before = stems(page, tmp_path)

    go(page, "Hits")
    expect(page.get_by_text("heard through the layer of its recording and the bus")).to_be_visible()
    page.get_by_role("tab", name="Bus").click()
    page.get_by_role("checkbox", name="Bind the sum").check()
    page.get_by_role("button", name="Add a processor").click()
    page.locator(".dropdown-menu.show").get_by_role("button", name=re.compile("^Drive ")).click()
    stage = page.get_by_role("listitem", name="Drive")
    drive = stage.get_by_role("slider", name="Drive")
    drive.focus()
    page.keyboard.press("End")
    settled(page)
    expect(stage).to_contain_text(re.compile(r"crest −\d"))
    go(page, "Hits")
    page.get_by_role("button", name="Bass").first.click()
    page.get_by_role("button", name="Clean lows, driven highs").click()
    expect(page.get_by_role("status").filter(has_text="Above 220 Hz is driven")).to_be_visible()
    settled(page)
    chain = page.get_by_role("region", name="Chain of The line")
    expect(chain.get_by_role("listitem", name="Drive")).to_contain_text("low end")
    # Not measured is not said to be measured, and the delayed copy is not offered.
    chain.get_by_role("button", name="Add a processor").click()
    expect(page.locator(".dropdown-menu.show").get_by_role("button", name=re.compile("^Width"))).to_have_count(0)
    page.keyboard.press("Escape")
    page.keyboard.press("Space")
    chain.get_by_role("button", name="By-pass Drive of The line").click()
    expect(chain.get_by_role("button", name="By-pass Drive of The line")).to_have_attribute("aria-pressed", "true")
    expect(page.get_by_text("changes nothing")).to_have_count(0)
    page.get_by_role("banner").get_by_role("button", name="Stop").click()

    after = stems(page, tmp_path)
    assert above_db(after["kick"], 250) - above_db(before["kick"], 250) > 3
    assert above_db(after["bass-before"], 1000) > above_db(before["bass-before"], 1000) + 1
    hz = np.fft.rfftfreq(before["bass-before"].size, 1 / RATE)
    low = [float(np.sum(np.abs(np.fft.rfft(one["bass-before"]))[hz < 110] ** 2)) for one in (before, after)]
    assert abs(10 * np.log10(low[1] / low[0])) < 0.3

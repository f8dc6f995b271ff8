"""Parts on a bus: put there on the page, measured, heard, by-passed, taken back, and in the files."""

from __future__ import annotations

import io
import re
import zipfile
from collections.abc import Callable
from pathlib import Path

import numpy as np
import soundfile
from page import FADED_IN_S, Tab, downloaded, heard, listen, settled
from playwright.sync_api import expect
from support import Server

from juglant.core.model.track import Track
from juglant.demo.kit import with_kit


def test_kick_and_bass_are_pressed_on_a_bus(server: Server, tabs: Callable[[], Tab], solved: Track, tmp_path: Path) -> None:
    server.load(with_kit(solved))
    page = tabs().open(server.address, "hits")
    settled(page)
    page.get_by_role("button", name="Buses").click()
    expect(page.get_by_text("No part shares a bus")).to_be_visible()
    page.get_by_role("button", name="Add a bus").click()
    page.locator(".dropdown-menu.show").get_by_role("button", name="Kick and bass").click()
    bus = page.get_by_role("region", name="Bus Kick and bass")
    expect(bus.get_by_role("checkbox", name="Kick", exact=True)).to_be_checked()
    expect(bus.get_by_role("checkbox", name="Clap", exact=True)).not_to_be_checked()
    # Empty it does nothing, and has nothing to be left out.
    expect(bus.get_by_role("button", name=re.compile("^By-pass"))).to_have_count(0)
    bus.get_by_role("button", name="Add a processor").click()
    offered = page.locator(".dropdown-menu.show").get_by_role("button")
    expect(offered).to_have_count(4)
    offered.filter(has_text="Compressor").click()
    threshold = bus.get_by_role("slider", name="Threshold")
    threshold.focus()
    for _ in range(8):
        page.keyboard.press("ArrowLeft")
    expect(threshold).to_have_attribute("aria-valuenow", "-22")
    settled(page)
    table = bus.get_by_role("table", name="What Kick and bass does")
    row = table.get_by_role("row", name=re.compile("^Bass"))
    expect(row).to_contain_text(re.compile(r"−\d+\.\d LU"))
    expect(bus).to_contain_text(re.compile(r"takes off up to \d+\.\d dB"))

    listen(page, 6)
    page.keyboard.press("Space")
    expect(page.get_by_role("banner").get_by_role("button", name="Stop")).to_be_visible()
    heard(page, FADED_IN_S)
    with_bus, _ = heard(page, 2)
    bus.get_by_role("button", name="By-pass the bus Kick and bass").click()
    expect(page.get_by_text("Kick and bass", exact=False).first).to_be_visible()
    heard(page, 1)
    without, _ = heard(page, 2)
    assert np.max(np.abs(with_bus)) > 0.01
    assert np.max(np.abs(without)) > 0.01
    # Both equally loud, and the peaks stand otherwise.
    loud = [float(np.sqrt(np.mean(one**2))) for one in (with_bus, without)]
    assert abs(20 * np.log10(loud[0] / loud[1])) < 1.5
    page.get_by_role("banner").get_by_role("button", name="Stop").click()

    page.get_by_role("navigation", name="Steps").get_by_role("link", name="Deliver").click()
    with zipfile.ZipFile(downloaded(page, "Download everything", tmp_path)) as archive:
        read = {
            name: soundfile.read(io.BytesIO(archive.read(name)), always_2d=True)[0]
            for name in archive.namelist()
            if name.endswith(".wav") and name.startswith(("loop.wav", "stems/"))
        }
    own = [name for name in read if name.startswith("stems/") and not re.search("before|unducked", name)]
    assert "stems/bus-low-end.wav" in own
    total = np.sum([np.repeat(read[name], 2 // read[name].shape[1], axis=1) for name in own], axis=0)
    assert np.max(np.abs(total - np.repeat(read["loop.wav"], 2 // read["loop.wav"].shape[1], axis=1))) < 1e-5
    page.get_by_role("button", name="Undo").click()
    settled(page)


def test_a_part_goes_from_one_bus_to_another_and_a_bus_is_removed(
    server: Server, tabs: Callable[[], Tab], solved: Track
) -> None:
    server.load(with_kit(solved))
    page = tabs().open(server.address, "hits?buses=")
    settled(page)
    for start in ("Kick and bass", "Drums"):
        page.get_by_role("button", name="Add a bus").click()
        page.locator(".dropdown-menu.show").get_by_role("button", name=start).click()
        settled(page)
    drums, low = page.get_by_role("region", name="Bus Drums"), page.get_by_role("region", name="Bus Kick and bass")
    drums.get_by_role("checkbox", name="Kick (in Kick and bass)").check()
    expect(low.get_by_role("checkbox", name="Kick (in Drums)")).not_to_be_checked()
    settled(page)
    low.get_by_role("button", name="Remove", exact=True).click()
    expect(low).to_have_count(0)
    settled(page)
    page.reload()
    expect(page.get_by_role("region", name="Bus Drums").get_by_role("checkbox", name="Kick", exact=True)).to_be_checked()
    expect(page.get_by_role("region", name="Bus Kick and bass")).to_have_count(0)


def test_a_clap_is_sent_to_a_shared_echo(server: Server, tabs: Callable[[], Tab], solved: Track, tmp_path: Path) -> None:
    server.load(with_kit(solved))
    page = tabs().open(server.address, "hits?buses=")
    settled(page)
    page.get_by_role("button", name="Add a space").click()
    page.locator(".dropdown-menu.show").get_by_role("button", name="Echo").click()
    space = page.get_by_role("region", name="Space Echo")
    expect(space.get_by_text("nothing comes back")).to_be_visible()
    expect(space.get_by_role("slider", name="Rings")).to_have_count(0)
    space.get_by_role("button", name="Type Clap").click()
    page.keyboard.type("-6")
    page.keyboard.press("Enter")
    settled(page)
    expect(space.get_by_text(re.compile(r"−\d+\.\d LU re the loop"))).to_be_visible()
    space.get_by_role("button", name="Type Ducked by").click()
    page.keyboard.type("9")
    page.keyboard.press("Enter")
    expect(space.get_by_role("slider", name="Duck hold")).to_be_visible()
    settled(page)
    page.get_by_role("navigation", name="Steps").get_by_role("link", name="Deliver").click()
    with zipfile.ZipFile(downloaded(page, "Download everything", tmp_path)) as archive:
        back = soundfile.read(io.BytesIO(archive.read("stems/space-echo.wav")))[0]
    assert np.max(np.abs(back)) > 1e-3
    # Sent nowhere, it is no stem.
    page.go_back()
    space.get_by_role("button", name="Type Clap").click()
    page.keyboard.type("-60")
    page.keyboard.press("Enter")
    expect(space.get_by_text("nothing comes back")).to_be_visible()
    settled(page)

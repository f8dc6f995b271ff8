"""Three parts ducked by a silent trigger, two bars without kick: no guard is broken, and the files agree."""

from __future__ import annotations

import io
import json
import re
import zipfile
from collections.abc import Callable
from itertools import pairwise
from pathlib import Path

import numpy as np
import soundfile
from page import Tab, bench_tab, downloaded, settled
from playwright.sync_api import Page, expect
from reference_clearance import GOALS_DB, clearance_db
from support import Server

from juglant.core.model.track import Track
from juglant.core.model.version_one import Ducking
from juglant.demo.kit import with_targets

BARS, RATE = 4, 48000


def guards_hold(page: Page) -> None:
    """No figure of the guards is over its limit."""
    bench_tab(page, "Guards")
    region = page.get_by_role("region", name="Guards")
    expect(region.get_by_text("level jump by bar")).to_be_visible()
    expect(region.get_by_text(re.compile(", over"))).to_have_count(0)


def gain_of(text: bytes, frames: int) -> np.ndarray:
    rows = np.array([[float(x) for x in line.split(",")] for line in text.decode().splitlines()[1:]])
    return np.asarray(10 ** (np.interp(np.arange(frames) / RATE, rows[:, 0], rows[:, 1]) / 20))


def test_three_targets_and_a_silent_trigger_through_bars_without_kick(
    server: Server, tabs: Callable[[], Tab], untouched: Track, tmp_path: Path
) -> None:
    plain = with_targets(untouched)
    plain = plain.having(ducking=Ducking())
    # Deep enough that a jump would be heard: the kick owns nothing here, it is the bass.
    server.load(plain.model_copy(update={"sheet": plain.sheet.model_copy(update={"owner": "kick-is-bass"})}))
    page = tabs().open(server.address, "separate")
    settled(page)
    page.get_by_role("button", name="Compute carve").click()
    expect(page.get_by_role("checkbox", name="Carve on")).to_be_checked()
    settled(page)
    page.get_by_role("navigation", name="Steps").get_by_role("link", name="Duck").click()
    lanes = page.get_by_role("group", name="Gain of every ducked part")
    for part in ("Pad", "Stab"):
        page.get_by_label("Duck another part").select_option(label=part)
        expect(lanes.get_by_role("button", name=re.compile(f"^{part}: down to"))).to_be_visible()
        settled(page)
        bench_tab(page, "Key and part")
        page.get_by_label("Keyed by").select_option("trigger")
        settled(page)
    lanes.get_by_role("button", name=re.compile("^Bass")).click()
    page.get_by_label("Keyed by").select_option("trigger")
    settled(page)
    page.get_by_role("button", name="Compute all").click()
    expect(page.get_by_role("checkbox", name="Duck on")).to_be_checked()
    settled(page)
    for part in ("Bass", "Pad", "Stab"):
        lanes.get_by_role("button", name=re.compile(f"^{part}")).click()
        guards_hold(page)
    # The kick rests for two bars; what keys the bass runs on.
    page.get_by_role("navigation", name="Steps").get_by_role("link", name="Track").click()
    for beat in range(8, 16):
        stroke = page.get_by_role("checkbox", name=f"Kick at {beat // 4 + 1}.{beat % 4 + 1}", exact=True)
        stroke.focus()
        page.keyboard.press("Delete")
        expect(stroke).not_to_be_checked()
    settled(page)
    page.get_by_role("navigation", name="Steps").get_by_role("link", name="Duck").click()
    lanes.get_by_role("button", name=re.compile("^Bass: .* 16 keys")).click()
    # Eight kicks meet other notes of the line than sixteen.
    page.get_by_role("button", name="Compute all").click()
    expect(page.get_by_text(re.compile(r"kick over bass 1(4\.[6-9]|5\.\d) dB, goal 15\.0 dB"))).to_be_visible()
    settled(page)
    guards_hold(page)
    table = page.get_by_role("table", name="What the duck takes in each bar")
    jumps = [
        float(re.search(r"(\d+\.\d) LU", table.get_by_role("row", name=re.compile(f"^{row}")).inner_text()).group(1))  # type: ignore[union-attr]
        for row in ("keyed by the kick", "keyed by the silent trigger")
    ]
    assert jumps[0] > 1 > jumps[1]
    page.get_by_role("navigation", name="Steps").get_by_role("link", name="Deliver").click()
    with zipfile.ZipFile(downloaded(page, "Download everything", tmp_path)) as archive:
        files = {name: archive.read(name) for name in archive.namelist()}
    stems = {
        name.removeprefix("stems/").removesuffix(".wav"): soundfile.read(io.BytesIO(data))[0]
        for name, data in files.items()
        if name.startswith("stems/")
    }
    assert {"trigger.mid", "trigger.wav"} <= set(files)
    # Each file of gain on its un-ducked stem is the ducked stem.
    for name in ("bass", "kit-pad", "kit-stab"):
        gain = gain_of(files[f"duck-{name}.csv"], len(stems[name]))
        made = stems[f"{name}-unducked"] * (gain if stems[name].ndim == 1 else gain[:, None])
        error = np.sqrt(np.mean((made - stems[name]) ** 2) / np.mean(stems[name] ** 2))
        assert 20 * np.log10(error + 1e-12) < -60, name
    # The level of the bass does not jump where the kick rests: what was taken, bar by bar.
    edges = np.round(np.arange(BARS + 1) * 4 * 60 / 126 * RATE).astype(int)
    energy = {way: stems[f"bass{way}"] ** 2 for way in ("", "-unducked")}
    taken = [10 * np.log10(energy[""][a:b].sum() / energy["-unducked"][a:b].sum()) for a, b in pairwise(edges)]
    assert max(taken) - min(taken) < 1
    assert max(taken) < -0.5
    assert np.max(np.abs(stems["kick"][edges[2] + 24000 :])) < 1e-3
    kicks_s = json.loads(files["report.json"])["clearance"]["strokes_s"]
    assert len(kicks_s) == 8
    # Where the kick sounds it is as clear of the bass as it asks, by scipy alone.
    assert clearance_db(stems, "kick-is-bass", RATE, kicks_s) > GOALS_DB["kick-is-bass"] - 0.5

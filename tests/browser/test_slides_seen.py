"""A note of the bass on the grid: picked, its level, slide and bend set, and heard in the file."""

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


def test_a_note_is_bent_on_the_grid(server: Server, tabs: Callable[[], Tab], solved: Track, tmp_path: Path) -> None:
    server.load(solved)
    page = tabs().open(server.address, "track")
    settled(page)
    stems = []
    for bent in (False, True):
        if bent:
            page.get_by_role("button", name="Bass B♭1 at 1.1,").first.focus()
            picked = page.get_by_role("region", name="The picked note")
            picked.get_by_role("button", name="Type Bend").click()
            page.keyboard.type("-1200")
            page.keyboard.press("Enter")
            expect(picked.get_by_role("slider", name="Bend")).to_have_attribute("aria-valuenow", "-1200")
            settled(page)
        page.get_by_role("navigation", name="Steps").get_by_role("link", name="Deliver").click()
        with zipfile.ZipFile(downloaded(page, "Download everything", tmp_path)) as archive:
            stems.append(soundfile.read(io.BytesIO(archive.read("stems/bass-before.wav")))[0])
        page.go_back()
    assert stems[0].shape == stems[1].shape
    note = slice(0, round(0.7 * 60 / solved.sheet.bpm * 48000))
    changed = np.abs(stems[1] - stems[0])
    assert np.max(changed[note]) > 0.05
    # The next notes are as they were.
    assert np.max(changed[round(1.5 * 60 / solved.sheet.bpm * 48000) :]) < 1e-6

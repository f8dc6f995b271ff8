"""A recorded tom is rebuilt from engines on the page: its distance is said, it is heard beside it and put in its place."""

from __future__ import annotations

import io
import re
from collections.abc import Callable

import numpy as np
import soundfile
from near_meters import RATE, bands_apart_db, made_tom
from page import Tab, listen, settled, taken_down
from playwright.sync_api import Page, expect
from support import Server

from juglant.core.model.track import Track


def struck(page: Page, name: str) -> np.ndarray:
    """What is heard after a press, from its start, (frames,)."""
    listen(page, 2.5)
    page.get_by_role("button", name=name, exact=True).click()
    sound, rate = taken_down(page)
    assert rate == RATE
    begin = int(np.argmax(np.abs(sound) > 0.02 * np.max(np.abs(sound))))
    return sound[max(0, begin - 48) : begin + RATE]


def test_a_recorded_tom_is_rebuilt_heard_and_put_in_its_place(
    server: Server, tabs: Callable[[], Tab], untouched: Track
) -> None:
    server.load(untouched.having(kit=()))
    page = tabs().open(server.address)
    file = io.BytesIO()
    soundfile.write(file, made_tom(98), RATE, format="WAV", subtype="FLOAT")
    page.get_by_label("Sound files", exact=True).set_input_files(
        {"name": "Barrel.wav", "mimeType": "audio/wav", "buffer": file.getvalue()}
    )
    dialog = page.get_by_role("dialog")
    dialog.get_by_label(re.compile("^Use of")).select_option("hit tom")
    dialog.get_by_role("button", name="Add", exact=True).click()
    settled(page)
    page.get_by_role("navigation", name="Steps").get_by_role("link", name="Hits").click()
    page.get_by_role("toolbar", name="Kit").get_by_role("button", name="Barrel").click()
    near = page.get_by_role("region", name=re.compile("^Near to"))
    near.get_by_role("button", name="Rebuild it from engines").click()
    expect(near.get_by_role("status")).to_contain_text("ten seconds to a minute")
    # The bench goes on meanwhile, and what was asked for is found again.
    page.get_by_role("tab", name="Strength").click()
    page.get_by_role("tab", name="Sound", exact=True).click()
    away = near.get_by_role("region", name="How far it stays away")
    expect(away).to_contain_text(re.compile(r"made from it: \d+\.\d dB away before"))
    expect(away).to_contain_text(re.compile(r"0\.\d dB\s*third octaves"))
    expect(away).to_contain_text(re.compile(r"[+−]?\d cents\s*where it settles"))
    recorded, made = struck(page, "Hear the recording"), struck(page, "Hear it rebuilt")
    # As it is heard: other samples, the same third octaves, equally loud.
    assert np.max(np.abs(bands_apart_db(made, recorded, RATE))) < 2
    assert 10 * abs(np.log10(np.sum(made**2) / np.sum(recorded**2))) < 1.5
    assert np.sum((made[: RATE // 2] - recorded[: RATE // 2]) ** 2) > 0.001 * np.sum(recorded**2)
    near.get_by_role("button", name="Put it in its place").click()
    settled(page)
    layers = page.get_by_role("list", name="Layers")
    expect(layers.get_by_role("listitem", name="Barrel")).to_have_count(0)
    expect(
        page.get_by_role("slider", name="First skin").or_(page.get_by_role("slider", name="Landing")).first
    ).to_be_visible()
    page.get_by_role("button", name="Undo", exact=True).click()
    expect(layers.get_by_role("listitem", name="Barrel")).to_be_visible()

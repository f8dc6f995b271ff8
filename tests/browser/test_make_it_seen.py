"""Make it a…, on the page: moves with their amounts, switched, heard before and after, made in one press, undone."""

from __future__ import annotations

import io
from collections.abc import Callable

import numpy as np
import soundfile
from near_meters import RATE, made_tom
from page import Tab, listen, settled, taken_down
from playwright.sync_api import expect
from support import Server, stored_track

from juglant.core.model.track import Track


def strongest_hz(sound: np.ndarray, rate: float) -> float:
    part = sound[round(0.12 * rate) : round(0.8 * rate)]
    power = np.abs(np.fft.rfft(part * np.hanning(part.size), 1 << 18))
    return float(np.fft.rfftfreq(1 << 18, 1 / rate)[np.argmax(power)])


def test_a_recorded_tom_is_made_a_kick(server: Server, tabs: Callable[[], Tab], untouched: Track) -> None:
    server.load(untouched)
    page = tabs().open(server.address, "takes")
    data = io.BytesIO()
    soundfile.write(data, made_tom(118), RATE, format="WAV", subtype="FLOAT")
    file = {"name": "Barrel.wav", "mimeType": "audio/wav", "buffer": data.getvalue()}
    page.get_by_label("Sound files", exact=True).set_input_files(file)  # type: ignore[arg-type]
    page.get_by_label("Use of Barrel").select_option("hit tom")
    page.get_by_role("dialog").get_by_role("button", name="Add").click()
    settled(page)
    page.get_by_role("navigation", name="Steps").get_by_role("link", name="Hits").click()
    page.get_by_role("toolbar", name="Kit").get_by_role("button", name="Barrel").click()
    panel = page.get_by_role("region", name="Make Barrel serve")
    panel.get_by_role("button", name="Make it a…").click()
    panel.get_by_label("Role").select_option("kick")
    moves = panel.get_by_role("list", name="Moves")
    expect(moves.get_by_role("listitem").filter(has_text="by playback speed")).to_have_count(1)
    # Switched off it is still there, and what is heard is not tuned.
    listen(page, 1.6)
    panel.get_by_role("button", name="Hear it made").click()
    tuned_hz = strongest_hz(*taken_down(page))
    assert 40 < tuned_hz < 63
    moves.get_by_label("Tune", exact=True).uncheck()
    expect(panel.get_by_role("status")).not_to_contain_text("solving")
    listen(page, 1.6)
    panel.get_by_role("button", name="Hear it made").click()
    assert strongest_hz(*taken_down(page)) > 100
    moves.get_by_label("Tune", exact=True).check()
    expect(panel.get_by_role("status")).not_to_contain_text("solving")
    panel.get_by_role("button", name="Make it a kick").click()
    settled(page)
    barrel = next(one for one in stored_track(server)["parts"] if one["name"] == "Barrel")
    assert barrel["hit"]["layers"][0]["tune_cents"] < -600
    page.get_by_role("navigation", name="Steps").get_by_role("button", name="Undo").click()
    settled(page)
    barrel = next(one for one in stored_track(server)["parts"] if one["name"] == "Barrel")
    assert barrel["hit"]["layers"][0]["tune_cents"] == 0

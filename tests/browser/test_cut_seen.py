"""The cut on the page: handles by keys and by the mouse, to the sample, heard and kept beside the take."""

from __future__ import annotations

import io
import json
import urllib.request
from collections.abc import Callable

import numpy as np
import pytest
import soundfile
from near_meters import RATE, made_tom
from page import Tab, listen, taken_down
from playwright.sync_api import expect
from support import Server

from juglant.core.model.track import Track


def test_a_stretch_is_cut_by_its_handles(server: Server, tabs: Callable[[], Tab], untouched: Track) -> None:
    server.load(untouched)
    page = tabs().open(server.address, "takes")
    data = io.BytesIO()
    sound = np.concatenate((np.zeros(RATE), made_tom(98)))
    soundfile.write(data, sound, RATE, format="WAV", subtype="FLOAT")
    file = {"name": "Plank.wav", "mimeType": "audio/wav", "buffer": data.getvalue()}
    page.get_by_label("Sound files", exact=True).set_input_files(file)  # type: ignore[arg-type]
    page.get_by_role("dialog").get_by_role("button", name="Only keep").click()
    takes = page.get_by_role("list", name="Takes")
    takes.get_by_role("listitem", name="Plank", exact=True).get_by_role("button", name="Cut").click()
    panel = page.get_by_role("region", name="Cut Plank")
    panel.get_by_label("From, ms").fill("1100")
    panel.get_by_label("From, ms").press("Enter")
    begin = panel.get_by_role("slider", name="Where the cut begins")
    expect(begin).to_have_attribute("aria-valuenow", "1100")
    begin.focus()
    for _ in range(3):
        page.keyboard.press("ArrowRight")
    expect(begin).to_have_attribute("aria-valuenow", "1100.06")
    # The other end by the mouse, to about 1.6 s.
    end = panel.get_by_role("slider", name="Where the cut ends")
    box, all_of_it = end.bounding_box(), panel.get_by_role("group", name="Waveform of Plank with the cut").bounding_box()
    assert box is not None
    assert all_of_it is not None
    page.mouse.move(box["x"] + box["width"] / 3, box["y"] + 40)
    page.mouse.down()
    page.mouse.move(all_of_it["x"] + all_of_it["width"] * 1.6 / 2.2, box["y"] + 40, steps=4)
    page.mouse.up()
    panel.get_by_label("At a turn of the wave").uncheck()
    panel.get_by_label("Peak at").check()
    expect(panel.get_by_role("status")).to_contain_text("from 1100 ms")
    listen(page, 1.0)
    panel.get_by_role("button", name="Hear the cut").click()
    heard, _ = taken_down(page)
    assert np.max(np.abs(heard)) > 0.01
    panel.get_by_role("button", name="Keep the cut").click()
    expect(takes.get_by_role("listitem", name="Plank cut", exact=True)).to_contain_text("cut from Plank at 1.1 s, kept")
    with urllib.request.urlopen(f"{server.address}api/takes", timeout=60) as answer:  # noqa: S310
        made = next(one for one in json.load(answer) if one["name"] == "Plank cut")
    address = f"{server.address}api/takes/{made['id']}/sound.wav?sample_rate={RATE}"
    with urllib.request.urlopen(address, timeout=60) as answer:  # noqa: S310
        audio = np.asarray(soundfile.read(io.BytesIO(answer.read()))[0])
    first = round(1.1 * RATE) + 3
    part = audio[300 : audio.size - 600]
    planted = sound[first + 300 : first + 300 + part.size]
    assert part.size / RATE == pytest.approx(0.5, abs=0.03)
    assert np.allclose(part / np.max(np.abs(audio)) * np.max(np.abs(sound[first : first + audio.size])), planted, atol=1e-4)

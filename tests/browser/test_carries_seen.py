"""What a recording carries, on the page: told, its hum taken out and heard alone, kept cleaned beside the take itself."""

from __future__ import annotations

import io
from collections.abc import Callable

import numpy as np
import soundfile
from near_meters import RATE, made_tom
from page import Tab, listen, taken_down
from playwright.sync_api import expect
from support import Server

from juglant.core.model.track import Track


def test_a_hum_is_told_heard_alone_and_taken_out(server: Server, tabs: Callable[[], Tab], untouched: Track) -> None:
    server.load(untouched)
    page = tabs().open(server.address, "takes")
    time = np.arange(4 * RATE) / RATE
    sound = 0.02 * np.sin(2 * np.pi * 60 * time) + 0.0004 * np.random.default_rng(1).standard_normal(time.size)
    for begin in (0.8, 2.4):
        tom = made_tom(131)
        sound[round(begin * RATE) : round(begin * RATE) + tom.size] += tom
    data = io.BytesIO()
    soundfile.write(data, sound, RATE, format="WAV", subtype="FLOAT")
    file = {"name": "Humming.wav", "mimeType": "audio/wav", "buffer": data.getvalue()}
    page.get_by_label("Sound files", exact=True).set_input_files(file)  # type: ignore[arg-type]
    page.get_by_role("dialog").get_by_role("button", name="Only keep").click()
    takes = page.get_by_role("list", name="Takes")
    takes.get_by_role("listitem", name="Humming", exact=True).get_by_role("button", name="Carries").click()
    panel = page.get_by_role("region", name="What Humming carries")
    expect(panel.get_by_text("hum at 60.0 Hz")).to_be_visible()
    expect(panel.get_by_role("button", name="Keep it cleaned")).to_be_disabled()
    panel.get_by_label("Take its hum out").check()
    # What is taken is the hum alone: no tom is heard in it.
    listen(page, 2.5)
    panel.get_by_role("button", name="Hear what is taken").click()
    heard, rate = taken_down(page)
    power = np.abs(np.fft.rfft(heard * np.hanning(heard.size))) ** 2
    frequency = np.fft.rfftfreq(heard.size, 1 / rate)
    assert abs(frequency[np.argmax(power)] - 60) < 1
    assert power[(frequency > 100) & (frequency < 2000)].sum() < 1e-3 * power.sum()
    panel.get_by_role("button", name="Keep it cleaned").click()
    expect(page.get_by_role("status").filter(has_text="Humming cleaned is a take of its own")).to_be_visible()
    expect(takes.get_by_role("listitem", name="Humming", exact=True)).to_have_count(1)
    expect(takes.get_by_role("listitem", name="Humming cleaned", exact=True)).to_contain_text("Humming without its hum")

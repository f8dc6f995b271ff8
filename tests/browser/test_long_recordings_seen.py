"""On the page: a recording that grows long goes to the disk as it comes, a long file is kept whole; both are cut."""

from __future__ import annotations

import io
import json
import urllib.request
from collections.abc import Callable
from typing import Any

import numpy as np
import soundfile
from made_loops import kit
from page import Tab, listen, taken_down
from playwright.sync_api import expect
from support import Server


def asked(server: Server, path: str) -> Any:
    with urllib.request.urlopen(f"{server.address}api/{path}", timeout=60) as answer:  # noqa: S310
        return json.load(answer)


def test_a_recording_that_grows_long_is_on_the_disk_and_cut_from(server: Server, tabs: Callable[[], Tab]) -> None:
    page = tabs().open(server.address, "takes")
    page.evaluate("() => { window.juglantRecorder.longAfterS = 3; }")
    recorder = page.get_by_role("region", name="Recorder")
    recorder.get_by_role("button", name="Arm").click()
    things = recorder.get_by_role("group", name="Things to strike")
    expect(things).to_have_attribute("aria-busy", "false")
    recorder.get_by_role("button", name="Record", exact=True).click()
    for _ in range(4):
        things.get_by_role("button").first.click()
        page.wait_for_timeout(1500)
    # More than is held is there already: it went to the disk while it was recorded.
    expect(recorder.get_by_role("status")).to_contain_text("recording: ")
    page.wait_for_function("() => window.juglantRecorder.now(8).heldS > 9")
    assert asked(server, "recordings")[0]["duration_s"] >= 4
    recorder.get_by_role("button", name="End recording").click()
    expect(page.get_by_role("status").filter(has_text="A long recording of")).to_be_visible()
    made = asked(server, "recordings")[0]
    assert made["duration_s"] > 9
    assert made["said"] == "by the stand-in"
    rows = page.get_by_role("list", name="Long recordings")
    rows.get_by_role("button", name="Impacts and cuts").first.click()
    table = page.get_by_role("table", name="Impacts, the best first")
    expect(table.get_by_role("button", name="Hear impact 1")).to_be_visible()
    listen(page, 0.8)
    table.get_by_role("button", name="Hear impact 1").click()
    sound, _ = taken_down(page)
    assert np.max(np.abs(sound)) > 0.003
    table.get_by_role("button", name="Cut", exact=True).first.click()
    expect(page.get_by_role("status").filter(has_text="is a take of its own")).to_be_visible()
    take = next(one for one in asked(server, "takes") if one["name"].startswith("Recorded 20"))
    assert take["made_of"]["said"] == f"from {made['name']}"
    recorder.get_by_role("button", name="Disarm").click()
    rows.get_by_role("button", name="Put away").first.click()
    expect(page.get_by_role("status").filter(has_text="Its file stays")).to_be_visible()
    assert asked(server, "recordings?away=true")[0]["id"] == made["id"]


def test_a_file_that_is_too_long_for_a_sound_is_kept_whole(server: Server, tabs: Callable[[], Tab]) -> None:
    tab = tabs()
    # That it is too long is said in a message of the page; the browser notes the status.
    tab.expected = ("422",)
    page = tab.open(server.address, "takes")
    sound = 1e-5 * np.random.default_rng(2).standard_normal(104 * 24000)
    for number in range(60):
        drum = kit(1)["snare"][::2]
        at = round((0.5 + 1.7 * number) * 24000)
        sound[at : at + drum.size] += drum
    data = io.BytesIO()
    soundfile.write(data, 0.5 * sound, 24000, format="WAV", subtype="PCM_16")
    file: Any = {"name": "Whole night.wav", "mimeType": "audio/wav", "buffer": data.getvalue()}
    page.get_by_label("Sound files", exact=True).set_input_files(file)
    page.get_by_role("dialog").get_by_role("button", name="Keep all of it").click()
    expect(page.get_by_role("dialog")).to_have_count(0)
    row = page.get_by_role("list", name="Long recordings").get_by_role("listitem", name="Whole night", exact=True)
    expect(row).to_contain_text("1:44 min")
    row.get_by_role("button", name="Impacts and cuts").click()
    expect(page.get_by_role("region", name="Impacts of Whole night").get_by_role("status")).to_contain_text("60 found")
    page.get_by_label("To, s").fill("4")
    page.get_by_label("To, s").press("Enter")
    page.get_by_role("button", name="Cut it as a take").click()
    made = page.get_by_role("list", name="Takes").get_by_role("listitem", name="Whole night 0 s", exact=True)
    expect(made).to_contain_text("cut from Whole night at 0")
    row.get_by_role("button", name="Put away").click()
    expect(row).to_have_count(0)
    page.get_by_role("button", name="Undo").filter(visible=True).last.click()
    expect(row).to_be_visible()
    # A copy of the database alone would not have it: the sheet of one's data says so.
    page.get_by_role("link", name="Your data").click()
    expect(page.get_by_text("long recordings beside it; copying both is a backup")).to_be_visible()

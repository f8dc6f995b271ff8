"""The recorder on the page: off until it is armed; what was done before Record is kept; latency is measured; nothing leaks.

Struck on the stand-in, found in the sound file that is kept: what the page recorded is read back and measured here.
"""

from __future__ import annotations

import io
import json
import urllib.request
from collections.abc import Callable

import numpy as np
import pytest
import soundfile
from page import Tab, settled
from playwright.sync_api import Page, expect
from support import Server

from juglant.core.model.track import Track

RATE = 48000
STRUCK = ("Cushion", "Hands", "Keys in a tin")


def kept(server: Server) -> list[dict]:
    with urllib.request.urlopen(f"{server.address}api/takes", timeout=60) as answer:  # noqa: S310
        found: list[dict] = [one for one in json.load(answer) if (one["made_of"] or {}).get("way") == "recorded"]
        return found


def sound_of(server: Server, take: dict) -> np.ndarray:
    address = f"{server.address}api/takes/{take['id']}/sound.wav?sample_rate={RATE}"
    with urllib.request.urlopen(address, timeout=60) as answer:  # noqa: S310
        audio, _ = soundfile.read(io.BytesIO(answer.read()))
        return np.asarray(audio)


def armed(server: Server, tab: Tab, track: Track) -> Page:
    server.load(track)
    page = tab.open(server.address, "takes")
    settled(page)
    desk = page.get_by_role("region", name="Recorder")
    expect(desk.get_by_role("status")).to_have_text("off")
    desk.get_by_role("button", name="Arm", exact=True).click()
    expect(desk.get_by_role("button", name="Record", exact=True)).to_be_visible()
    expect(page.get_by_role("banner").get_by_text("The stand-in is on: held")).to_be_visible()
    expect(desk.get_by_role("group", name="Things to strike")).to_have_attribute("aria-busy", "false")
    return page


def test_what_was_done_before_record_was_pressed_is_kept(server: Server, tabs: Callable[[], Tab], untouched: Track) -> None:
    page = armed(server, tabs(), untouched)
    desk = page.get_by_role("region", name="Recorder")
    things = desk.get_by_role("group", name="Things to strike")
    for name in STRUCK:
        things.get_by_role("button", name=name).click()
        page.wait_for_timeout(900)
    desk.get_by_role("button", name="Record", exact=True).click()
    expect(page.get_by_role("banner").get_by_text("The stand-in is on: recording")).to_be_visible()
    # The last one by its key, after Record.
    things.get_by_role("button", name="Cushion").focus()
    page.keyboard.press("z")
    page.wait_for_timeout(1200)
    before = len(kept(server))
    desk.get_by_role("button", name="End recording").click()
    expect(page.get_by_text("from before Record was pressed").first).to_be_visible()
    found = kept(server)
    assert len(found) == before + 1
    audio = sound_of(server, found[0])
    # Four strikes and the room: loud enough to be found, and nothing but the room between them.
    loud = np.abs(audio) > 0.012
    begins = [at for at in np.flatnonzero(loud) if not loud[max(0, at - round(0.3 * RATE)) : at].any()]
    assert len(begins) == 4
    assert np.diff(begins).min() > 0.5 * RATE
    quiet = audio[: begins[0] - 100]
    assert 20 * np.log10(np.sqrt(np.mean(quiet**2))) == pytest.approx(-61, abs=3)
    spectrum = np.abs(np.fft.rfft(audio[begins[0] : begins[0] + round(0.2 * RATE)]))
    assert np.fft.rfftfreq(round(0.2 * RATE), 1 / RATE)[np.argmax(spectrum)] < 120


def test_latency_is_measured_and_a_disarmed_recorder_holds_nothing(
    server: Server, tabs: Callable[[], Tab], untouched: Track
) -> None:
    page = armed(server, tabs(), untouched)
    desk = page.get_by_role("region", name="Recorder")
    desk.get_by_role("button", name="Measure latency").click()
    # As late as the stand-in is made.
    expect(desk.get_by_text("latency 23.0 ms")).to_be_visible()
    page.get_by_role("navigation", name="Steps").get_by_role("link", name="Hits").click()
    banner = page.get_by_role("banner")
    banner.get_by_role("button", name="Disarm recorder").click()
    expect(banner.get_by_text("The stand-in is on")).to_have_count(0)
    assert page.evaluate("juglantRecorder.now(8)") is None
    page.get_by_role("navigation", name="Steps").get_by_role("link", name="Takes").click()
    expect(desk.get_by_role("status")).to_have_text("off")


def test_a_microphone_that_is_refused_says_what_to_do(server: Server, tabs: Callable[[], Tab], untouched: Track) -> None:
    server.load(untouched)
    page = tabs().open(server.address, "takes")
    page.evaluate(
        "() => { navigator.mediaDevices.getUserMedia = async () => { throw new DOMException('no', 'NotAllowedError'); }; }"
    )
    desk = page.get_by_role("region", name="Recorder")
    desk.get_by_label("Listens to").select_option("microphone")
    desk.get_by_role("button", name="Arm", exact=True).click()
    expect(desk.get_by_text("allow it in the address bar")).to_be_visible()
    expect(desk.get_by_role("status")).to_have_text("off")


# A microphone made of a tone, which can be pulled out.
MICROPHONE = """() => {
  navigator.mediaDevices.getUserMedia = async () => {
    const context = new AudioContext();
    const out = new MediaStreamAudioDestinationNode(context);
    const tone = new OscillatorNode(context, { frequency: 440 });
    tone.connect(new GainNode(context, { gain: 0.25 })).connect(out);
    tone.start();
    window.pulled = () => out.stream.getAudioTracks()[0].dispatchEvent(new Event('ended'));
    return out.stream;
  };
}"""


def test_what_came_before_a_microphone_was_unplugged_is_kept(
    server: Server, tabs: Callable[[], Tab], untouched: Track
) -> None:
    server.load(untouched)
    page = tabs().open(server.address, "takes")
    page.evaluate(MICROPHONE)
    desk = page.get_by_role("region", name="Recorder")
    desk.get_by_label("Listens to").select_option("microphone")
    desk.get_by_role("button", name="Arm", exact=True).click()
    desk.get_by_role("button", name="Record", exact=True).click()
    page.wait_for_timeout(1500)
    before = len(kept(server))
    page.evaluate("window.pulled()")
    expect(desk.get_by_text("was unplugged")).to_be_visible()
    page.get_by_role("status").filter(has_text="is kept").wait_for()
    found = kept(server)
    assert len(found) == before + 1
    audio = sound_of(server, found[0])
    middle = audio[audio.size // 4 : -audio.size // 4]
    spectrum = np.abs(np.fft.rfft(middle * np.hanning(middle.size)))
    assert np.fft.rfftfreq(middle.size, 1 / RATE)[np.argmax(spectrum)] == pytest.approx(440, abs=5)
    assert np.max(np.abs(middle)) == pytest.approx(0.25, rel=0.1)


def test_a_recording_that_cannot_be_kept_is_held_until_it_is(
    server: Server, tabs: Callable[[], Tab], untouched: Track
) -> None:
    tab = tabs()
    tab.expected = ("507",)
    server.load(untouched)
    page = tab.open(server.address, "takes")
    desk = page.get_by_role("region", name="Recorder")
    desk.get_by_role("button", name="Arm", exact=True).click()
    desk.get_by_role("button", name="Record", exact=True).wait_for()
    desk.get_by_role("button", name="Table").click()
    page.wait_for_timeout(1000)
    full = {"type": "juglant:full", "title": "Full", "status": 507, "detail": "The disk is full."}
    page.route("**/api/takes?*", lambda route: route.fulfill(status=507, json=full))
    desk.get_by_role("button", name="Keep what was heard").click()
    expect(desk.get_by_text("The disk is full.")).to_be_visible()
    page.unroute("**/api/takes?*")
    before = len(kept(server))
    desk.get_by_role("button", name="Keep it").click()
    page.get_by_role("status").filter(has_text="is kept").wait_for()
    assert len(kept(server)) == before + 1


def test_a_take_is_renamed_tagged_found_and_put_away(server: Server, tabs: Callable[[], Tab], untouched: Track) -> None:
    page = armed(server, tabs(), untouched)
    desk = page.get_by_role("region", name="Recorder")
    desk.get_by_role("button", name="Glass").click()
    page.wait_for_timeout(900)
    desk.get_by_role("button", name="Keep what was heard").click()
    page.get_by_role("status").filter(has_text="is kept").wait_for()
    takes = page.get_by_role("list", name="Takes")
    own = kept(server)[0]["name"]
    takes.get_by_role("listitem", name=own, exact=True).get_by_role("button", name="Name and tags").click()
    # Typed, not filled in: letters are names here, and play nothing.
    page.get_by_label("Name", exact=True).press("Control+a")
    page.keyboard.type("Window seat")
    page.get_by_label("Tags, with commas between").fill("clear, short")
    page.keyboard.press("Enter")
    row = takes.get_by_role("listitem", name="Window seat", exact=True)
    expect(row).to_contain_text("short")
    expect(row).to_contain_text("recorded by the stand-in")
    row.get_by_role("button", name="Put away").click()
    expect(row).to_have_count(0)
    page.get_by_role("status").filter(has_text="is put away").get_by_role("button", name="Undo").click()
    expect(row).to_have_count(1)


def test_a_recording_that_is_let_go_of_elsewhere_waits_until_it_is_kept(
    server: Server, tabs: Callable[[], Tab], untouched: Track
) -> None:
    page = armed(server, tabs(), untouched)
    desk = page.get_by_role("region", name="Recorder")
    desk.get_by_role("button", name="Record", exact=True).click()
    desk.get_by_role("button", name="Table").click()
    page.wait_for_timeout(900)
    steps = page.get_by_role("navigation", name="Steps")
    steps.get_by_role("link", name="Hits").click()
    before = len(kept(server))
    page.get_by_role("banner").get_by_role("button", name="Disarm recorder").click()
    expect(page.get_by_role("banner").get_by_text("not on the shelf yet")).to_be_visible()
    steps.get_by_role("link", name="Takes").click()
    page.get_by_role("status").filter(has_text="is kept").wait_for()
    assert len(kept(server)) == before + 1
    expect(page.get_by_role("banner").get_by_text("not on the shelf yet")).to_have_count(0)

"""The hit bench as a producer uses it: a kit from nothing, heard by key, rolled, kept, found again, taken away as files."""

from __future__ import annotations

import io
import re
import zipfile
from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest
import soundfile
from page import FADED_IN_S, TAKEN_OVER_S, Tab, downloaded, heard, listen, new_track, settled, taken_down
from playwright.sync_api import Locator, Page, expect
from support import Server

RATE = 48000


def press(page: Page, name: str) -> None:
    page.get_by_role("button", name=name, exact=True).click()


def tab(page: Page, name: str) -> None:
    page.get_by_role("tab", name=name, exact=True).click()


def go(page: Page, step: str) -> None:
    page.get_by_role("navigation", name="Steps").get_by_role("link", name=step).click()


def add_hit(page: Page, role: str, start: str) -> None:
    press(page, "Add a hit")
    page.get_by_role("radio", name=role, exact=True).click()
    page.locator(".starts.show").get_by_role("button", name=re.compile(f"^{start} ")).click()
    expect(page.get_by_role("region", name=re.compile("^Bench of"))).to_have_attribute("aria-label", f"Bench of {role}")
    settled(page)


def add_layer(page: Page, name: str) -> None:
    press(page, "Add a layer")
    page.locator(".dropdown-menu.show").get_by_role("button", name=re.compile(f"^{name} ")).click()


def layers(page: Page) -> Locator:
    return page.get_by_role("list", name="Layers").get_by_role("listitem")


def sounding(page: Page, act: Callable[[], None]) -> np.ndarray:
    """What goes to the loudspeaker while something is done, from its first sound on; what sounded before has ended."""
    while np.max(np.abs(heard(page, 0.2)[0])) > 1e-5:
        pass
    listen(page, 1.6)
    act()
    audio, rate = taken_down(page)
    assert rate == RATE
    loud = np.flatnonzero(np.abs(audio) > 1e-5)
    assert loud.size, "nothing was heard"
    return audio[loud[0] :]


def test_a_kit_from_nothing_to_files(own_server: Server, tabs: Callable[[], Tab], tmp_path: Path) -> None:
    server, one = own_server, tabs()
    # A name that is in use is refused, and the server is killed.
    one.expected = ("409 (Conflict)", "ERR_CONNECTION_REFUSED")
    page = one.open(server.address)
    new_track(page)
    for beat in (1, 2, 3, 4):
        page.get_by_role("checkbox", name=f"Kick at 1.{beat}", exact=True).click()
    go(page, "Hits")
    # A kick of four layers.
    for name in ("Body", "Beater", "Tail", "Skins"):
        add_layer(page, name)
    expect(layers(page)).to_have_count(5)
    settled(page)
    tab(page, "Fit")
    page.get_by_role("region", name="Layer fit").get_by_role("button", name="Fit the layers").click()
    expect(page.get_by_role("button", name="Undo", exact=True)).to_have_attribute("title", "Undo: Fit the layers")
    settled(page)
    # A clap of two, hats that choke each other, a tom.
    add_hit(page, "Clap", "Mooring")
    add_layer(page, "Clap")
    expect(layers(page)).to_have_count(3)
    settled(page)
    add_hit(page, "Hat", "Tinder")
    add_hit(page, "Open hat", "Brine")
    tab(page, "In the loop")
    expect(page.get_by_label("Parts that cut each other")).to_contain_text("group 1: Hat")
    add_hit(page, "Tom", "Barrel")
    # Sixteen at once; each heard on one key press; two kept.
    tab(page, "Variations")
    press(page, "Roll sixteen")
    sheet = page.get_by_role("group", name="Variations").get_by_role("button")
    expect(sheet).to_have_count(16)
    sheet.first.click()
    first = sounding(page, lambda: page.keyboard.press("x"))
    expect(sheet.nth(1)).to_have_attribute("aria-pressed", "true")
    second = sounding(page, lambda: page.keyboard.press("ArrowRight"))
    expect(sheet.nth(2)).to_have_attribute("aria-pressed", "true")
    count = min(first.size, second.size, RATE // 4)
    assert np.max(np.abs(first[:count] - second[:count])) > 0.05 * np.max(np.abs(first))
    for kept in ("Low barrel", "Round barrel"):
        page.get_by_label("Name to keep it under").fill(kept)
        press(page, "Keep it")
        expect(page.get_by_role("status").filter(has_text=f"Kept as {kept}.")).to_be_visible()
    press(page, "Keep it")
    expect(page.get_by_role("status").filter(has_text="kept already")).to_be_visible()
    expect(page.get_by_role("button", name="Replace the kept one")).to_be_visible()
    press(page, "Use it")
    expect(page.get_by_role("button", name="Undo", exact=True)).to_have_attribute("title", re.compile("^Undo: Use Tom 1-3"))
    settled(page)
    pictures = [row.inner_html() for row in layers(page).all()]
    # The server dies; everything is there.
    address = server.address
    server.kill()
    server.start(port=int(address.rstrip("/").rsplit(":", 1)[1]))
    page.reload()
    expect(page.get_by_role("img", name="Low end")).to_be_visible()
    for name in ("Kick", "Clap", "Hat", "Open hat", "Tom"):
        expect(page.get_by_role("toolbar", name="Kit").get_by_role("button", name=re.compile(f"{name}$"))).to_be_visible()
    settled(page)
    expect(page.get_by_role("region", name="Bench of Tom")).to_be_visible()
    page.wait_for_function(
        "wanted => [...document.querySelectorAll('[role=listitem]')].map(e => e.innerHTML).join() === wanted",
        arg=",".join(pictures),
    )
    tab(page, "Variations")
    expect(page.get_by_role("group", name="Rolls so far").get_by_role("button")).to_have_count(1)
    kept = page.get_by_role("group", name="Kept").get_by_role("button")
    expect(kept).to_have_count(2)
    go(page, "Deliver")
    settled(page)
    path = downloaded(page, "Download everything", tmp_path)
    with zipfile.ZipFile(path) as archive:
        names = set(archive.namelist())
        tom, rate = soundfile.read(io.BytesIO(archive.read("hits/tom.wav")))
        assert soundfile.info(io.BytesIO(archive.read("hits/tom.wav"))).subtype == "PCM_24"
        loop, _ = soundfile.read(io.BytesIO(archive.read("loop.wav")), always_2d=True)
    assert {f"hits/{name}.wav" for name in ("clap", "hat", "open-hat", "tom")} <= names
    assert {f"stems/kit-{name}.wav" for name in ("clap", "hat", "open-hat", "tom")} <= names
    assert rate == RATE
    assert 20 * np.log10(np.max(np.abs(tom))) == pytest.approx(-1, abs=0.05)
    assert loop.shape[0] == round(8 * 60 / 126 * RATE)


def test_pads_play_as_hard_as_they_are_struck_and_a_held_layer_is_alone(
    own_server: Server, tabs: Callable[[], Tab]
) -> None:
    page = tabs().open(own_server.address, "hits")
    add_hit(page, "Clap", "Mooring")
    page.get_by_role("toolbar", name="Kit").get_by_role("button", name=re.compile("Kick$")).click()
    settled(page)
    page.locator("#strength").fill("40")
    settled(page)
    # Every pad's sound at this strength and at full is here.
    page.wait_for_load_state("networkidle")
    page.locator("h2").first.click()
    soft = sounding(page, lambda: page.keyboard.press("x"))
    hard = sounding(page, lambda: page.keyboard.press("Shift+x"))
    assert np.max(np.abs(hard)) > 3 * np.max(np.abs(soft))
    expect(page.locator(".latency")).to_contain_text("ms")
    # The layer whose picture is held is heard without the others and without the loop.
    page.keyboard.press("Space")
    expect(page.get_by_role("banner").get_by_role("button", name="Stop")).to_be_visible()
    heard(page, FADED_IN_S)
    wave = page.get_by_role("listitem", name="Beater").get_by_role("button", name=re.compile("Waveform"))
    box = wave.bounding_box()
    assert box is not None
    page.mouse.move(box["x"] + box["width"] / 2, box["y"] + box["height"] / 2)
    page.evaluate("performance.clearMarks('juglant-struck')")
    page.mouse.down()
    page.wait_for_function("() => performance.getEntriesByName('juglant-struck').length === 1")
    heard(page, TAKEN_OVER_S)
    listen(page, 0.6)
    held, _ = taken_down(page)
    page.mouse.up()
    heard(page, TAKEN_OVER_S)
    listen(page, 1.2)
    back, _ = taken_down(page)
    assert np.sqrt(np.mean(held**2)) < 0.05 * np.sqrt(np.mean(back**2))


def test_a_layer_is_dragged_and_nudged_in_time_and_the_axis_is_zoomed(server: Server, tabs: Callable[[], Tab]) -> None:
    page = tabs().open(server.address, "hits")
    settled(page)
    row = page.get_by_role("listitem", name="Tail")
    wave = row.get_by_role("button", name=re.compile("Waveform"))
    page.get_by_role("group", name="Time shown").get_by_role("button", name="50 ms").click()
    expect(wave).to_have_attribute("aria-label", re.compile("50.0 ms shown"))
    expect(row).to_contain_text("+8.0 ms")
    box = wave.bounding_box()
    assert box is not None
    x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
    page.mouse.move(x, y)
    page.mouse.down()
    page.mouse.move(x + box["width"] / 5, y, steps=4)
    page.mouse.up()
    # A fifth of 50 ms later.
    expect(row).to_contain_text(re.compile(r"\+1[78]\.\d ms"))
    settled(page)
    wave.focus()
    page.keyboard.press("ArrowLeft")
    page.keyboard.press("Shift+ArrowLeft")
    tab(page, "In the sum")
    start = page.get_by_role("slider", name="Start offset")
    row.get_by_role("button", name=re.compile("^Tail long sine")).click()
    frames = float(start.get_attribute("aria-valuenow") or 0) * RATE / 1000
    assert frames == pytest.approx(round(frames), abs=0.01)
    page.get_by_role("group", name="Time shown").get_by_role("button", name="2 ms", exact=True).click()
    expect(wave).to_have_attribute("aria-label", re.compile("2.0 ms shown"))


def test_processors_say_what_they_change_and_binding_is_heard_both_ways(server: Server, tabs: Callable[[], Tab]) -> None:
    page = tabs().open(server.address, "hits")
    page.get_by_role("button", name="Body sweep").click()
    tab(page, "Chain")
    for name in ("EQ", "Drive", "EQ"):
        press(page, "Add a processor")
        page.locator(".dropdown-menu.show").get_by_role("button", name=re.compile(f"^{name} ")).click()
    stages = page.get_by_role("region", name="Chain of Body").get_by_role("listitem")
    expect(stages).to_have_count(3)
    expect(stages.nth(1)).to_contain_text(re.compile(r"loudness [+−]\d"))
    expect(stages.nth(0)).to_contain_text(re.compile(r"peak [+−]\d"))
    stages.nth(0).get_by_role("button", name="Type Gain").click()
    stages.nth(0).get_by_label("Gain in dB").fill("0")
    page.keyboard.press("Enter")
    expect(stages.nth(0)).to_contain_text("changes nothing")
    stages.nth(1).get_by_role("button", name="Move Drive earlier").click()
    expect(stages.nth(0)).to_have_attribute("aria-label", "Drive")
    tab(page, "Bus")
    press(page, "Add a processor")
    page.locator(".dropdown-menu.show").get_by_role("button", name=re.compile("^Compressor ")).click()
    bus = page.get_by_role("region", name="Bus", exact=True)
    expect(bus).to_contain_text("unprocessed, heard")
    page.get_by_role("checkbox", name="Bind the sum").click()
    expect(bus).to_contain_text("bound, heard")
    expect(bus).to_contain_text(re.compile(r"crest \d+\.\d dB · loudness"))


def test_fast_changes_of_two_rulers_are_all_kept(server: Server, tabs: Callable[[], Tab]) -> None:
    page = tabs().open(server.address, "hits")
    page.get_by_role("button", name="Body sweep").click()
    # Faster than anything is stored or drawn: one ruler, the other, and back, within one turn of the page.
    page.evaluate(
        """() => {
          const ruler = (name) => [...document.querySelectorAll('[role=slider]')].find(
            (one) => document.getElementById(one.getAttribute('aria-labelledby'))?.textContent === name);
          const press = (name, key) => ruler(name).dispatchEvent(new KeyboardEvent('keydown', { key, bubbles: true }));
          for (const [name, key] of [['Decay', 'End'], ['Hold', 'End'], ['Release', 'Home'], ['Drive', 'End']]) {
            press(name, key);
          }
        }"""
    )
    settled(page)
    page.reload()
    expect(page.get_by_role("img", name="Low end")).to_be_visible()
    page.get_by_role("button", name="Body sweep").click()
    for name, end in (("Decay", "max"), ("Hold", "max"), ("Release", "min"), ("Drive", "max")):
        ruler = page.get_by_role("slider", name=name, exact=True)
        expect(ruler).to_have_attribute("aria-valuenow", ruler.get_attribute(f"aria-value{end}") or "")

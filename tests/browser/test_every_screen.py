"""Every step, tab and dialog, in both themes: no violation of any impact, by axe-core from the package registry."""

from __future__ import annotations

import io
import re
import urllib.request
from collections.abc import Callable, Iterator
from pathlib import Path

import pytest
import soundfile
from made_loops import made_loop
from page import Tab, settled
from playwright.sync_api import Browser, BrowserContext, Page, expect
from support import Server

from juglant.core.model.track import Track
from juglant.demo.kit import with_kit, with_targets

AXE = Path(__file__).parents[2] / "web" / "node_modules" / "axe-core" / "axe.min.js"
STEPS = ("track", "hits", "tune", "separate", "duck", "deliver", "takes", "data")
LEAST_TARGET_PX = 24
SMALLEST_TEXT_PX = 11
# What is drawn as a picture of its own scale is met by keyboard and by a wider area around it.
TARGETS = "button, select, input:not([type=range]):not([type=checkbox]), a[href]"


@pytest.fixture(params=["light", "dark"])
def themed(request: pytest.FixtureRequest, browser: Browser) -> Iterator[BrowserContext]:
    made = browser.new_context(viewport={"width": 1280, "height": 800}, reduced_motion="reduce")
    made.add_init_script(f"localStorage.setItem('juglant-theme', '{request.param}')")
    yield made
    made.close()


def violations(page: Page) -> list[str]:
    """Every violation that axe finds, of any impact, as rule and element."""
    settled(page)
    page.evaluate(AXE.read_text())
    found = page.evaluate("axe.run(document, { resultTypes: ['violations'] })")["violations"]
    return [f"{one['id']}: {node['html'][:140]}" for one in found for node in one["nodes"]]


def every_tab(page: Page, name: str) -> Iterator[str]:
    """Each tab of a row of tabs, opened."""
    tabs = page.get_by_role("tablist", name=name).get_by_role("tab")
    for index in range(tabs.count()):
        tabs.nth(index).click()
        yield tabs.nth(index).inner_text()


def test_no_screen_has_a_violation(server: Server, themed: BrowserContext, solved: Track) -> None:
    server.load(with_targets(with_kit(solved)))
    page = themed.new_page()
    found: dict[str, list[str]] = {}
    for step in STEPS:
        page.goto(f"{server.address}{step}")
        expect(page.get_by_role("img", name="Low end")).to_be_visible()
        found[step] = violations(page)
        for tab in every_tab(page, "What is on the bench"):
            found[f"{step} {tab}"] = violations(page)
    page.goto(f"{server.address}hits")
    expect(page.get_by_role("img", name="Low end")).to_be_visible()
    for tab in every_tab(page, "What to shape"):
        found[f"hits {tab}"] = violations(page)
    for asked in ("hits?hit=bass", "hits?buses", "hits?hit=tom"):
        page.goto(f"{server.address}{asked}")
        expect(page.get_by_role("img", name="Low end")).to_be_visible()
        found[asked] = violations(page)
    page.keyboard.press("?")
    found["keys"] = violations(page)
    page.keyboard.press("Escape")
    page.get_by_role("button", name=re.compile("all tracks$")).click()
    found["tracks"] = violations(page)
    assert {where: what for where, what in found.items() if what} == {}


def test_no_panel_of_a_sound_has_a_violation(server: Server, themed: BrowserContext, solved: Track) -> None:
    server.load(with_kit(solved))
    loop, _ = made_loop("sixteenths", 126, 1)
    data = io.BytesIO()
    soundfile.write(data, loop, 48000, format="WAV", subtype="PCM_24")
    for address in ("takes?name=Panels.wav", "recordings/file?name=Evening.wav"):
        request = urllib.request.Request(  # noqa: S310
            f"{server.address}api/{address}",
            data=data.getvalue(),
            headers={"Content-Type": "application/octet-stream"},
        )
        urllib.request.urlopen(request, timeout=60).read()  # noqa: S310
    page = themed.new_page()
    page.goto(f"{server.address}takes")
    row = page.get_by_role("list", name="Takes").get_by_role("listitem", name="Panels", exact=True)
    found: dict[str, list[str]] = {}
    for panel, ready in (
        ("Impacts", page.get_by_role("table", name="Impacts, the best first")),
        ("Cut", page.get_by_role("slider", name="Where the cut begins")),
        ("Pattern", page.get_by_role("button", name="Take it apart")),
        ("Strokes", page.get_by_role("button", name="Its strokes as MIDI")),
        ("Carries", page.get_by_role("region", name="What rings around it")),
    ):
        row.get_by_role("button", name=panel, exact=True).click()
        expect(ready).to_be_visible()
        found[panel] = violations(page)
    row.get_by_role("button", name="Carries", exact=True).click()
    page.get_by_role("button", name="Several as one hit").click()
    page.get_by_label("Mark Panels", exact=True).check()
    expect(page.get_by_role("table", name="Strokes that are played in turn")).to_be_visible()
    found["several"] = violations(page)
    page.get_by_role("button", name="Several as one hit").click()
    page.get_by_role("listitem", name="Evening").first.get_by_role("button", name="Impacts and cuts").click()
    expect(page.get_by_role("table", name="Impacts, the best first")).to_be_visible()
    found["long recording"] = violations(page)
    page.goto(f"{server.address}hits")
    page.get_by_role("tab", name="Fit").click()
    page.get_by_label("Under Kick", exact=True).select_option(label="Tom")
    page.get_by_role("button", name="What does it lack?").click()
    expect(page.get_by_role("region", name="What Kick lacks").get_by_role("status")).not_to_contain_text("measuring")
    found["under and lacking"] = violations(page)
    assert {where: what for where, what in found.items() if what} == {}


def test_targets_are_large_enough_and_text_is_on_few_sizes(server: Server, tabs: Callable[[], Tab], solved: Track) -> None:
    server.load(with_targets(with_kit(solved)))
    page = tabs().open(server.address)
    small, sizes = set(), set()
    for step in STEPS:
        page.goto(f"{server.address}{step}")
        expect(page.get_by_role("img", name="Low end")).to_be_visible()
        settled(page)
        small |= set(
            page.evaluate(
                """([targets, least]) => [...document.querySelectorAll(targets)].flatMap((one) => {
                  const box = one.getBoundingClientRect();
                  const seen = one.checkVisibility({ visibilityProperty: true }) && box.width > 1 && box.height > 1;
                  const low = Math.round(Math.min(box.width, box.height)) < least;
                  const said = `${one.textContent || one.className} ${Math.round(box.width)}x${Math.round(box.height)}`;
                  return seen && low ? [said] : [];
                })""",
                [TARGETS, LEAST_TARGET_PX],
            )
        )
        sizes |= set(
            page.evaluate(
                """() => [...document.querySelectorAll('body *')].flatMap((one) => {
                  const own = [...one.childNodes].some((node) => node.nodeType === 3 && node.textContent.trim());
                  return own && one.checkVisibility() ? [parseFloat(getComputedStyle(one).fontSize)] : [];
                })"""
            )
        )
    assert small == set()
    assert min(sizes) >= SMALLEST_TEXT_PX
    assert len(sizes) <= 7, sorted(sizes)

"""Own ranges on the page: typed at a ruler, kept to by a roll, shown on the ruler, moved with the processor they are of."""

from __future__ import annotations

import re
from collections.abc import Callable

from page import Tab, settled
from playwright.sync_api import Locator, Page, expect
from support import Server


def opened(page: Page, rulers: Locator, title: str) -> Locator:
    """The form of a ruler's own range."""
    ruler = rulers.locator(".ruler").filter(has=page.get_by_role("slider", name=title, exact=True)).first
    ruler.hover()
    ruler.get_by_role("button", name="range", exact=True).click()
    return page.get_by_role("form", name=f"Own range of {title}")


def ranged(page: Page, rulers: Locator, title: str, low: str, high: str) -> Locator:
    """Own ends typed at a ruler; the form they were typed in."""
    form = opened(page, rulers, title)
    form.get_by_label(re.compile("^Lowest")).fill(low)
    form.get_by_label(re.compile("^Highest")).fill(high)
    return form


def test_a_roll_keeps_to_an_own_range_that_was_typed(server: Server, tabs: Callable[[], Tab]) -> None:
    page = tabs().open(server.address, "hits")
    page.get_by_role("button", name="Body sweep").click()
    page.get_by_role("tab", name="Sound", exact=True).click()
    sound = page.get_by_role("region", name="Controls of Body")
    form = ranged(page, sound, "Decay", "230", "180")
    keep = form.get_by_role("button", name="Keep it inside")
    # What is no range is said, and cannot be kept.
    expect(form.get_by_role("status")).to_have_text("The lowest is above the highest.")
    expect(keep).to_be_disabled()
    form.get_by_label(re.compile("^Lowest")).fill("1")
    expect(form.get_by_role("status")).to_contain_text("The ruler goes from")
    form.get_by_label(re.compile("^Highest")).fill("230")
    form.get_by_label(re.compile("^Lowest")).fill("180")
    page.keyboard.press("Enter")
    expect(form).to_have_count(0)
    slider = sound.get_by_role("slider", name="Decay", exact=True)
    expect(slider).to_have_attribute("aria-valuetext", re.compile("own range 180 ms to 230 ms"))
    settled(page)
    page.get_by_role("tab", name="Variations").click()
    page.get_by_label("How far").fill("100")
    with page.expect_response(re.compile(r"/sheet\?")) as answer:
        page.get_by_role("button", name="Roll sixteen").click()
    rolled = answer.value.json()
    bodies = [next(layer for layer in one["hit"]["layers"] if layer["name"] == "Body") for one in rolled]
    decays = [one["source"]["decay_ms"] for one in bodies]
    assert len(decays) == 16
    assert all(180 <= decay <= 230 for decay in decays)
    assert max(decays) - min(decays) > 20
    # One of them used, the range is still there; taken back, it is gone.
    sheet = page.get_by_role("group", name="Variations").get_by_role("button")
    sheet.nth(3).click()
    # Sorted by nearness to it, it stands first and stays the one that is chosen; another press does not sort anew.
    liked = str(sheet.nth(3).get_attribute("aria-label"))
    page.get_by_role("button", name="Nearest to it first").click()
    expect(sheet.first).to_have_attribute("aria-label", liked)
    expect(sheet.first).to_have_attribute("aria-pressed", "true")
    expect(page.get_by_label("Sorted by")).to_contain_text("nearness to the liked")
    second = str(sheet.nth(1).get_attribute("aria-label"))
    sheet.nth(1).click()
    expect(sheet.nth(1)).to_have_attribute("aria-label", second)
    expect(sheet.first).to_have_attribute("aria-label", liked)
    # Sixteen more like that one, half as far, inside the range as well; the history says what they are like.
    with page.expect_response(re.compile(r"/sheet\?.*like=\d+$")) as answer:
        page.get_by_role("button", name="More like it").click()
    bodies = [next(layer for layer in one["hit"]["layers"] if layer["name"] == "Body") for one in answer.value.json()]
    assert all(180 <= one["source"]["decay_ms"] <= 230 for one in bodies)
    expect(page.get_by_role("group", name="Rolls so far")).to_contain_text(re.compile(r"50 % more like Kick 1-\d"))
    sheet.first.click()
    with page.expect_response(re.compile(r"/sheet\?.*like=\d+$")):
        page.get_by_role("button", name="Less like it").click()
    expect(page.get_by_role("group", name="Rolls so far")).to_contain_text("less like Kick")
    sheet.first.click()
    page.get_by_role("button", name="Use it").click()
    settled(page)
    page.get_by_role("tab", name="Sound", exact=True).click()
    expect(slider).to_have_attribute("aria-valuetext", re.compile("own range 180 ms to 230 ms"))
    opened(page, sound, "Decay").get_by_role("button", name="No own range").click()
    expect(slider).not_to_have_attribute("aria-valuetext", re.compile("own range"))


def test_an_own_range_moves_with_its_processor(server: Server, tabs: Callable[[], Tab]) -> None:
    page = tabs().open(server.address, "hits")
    page.get_by_role("button", name="Body sweep").click()
    page.get_by_role("tab", name="Chain", exact=True).click()
    stages = page.get_by_role("region", name="Chain of Body").get_by_role("listitem")
    for count, name in enumerate(("EQ", "Drive"), start=1):
        page.get_by_role("button", name="Add a processor", exact=True).click()
        page.locator(".dropdown-menu.show").get_by_role("button", name=re.compile(f"^{name} ")).click()
        expect(stages).to_have_count(count)
    settled(page)
    ranged(page, stages.nth(1), "Drive", "3", "9")
    page.keyboard.press("Enter")
    drive = page.get_by_role("region", name="Chain of Body").get_by_role("slider", name="Drive", exact=True)
    said = re.compile("own range 3.0 dB to 9.0 dB")
    expect(drive).to_have_attribute("aria-valuetext", said)
    page.get_by_role("button", name="Move Drive earlier").click()
    expect(stages.nth(0)).to_have_attribute("aria-label", "Drive")
    expect(drive).to_have_attribute("aria-valuetext", said)
    settled(page)
    # Without what stood beside it, it is where it was; away with its processor, it comes back with it.
    page.get_by_role("button", name="Remove EQ").click()
    expect(drive).to_have_attribute("aria-valuetext", said)
    page.get_by_role("button", name="Remove Drive").click()
    expect(stages).to_have_count(0)
    settled(page)
    page.get_by_role("button", name="Undo", exact=True).click()
    expect(drive).to_have_attribute("aria-valuetext", said)
